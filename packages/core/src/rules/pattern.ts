import { RE2JS } from 're2js';

const patterns = new Map<string, RE2JS | null>();

/** Compiles a pattern on a linear-time engine; `null` if invalid. XPath flags: s, m, i, x, and q for literal patterns. */
export function patternOf(pattern: string, flags = ''): RE2JS | null {
  const key = `${flags}/${pattern}`;
  let found = patterns.get(key);
  if (found === undefined) {
    try {
      let bits = 0;
      for (const flag of flags) {
        if (flag === 'i') bits |= RE2JS.CASE_INSENSITIVE;
        else if (flag === 's') bits |= RE2JS.DOTALL;
        else if (flag === 'm') bits |= RE2JS.MULTILINE;
        else if (flag !== 'x' && flag !== 'q') throw new RangeError('flag');
      }
      found =
        pattern.length > 1000
          ? null
          : RE2JS.compile(flags.includes('q') ? RE2JS.quote(pattern) : flags.includes('x') ? pattern.replace(/\s+/g, '') : pattern, bits);
    } catch {
      found = null;
    }
    if (patterns.size > 500) patterns.clear();
    patterns.set(key, found);
  }
  return found;
}
