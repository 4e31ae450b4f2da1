import { beforeAll, describe, expect, it, jest } from '@jest/globals';
import { ReplacementRequest, ReplacementPreview, GridRow, TrayLine } from '@rule/contract';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Action, Store } from '@ngrx/store';
import { Stage, giveRoom, property } from '../../test/stage';
import { TrayActions } from '../shared';
import { ValuesGrid } from './grid';
import { ValuesStation } from './values';

const properties = [
  property(1, 'Description', { caption: 'Description' }),
  property(2, 'Supplier', { caption: 'Supplier' }),
  property(3, 'Saved by', { caption: 'Saved by', feed: 'file', fileField: 'author' }),
];
const text = (value: string) => ({ text: value, form: 'text' as const });
const row = (id: number, held: GridRow['held'] = {}): GridRow => ({
  file: { id, library: 1, path: `parts/file-${id}.step`, folder: 'parts', name: `file-${id}.step`, kind: 'part', class: null, problem: null, lock: null },
  held,
  findings: [],
});
const rows = [row(1, { 2: text('Kessler') }), row(2)];
const found: ReplacementPreview = {
  values: [
    { file: 1, path: 'parts/file-1.step', property: 2, before: 'Kessler', after: 'Kolbe', problem: null },
    { file: 2, path: 'parts/file-2.step', property: 2, before: 'Kessler AG', after: 'Kolbe AG', problem: 'is not in the list' },
  ],
  more: false,
};

const staged = async (
  inputs: Record<string, unknown> = {},
  more: object = {},
  role = 'editor',
  defined = properties,
): Promise<{ stage: Stage; went: Record<string, unknown>[] }> => {
  const stage = new Stage(
    {
      filters: { folders: [{ folder: 'parts', files: 2 }], kinds: [{ kind: 'part', files: 2 }], levels: ['occurrence', 'sheet'] },
      gridViews: [],
      values: { total: 2, rows },
      findReplacements: found,
      pendingLines: [waiting(9, 1, 'Kramer')],
      way: [],
      why: { lines: [] },
      file: { holders: [] },
      ...more,
    },
    { role, properties: defined },
  );
  const went: Record<string, unknown>[] = [];
  jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((_, extras) => {
    went.push(extras?.queryParams ?? {});
    return Promise.resolve(true);
  });
  await stage.show(ValuesStation, inputs);
  await stage.rested();
  return { stage, went };
};
const proposals = (stage: Stage) => stage.actions.filter((action) => action.type === '[Tray] Propose') as (Action & { values: unknown; reason: string })[];
const waiting = (id: number, file: number, proposed: string): TrayLine =>
  ({
    id,
    file,
    holder: '',
    place: 'property',
    name: 'Supplier',
    proposed: text(proposed),
    current: null,
    accepted: true,
    verdict: 'apply',
    alsoPending: [],
  }) as unknown as TrayLine;

describe('the Values station', () => {
  beforeAll(giveRoom);

  it('has a row for each sheet where that is asked for, and writes to the sheet', async () => {
    const number = property(9, 'Sheet number', { caption: 'Sheet number', kinds: ['drawing'], level: 'sheet' });
    const title = property(10, 'Title', { caption: 'Title', kinds: ['drawing'] });
    const drawing: GridRow = {
      ...row(5, { 9: text('1/2'), 10: text('Drum') }),
      holder: { key: 'insert:1', level: 'sheet', label: 'Front', homes: { 9: 'NO' } },
    };
    const sheetRow: GridRow = { ...drawing, file: { ...drawing.file, kind: 'drawing', name: 'drum.dxf' } };
    const { stage, went } = await staged({ rows: 'sheet' }, { values: { total: 1, rows: [sheetRow] } }, 'editor', [number, title]);
    expect(stage.last('values')).toMatchObject([{ level: 'sheet' }]);
    expect(stage.text('.head p')).toMatch(/^1 sheet, 2 properties\./);
    expect(stage.text('[role=rowheader]')).toBe('drum.dxf · Front');
    expect([...stage.page.querySelectorAll('[role=gridcell]')].map((cell) => cell.textContent.trim())).toEqual(['1/2', 'Drum']);
    stage.find(ValuesGrid).choose(0, 1);
    const edit = stage.find(ValuesGrid) as unknown as { edit(text: string): void; commit(): boolean };
    edit.edit('2/2');
    edit.commit();
    expect(proposals(stage).at(-1)!.values).toEqual([{ file: 5, holder: 'insert:1', property: 9, text: '2/2' }]);
    await stage.select('Rows', 'occurrences');
    expect(went.at(-1)).toEqual({ rows: 'occurrence', sort: null, desc: null });
  });

  it('asks for what the address says: kind, folder, search, conditions, order and groups', async () => {
    const where = JSON.stringify([{ subject: 'value', name: 'Supplier', operator: 'contains', text: 'Kess' }]);
    const { stage } = await staged({ kind: 'part', folder: 'parts', search: 'drum', where, sort: '2', desc: '1' });
    expect(stage.last('values')).toEqual([
      {
        folder: 'parts',
        kind: 'part',
        search: 'drum',
        where: [{ subject: 'value', name: 'Supplier', operator: 'contains', text: 'Kess' }],
        sort: '2',
        descending: true,
        offset: 0,
        limit: 200,
      },
    ]);
    expect(stage.text('h1')).toBe('Parts in parts');
    expect([...stage.page.querySelectorAll('rule-limits .chip')].map((chip) => chip.textContent.trim())).toEqual([
      'folder: parts ×',
      'holds: drum ×',
      'Supplier contains Kess ×',
    ]);
  });
  it('an address that makes no sense asks for everything', async () => {
    const { stage } = await staged({ kind: 'spaceship', where: '{not json', class: 'x' });
    expect(stage.last('values')).toEqual([{ sort: 'file', descending: false, offset: 0, limit: 200 }]);
  });
  it('chips let go of what they say', async () => {
    const where = JSON.stringify([
      { subject: 'kind', operator: 'is', text: 'part' },
      { subject: 'value', name: 'Supplier', operator: 'is blank', text: '' },
    ]);
    const { stage, went } = await staged({ where });
    await stage.click('kind is part ×');
    expect(went).toEqual([{ where: JSON.stringify([{ subject: 'value', name: 'Supplier', operator: 'is blank', text: '' }]) }]);
  });

  it('undoes and redoes as many steps as the tray says there are', async () => {
    const { stage } = await staged();
    const store = TestBed.inject(Store);
    const counts = { lines: 1, accepted: 1, files: 1, undecided: 0 };
    store.dispatch(TrayActions.loaded({ lines: [waiting(9, 1, 'Kramer')], counts, steps: { undo: 1, redo: 0 } }));
    await stage.settled();
    expect(stage.button('Redo').disabled).toBe(true);
    await stage.click('Undo');
    expect(stage.action('[Tray] Undo')).toMatchObject({ again: false });
    store.dispatch(TrayActions.loaded({ lines: [], counts: { ...counts, lines: 0 }, steps: { undo: 0, redo: 1 } }));
    await stage.settled();
    expect(stage.button('Undo').disabled).toBe(true);
    await stage.click('Redo');
    expect(stage.action('[Tray] Undo')).toMatchObject({ again: true });
  });
  it('asks for the pending lines of the files in sight where the tray is too large to be in the page whole', async () => {
    const { stage } = await staged();
    TestBed.inject(Store).dispatch(TrayActions.loaded({ lines: [], counts: { lines: 80_000, accepted: 80_000, files: 9000, undecided: 0 } }));
    await stage.settled();
    expect(stage.last('pendingLines')).toEqual([[1, 2]]);
    expect(stage.text('.pending')).toContain('Kramer');
  });

  it('find and replace shows what it would do, leaves out what cannot be replaced, and forgets it when something else is looked for', async () => {
    const { stage } = await staged({ folder: 'parts' });
    await stage.click('Find and replace');
    expect(stage.button('Preview').disabled).toBe(true);
    await stage.type('Find', 'Kessler');
    await stage.type('Replace with', 'Kolbe');
    await stage.click('Preview');
    // Properties taken from files are not typed or searched.
    expect(stage.last('findReplacements')![0]).toEqual({
      filter: { folder: 'parts' },
      properties: [1, 2],
      find: 'Kessler',
      by: 'Kolbe',
      whole: false,
      matchCase: false,
    } satisfies ReplacementRequest);
    expect(stage.text('[aria-label="Find and replace"] [role=status]')).toContain('2 values found, 1 can be replaced.');
    expect(stage.text('[aria-label="Find and replace"] [role=rowgroup] [role=row]:nth-child(2)')).toContain('is not in the list');
    await stage.click('Replace 1 value');
    expect(proposals(stage).at(-1)).toMatchObject({ values: [{ file: 1, property: 2, text: 'Kolbe' }], reason: 'replaced "Kessler" by "Kolbe"' });
    await stage.click('Preview');
    await stage.type('Find', 'Kess');
    expect(stage.page.querySelector('[aria-label="Find and replace"] [role=status]')).toBeNull();
  });
  it('says when there is more than one answer lists', async () => {
    const { stage } = await staged({}, { findReplacements: { ...found, more: true } });
    await stage.click('Find and replace');
    await stage.type('Find', 'K');
    await stage.select('Where', 'in Supplier');
    await stage.click('Preview');
    expect((stage.last('findReplacements')![0] as ReplacementRequest).properties).toEqual([2]);
    expect(stage.text('[aria-label="Find and replace"] [role=status]')).toContain(
      'The first 2 values found, 1 can be replaced. Replace these, then search again.',
    );
  });

  it('a view is kept with its columns, order and filter, and used again', async () => {
    const kept = {
      id: 5,
      name: 'Buying',
      by: 'okafor',
      mine: true,
      shared: false,
      content: { columns: [2], frozen: 1, widths: {}, sort: '2', descending: true, group: 'folder', filter: { kind: 'part' } },
    };
    const { stage, went } = await staged({ kind: 'part', sort: '2' }, { saveGridView: [kept] });
    await stage.click('Columns');
    const ticks = [...stage.page.querySelectorAll<HTMLLabelElement>('.column label')];
    expect(ticks.map((label) => label.textContent.trim())).toEqual(['Description', 'Supplier', 'Saved by']);
    ticks[0]!.querySelector('input')!.dispatchEvent(new Event('change'));
    await stage.settled();
    await stage.type('Name for the view', ' Buying ');
    await stage.click('Keep this view');
    expect(stage.last('saveGridView')).toEqual([
      {
        name: 'Buying',
        shared: false,
        content: { columns: [2, 3], frozen: 0, widths: {}, sort: '2', descending: false, group: null, level: null, filter: { kind: 'part' } },
      },
    ]);
    await stage.select('View', 'Buying');
    expect(went.at(-1)).toEqual({ sort: '2', desc: '1', group: 'folder', rows: null, folder: null, kind: 'part', class: null, search: null, where: null });
    expect(stage.text('.head p')).toContain('1 properties.');
  });
  it('columns are moved by the keyboard', async () => {
    const { stage } = await staged();
    await stage.click('Columns');
    const columns = () => [...stage.page.querySelectorAll<HTMLElement>('.column')];
    columns()[0]!.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', altKey: true, bubbles: true }));
    await stage.settled();
    expect(columns().map((each) => each.getAttribute('aria-label'))).toEqual(['Supplier', 'Description', 'Saved by']);
  });

  it('a viewer looks, and has no tools to change anything', async () => {
    const { stage } = await staged({}, {}, 'viewer');
    expect(stage.text('.head p')).toContain('You can view values but not change them.');
    expect(() => stage.button('Find and replace')).toThrow();
  });
});
