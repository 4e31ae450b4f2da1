import { Match } from '../identity';
import { BomRow } from './rows';
import { BomGroup } from './table';

/** A row of a list as the page shows it. */
export interface ListedRow<Cell> extends Omit<BomRow, 'members'> {
  readonly item: string;
  readonly number: number | null;
  readonly path: string | null;
  readonly className: string | null;
  readonly picture: boolean;
  readonly members: number;
  readonly cells: readonly Cell[];
  /** Candidates, if ambiguous. */
  readonly candidates: readonly { readonly id: number; readonly path: string }[];
  /** An assembly and one of its copies, for assigning the part file. */
  readonly copyOf: { readonly assembly: number; readonly product: string } | null;
}

/**
 * The rows of a list for transfer: a list per column, and every text and shared object once. Texts are indices into `texts` (-1 for none). A
 * row's id is its own part below that of its parent, which is told by its place in the list (-1 for none).
 */
export interface PackedRows<Cell> {
  readonly texts: readonly string[];
  readonly matches: readonly Match[];
  /** Cells; a text alone stands for a cell of it. */
  readonly values: readonly (Cell | string)[];
  readonly id: readonly number[];
  readonly parent: readonly number[];
  readonly level: readonly number[];
  readonly label: readonly number[];
  readonly match: readonly number[];
  readonly quantity: readonly number[];
  readonly total: readonly number[];
  readonly item: readonly number[];
  readonly number: readonly (number | null)[];
  readonly path: readonly number[];
  readonly className: readonly number[];
  readonly members: readonly number[];
  /** Sums of {@link OPEN}, {@link COUNTS}, {@link LOOP} and {@link PICTURE}. */
  readonly marks: readonly number[];
  /** Assembly and product in turns; -1 and -1 for none. */
  readonly copyOf: readonly number[];
  /** Cells of one row after the other, as indices into `values`. */
  readonly cells: readonly number[];
  /** What few rows have, by row. */
  readonly rare: Readonly<Record<number, Partial<Pick<ListedRow<Cell>, 'measure' | 'bodies' | 'candidates'>>>>;
}

const [OPEN, COUNTS, LOOP, PICTURE] = [1, 2, 4, 8];

/** Numbers texts or objects in order of their first appearance. Objects are compared by identity: to compare their content takes longer than to send it. */
class Numbering<T> {
  readonly list: T[] = [];
  private readonly known = new Map<T, number>();

  of(thing: T): number {
    let at = this.known.get(thing);
    if (at === undefined) {
      at = this.list.length;
      this.known.set(thing, at);
      this.list.push(thing);
    }
    return at;
  }
}

/** Whether a cell has nothing but a text. */
function isPlain(cell: { readonly text: string }): boolean {
  for (const key in cell) if (key !== 'text') return false;
  return true;
}

/** A list with its groups. */
export interface ListedRows<Cell> {
  readonly rows: readonly ListedRow<Cell>[];
  readonly groups: readonly BomGroup[];
}

/** The same for transfer; groups name their rows by place. */
export interface PackedList<Cell> {
  readonly rows: PackedRows<Cell>;
  readonly groups: readonly (Omit<BomGroup, 'rows'> & { readonly rows: readonly number[] })[];
}

/** Packs a list for transfer. */
export function packList<Cell extends { readonly text: string }>({ rows, groups }: ListedRows<Cell>): PackedList<Cell> {
  const places = new Map(rows.map((row, i) => [row.id, i]));
  return { rows: packRows(rows, places), groups: groups.map((group) => ({ ...group, rows: group.rows.map((id) => places.get(id)!) })) };
}

/** The list again; equal cells are one object. */
export function unpackList<Cell extends { readonly text: string }>({ rows: packed, groups }: PackedList<Cell>): ListedRows<Cell> {
  const rows = unpackRows(packed);
  return { rows, groups: groups.map((group) => ({ ...group, rows: group.rows.map((at) => rows[at]!.id) })) };
}

function packRows<Cell extends { readonly text: string }>(rows: readonly ListedRow<Cell>[], places: ReadonlyMap<string, number>): PackedRows<Cell> {
  const texts = new Numbering<string>();
  const matches = new Numbering<Match>();
  const values = new Numbering<Cell>();
  const text = (one: string | null): number => (one === null ? -1 : texts.of(one));
  const rare: Record<number, Partial<Pick<ListedRow<Cell>, 'measure' | 'bodies' | 'candidates'>>> = {};
  rows.forEach(({ measure, bodies, candidates }, i) => {
    if (measure || bodies || candidates.length)
      rare[i] = { ...(measure ? { measure } : {}), ...(bodies ? { bodies } : {}), ...(candidates.length ? { candidates } : {}) };
  });
  return {
    id: rows.map(({ id, parent }) => text(parent === null ? id : id.slice(parent.length + 1))),
    parent: rows.map(({ parent }) => (parent === null ? -1 : places.get(parent)!)),
    level: rows.map(({ level }) => level),
    label: rows.map(({ label }) => text(label)),
    match: rows.map(({ match }) => matches.of(match)),
    quantity: rows.map(({ quantity }) => quantity),
    total: rows.map(({ total }) => total),
    item: rows.map(({ item }) => text(item)),
    number: rows.map(({ number }) => number),
    path: rows.map(({ path }) => text(path)),
    className: rows.map(({ className }) => text(className)),
    members: rows.map(({ members }) => members),
    marks: rows.map((row) => (row.open ? OPEN : 0) + (row.counts ? COUNTS : 0) + (row.loop ? LOOP : 0) + (row.picture ? PICTURE : 0)),
    copyOf: rows.flatMap(({ copyOf }) => (copyOf ? [copyOf.assembly, text(copyOf.product)] : [-1, -1])),
    cells: rows.flatMap(({ cells }) => cells.map((cell) => values.of(cell))),
    rare,
    texts: texts.list,
    matches: matches.list,
    values: values.list.map((cell) => (isPlain(cell) ? cell.text : cell)),
  };
}

function unpackRows<Cell extends { readonly text: string }>(packed: PackedRows<Cell>): ListedRow<Cell>[] {
  const { texts, matches, rare } = packed;
  // A cell that has more than a text is never a string.
  const values = packed.values.map((value) => (typeof value === 'string' ? ({ text: value } as Cell) : value));
  const text = (at: number): string | null => (at < 0 ? null : texts[at]!);
  const columns = packed.id.length === 0 ? 0 : packed.cells.length / packed.id.length;
  const ids: string[] = [];
  const idAt = (i: number): string => {
    const parent = packed.parent[i]!;
    return (ids[i] ??= parent < 0 ? texts[packed.id[i]!]! : `${idAt(parent)}\n${texts[packed.id[i]!]!}`);
  };
  return packed.id.map((_, i): ListedRow<Cell> => {
    const marks = packed.marks[i]!;
    const [assembly, product] = [packed.copyOf[2 * i]!, packed.copyOf[2 * i + 1]!];
    return {
      id: idAt(i),
      parent: packed.parent[i]! < 0 ? null : idAt(packed.parent[i]!),
      level: packed.level[i]!,
      label: texts[packed.label[i]!]!,
      match: matches[packed.match[i]!]!,
      quantity: packed.quantity[i]!,
      total: packed.total[i]!,
      measure: rare[i]?.measure ?? null,
      bodies: rare[i]?.bodies ?? null,
      open: (marks & OPEN) !== 0,
      counts: (marks & COUNTS) !== 0,
      loop: (marks & LOOP) !== 0,
      item: texts[packed.item[i]!]!,
      number: packed.number[i]!,
      path: text(packed.path[i]!),
      className: text(packed.className[i]!),
      picture: (marks & PICTURE) !== 0,
      members: packed.members[i]!,
      cells: packed.cells.slice(i * columns, (i + 1) * columns).map((at) => values[at]!),
      candidates: rare[i]?.candidates ?? [],
      copyOf: product < 0 ? null : { assembly, product: texts[product]! },
    };
  });
}
