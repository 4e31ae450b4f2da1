/**
 * Tells blanks and stand-ins apart from values.
 *
 * A *blank* is not a value or an empty text. A *stand-in* is something that looks like a value but says
 * nothing (`-`, `XX`, a single space); which texts those are is a company list of patterns.
 * A pattern is a literal text, or one character followed by `*` for one or more of it (`-*`); a letter
 * must be at least twice.
 */
export interface StandIns {
  /** Whether the text counts as blank although something is there. */
  readonly matches: (text: string) => boolean;
}

/** Stand-ins that companies commonly leave in files (common practice); a company edits its own list. */
export const DEFAULT_STAND_INS: readonly string[] = [' *', '-*', '.*', 'X*', 'x*', '?*', 'TBD', 'tbd', 'n/a', 'N/A'];

/** Compiles a list of stand-in patterns. Plain comparison, so that no pattern can hang the program. */
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
      // A single letter such as the material "X" in a list of codes is a value: letters need two or more.
      if (first === undefined || !repeated.has(first)) return false;
      if (/\p{L}/u.test(first) && text.length < 2) return false;
      for (const c of text) if (c !== first) return false;
      return true;
    },
  };
}
