import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { choiceOf, idsOf, rangesOf } from './choice';

describe('a choice of files in the address', () => {
  it('writes numbers as ranges that read back', () => {
    expect(rangesOf([9, 1, 2, 3])).toBe('1-3,9');
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 400 }), { maxLength: 60 }), (ids) =>
        expect(idsOf(rangesOf(ids))).toEqual([...ids].sort((a, b) => a - b)),
      ),
    );
  });
  it.each([
    ['files:1-2,5', { files: [1, 2, 5] }],
    ['assembly:7', { assembly: { file: 7, deep: false } }],
    ['assembly-deep:7', { assembly: { file: 7, deep: true } }],
    ['filter', { filter: { folder: 'a' } }],
    ['files:x', null],
    ['nonsense', null],
  ])('%s', (text, expected) => expect(choiceOf(text, { folder: 'a' }, undefined)).toEqual(expected));
  it('leaves classes out, and never reads an absurd range', () => {
    expect(choiceOf('filter', {}, 'Bought|Fastener')).toEqual({ filter: {}, without: ['Bought', 'Fastener'] });
    expect(idsOf('1-999999999')).toHaveLength(5000);
  });
});
