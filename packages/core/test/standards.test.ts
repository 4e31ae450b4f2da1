import { describe, expect, it } from '@jest/globals';
import { checkDefinition, newDraft } from '../src/schema';
import { CheckedSheet, SHEETS, STARTERS, TITLE_BLOCK_FIELDS, checkStandards, isInchScale, isIsoScale } from '../src/standards';
import { DEFAULT_ABBREVIATIONS } from '../src/survey';

const property = (id: number, writtenName: string, change = {}) => ({ ...newDraft(writtenName), id, retired: false, ...change });
const sheet = (change: Partial<CheckedSheet>): CheckedSheet => ({
  file: 1,
  path: 'a.dxf',
  layout: 'A3',
  paper: null,
  scales: [],
  lettering: [],
  unit: 1,
  ...change,
});

describe('standards', () => {
  it('ISO 7200 has the obligatory fields with their lengths (from memory)', () => {
    expect(TITLE_BLOCK_FIELDS.filter((field) => field.obligatory).map(({ name, length }) => [name, length])).toEqual([
      ['Legal owner', null],
      ['Identification number', 16],
      ['Date of issue', 10],
      ['Sheet number', 4],
      ['Title', 25],
      ['Approval person', 20],
      ['Creator', 20],
      ['Document type', 30],
    ]);
  });
  it('sheets after ISO 5457 keep the ratio 1:√2, and halve from size to size', () => {
    const iso = SHEETS.filter((size) => size.practice === 'iso');
    for (const { short, long } of iso) expect(long / short).toBeCloseTo(Math.SQRT2, 1.9);
    for (let i = 1; i < iso.length; i++) expect(Math.abs(iso[i]!.long - iso[i - 1]!.short)).toBeLessThanOrEqual(1);
  });
  it.each([
    [1, true, true],
    [0.5, true, true],
    [0.2, true, false],
    [0.1, true, true],
    [1 / 192, false, true],
    [1 / 48, false, true],
    [0.25, false, true],
    [5, true, false],
    [1 / 30, false, true],
    [0.37, false, false],
  ])('scale %d: ISO 5455 %p, inch practice %p', (ratio, iso, inch) => expect([isIsoScale(ratio), isInchScale(ratio)]).toEqual([iso, inch]));
  it('finds fields without a property, by name, common name and abbreviation', () => {
    const findings = checkStandards(
      'iso',
      [
        property(1, 'Part number', { maxLength: 12 }),
        property(2, 'Desc', { required: true }),
        property(3, 'DRAWN BY', { required: true }),
        property(4, 'Appr. by'),
      ],
      [],
      DEFAULT_ABBREVIATIONS,
    );
    const about = (name: string) => findings.filter((finding) => finding.subject === name).map((finding) => finding.message);
    expect(about('Identification number')).toEqual([
      'Part number allows 12 characters, but the field Identification number has room for 16.',
      'Part number is used for the obligatory field Identification number but is not required.',
    ]);
    expect(about('Title')).toEqual([]);
    expect(about('Creator')).toEqual([]);
    expect(about('Approval person')).toEqual(['Appr. by is used for the obligatory field Approval person but is not required.']);
    expect(about('Legal owner')).toEqual(['The obligatory field Legal owner has no property.']);
    expect(findings.every((finding) => finding.source.fromMemory)).toBe(true);
  });
  it('finds sheets, scales and lettering that are none of the standard', () => {
    const iso = checkStandards(
      'iso',
      [],
      [
        sheet({
          paper: { width: 420, height: 297 },
          scales: [0.5, 0.4],
          lettering: [
            { cell: 'T', height: 3 },
            { cell: 'N', height: 3.5 },
          ],
        }),
        sheet({ paper: { width: 431.8, height: 279.4 } }),
      ],
      [],
    );
    expect(iso.filter((finding) => finding.file).map((finding) => finding.about)).toEqual(['scale', 'lettering', 'sheet size']);
    const asme = checkStandards(
      'asme',
      [],
      [
        sheet({
          paper: { width: 431.8, height: 279.4 },
          scales: [1 / 48],
          unit: 25.4,
          lettering: [
            { cell: 'T', height: 0.1 },
            { cell: 'N', height: 0.125 },
          ],
        }),
      ],
      [],
    );
    expect(asme.filter((finding) => finding.file).map((finding) => finding.message)).toEqual(['The lettering is 0.1 in high; 0.12 in is the minimum.']);
  });
  it('starters are schemas without faults', () => {
    for (const { properties } of STARTERS) {
      const all = properties.map((draft, i) => ({ ...draft, id: i + 1, retired: false }));
      for (const own of all)
        expect(
          checkDefinition(
            own,
            all.filter((other) => other.id !== own.id),
          ).filter((problem) => problem.severity === 'error'),
        ).toEqual([]);
    }
    const iso = STARTERS.find((starter) => starter.id === 'iso-title-block')!;
    expect(
      checkStandards(
        'iso',
        iso.properties.map((draft, i) => ({ ...draft, id: i, retired: false })),
        [],
        [],
      ).filter((finding) => finding.source.standard.startsWith('ISO 7200')),
    ).toEqual([]);
  });
});
