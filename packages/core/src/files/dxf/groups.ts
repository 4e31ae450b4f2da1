import { Point } from '../contract';
import { bytewiseText, plainAscii } from '../encoding';
import { Vertex } from './area';
import { DxfIndex, scanDxf } from './scan';
import { DxfText, dxfText } from './text';

/** An entity or object: type and group range. */
export interface Entity {
  readonly type: string;
  readonly from: number;
  readonly to: number;
}

/** A group: code and text value. */
export type Group = readonly [code: number, value: string];

/** Codes for identity, references and placement, which are replaced. */
const OWN_CODES = new Set([5, 330, 360, 67, 410, 347, 348, 390]);

/** Group range of a section. */
export interface Section {
  readonly from: number;
  readonly to: number;
}

/** Access to a drawing's groups. */
export class DxfGroups {
  readonly index: DxfIndex;
  readonly sections: ReadonlyMap<string, Section>;
  /** Version code. */
  readonly version: string;
  readonly codePage: string;
  readonly text: DxfText;
  /** Header variables with the index of their names. */
  readonly variables: readonly { readonly name: string; readonly at: number }[];

  /** @throws FileError if the bytes are not DXF */
  constructor(bytes: Uint8Array) {
    this.index = scanDxf(bytes);
    this.sections = this.findSections();
    const header = this.sections.get('HEADER');
    const variables: { name: string; at: number }[] = [];
    if (header) for (let k = header.from; k + 1 < header.to; k++) if (this.index.codes[k] === 9) variables.push({ name: this.raw(k), at: k });
    this.variables = variables;
    const version = this.variable('$ACADVER');
    this.version = version < 0 ? 'AC1009' : this.raw(version);
    const page = this.variable('$DWGCODEPAGE');
    this.codePage = page < 0 ? '' : this.raw(page);
    this.text = dxfText(this.version, this.codePage);
  }

  private findSections(): Map<string, Section> {
    const { codes, count } = this.index;
    const sections = new Map<string, Section>();
    for (let k = 0; k + 1 < count; k++) {
      if (codes[k] !== 0 || this.raw(k) !== 'SECTION' || codes[k + 1] !== 2) continue;
      let end = k + 2;
      while (end < count && !(codes[end] === 0 && this.raw(end) === 'ENDSEC')) end++;
      sections.set(this.raw(k + 1), { from: k + 2, to: end });
      k = end;
    }
    return sections;
  }

  /** Index of a header variable's value; -1 if missing. */
  variable(name: string): number {
    const found = this.variables.find((variable) => variable.name === name);
    return found ? found.at + 1 : -1;
  }

  /** Raw trimmed value of a group. */
  raw(at: number): string {
    const { bytes, starts, ends } = this.index;
    return bytewiseText(bytes, starts[at]!, ends[at]!).trim();
  }

  /** Decoded value of a group. */
  value(at: number): string {
    const { bytes, starts, ends } = this.index;
    return plainAscii(bytes, starts[at]!, ends[at]!) ?? this.text.decode(bytes.subarray(starts[at], ends[at]));
  }

  /** The first group with a code; `undefined` if none. */
  get(entity: Entity, code: number): string | undefined {
    const at = this.find(entity, code);
    return at < 0 ? undefined : this.value(at);
  }

  /** Index of the first group with a code; -1 if none. */
  find(entity: Entity, code: number): number {
    const { codes } = this.index;
    for (let k = entity.from + 1; k < entity.to; k++) {
      if (codes[k] === code) return k;
      // Groups between `102 {…` and `102 }` belong to applications.
      if (codes[k] === 102 && this.raw(k).startsWith('{')) while (k + 1 < entity.to && !(codes[k + 1] === 102 && this.raw(k + 1) === '}')) k++;
    }
    return -1;
  }

  /** A number by code; `otherwise` if absent or invalid. */
  number(entity: Entity, code: number, otherwise: number): number {
    const text = this.get(entity, code);
    const n = text === undefined ? Number.NaN : Number(text);
    return Number.isFinite(n) ? n : otherwise;
  }

  /** A point by its first code. */
  point(entity: Entity, code: number): Point {
    return { x: this.number(entity, code, 0), y: this.number(entity, code + 10, 0) };
  }

  /** Entities in a range. */
  entities(from: number, to: number): Entity[] {
    const { codes } = this.index;
    const entities: Entity[] = [];
    let start = -1;
    for (let k = from; k < to; k++) {
      if (codes[k] !== 0) continue;
      if (start >= 0) entities.push({ type: this.raw(start), from: start, to: k });
      start = k;
    }
    if (start >= 0) entities.push({ type: this.raw(start), from: start, to });
    return entities;
  }

  /** Entities of a section; none if missing. */
  within(name: string): Entity[] {
    const section = this.sections.get(name);
    return section ? this.entities(section.from, section.to) : [];
  }

  /** Complete MTEXT content, including its 250-character pieces. */
  longText(entity: Entity): string {
    let text = '';
    for (let k = entity.from + 1; k < entity.to; k++) if (this.index.codes[k] === 1 || this.index.codes[k] === 3) text += this.value(k);
    return text;
  }

  /** Vertices of an LWPOLYLINE. */
  vertices(entity: Entity): Vertex[] {
    const points: { x: number; y: number; bulge: number }[] = [];
    const { codes } = this.index;
    for (let k = entity.from + 1; k < entity.to; k++) {
      if (codes[k] === 10 && codes[k + 1] === 20) points.push({ x: Number(this.raw(k)), y: Number(this.raw(k + 1)), bulge: 0 });
      else if (codes[k] === 42 && points.length) points.at(-1)!.bulge = Number(this.raw(k)) || 0;
    }
    return points;
  }
}

/** Groups of an entity without handles and application data. */
export function entityGroups(drawing: DxfGroups, entity: Entity): Group[] {
  const groups: Group[] = [];
  const { codes } = drawing.index;
  for (let k = entity.from + 1; k < entity.to; k++) {
    const code = codes[k]!;
    if (code === 102 && drawing.raw(k).startsWith('{')) {
      while (k + 1 < entity.to && !(codes[k] === 102 && drawing.raw(k) === '}')) k++;
      continue;
    }
    // Extended data comes last.
    if (code >= 1000) break;
    if (!OWN_CODES.has(code)) groups.push([code, drawing.value(k)]);
  }
  return groups;
}
