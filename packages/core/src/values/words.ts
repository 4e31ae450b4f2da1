/** Letter case, names of people and date formats. */

/** Capitalises the first letter. */
export function firstUpper(text: string): string {
  const [first, ...rest] = [...text];
  return (first ?? '').toUpperCase() + rest.join('');
}

/** Capitalises each word; all-capital words are kept. */
export const titleCase = (text: string): string => text.replace(/[\p{L}\p{N}]+/gu, firstUpper);

/** Short form of a name: initials and surname (common practice). */
export function shortPerson(name: string): string {
  const words = name.trim().split(/\s+/).filter(Boolean);
  const surname = words.pop() ?? '';
  return [...words.map((word) => `${[...word][0]!.toUpperCase()}.`), surname].join(' ').trim();
}

const PART = /YYYY|YY|MM|DD/g;

/** Whether a text is a date format: `YYYY` or `YY`, `MM` and `DD` once each, with separators. */
export const isDateForm = (form: string): boolean =>
  /^[^A-Za-z]*$/.test(form.replace(PART, '')) &&
  ['YYYY|YY', 'MM', 'DD'].every((part) => (form.match(new RegExp(part, 'g')) ?? []).length === 1) &&
  form.length <= 20;

/** Formats an ISO 8601 date. */
export function dateInForm(iso: string, form: string): string {
  const m = /^(\d{4})-(\d{2})-(\d{2})$/.exec(iso);
  if (!m) return iso;
  return form.replace(PART, (part) => ({ YYYY: m[1]!, YY: m[1]!.slice(2), MM: m[2]!, DD: m[3]! })[part]!);
}

/** Parses a formatted date to ISO 8601; `null` if it does not match. Two-digit years cannot be read back. */
export function readDateForm(text: string, form: string): string | null {
  if (!form.includes('YYYY')) return null;
  const order: string[] = [];
  const pattern = form.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&').replace(PART, (part) => {
    order.push(part);
    return part === 'YYYY' ? '(\\d{4})' : '(\\d{1,2})';
  });
  const m = new RegExp(`^${pattern}$`).exec(text);
  if (!m) return null;
  const at = (part: string) => m[order.indexOf(part) + 1]!.padStart(2, '0');
  return `${at('YYYY')}-${at('MM')}-${at('DD')}`;
}
