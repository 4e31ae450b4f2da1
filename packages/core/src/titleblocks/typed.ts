import { CELL_FACTS, CELL_SOURCES, CellPiece, CellSource, PLAIN_CELL, Property, sourcesOf } from '../schema';

type Named = Pick<Property, 'id' | 'caption' | 'writtenName' | 'level' | 'kinds' | 'feed' | 'inheritFrom'>;

/** Parsed cell content. */
export interface TypedShows {
  readonly shows: readonly CellPiece[];
  /** Unknown names in braces, in order. */
  readonly unknown: readonly string[];
}

/** A possible meaning of a name. */
export interface Nameable {
  /** As typed. */
  readonly name: string;
  readonly piece: Exclude<CellPiece, { readonly words: string }>;
}

const OF = ' of the ';
/** Prefix for a fact whose name a property also has. */
const FACT = 'fact ';
const same = (a: string, b: string): boolean => a.trim().toLowerCase() === b.trim().toLowerCase();

/** All nameable items: properties by caption from each source, then facts. Duplicate captions use written names. */
export function nameables(properties: readonly Named[]): Nameable[] {
  const times = new Map<string, number>();
  for (const { caption } of properties) times.set(caption.toLowerCase(), (times.get(caption.toLowerCase()) ?? 0) + 1);
  const names = new Set(properties.flatMap(({ caption, writtenName }) => [caption, writtenName]));
  return [
    ...properties.flatMap((property): Nameable[] => {
      const sources = sourcesOf(property);
      const clear = times.get(property.caption.toLowerCase()) === 1;
      const name = clear ? property.caption : property.writtenName;
      return sources.map((from, i) => ({ name: i === 0 ? name : `${name}${OF}${from}`, piece: { property: property.id, from, form: PLAIN_CELL } }));
    }),
    ...CELL_FACTS.map((fact): Nameable => ({ name: names.has(fact) ? `${FACT}${fact}` : fact, piece: { fact, form: PLAIN_CELL } })),
  ];
}

/** Meaning of a name; `null` if unknown. */
function named(name: string, properties: readonly Named[]): Nameable['piece'] | null {
  const find = (text: string): Named | undefined =>
    properties.find((one) => one.writtenName === text) ??
    properties.find((one) => same(one.caption, text)) ??
    properties.find((one) => same(one.writtenName, text));
  const from = (property: Named, source?: CellSource): Nameable['piece'] | null => {
    const sources = sourcesOf(property);
    const taken = source ?? sources[0];
    return taken !== undefined && sources.includes(taken) ? { property: property.id, from: taken, form: PLAIN_CELL } : null;
  };
  const exact = properties.find((one) => one.writtenName === name) ?? properties.find((one) => one.caption === name);
  if (exact) return from(exact);
  // A property whose name differs in case does not hide a fact.
  const fact = CELL_FACTS.find((candidate) => candidate === name || same(`${FACT}${candidate}`, name));
  if (fact) return { fact, form: PLAIN_CELL };
  const alike = find(name);
  if (alike) return from(alike);
  const loose = CELL_FACTS.find((candidate) => same(candidate, name));
  if (loose) return { fact: loose, form: PLAIN_CELL };
  for (const source of CELL_SOURCES) {
    if (!name.toLowerCase().endsWith(`${OF}${source}`)) continue;
    const property = find(name.slice(0, -(OF.length + source.length)));
    if (property) return from(property, source);
  }
  return null;
}

const samePlace = (a: CellPiece, b: CellPiece): boolean =>
  'property' in a && 'property' in b ? a.property === b.property && a.from === b.from : 'fact' in a && 'fact' in b && a.fact === b.fact;

/**
 * Parses typed cell content: a name, or text with names in braces (`Sheet {sheet number} of {number of sheets}`). Double braces are
 * literal.
 * @param before previous content; unchanged pieces keep their format
 */
export function readTyped(text: string, properties: readonly Named[], before: readonly CellPiece[] = []): TypedShows {
  const formed = (piece: Nameable['piece']): CellPiece => {
    const known = before.find((other) => samePlace(other, piece));
    return known && 'form' in known ? { ...piece, form: known.form } : piece;
  };
  if (text.trim() === '') return { shows: [], unknown: [] };
  const alone = named(text.trim(), properties);
  if (alone) return { shows: [formed(alone)], unknown: [] };
  const shows: CellPiece[] = [];
  const unknown: string[] = [];
  const word = (more: string) => {
    const last = shows.at(-1);
    if (last && 'words' in last) shows[shows.length - 1] = { words: last.words + more };
    else if (more !== '') shows.push({ words: more });
  };
  for (const [part] of text.matchAll(/\{\{|\}\}|\{[^{}]*\}|[^{}]+|[{}]/g)) {
    if (part === '{{' || part === '}}') word(part[0]!);
    else if (part.length > 1 && part.startsWith('{') && part.endsWith('}')) {
      const name = part.slice(1, -1).trim();
      const piece = named(name, properties);
      if (piece) shows.push(formed(piece));
      else unknown.push(name);
    } else word(part);
  }
  return { shows, unknown };
}

/**
 * Cell content as typed; the inverse of {@link readTyped}.
 * @param properties nameable ones
 */
export function typedText(shows: readonly CellPiece[], properties: readonly Named[]): string {
  const names = nameables(properties);
  const nameOf = (piece: Nameable['piece']): string =>
    names.find((one) => samePlace(one.piece, piece))?.name ?? ('fact' in piece ? piece.fact : `property ${piece.property}`);
  const [first, ...more] = shows;
  if (first && more.length === 0 && !('words' in first)) return nameOf(first);
  return shows.map((piece) => ('words' in piece ? piece.words.replace(/[{}]/g, '$&$&') : `{${nameOf(piece)}}`)).join('');
}

/** Range of the name being typed at an offset; `null` inside fixed text. Text without braces is one name. */
export function nameAt(text: string, at: number): { readonly from: number; readonly to: number; readonly name: string } | null {
  if (!/[{}]/.test(text)) return { from: 0, to: text.length, name: text.trim() };
  const open = text.lastIndexOf('{', at - 1);
  if (open < 0 || text.slice(open, at).includes('}')) return null;
  const close = text.indexOf('}', at);
  const next = text.indexOf('{', at);
  const to = close >= 0 && (next < 0 || close < next) ? close + 1 : at;
  return { from: open, to, name: text.slice(open + 1, close >= 0 && to === close + 1 ? close : to).trim() };
}

/** Suggestions for the name being typed: prefix matches first, then those containing all its words. */
export function suggested(name: string, all: readonly Nameable[], most = 8): Nameable[] {
  const wanted = name.trim().toLowerCase();
  const words = wanted.split(/\s+/).filter((word) => word !== '');
  const rank = ({ name: own }: Nameable): number => {
    const text = own.toLowerCase();
    return text === wanted ? 0 : text.startsWith(wanted) ? 1 : words.every((word) => text.includes(word)) ? 2 : 3;
  };
  return all
    .map((one, i) => ({ one, i, rank: rank(one) }))
    .filter((entry) => entry.rank < 3)
    .sort((a, b) => a.rank - b.rank || a.i - b.i)
    .slice(0, most)
    .map(({ one }) => one);
}
