import { CellForm, PLAIN_SCALE, Property, ScaleForm, scaleText } from '../schema';
import { PLAIN_FORM, ShownForm, TypedValue, dateInForm, isIsoDate, roundedFraction, showValue } from '../values';

/** A text in the letters that a cell asks for. */
export const lettered = (text: string, { letters }: Pick<CellForm, 'letters'>): string =>
  letters === 'capitals' ? text.toUpperCase() : letters === 'small letters' ? text.toLowerCase() : text;

/** A name as its initials: the first letter of each of its words, parts joined by a hyphen included. */
export const initials = (name: string): string =>
  name
    .split(/[\s.\-‐]+/)
    .flatMap((word) => [...word].slice(0, 1))
    .join('')
    .toUpperCase();

/** A date (ISO 8601) in a form of a cell; `MMM` is the month's short name in a language. What is no date stays as it is. */
export function dateText(date: string, { date: form = PLAIN_FORM.date, language = 'en' }: Pick<CellForm, 'date' | 'language'>): string {
  if (!isIsoDate(date)) return date;
  const month = new Intl.DateTimeFormat(language, { month: 'short', timeZone: 'UTC' }).format(new Date(`${date}T00:00:00Z`)).replace(/\.$/, '');
  return dateInForm(date, form.replaceAll('MMM', '\u0000')).replaceAll('\u0000', month);
}

/** A value of a property as a cell writes it: in the form of the cell where that says something, otherwise in the property's own. */
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

/** The views of a sheet, by their scales: paper length ÷ model length. */
export interface SheetScales {
  /** That of most views; `null` where there is not a view. */
  readonly main: number | null;
  /** That of the largest view on paper. */
  readonly largest: number | null;
  /** Whether views differ. */
  readonly differ: boolean;
}

/** Least part of an inch that a scale is written with. */
const SCALE_PART = 64;

/**
 * A scale as lengths on paper and in feet: 1:48 is `1/4" = 1'-0"`, 1:192 `1/16" = 1'-0"`, 1:384 `1/32" = 1'-0"`, as inch drawings write it
 * (common practice); coarser ones are whole feet to an inch, 1:240 is `1" = 20'-0"`. A scale that is neither stays a ratio.
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

/** The scale of a sheet as a cell writes it; `null` where the sheet has no view. */
export function sheetScaleText({ main, largest, differ }: SheetScales, form: ScaleForm = PLAIN_SCALE): string | null {
  if (differ && form.rule === 'words') return form.words;
  const scale = form.rule === 'of the largest view' ? (largest ?? main) : main;
  if (scale === null) return null;
  return form.as === 'ratio' ? scaleText(scale) : feetScaleText(scale);
}
