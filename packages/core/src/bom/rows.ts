import { Match } from '../identity';
import { BomContent, ClassRule } from './layout';
import { BomNode, Placed, Structures, nodeKey } from './structures';

/** A counted occurrence. */
export interface Member {
  readonly assembly: number;
  readonly occurrence: string;
  readonly product: string;
  readonly part: number | null;
  /** The holder of the part's variant; `null` for its first product. */
  readonly variant: string | null;
  /** Its multiplicity in the total. */
  readonly times: number;
}

/** A row without cells. */
export interface BomRow {
  /** Stable identity of the row, used for its number. */
  readonly id: string;
  readonly parent: string | null;
  /** 1 for the first level. */
  readonly level: number;
  readonly label: string;
  readonly match: Match;
  readonly members: readonly Member[];
  /** Pieces per parent; for bodies, per part. */
  readonly quantity: number;
  /** Total pieces. */
  readonly total: number;
  /** Total of the counted property, and pieces without a value. */
  readonly measure: { readonly property: number; readonly value: number | null; readonly without: number } | null;
  /** Bodies of the row. */
  readonly bodies: { readonly file: number; readonly keys: readonly string[] } | null;
  /** Whether it has child rows. */
  readonly open: boolean;
  /** Whether totals include it; each piece is included once. */
  readonly counts: boolean;
  /** The assembly contains itself; not expanded again. */
  readonly loop: boolean;
}

/** A body with its equality key. */
export interface BomBody {
  readonly key: string;
  readonly label: string;
  readonly equal: string;
}

/** Inputs besides structure. */
export interface RowFacts {
  classOf(file: number): number | null;
  /** Merge key of a value; empty for none. */
  text(member: Omit<Member, 'times'>, property: number): string;
  /** Number to count by; `null` for none. */
  amount(member: Omit<Member, 'times'>, property: number): number | null;
  bodies(file: number): readonly BomBody[];
}

/** Maximum rows. */
export const MOST_BOM_ROWS = 100_000;

/** Maximum depth. */
export const MOST_BOM_LEVELS = 200;

/** The list exceeds the limits. */
export class BomLimit extends Error {}

const tooDeep = () => new BomLimit(`Sub-assemblies are nested more than ${MOST_BOM_LEVELS} levels deep.`);

/** An occurrence with its multiplicity. */
interface Counted {
  readonly placed: Placed;
  readonly times: number;
  readonly rule: ClassRule | undefined;
  /** Part of a cycle. */
  readonly loop: boolean;
  /** Its contents are counted by rows of their own. */
  readonly apart: boolean;
}

interface Group {
  readonly key: string;
  readonly first: Counted;
  readonly members: Member[];
  times: number;
}

const partOf = ({ match }: Placed): number | null => (match.state === 'matched' ? match.file : null);
const variantOf = ({ match }: Placed): string | null => (match.state === 'matched' ? (match.variant ?? null) : null);
const memberOf = ({ placed, times }: Counted): Member => ({
  assembly: placed.assembly,
  occurrence: placed.occurrence,
  product: placed.product,
  part: partOf(placed),
  variant: variantOf(placed),
  times,
});

/** Rows, and what was excluded. */
export interface BomRows {
  readonly rows: readonly BomRow[];
  /** Pieces of excluded classes. */
  readonly leftOut: number;
}

/** Builds BOM rows from structure and layout. */
class RowMaker {
  private readonly rules: ReadonlyMap<number, ClassRule>;
  private readonly rows: BomRow[] = [];
  private leftOut = 0;

  constructor(
    private readonly structures: Structures,
    private readonly content: BomContent,
    private readonly facts: RowFacts,
  ) {
    this.rules = new Map(content.classes.map((rule) => [rule.class, rule]));
  }

  make(top: BomNode): BomRows {
    if (this.content.structure === 'summed') this.summed(top);
    else this.below(top, null, 1, 1, new Set([nodeKey(top)]));
    return { rows: this.rows, leftOut: this.leftOut };
  }

  private ruleOf(placed: Placed): ClassRule | undefined {
    const part = partOf(placed);
    const own = part === null ? null : this.facts.classOf(part);
    return own === null ? undefined : this.rules.get(own);
  }

  /** Children, with dissolved sub-assemblies replaced by theirs. */
  private gather(node: BomNode, times: number, path: ReadonlySet<string>, into: Counted[]): void {
    if (path.size > MOST_BOM_LEVELS) throw tooDeep();
    for (const placed of this.structures.children(node)) {
      const rule = this.ruleOf(placed);
      const loop = placed.below !== null && path.has(nodeKey(placed.below));
      if (rule?.rule === 'leave out') this.leftOut += times;
      else if (rule?.rule === 'dissolve' && placed.below && !loop) this.gather(placed.below, times, new Set([...path, nodeKey(placed.below)]), into);
      else into.push({ placed, times, rule, loop, apart: false });
    }
  }

  /** Merge key: the layout's values if all exist, else the part file, else the copy. Blanks never merge. */
  private keyOf({ placed }: Counted): string {
    const part = partOf(placed);
    const variant = variantOf(placed);
    const own = { assembly: placed.assembly, occurrence: placed.occurrence, product: placed.product, part, variant };
    if (part !== null && this.content.key.length) {
      const values = this.content.key.map((property) => this.facts.text(own, property));
      if (values.every((value) => value !== '')) return `values ${JSON.stringify(values)}`;
    }
    return part !== null
      ? `file ${part}${variant === null ? '' : ` ${variant}`}`
      : `copy ${placed.assembly} ${this.structures.productId({ file: placed.assembly, product: placed.product })}`;
  }

  private group(counted: readonly Counted[], apartBelow: boolean): Group[] {
    const groups = new Map<string, Group>();
    for (const entry of counted) {
      const { below } = entry.placed;
      // Assemblies with different contents cannot merge.
      const key = this.keyOf(entry) + (apartBelow && below && entry.rule?.rule !== 'as one' ? ` of ${nodeKey(below)}` : '');
      const group = groups.get(key);
      if (group) {
        group.members.push(memberOf(entry));
        group.times += entry.times;
      } else groups.set(key, { key, first: entry, members: [memberOf(entry)], times: entry.times });
    }
    return [...groups.values()];
  }

  /** @param times multiplicity of the parent */
  private below(node: BomNode, parent: string | null, level: number, times: number, path: ReadonlySet<string>): void {
    const counted: Counted[] = [];
    this.gather(node, 1, path, counted);
    for (const group of this.group(counted, this.content.structure === 'indented')) {
      const { placed, rule, loop } = group.first;
      const goesOn = this.content.structure === 'indented' && placed.below !== null && !loop && rule?.rule !== 'as one';
      const total = group.times * times;
      const members = times === 1 ? group.members : group.members.map((member) => ({ ...member, times: member.times * times }));
      const id = this.add({
        parent,
        level,
        key: group.key,
        label: placed.label,
        match: placed.match,
        members,
        quantity: group.times,
        total,
        rule,
        loop,
        open: goesOn,
        counts: level === 1,
      });
      if (goesOn) this.below(placed.below, id, level + 1, total, new Set([...path, nodeKey(placed.below)]));
    }
  }

  /** Summed lists: multiplicities first, so each node is visited once. */
  private summed(top: BomNode): void {
    const { order, loops } = this.inOrder(top);
    const times = new Map([[nodeKey(top), 1]]);
    const counted: Counted[] = [];
    for (const node of order) {
      const own = times.get(nodeKey(node)) ?? 0;
      if (own === 0) continue;
      for (const placed of this.structures.children(node)) {
        const rule = this.ruleOf(placed);
        if (rule?.rule === 'leave out') {
          this.leftOut += own;
          continue;
        }
        const loop = placed.below !== null && loops.has(`${nodeKey(node)} ${nodeKey(placed.below)}`);
        const closed = !placed.below || rule?.rule === 'as one' || loop;
        if (!closed) times.set(nodeKey(placed.below), (times.get(nodeKey(placed.below)) ?? 0) + own);
        if (closed || (this.content.assemblies && rule?.rule !== 'dissolve')) counted.push({ placed, times: own, rule, loop, apart: !closed });
      }
    }
    for (const group of this.group(counted, false)) {
      const { placed, rule, loop, apart } = group.first;
      this.add({
        parent: null,
        level: 1,
        key: group.key,
        label: placed.label,
        match: placed.match,
        members: group.members,
        quantity: group.times,
        total: group.times,
        rule,
        loop,
        open: false,
        counts: !apart,
      });
    }
  }

  /** Topological order; edges closing a cycle are returned and not followed. */
  private inOrder(top: BomNode): { order: BomNode[]; loops: ReadonlySet<string> } {
    const order: BomNode[] = [];
    const loops = new Set<string>();
    const done = new Set<string>();
    const open = new Set<string>();
    const walk = (node: BomNode) => {
      if (open.size > MOST_BOM_LEVELS) throw tooDeep();
      const key = nodeKey(node);
      open.add(key);
      for (const placed of this.structures.children(node)) {
        const rule = this.ruleOf(placed)?.rule;
        if (!placed.below || rule === 'leave out' || rule === 'as one') continue;
        const next = nodeKey(placed.below);
        if (open.has(next)) loops.add(`${key} ${next}`);
        else if (!done.has(next)) walk(placed.below);
      }
      open.delete(key);
      done.add(key);
      order.push(node);
    };
    walk(top);
    return { order: order.reverse(), loops };
  }

  private add(row: {
    parent: string | null;
    level: number;
    key: string;
    label: string;
    match: Match;
    members: readonly Member[];
    quantity: number;
    total: number;
    rule: ClassRule | undefined;
    loop: boolean;
    open: boolean;
    counts: boolean;
  }): string {
    if (this.rows.length >= MOST_BOM_ROWS) throw new BomLimit(`The list would have more than ${MOST_BOM_ROWS.toLocaleString('en')} rows.`);
    const id = row.parent === null ? row.key : `${row.parent}\n${row.key}`;
    const { rule } = row;
    const bodies = this.content.bodies && !row.open && row.match.state === 'matched' ? this.bodiesOf(row.match.file) : [];
    this.rows.push({
      id,
      parent: row.parent,
      level: row.level,
      label: row.label,
      match: row.match,
      members: row.members,
      quantity: row.quantity,
      total: row.total,
      measure: rule?.rule === 'count by' && rule.property !== null ? this.measured(row.members, rule.property) : null,
      bodies: null,
      open: row.open || bodies.length > 0,
      counts: row.counts,
      loop: row.loop,
    });
    if (row.match.state === 'matched')
      for (const { key, label, keys } of bodies)
        this.rows.push({
          id: `${id}\nbody ${key}`,
          parent: id,
          level: row.level + 1,
          label,
          match: row.match,
          members: [],
          quantity: keys.length,
          total: keys.length * row.total,
          measure: null,
          bodies: { file: row.match.file, keys },
          open: false,
          counts: false,
          loop: false,
        });
    return id;
  }

  /** Groups equal bodies; none for single-body parts. */
  private bodiesOf(file: number): { key: string; label: string; keys: string[] }[] {
    const all = this.facts.bodies(file);
    if (all.length < 2) return [];
    const groups = new Map<string, { key: string; label: string; keys: string[] }>();
    for (const { key, label, equal } of all) {
      const group = groups.get(equal);
      if (group) group.keys.push(key);
      else groups.set(equal, { key, label, keys: [key] });
    }
    return [...groups.values()];
  }

  private measured(members: readonly Member[], property: number): NonNullable<BomRow['measure']> {
    let value: number | null = null;
    let without = 0;
    for (const member of members) {
      const own = this.facts.amount(member, property);
      if (own === null) without += member.times;
      else value = (value ?? 0) + own * member.times;
    }
    return { property, value, without };
  }
}

/**
 * Builds the rows.
 * @throws BomLimit
 */
export const makeRows = (structures: Structures, top: BomNode, content: BomContent, facts: RowFacts): BomRows =>
  new RowMaker(structures, content, facts).make(top);
