import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  BomContent,
  BomLimit,
  BomRow,
  BomSources,
  ListedRow,
  RowFacts,
  Structures,
  columnAt,
  compareBoms,
  factColumn,
  groupRows,
  inBomOrder,
  itemTexts,
  makeRows,
  numberRows,
  packList,
  plainContent,
  propertiesOf,
  propertyColumn,
  renumber,
  restsOnValues,
  unpackList,
  whereUsed,
} from '../src/bom';
import { StructureReading } from '../src/files';
import { Match } from '../src/identity';

/** Assemblies by file id: quantities of placed files, or of copies without a file (by text). */
type Library = Readonly<Record<number, readonly (readonly [child: number | string, times: number])[]>>;

function sourcesOf(
  library: Library,
  matches: (child: number | string) => Match = (child) =>
    typeof child === 'number' ? { state: 'matched', file: child, by: 'product id' } : { state: 'unmatched' },
): BomSources {
  return {
    structure: (file) => {
      const placed = library[file];
      if (!placed) return null;
      const occurrences = placed.flatMap(([child, times]) =>
        Array.from({ length: times }, (_, i) => ({ key: `o${child}-${i}`, label: '', parent: 'top', child: `p${child}` })),
      );
      const products = [
        { key: 'top', id: `F${file}`, name: '', externalFile: null },
        ...placed.map(([child]) => ({ key: `p${child}`, id: typeof child === 'number' ? `F${child}` : child, name: '', externalFile: null })),
      ];
      return { products, occurrences, roots: ['top'] } satisfies StructureReading;
    },
    match: (_, product) => {
      const child = product.slice(1);
      return matches(/^\d+$/.test(child) ? Number(child) : child);
    },
  };
}
const top = (file: number) => ({ file, product: 'top' });
const NOTHING: RowFacts = { classOf: () => null, text: () => '', amount: () => null, bodies: () => [] };
const content = (more: Partial<BomContent> = {}): BomContent => ({ ...plainContent([]), ...more });
const rowsOf = (library: Library, more: Partial<BomContent> = {}, facts: Partial<RowFacts> = {}, file = 1) =>
  makeRows(new Structures(sourcesOf(library)), top(file), content(more), { ...NOTHING, ...facts });
const said = (rows: readonly BomRow[]) =>
  rows.map((row) => `${'  '.repeat(row.level - 1)}${row.label}: ${row.quantity}/${row.total}${row.loop ? ' loop' : ''}`);

// A frame of two sides with two legs and three bolts each; more bolts; a copy without part file, containing a pin.
const FRAME: Library = {
  1: [
    [2, 2],
    [9, 4],
    ['tag', 1],
  ],
  2: [
    [3, 2],
    [9, 3],
  ],
};

describe('rows of a bill of materials', () => {
  it('single-level, indented and summed, counted by hand', () => {
    expect(said(rowsOf(FRAME).rows)).toEqual(['F2: 2/2', 'F9: 4/4', 'tag: 1/1']);
    expect(said(rowsOf(FRAME, { structure: 'indented' }).rows)).toEqual(['F2: 2/2', '  F3: 2/4', '  F9: 3/6', 'F9: 4/4', 'tag: 1/1']);
    expect(said(rowsOf(FRAME, { structure: 'summed' }).rows)).toEqual(['F9: 10/10', 'tag: 1/1', 'F3: 4/4']);
    expect(said(rowsOf(FRAME, { structure: 'summed', assemblies: true }).rows)).toEqual(['F2: 2/2', 'F9: 10/10', 'tag: 1/1', 'F3: 4/4']);
  });

  it('the part file decides what is in a sub-assembly, not the copy in the assembly above', () => {
    const copy: StructureReading = {
      products: ['top', 'sub', 'pin'].map((key) => ({ key, id: key, name: '', externalFile: null })),
      occurrences: [
        { key: 'a', label: '', parent: 'top', child: 'sub' },
        { key: 'b', label: '', parent: 'sub', child: 'pin' },
        { key: 'c', label: '', parent: 'sub', child: 'pin' },
      ],
      roots: ['top'],
    };
    const own: StructureReading = { ...copy, occurrences: [{ key: 'x', label: '', parent: 'sub', child: 'pin' }], roots: ['sub'] };
    const list = (sub: Match, behind: StructureReading | null) =>
      said(
        makeRows(
          new Structures({ structure: (file) => (file === 1 ? copy : behind), match: (_, product) => (product === 'sub' ? sub : { state: 'unmatched' }) }),
          top(1),
          content({ structure: 'indented' }),
          NOTHING,
        ).rows,
      );
    expect(list({ state: 'unmatched' }, own)).toEqual(['sub: 1/1', '  pin: 2/2']);
    expect(list({ state: 'matched', file: 2, by: 'settled' }, own)).toEqual(['sub: 1/1', '  pin: 1/1']);
    expect(list({ state: 'matched', file: 2, by: 'settled' }, null)).toEqual(['sub: 1/1']);
  });

  it('a loop is named in its row and not followed', () => {
    const library: Library = {
      1: [[2, 1]],
      2: [
        [3, 2],
        [1, 1],
      ],
    };
    expect(said(rowsOf(library, { structure: 'indented' }).rows)).toEqual(['F2: 1/1', '  F3: 2/2', '  F1: 1/1 loop']);
    expect(said(rowsOf(library, { structure: 'summed' }).rows)).toEqual(['F3: 2/2', 'F1: 1/1 loop']);
  });

  it('the order of rows is known before values, unless it rests on them', () => {
    const rests = (more: Partial<BomContent>) => restsOnValues({ ...plainContent([1]), key: [], ...more });
    expect(rests({ structure: 'indented', sort: [{ of: { fact: 'part' }, descending: false }], columns: [propertyColumn(1)] })).toBe(false);
    expect(rests({ structure: 'indented', group: { property: 1 } })).toBe(false);
    for (const more of [
      { key: [1] },
      { bodies: true },
      { classes: [{ class: 1, rule: 'count by', property: 1 }] },
      { sort: [{ of: { fact: 'mass' }, descending: false }] },
      { sort: [{ of: { property: 1 }, descending: false }] },
      { structure: 'summed', group: { property: 1 } },
    ] as const)
      expect(rests(more)).toBe(true);
  });

  it('classes are left out, dissolved, shown as one, or counted by a property', () => {
    const classOf = (file: number) => (file === 2 ? 20 : file === 9 ? 90 : null);
    const rule = (rule: BomContent['classes'][number]['rule'], of = 20, property: number | null = null) => ({ classes: [{ class: of, rule, property }] });
    expect(said(rowsOf(FRAME, { structure: 'indented', ...rule('as one') }, { classOf }).rows)).toEqual(['F2: 2/2', 'F9: 4/4', 'tag: 1/1']);
    expect(said(rowsOf(FRAME, rule('dissolve'), { classOf }).rows)).toEqual(['F3: 4/4', 'F9: 10/10', 'tag: 1/1']);
    const without = rowsOf(FRAME, { structure: 'summed', ...rule('leave out', 90) }, { classOf });
    expect([said(without.rows), without.leftOut]).toEqual([['tag: 1/1', 'F3: 4/4'], 10]);
    const lengths = rowsOf(FRAME, { structure: 'summed', ...rule('count by', 90, 5) }, { classOf, amount: ({ assembly }) => (assembly === 1 ? 30 : 12.5) });
    expect(lengths.rows[0]!.measure).toEqual({ property: 5, value: 4 * 30 + 6 * 12.5, without: 0 });
    expect(rowsOf(FRAME, rule('count by', 90, 5), { classOf }).rows[1]!.measure).toEqual({ property: 5, value: null, without: 4 });
  });

  it('merges by values, and never two parts because both are blank', () => {
    const library: Library = {
      1: [
        [2, 1],
        [3, 2],
        [4, 1],
        [5, 1],
      ],
    };
    const numbers: Record<number, string> = { 2: 'BP-1', 3: 'BP-1' };
    expect(said(rowsOf(library, { key: [7] }, { text: ({ part }) => numbers[part!] ?? '' }).rows)).toEqual(['F2: 3/3', 'F4: 1/1', 'F5: 1/1']);
  });

  it('equal bodies of a part are one row below it', () => {
    const bodies = () => [
      { key: 'b1', label: 'Leg', equal: '30 × 30, 700' },
      { key: 'b2', label: 'Leg', equal: '30 × 30, 700' },
      { key: 'b3', label: 'Rail', equal: '30 × 30, 400' },
    ];
    const { rows } = rowsOf({ 1: [[2, 3]] }, { bodies: true }, { bodies });
    expect([said(rows), rows.map((row) => row.bodies?.keys ?? null)]).toEqual([
      ['F2: 3/3', '  Leg: 2/6', '  Rail: 1/3'],
      [null, ['b1', 'b2'], ['b3']],
    ]);
  });

  it('tells of lists that are too deep', () => {
    const chain: Library = Object.fromEntries(Array.from({ length: 300 }, (_, i) => [i + 1, [[i + 2, 1]]]));
    expect(() => rowsOf(chain, { structure: 'indented' })).toThrow(BomLimit);
    expect(() => rowsOf(chain, { structure: 'summed' })).toThrow(BomLimit);
  });
});

/** Acyclic libraries: files only place files with higher ids. */
const library = fc
  .array(fc.array(fc.tuple(fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 3 })), { maxLength: 4 }), { minLength: 1, maxLength: 8 })
  .map((files): Library => Object.fromEntries(files.map((placed, i) => [i + 1, placed.map(([ahead, times]) => [i + 1 + ahead, times] as const)])));

/** Pieces of each part in an assembly, by visiting every instance. */
function countOneByOne(files: Library, file: number, counts = new Map<number, number>()): Map<number, number> {
  for (const [child, times] of files[file] ?? [])
    for (let i = 0; i < times; i++) {
      if (files[child as number]?.length) countOneByOne(files, child as number, counts);
      else counts.set(child as number, (counts.get(child as number) ?? 0) + 1);
    }
  return counts;
}

describe('totals', () => {
  const total = (rows: readonly BomRow[]) => rows.reduce((sum, row) => sum + row.total, 0);
  it('are those of a count of every instance', () => {
    fc.assert(
      fc.property(library, (files) => {
        const expected = countOneByOne(files, 1);
        const summed = rowsOf(files, { structure: 'summed' }).rows;
        expect(new Map(summed.map((row) => [row.match.state === 'matched' ? row.match.file : 0, row.total]))).toEqual(expected);
        // The leaves of the indented list are the same pieces.
        const leaves = rowsOf(files, { structure: 'indented' }).rows.filter((row) => !row.open);
        expect(total(leaves)).toBe(total(summed));
      }),
    );
  });
  it('never depend on merging', () => {
    fc.assert(
      fc.property(library, fc.constantFrom('single-level' as const, 'summed' as const), fc.integer({ min: 1, max: 4 }), (files, structure, of) => {
        const merged = rowsOf(files, { structure, key: [1] }, { text: ({ part }) => String(part! % of) }).rows;
        expect(total(merged)).toBe(total(rowsOf(files, { structure }).rows));
        for (const row of merged) expect(row.members.reduce((sum, member) => sum + member.times, 0)).toBe(row.total);
      }),
    );
  });
  it('of 10,000 occurrences in five levels', () => {
    // 10 × 10 × 10 × 10 sub-assemblies with one leaf each, each level its own file: 11,110 structure pieces, 10,000 leaves.
    const deep: Library = { 1: [[2, 10]], 2: [[3, 10]], 3: [[4, 10]], 4: [[5, 10]], 5: [[6, 1]] };
    expect(said(rowsOf(deep, { structure: 'summed' }).rows)).toEqual(['F6: 10000/10000']);
    expect(said(rowsOf(deep, { structure: 'indented' }).rows).at(-1)).toBe('        F6: 1/10000');
  });
});

describe('a list for transfer', () => {
  const cells = fc.array(
    fc.record({
      text: fc.constantFrom('', 'Shaft', '1.4404', '8'),
      number: fc.option(fc.integer(), { nil: undefined }),
      note: fc.constantFrom(undefined, 'is required'),
    }),
    { minLength: 1, maxLength: 5 },
  );
  it('is the same after packing and unpacking', () => {
    fc.assert(
      fc.property(library, cells, fc.constantFrom('single-level' as const, 'indented' as const, 'summed' as const), (files, found, structure) => {
        const rows = rowsOf(files, { structure }).rows.map((row, i): ListedRow<{ readonly text: string }> => ({
          ...row,
          members: row.members.length,
          match: i % 5 === 4 ? { state: 'ambiguous', candidates: [i, 7], by: 'file name' } : row.match,
          item: String(i),
          number: i % 3 ? i : null,
          path: i % 2 ? `parts/${i % 4}.step` : null,
          className: i % 4 ? 'turned part' : null,
          picture: i % 7 === 0,
          measure: i % 6 === 5 ? { property: 3, value: i / 2, without: 1 } : null,
          bodies: i % 8 === 7 ? { file: i, keys: ['a', 'b'] } : null,
          cells: [found[i % found.length]!, { text: String(i % 3) }],
          candidates: i % 5 === 4 ? [{ id: 7, path: 'z.step' }] : [],
          copyOf: i % 3 === 2 ? null : { assembly: 1, product: `p${i % 2}` },
        }));
        const list = { rows, groups: [{ title: null, rows: rows.map(({ id }) => id).reverse(), totals: [null, { value: 2, without: 0 }] }] };
        // As the page gets it.
        expect(unpackList(JSON.parse(JSON.stringify(packList(list))) as ReturnType<typeof packList>)).toEqual(list);
      }),
    );
  });
  it('tells each text and each shared cell once', () => {
    const cell = { text: 'same' };
    const rows = rowsOf({ 1: [[2, 10]], 2: [[3, 10]] }, { structure: 'indented' }).rows.map((row): ListedRow<{ readonly text: string }> => ({
      ...row,
      members: row.members.length,
      item: '1',
      number: 1,
      path: null,
      className: null,
      picture: false,
      cells: [cell],
      candidates: [],
      copyOf: null,
    }));
    const { texts, values } = packList({ rows, groups: [] }).rows;
    expect(new Set(texts).size).toBe(texts.length);
    expect(values).toEqual(['same']);
  });
});

describe('item numbers', () => {
  const row = (id: string, parent: string | null = null) => ({ id, parent });
  const rule = { start: 10, step: 10, reuse: false };
  it('are given once, and new rows get the next', () => {
    const first = numberRows([row('a'), row('b'), row('c', 'b')], [], rule);
    expect([...first.numbers]).toEqual([
      ['a', 10],
      ['b', 20],
      ['c', 10],
    ]);
    // Row a is gone, d is new and does not reuse its number.
    expect([...numberRows([row('d'), row('b')], first.given, rule).numbers]).toEqual([
      ['d', 30],
      ['b', 20],
    ]);
    expect([...numberRows([row('d'), row('b')], first.given, { ...rule, reuse: true }).numbers]).toEqual([
      ['d', 10],
      ['b', 20],
    ]);
    // A typed number off the step does not shift the following ones.
    expect(numberRows([row('e')], [{ row: 'a', parent: null, number: 27 }], rule).numbers.get('e')).toBe(30);
  });
  it('are never the same for two rows of one parent, and never change by themselves', () => {
    const ids = fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f'));
    fc.assert(
      fc.property(fc.array(ids, { minLength: 1, maxLength: 6 }), fc.boolean(), (lists, reuse) => {
        let kept: { row: string; parent: string | null; number: number }[] = [];
        for (const list of lists) {
          const before = new Map(kept.map((entry) => [entry.row, entry.number]));
          const { numbers, given } = numberRows(
            list.map((id) => row(id)),
            kept,
            { start: 1, step: 1, reuse },
          );
          expect(new Set(numbers.values()).size).toBe(list.length);
          for (const id of list) if (before.has(id)) expect(numbers.get(id)).toBe(before.get(id));
          // Reassigned numbers are lost to their previous row.
          kept = [...kept.filter((entry) => !given.some((own) => own.number === entry.number)), ...given];
        }
      }),
    );
  });
  it('are written with those above them, and given anew in an order', () => {
    const rows = [row('a'), row('b', 'a'), row('c', 'b'), row('d')];
    const numbers = new Map([
      ['a', 2],
      ['b', 1],
      ['c', 3],
      ['d', 7],
    ]);
    expect([...itemTexts(rows, numbers).values()]).toEqual(['2', '2.1', '2.1.3', '7']);
    expect(renumber(rows, numbers, { start: 1, step: 1, reuse: false })).toEqual([
      { row: 'a', parent: null, before: 2, after: 1 },
      { row: 'c', parent: 'b', before: 3, after: 1 },
      { row: 'd', parent: null, before: 7, after: 2 },
    ]);
  });
});

describe('order, groups and totals of a list', () => {
  const layout = content({ columns: [factColumn('item'), { ...propertyColumn(4), sum: true }], structure: 'summed' });
  const rows = rowsOf(
    {
      1: [
        [2, 1],
        [3, 2],
        [4, 1],
      ],
    },
    { structure: 'summed' },
  ).rows;
  const masses: Record<string, number> = { 'file 2': 5, 'file 3': 1.5 };
  const cell = (row: BomRow, of: { readonly fact?: string; readonly property?: number }) => {
    if (of.property === 4) {
      const mass = masses[row.id];
      return mass === undefined
        ? { text: '', sum: { value: null, without: row.total } }
        : { text: `${mass}`, number: mass, sum: { value: mass * row.total, without: 0 } };
    }
    return { text: row.id === 'file 3' ? 'made' : 'bought' };
  };
  const numbers = new Map(rows.map((row, i) => [row.id, 10 - i]));
  const ids = (sort: BomContent['sort']) => inBomOrder(rows, sort, { numbers, cell }).map((row) => row.id);
  it('goes by number, or by what is asked, blanks last', () => {
    expect(ids([])).toEqual(['file 4', 'file 3', 'file 2']);
    expect(ids([{ of: { property: 4 }, descending: false }])).toEqual(['file 3', 'file 2', 'file 4']);
    expect(
      ids([
        { of: { fact: 'class' }, descending: true },
        { of: { fact: 'item' }, descending: false },
      ]),
    ).toEqual(['file 3', 'file 4', 'file 2']);
  });
  it('sums values times pieces, by group and in all, and says what has none', () => {
    const filled = rows.map((row) => ({ ...row, item: '', cells: [{ text: '' }, cell(row, { property: 4 })] }));
    const { groups, totals } = groupRows(filled, { ...layout, group: { fact: 'class' } }, cell);
    expect(totals).toEqual([null, { value: 8, without: 1 }]);
    expect(groups).toEqual([
      { title: 'bought', rows: ['file 2', 'file 4'], totals: [null, { value: 5, without: 1 }] },
      { title: 'made', rows: ['file 3'], totals: [null, { value: 3, without: 0 }] },
    ]);
  });
  it('knows its columns and the properties that it looks at', () => {
    expect([columnAt(layout.columns, { property: 4 }), columnAt(layout.columns, { fact: 'mass' })]).toEqual([1, -1]);
    expect(propertiesOf({ ...layout, key: [9], group: { property: 4 }, classes: [{ class: 1, rule: 'count by', property: 6 }] })).toEqual([9, 4, 6]);
  });
});

describe('two lists', () => {
  const list = (rows: readonly [key: string, item: string, quantity: string, cell: string, hash?: string][]) => ({
    columns: ['Material'],
    rows: rows.map(([key, item, quantity, cell, hash = 'h']) => ({ key, label: key, item, level: 1, quantity, cells: [cell], hash })),
  });
  it('are compared by what was added, removed, counted and changed', () => {
    const before = list([
      ['arm', '1', '4', '1.4301'],
      ['bolt', '2', '8', ''],
      ['plate', '3', '1', 'S235'],
    ]);
    const after = list([
      ['arm', '1', '6', '1.4404'],
      ['plate', '4', '1', 'S235', 'other'],
      ['nut', '5', '8', ''],
      ['nut', '6', '2', ''],
    ]);
    expect(compareBoms(before, after).map(({ what, label, before: a, after: b }) => [what, label, a, b].join(' '))).toEqual([
      'removed bolt 8 ',
      'quantity arm 4 6',
      'value arm 1.4301 1.4404',
      'item plate 3 4',
      'file plate another version this version',
      'added nut  8',
      'added nut  2',
    ]);
    expect(compareBoms(before, before)).toEqual([]);
  });
});

describe('where a part is used', () => {
  it('every way to the top, with quantities multiplied; a way that goes round ends', () => {
    const placed = [
      { assembly: 2, part: 9, times: 3 },
      { assembly: 1, part: 2, times: 2 },
      { assembly: 1, part: 9, times: 4 },
      { assembly: 5, part: 9, times: 1 },
      { assembly: 9, part: 5, times: 1 },
    ];
    expect(whereUsed(9, placed).ways).toEqual([
      { assemblies: [2, 1], times: [3, 2], total: 6, loop: false },
      { assemblies: [1], times: [4], total: 4, loop: false },
      { assemblies: [5, 9], times: [1, 1], total: 1, loop: true },
    ]);
    expect(whereUsed(1, placed)).toEqual({ ways: [], more: false });
  });
});
