import { Address } from '../changes';
import { HeldValue, StandIns, convert, findUnit, plainNumber, sameHeld } from '../values';
import { readQuantity } from './values';

/** What happens if both names have different values. */
export const CLASH_RULES = ['keep the target', 'keep the source', 'keep the filled one', 'ask'] as const;
export type ClashRule = (typeof CLASH_RULES)[number];

export const CASES = ['upper', 'lower', 'first', 'title'] as const;
export type CaseStyle = (typeof CASES)[number];

/** A clean-up; each only produces changes. */
export type CleanUp =
  | { readonly do: 'merge'; readonly names: readonly string[]; readonly to: string; readonly clash: ClashRule }
  | { readonly do: 'case'; readonly name: string; readonly style: CaseStyle }
  | { readonly do: 'trim'; readonly name: string }
  | { readonly do: 'replace'; readonly name: string; readonly values: readonly string[]; readonly by: string }
  | { readonly do: 'split'; readonly name: string; readonly separator: string; readonly into: readonly string[] }
  | { readonly do: 'join'; readonly names: readonly string[]; readonly separator: string; readonly to: string }
  | { readonly do: 'convert'; readonly name: string; readonly unit: string }
  | { readonly do: 'remove'; readonly names: readonly string[] };

/** A holder's properties, as a clean-up reads them. */
export interface HolderValues {
  readonly file: number;
  readonly holder: string;
  readonly values: ReadonlyMap<string, HeldValue>;
}

/** A change by a clean-up. */
export interface CleanLine {
  readonly address: Address;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
}

/** Conflicting values; unchanged until someone chooses. */
export interface Clash {
  readonly file: number;
  readonly holder: string;
  readonly values: readonly { readonly name: string; readonly text: string }[];
}

/** A value the clean-up cannot handle. */
export interface LeftOut {
  readonly file: number;
  readonly holder: string;
  readonly name: string;
  readonly text: string;
  readonly message: string;
}

export interface CleanResult {
  readonly lines: readonly CleanLine[];
  readonly clashes: readonly Clash[];
  readonly leftOut: readonly LeftOut[];
}

/** Names whose values a clean-up reads. */
export function namesRead(action: CleanUp): string[] {
  switch (action.do) {
    case 'merge':
    case 'join':
      return [...new Set([...action.names, action.to])];
    case 'split':
      return [...new Set([action.name, ...action.into])];
    case 'remove':
      return [...action.names];
    default:
      return [action.name];
  }
}

/** Changes a text's case. `title` capitalises words, except those with digits or in capitals. */
export function recase(text: string, style: CaseStyle): string {
  switch (style) {
    case 'upper':
      return text.toLocaleUpperCase('en');
    case 'lower':
      return text.toLocaleLowerCase('en');
    case 'first':
      return text.replace(/\p{L}/u, (letter) => letter.toLocaleUpperCase('en'));
    case 'title':
      return text.replace(/[\p{L}\p{N}'’]+/gu, (word) =>
        /\d/.test(word) || (word.length > 1 && word === word.toLocaleUpperCase('en') && text !== text.toLocaleUpperCase('en'))
          ? word
          : word.slice(0, 1).toLocaleUpperCase('en') + word.slice(1).toLocaleLowerCase('en'),
      );
  }
}

/** Trims and collapses blanks. */
export const trimmed = (text: string): string => text.replace(/[\s\u00a0\u200b]+/gu, ' ').trim();

const addressOf = ({ file, holder }: HolderValues, name: string): Address => ({ file, holder, place: 'property', name });

/** Computes a clean-up's changes. Blanks and stand-ins count as empty. */
export function cleanUp(action: CleanUp, holders: Iterable<HolderValues>, standIns: StandIns, chosen: ReadonlyMap<string, string> = new Map()): CleanResult {
  const lines: CleanLine[] = [];
  const clashes: Clash[] = [];
  const leftOut: LeftOut[] = [];
  const filled = (held: HeldValue | undefined): held is HeldValue =>
    held !== undefined && held.text !== '' && !(held.form === 'text' && standIns.matches(held.text));
  for (const entry of holders) {
    const { file, holder, values } = entry;
    const set = (name: string, proposed: HeldValue | null) => {
      const base = values.get(name) ?? null;
      if (!sameHeld(base, proposed)) lines.push({ address: addressOf(entry, name), base, proposed });
    };
    const leave = (name: string, text: string, message: string) => leftOut.push({ file, holder, name, text, message });
    switch (action.do) {
      case 'merge': {
        const sources = action.names.filter((name) => name !== action.to && values.has(name));
        if (sources.length === 0) break;
        const target = values.get(action.to);
        const winner = decide(action, entry, sources, target, filled, chosen.get(clashKey(file, holder)));
        if (winner === 'clash') {
          const all = [action.to, ...sources].filter((name) => filled(values.get(name)));
          clashes.push({ file, holder, values: all.map((name) => ({ name, text: values.get(name)!.text })) });
          break;
        }
        set(action.to, values.get(winner) ?? null);
        for (const name of sources) set(name, null);
        break;
      }
      case 'case':
      case 'trim': {
        const held = values.get(action.name);
        if (held?.form === 'text') set(action.name, { ...held, text: action.do === 'case' ? recase(held.text, action.style) : trimmed(held.text) });
        break;
      }
      case 'replace': {
        const held = values.get(action.name);
        if (!held || !action.values.includes(held.text)) break;
        if (held.form === 'text') set(action.name, { ...held, text: action.by });
        else leave(action.name, held.text, 'is stored as a number, not as text');
        break;
      }
      case 'split': {
        const held = values.get(action.name);
        if (!filled(held)) break;
        const parts = held.text.split(action.separator).map((part) => part.trim());
        if (parts.length !== action.into.length) leave(action.name, held.text, `has ${parts.length} parts where ${action.into.length} are wanted`);
        else if (action.into.some((name, i) => name !== action.name && filled(values.get(name)) && values.get(name)!.text !== parts[i]))
          leave(action.name, held.text, 'a target name already holds another value');
        else {
          for (const [i, name] of action.into.entries()) set(name, { text: parts[i]!, form: 'text' });
          if (!action.into.includes(action.name)) set(action.name, null);
        }
        break;
      }
      case 'join': {
        const parts = action.names.map((name) => values.get(name)).filter(filled);
        if (parts.length === 0) break;
        if (!action.names.includes(action.to) && filled(values.get(action.to))) leave(action.to, values.get(action.to)!.text, 'already holds a value');
        else {
          set(action.to, { text: parts.map((part) => part.text).join(action.separator), form: 'text' });
          for (const name of action.names) if (name !== action.to && values.has(name)) set(name, null);
        }
        break;
      }
      case 'convert': {
        const held = values.get(action.name);
        if (!filled(held)) break;
        const quantity = readQuantity(held.text);
        const from = held.unit ?? quantity?.unit ?? null;
        if (!quantity || from === null) leave(action.name, held.text, quantity ? 'has no unit' : 'is not a number');
        else if (findUnit(from)?.quantity !== findUnit(action.unit)?.quantity) leave(action.name, held.text, `${from} cannot be converted to ${action.unit}`);
        else {
          const text = plainNumber(convert(Number(quantity.number), from, action.unit));
          // A unit in the text stays in the text.
          set(action.name, held.form === 'measure' ? { text, form: 'measure', unit: action.unit } : { text: `${text} ${action.unit}`, form: 'text' });
        }
        break;
      }
      case 'remove':
        for (const name of action.names) if (values.has(name)) set(name, null);
    }
  }
  return { lines, clashes, leftOut };
}

/** Key of a conflict's decision. */
export const clashKey = (file: number, holder: string): string => `${file}/${holder}`;

/** Which name's value is kept: the target's, a source's, or undecided. */
function decide(
  { to, clash }: Extract<CleanUp, { do: 'merge' }>,
  { values }: HolderValues,
  sources: readonly string[],
  target: HeldValue | undefined,
  filled: (held: HeldValue | undefined) => held is HeldValue,
  chosen: string | undefined,
): string {
  if (chosen !== undefined && (chosen === to || sources.includes(chosen))) return chosen;
  const full = [to, ...sources].filter((name) => filled(values.get(name)));
  const distinct = new Set(full.map((name) => values.get(name)!.text));
  if (clash === 'keep the target' && target) return filled(target) || full.length === 0 ? to : full[0]!;
  if (distinct.size <= 1) return full[0] ?? (target ? to : sources[0]!);
  if (clash === 'keep the source') {
    const fromSources = new Set(sources.filter((name) => filled(values.get(name))).map((name) => values.get(name)!.text));
    if (fromSources.size === 1) return sources.find((name) => filled(values.get(name)))!;
  }
  // With two different values, keeping the filled one is ambiguous.
  return 'clash';
}
