import { CellForm, PLAIN_SCALE, Property, ScaleForm, scaleText } from '../schema';
import { PLAIN_FORM, ShownForm, TypedValue, dateInForm, isIsoDate, roundedFraction, showValue } from '../values';

/** A text in the cell's letter case. */
export const lettered = (text: string, { letters }: Pick<CellForm, 'letters'>): string =>
  letters === 'capitals' ? text.toUpperCase() : letters === 'small letters' ? text.toLowerCase() : text;

/** Initials of a name: first letters of its words and hyphenated parts. */
export const initials = (name: string): string =>
  name
    .split(/[\s.\-‐]+/)
    .flatMap((word) => [...word].slice(0, 1))
    .join('')
    .toUpperCase();

/** An ISO 8601 date in a cell's format; `MMM` is the short month name. Other texts are unchanged. */
export function dateText(date: string, { date: form = PLAIN_FORM.date, language = 'en' }: Pick<CellForm, 'date' | 'language'>): string {
  if (!isIsoDate(date)) return date;
  const month = new Intl.DateTimeFormat(language, { month: 'short', timeZone: 'UTC' }).format(new Date(`${date}T00:00:00Z`)).replace(/\.$/, '');
  return dateInForm(date, form.replaceAll('MMM', '\u0000')).replaceAll('\u0000', month);
}

/** Formats a property value for a cell: the cell's format where given, otherwise the property's. */
export function formed(value: TypedValue, property: Pick<Property, 'type' | 'unit' | 'decimals' | 'words' | 'form'>, form: CellForm): string {
  if (typeof value === 'string' && property.type === 'person' && form.person === 'initials') return lettered(initials(value), form);
  if (typeof value === 'string' && property.type === 'date' && form.date !== undefined) return lettered(dateText(value, form), form);
  const shown: ShownForm = {
    ...(property.form ?? PLAIN_FORM),
    ...(form.decimals === undefined ? {} : { decimals: form.decimals }),
    ...(form.inUnit === undefined ? {} : { unit: form.inUnit }),
    ...(form.number === undefined ? {} : { number: form.number }),
    ...(form.denominator === undefined ? {} : { denominator: form.denominator }),
    ...(form.person === undefined || form.person === 'initials' ? {} : { person: form.person }),
  };
  const text = showValue(value, { ...property, form: shown }, form.unit);
  return lettered(typeof value === 'number' && form.decimalSign === 'comma' ? text.replace('.', ',') : text, form);
}

/** View scales of a sheet: paper length ÷ model length. */
export interface SheetScales {
  /** The most frequent; `null` without views. */
  readonly main: number | null;
  /** That of the largest view on paper. */
  readonly largest: number | null;
  /** Whether views differ. */
  readonly differ: boolean;
}

/** Smallest fraction of an inch in a scale. */
const SCALE_PART = 64;

/**
 * A scale as lengths on paper and in feet, as on inch drawings (common practice): 1:48 is `1/4" = 1'-0"`, 1:192 `1/16" = 1'-0"`, 1:384
 * `1/32" = 1'-0"`; coarser ones are whole feet per inch, 1:240 is `1" = 20'-0"`. Others stay ratios.
 */
export function feetScaleText(scale: number): string {
  if (scale === 1) return 'full size';
  const inches = scale * 12;
  const parts = inches * SCALE_PART;
  if (scale < 1 && parts >= 1 - 1e-6 && Math.abs(parts - Math.round(parts)) < 1e-6 * Math.max(1, parts))
    return `${roundedFraction(inches, SCALE_PART, false)}" = 1'-0"`;
  const feet = 1 / inches;
  if (scale < 1 && Math.abs(feet - Math.round(feet)) < 1e-6 * feet) return `1" = ${Math.round(feet)}'-0"`;
  return scaleText(scale);
}

/** Formats a sheet's scale for a cell; `null` without views. */
export function sheetScaleText({ main, largest, differ }: SheetScales, form: ScaleForm = PLAIN_SCALE): string | null {
  if (differ && form.rule === 'words') return form.words;
  const scale = form.rule === 'of the largest view' ? (largest ?? main) : main;
  if (scale === null) return null;
  return form.as === 'ratio' ? scaleText(scale) : feetScaleText(scale);
}
