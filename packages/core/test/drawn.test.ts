import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { DrawnList, Slot, WantedRow, alongEdge, compareDrawn, compareMarks, extentOf, orderSlots, placesFor } from '../src/bom';
import { FileChange, FileReading, PLACED, applyEdits, formatById, placedOf, placedText } from '../src/files';
import { heldText } from '../src/values';

const list: DrawnList = {
  block: 'ROW',
  cells: [
    { tag: 'POS', of: { fact: 'item' } },
    { tag: 'QTY', of: { fact: 'quantity' } },
    { tag: 'NO', of: { property: 1 } },
    { tag: 'NAME', of: { property: 2 } },
  ],
  growth: 'up',
  rowsPerColumn: null,
  side: 'left',
  marks: { block: 'MARK', tag: 'POS' },
};
const slot = (holder: string, x: number, y: number, ...texts: string[]): Slot => ({
  holder,
  at: { x, y },
  scale: 1,
  texts: Object.fromEntries(list.cells.map(({ tag }, i) => [tag, texts[i] ?? ''])),
});
const row = (id: string, ...texts: string[]): WantedRow => ({
  id,
  item: texts[0] ?? '',
  label: texts[3] ?? '',
  texts: Object.fromEntries(list.cells.map(({ tag }, i) => [tag, texts[i] ?? ''])),
});

describe('a list on a sheet', () => {
  it('is read in the way that it grows, whatever the layout says', () => {
    const slots = [slot('c', 0, 0, '3'), slot('a', 0, 14, '1'), slot('b', 0, 7, '2'), slot('d', -180, 14, '4'), slot('e', -180, 7, '5')];
    const order = orderSlots(slots, list, 180, 'POS');
    expect([order.growth, order.columns.map((column) => column.map((each) => each.holder))]).toEqual([
      'down',
      [
        ['a', 'b', 'c'],
        ['d', 'e'],
      ],
    ]);
    expect(orderSlots(slots.slice(0, 1), list, 180, 'POS').growth).toBe('up');
  });

  it('is compared row by row: by what rows say, not by where they are', () => {
    const slots = [slot('a', 0, 0, '1', '1', 'A-1', 'Drum'), slot('b', 0, 7, '3', '3', 'A-3', 'Arm'), slot('c', 0, 14, '5', '2', 'A-9', 'Seal')];
    const wanted = [row('drum', '1', '1', 'A-1', 'Drum'), row('shaft', '2', '1', 'A-2', 'Shaft'), row('arm', '3', '4', 'A-3', 'Arm')];
    const { differences, texts } = compareDrawn(slots, wanted, list);
    expect(differences.map(({ kind, holder, item, cells }) => [kind, holder, item, cells.map(({ tag, now, should }) => `${tag} ${now} → ${should}`)])).toEqual([
      ['same', 'a', '1', []],
      ['added', null, '2', ['POS  → 2', 'QTY  → 1', 'NO  → A-2', 'NAME  → Shaft']],
      ['changed', 'b', '3', ['QTY 3 → 4']],
      ['removed', 'c', '5', []],
    ]);
    expect(texts.map((own) => own['NO'])).toEqual(['A-1', 'A-2', 'A-3']);
  });

  it('keeps a text whose row has nothing to show, and takes it along when the row moves', () => {
    const slots = [slot('a', 0, 0, '1', '1', 'A-1', 'Drum'), slot('b', 0, 7, '2', '1', 'A-2', 'typed by hand')];
    const wanted = [row('new', '1', '1', 'A-0', 'Base'), row('drum', '2', '1', 'A-1', 'Drum'), row('other', '3', '1', 'A-2', '')];
    const plan = compareDrawn(slots, wanted, list);
    expect([plan.erased, plan.texts[2]!['NAME'], plan.differences[2]!.cells.at(-1)]).toEqual([
      1,
      'typed by hand',
      { tag: 'NAME', now: 'typed by hand', should: '', keeps: true },
    ]);
    expect(compareDrawn(slots, wanted, list, true).texts[2]!['NAME']).toBe('');
  });

  it('holds every row once after it was put in order, however long it was before', () => {
    const rows = fc.uniqueArray(fc.record({ no: fc.string({ minLength: 1, maxLength: 4 }), qty: fc.integer({ min: 1, max: 9 }) }), {
      selector: (each) => each.no,
      maxLength: 12,
    });
    fc.assert(
      fc.property(rows, rows, fc.option(fc.integer({ min: 1, max: 4 }), { nil: null }), (before, after, rowsPerColumn) => {
        const slots = before.map(({ no, qty }, i) => slot(`s${i}`, 0, 7 * i, String(i + 1), String(qty), no, no));
        const wanted = after.map(({ no, qty }, i) => row(no, String(i + 1), String(qty), no, no));
        const order = orderSlots(slots, list, 180, 'POS');
        const { texts, differences } = compareDrawn(order.columns.flat(), wanted, list);
        expect(texts).toEqual(wanted.map((each) => each.texts));
        const kept = differences.filter(({ kind }) => kind === 'same' || kind === 'changed').length;
        expect(kept + differences.filter(({ kind }) => kind === 'added').length).toBe(wanted.length);
        expect(kept + differences.filter(({ kind }) => kind === 'removed').length).toBe(slots.length);
        // All places differ.
        const places = placesFor(wanted.length, order, { ...list, rowsPerColumn }, { width: 180, height: 7 }, { x: 0, y: 0 });
        expect(new Set(places.map(({ x, y }) => `${x} ${y}`)).size).toBe(wanted.length);
      }),
    );
  });

  it('takes no row for another because their quantities are equal, and a thousand rows no time to speak of', () => {
    const slots = [slot('a', 0, 0, '9', '4', 'X-1', 'Gone')];
    expect(compareDrawn(slots, [row('new', '1', '4', 'A-1', 'New')], list).differences.map(({ kind }) => kind)).toEqual(['added', 'removed']);
    const many = Array.from({ length: 1000 }, (_, n) => [String(n + 1), '1', `P-${n}`, `Part ${n}`] as const);
    const drawn = many.map((texts, n) => slot(`s${n}`, 0, 7 * n, ...texts));
    const began = performance.now();
    const { differences } = compareDrawn(
      drawn,
      [...many].reverse().map((texts) => row(texts[2], ...texts)),
      list,
    );
    expect(differences.every(({ kind }) => kind === 'same')).toBe(true);
    // A million pairs take a fraction of this; pairing equal quantities would take far longer.
    expect(performance.now() - began).toBeLessThan(5000);
  });

  it('goes on where it ends, and starts a new column when one is full', () => {
    const none = { columns: [], growth: 'up' as const };
    const size = { width: 180, height: 7 };
    expect(placesFor(5, none, { ...list, rowsPerColumn: 2 }, size, { x: 100, y: 58 })).toEqual([
      { x: 100, y: 58 },
      { x: 100, y: 65 },
      { x: -80, y: 58 },
      { x: -80, y: 65 },
      { x: -260, y: 58 },
    ]);
    const drawn = { columns: [[slot('a', 10, 50), slot('b', 10, 42)]], growth: 'down' as const };
    expect(placesFor(3, drawn, { ...list, side: 'right' }, size, { x: 0, y: 0 }).at(-1)).toEqual({ x: 10, y: 34 });
  });
});

describe('item marks', () => {
  const rows = [row('drum', '1'), row('shaft', '2'), row('arm', '3')];
  const mark = (holder: string, number: string) => ({ holder, layout: 'Sheet 1', number, at: { x: 0, y: 0 } });

  it('are of a row by their number, or by the row that they are known to point at', () => {
    const known = new Map([['b', 'shaft']]);
    const { marks, without } = compareMarks([mark('a', '1'), mark('b', '7'), mark('c', '9')], rows, known);
    expect([marks.map(({ state, row: id, should }) => [state, id, should]), without]).toEqual([
      [
        ['right', 'drum', '1'],
        ['wrong number', 'shaft', '2'],
        ['no row', null, null],
      ],
      ['arm'],
    ]);
  });

  it('are placed outside the view, evenly along its edge', () => {
    const view = { left: 10, bottom: 20, width: 100, height: 60 };
    expect(alongEdge(2, view, 'top', 14)).toEqual([
      { x: 35, y: 94 },
      { x: 85, y: 94 },
    ]);
    expect(alongEdge(3, view, 'left', 14).map(({ x, y }) => [x, y])).toEqual([
      [-4, 70],
      [-4, 50],
      [-4, 30],
    ]);
  });
});

describe('blocks that are placed on a sheet', () => {
  const format = formatById('dxf');
  const bytes = new Uint8Array(readFileSync(join(import.meta.dirname, '../../demo/library/DR-15/drawings/DR15-200 drum unit.dxf')));
  const reading = format.read(bytes);
  const rowsOf = (from: FileReading) =>
    from.holders
      .filter((holder) => holder.label === 'MRW-PART-ROW')
      .map((holder) => [holder.key, Object.fromEntries(holder.values.map((value) => [value.name, value.held.text]))] as const);
  const next = BigInt(`0x${reading.nextHandle!}`);
  const added = `insert:${next.toString(16).toUpperCase()}`;
  const placed = { block: 'MRW-PART-ROW', at: { x: 404, y: 86 }, scale: 1, layout: 'Sheet 1' };
  const add: FileChange[] = [
    { holder: added, place: 'placed', name: PLACED, value: heldText(placedText(placed)) },
    { holder: added, place: 'cell', name: 'POS', value: heldText('6') },
    { holder: added, place: 'cell', name: 'DESCR', value: heldText('Größe 5 ✓') },
  ];

  /** ezdxf's audit findings and the rows it sees. */
  function seen(file: Uint8Array): { errors: number; rows: { handle: string; at: number[]; layout: string; texts: Record<string, string> }[] } {
    const folder = mkdtempSync(join(tmpdir(), 'rule-drawn-'));
    try {
      writeFileSync(join(folder, 'sheet.dxf'), file);
      const code = `
import ezdxf, json, sys
doc = ezdxf.readfile(sys.argv[1])
rows = [{'handle': i.dxf.handle, 'at': [i.dxf.insert.x, i.dxf.insert.y], 'layout': l.name, 'texts': {a.dxf.tag: a.dxf.text for a in i.attribs}}
        for l in doc.layouts for i in l.query('INSERT[name=="MRW-PART-ROW"]')]
print(json.dumps({'errors': len(doc.audit().errors), 'rows': rows}))`;
      return JSON.parse(execFileSync('/usr/bin/python3', ['-c', code, join(folder, 'sheet.dxf')], { encoding: 'utf8' })) as ReturnType<typeof seen>;
    } finally {
      rmSync(folder, { recursive: true });
    }
  }

  it('say what they are and where', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), fc.double({ min: -1e4, max: 1e4, noNaN: true }), fc.constantFrom(1, 25.4, 0.5), (block, x, scale) => {
        const text = placedText({ block, at: { x, y: 2 }, scale, layout: 'Sheet 1' });
        const back = placedOf(text)!;
        expect([back.block, back.scale, back.layout]).toEqual([block, scale, 'Sheet 1']);
        expect(back.at.x).toBeCloseTo(x, 6);
      }),
    );
    expect(placedOf('anything')).toBeNull();
    const first = reading.holders.find((holder) => holder.label === 'MRW-PART-ROW')!;
    expect(placedOf(first.values.find((value) => value.place === 'placed')!.held.text)).toEqual({ ...placed, at: { x: 404, y: 58 } });
    expect(extentOf(reading.blocks.find((block) => block.name === 'MRW-PART-ROW')!)).toEqual({ left: 0, bottom: 0, width: 180, height: 7 });
  });

  it('are added with their texts, are clean to ezdxf, and go away without a trace', () => {
    const edits = format.modify(bytes, add);
    const after = applyEdits(bytes, edits);
    const now = format.read(after);
    expect(rowsOf(now).at(-1)).toEqual([added, { POS: '6', QTY: '', PARTNO: '', DESCR: 'Größe 5 ✓', MATL: '', [PLACED]: placedText(placed) }]);
    const { errors, rows } = seen(after);
    expect([errors, rows.length, rows.at(-1)]).toEqual([
      0,
      rowsOf(reading).length + 1,
      { handle: added.slice(7), at: [404, 86], layout: 'Sheet 1', texts: { POS: '6', QTY: '', PARTNO: '', DESCR: 'Größe 5 ✓', MATL: '' } },
    ]);
    // Everything present before remains.
    expect(now.holders.filter((holder) => holder.key !== added)).toEqual(reading.holders);
    const gone = applyEdits(after, format.modify(after, [{ holder: added, place: 'placed', name: PLACED, value: null }]));
    expect(format.read(gone).holders).toEqual(reading.holders);
    expect(seen(gone).errors).toBe(0);
  });

  it('are taken away with the texts in them', () => {
    const [[holder]] = rowsOf(reading) as [readonly [string, unknown]];
    const after = applyEdits(
      bytes,
      format.modify(bytes, [
        { holder, place: 'cell', name: 'POS', value: null },
        { holder, place: 'placed', name: PLACED, value: null },
      ]),
    );
    expect(format.read(after).holders).toEqual(reading.holders.filter((each) => each.key !== holder));
    expect([seen(after).errors, seen(after).rows.length]).toEqual([0, rowsOf(reading).length - 1]);
  });

  it('are refused where the file cannot hold them', () => {
    const [[holder]] = rowsOf(reading) as [readonly [string, unknown]];
    const refused = (change: Partial<FileChange>) => () => format.modify(bytes, [{ ...add[0]!, ...change }]);
    const text = (more: object) => ({ value: heldText(placedText({ ...placed, ...more })) });
    expect(refused({ holder })).toThrow('already placed');
    expect(refused({ holder: 'insert:1F' })).toThrow('has the handle 1F');
    expect(refused({ holder: 'texts:x' })).toThrow('is not a handle');
    expect(refused(text({ block: 'NOTHING' }))).toThrow('does not define the block NOTHING');
    expect(refused(text({ layout: 'Sheet 9' }))).toThrow('The sheet Sheet 9 has no block');
    expect(refused({ value: heldText('somewhere') })).toThrow('does not say which block');
    expect(() => format.modify(bytes, [add[0]!, { holder: added, place: 'cell', name: 'NOPE', value: heldText('x') }])).toThrow('defines no cell NOPE');
  });
});

/** A sheet by ezdxf with an item mark on a leader, a plain one, and a leader with text. */
const LEADERS = String.raw`
import sys, ezdxf
from ezdxf.math import Vec2
from ezdxf.render import mleader
doc = ezdxf.new('R2010', setup=True)
mark = doc.blocks.new('MARK')
mark.add_circle((0, 0), 5)
mark.add_attdef('WHO', (0, -9), 'x', dxfattribs={'height': 2})
mark.add_attdef('POS', (0, 0), '', dxfattribs={'height': 3})
sheet = doc.layout('Layout1')
sheet.add_blockref('MARK', (5, 5)).add_auto_attribs({'POS': '1', 'WHO': ''})
for i, number in enumerate(('2', '3')):
    ml = sheet.add_multileader_block('Standard')
    ml.set_content(name='MARK')
    ml.set_attribute('POS', number)
    ml.add_leader_line(mleader.ConnectionSide.left, [Vec2(-20, -20)])
    ml.build(insert=Vec2(30, 40 + 20 * i))
text = sheet.add_multileader_mtext('Standard')
text.set_content('LEADER{ 9 }')
text.add_leader_line(mleader.ConnectionSide.left, [Vec2(-20, -20)])
text.build(insert=Vec2(60, 60))
doc.saveas(sys.argv[1])
`;

describe('item marks at the end of leaders', () => {
  it('are read, given another number and taken away like those without, clean to ezdxf', () => {
    const format = formatById('dxf');
    const folder = mkdtempSync(join(tmpdir(), 'rule-leaders-'));
    try {
      const path = join(folder, 'leaders.dxf');
      execFileSync('/usr/bin/python3', ['-c', LEADERS, path]);
      const bytes = new Uint8Array(readFileSync(path));
      const marks = (from: Uint8Array) =>
        format
          .read(from)
          .holders.filter((holder) => holder.label === 'MARK')
          .map(
            ({ key, values }) =>
              [key, Object.fromEntries(values.filter((value) => value.place !== 'lettering').map((value) => [value.name, value.held.text]))] as const,
          );
      const found = marks(bytes);
      expect(found.map(([, values]) => values)).toEqual([
        { POS: '1', WHO: '', [PLACED]: 'MARK at 5 5 on Layout1' },
        { POS: '2', [PLACED]: 'MARK at 30 40 on Layout1' },
        { POS: '3', [PLACED]: 'MARK at 30 60 on Layout1' },
      ]);
      const [, [two], [three]] = found as [unknown, readonly [string, unknown], readonly [string, unknown]];
      const after = applyEdits(
        bytes,
        format.modify(bytes, [
          { holder: two, place: 'cell', name: 'POS', value: heldText('20') },
          { holder: three, place: 'placed', name: PLACED, value: null },
        ]),
      );
      expect(marks(after).map(([, values]) => values['POS'])).toEqual(['1', '20']);
      writeFileSync(path, after);
      const code = `
import ezdxf, json, sys
doc = ezdxf.readfile(sys.argv[1])
leaders = [l for l in doc.layout('Layout1').query('MULTILEADER')]
print(json.dumps([len(doc.audit().errors), sorted(a.text for l in leaders for a in l.block_attribs), len(leaders)]))`;
      expect(JSON.parse(execFileSync('/usr/bin/python3', ['-c', code, path], { encoding: 'utf8' }))).toEqual([0, ['20'], 2]);
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});
