import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { FoundValues } from '@rule/contract';
import { Property, PropertyDraft, SchemaChange, draftOf } from '@rule/core/schema';
import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { throwError } from 'rxjs';
import { Stage, draftView, property } from '../../../test/stage';
import { PropertyEditor } from './property-editor';
import { SchemaStore } from '../schema.store';

const number = property(1, 'Part number', { type: 'text', kinds: ['part', 'drawing'], unique: 'library' });
const mass = property(2, 'Mass', { type: 'number', unit: 'kg', decimals: 3, kinds: ['part'], group: 'Physics' });
const material = property(3, 'Material', { type: 'choice', kinds: ['part'], choices: ['S235JR', '1.4301'] });

const found: FoundValues = {
  name: 'Material',
  files: 10,
  blank: 2,
  values: [
    { text: 'S235JR', form: 'text', unit: null, files: 6, standIn: false },
    { text: 'Ash', form: 'text', unit: null, files: 2, standIn: false },
  ],
} as unknown as FoundValues;

interface Sent {
  readonly id: number;
  readonly base: PropertyDraft;
  readonly draft: PropertyDraft;
  readonly retired: boolean;
}

/** The editor with a server; `server.draft` is the shared draft. */
async function staged(inputs: object, more: object = {}, { role = 'administrator', view = draftView([number, mass, material]) } = {}) {
  const server = { draft: view };
  const taken = (properties: readonly Property[], changes: readonly SchemaChange[] = []) =>
    (server.draft = { ...server.draft, schema: { ...server.draft.schema, properties }, changes, revision: server.draft.revision + 1 });
  const stage = new Stage(
    {
      draft: () => server.draft,
      choiceLists: [{ id: 1, name: 'Finishes', choices: [{ value: 'brushed', retired: false }], usedBy: [], columns: [] }],
      numberSeries: [{ id: 1, name: 'Part numbers' }],
      editions: [],
      schemaPlaces: {
        fields: [{ kind: 'part', name: 'product id', files: 12 }],
        layers: ['ROOM'],
        texts: ['Hall'],
      },
      trySummary: { summary: null },
      classes: [{ name: 'sheet metal' }, { name: 'turned' }],
      foundValues: (name: string) => ({ ...found, name }),
      files: { total: 0, rows: [] },
      tryExpression: [],
      addProperties: ([draft]: PropertyDraft[]) => ({ ids: [9], draft: taken([...server.draft.schema.properties, { ...draft!, id: 9, retired: false }]) }),
      changeProperties: ([sent]: Sent[]) =>
        taken(server.draft.schema.properties.map((each) => (each.id === sent!.id ? { ...sent!.draft, id: each.id, retired: sent!.retired } : each))),
      removeProperty: (id: number) => taken(server.draft.schema.properties.filter((each) => each.id !== id)),
      ...more,
    },
    { role, properties: [number, mass, material], providers: [SchemaStore] },
  );
  await stage.show(PropertyEditor, { id: null, define: null, ...inputs });
  const store = stage.fixture.componentRef.injector.get(SchemaStore);
  store.load();
  const opened: (number | null)[] = [];
  (stage.fixture.componentInstance as PropertyEditor).opened.subscribe((id) => opened.push(id));
  await stage.settled();
  return { stage, server, opened };
}
const sent = (stage: Stage) => (stage.last('changeProperties') as [Sent[]])[0][0]!;
/** Alert or note of a field. */
const beside = (stage: Stage, field: string) => (stage.field(field).closest('label')?.querySelector('small')?.textContent ?? '').trim();

beforeEach(() => {
  // jsdom has no layout; the expression editor measures letters.
  Range.prototype.getClientRects = jest.fn(() => [] as unknown as DOMRectList);
});

describe('a property in depth', () => {
  it('is changed, saved with what it was before, and then stands as saved', async () => {
    const { stage } = await staged({ id: 2 });
    expect([stage.field('Written name').value, stage.list('Unit').text, stage.button('Save in the draft').disabled]).toEqual(['Mass', 'kg', true]);
    await stage.type('Caption', 'Net mass');
    await stage.type('Decimals', '2');
    expect(stage.text('.head')).toContain('not saved yet');
    await stage.click('Save in the draft');
    expect(sent(stage)).toMatchObject({ id: 2, base: draftOf(mass), draft: { ...draftOf(mass), caption: 'Net mass', decimals: 2 }, retired: false });
    expect([stage.said, stage.text('.head').includes('not saved yet')]).toEqual([['Net mass is saved in the draft.'], false]);
  });

  it('can be put back to what it was', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.type('Caption', 'Net mass');
    await stage.click('Undo');
    expect([stage.field('Caption').value, stage.text('.head').includes('not saved yet'), stage.last('changeProperties')]).toEqual(['Mass', false, undefined]);
  });

  it('says at once that a name is taken or blank, and is not saved under it', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.type('Written name', 'Material');
    expect([beside(stage, 'Written name'), stage.button('Save in the draft').disabled]).toEqual([expect.stringMatching(/Material/), true]);
    await stage.type('Written name', ' ');
    expect(stage.button('Save in the draft').disabled).toBe(true);
    await stage.type('Written name', 'M\u0430ss');
    expect(stage.text()).toContain('looks like “a” but is a different character');
  });

  it('takes out what does not go with another type, and asks only for what does', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.type('Largest', '50');
    await stage.select('Type', 'text');
    expect(() => stage.field('Largest')).toThrow();
    await stage.type('Longest length', '12');
    await stage.click('Save in the draft');
    expect(sent(stage).draft).toMatchObject({ type: 'text', unit: null, decimals: null, max: null, maxLength: 12 });
  });

  it('choices are lines; those of a list are not typed, and narrow by another property', async () => {
    const { stage } = await staged({ id: 3 });
    await stage.type('Choices, one per line', 'S235JR\n1.4301\nash, oiled\n');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.choices).toEqual(['S235JR', '1.4301', 'ash, oiled']);
    await stage.select('Choices come from', 'Finishes (1)');
    expect(() => stage.field('Choices, one per line')).toThrow();
    await stage.select('Narrowed by', 'Part number');
    await stage.click('Save in the draft');
    expect(sent(stage).draft).toMatchObject({ list: 'Finishes', narrowedBy: 'Part number', choices: [] });
  });

  it('says how the values in files today fit while it is being written', async () => {
    const { stage } = await staged({ id: 3 });
    const bar = () => stage.page.querySelector('[aria-label="In files today"] [role=img]')!.getAttribute('aria-label');
    expect(stage.last('foundValues')).toEqual(['Material', {}]);
    expect(bar()).toMatch(/6.*fit.*2.*do not/);
    await stage.type('Choices, one per line', 'S235JR\nAsh');
    expect(bar()).toMatch(/8.*fit/);
  });

  it('homes are chosen from what files have; a property of another name is typed', async () => {
    const { stage } = await staged({ id: 2 });
    const homes = () => stage.list('Home in a part').texts;
    expect(homes().slice(1)).toEqual(['property of another name …', 'file field product id (12 files)']);
    await stage.select('Home in a part', 'file field product id (12 files)');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.homes).toEqual({ part: { place: 'field', name: 'product id' } });
    await stage.select('Home in a part', 'property of another name …');
    await stage.type('Name in a part', 'Werkstoff');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.homes).toEqual({ part: { place: 'property', name: 'Werkstoff' } });
    await stage.select('Home in a part', 'property Mass');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.homes).toEqual({});
  });

  it('an area says which outlines it is of, chosen from the layers and texts of the drawings', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.select('Value comes from', 'taken from the sheet');
    await stage.select('Sheet fact', 'closed area');
    expect(stage.text()).toContain('Enter the layer of the outlines.');
    await stage.select('Area of', 'the outline around a text');
    await stage.type('Text in the outline', 'Hall');
    expect([...stage.page.querySelectorAll<HTMLOptionElement>('#area-texts option, #area-layers option')].map((option) => option.value)).toEqual([
      'Hall',
      'ROOM',
    ]);
    await stage.click('Save in the draft');
    expect(sent(stage).draft).toMatchObject({ sheetFact: 'closed area', sheetArea: { of: 'around a text', text: 'Hall', layer: '', holes: true } });
  });

  it('a class can ask for other things', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.click('Add a class override');
    await stage.select('Required in override 1', 'required');
    await stage.type('Largest in override 1', '12.5');
    await stage.click('Add a class override');
    expect(stage.list('Class of override 2').text).toBe('turned');
    expect(() => stage.button('Add a class override')).toThrow();
    await stage.click('Remove override 2');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.overrides).toEqual([{ class: 'sheet metal', required: true, max: 12.5 }]);
  });

  it('a rule is kept with examples that are run as they are typed', async () => {
    const ruled = property(4, 'Label', { type: 'text', kinds: ['part'], feed: 'ruled', rule: 'Part number + " / " + Material' });
    const { stage } = await staged({ id: 4 }, {}, { view: draftView([{ ...number, ruleName: 'Part number' }, mass, material, ruled]) });
    await stage.click('Add an example');
    await stage.type('Part number in example 1', 'DR15-101');
    await stage.type('Material in example 1', '1.4301');
    await stage.type('Expected in example 1', 'DR15-101 / 1.4301');
    const outcome = () => [...stage.page.querySelectorAll('rule-table.gap tbody td')].map((cell) => (cell.textContent ?? '').trim())[4];
    expect(outcome()).toBe('as expected');
    await stage.type('Expected in example 1', 'DR15-101');
    expect(outcome()).toBe('DR15-101 / 1.4301');
    await stage.click('Save in the draft');
    expect(sent(stage).draft.examples).toEqual([{ title: 'Example 1', given: { 'Part number': 'DR15-101', Material: '1.4301' }, expected: 'DR15-101' }]);
  });

  it('captions in other languages are lines with the code of the language', async () => {
    const { stage } = await staged({ id: 3 });
    const field = stage.field('Captions in other languages');
    field.value = 'de: Werkstoff\nno language\npt-BR:  Material ';
    field.dispatchEvent(new Event('input'));
    field.dispatchEvent(new Event('blur'));
    await stage.settled();
    await stage.click('Save in the draft');
    expect(sent(stage).draft.captions).toEqual({ de: 'Werkstoff', 'pt-BR': 'Material' });
  });

  it('a new one starts with the name and kinds that were asked for, and opens once it is there', async () => {
    const { stage, opened } = await staged({ define: 'Surface', kindsAsked: 'part,nonsense' });
    expect([stage.text('h1'), stage.button('Define').disabled]).toEqual(['Surface', false]);
    await stage.click('Define');
    expect((stage.last('addProperties') as [PropertyDraft[]])[0]).toMatchObject([{ writtenName: 'Surface', kinds: ['part'] }]);
    expect([opened, stage.said]).toEqual([[9], ['Surface is in the draft.']]);
  });

  it('what is in force can be retired, what only the draft has is taken out', async () => {
    const { stage } = await staged({ id: 2 });
    await stage.click('Retire');
    expect(sent(stage)).toMatchObject({ id: 2, retired: true });
    expect(stage.said).toEqual(['Mass is retired in the draft. Its values stay in the files.']);
    await stage.click('Reinstate');
    expect(sent(stage)).toMatchObject({ id: 2, retired: false });
  });
  it('what only the draft has is taken out', async () => {
    const fresh = property(7, 'Surface');
    const { stage, opened } = await staged(
      { id: 7 },
      {},
      { view: draftView([number, fresh], {}, { changes: [{ type: 'property added', property: fresh } as unknown as SchemaChange] }) },
    );
    expect(stage.text('.head')).toContain('new in the draft');
    await stage.click('Remove from draft');
    expect([stage.last('removeProperty'), opened]).toEqual([[7], [null]]);
  });

  describe('when somebody else has changed the same', () => {
    const theirs = { ...mass, caption: 'Weight', decimals: 1 };
    const contradiction = () =>
      throwError(() => new HttpErrorResponse({ status: 409, error: { code: 'contradiction', detail: 'Tobe Okafor has changed the caption to “Weight”.' } }));
    const clash = async () => {
      let refuse = true;
      const all = await staged(
        { id: 2 },
        {
          changeProperties: ([change]: Sent[]) => {
            if (!refuse) return { ...all.server.draft, revision: 9 };
            refuse = false;
            all.server.draft = draftView([number, theirs, material], {}, { revision: 5 });
            void change;
            return contradiction();
          },
        },
      );
      await all.stage.type('Caption', 'Net mass');
      await all.stage.click('Save in the draft');
      return all;
    };
    it('their words are shown, and mine can be kept knowing them', async () => {
      const { stage } = await clash();
      expect([stage.text('[role=alert]'), stage.field('Caption').value]).toEqual([expect.stringContaining('Tobe Okafor has changed the caption'), 'Net mass']);
      await stage.click('Keep mine');
      expect([sent(stage).base.caption, sent(stage).draft.caption]).toEqual(['Weight', 'Net mass']);
    });
    it('or theirs are taken', async () => {
      const { stage } = await clash();
      await stage.click('Take theirs');
      expect([stage.field('Caption').value, stage.field('Decimals').value, stage.page.querySelector('.note.bad')]).toEqual(['Weight', '1', null]);
      expect(stage.text('.head')).not.toContain('not saved yet');
    });
  });

  it('is read and not changed by those who do not administer', async () => {
    const { stage } = await staged({ id: 2 }, {}, { role: 'editor' });
    expect(() => stage.button('Save in the draft')).toThrow();
    expect(stage.page.querySelector('fieldset')!.disabled).toBe(true);
  });

  it('is closed to those who may not administer, its lists as well', async () => {
    const open = (stage: Stage) => [...stage.page.querySelectorAll('fieldset p-select')].filter((list) => !list.classList.contains('p-disabled')).length;
    const { stage } = await staged({ id: 1 }, {}, { role: 'viewer' });
    expect([stage.page.querySelectorAll('fieldset p-select').length > 3, open(stage)]).toEqual([true, 0]);
    TestBed.resetTestingModule();
    expect(open((await staged({ id: 1 })).stage)).toBeGreaterThan(3);
  });

  it('says whose rules read it, and not whose rules merely hold its letters', async () => {
    const label = property(4, 'Label', { kinds: ['part'], feed: 'ruled', rule: 'upper case(Part number)' });
    const other = property(5, 'Note', { kinds: ['part'], feed: 'ruled', rule: '"Part number"' });
    const { stage, opened } = await staged({ id: 1 }, {}, { view: draftView([number, mass, material, label, other]) });
    expect(stage.page.textContent).toMatch(/Used by\s+Label\./);
    await stage.click('Label');
    expect(opened).toEqual([4]);
  });
});
