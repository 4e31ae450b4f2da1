/** What is looked for in values, and what takes its place. */
export interface Replacement {
  readonly find: string;
  readonly by: string;
  /** Whether the whole value must be what is looked for. */
  readonly whole: boolean;
  readonly matchCase: boolean;
}

/** A text with every find replaced; `null` where it holds none. Looking for nothing finds blanks, and only with `whole`. */
export function replaceIn(text: string, { find, by, whole, matchCase }: Replacement): string | null {
  const [hay, needle] = matchCase ? [text, find] : [text.toLowerCase(), find.toLowerCase()];
  if (whole) return hay === needle ? by : null;
  // Where small letters take another number of characters than capitals, places would no longer fit.
  if (needle === '' || (!matchCase && (hay.length !== text.length || needle.length !== find.length))) return null;
  let out = '';
  let from = 0;
  for (let at = hay.indexOf(needle); at >= 0; at = hay.indexOf(needle, from)) {
    out += text.slice(from, at) + by;
    from = at + needle.length;
  }
  return from === 0 ? null : out + text.slice(from);
}
