/** A segment of a counted number. */
export type SeriesPart =
  | { readonly type: 'text'; readonly text: string }
  /** The value of another property of the same file, by its written name. */
  | { readonly type: 'value'; readonly property: string }
  | { readonly type: 'count' };

/** Counting with digits or letters. */
export interface SeriesDraft {
  readonly name: string;
  readonly parts: readonly SeriesPart[];
  readonly counts: 'numbers' | 'letters';
  /** Minimum digits. */
  readonly digits: number;
  readonly start: number;
  readonly step: number;
  /** Letters left out. */
  readonly leftOut: string;
  /** Whether numbers are unique in the library; otherwise each file counts from its own value, as revisions do. */
  readonly per: 'library' | 'file';
}

/** Letters commonly not used for revisions because they resemble figures or each other (ASME Y14.35, from memory). */
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

/** Highest count: an exact integer, well beyond practice. */
export const LAST_COUNT = 1e12;

const alphabet = (leftOut: string) => [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'].filter((letter) => !leftOut.includes(letter));

/** A count in letters: A … Z, AA, AB …, without excluded ones. 1 is the first. */
export function lettersOf(count: number, leftOut: string): string {
  const letters = alphabet(leftOut);
  let text = '';
  for (let rest = count; rest > 0; rest = Math.floor((rest - 1) / letters.length)) text = letters[(rest - 1) % letters.length]! + text;
  return text;
}

/** The count for letters; `null` if not in the sequence. */
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

/** A formatted count. */
export const countText = (series: Pick<SeriesDraft, 'counts' | 'digits' | 'leftOut'>, count: number): string =>
  series.counts === 'letters' ? lettersOf(count, series.leftOut) : String(count).padStart(series.digits, '0');

/** Text before and after the count, from file values. */
export type Frame = { readonly ok: true; readonly before: string; readonly after: string } | { readonly ok: false; readonly message: string };

/** Assembles a number. Values are texts by written name. */
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

/** The count in a text of the series; `null` if it does not match. */
export function countIn(series: SeriesDraft, frame: { readonly before: string; readonly after: string }, text: string): number | null {
  if (!text.startsWith(frame.before) || !text.endsWith(frame.after) || text.length < frame.before.length + frame.after.length) return null;
  const middle = text.slice(frame.before.length, text.length - frame.after.length);
  if (series.counts === 'letters') return countOfLetters(middle, series.leftOut);
  return /^\d+$/.test(middle) && middle.length >= series.digits && countText(series, Number(middle)) === middle ? Number(middle) : null;
}

/** The next count by the series' step; the first if there is none. */
export const nextCount = (series: Pick<SeriesDraft, 'start' | 'step'>, last: number | null): number =>
  last === null || last < series.start ? series.start : last + series.step;

/** The next revision; the first after a blank. `null` if the text is not in the sequence. */
export function nextRevision(series: SeriesDraft, frame: { readonly before: string; readonly after: string }, current: string): string | null {
  const last = current === '' ? null : countIn(series, frame, current);
  if (current !== '' && last === null) return null;
  return frame.before + countText(series, nextCount(series, last)) + frame.after;
}

/** Problems of a series definition. */
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
