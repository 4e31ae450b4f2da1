import { Edits } from '@rule/core/forms';

export type Decisions = ReadonlyMap<string, 'keep' | 'clear'>;

/** Unsaved entries, each with the value then present, see `Filling.standing`. */
export interface Kept {
  readonly edits: readonly (readonly [key: string, text: string, stood?: string])[];
  readonly decisions: readonly (readonly [string, 'keep' | 'clear'])[];
}

/** Reads entries that stayed in this browser when the session ended or the page was left. */
export function keptEntries(key: string): Kept | null {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? 'null') as Kept | null;
    return Array.isArray(kept?.edits) && Array.isArray(kept.decisions) ? kept : null;
  } catch {
    // Without storage, or with something else in it, there is nothing to bring back.
    return null;
  }
}

/** @param stood the values that were there when the entries were typed */
export function keepEntries(key: string, edits: Edits, decisions: Decisions, stood: ReadonlyMap<string, string>): void {
  try {
    if (edits.size === 0) localStorage.removeItem(key);
    else {
      const kept: Kept = { edits: [...edits].map(([entry, text]) => [entry, text, stood.get(entry) ?? ''] as const), decisions: [...decisions] };
      localStorage.setItem(key, JSON.stringify(kept));
    }
  } catch {
    // Where nothing can be stored, what was typed lives as long as the page.
  }
}
