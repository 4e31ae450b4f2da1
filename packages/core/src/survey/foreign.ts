import { Property, checkProposed } from '../schema';
import { HeldValue, StandIns, convert, findUnit, plainNumber } from '../values';
import { CaseStyle, recase } from './cleanup';
import { readLooseDate, readQuantity } from './values';

/** How a foreign value is converted. */
export type Conversion =
  | { readonly do: 'as it is' }
  /** Numbers that carry no unit are meant in this one. */
  | { readonly do: 'from unit'; readonly unit: string }
  /** Their words and ours; what is not listed goes as it is, or is refused. */
  | { readonly do: 'words'; readonly pairs: readonly { readonly theirs: string; readonly ours: string }[]; readonly others: 'keep' | 'refuse' }
  | { readonly do: 'case'; readonly style: CaseStyle }
  /** A date in one of the forms that people write, as ISO 8601. */
  | { readonly do: 'date' }
  /** What stands before or after the first separator. */
  | { readonly do: 'before'; readonly separator: string }
  | { readonly do: 'after'; readonly separator: string };

export const CONVERSIONS = ['as it is', 'from unit', 'words', 'case', 'date', 'before', 'after'] as const;

/** A converted foreign value, or why it is refused. `held` is `null` for blanks. */
export type Translated = { readonly ok: true; readonly held: HeldValue | null } | { readonly ok: false; readonly message: string };

const refuse = (message: string): Translated => ({ ok: false, message });

/** Converted text, or a refusal. */
function converted(held: HeldValue, conversion: Conversion, property: Property): { readonly text: string } | { readonly refusal: string } {
  const text = held.text.trim();
  const withUnit = held.unit ? `${text} ${held.unit}` : text;
  switch (conversion.do) {
    case 'as it is':
      return { text: withUnit };
    case 'from unit': {
      const quantity = held.unit ? { number: text, unit: held.unit } : readQuantity(text);
      if (!quantity) return { refusal: `${JSON.stringify(text)} is not a number` };
      const unit = quantity.unit ?? conversion.unit;
      if (property.unit === null) return { text: quantity.number };
      if (findUnit(unit)?.quantity !== findUnit(property.unit)?.quantity) return { refusal: `${unit} cannot be converted to ${property.unit}` };
      // Decimals as in the schema; otherwise twelve digits, finer than the conversion's rounding.
      const size = convert(Number(quantity.number), unit, property.unit);
      const same = findUnit(unit)?.code === findUnit(property.unit)?.code;
      return { text: same ? quantity.number : plainNumber(Number(property.decimals === null ? size.toPrecision(12) : size.toFixed(property.decimals))) };
    }
    case 'words': {
      const pair =
        conversion.pairs.find(({ theirs }) => theirs === held.text) ?? conversion.pairs.find(({ theirs }) => theirs.toLowerCase() === text.toLowerCase());
      if (pair) return { text: pair.ours };
      return conversion.others === 'keep' ? { text: withUnit } : { refusal: `${JSON.stringify(text)} is not in the word list` };
    }
    case 'case':
      return { text: recase(withUnit, conversion.style) };
    case 'date': {
      const date = readLooseDate(text);
      return date === null ? { refusal: `${JSON.stringify(text)} is not a date, or is ambiguous` } : { text: date };
    }
    case 'before':
    case 'after': {
      const at = withUnit.indexOf(conversion.separator);
      if (at < 0) return { refusal: `${JSON.stringify(withUnit)} holds no ${JSON.stringify(conversion.separator)}` };
      return { text: (conversion.do === 'before' ? withUnit.slice(0, at) : withUnit.slice(at + conversion.separator.length)).trim() };
    }
  }
}

/** Converts a foreign value for a property. Values the schema would refuse are refused; stand-ins and empty texts are blanks. */
export function translate(held: HeldValue, conversion: Conversion, property: Property, standIns: StandIns): Translated {
  if (held.text.trim() === '' || (held.form === 'text' && standIns.matches(held.text))) return { ok: true, held: null };
  const made = converted(held, conversion, property);
  if ('refusal' in made) return refuse(made.refusal);
  const check = checkProposed(made.text, property, standIns);
  return check.ok ? { ok: true, held: check.held } : refuse(check.violations.map((violation) => violation.message).join('; '));
}
