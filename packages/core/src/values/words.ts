/** The forms of words, names of people and dates. */

/** A text with a capital first letter. */
export function firstUpper(text: string): string {
  const [first, ...rest] = [...text];
  return (first ?? '').toUpperCase() + rest.join('');
}

/** A text with a capital letter at the start of each word; words in capitals stay as they are. */
export const titleCase = (text: string): string => text.replace(/[\p{L}\p{N}]+/gu, firstUpper);

/** A person's short form: initials of the first names and the surname (common practice). */
export function shortPerson(name: string): string {
  const words = name.trim().split(/\s+/).filter(Boolean);
  const surname = words.pop() ?? '';
  return [...words.map((word) => `${[...word][0]!.toUpperCase()}.`), surname].join(' ').trim();
}

const PART = /YYYY|YY|MM|DD/g;

/** Whether a text is a date's form: made of `YYYY`, `YY`, `MM`, `DD` and signs, with a year, a month and a day once each. */
export const isDateForm = (form: string): boolean =>
  /^[^A-Za-z]*$/.test(form.replace(PART, '')) &&
  ['YYYY|YY', 'MM', 'DD'].every((part) => (form.match(new RegExp(part, 'g')) ?? []).length === 1) &&
  form.length <= 20;

/** A date (ISO 8601) in a form. */
export function dateInForm(iso: string, form: string): string {
  const m = /^(\d{4})-(\d{2})-(\d{2})$/.exec(iso);
  if (!m) return iso;
  return form.replace(PART, (part) => ({ YYYY: m[1]!, YY: m[1]!.slice(2), MM: m[2]!, DD: m[3]! })[part]!);
}

/** Reads a date in a form as ISO 8601; `null` when it is not in the form. A form with two digits of the year cannot be read back. */
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
