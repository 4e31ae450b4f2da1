import { describe, expect, it } from '@jest/globals';
import { GridHolder, GridRow } from '@rule/contract';
import { property } from '../../../test/stage';
import { addressOf, cellKey, has, holderOf } from './rows';

const file = { id: 7, library: 1, path: 'a.dxf', folder: '', name: 'a.dxf', kind: 'drawing', class: null, problem: null, lock: null } as const;
const row = (holder?: GridHolder): GridRow => ({ file, ...(holder ? { holder } : {}), held: {}, findings: [] });
const sheet: GridHolder = { key: 'insert:1', level: 'sheet', label: 'Front', homes: { 2: 'NO' } };
const number = property(2, 'Sheet number', { kinds: ['drawing'], level: 'sheet' });
const mark = property(3, 'Mark', { kinds: ['drawing'], level: 'sheet' });
const scale = property(4, 'Scale', { kinds: ['drawing'], level: 'sheet', feed: 'sheet', sheetFact: 'scale' });
const title = property(5, 'Title', { kinds: ['drawing'] });

describe('a row of the grid', () => {
  it('of a file has what the file holds', () => {
    expect([title, number].map((one) => has(row(), one))).toEqual([true, false]);
    expect(addressOf(row(), title)).toEqual({ file: 7, holder: '', place: 'property', name: 'Title' });
  });

  it('of a sheet has the values of the sheet, and those of the file beside', () => {
    const one = row(sheet);
    expect([title, number, mark, scale].map((each) => has(one, each))).toEqual([true, true, false, true]);
    expect([title, number].map((each) => holderOf(one, each))).toEqual(['', 'insert:1']);
    expect(addressOf(one, number)).toEqual({ file: 7, holder: 'insert:1', place: 'cell', name: 'NO' });
    expect(addressOf(one, title)).toEqual({ file: 7, holder: '', place: 'property', name: 'Title' });
  });

  it('of an occurrence keeps them under their written names', () => {
    const torque = property(6, 'Torque', { kinds: ['assembly'], level: 'occurrence' });
    const placed: GridRow = { ...row({ key: 'o1', level: 'occurrence', label: 'bearing:1', homes: {} }), file: { ...file, kind: 'assembly' } };
    expect([has(placed, torque), addressOf(placed, torque)]).toEqual([true, { file: 7, holder: 'o1', place: 'property', name: 'Torque' }]);
    expect(cellKey(7, 'o1', 6)).not.toBe(cellKey(7, '', 6));
  });
});
