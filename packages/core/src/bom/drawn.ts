import type { BlockReading, Point, ViewBox } from '../files';
import { DEFAULT_ABBREVIATIONS, dictionaryOf, fullWords, plainLetters, wordsOf } from '../survey';
import { BomColumn } from './layout';

/** Growth direction of a list. */
export const LIST_GROWTHS = ['up', 'down'] as const;

/** Direction of further columns. */
export const LIST_SIDES = ['left', 'right'] as const;

/** How a list is drawn: a row block per row, and a mark block per part in the views. */
export interface DrawnList {
  /** Row block. */
  readonly block: string;
  /** Cell contents. Other cells are left alone. */
  readonly cells: readonly { readonly tag: string; readonly of: BomColumn['of'] }[];
  readonly growth: (typeof LIST_GROWTHS)[number];
  /** Rows per column; `null` for unlimited. */
  readonly rowsPerColumn: number | null;
  readonly side: (typeof LIST_SIDES)[number];
  /** Mark block and its number cell; `null` to ignore marks. */
  readonly marks: { readonly block: string; readonly tag: string } | null;
}

/** A row block on a sheet. */
export interface Slot {
  readonly holder: string;
  readonly at: Point;
  readonly scale: number;
  readonly texts: Readonly<Record<string, string>>;
}

/** A target row. */
export interface WantedRow {
  readonly id: string;
  readonly item: string;
  readonly label: string;
  /** By tag. */
  readonly texts: Readonly<Record<string, string>>;
}

/** Bounding box relative to the insertion point. */
export interface Extent {
  readonly left: number;
  readonly bottom: number;
  readonly width: number;
  readonly height: number;
}

/** Bounding box of a block's lines, or of its cells without lines; `null` if empty. */
export function extentOf({ cells, shapes }: Pick<BlockReading, 'cells' | 'shapes'>): Extent | null {
  const points = shapes.flatMap((shape): Point[] => {
    if (shape.shape === 'line') return [...shape.points];
    if (shape.shape === 'text') return [];
    const { at, radius } = shape;
    return [
      { x: at.x - radius, y: at.y - radius },
      { x: at.x + radius, y: at.y + radius },
    ];
  });
  const all = points.length ? points : cells.flatMap(({ at, height }) => [at, { x: at.x, y: at.y + height }]);
  if (all.length === 0) return null;
  let [left, right, bottom, top] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const { x, y } of all) {
    [left, right] = [Math.min(left, x), Math.max(right, x)];
    [bottom, top] = [Math.min(bottom, y), Math.max(top, y)];
  }
  return { left, bottom, width: right - left, height: top - bottom };
}

/** Columns of a list with ordered slots. */
export interface SlotOrder {
  readonly columns: readonly (readonly Slot[])[];
  readonly growth: DrawnList['growth'];
}

/** Whether numbers rise upwards or downwards; `null` if unclear. */
function growthOf(column: readonly Slot[], numberTag: string | null): DrawnList['growth'] | null {
  if (numberTag === null) return null;
  const numbers = column.flatMap(({ at, texts }) => {
    const n = Number.parseFloat(texts[numberTag] ?? '');
    return Number.isFinite(n) ? [{ y: at.y, n }] : [];
  });
  let [up, down] = [0, 0];
  for (let i = 1; i < numbers.length; i++) {
    const rise = Math.sign((numbers[i]!.n - numbers[i - 1]!.n) * (numbers[i]!.y - numbers[i - 1]!.y));
    if (rise > 0) up++;
    else if (rise < 0) down++;
  }
  return up === down ? null : up > down ? 'up' : 'down';
}

/**
 * Sorts row blocks: columns by position, rows by growth. Existing numbers override the growth setting.
 * @param width of a row block, in drawing units
 */
export function orderSlots(slots: readonly Slot[], list: Pick<DrawnList, 'growth' | 'side'>, width: number, numberTag: string | null): SlotOrder {
  const columns: Slot[][] = [];
  for (const slot of [...slots].sort((a, b) => a.at.x - b.at.x)) {
    const last = columns.at(-1);
    if (last && slot.at.x - last[0]!.at.x < Math.max(width / 2, 1e-6)) last.push(slot);
    else columns.push([slot]);
  }
  if (list.side === 'left') columns.reverse();
  for (const column of columns) column.sort((a, b) => a.at.y - b.at.y);
  const told = columns.map((column) => growthOf(column, numberTag)).filter((growth) => growth !== null);
  const growth = told.length && told.every((one) => one === told[0]) ? told[0]! : list.growth;
  if (growth === 'down') for (const column of columns) column.reverse();
  return { columns, growth };
}

/** Comparison of one row. */
export interface DrawnDifference {
  readonly kind: 'same' | 'changed' | 'added' | 'removed';
  /** Target row; `null` if superfluous. */
  readonly row: string | null;
  /** Current insert; `null` if missing. */
  readonly holder: string | null;
  readonly item: string;
  readonly label: string;
  /** Differing cells. `keeps`: the drawn text stays because the target is blank. */
  readonly cells: readonly { readonly tag: string; readonly now: string; readonly should: string; readonly keeps: boolean }[];
}

/** Weights of matching cells: quantities prove nothing, numbers little. */
interface Weight {
  readonly tag: string;
  readonly weight: number;
  readonly tells: boolean;
}

const weightOf = ({ tag, of }: DrawnList['cells'][number]): Weight => {
  if (!('fact' in of)) return { tag, weight: 10, tells: true };
  if (of.fact === 'item') return { tag, weight: 1, tells: true };
  return ['quantity', 'total', 'unit', 'class'].includes(of.fact) ? { tag, weight: 1, tells: false } : { tag, weight: 10, tells: true };
};

/** Similarity of a drawn and a target row; 0 for no evidence. */
function likeness(slot: Slot, row: WantedRow, weights: readonly Weight[]): number {
  let sum = 0;
  let told = false;
  for (const { tag, weight, tells } of weights) {
    const text = slot.texts[tag];
    if (text === undefined || text === '' || text !== row.texts[tag]) continue;
    sum += weight;
    told ||= tells;
  }
  return told ? sum : 0;
}

/** Maximum pairs compared; longer lists match in order. */
const MOST_PAIRS = 1_000_000;

/** Matches drawn rows to target rows, most similar first. */
function matchRows(slots: readonly Slot[], wanted: readonly WantedRow[], list: DrawnList): Map<WantedRow, Slot> {
  const weights = list.cells.map(weightOf);
  const pairs: { readonly slot: Slot; readonly row: WantedRow; readonly likeness: number; readonly apart: number }[] = [];
  if (slots.length * wanted.length <= MOST_PAIRS)
    for (const [i, slot] of slots.entries())
      for (const [j, row] of wanted.entries()) {
        const alike = likeness(slot, row, weights);
        if (alike > 0) pairs.push({ slot, row, likeness: alike, apart: Math.abs(i - j) });
      }
  else for (const [i, slot] of slots.entries()) if (wanted[i]) pairs.push({ slot, row: wanted[i], likeness: 1, apart: 0 });
  pairs.sort((a, b) => b.likeness - a.likeness || a.apart - b.apart);
  const found = new Map<WantedRow, Slot>();
  const taken = new Set<Slot>();
  for (const { slot, row } of pairs) {
    if (found.has(row) || taken.has(slot)) continue;
    found.set(row, slot);
    taken.add(slot);
  }
  return found;
}

/** Target texts by slot, and differences. */
export interface DrawnPlan {
  readonly differences: readonly DrawnDifference[];
  /** Texts by list position. For blank targets, the row's current text moves along. */
  readonly texts: readonly Readonly<Record<string, string>>[];
  /** Texts that blanks would erase. */
  readonly erased: number;
}

/**
 * Compares a drawn list with its rows. Blanks never erase unless requested.
 * @param slots in list order
 */
export function compareDrawn(slots: readonly Slot[], wanted: readonly WantedRow[], list: DrawnList, erase = false): DrawnPlan {
  const matched = matchRows(slots, wanted, list);
  const shown = new Set(matched.values());
  let erased = 0;
  const texts: Record<string, string>[] = [];
  const differences = wanted.map((row): DrawnDifference => {
    const slot = matched.get(row);
    const own: Record<string, string> = {};
    const cells = list.cells.flatMap(({ tag }): DrawnDifference['cells'] => {
      const [now, should] = [slot?.texts[tag] ?? '', row.texts[tag] ?? ''];
      const blank = should === '' && now !== '';
      if (blank) erased++;
      own[tag] = blank && !erase ? now : should;
      return now === should ? [] : [{ tag, now, should, keeps: blank && !erase }];
    });
    texts.push(own);
    const changed = cells.some((cell) => !cell.keeps);
    return {
      kind: !slot ? 'added' : changed ? 'changed' : 'same',
      row: row.id,
      holder: slot?.holder ?? null,
      item: row.item,
      label: row.label,
      cells,
    };
  });
  const number = list.cells.find(({ of }) => 'fact' in of && of.fact === 'item')?.tag;
  const removed = slots
    .filter((slot) => !shown.has(slot))
    .map((slot): DrawnDifference => ({
      kind: 'removed',
      row: null,
      holder: slot.holder,
      item: number === undefined ? '' : (slot.texts[number] ?? ''),
      label: list.cells
        .filter(({ tag }) => tag !== number)
        .map(({ tag }) => slot.texts[tag] ?? '')
        .filter((text) => text !== '')
        .join(' · '),
      cells: [],
    }));
  return { differences: [...differences, ...removed], texts, erased };
}

/** Positions of a list: existing ones and continuations. */
export function placesFor(
  count: number,
  order: SlotOrder,
  list: Pick<DrawnList, 'rowsPerColumn' | 'side'>,
  size: { readonly width: number; readonly height: number },
  start: Point,
): Point[] {
  const { columns, growth } = order;
  const way = growth === 'up' ? 1 : -1;
  const there = columns.flatMap((column) => column.map((slot) => slot.at));
  const first = columns[0]?.[0]?.at ?? start;
  const pairs = columns.flatMap((column) => column.slice(1).map((slot, i) => Math.abs(slot.at.y - column[i]!.at.y)));
  // Row distance: as drawn, or the block's height.
  const gaps = pairs.filter((gap) => gap > 1e-9);
  const pitch = gaps.length ? Math.min(...gaps) : size.height;
  const step = columns.length > 1 ? columns[1]![0]!.at.x - first.x : (list.side === 'left' ? -1 : 1) * size.width;
  const places = there.slice(0, count);
  let [column, row] = [Math.max(0, columns.length - 1), columns.at(-1)?.length ?? 0];
  while (places.length < count) {
    if (list.rowsPerColumn !== null && row >= list.rowsPerColumn) [column, row] = [column + 1, 0];
    const top = columns[column]?.[0]?.at ?? { x: first.x + column * step, y: first.y };
    places.push({ x: round(top.x), y: round(top.y + way * row * pitch) });
    row++;
  }
  return places;
}

const round = (n: number) => Number(n.toFixed(6));

/** An item mark. */
export interface Mark {
  readonly holder: string;
  readonly layout: string;
  readonly number: string;
  readonly at: Point;
}

/** State of a mark: right, no such row, or wrong number. */
export interface MarkState {
  readonly mark: Mark;
  readonly state: 'right' | 'no row' | 'wrong number';
  /** Its row, and that row's number. */
  readonly row: string | null;
  readonly should: string | null;
}

/** Marks compared with rows. */
export interface MarkComparison {
  readonly marks: readonly MarkState[];
  /** Rows without a mark. */
  readonly without: readonly string[];
}

/**
 * Compares marks with rows.
 * @param known rows of marks by holder, kept across renumbering
 */
export function compareMarks(marks: readonly Mark[], rows: readonly Pick<WantedRow, 'id' | 'item'>[], known: ReadonlyMap<string, string>): MarkComparison {
  const byItem = new Map(rows.filter((row) => row.item !== '').map((row) => [row.item, row]));
  const byId = new Map(rows.map((row) => [row.id, row]));
  const pointed = new Set<string>();
  const states = marks.map((mark): MarkState => {
    const own = byId.get(known.get(mark.holder) ?? '');
    const row = own ?? byItem.get(mark.number.trim());
    if (!row) return { mark, state: 'no row', row: null, should: null };
    pointed.add(row.id);
    return { mark, state: row.item === mark.number.trim() ? 'right' : 'wrong number', row: row.id, should: row.item };
  });
  return { marks: states, without: rows.filter((row) => row.item !== '' && !pointed.has(row.id)).map((row) => row.id) };
}

/** Edges of a view for placing marks. */
export const VIEW_EDGES = ['top', 'right', 'bottom', 'left'] as const;
export type ViewEdge = (typeof VIEW_EDGES)[number];

/**
 * Positions for new marks outside an edge, left to right or top to bottom, at a mark's size from the view, closer together if the edge is
 * short.
 */
export function alongEdge(count: number, view: ViewBox, edge: ViewEdge, size: number): Point[] {
  const flat = edge === 'top' || edge === 'bottom';
  const length = flat ? view.width : view.height;
  return Array.from({ length: count }, (_, i) => {
    const along = ((i + 0.5) / count) * length;
    if (flat) return { x: round(view.left + along), y: round(edge === 'top' ? view.bottom + view.height + size : view.bottom - size) };
    return { x: round(edge === 'left' ? view.left - size : view.left + view.width + size), y: round(view.bottom + view.height - along) };
  });
}

/** Common headings of facts (common practice), normalised. */
const FACT_WORDS: readonly (readonly [RegExp, BomColumn['of']])[] = [
  [/^(item|pos|position|itemno|itemnumber|find|findno|no|nr)$/, { fact: 'item' }],
  [/^(qty|quantity|count|pcs|pieces|menge|anzahl|off)$/, { fact: 'quantity' }],
  [/^(unit|uom|um)$/, { fact: 'unit' }],
  [/^(file|filename|partfile)$/, { fact: 'part' }],
];

/** Suggests contents of row block cells: facts by common headings, properties by name. Uncertain cells are left out. */
export function suggestCells(
  tags: readonly string[],
  properties: readonly { readonly id: number; readonly writtenName: string; readonly caption: string; readonly knownSpellings: readonly string[] }[],
): DrawnList['cells'] {
  const dictionary = dictionaryOf(DEFAULT_ABBREVIATIONS);
  const plain = (name: string) => fullWords(wordsOf(name), dictionary).join('');
  const known = new Map<string, number>();
  for (const { id, writtenName, caption, knownSpellings } of properties)
    for (const name of [writtenName, caption, ...knownSpellings]) {
      for (const word of [plain(name), plainLetters(name).replace(/[^\p{L}\p{N}]/gu, '')]) if (word !== '' && !known.has(word)) known.set(word, id);
    }
  const taken = new Set<string>();
  return tags.flatMap((tag) => {
    const letters = plainLetters(tag).replace(/[^\p{L}\p{N}]/gu, '');
    const fact = FACT_WORDS.find(([words]) => words.test(letters))?.[1];
    const property = known.get(letters) ?? known.get(plain(tag)) ?? known.get(letters.replace(/no$/, 'number'));
    const of = fact ?? (property === undefined ? null : { property });
    const key = JSON.stringify(of);
    if (of === null || taken.has(key)) return [];
    taken.add(key);
    return [{ tag, of }];
  });
}
