/**
 * Distinguishes blanks and stand-ins from values.
 *
 * A *blank* is an absent value or empty text. A *stand-in* looks like a value but says nothing (`-`, `XX`, a single space); the company
 * lists the patterns. A pattern is literal text, or a character followed by `*` for a run of it (`-*`); letters need at least two.
 */
export interface StandIns {
  /** Whether text counts as blank. */
  readonly matches: (text: string) => boolean;
}

/** Common stand-ins (common practice); editable by the company. */
export const DEFAULT_STAND_INS: readonly string[] = [' *', '-*', '.*', 'X*', 'x*', '?*', 'TBD', 'tbd', 'n/a', 'N/A'];

/** Compiles stand-in patterns. Plain comparison, so no pattern can be slow. */
export function compileStandIns(patterns: readonly string[]): StandIns {
  const literal = new Set<string>();
  const repeated = new Set<string>();
  for (const pattern of patterns) {
    if (pattern.length === 2 && pattern.endsWith('*')) repeated.add(pattern[0]!);
    else if (pattern !== '') literal.add(pattern);
  }
  return {
    matches: (text) => {
      if (literal.has(text)) return true;
      const first = text[0];
      // A single letter, such as material code "X", is a value: letters need two or more.
      if (first === undefined || !repeated.has(first)) return false;
      if (/\p{L}/u.test(first) && text.length < 2) return false;
      for (const c of text) if (c !== first) return false;
      return true;
    },
  };
}
