/** Plural of an English noun by spelling: `file` → `files`, `assembly` → `assemblies`, `box` → `boxes`. Others are passed explicitly. */
export function plural(one: string): string {
  if (/[^aeiou]y$/.test(one)) return `${one.slice(0, -1)}ies`;
  return /(?:s|x|ch|sh)$/.test(one) ? `${one}es` : `${one}s`;
}

/**
 * A count with its noun: `1 file`, `2 files`, `0 assemblies`.
 * @param many if not the plural of `one`, as with verbs: `values wait`
 */
export const count = (n: number, one: string, many = plural(one)): string => `${n} ${n === 1 ? one : many}`;
