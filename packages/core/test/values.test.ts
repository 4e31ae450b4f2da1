import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  DEFAULT_STAND_INS,
  LETTER_FORMS,
  PLAIN_FORM,
  ShownForm,
  TypeSpec,
  TypedValue,
  compileStandIns,
  convert,
  dateInForm,
  editText,
  holdValue,
  inLetters,
  isDateForm,
  isIsoDate,
  parseText,
  plainNumber,
  readHeld,
  readFraction,
  shortPerson,
  showValue,
  titleCase,
} from '../src/values';

const value = (text: string, spec: TypeSpec) => {
  const parsed = parseText(text, spec);
  return parsed.ok ? parsed.value : parsed.problem.code;
};

describe('numbers', () => {
  const number: TypeSpec = { type: 'number', unit: 'kg', decimals: 3 };

  it.each([
    ['12.5', 12.5],
    [' 12,5 ', 12.5],
    ['-0,125', -0.125],
    ['1e3', 1000],
    ['.5', 0.5],
    ['2500 g', 2.5],
    ['2 lb', 0.90718474],
    ['1,234', 'ambiguous-number'],
    ['0,234', 0.234],
    ['twelve', 'not-number'],
    ['12 mm', 'wrong-unit'],
    ['12 stone', 'unknown-unit'],
    ['1.2.3', 'not-number'],
    ['', 'not-number'],
    ['Infinity', 'not-number'],
  ])('reads %j as %j', (text, expected) => expect(value(text, number)).toBe(expected));

  it('refuses decimals in a whole number', () => {
    expect(value('3', { type: 'whole' })).toBe(3);
    expect(value('3.5', { type: 'whole' })).toBe('not-whole');
    expect(value('9007199254740993', { type: 'whole' })).toBe('not-whole');
  });

  it('writes plain numbers that read back as the same double', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (n) => {
        expect(Number(plainNumber(n))).toBe(n === 0 ? 0 : n);
      }),
    );
    expect(plainNumber(1e-7)).toBe('0.0000001');
    expect(plainNumber(1e21)).toBe('1000000000000000000000');
  });
});

describe('units', () => {
  // NIST SP 811 (2008), appendix B.8: exact factors; the pound-force foot is given there as 1.355 818 N·m.
  it.each([
    [1, 'in', 'mm', 25.4],
    [1, 'ft', 'm', 0.3048],
    [1, 'lb', 'kg', 0.45359237],
    [180, '°', 'rad', Math.PI],
    [1, 't', 'kg', 1000],
    [2, 'h', 's', 7200],
  ])('%d %s is %s %d', (n, from, to, expected) => expect(convert(n, from, to)).toBeCloseTo(expected, 12));
  it('converts torque to the seven digits that NIST gives', () => expect(convert(1, 'lbf·ft', 'N·m')).toBeCloseTo(1.355818, 6));
  it('refuses to convert between quantities', () => expect(() => convert(1, 'kg', 'mm')).toThrow(RangeError));
  it('converts there and back', () => {
    fc.assert(fc.property(fc.double({ min: 1e-6, max: 1e9, noNaN: true }), (n) => expect(convert(convert(n, 'lb', 'kg'), 'kg', 'lb') / n).toBeCloseTo(1, 12)));
  });
});

describe('dates', () => {
  // ISO 8601 extended format; the Gregorian leap year rule.
  it.each([
    ['2026-11-25', true],
    ['2024-02-29', true],
    ['2026-02-29', false],
    ['1900-02-29', false],
    ['2000-02-29', true],
    ['2026-13-01', false],
    ['2026-00-10', false],
    ['2026-04-31', false],
    ['25.11.2026', false],
    ['2026-11-25T10:00', false],
  ])('%s: %s', (text, real) => expect(isIsoDate(text)).toBe(real));
});

describe('a held value', () => {
  const typed: fc.Arbitrary<[TypeSpec, TypedValue]> = fc.oneof(
    fc.tuple(fc.constant<TypeSpec>({ type: 'text' }), fc.string()),
    fc.tuple(fc.constant<TypeSpec>({ type: 'whole' }), fc.maxSafeInteger()),
    fc.tuple(fc.constantFrom<TypeSpec>({ type: 'number' }, { type: 'number', unit: 'mm' }), fc.double({ noNaN: true, noDefaultInfinity: true })),
    fc.tuple(fc.constant<TypeSpec>({ type: 'yesno' }), fc.boolean()),
    fc.tuple(
      fc.constant<TypeSpec>({ type: 'date' }),
      fc.date({ min: new Date('1000-01-01'), max: new Date('9999-12-31'), noInvalidDate: true }).map((d) => d.toISOString().slice(0, 10)),
    ),
  );
  it('reads back as it was written', () => {
    fc.assert(
      fc.property(typed, ([spec, v]) => {
        const parsed = readHeld(holdValue(v, spec), spec);
        // Negative zero has no text of its own.
        expect(parsed.ok && (Object.is(parsed.value, -0) ? 0 : parsed.value)).toEqual(Object.is(v, -0) ? 0 : v);
      }),
    );
  });
  it('is converted to the unit of the property', () => {
    expect(readHeld({ text: '2500', form: 'measure', unit: 'g' }, { type: 'number', unit: 'kg' })).toEqual({ ok: true, value: 2.5 });
    expect(readHeld({ text: '1', form: 'measure', unit: 'mm' }, { type: 'number', unit: 'kg' })).toMatchObject({ ok: false });
  });
  it('is shown with its decimals', () => {
    expect(showValue(2.5, { type: 'number', unit: 'kg', decimals: 3 }, true)).toBe('2.500 kg');
    expect(showValue(true, { type: 'yesno' })).toBe('yes');
  });
});

describe('stand-ins', () => {
  const standIns = compileStandIns(DEFAULT_STAND_INS);
  it.each([' ', '   ', '-', '---', '.', 'XX', 'xxx', '???', 'TBD'])('%j stands in', (text) => expect(standIns.matches(text)).toBe(true));
  it.each(['', 'X', '-5', 'S235JR', '--x', 'XXL'])('%j does not', (text) => expect(standIns.matches(text)).toBe(false));
});

describe('inch practice', () => {
  const form = (change: Partial<ShownForm>): ShownForm => ({ ...PLAIN_FORM, ...change });
  const inch: TypeSpec = { type: 'number', unit: 'in', form: form({ number: 'fraction', denominator: 64 }) };
  const feet: TypeSpec = { type: 'number', unit: 'ft', form: form({ number: 'feet and inches', denominator: 16 }) };

  it.each<[string, TypeSpec, number | string]>([
    ['3 1/2', inch, 3.5],
    ['3-1/2', inch, 3.5],
    ['1/4"', inch, 0.25],
    ['-1/64', inch, -0.015625],
    ['2\' 3 1/2"', inch, 27.5],
    ['2\'-3"', inch, 27],
    ['2 ft 3 in', inch, 27],
    ['2′ 6″', feet, 2.5],
    ['1/2', feet, 0.5],
    ['6"', feet, 0.5],
    ['1/4"', { type: 'number', unit: 'mm' }, 6.35],
    ['1/2', { type: 'number', unit: 'kg' }, 'not-number'],
    ['1/0', inch, 'not-number'],
    ['3.5 1/2', inch, 'not-number'],
    ['1/2"', { type: 'number', unit: 'kg' }, 'wrong-unit'],
  ])('%s', (text, spec, expected) => expect(value(text, spec)).toBe(expected));

  it('shows fractions in their lowest terms, rounded to the denominator', () => {
    expect(showValue(3.5, inch)).toBe('3 1/2');
    expect(showValue(0.2501, inch, true)).toBe('1/4"');
    expect(showValue(-0.001, inch)).toBe('0');
    expect(showValue(2.2917, feet)).toBe('2\'-3 1/2"');
    expect(showValue(25.4, { type: 'number', unit: 'mm', form: form({ unit: 'in', number: 'fraction' }) })).toBe('1');
  });
  it('shows another unit than the one that is stored', () => {
    // NIST SP 811: 1 lb = 0.453 592 37 kg, 1 ft² = 0.092 903 04 m².
    expect(showValue(1, { type: 'number', unit: 'kg', decimals: 3, form: form({ unit: 'lb', decimals: 2 }) }, true)).toBe('2.20 lb');
    expect(showValue(0.09290304, { type: 'number', unit: 'm²', form: form({ unit: 'ft²' }) }, true)).toBe('1 ft²');
  });
  it('is not read out of other units', () =>
    expect([readFraction('12 lbf ft', null), readFraction('1/2', 'mm'), readFraction('12', 'in')]).toEqual([null, null, null]));
});

describe('the text that a person edits', () => {
  const forms = fc.record<ShownForm>({
    letters: fc.constantFrom(...LETTER_FORMS),
    decimals: fc.option(fc.nat(4), { nil: null }),
    unit: fc.constant(null),
    number: fc.constantFrom('decimal', 'fraction', 'feet and inches'),
    denominator: fc.constantFrom(2, 8, 16, 64),
    date: fc.constantFrom('YYYY-MM-DD', 'DD.MM.YYYY', 'MM/DD/YYYY', 'DD/MM/YY', 'YYYYMMDD'),
    person: fc.constantFrom('full', 'short'),
  });
  const back = (typed: TypedValue, spec: TypeSpec) => value(editText(typed, spec), spec);
  it('reads back as the same number, whatever the form', () => {
    fc.assert(
      fc.property(
        forms,
        fc.constantFrom('in', 'ft', 'mm', 'kg', null),
        fc.oneof(
          fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e6, max: 1e6 }),
          fc.integer({ min: -5000, max: 5000 }).map((n) => n / 64),
        ),
        (form, unit, n) => {
          // Files cannot distinguish minus zero from zero.
          expect(back(n + 0, { type: 'number', unit, form })).toBe(n + 0);
        },
      ),
      { numRuns: 2000 },
    );
  });
  it('writes a fraction where it is exact', () => {
    const spec: TypeSpec = { type: 'number', unit: 'in', form: { ...PLAIN_FORM, number: 'fraction', denominator: 16 } };
    expect(editText(2.0625, spec)).toBe('2 1/16"');
    expect(editText(2.03125, spec)).toBe('2.03125');
  });
  it('reads back as the same date, text and word', () => {
    fc.assert(
      fc.property(forms, fc.integer({ min: 0, max: 60_000 }), (form, day) => {
        const date = new Date(day * 86_400_000).toISOString().slice(0, 10);
        expect(back(date, { type: 'date', form })).toBe(date);
      }),
    );
    fc.assert(
      fc.property(forms, fc.string(), fc.constantFrom('text', 'longtext', 'choice', 'person', 'file'), (form, text, type) =>
        expect(back(text, { type, form })).toBe(text),
      ),
    );
    for (const words of [null, ['ja', 'nein'], ['X', 'O']] as const) for (const word of [true, false]) expect(back(word, { type: 'yesno', words })).toBe(word);
  });
});

describe('forms of words and dates', () => {
  it('yes and no are held in the words of the company', () => {
    const spec: TypeSpec = { type: 'yesno', words: ['Ja', 'Nein'] };
    expect(holdValue(true, spec)).toEqual({ text: 'Ja', form: 'text' });
    expect(readHeld({ text: 'nein', form: 'text' }, spec)).toEqual({ ok: true, value: false });
    expect(value('maybe', spec)).toBe('not-yes-no');
  });
  it('a date is shown in its form and held after ISO 8601', () => {
    const spec: TypeSpec = { type: 'date', form: { ...PLAIN_FORM, date: 'DD.MM.YYYY' } };
    expect(value('5.11.2026', spec)).toBe('2026-11-05');
    expect(value('31.02.2026', spec)).toBe('not-date');
    expect(showValue('2026-11-05', spec)).toBe('05.11.2026');
    expect(holdValue('2026-11-05', spec)).toEqual({ text: '2026-11-05', form: 'text' });
    expect(dateInForm('2026-11-05', 'MM/DD/YY')).toBe('11/05/26');
    expect(['DD.MM.YYYY', 'YYYY', 'YYYY-MM-DD hh', 'MM/DD/YY', 'YYYY-MM-MM'].map(isDateForm)).toEqual([true, false, false, true, false]);
  });
  it.each([
    ['Anna Maria Varga', 'A. M. Varga'],
    ['Varga', 'Varga'],
    ['', ''],
    ['  jo   lindqvist ', 'J. lindqvist'],
  ])('the short form of %p', (name, short) => expect(shortPerson(name)).toBe(short));
  it('letters are shown in a form; words in capitals stay in title case', () => {
    expect(LETTER_FORMS.map((form) => inLetters('größe ISO o-ring', form))).toEqual([
      'größe ISO o-ring',
      'Größe ISO O-Ring',
      'Größe ISO o-ring',
      'GRÖSSE ISO O-RING',
      'größe iso o-ring',
    ]);
    expect(titleCase('')).toBe('');
  });
});
