import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { EditorView } from '@codemirror/view';
import { Stage, draftView, property } from '../../test/stage';
import { Unsaved } from '../shared';
import { TestBed } from '@angular/core/testing';
import { SchemaChecks } from './checks';
import { SchemaStore } from './schema.store';

const check = (id: number, title: string) => ({ id, title, severity: 'error', kinds: ['part'], classes: [], condition: 'Mass > 0', message: 'too light' });
const mass = property(1, 'Mass', { type: 'number', unit: 'kg', kinds: ['part'] });

/** The checks with a draft that others may change. */
async function staged(role = 'administrator') {
  const server = {
    checks: [check(1, 'Weighs something')],
    strangers: { part: 'left alone', assembly: 'left alone', drawing: 'left alone', other: 'left alone' },
    revision: 1,
  };
  const draft = () => draftView([mass], { checks: server.checks, strangers: server.strangers }, { revision: server.revision });
  const stage = new Stage(
    {
      draft,
      choiceLists: [],
      numberSeries: [],
      editions: [],
      trySummary: { summary: null },
      classes: [],
      saveChecks: ({ checks }: { checks: readonly { id: number | null }[] }) => {
        server.checks = checks.map((entry, n) => ({ ...entry, id: entry.id ?? 10 + n })) as never;
        server.revision++;
        return draft();
      },
      saveStrangers: (strangers: never) => {
        server.strangers = strangers;
        server.revision++;
        return draft();
      },
    },
    { role, properties: [mass], providers: [SchemaStore] },
  );
  await stage.show(SchemaChecks);
  const store = stage.fixture.componentRef.injector.get(SchemaStore);
  store.load();
  await stage.settled();
  return { stage, server, store };
}
const sections = (stage: Stage) => [...stage.page.querySelectorAll('section.card[aria-label]')].map((section) => section.getAttribute('aria-label'));

beforeEach(() => {
  // jsdom has no layout; the expression editor measures letters.
  Range.prototype.getClientRects = jest.fn(() => [] as unknown as DOMRectList);
});

describe('checks across properties', () => {
  it('one is added, written and saved; then nothing is unsaved any more', async () => {
    const { stage, server } = await staged();
    await stage.click('Add a check');
    const title = [...stage.page.querySelectorAll<HTMLInputElement>('section.card input[type=text], section.card input:not([type])')].find(
      (input) => input.value === '',
    )!;
    title.value = 'Not too heavy';
    title.dispatchEvent(new Event('input'));
    await stage.settled();
    const view = EditorView.findFromDOM([...stage.page.querySelectorAll<HTMLElement>('.cm-editor')].at(-1)!)!;
    view.dispatch({ changes: { from: 0, insert: 'Mass < 100' }, userEvent: 'input.type' });
    await stage.settled();
    expect(TestBed.inject(Unsaved).what()).toEqual(['the checks across properties']);
    await stage.click('Save in the draft');
    expect(server.checks.map(({ id, title: said, condition }) => [id, said, condition])).toEqual([
      [1, 'Weighs something', 'Mass > 0'],
      [11, 'Not too heavy', 'Mass < 100'],
    ]);
    expect([stage.button('Save in the draft').disabled, stage.said, TestBed.inject(Unsaved).what()]).toEqual([
      true,
      ['The checks are saved in the draft.'],
      [],
    ]);
  });

  it('what is typed stays when the draft changes meanwhile, by somebody else or by another choice on the same page', async () => {
    const { stage, server, store } = await staged();
    await stage.click('Add a check');
    server.checks = [...server.checks, check(2, 'By somebody else')];
    server.revision++;
    store.look();
    await stage.settled();
    expect(sections(stage)).toContain('New check');
    store.saveStrangers(server.strangers as never);
    await stage.settled();
    expect([sections(stage).includes('New check'), stage.button('Save in the draft').disabled]).toEqual([true, false]);
  });

  it('follows the draft as long as nothing is typed', async () => {
    const { stage, server, store } = await staged();
    server.checks = [...server.checks, check(2, 'By somebody else')];
    server.revision++;
    store.look();
    await stage.settled();
    expect(sections(stage)).toEqual(expect.arrayContaining(['Weighs something', 'By somebody else']));
    await stage.click('Remove By somebody else');
    expect(stage.button('Save in the draft').disabled).toBe(false);
  });

  it('is read by those who do not administer', async () => {
    const { stage } = await staged('editor');
    expect(() => stage.button('Add a check')).toThrow();
    expect(stage.button('Remove Weighs something').disabled).toBe(true);
  });
});
