import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Binding, CELL_FACTS, CellPiece, PLAIN_CELL, Property, newDraft, sourcesOf } from '../src/schema';
import {
  BlockPlace,
  LooseText,
  dateText,
  feetScaleText,
  formed,
  initials,
  nameAt,
  nameables,
  ownerOf,
  readTyped,
  sheetScaleText,
  suggested,
  takeUp,
  typedText,
  valueInside,
} from '../src/titleblocks';

const property = (id: number, writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...more });
const properties = [
  property(1, 'Material', { kinds: ['part', 'drawing'] }),
  property(2, 'Sheet note', { kinds: ['drawing'], level: 'sheet' }),
  property(3, 'Client', { level: 'project' }),
  property(4, 'PART_NO', { caption: 'Number', kinds: ['part'] }),
  property(5, 'DWG_NO', { caption: 'Number', kinds: ['drawing'] }),
  // Properties named like facts: one differing in case, one exactly.
  property(6, 'Sheet name', { kinds: ['drawing'] }),
  property(7, 'scale', { kinds: ['drawing'] }),
];
const plain = (piece: { property: number; from: 'model' | 'drawing' | 'sheet' | 'project' } | { fact: (typeof CELL_FACTS)[number] }): CellPiece => ({
  ...piece,
  form: PLAIN_CELL,
});

describe('what somebody types that a cell shows', () => {
  it('is a name alone, or words with names in braces', () => {
    expect(readTyped('material', properties).shows).toEqual([plain({ property: 1, from: 'model' })]);
    expect(readTyped('file name', properties).shows).toEqual([plain({ fact: 'file name' })]);
    expect(readTyped('Material of the drawing', properties).shows).toEqual([plain({ property: 1, from: 'drawing' })]);
    expect(readTyped('Sheet {sheet number} of {number of sheets}', properties).shows).toEqual([
      { words: 'Sheet ' },
      plain({ fact: 'sheet number' }),
      { words: ' of ' },
      plain({ fact: 'number of sheets' }),
    ]);
    expect(readTyped('Made by us', properties).shows).toEqual([{ words: 'Made by us' }]);
    expect(readTyped('{{{Material}}}', properties).shows).toEqual([{ words: '{' }, plain({ property: 1, from: 'model' }), { words: '}' }]);
    expect(readTyped('  ', properties)).toEqual({ shows: [], unknown: [] });
  });

  it('names what nothing has, and what has no source of that kind', () => {
    expect(readTyped('{Material} / {Finish}', properties)).toEqual({ shows: [plain({ property: 1, from: 'model' }), { words: ' / ' }], unknown: ['Finish'] });
    expect(readTyped('{Client of the model}', properties).unknown).toEqual(['Client of the model']);
  });

  it('keeps the form of what was shown before', () => {
    const before: CellPiece = { property: 1, from: 'model', form: { letters: 'capitals', unit: true } };
    expect(readTyped('{Material}, x', properties, [before]).shows[0]).toEqual(before);
  });

  it('is read back as it was, whatever is shown', () => {
    const source = fc
      .constantFrom(...properties)
      .chain((one) => fc.constantFrom(...sourcesOf(one)).map((from): CellPiece => ({ property: one.id, from, form: PLAIN_CELL })));
    const fact = fc.constantFrom(...CELL_FACTS).map((one): CellPiece => plain({ fact: one }));
    const words = fc.stringMatching(/^[A-Za-z0-9 {}·/-]{1,8}$/).map((text): CellPiece => ({ words: text }));
    fc.assert(
      fc.property(fc.array(fc.oneof(source, fact, words), { minLength: 1, maxLength: 6 }), (list) => {
        const joined: CellPiece[] = [];
        for (const piece of list) {
          const last = joined.at(-1);
          if (last && 'words' in last && 'words' in piece) joined[joined.length - 1] = { words: last.words + piece.words };
          else joined.push(piece);
        }
        // Blanks alone show nothing; text equal to a name means that name.
        const [only] = joined;
        fc.pre(
          !(
            joined.length === 1 &&
            only &&
            'words' in only &&
            (only.words.trim() === '' || nameables(properties).some((one) => one.name.toLowerCase() === only.words.trim().toLowerCase()))
          ),
        );
        expect(readTyped(typedText(joined, properties), properties)).toEqual({ shows: joined, unknown: [] });
      }),
    );
  });

  it('is completed where the name is being typed', () => {
    expect(nameAt('mat', 3)).toEqual({ from: 0, to: 3, name: 'mat' });
    expect(nameAt('a {Mat} b', 6)).toEqual({ from: 2, to: 7, name: 'Mat' });
    expect(nameAt('a {Ma', 5)).toEqual({ from: 2, to: 5, name: 'Ma' });
    expect(nameAt('a {Mat} b', 9)).toBeNull();
    expect(suggested('number', nameables(properties)).map((one) => one.name)).toEqual([
      'number of sheets',
      'number of sheets in set',
      'sheet number',
      'sheet number in set',
    ]);
    expect(suggested('name of', nameables(properties), 2)).toEqual([]);
    expect(suggested('no', nameables(properties)).map((one) => one.name)).toContain('PART_NO');
  });
});

describe('the form of a text', () => {
  const form = PLAIN_CELL;
  const mass = property(9, 'Mass', { type: 'number', unit: 'kg', decimals: 3 });
  const length = property(10, 'Length', { type: 'number', unit: 'mm' });

  it('has decimals, a decimal sign, a unit and fractions of its own', () => {
    expect(formed(1.2345, mass, form)).toBe('1.234');
    expect(formed(1.25, mass, { ...form, decimals: 1, unit: true })).toMatch(/^1\.[23] kg$/);
    expect(formed(1.5, mass, { ...form, decimalSign: 'comma' })).toBe('1,500');
    expect(formed(1.5, mass, { ...form, inUnit: 'g', decimals: 0, unit: true })).toBe('1500 g');
    expect(formed(50.8, length, { ...form, inUnit: 'in', number: 'fraction', denominator: 16, unit: true })).toBe('2"');
    expect(formed(41.275, length, { ...form, inUnit: 'in', number: 'fraction', denominator: 16 })).toBe('1 5/8');
  });

  it('writes dates with months in the language of the sheet, and people by their initials', () => {
    expect(dateText('2026-11-09', { date: 'DD.MM.YYYY' })).toBe('09.11.2026');
    expect(dateText('2026-11-09', { date: 'DD MMM YYYY' })).toBe('09 Nov 2026');
    expect(dateText('2026-03-09', { date: 'DD MMM YYYY', language: 'fr' })).toBe('09 mars 2026');
    expect(dateText('soon', { date: 'DD.MM.YYYY' })).toBe('soon');
    expect(initials('Karl-Heinz van Dam')).toBe('KHVD');
    expect(formed('Ewa Łukasik', property(11, 'Drawn by', { type: 'person' }), { ...form, person: 'initials' })).toBe('EŁ');
    expect(formed('Ewa Łukasik', property(11, 'Drawn by', { type: 'person' }), { ...form, person: 'short', letters: 'capitals' })).toBe('E. ŁUKASIK');
  });

  /** Inch drawing scales from handbooks of architectural and engineering drafting (common practice). */
  it.each([
    [1 / 4, `3" = 1'-0"`],
    [1 / 8, `1 1/2" = 1'-0"`],
    [1 / 12, `1" = 1'-0"`],
    [1 / 16, `3/4" = 1'-0"`],
    [1 / 24, `1/2" = 1'-0"`],
    [1 / 48, `1/4" = 1'-0"`],
    [1 / 96, `1/8" = 1'-0"`],
    [1 / 192, `1/16" = 1'-0"`],
    [1 / 384, `1/32" = 1'-0"`],
    [1 / 240, `1" = 20'-0"`],
    [1 / 600, `1" = 50'-0"`],
    [1, 'full size'],
    [2, '2:1'],
  ])('writes the scale %d as %s', (scale, text) => expect(feetScaleText(scale)).toBe(text));

  it('says which scale a sheet has where its views differ', () => {
    const views = { main: 0.5, largest: 0.2, differ: true };
    expect(sheetScaleText(views)).toBe('1:2');
    expect(sheetScaleText(views, { as: 'ratio', rule: 'of the largest view', words: '' })).toBe('1:5');
    expect(sheetScaleText(views, { as: 'ratio', rule: 'words', words: 'AS SHOWN' })).toBe('AS SHOWN');
    expect(sheetScaleText({ ...views, differ: false }, { as: 'ratio', rule: 'words', words: 'AS SHOWN' })).toBe('1:2');
    expect(sheetScaleText({ main: null, largest: null, differ: false })).toBeNull();
  });
});

describe('the owner of what a cell shows', () => {
  const place: BlockPlace = { file: 7, holder: 'insert:1', model: 9, set: 3, project: null, company: 1 };
  const shows = (...pieces: CellPiece[]): Pick<Binding, 'shows'> => ({ shows: pieces });

  it('is the model, the drawing, the sheet or a holder above, with the words around the value', () => {
    expect(ownerOf(shows({ words: 'Mat. ' }, plain({ property: 1, from: 'model' })), place)).toEqual({
      file: 9,
      holder: '',
      property: 1,
      before: 'Mat. ',
      behind: '',
    });
    expect(ownerOf(shows(plain({ property: 2, from: 'sheet' })), place)).toMatchObject({ file: 7, holder: 'insert:1' });
    expect(ownerOf(shows({ property: 3, from: 'drawing set', form: PLAIN_CELL }), place)).toMatchObject({ file: -3 });
    expect(ownerOf(shows({ property: 3, from: 'company', form: PLAIN_CELL }), place)).toMatchObject({ file: -1 });
  });

  it('is nobody for several values, a fact, or a holder that there is not', () => {
    expect(ownerOf(shows(plain({ property: 3, from: 'project' })), place)).toBeNull();
    expect(ownerOf(shows(plain({ property: 1, from: 'model' })), { ...place, model: null })).toBeNull();
    expect(ownerOf(shows(plain({ property: 1, from: 'model' }), plain({ property: 2, from: 'sheet' })), place)).toBeNull();
    expect(ownerOf(shows(plain({ property: 1, from: 'model' }), plain({ fact: 'scale' })), place)).toBeNull();
    expect(ownerOf(shows({ words: 'x' }), place)).toBeNull();
  });

  it('takes texts up that agree, and none that contradict each other or are no value', () => {
    const owner = { file: 9, holder: '', property: 1, before: '', behind: ' kg' };
    const loose = (drawing: number, text: string, over: Partial<LooseText['owner']> = {}): LooseText => ({
      drawing,
      holder: 'insert:1',
      tag: 'T',
      text,
      owner: { ...owner, ...over },
    });
    const { values, conflicts } = takeUp(
      [
        loose(1, '2 kg'),
        loose(2, ' 2 kg'),
        loose(3, '3 kg', { file: 10 }),
        loose(4, '4 kg', { file: 10 }),
        loose(5, '5 lb', { file: 11 }),
        loose(6, 'heavy kg', { file: 12 }),
      ],
      (text) => (/^\d+$/.test(text) ? null : `${text} is not a number.`),
    );
    expect(values).toEqual([{ file: 9, holder: '', property: 1, text: '2' }]);
    expect(conflicts.map((one) => [one.drawing, one.why])).toEqual([
      [5, 'It is not between the words “… kg”.'],
      [6, 'heavy is not a number.'],
      [3, 'Sheets show different texts for the same value: “3”, “4”.'],
      [4, 'Sheets show different texts for the same value: “3”, “4”.'],
    ]);
    expect(valueInside('abc', { before: 'ab', behind: 'bc' })).toBeNull();
  });

  it('never takes up two values for one owner, whatever the texts', () => {
    const text = fc.record({ file: fc.integer({ min: 1, max: 3 }), property: fc.integer({ min: 1, max: 2 }), text: fc.constantFrom('a', 'b', '', ' a ') });
    fc.assert(
      fc.property(fc.array(text, { maxLength: 12 }), (list) => {
        const texts = list.map((one, i): LooseText => ({
          drawing: i,
          holder: 'h',
          tag: 'T',
          text: one.text,
          owner: { file: one.file, holder: '', property: one.property, before: '', behind: '' },
        }));
        const { values, conflicts } = takeUp(texts, () => null);
        const keys = values.map((value) => `${value.file}/${value.property}`);
        expect(new Set(keys).size).toBe(keys.length);
        for (const value of values) {
          const own = texts.filter((one) => one.owner.file === value.file && one.owner.property === value.property && one.text.trim() !== '');
          expect(own.every((one) => one.text.trim() === value.text)).toBe(true);
        }
        expect(conflicts.length).toBeLessThanOrEqual(texts.length);
      }),
    );
  });
});
