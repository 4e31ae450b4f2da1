import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Line, changesByFile, compareThree, invertLines, judgeLine, orNull, placesName, stackLines } from '../src/changes';
import { HeldValue, heldText } from '../src/values';

const line = (name: string, base: string | null, proposed: string | null, file = 1): Line => ({
  address: { file, holder: '', place: 'property', name },
  base: base === null ? null : heldText(base),
  proposed: proposed === null ? null : heldText(proposed),
  reason: 'test',
  follows: false,
});
const text = fc.constantFrom('a', 'b', 'c', null);
const lines = fc.array(
  fc
    .record({ name: fc.constantFrom('x', 'y', 'z'), base: text, proposed: text, file: fc.constantFrom(1, 2) })
    .map((l) => line(l.name, l.base, l.proposed, l.file)),
  { maxLength: 12 },
);

/** Applies lines to a map of values, as a library would. */
const run = (state: ReadonlyMap<string, HeldValue | null>, list: readonly Line[]) => {
  const after = new Map(state);
  for (const { address, proposed } of list) after.set(`${address.file}/${address.name}`, proposed);
  return after;
};

describe('three-way comparison', () => {
  it.each([
    ['a', 'a', 'b', 'apply'],
    ['a', 'b', 'b', 'already'],
    ['a', 'c', 'b', 'conflict'],
    [null, null, 'b', 'apply'],
    [null, 'c', 'b', 'conflict'],
    ['a', null, null, 'already'],
    ['a', 'a', 'a', 'already'],
  ])('base %j, now %j, proposed %j: %s', (base, current, proposed, verdict) => {
    const held = (t: string | null) => (t === null ? null : heldText(t));
    expect(compareThree(held(base), held(current), held(proposed))).toBe(verdict);
  });
  it('tells 12 kg from 12 lb and from the text 12', () => {
    const kg: HeldValue = { text: '12', form: 'measure', unit: 'kg' };
    expect(compareThree(kg, { ...kg, unit: 'lb' }, heldText('13'))).toBe('conflict');
    expect(compareThree(kg, heldText('12'), heldText('13'))).toBe('conflict');
  });
});

describe('a line against what stands at its address', () => {
  const judged = (base: string | null, current: string | null, proposed: string | null, place: Line['address']['place'] = 'property') => {
    const held = (t: string | null) => (t === null ? null : heldText(t));
    const one = { ...line('x', base, proposed), address: { ...line('x', null, null).address, place } };
    return [judgeLine(one, held(current)), placesName(one, held(current))];
  };
  it.each<[string | null, string | null, string | null, string, boolean]>([
    ['a', 'a', 'b', 'apply', false],
    ['a', 'b', 'c', 'conflict', false],
    ['a', 'b', 'b', 'already', false],
    // Absent and empty text are equal …
    [null, '', 'b', 'apply', false],
    ['', null, 'b', 'apply', false],
    ['a', '', null, 'already', false],
    ['a', null, '', 'already', true],
    ['a', 'a', '', 'apply', false],
    [null, '', '', 'already', false],
    [null, 'c', '', 'conflict', false],
    // … unless only the name is to be added.
    [null, null, '', 'apply', true],
    ['', null, '', 'apply', true],
    [null, null, null, 'already', false],
  ])('base %j, now %j, proposed %j: %s', (base, current, proposed, verdict, names) => expect(judged(base, current, proposed)).toEqual([verdict, names]));
  it('a cell or field has no name to put in', () => {
    expect(judged(null, null, '', 'cell')).toEqual(['already', false]);
    expect(judged(null, null, '', 'field')).toEqual(['already', false]);
  });
  it('an empty text is nothing, and any other is itself', () => {
    expect([orNull(null), orNull(heldText('')), orNull(heldText('a'))]).toEqual([null, null, heldText('a')]);
  });
});

describe('stacking', () => {
  it('keeps the first base and the last proposal', () => {
    expect(stackLines([line('x', 'a', 'b')], [line('x', 'b', 'c')])).toEqual([line('x', 'a', 'c')]);
  });
  it('drops a line that leads back to its base', () => {
    expect(stackLines([line('x', 'a', 'b')], [line('x', 'b', 'a')])).toEqual([]);
  });
  it('does what the lines would do one after the other', () => {
    fc.assert(
      fc.property(lines, lines, (first, second) => {
        // Consecutive lines: each has the previous state as base.
        let state = new Map<string, HeldValue | null>();
        const chained = [...first, ...second].map((l) => {
          const key = `${l.address.file}/${l.address.name}`;
          const made = { ...l, base: state.get(key) ?? null };
          state = run(state, [made]);
          return made;
        });
        const stacked = stackLines(stackLines([], chained.slice(0, first.length)), chained.slice(first.length));
        const after = run(new Map(), stacked);
        for (const [key, value] of state) expect(after.get(key) ?? null).toEqual(value);
      }),
    );
  });
});

describe('inversion', () => {
  it('restores every value', () => {
    fc.assert(
      fc.property(lines, (list) => {
        const set = stackLines([], list);
        const before = new Map(set.map((l) => [`${l.address.file}/${l.address.name}`, l.base]));
        expect(run(run(before, set), invertLines(set, 'undo'))).toEqual(before);
      }),
    );
  });
});

it('lines are sorted by file for writing', () => {
  const grouped = changesByFile([line('x', null, 'a', 2), line('y', null, 'b', 1), line('z', 'a', null, 2)]);
  expect([...grouped].map(([file, changes]) => [file, changes.map((change) => [change.name, change.value?.text])])).toEqual([
    [
      2,
      [
        ['x', 'a'],
        ['z', undefined],
      ],
    ],
    [1, [['y', 'b']]],
  ]);
});
