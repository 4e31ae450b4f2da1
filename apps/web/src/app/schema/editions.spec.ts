import { describe, expect, it } from '@jest/globals';
import { DraftView, EditionRow } from '@rule/contract';
import { EMPTY_SCHEMA, SchemaChange } from '@rule/core/schema';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { SchemaEditions, fieldWords, inWords } from './editions';
import { SchemaStore } from './schema.store';

const material = property(1, 'Material', { caption: 'Material' });
const changes: SchemaChange[] = [
  { type: 'property added', property: property(2, 'Finish', { caption: 'Finish' }) },
  { type: 'property changed', id: 1, caption: 'Material', fields: [{ field: 'writtenName', before: 'Mat', after: 'Material' }] },
  { type: 'property changed', id: 1, caption: 'Material', fields: [{ field: 'maxLength', before: null, after: 40 }] },
] as unknown as SchemaChange[];
const editions: EditionRow[] = [
  { number: 3, state: 'draft', note: '', by: null, at: '2026-11-25T08:00:00Z', basedOn: 2, properties: 2 },
  { number: 2, state: 'in force', note: 'names', by: 'I. Varga', at: '2026-11-20T08:00:00Z', basedOn: 1, properties: 1 },
  { number: 1, state: 'superseded', note: 'first', by: 'I. Varga', at: '2026-11-01T08:00:00Z', basedOn: null, properties: 1 },
];
const draft = (change: Partial<DraftView> = {}): DraftView => ({
  number: 3,
  revision: 7,
  inForce: 2,
  schema: { ...EMPTY_SCHEMA, properties: [material] },
  changes,
  problems: [],
  edits: [{ by: 'M. Haas', at: '2026-11-25T08:10:00Z', what: 'changed Material' }],
  ...change,
});
const problem = (severity: 'error' | 'warning', message: string): DraftView['problems'][number] => ({
  severity,
  property: 1,
  check: null,
  code: 'x',
  field: '',
  subject: '',
  message,
});

const staged = async (of: DraftView = draft(), more: object = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      draft: of,
      choiceLists: [],
      numberSeries: [],
      editions,
      trySummary: { summary: null },
      classes: [],
      rollout: [],
      bringIntoForce: { edition: 3 },
      rolloutTray: { lines: 12 },
      discardDraft: draft({ number: null, changes: [] }),
      goBackTo: of,
      ...more,
    },
    { role, providers: [SchemaStore] },
  );
  await stage.show(SchemaEditions);
  stage.fixture.componentRef.injector.get(SchemaStore).load();
  await stage.settled();
  return stage;
};
const table = (stage: Stage, labelled: string) =>
  [...stage.page.querySelectorAll(`[aria-labelledby="${labelled}"] tbody tr`)].map((row) =>
    [...row.querySelectorAll('td')].map((cell) => cell.textContent.trim()),
  );

describe('editions', () => {
  it('say values and fields in words', () => {
    expect([null, '', true, false, [], ['a', 'b'], 3, { a: 1 }].map(inWords)).toEqual(['nothing', 'nothing', 'yes', 'no', 'nothing', 'a, b', '3', 'a: 1']);
    expect(fieldWords('maxLength')).toBe('max length');
  });

  it('show the draft against what is in force, definition by definition', async () => {
    const stage = await staged();
    expect(stage.text('.head')).toContain('Draft of edition 3 3 changes against edition 2.');
    expect(table(stage, 'changes')).toEqual([
      ['Finish', 'new property', '', 'Finish'],
      ['Material', 'written name', 'Mat', 'Material'],
      ['Material', 'max length', 'nothing', '40'],
    ]);
    expect(stage.text('[aria-labelledby="edits"]')).toContain('M. Haas changed Material');
    expect(stage.text('[aria-labelledby="force"]')).toContain('The draft has not been tried on the files.');
  });

  it('a draft comes into force with a note; a renamed property offers its change set at once', async () => {
    const stage = await staged();
    expect(stage.button('Bring into force').disabled).toBe(true);
    await stage.type('Note: reason for the change', ' one name for material ');
    await stage.click('Bring into force');
    expect(stage.last('bringIntoForce')).toEqual(['one name for material', 7]);
    expect(stage.last('rolloutTray')).toEqual([1, 'rename']);
    expect(stage.said).toEqual(['Edition 3 is in force.', 'Material has a new written name: 12 lines that rename it in files were added to your tray.']);
  });
  it('nothing to rename is no fault', async () => {
    const stage = await staged(draft(), { rolloutTray: throwError(() => new Error('Nothing to do.')) });
    await stage.type('Note: reason for the change', 'x');
    await stage.click('Bring into force');
    expect(stage.said).toEqual(['Edition 3 is in force.']);
  });
  it('what the server refuses is said, and the note stays', async () => {
    const stage = await staged(draft(), { bringIntoForce: throwError(() => new Error('The draft has changed since.')) });
    await stage.type('Note: reason for the change', 'x');
    await stage.click('Bring into force');
    expect([stage.said, stage.field('Note: reason for the change').value, stage.button('Bring into force').disabled]).toEqual([
      ['Error: The draft has changed since.'],
      'x',
      false,
    ]);
  });

  it('a fault keeps a draft from coming into force, a doubt does not', async () => {
    const doubtful = await staged(draft({ problems: [problem('warning', 'No form asks for Material.')] }));
    await doubtful.type('Note: reason for the change', 'x');
    expect([doubtful.button('Bring into force').disabled, doubtful.text('[aria-labelledby="problems"] li')]).toEqual([
      false,
      'warning: No form asks for Material.',
    ]);
  });
  it('a draft with a fault says how many there are', async () => {
    const faulty = await staged(draft({ problems: [problem('error', 'Two properties are called Material.')] }));
    await faulty.type('Note: reason for the change', 'x');
    expect([faulty.button('Bring into force').disabled, faulty.text('.head .bad')]).toEqual([true, '1 fault keeps it from coming into force.']);
  });

  it('an earlier edition is compared with the one in force, or becomes the draft', async () => {
    const stage = await staged(draft(), { compareEditions: [] });
    await stage.click('compare');
    expect(stage.last('compareEditions')).toEqual([1, 2]);
    expect(stage.text('[aria-labelledby="all"]')).toContain('From edition 1 to edition 2');
    expect(stage.text('[aria-labelledby="all"]')).toContain('No differences.');
    await stage.click('make it the draft');
    expect([stage.last('goBackTo'), stage.said]).toEqual([[1], ['The draft now says what edition 1 says.']]);
  });
  it('a draft is given up', async () => {
    const stage = await staged();
    await stage.click('Discard draft');
    expect(stage.text('[role=alertdialog]')).toMatch(/^Discard the draft\?It holds \d+ changes? to \d+ definitions?/);
    expect(stage.calls.filter((call) => call.name === 'discardDraft').length).toBe(0);
    await stage.click('Keep the draft');
    expect(stage.page.querySelector('[role=alertdialog]')).toBeNull();
    await stage.click('Discard draft');
    const sure = [...stage.page.querySelectorAll<HTMLButtonElement>('[role=alertdialog] button')].at(-1)!;
    sure.click();
    await stage.settled();
    expect(stage.calls.filter((call) => call.name === 'discardDraft').length).toBe(1);
  });
  it('an editor reads and decides nothing', async () => {
    const stage = await staged(draft(), {}, 'editor');
    expect(stage.page.querySelector('#force')).toBeNull();
    expect(() => stage.button('make it the draft')).toThrow();
    expect(stage.button('compare').disabled).toBe(false);
  });
});
