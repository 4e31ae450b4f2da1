/** One part of a counted number. */
export type SeriesPart =
  | { readonly type: 'text'; readonly text: string }
  /** The value of another property of the same file, by its written name. */
  | { readonly type: 'value'; readonly property: string }
  | { readonly type: 'count' };

/** How a series counts: by numbers of a fixed number of digits, or by letters. */
export interface SeriesDraft {
  readonly name: string;
  readonly parts: readonly SeriesPart[];
  readonly counts: 'numbers' | 'letters';
  /** Digits that a number is filled up to. */
  readonly digits: number;
  readonly start: number;
  readonly step: number;
  /** Letters that are left out. */
  readonly leftOut: string;
  /** Whether a number is given once in the library, or each file counts on from its own value, as revisions do. */
  readonly per: 'library' | 'file';
}

/**
 * Letters commonly left out of revisions, because they are taken for figures or for one another
 * (ASME Y14.35, from memory).
 */
export const LETTERS_LEFT_OUT = 'IOQSXZ';

export const newSeries = (name: string): SeriesDraft => ({
  name,
  parts: [{ type: 'count' }],
  counts: 'numbers',
  digits: 4,
  start: 1,
  step: 1,
  leftOut: LETTERS_LEFT_OUT,
  per: 'library',
});

/** The largest count that a series reaches: safe as a number, and far beyond any company. */
export const LAST_COUNT = 1e12;

const alphabet = (leftOut: string) => [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'].filter((letter) => !leftOut.includes(letter));

/** A count as letters: A … Z, AA, AB …, without those that are left out. 1 is the first letter. */
export function lettersOf(count: number, leftOut: string): string {
  const letters = alphabet(leftOut);
  let text = '';
  for (let rest = count; rest > 0; rest = Math.floor((rest - 1) / letters.length)) text = letters[(rest - 1) % letters.length]! + text;
  return text;
}

/** The count that letters stand for; `null` when they are no count of this sequence. */
export function countOfLetters(text: string, leftOut: string): number | null {
  const letters = alphabet(leftOut);
  let count = 0;
  for (const letter of text) {
    const at = letters.indexOf(letter);
    if (at < 0) return null;
    count = count * letters.length + at + 1;
  }
  return text === '' || !Number.isSafeInteger(count) ? null : count;
}

/** A count as the series writes it. */
export const countText = (series: Pick<SeriesDraft, 'counts' | 'digits' | 'leftOut'>, count: number): string =>
  series.counts === 'letters' ? lettersOf(count, series.leftOut) : String(count).padStart(series.digits, '0');

/** What stands before and behind the count, from the values of a file. */
export type Frame = { readonly ok: true; readonly before: string; readonly after: string } | { readonly ok: false; readonly message: string };

/** Puts the parts around the count together. Values are texts by written name. */
export function frameOf(series: SeriesDraft, values: ReadonlyMap<string, string>): Frame {
  let [before, after, behind] = ['', '', false];
  for (const part of series.parts) {
    if (part.type === 'count') {
      behind = true;
      continue;
    }
    const text = part.type === 'text' ? part.text : (values.get(part.property) ?? '');
    if (part.type === 'value' && text === '') return { ok: false, message: `${part.property} is blank, but the number needs it` };
    if (behind) after += text;
    else before += text;
  }
  return { ok: true, before, after };
}

/** The count in a text that a series could have made; `null` when it could not. */
export function countIn(series: SeriesDraft, frame: { readonly before: string; readonly after: string }, text: string): number | null {
  if (!text.startsWith(frame.before) || !text.endsWith(frame.after) || text.length < frame.before.length + frame.after.length) return null;
  const middle = text.slice(frame.before.length, text.length - frame.after.length);
  if (series.counts === 'letters') return countOfLetters(middle, series.leftOut);
  return /^\d+$/.test(middle) && middle.length >= series.digits && countText(series, Number(middle)) === middle ? Number(middle) : null;
}

/** The count after another, by the step of the series; the first one after none. */
export const nextCount = (series: Pick<SeriesDraft, 'start' | 'step'>, last: number | null): number =>
  last === null || last < series.start ? series.start : last + series.step;

/** The revision after another: the next number or letter of the sequence, the first after none. `null` when the text is none of it. */
export function nextRevision(series: SeriesDraft, frame: { readonly before: string; readonly after: string }, current: string): string | null {
  const last = current === '' ? null : countIn(series, frame, current);
  if (current !== '' && last === null) return null;
  return frame.before + countText(series, nextCount(series, last)) + frame.after;
}

/** What is wrong with the definition of a series. */
export function checkSeries(series: SeriesDraft): string[] {
  const problems: string[] = [];
  if (series.name.trim() === '') problems.push('A number series needs a name.');
  if (series.parts.filter((part) => part.type === 'count').length !== 1) problems.push('A number must contain its counter exactly once.');
  if (!Number.isSafeInteger(series.start) || series.start < (series.counts === 'letters' ? 1 : 0))
    problems.push('A series starts at a whole number; letters start at 1.');
  if (!Number.isSafeInteger(series.step) || series.step < 1) problems.push('A series needs a whole step.');
  if (!Number.isInteger(series.digits) || series.digits < 1 || series.digits > 12) problems.push('A number has 1 to 12 digits.');
  if (series.counts === 'letters' && alphabet(series.leftOut).length < 2) problems.push('At least two letters must be left to count.');
  return problems;
}
