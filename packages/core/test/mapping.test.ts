import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { countParts } from '../src/bom';
import { StructureReading } from '../src/files';
import { Candidate, CandidateIndex, Match } from '../src/identity';
import { CLASHES, Link, PASSES, Property, newDraft } from '../src/schema';
import { PropertyWay, wayOf } from '../src/trace';
import { LEADS, compareVaultTable, decide, leadOf, passingOf, proofTable } from '../src/vault';

const property = (change: Partial<Property>): Property => ({
  ...newDraft('Mass'),
  id: 1,
  retired: false,
  type: 'number',
  unit: 'kg',
  decimals: 2,
  placeholder: '0.00',
  ...change,
});

describe('part identity', () => {
  const candidates: Candidate[] = [
    { file: 1, path: 'parts/plate.step', productId: 'P-1' },
    { file: 2, path: 'parts/P-2.step', productId: 'other' },
    { file: 3, path: 'a/motor.step', productId: 'M-1' },
    { file: 4, path: 'b/motor.step', productId: 'M-1' },
    { file: 5, path: 'asm/top.step', productId: 'T-1' },
    { file: 6, path: 'sub/lid.step', productId: 'L-1' },
  ];
  const index = new CandidateIndex(candidates);
  const match = (id: string, name = '', externalFile: string | null = null) => index.partFile({ key: id, id, name, externalFile }, 5);

  it('goes by product id, then base name, then external reference', () => {
    expect(match('P-1')).toEqual({ state: 'matched', file: 1, by: 'product id' });
    expect(match('P-2')).toEqual({ state: 'matched', file: 2, by: 'file name' });
    expect(match('x', 'plate')).toEqual({ state: 'matched', file: 1, by: 'file name' });
    expect(match('x', 'y', 'some/where/plate.step')).toEqual({ state: 'matched', file: 1, by: 'external reference' });
  });
  it('never guesses', () => {
    expect(match('M-1')).toEqual({ state: 'ambiguous', candidates: [3, 4], by: 'product id' });
    expect(match('none')).toEqual({ state: 'unmatched' });
  });
  it('never takes the assembly for its own part', () => expect(match('T-1')).toEqual({ state: 'unmatched' }));
  it('finds the model of a drawing by its document property, else by base name', () => {
    expect(index.model('d/anything.dxf', 'plate.step')).toEqual({ state: 'matched', file: 1, by: 'document property' });
    expect(index.model('d/anything.dxf', 'b/motor.step')).toEqual({ state: 'matched', file: 4, by: 'document property' });
    expect(index.model('d/anything.dxf', 'motor.step')).toMatchObject({ state: 'ambiguous' });
    expect(index.model('d/anything.dxf', 'sub/lid.step')).toEqual({ state: 'matched', file: 6, by: 'document property' });
    expect(index.model('d/anything.dxf', '..\\sub\\lid.step')).toEqual({ state: 'unmatched' });
    // A path ends at whole folders.
    expect(index.model('d/anything.dxf', 'ub/lid.step')).toEqual({ state: 'unmatched' });
    expect(index.model('d/anything.dxf', '  ')).toEqual({ state: 'unmatched' });
    expect(index.model('d/plate.dxf', null)).toEqual({ state: 'matched', file: 1, by: 'base name' });
  });
  it('does not overrule a drawing that names a missing model', () => expect(index.model('d/plate.dxf', 'gone.step')).toEqual({ state: 'unmatched' }));
});

describe('a single-level BOM', () => {
  const structure: StructureReading = {
    products: ['A', 'B', 'C', 'C~2', 'D'].map((key) => ({ key, id: key, name: `${key} name`, externalFile: null })),
    roots: ['A'],
    occurrences: [
      ['A', 'B'],
      ['A', 'C'],
      ['A', 'B'],
      ['B', 'D'],
      ['A', 'C~2'],
      ['A', 'B'],
    ].map(([parent, child], i) => ({ key: `o${i}`, label: `o${i}`, parent: parent!, child: child! })),
  };
  const parts = new Map<string, Match>([
    ['B', { state: 'matched', file: 2, by: 'product id' }],
    ['C', { state: 'matched', file: 3, by: 'product id' }],
    ['C~2', { state: 'matched', file: 3, by: 'settled' }],
  ]);
  const rows = countParts(structure, (key) => parts.get(key) ?? { state: 'unmatched' });

  it('counts what is placed in the root by part file, in order, numbered from 1', () => {
    expect(rows.map(({ item, label, quantity, products }) => ({ item, label, quantity, products }))).toEqual([
      { item: 1, label: 'B name', quantity: 3, products: ['B'] },
      { item: 2, label: 'C name', quantity: 2, products: ['C', 'C~2'] },
    ]);
  });
  it('keeps copies apart whose part file is not known, and never takes one for a file', () => {
    const unknown = countParts(structure, (key) => (key === 'B' ? { state: 'unmatched' } : { state: 'ambiguous', candidates: [2, 3], by: 'product id' }));
    expect(unknown.map(({ label, quantity, products }) => [label, quantity, products])).toEqual([
      ['B name', 3, ['B']],
      ['C name', 1, ['C']],
      ['C~2 name', 1, ['C~2']],
    ]);
    // A copy may be named like a file's number.
    const clash: StructureReading = {
      products: ['A', '7', '9'].map((key) => ({ key, id: key, name: '', externalFile: null })),
      roots: ['A'],
      occurrences: ['7', '9'].map((child, i) => ({ key: `o${i}`, label: '', parent: 'A', child })),
    };
    expect(countParts(clash, (key) => (key === '7' ? { state: 'unmatched' } : { state: 'matched', file: 7, by: 'settled' }))).toHaveLength(2);
  });
  it('loses no occurrence of the root, whatever is matched', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('B', 'C', 'D'), { maxLength: 20 }), fc.array(fc.constantFrom('B', 'C', 'D')), (children, matched) => {
        const s: StructureReading = { ...structure, occurrences: children.map((child, i) => ({ key: `o${i}`, label: '', parent: 'A', child })) };
        const bom = countParts(s, (key) =>
          (matched as string[]).includes(key) ? { state: 'matched', file: key.charCodeAt(0), by: 'product id' } : { state: 'unmatched' },
        );
        expect(bom.reduce((sum, row) => sum + row.quantity, 0)).toBe(children.length);
        expect(bom.flatMap((row) => row.occurrences).sort()).toEqual(children.map((_, i) => `o${i}`).sort());
      }),
    );
  });
});

describe('a vault link', () => {
  const link = (change: Partial<Link>): Link => ({
    field: 'F',
    kinds: ['part'],
    classes: [],
    states: [],
    step: null,
    id: 1,
    at: [{ property: 1 }],
    in: 'always',
    out: 'always',
    onClash: 'ask',
    ...change,
  });
  it.each([
    // file, record, agreed, link, action
    ['a', 'a', undefined, {}, 'equal'],
    [null, '', undefined, {}, 'equal'],
    ['b', 'a', 'a', {}, 'in'],
    ['a', 'b', 'a', {}, 'out'],
    ['b', 'c', 'a', {}, 'ask'],
    ['b', 'c', 'a', { onClash: "take the file's" as const }, 'in'],
    ['b', 'c', 'a', { onClash: "take the record's" as const }, 'out'],
    ['b', 'a', 'a', { in: 'never' as const, out: 'when blank' as const }, 'stays'],
    ['a', 'b', 'a', { in: 'when blank' as const, out: 'never' as const }, 'stays'],
    // The leading side replaces changes on the other, but not with a blank.
    ['b', 'a', 'a', { in: 'never' as const }, 'out'],
    ['a', 'b', 'a', { out: 'never' as const }, 'in'],
    ['b', null, null, { in: 'never' as const }, 'stays'],
    ['b', null, null, { in: 'when blank' as const }, 'in'],
    ['b', 'a', 'a', { in: 'when blank' as const }, 'stays'],
    [null, 'b', null, { out: 'when blank' as const }, 'out'],
    // A blank never clears by itself, even on the winning side.
    ['a', null, 'a', {}, 'ask'],
    [null, 'a', 'a', {}, 'ask'],
    ['', 'a', 'a', { in: 'when blank' as const }, 'stays'],
    [null, 'c', 'a', { onClash: "take the file's" as const }, 'ask'],
    [null, 'c', 'a', { onClash: "take the record's" as const }, 'out'],
    // Never agreed: a blank side is unchanged, two values clash.
    ['a', null, undefined, {}, 'in'],
    [null, 'b', undefined, {}, 'out'],
    ['a', 'b', undefined, {}, 'ask'],
  ] as const)('file %j, record %j, agreed %j, %j: %s', (file, record, agreed, change, action) =>
    expect(decide(link(change), file, record, agreed).action).toBe(action),
  );

  it.each([
    ['a', 'a', undefined, {}, 'file and record are equal'],
    ['b', 'a', 'a', {}, 'the file changed'],
    ['a', 'b', 'a', {}, 'the record changed'],
    ['a', 'b', undefined, {}, 'both hold a value but never agreed'],
    ['b', 'c', 'a', {}, 'both changed since they last agreed'],
    ['b', 'c', 'a', { onClash: "take the file's" as const }, "both changed since they last agreed; the file's value is used"],
    ['b', 'c', 'a', { onClash: "take the record's" as const }, "both changed since they last agreed; the record's value is used"],
    [null, 'a', 'a', {}, 'the file is blank and would erase the value in the record'],
    ['a', null, 'a', {}, 'the record is blank and would erase the value in the file'],
    ['b', 'a', 'a', { in: 'never' as const, out: 'when blank' as const }, 'the file changed, but the link never passes in'],
    ['a', 'b', 'a', { in: 'when blank' as const, out: 'never' as const }, 'the record changed, but the link never passes out'],
    ['b', 'c', 'a', { in: 'never' as const, out: 'never' as const }, 'the link passes no values'],
    ['b', 'a', 'a', { in: 'never' as const }, 'the file changed, but the record leads'],
    ['a', 'b', 'a', { out: 'never' as const }, 'the record changed, but the file leads'],
    ['b', null, null, { in: 'never' as const }, 'the file changed; the record leads, but is blank'],
    ['b', 'a', 'a', { in: 'when blank' as const }, 'the file changed, but the other side is not blank'],
  ] as const)('file %j, record %j, agreed %j, %j: it says "%s"', (file, record, agreed, change, reason) =>
    expect(decide(link(change), file, record, agreed).reason).toBe(reason),
  );

  // Outcomes for two values, derived by hand from what links promise: situation × in × out; `clash` is the link's clash setting. In:
  // always, when blank, never, each with out: always, when blank, never.
  const CASES = {
    'the file changed': 'in in in | stays stays stays | out stays stays',
    'the record changed': 'out stays in | out stays stays | out stays stays',
    'both changed': 'clash clash clash | clash clash clash | clash clash stays',
    neither: 'equal equal equal | equal equal equal | equal equal equal',
    'they never agreed': 'clash clash clash | clash clash clash | clash clash stays',
  } as const;
  const VALUES = {
    'the file changed': ['b', 'a', 'a'],
    'the record changed': ['a', 'b', 'a'],
    'both changed': ['b', 'c', 'a'],
    neither: ['a', 'a', 'a'],
    'they never agreed': ['a', 'b', undefined],
  } as const;
  it.each(Object.keys(CASES) as (keyof typeof CASES)[])('%s: in every setting as the table says', (situation) => {
    const outcomes = CASES[situation].split(' | ').map((row) => row.split(' '));
    const [file, record, agreed] = VALUES[situation];
    for (const [i, passesIn] of (['always', 'when blank', 'never'] as const).entries())
      for (const [o, passesOut] of (['always', 'when blank', 'never'] as const).entries())
        for (const [onClash, clash] of [
          ['ask', 'ask'],
          ["take the file's", 'in'],
          ["take the record's", 'out'],
        ] as const) {
          const expected = outcomes[i]![o] === 'clash' ? clash : outcomes[i]![o];
          expect([passesIn, passesOut, onClash, decide(link({ in: passesIn, out: passesOut, onClash }), file, record, agreed).action]).toEqual([
            passesIn,
            passesOut,
            onClash,
            expected,
          ]);
        }
  });

  it('is said by who leads, and read before it is tried', () => {
    for (const lead of LEADS) expect(leadOf({ ...passingOf(lead), step: lead === 'a workflow step' ? 'release' : null })).toBe(lead);
    expect(leadOf({ in: 'when blank', out: 'always', onClash: 'ask' })).toBeNull();
    const told = (lead: (typeof LEADS)[number]) => proofTable(passingOf(lead)).map((proof) => proof.decision.action);
    // nothing · file · record · both · never agreed: both filled, record blank, file blank · file emptied · record emptied
    expect(told('both')).toEqual(['equal', 'in', 'out', 'ask', 'ask', 'in', 'out', 'ask', 'ask']);
    expect(told('the file')).toEqual(['equal', 'in', 'in', 'in', 'in', 'in', 'stays', 'ask', 'in']);
    expect(told('the record')).toEqual(['equal', 'out', 'out', 'out', 'out', 'stays', 'out', 'out', 'ask']);
    expect(told('neither')).toEqual(['equal', 'stays', 'stays', 'stays', 'stays', 'stays', 'stays', 'stays', 'stays']);
  });

  it('treats both sides alike', () => {
    const value = fc.constantFrom('a', 'b', 'c', null);
    const mirror = { equal: 'equal', in: 'out', out: 'in', ask: 'ask', stays: 'stays' } as const;
    fc.assert(
      fc.property(
        value,
        value,
        fc.option(value, { nil: undefined }),
        fc.constantFrom(...PASSES),
        fc.constantFrom(...PASSES),
        fc.constantFrom(...CLASHES),
        (file, record, agreed, passesIn, passesOut, onClash) => {
          const swapped = onClash === 'ask' ? onClash : onClash === CLASHES[1] ? CLASHES[2] : CLASHES[1];
          const there = decide(link({ in: passesIn, out: passesOut, onClash }), file, record, agreed);
          const back = decide(link({ in: passesOut, out: passesIn, onClash: swapped }), record, file, agreed);
          expect(back.action).toBe(mirror[there.action]);
          if (there.action === 'in') expect(file).not.toBeNull();
          if (there.action === 'out') expect(record).not.toBeNull();
        },
      ),
    );
  });
  it("names what is wrong in the vault's own table", () => {
    const findings = compareVaultTable(
      [
        { field: 'Material', kind: 'part', name: 'Material ' },
        { field: 'Mass', kind: 'part', name: 'Mass' },
        { field: 'X', kind: 'part', name: 'Colour' },
        { field: 'Y', kind: 'part', name: 'Weight' },
      ],
      [
        { writtenName: 'Material', knownSpellings: [] },
        { writtenName: 'Mass', knownSpellings: ['Weight'] },
      ],
    );
    expect(findings.map(({ state, nearest, likeness }) => [state, nearest, likeness])).toEqual([
      ['alike', 'Material', 'blanks'],
      ['exact', 'Mass', 'same'],
      ['unknown', null, 'different'],
      ['renamed', 'Mass', 'different'],
    ]);
    expect(findings[0]!.message).toContain('"Material "');
    expect(findings[3]!.message).toContain('the schema calls it "Mass" now');
  });
});

describe('the way of a property', () => {
  const way = (change: Partial<PropertyWay>) =>
    wayOf({
      property: property({ writtenName: 'Material', type: 'text', unit: null }),
      held: [],
      foundNames: [],
      forms: [],
      cells: [],
      columns: [],
      tables: [],
      links: [],
      vaultTable: [],
      sentOut: [],
      ...change,
    });
  it('breaks where names differ, and says in what', () => {
    const hops = way({
      foundNames: [
        { name: 'Material', files: 3 },
        { name: 'Material ', files: 1 },
        { name: 'Matl', files: 2 },
      ],
    });
    expect(hops.filter((hop) => hop.state === 'broken')).toMatchObject([
      { title: 'Found under another name', why: 'It differs from "Material" in blanks; programs that compare exactly do not find it.' },
    ]);
  });
  it('breaks where a cell is stale and where no file holds the name', () => {
    const hops = way({ held: [{ kind: 'part', files: 2, filled: 0 }], cells: [{ block: 'B', tag: 'MATL', source: 'model', drawings: 4, stale: 1 }] });
    expect(hops.map((hop) => [hop.station, hop.state])).toEqual([
      ['schema', 'good'],
      ['values', 'broken'],
      ['title-blocks', 'broken'],
    ]);
  });
  it('names every place that uses the property', () => {
    const hops = way({
      columns: ['Parts list'],
      links: [
        { field: 'Mat', files: 'part', in: 'always', out: 'never', step: null, records: 16, filled: 9 },
        { field: 'Rev', files: 'part', in: 'never', out: 'always', step: 'revise', records: 1, filled: 0 },
      ],
      sentOut: [{ id: 3, at: '2026-11-25' }],
    });
    expect(hops.map((hop) => hop.detail)).toEqual([
      'text',
      'layout Parts list',
      'part: in always, out never; filled in 9 of 16 records',
      'part: set by the step revise; filled in 0 of 1 record',
      'send-out 3, 2026-11-25',
    ]);
  });
});
