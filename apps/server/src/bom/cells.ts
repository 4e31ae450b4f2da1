import { BomValue } from '@rule/contract';
import { BomColumn, BomRow, Member } from '@rule/core/bom';
import { variantProduct } from '@rule/core/identity';
import { Property, forClass, isHeldAt } from '@rule/core/schema';
import { BomData } from './sources';

/** Distinct values listed for a merged row. */
const MOST_VALUES = 20;

/** A length by geometry as it is read: to a tenth of a millimetre. */
const millimetres = (n: number): number => Math.round(n * 10) / 10;

/** Computes cells of a bill of materials on demand, once each. */
export class BomCells {
  private readonly known = new Map<string, Map<BomRow, BomValue>>();

  constructor(
    private readonly data: BomData,
    private readonly itemOf: (row: BomRow) => string,
    private readonly numberOf: (row: BomRow) => number | null,
  ) {}

  cell = (row: BomRow, of: BomColumn['of']): BomValue => {
    const key = 'fact' in of ? of.fact : `${of.property}`;
    let column = this.known.get(key);
    if (!column) this.known.set(key, (column = new Map<BomRow, BomValue>()));
    let cell = column.get(row);
    if (!cell) column.set(row, (cell = 'fact' in of ? this.fact(row, of.fact) : this.property(row, of.property)));
    return cell;
  };

  private readonly counts = new Map<string, BomValue>();
  private readonly plain = new Map<string, BomValue>();

  /** A text without more; equal ones share one object. */
  private text(text: string): BomValue {
    let cell = this.plain.get(text);
    if (!cell) this.plain.set(text, (cell = { text }));
    return cell;
  }

  /** A number of pieces; equal ones share one object. */
  private pieces(number: number, total: number): BomValue {
    const key = `${number} ${total}`;
    let cell = this.counts.get(key);
    if (!cell) this.counts.set(key, (cell = { text: String(number), number, sum: { value: total, without: 0 } }));
    return cell;
  }

  private fact(row: BomRow, fact: Extract<BomColumn['of'], { fact: unknown }>['fact']): BomValue {
    const file = row.match.state === 'matched' ? this.data.files.get(row.match.file) : undefined;
    const variant = row.match.state === 'matched' && row.match.variant !== undefined ? variantProduct(row.match.variant) : null;
    const counted = (pieces: number): BomValue => {
      const { measure } = row;
      if (!measure) return this.pieces(pieces, row.total);
      if (measure.value === null) return { text: '', state: 'missing', note: 'has no value to count by', sum: { value: null, without: measure.without } };
      const property = this.data.properties.get(measure.property);
      const number = pieces === row.total ? measure.value : (measure.value / row.total) * pieces;
      const text = property ? this.data.show({ text: String(number), form: 'real' }, property).text : String(number);
      return { text, number, ...(measure.without ? { state: 'wrong', note: `${measure.without} of ${row.total} pieces have no value to count by` } : {}) };
    };
    switch (fact) {
      case 'item':
        return { text: this.itemOf(row), ...(this.numberOf(row) === null ? {} : { number: this.numberOf(row)! }) };
      case 'quantity':
        return counted(row.quantity);
      case 'total':
        return counted(row.total);
      case 'unit': {
        const unit = row.measure && this.data.properties.get(row.measure.property)?.unit;
        return { text: unit ?? 'pcs' };
      }
      case 'part':
        if (row.bodies) return { text: row.label };
        return this.text(file ? `${file.path.slice(file.path.lastIndexOf('/') + 1)}${variant === null ? '' : `, ${variant}`}` : '');
      case 'folder':
        return this.text(file ? file.path.slice(0, Math.max(0, file.path.lastIndexOf('/'))) : '');
      case 'name':
        return this.text(row.label);
      case 'class':
        return this.text(file?.className ?? '');
      case 'picture':
        return { text: '' };
      case 'mass': {
        const mass = row.bodies || !file || variant !== null ? null : this.data.mass(file.id);
        if (mass === null) return { text: '', sum: { value: null, without: row.total } };
        return { text: mass.toPrecision(4).replace(/\.?0+$/, ''), number: mass, sum: { value: mass * row.total, without: 0 } };
      }
      case 'length':
      case 'section': {
        const at = row.bodies?.file ?? (variant === null ? file?.id : undefined);
        const size = at === undefined ? null : this.data.size(at, row.bodies ? row.bodies.keys[0]! : null);
        if (!size) return { text: '' };
        const [length, width, height] = size.map(millimetres) as [number, number, number];
        return fact === 'length' ? { text: String(length), number: length } : { text: `${width} × ${height}` };
      }
      case 'changed':
        return { text: file ? new Date(file.changed).toISOString().slice(0, 10) : '' };
    }
  }

  private property(row: BomRow, id: number): BomValue {
    const property = this.data.properties.get(id);
    if (!property) return { text: '', state: 'unknown', note: 'is not in the schema any more' };
    return row.bodies ? this.ofBodies(row, property) : this.ofMembers(row, property);
  }

  private ofBodies(row: BomRow, property: Property): BomValue {
    if (!isHeldAt(property, 'body')) return { text: '' };
    const { file, keys } = row.bodies!;
    return this.together(keys.map((key) => ({ cell: this.data.show(this.data.bodyValue(file, key, property), property), pieces: 1 })));
  }

  /** The common value of all members, or their distinct values; totals use each member's own value. */
  private ofMembers(row: BomRow, property: Property): BomValue {
    const parts: { cell: BomValue; pieces: number }[] = [];
    let [value, without, lost]: [number | null, number, boolean] = [null, 0, false];
    let last: { part: number | null; variant: string | null; entry: { cell: BomValue; pieces: number } } | null = null;
    const byOccurrence = isHeldAt(property, 'occurrence');
    for (const member of row.members) {
      if (!byOccurrence && last?.part === member.part && last.variant === member.variant && member.part !== null) last.entry.pieces += member.times;
      else {
        const entry = { cell: this.ofMember(member, property), pieces: member.times };
        parts.push(entry);
        last = { part: member.part, variant: member.variant, entry };
      }
    }
    for (const { cell, pieces } of parts) {
      if (cell.number === undefined) without += pieces;
      else value = (value ?? 0) + cell.number * pieces;
      lost ||= cell.state === 'unknown';
    }
    const numeric = property.type === 'number' || property.type === 'whole';
    const copy = this.data.anyCopies ? row.members.map((member) => this.data.contradiction(member, property)).find((text) => text !== null) : undefined;
    const together = this.together(parts);
    // Most cells are just their text, so equal ones share one object.
    if (!numeric && !copy && !lost) return together;
    const cell: { -readonly [K in keyof BomValue]: BomValue[K] } = { text: together.text };
    if (together.number !== undefined) cell.number = together.number;
    if (together.differs) cell.differs = together.differs;
    if (together.state) cell.state = together.state;
    if (together.note) cell.note = together.note;
    if (numeric) cell.sum = { value, without };
    if (lost && together.text === '') {
      cell.state = 'unknown';
      cell.note = 'has no part file';
    }
    if (copy) cell.copy = copy;
    return cell;
  }

  /** One occurrence's value, with what is wrong with it. */
  ofMember(member: Omit<Member, 'times'>, property: Property): BomValue {
    const at = this.data.holderOf(member, property);
    if (!at && member.part === null && isHeldAt(property, 'document')) return { text: '', state: 'unknown', note: 'has no part file' };
    const file = member.part === null ? undefined : this.data.files.get(member.part);
    if (!this.data.reachedBy(file, property)) return { text: '' };
    const own = forClass(property, file?.className ?? null);
    const cell = this.data.show(this.data.valueOf(member, property), own === property ? property : own);
    const finding = at && this.data.findingAt(at.file, at.holder, property.id);
    if (finding?.code === 'required' && cell.text === '') return { ...cell, state: 'missing', note: finding.message };
    if (finding && cell.text !== '' && cell.state === undefined) return { ...cell, state: 'wrong', note: finding.message };
    if (cell.text === '' && property.required) return { ...cell, state: 'missing', note: 'is required' };
    return cell.text === '' ? { ...cell, state: 'blank' } : cell;
  }

  private together(parts: readonly { readonly cell: BomValue; readonly pieces: number }[]): BomValue {
    const first = parts[0]?.cell ?? { text: '' };
    if (parts.every(({ cell }) => cell.text === first.text)) return parts.find(({ cell }) => cell.state)?.cell ?? first;
    const counts = new Map<string, number>();
    for (const { cell, pieces } of parts) counts.set(cell.text, (counts.get(cell.text) ?? 0) + pieces);
    const differs = [...counts].map(([text, pieces]) => ({ text, pieces })).sort((a, b) => b.pieces - a.pieces);
    return { text: `differs (${differs.length} values)`, differs: differs.slice(0, MOST_VALUES) };
  }
}
