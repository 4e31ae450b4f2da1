import { describe, expect, it } from '@jest/globals';
import { SCHEMA_COLUMNS, Property, PropertyDraft, checkDefinition, checkProposed, compareNames, judge, nameOddity, newDraft } from '../src/schema';
import { compileStandIns, heldText } from '../src/values';

const draft = (change: Partial<PropertyDraft> = {}): PropertyDraft => ({ ...newDraft('Material'), ...change });
const property = (change: Partial<Property> = {}): Property => ({ id: 1, retired: false, ...draft(), ...change });
const standIns = compileStandIns(['-*', ' *']);
const codes = (p: Property, text: string) => {
  const check = checkProposed(text, p, standIns);
  return check.ok ? [] : check.violations.map((violation) => violation.code);
};

describe('written names', () => {
  it.each([
    ['Material', 'Material', 'same'],
    ['Material', 'MATERIAL', 'case'],
    ['Material', 'Material ', 'blanks'],
    ['Part number', 'Part  number', 'blanks'],
    ['Part number', 'part\u00a0Number', 'case and blanks'],
    ['Gr\u00f6\u00dfe', 'Gro\u0308\u00dfe', 'blanks'],
    ['Material', 'Matl', 'different'],
  ])('%j and %j: %s', (a, b, likeness) => {
    expect(compareNames(a, b)).toBe(likeness);
    expect(compareNames(b, a)).toBe(likeness);
  });
  it('says what is odd about a name', () => {
    expect(nameOddity('Material ')).toBe('a space at the end');
    expect(nameOddity('Mat\u200berial')).toBe('an invisible character');
    expect(nameOddity('Part number')).toBeNull();
  });
});

describe('a definition', () => {
  const others = [{ id: 7, writtenName: 'Material', retired: false }];
  it.each([
    [{ writtenName: 'Material' }, 'name-taken'],
    [{ writtenName: 'material' }, 'name-alike'],
    [{ writtenName: 'Material ' }, 'name-alike'],
    [{ writtenName: ' Finish' }, 'name-odd'],
    [{ writtenName: '' }, 'blank'],
    [{ writtenName: 'Colour', kinds: [] }, 'kinds'],
    [{ writtenName: 'Colour', type: 'choice' as const }, 'choices'],
    [{ writtenName: 'Colour', type: 'choice' as const, choices: ['red', 'Red'] }, 'choices'],
    [{ writtenName: 'Mass', type: 'number' as const, unit: 'stone' }, 'unit'],
    [{ writtenName: 'Mass', type: 'number' as const, min: 3, max: 2 }, 'range'],
    [{ writtenName: 'Name', minLength: 3, maxLength: 2 }, 'range'],
    [{ writtenName: 'Author', feed: 'file' as const }, 'feed'],
  ])('%j is refused: %s', (change, code) => expect(checkDefinition(draft(change), others).map((problem) => problem.code)).toContain(code));

  it('names the property that has the name, also a retired one', () => {
    const [problem] = checkDefinition(draft({ writtenName: 'MATERIAL' }), [{ id: 7, writtenName: 'Material', retired: true }]);
    expect(problem!.message).toBe('The schema has "Material" (retired), which differs only in case.');
  });
  it('is accepted when it is in order', () => expect(checkDefinition(draft({ writtenName: 'Finish' }), others)).toEqual([]));
});

describe('a proposed value', () => {
  it('keeps to length, range, decimals and choices', () => {
    expect(codes(property({ maxLength: 3 }), 'abcd')).toEqual(['too-long']);
    expect(codes(property({ minLength: 3 }), 'ab')).toEqual(['too-short']);
    // One character in two code units.
    expect(codes(property({ maxLength: 1 }), '\u{1F529}')).toEqual([]);
    expect(codes(property({ type: 'number', min: 0, decimals: 1 }), '-1.25')).toEqual(['too-small', 'decimals']);
    expect(codes(property({ type: 'whole', max: 9 }), '10')).toEqual(['too-large']);
    expect(codes(property({ type: 'choice', choices: ['S235JR'] }), 'S235 JR')).toEqual(['not-a-choice']);
    expect(codes(property({ type: 'date' }), '2026-02-30')).toEqual(['type']);
    expect(codes(property(), 'a ')).toEqual(['edge-blank']);
  });
  it('is never a placeholder or a stand-in', () => {
    expect(codes(property({ placeholder: 'material' }), 'material')).toEqual(['stand-in']);
    expect(codes(property(), '--')).toEqual(['stand-in']);
    expect(codes(property({ type: 'choice', choices: ['-', 'x'] }), '-')).toEqual([]);
  });
  it('blanks a property unless it is required', () => {
    expect(checkProposed('', property(), standIns)).toEqual({ ok: true, held: null });
    expect(codes(property({ required: true }), '')).toEqual(['required']);
  });
  it('becomes what the file holds', () => {
    expect(checkProposed('2500 g', property({ type: 'number', unit: 'kg' }), standIns)).toEqual({
      ok: true,
      held: { text: '2.5', form: 'measure', unit: 'kg' },
    });
    expect(checkProposed('Yes', property({ type: 'yesno' }), standIns)).toEqual({ ok: true, held: { text: 'yes', form: 'boolean' } });
  });
});

describe('what a file holds', () => {
  it('is blank, a stand-in, a value, or no value of its type', () => {
    const p = property({ required: true, type: 'whole' });
    expect(judge(null, p, standIns)).toMatchObject({ state: 'blank', violations: [{ code: 'required' }] });
    expect(judge(heldText(''), p, standIns)).toMatchObject({ state: 'blank' });
    expect(judge(heldText('--'), p, standIns)).toMatchObject({ state: 'stand-in', violations: [{ code: 'stand-in' }, { code: 'required' }] });
    expect(judge(heldText('7'), p, standIns)).toEqual({ state: 'value', value: 7, violations: [] });
    expect(judge(heldText('seven'), p, standIns)).toMatchObject({ state: 'unreadable', violations: [{ code: 'type' }] });
  });
  it('points at the choice that another wording stands for', () => {
    const p = property({ type: 'choice', choices: ['1.4301', 'S235JR'] });
    expect(judge(heldText('s235jr'), p, standIns)).toMatchObject({ violations: [{ code: 'not-a-choice', message: '"s235jr" is another spelling of S235JR' }] });
  });
});

describe('where a value comes from, in the workbook of the schema', () => {
  const column = SCHEMA_COLUMNS.find((one) => one.header === 'Comes from')!;
  it.each([
    [{ feed: 'typed' as const }],
    [{ feed: 'file' as const, fileField: 'author' as const }],
    [{ feed: 'model' as const, modelFact: 'mass' as const }],
    [{ feed: 'model' as const, modelFact: 'volume' as const }],
    [{ feed: 'sheet' as const, sheetFact: 'scale' as const }],
    [{ feed: 'inherited' as const, inheritFrom: 'project' as const }],
    [{ feed: 'counted' as const, series: 'Parts' }],
  ])('%j comes back as it went out', (change) => {
    const draft = { ...newDraft('X'), ...change };
    const read = column.read(column.write({ ...draft, retired: false }));
    expect(read).toMatchObject(change);
    expect({ ...draft, ...(read as object) }).toEqual(draft);
  });
});
