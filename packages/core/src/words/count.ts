/** The plural of an English noun by its spelling: `file` → `files`, `assembly` → `assemblies`, `box` → `boxes`. Others are given with it. */
export function plural(one: string): string {
  if (/[^aeiou]y$/.test(one)) return `${one.slice(0, -1)}ies`;
  return /(?:s|x|ch|sh)$/.test(one) ? `${one}es` : `${one}s`;
}

/** A number with what it counts: `1 file`, `2 files`, `0 assemblies`. @param many where that is not the plural of `one`, as with verbs: `values wait` */
export const count = (n: number, one: string, many = plural(one)): string => `${n} ${n === 1 ? one : many}`;
