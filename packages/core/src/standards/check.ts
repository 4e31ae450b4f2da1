import { Property, compareNames } from '../schema';
import { Abbreviation, findTwins } from '../survey';
import {
  ASME_FIELDS,
  ISO_3098,
  ISO_5455,
  ISO_5457,
  LEAST_LETTERING_INCH,
  LETTERING_MM,
  PARTS_LIST_FIELDS,
  SHEETS,
  Source,
  StandardField,
  TITLE_BLOCK_FIELDS,
  Y14_1,
  Y14_2,
  isInchScale,
  isIsoScale,
} from './fields';

export const PRACTICES = ['iso', 'asme'] as const;
export type Practice = (typeof PRACTICES)[number];

/** A finding of a standards check. */
export interface StandardFinding {
  readonly about: 'field' | 'length' | 'sheet size' | 'scale' | 'lettering';
  readonly severity: 'error' | 'warning' | 'note';
  /** The field, drawing or cell. */
  readonly subject: string;
  readonly message: string;
  readonly source: Source;
  readonly property?: number;
  readonly file?: number;
}

/** A drawing sheet in the library; sizes in millimetres, lettering in drawing units. */
export interface CheckedSheet {
  readonly file: number;
  readonly path: string;
  readonly layout: string;
  readonly paper: { readonly width: number; readonly height: number } | null;
  readonly scales: readonly number[];
  readonly lettering: readonly { readonly cell: string; readonly height: number }[];
  /** Millimetres per drawing unit: 1 or 25.4. */
  readonly unit: number;
}

/** The property for a standard's field: by name, common synonym, or equal meaning. */
export function propertyFor(field: StandardField, properties: readonly Property[], abbreviations: readonly Abbreviation[]): Property | null {
  const names = [field.name, ...field.also];
  for (const name of names) {
    const found = properties.find((property) =>
      [property.writtenName, property.caption, ...property.knownSpellings].some((spelling) => compareNames(spelling, name) !== 'different'),
    );
    if (found) return found;
  }
  const written = properties.map((property) => property.writtenName);
  for (const group of findTwins([...new Set([...written, ...names])], abbreviations)) {
    if (!group.names.some((name) => names.includes(name))) continue;
    const found = properties.find((property) => group.names.includes(property.writtenName));
    if (found) return found;
  }
  return null;
}

/** Checks a schema against a practice's fields, and sheets against its sizes, scales and lettering. */
export function checkStandards(
  practice: Practice,
  schema: readonly Property[],
  sheets: readonly CheckedSheet[],
  abbreviations: readonly Abbreviation[],
): StandardFinding[] {
  const active = schema.filter((property) => !property.retired);
  const found: StandardFinding[] = [];
  for (const field of practice === 'iso' ? [...TITLE_BLOCK_FIELDS, ...PARTS_LIST_FIELDS] : ASME_FIELDS) {
    const property = propertyFor(field, active, abbreviations);
    if (!property) {
      found.push({
        about: 'field',
        severity: field.obligatory ? 'error' : 'note',
        subject: field.name,
        message: `${field.obligatory ? 'The obligatory' : 'The optional'} field ${field.name} has no property.`,
        source: field.source,
      });
      continue;
    }
    // A maximum length below the recommended one refuses values the standard permits.
    if (field.length !== null && property.maxLength !== null && property.maxLength < field.length)
      found.push({
        about: 'length',
        severity: 'warning',
        subject: field.name,
        message: `${property.caption} allows ${property.maxLength} characters, but the field ${field.name} has room for ${field.length}.`,
        source: field.source,
        property: property.id,
      });
    if (field.obligatory && !property.required && property.requiredFrom === '' && property.feed === 'typed')
      found.push({
        about: 'field',
        severity: 'warning',
        subject: field.name,
        message: `${property.caption} is used for the obligatory field ${field.name} but is not required.`,
        source: field.source,
        property: property.id,
      });
  }
  for (const sheet of sheets) found.push(...sheetFindings(practice, sheet));
  return found;
}

function sheetFindings(practice: Practice, { file, path, layout, paper, scales, lettering, unit }: CheckedSheet): StandardFinding[] {
  const found: StandardFinding[] = [];
  const subject = `${path}, ${layout}`;
  const round = (n: number) => Number(n.toFixed(practice === 'asme' ? 3 : 1));
  if (paper) {
    const [short, long] = [Math.min(paper.width, paper.height), Math.max(paper.width, paper.height)];
    const known = SHEETS.find((size) => size.practice === practice && Math.abs(size.short - short) < 1.5 && Math.abs(size.long - long) < 1.5);
    if (!known)
      found.push({
        about: 'sheet size',
        severity: 'warning',
        subject,
        message: `The sheet is ${round(practice === 'asme' ? short / 25.4 : short)} × ${round(practice === 'asme' ? long / 25.4 : long)} ${practice === 'asme' ? 'in' : 'mm'}, which is not one of ${SHEETS.filter(
          (size) => size.practice === practice,
        )
          .map((size) => size.name)
          .join(', ')}.`,
        source: practice === 'iso' ? ISO_5457 : Y14_1,
        file,
      });
  }
  for (const scale of new Set(scales))
    if (!(practice === 'iso' ? isIsoScale(scale) : isInchScale(scale)))
      found.push({
        about: 'scale',
        severity: 'warning',
        subject,
        message: `A view has the scale ${scale < 1 ? `1:${round(1 / scale)}` : `${round(scale)}:1`}, which is not a recommended scale.`,
        source: practice === 'iso' ? ISO_5455 : Y14_1,
        file,
      });
  for (const { cell, height } of lettering) {
    const mm = height * unit;
    const good = practice === 'iso' ? LETTERING_MM.some((nominal) => Math.abs(nominal - mm) < 0.05) : mm / 25.4 >= LEAST_LETTERING_INCH - 1e-6;
    if (good) continue;
    found.push({
      about: 'lettering',
      severity: 'note',
      subject: `${subject}, ${cell}`,
      message:
        practice === 'iso'
          ? `The lettering is ${round(mm)} mm high; nominal heights are ${LETTERING_MM.join(', ')} mm.`
          : `The lettering is ${round(mm / 25.4)} in high; ${LEAST_LETTERING_INCH} in is the minimum.`,
      source: practice === 'iso' ? ISO_3098 : Y14_2,
      file,
    });
  }
  return found;
}
