/** A number as it is typed; `null` for none. */
export function numberIn(text: string | number | null): number | null {
  if (text === null || text === '') return null;
  const n = Number(text);
  return Number.isFinite(n) ? n : null;
}

/** Typed lines; the end of the last one is no line of its own. */
export const linesIn = (text: string): string[] => (text === '' ? [] : text.replace(/\n$/, '').split('\n'));
