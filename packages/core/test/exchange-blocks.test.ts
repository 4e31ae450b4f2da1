import { describe, expect, it } from '@jest/globals';
import { Binding, PLAIN_CELL } from '../src/schema';
import { matchCells } from '../src/titleblocks';

const cells = (...list: (string | [tag: string, prompt: string])[]) =>
  list.map((entry) => (typeof entry === 'string' ? { tag: entry, prompt: '' } : { tag: entry[0], prompt: entry[1] }));
const bound = (block: string, cell: string, property: number): Binding => ({
  id: property,
  block,
  cell,
  leads: false,
  shows: [{ property, from: 'model', form: PLAIN_CELL }],
});
const matched = (from: ReturnType<typeof cells>, to: ReturnType<typeof cells>, bindings: readonly Binding[] = []) =>
  matchCells({ family: 'old', cells: from }, { family: 'new', cells: to }, bindings).map(({ tag, from: source, by }) => `${tag} ← ${source} ${by}`);

describe('cells of blocks that are exchanged', () => {
  it('are matched by what they show before their names, and each gives its text once', () => {
    const bindings = [bound('OLD', 'NAME', 1), bound('NEW', 'TITLE', 1), bound('OLD', 'TITLE', 2)];
    expect(matched(cells('TITLE', 'NAME'), cells('TITLE', 'SUBTITLE'), bindings)).toEqual(['TITLE ← NAME binding', 'SUBTITLE ← null null']);
  });
  it('are matched by names in another case, with other separators, and abbreviated', () => {
    expect(matched(cells('MAT', 'DRAWN_BY', 'REV'), cells('Material', 'drawn by', 'REVISION'))).toEqual([
      'Material ← MAT name',
      'drawn by ← DRAWN_BY name',
      'REVISION ← REV name',
    ]);
  });
  it('are matched by captions where names say nothing', () => {
    expect(matched(cells(['A1', 'Drawn by'], 'SCALE'), cells(['X', 'drawn by'], ['Y', 'Scale'], ['Z', '']))).toEqual([
      'X ← A1 caption',
      'Y ← SCALE caption',
      'Z ← null null',
    ]);
  });
  it('stay blank where nothing fits', () => {
    expect(matched(cells('A', 'B'), cells('C', ['D', '']))).toEqual(['C ← null null', 'D ← null null']);
  });
});
