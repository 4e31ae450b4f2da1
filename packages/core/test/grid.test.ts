import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { continueSeries, layBlock, readBlock, replaceIn, writeBlock } from '../src/grid';

describe('a block on the clipboard', () => {
  it.each<[string, string, string[][]]>([
    ['one cell', 'a', [['a']]],
    [
      'rows and columns, as spreadsheet programs end them',
      'a\tb\r\nc\td\r\n',
      [
        ['a', 'b'],
        ['c', 'd'],
      ],
    ],
    [
      'empty cells',
      '\ta\n\t\n',
      [
        ['', 'a'],
        ['', ''],
      ],
    ],
    ['a cell with a line break and a quotation mark', '"two\nlines"\t"5"" pipe"', [['two\nlines', '5" pipe']]],
    ['an inch mark that quotes nothing', '5" pipe\t"quoted" and more', [['5" pipe', '"quoted" and more']]],
    ['a quotation mark that is never closed', '"open\tb', [['"open', 'b']]],
    ['an empty line between', 'a\n\nb', [['a'], [''], ['b']]],
    ['nothing', '', [['']]],
  ])('is read with %s', (_, text, rows) => expect(readBlock(text)).toEqual(rows));

  it('comes back as it went, whatever the cells hold', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', '"', '\t', '\n', '\r', ' ', '0', 'é', '😀'), maxLength: 6 });
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 4 }).chain((width) => fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 4 })),
        (rows) => {
          expect(readBlock(writeBlock(rows))).toEqual(rows);
        },
      ),
      { numRuns: 2000 },
    );
  });

  it('is laid over a range as often as it goes into it', () => {
    expect(layBlock([['a']], 2, 3)).toEqual([
      ['a', 'a', 'a'],
      ['a', 'a', 'a'],
    ]);
    expect(layBlock([['a', 'b']], 3, 2)).toEqual([
      ['a', 'b'],
      ['a', 'b'],
      ['a', 'b'],
    ]);
    expect(layBlock([['a'], ['b']], 3, 1)).toEqual([['a'], ['b']]);
  });
});

describe('a series', () => {
  it.each<[string[], number, string[]]>([
    [['1'], 3, ['2', '3', '4']],
    [['10', '20'], 2, ['30', '40']],
    [['0.1', '0.2'], 2, ['0.3', '0.4']],
    [['5', '3'], 3, ['1', '-1', '-3']],
    [['DR15-101'], 2, ['DR15-102', 'DR15-103']],
    [['A-098', 'A-099'], 2, ['A-100', 'A-101']],
    [['P9'], 2, ['P10', 'P11']],
    [['sheet 1 of 4'], 1, ['sheet 1 of 5']],
    [['007'], 2, ['008', '009']],
    [['2026-12-30'], 3, ['2026-12-31', '2027-01-01', '2027-01-02']],
    [['2026-01-01', '2026-01-08'], 2, ['2026-01-15', '2026-01-22']],
    [['a', 'b'], 3, ['a', 'b', 'a']],
    [['1', '2', '4'], 2, ['1', '2']],
    [['x', ''], 2, ['x', '']],
    [[], 2, ['', '']],
  ])('%j goes on for %i as %j', (given, count, expected) => expect(continueSeries(given, count)).toEqual(expected));

  it('that is carried on in two steps is the same as in one', () => {
    const start = fc.oneof(
      fc.tuple(fc.integer({ min: -50, max: 50 }), fc.integer({ min: -9, max: 9 })).map(([a, step]) => [`${a}`, `${a + step}`]),
      fc.integer({ min: 1, max: 900 }).map((n) => [`P-${String(n).padStart(4, '0')}`, `P-${String(n + 3).padStart(4, '0')}`]),
    );
    fc.assert(
      fc.property(start, fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 6 }), (given, first, second) => {
        const one = continueSeries(given, first);
        expect([...one, ...continueSeries([...given, ...one], second)]).toEqual(continueSeries(given, first + second));
      }),
    );
  });
});

describe('find and replace', () => {
  const replace = (text: string, find: string, by: string, more: { whole?: boolean; matchCase?: boolean } = {}) =>
    replaceIn(text, { find, by, whole: more.whole ?? false, matchCase: more.matchCase ?? false });
  it.each([
    [replace('Steel plate, steel', 'steel', 'DC01'), 'DC01 plate, DC01'],
    [replace('Steel plate', 'steel', 'x', { matchCase: true }), null],
    [replace('steel', 'steel', 'DC01', { whole: true }), 'DC01'],
    [replace('steel plate', 'steel', 'DC01', { whole: true }), null],
    [replace('aaa', 'a', 'aa'), 'aaaaaa'],
    [replace('anything', '', 'x'), null],
    [replace('', '', 'made', { whole: true }), 'made'],
    [replace('1.4301', '.', ','), '1,4301'],
  ])('%#', (found, expected) => expect(found).toBe(expected));
  it('finds what split and join find', () => {
    const text = fc.string({ unit: fc.constantFrom('a', 'b', '.'), maxLength: 8 });
    fc.assert(
      fc.property(text, fc.string({ unit: fc.constantFrom('a', 'b', '.'), minLength: 1, maxLength: 2 }), text, (hay, find, by) => {
        expect(replace(hay, find, by, { matchCase: true })).toBe(hay.includes(find) ? hay.split(find).join(by) : null);
      }),
    );
  });
});
