import { HttpErrorResponse } from '@angular/common/http';
import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { NamingPlan, NamingRow } from '@rule/contract';
import { NamingRule } from '@rule/core/naming';
import { EditorView } from '@codemirror/view';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { FileNames } from './file-names';
import { SchemaStore } from './schema.store';

const rule: NamingRule = { kinds: ['part'], classes: [], rule: 'Part number', mode: 'rename', folder: '' };
const row = (file: number, change: Partial<NamingRow> = {}): NamingRow => ({
  file,
  path: `parts/P-${file}.step`,
  wanted: `DR15-${file}.step`,
  mode: 'rename',
  problem: null,
  links: [],
  ...change,
});
const planOf = (...rows: NamingRow[]): NamingPlan => ({ total: rows.length, rows });

async function staged(plan: NamingPlan, { rules = [rule] as readonly NamingRule[], role = 'administrator', more = {} } = {}) {
  const properties = [property(1, 'Part number', { type: 'text', kinds: ['part'] }), property(2, 'Revision', { type: 'text', kinds: ['part'] })];
  const stage = new Stage(
    {
      naming: { rules },
      namingPlan: () => plan,
      saveNaming: (body: { rules: readonly NamingRule[] }) => body,
      namesToTray: (files: readonly number[]) => ({ lines: files.length, barred: 0 }),
      copyUnderNewNames: ({ files }: { files: readonly number[] }) => ({ copied: files.map((file) => ({ from: `${file}`, to: `${file}` })), lines: 1 }),
      draft: { number: 1, revision: 1, inForce: 1, schema: { properties }, changes: [], problems: [], edits: [] },
      choiceLists: [],
      numberSeries: [],
      editions: [],
      trySummary: { summary: null },
      classes: [{ name: 'sheet metal' }],
      ...more,
    },
    { role, properties, providers: [SchemaStore] },
  );
  await stage.show(FileNames);
  stage.fixture.componentRef.injector.get(SchemaStore).load();
  await stage.settled();
  return stage;
}
/** Types an expression. */
const write = async (stage: Stage, at: number, text: string) => {
  const view = EditorView.findFromDOM(stage.page.querySelectorAll<HTMLElement>('.cm-editor')[at]!)!;
  view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text }, userEvent: 'input.type' });
  await stage.settled();
};

beforeEach(() => {
  // jsdom has no layout; the expression editor measures letters.
  Range.prototype.getClientRects = jest.fn(() => [] as unknown as DOMRectList);
});

describe('file names', () => {
  it('a rule is put together and saved, and what it would change is asked for anew', async () => {
    const stage = await staged(planOf(), { rules: [] });
    expect(stage.text()).toContain('No naming rules.');
    await stage.click('Add a rule');
    await write(stage, 0, 'Part number + "_" + Revision');
    await stage.select('Class', 'sheet metal');
    await stage.select('When a file name no longer matches', 'stays; a copy gets the new name');
    await stage.type('Folder for copies', ' issued ');
    const asked = stage.calls.filter((call) => call.name === 'namingPlan').length;
    await stage.click('Save the rules');
    expect(stage.last('saveNaming')).toEqual([
      { rules: [{ kinds: ['part'], classes: ['sheet metal'], rule: 'Part number + "_" + Revision', mode: 'copy', folder: 'issued' }] },
    ]);
    expect([stage.calls.filter((call) => call.name === 'namingPlan').length, stage.button('Save the rules').disabled]).toEqual([asked + 1, true]);
  });

  it('says what is wrong with an expression while it is typed, and what the server refuses', async () => {
    const stage = await staged(planOf(), {
      more: { saveNaming: () => throwError(() => new HttpErrorResponse({ status: 422, error: { code: 'bad-rule', detail: 'There is no Part nmber.' } })) },
    });
    await write(stage, 0, 'Part nmber');
    expect(stage.page.querySelector('rule-rule-field [role=alert]')!.textContent).toMatch(/Part nmber/);
    await stage.click('Save the rules');
    expect([stage.text('.note.bad'), stage.button('Save the rules').disabled]).toEqual(['There is no Part nmber.', false]);
  });

  it('a rule is for one kind at least', async () => {
    const stage = await staged(planOf());
    const kinds = () => [...stage.page.querySelectorAll<HTMLInputElement>('.tick input')];
    kinds()[1]!.dispatchEvent(new Event('change'));
    await stage.settled();
    kinds()[0]!.dispatchEvent(new Event('change'));
    await stage.settled();
    kinds()[1]!.dispatchEvent(new Event('change'));
    await stage.settled();
    await stage.click('Save the rules');
    const [{ rules }] = stage.last('saveNaming') as [{ rules: NamingRule[] }];
    expect(rules[0]!.kinds).toHaveLength(1);
    await stage.click('Remove rule 1');
    await stage.click('Save the rules');
    expect(stage.last('saveNaming')).toEqual([{ rules: [] }]);
  });

  it('shows which files get another name, what names them, and what stands against it', async () => {
    const stage = await staged(
      planOf(
        row(101, { links: [{ file: 9, path: 'drawings/face.dxf', how: 'shows it, by file name' }] }),
        row(102, { wanted: null, problem: 'the rule gives no name' }),
      ),
    );
    const rows = [...stage.page.querySelectorAll('rule-table tbody tr')].map((each) => (each.textContent ?? '').replace(/\s+/g, ' ').trim());
    expect(stage.text('h2')).toBe('2 files have another name than the rules give');
    expect(rows).toEqual([
      expect.stringMatching(/P-101.*DR15-101\.step rename.*face\.dxf.* shows it, by file name/),
      expect.stringContaining('the rule gives no name'),
    ]);
    await stage.click('Put 1 new name in the tray');
    expect([stage.last('namesToTray'), stage.said, stage.action('[Tray] Load')?.type]).toEqual([[[101]], ['1 line added to your tray.'], '[Tray] Load']);
  });

  it('copies go in pieces, and one that is refused does not hide those before it', async () => {
    let left = 2;
    const rows = Array.from({ length: 1201 }, (_, n) => row(n + 1, { mode: 'copy' }));
    const stage = await staged(planOf(...rows), {
      more: {
        copyUnderNewNames: ({ files }: { files: readonly number[] }) =>
          left-- > 0
            ? { copied: files.map((file) => ({ from: `${file}`, to: `${file}` })), lines: 0 }
            : throwError(() => new HttpErrorResponse({ status: 409, error: { code: 'not-copied', detail: 'The disk is full; no copy was made.' } })),
      },
    });
    await stage.tick('in place of the originals in drawings and assemblies', false);
    const asked = stage.calls.filter((call) => call.name === 'namingPlan').length;
    await stage.click('Make 1201 copies');
    const pieces = stage.calls.filter((call) => call.name === 'copyUnderNewNames').map((call) => call.args[0] as { files: number[]; replace: boolean });
    expect(pieces.map(({ files, replace }) => [files.length, files[0], replace])).toEqual([
      [500, 1, false],
      [500, 501, false],
      [201, 1001, false],
    ]);
    expect(stage.said).toHaveLength(1);
    expect([stage.calls.filter((call) => call.name === 'namingPlan').length, stage.action('[Tray] Load')?.type]).toEqual([asked + 1, '[Tray] Load']);
  });
  it('all of them are told together', async () => {
    const stage = await staged(planOf(...Array.from({ length: 600 }, (_, n) => row(n + 1, { mode: 'copy' }))));
    await stage.click('Make 600 copies');
    expect(stage.said).toEqual(['600 copies made. 2 drawings added to your tray to show them.']);
  });

  it('of very many, it says how many are taken at a time', async () => {
    const stage = await staged({ total: 9000, rows: Array.from({ length: 2000 }, (_, n) => row(n + 1)) });
    expect([stage.page.querySelectorAll('rule-table tbody tr').length, stage.text()]).toEqual([
      200,
      expect.stringMatching(/200 of 2000 rows\. Show 200 more.*2000 are taken at a time; all are counted\./),
    ]);
  });

  it('an editor puts names in the tray and leaves the rules alone; a viewer only looks', async () => {
    const editor = await staged(planOf(row(1)), { role: 'editor' });
    expect([() => editor.button('Save the rules')].map((look) => expect(look).toThrow())).toHaveLength(1);
    expect(editor.button('Put 1 new name in the tray').disabled).toBe(false);
  });
  it('a viewer only looks', async () => {
    const viewer = await staged(planOf(row(1)), { role: 'viewer' });
    expect(() => viewer.button('Put 1 new name in the tray')).toThrow();
    expect(viewer.text('h2')).toBe('1 file has another name than the rules give');
  });
});
