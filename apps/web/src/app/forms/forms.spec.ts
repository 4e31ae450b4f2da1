import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { EntryForm, newInput } from '@rule/core/schema';
import { throwError } from 'rxjs';
import { Stage, draftView, property } from '../../test/stage';
import { GOES_ALONG, Unsaved } from '../shared';
import { ConditionEditor } from './condition-editor';
import { FormsStation } from './forms';

const number = property(1, 'Part number', { type: 'text', kinds: ['part'], required: true });
const mass = property(2, 'Mass', { type: 'number', unit: 'kg', kinds: ['part'] });
const finish = property(3, 'Finish', { type: 'text', kinds: ['part'] });
const sheets = property(4, 'Sheets', { type: 'whole', kinds: ['drawing'] });
const form: EntryForm = {
  id: 5,
  name: 'Made parts',
  kinds: ['part'],
  classes: [],
  panels: [
    { key: 'p1', title: 'Identity', shownWhen: '', inputs: [newInput('i1', number), newInput('i2', mass)] },
    { key: 'p2', title: 'Surface', shownWhen: '', inputs: [] },
  ],
};
type Sent = { id: number | null; form: Omit<EntryForm, 'id'>; base: Omit<EntryForm, 'id'> | null };

async function staged(asked: string | undefined, { role = 'administrator', more = {} } = {}) {
  const server = { forms: [form] as readonly EntryForm[] };
  const draft = () => draftView([number, mass, finish, sheets], { forms: server.forms });
  const stage = new Stage(
    {
      draft,
      choiceLists: [],
      classes: [{ name: 'turned' }],
      saveForm: ({ id, form: laid }: Sent) => {
        const saved = { ...laid, id: id ?? 6 };
        server.forms = [...server.forms.filter((entry) => entry.id !== saved.id), saved];
        return { id: saved.id, draft: draft() };
      },
      removeForm: (id: number) => {
        server.forms = server.forms.filter((entry) => entry.id !== id);
        return draft();
      },
      orderForms: () => draft(),
      files: { total: 0, rows: [] },
      ...more,
    },
    { role, properties: [number, mass, finish, sheets] },
  );
  const gone: { params: unknown; info: unknown }[] = [];
  jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((_, extras) => {
    gone.push({ params: extras?.queryParams, info: extras?.info });
    return Promise.resolve(true);
  });
  await stage.show(FormsStation, { form: asked });
  await stage.settled();
  return { stage, server, gone };
}
const tiles = (stage: Stage) =>
  [...stage.page.querySelectorAll('section.panel')].map((panel) =>
    [...panel.querySelectorAll('[data-input]')].map((edit) => edit.getAttribute('aria-label')!.replace(/^(Edit|Settings of) /, '')),
  );
const tile = (stage: Stage, key: string) => stage.page.querySelector<HTMLElement>(`[data-input=${key}]`)!;
const press = async (stage: Stage, element: HTMLElement, key: string, held: KeyboardEventInit = {}) => {
  element.focus();
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...held }));
  await stage.settled();
};
/** Types names where accepted, and adds them with Enter. */
const add = async (stage: Stage, place: string, names: string) => {
  await stage.type(place, names);
  await stage.settled();
  await press(stage, stage.field(place), 'Enter');
};

beforeEach(() => {
  // jsdom has no layout; the expression editor measures letters.
  Range.prototype.getClientRects = jest.fn(() => [] as unknown as DOMRectList);
});

describe('the Forms station', () => {
  it('properties are added where they are to stand, moved and made broader by keys, and all of it is saved with what it was', async () => {
    const { stage, gone } = await staged('5');
    expect(tiles(stage)).toEqual([['Part number', 'Mass'], []]);
    await add(stage, 'Add to panel Surface', 'Finish');
    expect(tiles(stage)).toEqual([['Part number', 'Mass'], ['Finish']]);
    const key = stage.page.querySelectorAll<HTMLElement>('section.panel')[1]!.querySelector<HTMLElement>('[data-input]')!.dataset['input']!;
    await press(stage, tile(stage, key), 'ArrowUp', { altKey: true });
    expect(tiles(stage)).toEqual([['Part number', 'Mass', 'Finish'], []]);
    expect(document.activeElement).toBe(tile(stage, key));
    await press(stage, tile(stage, 'i2'), 'ArrowDown', { altKey: true });
    expect(tiles(stage)[0]).toEqual(['Part number', 'Finish', 'Mass']);
    const width = form.panels[0]!.inputs[0]!.width;
    await press(stage, tile(stage, 'i1'), 'ArrowLeft', { shiftKey: true });
    expect(TestBed.inject(Unsaved).what()).toEqual(['the form Made parts']);
    await stage.click('Save in the draft');
    const [{ id, form: laid, base }] = stage.last('saveForm') as [Sent];
    const { id: _, ...before } = form;
    void _;
    expect([id, base, laid.panels[0]!.inputs.map((entry) => [entry.property, entry.width])]).toEqual([
      5,
      before,
      [
        [1, Math.max(1, width - 1)],
        [3, expect.any(Number)],
        [2, expect.any(Number)],
      ],
    ]);
    expect([stage.said, gone, TestBed.inject(Unsaved).what()]).toEqual([
      ['Form saved in the draft. It takes effect when the draft comes into force in Schema.'],
      [{ params: { form: 5 }, info: undefined }],
      [],
    ]);
  });

  it('a panel has one to four columns, and no input is wider than its panel', async () => {
    const { stage } = await staged('5');
    await press(stage, tile(stage, 'i1'), 'ArrowRight', { shiftKey: true });
    await stage.click('Edit panel Identity');
    expect(stage.page.querySelector<HTMLElement>('.grid')!.style.getPropertyValue('--columns')).toBe('4');
    await stage.pick('Columns', 1);
    expect(stage.page.querySelector<HTMLElement>('.grid')!.style.getPropertyValue('--columns')).toBe('1');
    await press(stage, tile(stage, 'i1'), 'ArrowRight', { shiftKey: true });
    await stage.click('Save in the draft');
    const [{ form: laid }] = stage.last('saveForm') as [Sent];
    expect([laid.panels[0]!.columns, laid.panels[0]!.inputs.map((entry) => entry.width)]).toEqual([1, laid.panels[0]!.inputs.map(() => 1)]);
  });

  it('an insertion line takes several names at once, and says which of them it does not know', async () => {
    const { stage } = await staged('5');
    await press(stage, tile(stage, 'i1'), 'Delete');
    await stage.click('Insert before Mass');
    await add(stage, 'Insert before Mass', 'Finish; Colour');
    expect([tiles(stage)[0], stage.text('rule-property-adder [role=alert]')]).toEqual([['Mass'], 'Not in the schema, or already in this form: Colour.']);
    await add(stage, 'Insert before Mass', 'finish, Part number');
    expect(tiles(stage)[0]).toEqual(['Finish', 'Part number', 'Mass']);
  });

  it('settings open under their input; a condition is put together by choosing, or written', async () => {
    const { stage } = await staged('5');
    await stage.click('Edit Mass');
    await stage.click('Write as expression: Shown when, Mass');
    const settings = () => stage.page.querySelector('rule-input-settings')!;
    expect(settings().previousElementSibling!.querySelector('[data-input=i2]')).not.toBeNull();
    const editor = stage.fixture.debugElement.queryAll((each) => each.name === 'rule-condition-editor')[0]!.componentInstance as ConditionEditor;
    editor.write({ joint: 'and', clauses: [{ property: 3, test: 'is', values: ['ground'] }] });
    await stage.settled();
    await stage.click('Save in the draft');
    const [{ form: laid }] = stage.last('saveForm') as [Sent];
    expect(laid.panels[0]!.inputs[1]!.shownWhen).toBe('Finish = "ground"');
    await stage.click('Close settings');
    expect([stage.page.querySelector('rule-input-settings'), document.activeElement]).toEqual([null, tile(stage, 'i2')]);
  });

  it('a new form is no loss before something is laid out in it, and is not saved without a name', async () => {
    const { stage } = await staged('new');
    expect([TestBed.inject(Unsaved).what(), stage.button('Save in the draft').disabled]).toEqual([[], true]);
    await add(stage, 'Add to panel Identity', 'Finish');
    expect(TestBed.inject(Unsaved).what()).toEqual(['the form without a name']);
    expect(stage.button('Save in the draft').disabled).toBe(true);
    await stage.type('Name', 'Small parts');
    expect(stage.button('Save in the draft').disabled).toBe(false);
  });

  it('a copy takes what was typed along without a question', async () => {
    const { stage, gone } = await staged('5');
    await add(stage, 'Add to panel Identity', 'Finish');
    await stage.click('Duplicate');
    expect(gone).toEqual([{ params: { form: 'new' }, info: GOES_ALONG }]);
    stage.fixture.componentRef.setInput('form', 'new');
    await stage.settled();
    expect([stage.text('h1'), tiles(stage)[0]]).toEqual(['Made parts, copy', ['Part number', 'Mass', 'Finish']]);
    await stage.click('Save in the draft');
    expect((stage.last('saveForm') as [Sent])[0]).toMatchObject({ id: null, base: null, form: { name: 'Made parts, copy' } });
  });

  it('a form that no file gets says which one comes first, and is put before it', async () => {
    const other: EntryForm = { ...form, id: 6, name: 'Later' };
    const { stage } = await staged('6', { more: { draft: () => draftView([number, mass, finish, sheets], { forms: [form, other] }) } });
    expect(stage.text('.note.bad')).toContain('No file gets this form: Made parts comes first for every file that it is for.');
    await stage.click('Move it before Made parts');
    expect(stage.last('orderForms')).toEqual([[6, 5]]);
  });

  it('what the server refuses stays on the page', async () => {
    const { stage } = await staged('5', { more: { saveForm: () => throwError(() => 'two forms have this name') } });
    await add(stage, 'Add to panel Identity', 'Finish');
    await stage.click('Save in the draft');
    expect([stage.said, tiles(stage)[0], stage.button('Save in the draft').disabled]).toEqual([
      ['two forms have this name'],
      ['Part number', 'Mass', 'Finish'],
      false,
    ]);
  });

  it('a form is removed, and its place is left', async () => {
    const { stage, server, gone } = await staged('5');
    await stage.click('Remove');
    expect([server.forms, gone.at(-1)]).toEqual([[], { params: { form: null }, info: GOES_ALONG }]);
  });

  it('is looked at by those who do not administer', async () => {
    const { stage } = await staged('5', { role: 'editor' });
    expect(() => stage.button('Save in the draft')).toThrow();
    await press(stage, tile(stage, 'i1'), 'Delete');
    expect(tiles(stage)[0]).toEqual(['Part number', 'Mass']);
  });
});
