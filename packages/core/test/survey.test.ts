import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { EMPTY_SCHEMA, PreparedSchema, Property, newDraft } from '../src/schema';
import {
  CleanUp,
  DEFAULT_ABBREVIATIONS,
  DEFAULT_SYNONYMS,
  HolderValues,
  ValueCount,
  checkFile,
  cleanUp,
  clashKey,
  clusterValues,
  columnOf,
  draftFrom,
  findTwins,
  gravest,
  guessType,
  isAbbreviation,
  namesRead,
  patternOf,
  pictureOf,
  readLooseDate,
  readQuantity,
  recase,
  translate,
  trimmed,
  wordsOf,
} from '../src/survey';
import { DEFAULT_STAND_INS, HeldValue, compileStandIns, heldText } from '../src/values';
import { TRUTH, judged } from './twins-truth';

const standIns = compileStandIns(DEFAULT_STAND_INS);
const value = (text: string, files = 1, more: Partial<ValueCount> = {}): ValueCount => ({
  text,
  form: 'text',
  unit: null,
  files,
  standIn: standIns.matches(text),
  ...more,
});
const property = (writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id: 1, retired: false, ...more });

describe('names that probably mean the same', () => {
  const grouped = (...names: string[]) => findTwins(names, DEFAULT_ABBREVIATIONS).map((group) => [...group.names].sort());
  const fit = (truth: typeof TRUTH) =>
    judged(
      findTwins(truth.flat(), DEFAULT_ABBREVIATIONS).map((group) => group.names),
      truth,
    );
  it.each([
    ['looked at while tuning', TRUTH.filter((_, i) => i % 2 === 0)],
    ['held back', TRUTH.filter((_, i) => i % 2 === 1)],
    ['all together', TRUTH],
  ])('finds 0.95 of the pairs among 300 names of companies, and 0.98 of what it finds are pairs: %s', (_, truth) => {
    const { recall, precision, missed, wrong } = fit(truth);
    expect({ missed: recall >= 0.95 ? [] : missed, wrong: precision >= 0.98 ? [] : wrong }).toEqual({ missed: [], wrong: [] });
  });
  it('keeps apart what only looks alike', () => {
    expect(
      grouped('Drawn', 'Drawing', 'Part', 'Party', 'Form', 'Format', 'Rev A Date', 'Rev B Date', 'Number of Sheets', 'Sheet Number', 'File Name', 'File', 'Temp (min)', 'Temp max'),
    ).toEqual([]); // prettier-ignore
  });

  it.each([
    ['PartNo', ['part', 'no']],
    ['HTMLText', ['html', 'text']],
    ['M8x25', ['m', '8', 'x', '25']],
    ['Prüfer_2', ['prufer', '2']],
    ['  Date of issue ', ['date', 'of', 'issue']],
  ])('splits %s into words', (name, words) => expect(wordsOf(name)).toEqual(words));

  // Spellings designers use for the same thing (common practice).
  it.each([
    [['Material', 'Material ', 'MATERIAL'], 'case or blanks'],
    [['Part number', 'PartNumber', 'part_number'], 'same words'],
    [['Part number', 'Part No.', 'PN', 'P/N'], 'abbreviation'],
    [['Checked by', 'Chkd by'], 'abbreviation'],
    [['Date of issue', 'issue date'], 'abbreviation'],
    [['Surface treatment', 'Surf. treat.'], 'abbreviation'],
    [['Contractor', 'Cntrctr'], 'letters left out'],
    [['Responsible', 'Responsable'], 'spelling'],
  ])('%j are found by %s', (names, reason) => {
    const groups = findTwins([...names, 'Something else'], DEFAULT_ABBREVIATIONS);
    const [group] = groups;
    expect(group!.names).toContain(names[0]);
    expect(group!.names).toContain(names[1]);
    expect(group!.reasons).toContain(reason);
    expect(groups.flatMap((entry) => entry.names)).not.toContain('Something else');
  });

  // Pairs that plain edit distance confuses.
  it.each([
    ['Inner diameter', 'Outer diameter'],
    ['Max load', 'Min load'],
    ['Length 1', 'Length 2'],
    ['Drawn by', 'Drawn date'],
    ['Start date', 'State date'],
    ['Width', 'Weight'],
    ['Mass', 'Glass'],
  ])('%s and %s stay apart', (a, b) => expect(grouped(a, b)).toEqual([]));

  it('an abbreviation begins with the same letter and keeps their order', () => {
    expect(isAbbreviation('mtl', 'material')).toBe(true);
    expect(isAbbreviation('mlt', 'material')).toBe(false);
    expect(isAbbreviation('ate', 'material')).toBe(false);
    expect(isAbbreviation('ma', 'material')).toBe(false);
  });

  it('every name is in one group at most, whatever the names', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 14 }), { maxLength: 25 }), (names) => {
        const all = findTwins(names, DEFAULT_ABBREVIATIONS).flatMap((group) => group.names);
        expect(new Set(all).size).toBe(all.length);
        for (const name of all) expect(names).toContain(name);
      }),
    );
  });
});

describe('values of one name', () => {
  it('reads numbers with their units, and nothing else', () => {
    expect(readQuantity('12,5 kg')).toEqual({ number: '12.5', unit: 'kg' });
    expect(readQuantity('1.5E-7 m')).toEqual({ number: '1.5E-7', unit: 'm' });
    expect(readQuantity('8')).toEqual({ number: '8', unit: null });
    expect(readQuantity('M8')).toBeNull();
    expect(readQuantity('8 bananas')).toBeNull();
    expect(readQuantity('1.4301 steel')).toBeNull();
  });

  it('reads dates as people write them, unless they can be read in two ways', () => {
    expect(readLooseDate('14.3.2019')).toBe('2019-03-14');
    expect(readLooseDate('2019/05/02')).toBe('2019-05-02');
    expect(readLooseDate('09/27/2019')).toBe('2019-09-27');
    expect(readLooseDate('27/09/2019')).toBe('2019-09-27');
    expect(readLooseDate('3 May 2019')).toBe('2019-05-03');
    expect(readLooseDate('03/04/2026')).toBeNull();
    // Not a leap year (ISO 8601).
    expect(readLooseDate('29.2.2019')).toBeNull();
    expect(readLooseDate('29.2.2024')).toBe('2024-02-29');
    expect(readLooseDate('June 2019')).toBeNull();
  });

  it('clusters by case, word order, synonyms and spelling, and says why', () => {
    const clusters = clusterValues(
      ['brushed', 'Brushed', 'BRUSHED ', 'steel, stainless', 'stainless steel', 'inox', 'galvanised', 'zinc plated', 'powder coating', 'powder coatng'].map(
        (text, i) => value(text, 20 - i),
      ),
      DEFAULT_SYNONYMS,
    );
    const of = (text: string) => clusters.filter((cluster) => cluster.values.includes(text)).map((cluster) => cluster.reason);
    expect(of('Brushed')).toEqual(['case, blanks or punctuation']);
    // Clustered by word order and a synonym: the weaker reason is reported.
    expect(of('steel, stainless')).toEqual(['synonyms']);
    expect(of('zinc plated')).toEqual(['synonyms']);
    expect(of('inox')).toEqual(['synonyms']);
    expect(of('powder coatng')).toEqual(['spelling']);
    expect(clusters.find((cluster) => cluster.values.includes('BRUSHED '))!.to).toBe('brushed');
  });

  it('leaves blanks and stand-ins out of clusters', () => {
    const standIn = (text: string, files: number) => ({ ...value(text, files), standIn: true });
    expect(clusterValues([standIn('TBD', 3), standIn('tbd', 2), value('', 5), value(' ', 4)], DEFAULT_SYNONYMS)).toEqual([]);
    expect(clusterValues([standIn('Brushed', 3), value('brushed', 2), value('BRUSHED', 1)], DEFAULT_SYNONYMS).map((cluster) => cluster.values)).toEqual([
      ['brushed', 'BRUSHED'],
    ]);
  });

  it('never clusters numbers that differ, and asks for care where digits are involved', () => {
    expect(clusterValues([value('M8 x 25'), value('M8 x 26'), value('DIN 912-88'), value('DIN 912-89')], [])).toEqual([]);
    expect(clusterValues([value('S235JR', 3), value('S235 JR')], [])[0]).toMatchObject({ to: 'S235JR', files: 4, careful: true });
  });

  it('finds outliers by their form, unreadable values and several units', () => {
    const many = Array.from({ length: 30 }, (_, i) => value(`DR15-${100 + i}`));
    expect(pictureOf([...many, value('15/100 DR')], []).outliers).toEqual([{ text: '15/100 DR', files: 1, pattern: patternOf('15/100 DR') }]);
    const masses = [value('1.2 kg', 8), value('3 lb', 2), value('heavy'), value('0.4', 4)];
    const picture = pictureOf(masses, []);
    expect(picture.byType).toEqual({ number: 14, date: 0, 'yes/no': 0, text: 1 });
    expect(picture.units).toEqual([
      { unit: 'kg', files: 8 },
      { unit: '', files: 4 },
      { unit: 'lb', files: 2 },
    ]);
    expect(picture.unreadable).toEqual([{ text: 'heavy', files: 1, wanted: 'number' }]);
    const dates = [value('14.3.2019', 9), value('03/04/2026', 1)];
    expect(pictureOf(dates, []).unreadable).toEqual([{ text: '03/04/2026', files: 1, wanted: 'date' }]);
  });

  it('guesses the type that nearly all values have, and keeps leading zeros as text', () => {
    expect(guessType([value('1.2 kg', 3), value('0.5 kg')])).toEqual({ type: 'number', unit: 'kg' });
    expect(guessType([value('1'), value('22')])).toEqual({ type: 'whole', unit: null });
    expect(guessType([value('0062042'), value('0012')])).toEqual({ type: 'text', unit: null });
    expect(guessType([value('14.3.2019'), value('2019-02-01')])).toEqual({ type: 'date', unit: null });
    expect(guessType([value('yes', 3), value('no')])).toEqual({ type: 'yesno', unit: null });
    expect(guessType([value('made', 20), value('bought', 9)])).toEqual({ type: 'choice', unit: null });
    expect(guessType([value('-', 40)])).toEqual({ type: 'text', unit: null });
  });

  it('drafts a property from what stands under a name', () => {
    expect(draftFrom('Matl ', ['part'], [value('steel', 9), value('brass', 6), value('TBD', 2)])).toMatchObject({
      writtenName: 'Matl',
      type: 'choice',
      choices: ['brass', 'steel'],
      kinds: ['part'],
    });
    expect(draftFrom('Length', ['part'], [value('12.25 mm', 2), value('3 mm')])).toMatchObject({ type: 'number', unit: 'mm', decimals: 2 });
    expect(draftFrom('Note', ['drawing'], [value('a text of some length'), value('b'), value('c')])).toMatchObject({ type: 'text', maxLength: 30 });
    expect(columnOf('Weight', -1, { type: 'whole', unit: null })).toMatchObject({
      id: -1,
      type: 'number',
      required: false,
      kinds: ['part', 'assembly', 'drawing', 'other'],
    });
  });
});

describe('cleaning up', () => {
  const holder = (values: Readonly<Record<string, string | HeldValue>>, file = 1): HolderValues => ({
    file,
    holder: '',
    values: new Map(Object.entries(values).map(([name, held]) => [name, typeof held === 'string' ? heldText(held) : held])),
  });
  /** The holder afterwards. */
  const after = (action: CleanUp, before: HolderValues, chosen?: ReadonlyMap<string, string>) => {
    const result = cleanUp(action, [before], standIns, chosen);
    const values = new Map(before.values);
    for (const { address, base, proposed } of result.lines) {
      expect(values.get(address.name) ?? null).toEqual(base);
      if (proposed === null) values.delete(address.name);
      else values.set(address.name, proposed);
    }
    return { ...result, values: Object.fromEntries([...values].map(([name, held]) => [name, held.unit ? `${held.text} ${held.unit}` : held.text])) };
  };
  const merge = (clash: Extract<CleanUp, { do: 'merge' }>['clash']): CleanUp => ({ do: 'merge', names: ['Matl', 'Material '], to: 'Material', clash });

  it('renames where nothing stands in the way', () => {
    expect(after(merge('ask'), holder({ Matl: 'S235JR', Other: 'x' })).values).toEqual({ Material: 'S235JR', Other: 'x' });
    expect(after(merge('ask'), holder({ Matl: 'S235JR', Material: '' })).values).toEqual({ Material: 'S235JR' });
    expect(after(merge('keep the filled one'), holder({ Matl: 'TBD', Material: 'DC01' })).values).toEqual({ Material: 'DC01' });
    expect(after(merge('ask'), holder({ Matl: 'DC01', 'Material ': 'DC01' })).values).toEqual({ Material: 'DC01' });
  });

  it('blanks and stand-ins are no clash, and no reason to lose a value', () => {
    for (const rule of ['keep the target', 'keep the source', 'keep the filled one', 'ask'] as const) {
      expect(after(merge(rule), holder({ Matl: '', Material: 'DC01' }))).toMatchObject({ clashes: [], values: { Material: 'DC01' } });
      expect(after(merge(rule), holder({ Matl: 'S235JR', Material: '' }))).toMatchObject({ clashes: [], values: { Material: 'S235JR' } });
      expect(after(merge(rule), holder({ Matl: 'S235JR', Material: 'TBD' }))).toMatchObject({ clashes: [], values: { Material: 'S235JR' } });
      expect(after(merge(rule), holder({ Matl: '', Material: '' }))).toMatchObject({ clashes: [], values: { Material: '' } });
      expect(after(merge(rule), holder({ Matl: '' }))).toMatchObject({ clashes: [], values: { Material: '' } });
      expect(after(merge(rule), holder({ Matl: '', 'Material ': 'C45' }))).toMatchObject({ clashes: [], values: { Material: 'C45' } });
    }
  });

  it('settles clashes by the rule, or leaves them until somebody chooses', () => {
    const both = holder({ Matl: 'S235JR', Material: 'DC01' });
    expect(after(merge('keep the target'), both).values).toEqual({ Material: 'DC01' });
    expect(after(merge('keep the source'), both).values).toEqual({ Material: 'S235JR' });
    for (const rule of ['keep the filled one', 'ask'] as const) {
      const left = after(merge(rule), both);
      expect(left.lines).toEqual([]);
      expect(left.clashes).toEqual([
        {
          file: 1,
          holder: '',
          values: [
            { name: 'Material', text: 'DC01' },
            { name: 'Matl', text: 'S235JR' },
          ],
        },
      ]);
      expect(after(merge(rule), both, new Map([[clashKey(1, ''), 'Matl']])).values).toEqual({ Material: 'S235JR' });
    }
    // Two different sources clash even if the source is kept.
    expect(after(merge('keep the source'), holder({ Matl: 'a', 'Material ': 'b' })).clashes).toHaveLength(1);
  });

  it('changes case and trims without touching numbers', () => {
    expect(recase('front plate M8 DIN', 'title')).toBe('Front Plate M8 DIN');
    expect(recase('ÄHNLICH', 'lower')).toBe('ähnlich');
    expect(recase('éclair', 'first')).toBe('Éclair');
    expect(trimmed(' a \u00a0 b\u200b ')).toBe('a b');
    expect(after({ do: 'trim', name: 'D' }, holder({ D: ' front  plate ' })).values).toEqual({ D: 'front plate' });
    const measure: HeldValue = { text: '1.5', form: 'measure', unit: 'kg' };
    expect(after({ do: 'case', name: 'D', style: 'upper' }, holder({ D: measure })).lines).toEqual([]);
  });

  it('replaces a cluster by one value, splits, joins, converts, removes', () => {
    const replace: CleanUp = { do: 'replace', name: 'F', values: ['Brushed', 'BRUSHED'], by: 'brushed' };
    expect(after(replace, holder({ F: 'BRUSHED' })).values).toEqual({ F: 'brushed' });
    expect(after(replace, holder({ F: 'polished' })).lines).toEqual([]);
    const split: CleanUp = { do: 'split', name: 'Size', separator: 'x', into: ['L', 'W'] };
    expect(after(split, holder({ Size: '40 x 20' })).values).toEqual({ L: '40', W: '20' });
    expect(after(split, holder({ Size: '40' })).leftOut[0]!.message).toContain('1 parts where 2');
    expect(after(split, holder({ Size: '40x20', L: '41' })).leftOut).toHaveLength(1);
    expect(after({ do: 'join', names: ['A', 'B'], separator: ', ', to: 'AB' }, holder({ A: '1', B: '2' })).values).toEqual({ AB: '1, 2' });
    expect(after({ do: 'join', names: ['A', 'B'], separator: ', ', to: 'A' }, holder({ A: '1', B: '2' })).values).toEqual({ A: '1, 2' });
    const convert: CleanUp = { do: 'convert', name: 'Mass', unit: 'kg' };
    // One pound is 0.45359237 kg exactly (NIST SP 811, appendix B).
    expect(after(convert, holder({ Mass: { text: '10', form: 'measure', unit: 'lb' } })).values).toEqual({ Mass: '4.5359237 kg' });
    expect(after(convert, holder({ Mass: '2 lb' })).values).toEqual({ Mass: '0.90718474 kg' });
    expect(after(convert, holder({ Mass: '12 mm' })).leftOut[0]!.message).toBe('mm cannot be converted to kg');
    expect(after({ do: 'remove', names: ['A', 'Nothing'] }, holder({ A: '1', B: '2' })).values).toEqual({ B: '2' });
  });

  it('reads all names that it writes', () => {
    fc.assert(
      fc.property(
        fc.constantFrom<CleanUp>(
          merge('ask'),
          { do: 'split', name: 'A', separator: ' ', into: ['A', 'B'] },
          { do: 'join', names: ['A', 'B'], separator: ' ', to: 'C' },
          { do: 'remove', names: ['A', 'B'] },
        ),
        fc.dictionary(fc.constantFrom('A', 'B', 'C', 'Matl', 'Material', 'Material '), fc.constantFrom('', '-', 'x', 'x y', 'z')),
        (action, values) => {
          const names = new Set(namesRead(action));
          const before = holder(values);
          for (const { address, base } of cleanUp(action, [before], standIns).lines) {
            expect(names).toContain(address.name);
            expect(base).toEqual(before.values.get(address.name) ?? null);
          }
          // Repeating it changes nothing.
          const once = after(action, before);
          if (action.do !== 'split') expect(cleanUp(action, [holder(once.values)], standIns).lines).toEqual([]);
        },
      ),
    );
  });
});

describe('foreign values', () => {
  const text = property('Description', { maxLength: 12 });
  const mass = property('Mass', { type: 'number', unit: 'kg', decimals: null });
  const held = (made: ReturnType<typeof translate>) => (made.ok ? made.held : made.message);

  it('converts as it is told and refuses what the schema would not take', () => {
    expect(held(translate(heldText('plate'), { do: 'as it is' }, text, standIns))).toEqual(heldText('plate'));
    expect(held(translate(heldText('a plate that is long'), { do: 'as it is' }, text, standIns))).toContain('may have 12 characters');
    // 2 lb in kilograms (NIST SP 811, appendix B).
    expect(held(translate(heldText('2'), { do: 'from unit', unit: 'lb' }, mass, standIns))).toEqual({ text: '0.90718474', form: 'measure', unit: 'kg' });
    expect(held(translate({ text: '2', form: 'measure', unit: 'kg' }, { do: 'from unit', unit: 'lb' }, mass, standIns))).toEqual({
      text: '2',
      form: 'measure',
      unit: 'kg',
    });
    expect(held(translate(heldText('2'), { do: 'from unit', unit: 'lb' }, { ...mass, decimals: 2 }, standIns))).toMatchObject({ text: '0.91' });
    expect(held(translate(heldText('2'), { do: 'from unit', unit: 'mm' }, mass, standIns))).toBe('mm cannot be converted to kg');
    expect(held(translate(heldText('14.3.2019'), { do: 'date' }, property('Date', { type: 'date' }), standIns))).toEqual(heldText('2019-03-14'));
    expect(held(translate(heldText('F5-001/C'), { do: 'before', separator: '/' }, text, standIns))).toEqual(heldText('F5-001'));
    expect(held(translate(heldText('F5-001/C'), { do: 'after', separator: '/' }, text, standIns))).toEqual(heldText('C'));
    expect(held(translate(heldText('F5'), { do: 'after', separator: '/' }, text, standIns))).toContain('holds no');
    expect(held(translate(heldText('plate'), { do: 'case', style: 'upper' }, text, standIns))).toEqual(heldText('PLATE'));
    const words = { do: 'words', pairs: [{ theirs: 'MS', ours: 'S235JR' }], others: 'refuse' } as const;
    expect(held(translate(heldText('ms'), words, text, standIns))).toEqual(heldText('S235JR'));
    expect(held(translate(heldText('brass'), words, text, standIns))).toContain('not in the word list');
  });

  it('takes blanks and stand-ins for nothing', () => {
    for (const blank of ['', '  ', 'TBD', '---']) expect(translate(heldText(blank), { do: 'date' }, text, standIns)).toEqual({ ok: true, held: null });
  });
});

describe('checking one file', () => {
  const law = (strangers: 'allowed' | 'reported' | 'refused') =>
    new PreparedSchema({ ...EMPTY_SCHEMA, properties, strangers: { ...EMPTY_SCHEMA.strangers, part: strangers } }, { standIns, states: [], instant: 0 });
  const properties = [
    property('Part number', { required: true }),
    property('Material', { id: 2, type: 'choice', choices: ['S235JR'] }),
    property('Old', { id: 3, retired: true }),
    property('Saved by', { id: 4, feed: 'file', fileField: 'author', required: true }),
  ];
  const schema = law('reported');
  const file = (properties: Readonly<Record<string, string>>, fields: Readonly<Record<string, string>> = { author: 'E. Varga' }) => ({
    name: 'a.step',
    folder: '',
    kind: 'part' as const,
    className: null,
    state: null,
    problem: null,
    notes: [],
    properties: new Map(Object.entries(properties).map(([name, text]) => [name, heldText(text)])),
    fields: new Map(Object.entries(fields).map(([name, text]) => [name, heldText(text)])),
  });
  const codes = (...args: Parameters<typeof checkFile>) => checkFile(...args).map(({ severity, code, name }) => `${severity} ${code} ${name}`);

  it('says what breaks the schema, what is nearly in it, and what it does not know', () => {
    expect(codes(file({ 'Part number': 'A', Material: 'S235JR' }), schema, standIns)).toEqual([]);
    expect(codes(file({ Material: 'wood', 'Part  number': 'A', Colour: '-', Old: 'x' }, {}), schema, standIns)).toEqual([
      'error required Part number',
      'error not-a-choice Material',
      'error required Saved by',
      'error nearly Part  number',
      'warning stray Colour',
      'note stand-in Colour',
    ]);
  });

  it('names outside the schema are as grave as the schema says', () => {
    const stray = file({ 'Part number': 'A', Colour: 'red' });
    expect([codes(stray, law('allowed'), standIns), codes(stray, law('refused'), standIns)]).toEqual([[], ['error stray Colour']]);
  });

  it('without a schema, only what is odd in itself', () => {
    expect(codes(file({ 'Material ': 'x', Colour: '-' }), null, standIns)).toEqual(['warning odd-name Material ', 'note stand-in Colour']);
    expect(codes({ ...file({}), problem: 'broken' }, schema, standIns)).toEqual(['error unreadable null']);
    expect(gravest([{ severity: 'note' }, { severity: 'error' }, { severity: 'warning' }])).toBe('error');
    expect(gravest([])).toBeNull();
  });
});
