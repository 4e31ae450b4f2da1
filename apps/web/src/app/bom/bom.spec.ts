import { describe, expect, it } from '@jest/globals';
import { BomTable } from '@rule/contract';
import { Subject, throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { BomStation } from './bom';

const properties = [
  property(1, 'Description', { caption: 'Description', required: true, kinds: ['part', 'assembly'] }),
  property(2, 'Mass', { caption: 'Mass', type: 'number', unit: 'kg', decimals: 1, kinds: ['part'] }),
];
const text = (value: string) => ({ text: value, form: 'text' as const });
const table: BomTable = {
  assembly: { id: 9, name: 'drum-assembly.step', path: 'DR-15/drum-assembly.step' },
  rows: [
    {
      item: 1,
      quantity: 2,
      label: 'Drum bearing',
      products: ['p1'],
      match: { state: 'matched', file: 4, by: 'product id' },
      path: 'parts/drum-bearing.step',
      held: { 1: text('Bearing'), 2: { text: '0.4', form: 'measure', unit: 'kg' } },
      contradictions: { 1: text('Ball bearing') },
    },
    {
      item: 2,
      quantity: 1,
      label: 'Drum',
      products: ['p2'],
      match: { state: 'matched', file: 5, by: 'base name' },
      path: 'parts/drum.step',
      held: {},
      contradictions: {},
    },
    { item: 3, quantity: 4, label: 'Bolt', products: ['p3'], match: { state: 'ambiguous', candidates: [6, 7] }, path: null, held: {}, contradictions: {} },
    { item: 4, quantity: 1, label: 'Ghost', products: ['p4'], match: { state: 'unmatched' }, path: null, held: {}, contradictions: {} },
  ],
  paths: { 4: 'parts/drum-bearing.step', 6: 'y/bolt.step', 7: 'z/bolt.step' },
} as unknown as BomTable;
const files = [
  { id: 3, path: 'a.step', kind: 'part' },
  { id: 7, path: 'z/bolt.step', kind: 'part' },
  { id: 8, path: 'plan.dxf', kind: 'drawing' },
];

const staged = async (inputs: Record<string, unknown> = {}, more: object = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      assemblies: [{ id: 9, path: 'DR-15/drum-assembly.step', unmatched: 2 }],
      layouts: [{ id: 1, name: 'Shop', columns: [1, 2] }],
      files: { rows: files },
      bom: table,
      way: [],
      ...more,
    },
    { role, properties },
  );
  await stage.show(BomStation, inputs);
  return stage;
};
const rows = (stage: Stage) =>
  [...stage.page.querySelectorAll('.rows tbody tr')].map((row) => [...row.querySelectorAll('td')].map((cell) => cell.textContent.replace(/\s+/g, ' ').trim()));

describe('the BOM of an assembly', () => {
  it('counts rows, pieces and required values that are missing', async () => {
    const stage = await staged();
    expect(stage.text('.head p')).toBe('Single-level: 4 rows, 8 pieces. 1 required value is missing.');
    expect(rows(stage)).toEqual([
      ['1', '2', 'drum-bearing.step', 'Bearingcopy: Ball bearing', '0.4'],
      ['2', '1', 'drum.step', 'missing', 'blank'],
      ['3', '4', 'Bolt 2 files could be it', '?', '?'],
      ['4', '1', 'Ghost no part file', '?', '?'],
    ]);
  });

  it('a row says where its values come from and what the assembly says otherwise', async () => {
    const stage = await staged({ item: '1' });
    const inspector = stage.text('[bench="inspector"]');
    expect(inspector).toContain('Item 1: Drum bearingPlaced 2 times.');
    expect(inspector).toContain('found by product id.');
    expect(inspector).toContain("Description: the part file says Bearing, the assembly's own copy says Ball bearing. The part file leads.");
  });

  it('what could be several files is not guessed; the likely ones come first, drawings are none', async () => {
    const stage = await staged({ item: '3' }, { settlePart: {} });
    expect(stage.text('[bench="inspector"]')).toContain('More than one file could be the part file. Rule does not guess.');
    const station = stage.fixture.componentInstance as {
      candidates: () => { id: number }[];
      partFiles: { look(text: string): void };
      settle: (row: unknown, part: number) => void;
    };
    expect(station.candidates().map((file) => file.id)).toEqual([6, 7]);
    // Others are looked for by the server while somebody types.
    station.partFiles.look(' bolt ');
    await stage.rested();
    expect(stage.last('files')).toEqual([{ search: 'bolt', limit: 200 }]);
    expect(station.candidates().map((file) => file.id)).toEqual([6, 7, 3]);
    station.settle(table.rows[2], 6);
    await stage.settled();
    expect(stage.last('settlePart')).toEqual([9, 'p3', 6]);
    expect(stage.actions.some((action) => action.type === '[Catalogue] Recount')).toBe(true);
  });

  it('columns are kept as they are chosen, and an answer that was overtaken changes nothing', async () => {
    const answers: Subject<object>[] = [];
    const stage = await staged(
      {},
      {
        saveLayout: () => {
          const answer = new Subject<object>();
          answers.push(answer);
          return answer;
        },
      },
    );
    const station = stage.fixture.componentInstance as { setColumns(columns: number[]): void; columnIds: () => number[] };
    station.setColumns([1]);
    station.setColumns([]);
    expect(stage.calls.filter((call) => call.name === 'saveLayout').map((call) => call.args[1])).toEqual([
      { name: 'Shop', columns: [1] },
      { name: 'Shop', columns: [] },
    ]);
    answers[0]!.next({ id: 1, name: 'Shop', columns: [1] });
    await stage.settled();
    expect(station.columnIds()).toEqual([]);
    answers[1]!.next({ id: 1, name: 'Shop', columns: [] });
    await stage.settled();
    expect(station.columnIds()).toEqual([]);
  });

  it('a new layout gets a name that is free', async () => {
    const stage = await staged({}, { layouts: [{ id: 1, name: 'Layout 1', columns: [2] }], saveLayout: { id: 5 } });
    await stage.click(/^Add a layout/);
    expect(stage.last('saveLayout')).toEqual([null, { name: 'Layout 2', columns: [2] }]);
  });

  it('says when there is no assembly, and what went wrong', async () => {
    expect((await staged({}, { assemblies: [] })).text('.note')).toContain('No assembly is in the library.');
  });
  it('says what went wrong', async () => {
    expect((await staged({}, { bom: throwError(() => new Error('drum-assembly.step cannot be read.')) })).text('[role=alert]')).toBe(
      'drum-assembly.step cannot be read.',
    );
  });
});
