import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  DEFAULT_STAND_INS,
  TypeSpec,
  TypedValue,
  compileStandIns,
  convert,
  holdValue,
  isIsoDate,
  parseText,
  plainNumber,
  readHeld,
  showValue,
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
