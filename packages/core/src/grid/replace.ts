/** Search text and replacement. */
export interface Replacement {
  readonly find: string;
  readonly by: string;
  /** Whether the whole value must match. */
  readonly whole: boolean;
  readonly matchCase: boolean;
}

/** Replaces all occurrences; `null` if there are none. An empty search text finds blanks, only with `whole`. */
export function replaceIn(text: string, { find, by, whole, matchCase }: Replacement): string | null {
  const [hay, needle] = matchCase ? [text, find] : [text.toLowerCase(), find.toLowerCase()];
  if (whole) return hay === needle ? by : null;
  // Offsets would not match if lower case has a different length.
  if (needle === '' || (!matchCase && (hay.length !== text.length || needle.length !== find.length))) return null;
  let out = '';
  let from = 0;
  for (let at = hay.indexOf(needle); at >= 0; at = hay.indexOf(needle, from)) {
    out += text.slice(from, at) + by;
    from = at + needle.length;
  }
  return from === 0 ? null : out + text.slice(from);
}
