import { BlockReading, CarriedBlock, CellStep, FileError, Point } from '../contract';
import { DxfGroups, Entity, Group, entityGroups } from './groups';
import { changedCells } from './recell';

/** Entities that can be copied: they refer only to layers, styles and line types. */
const CARRIED = new Set(['LINE', 'LWPOLYLINE', 'POLYLINE', 'VERTEX', 'SEQEND', 'CIRCLE', 'ARC', 'ELLIPSE', 'POINT', 'SOLID', 'TEXT', 'MTEXT', 'ATTDEF']);

/** Entities owned by the preceding polyline. */
const PARTS = new Set(['VERTEX', 'SEQEND']);

const lower = (text: string): string => text.toLowerCase();

class Source extends DxfGroups {
  carried(name: string): CarriedBlock {
    if (this.version < 'AC1015')
      throw new FileError('version', `The drawing that defines the block ${name} is of version ${this.version}; blocks can be taken from AC1015 and later.`);
    const section = this.sections.get('BLOCKS');
    const entities = section ? this.entities(section.from, section.to) : [];
    const at = entities.findIndex((entity) => entity.type === 'BLOCK' && lower(this.get(entity, 2) ?? '') === lower(name));
    if (at < 0) throw new FileError('no-block', `The drawing does not define the block ${name}.`);
    const end = entities.findIndex((entity, i) => i > at && entity.type === 'ENDBLK');
    const inside = entities.slice(at + 1, end);
    const other = inside.find((entity) => !CARRIED.has(entity.type));
    if (other) throw new FileError('not-carried', `The block ${name} contains ${other.type}, which cannot be copied to another drawing.`);
    const body = inside.map((entity) => ({ type: entity.type, groups: entityGroups(this, entity) }));
    const tables = this.within('TABLES');
    const used = (code: number) => new Set(body.flatMap(({ groups }) => groups.filter(([own]) => own === code).map(([, value]) => lower(value))));
    const records = (type: string, names: ReadonlySet<string>) =>
      tables
        .filter((record) => record.type === type && names.has(lower(this.get(record, 2) ?? '')))
        .map((record) => ({ name: this.get(record, 2) ?? '', groups: entityGroups(this, record) }));
    const layers = records('LAYER', used(8));
    const lineTypes = new Set([...used(6), ...layers.flatMap(({ groups }) => groups.filter(([code]) => code === 6).map(([, value]) => lower(value)))]);
    const units = this.variable('$INSUNITS');
    return {
      name: this.get(entities[at]!, 2) ?? name,
      base: this.point(entities[at]!, 10),
      units: units < 0 ? null : this.raw(units),
      entities: body,
      layers,
      styles: records('STYLE', new Set([...used(7), 'standard'])),
      // Complex line types refer to styles by handle and become continuous.
      lineTypes: records('LTYPE', lineTypes).filter(({ groups }) => !groups.some(([code]) => code === 340)),
    };
  }
}

/**
 * Reads a portable block definition.
 * @throws FileError if it cannot be copied
 */
export const carriedBlock = (bytes: Uint8Array, name: string): CarriedBlock => new Source(bytes).carried(name);

/** A symbol table of the target drawing. */
interface Tables {
  readonly names: ReadonlySet<string>;
  readonly handle: string | null;
  /** Index of its ENDTAB. */
  readonly end: number;
}

/** Flag of blocks with attribute definitions. */
const HAS_CELLS = 2;

/** A definition's place in a drawing. */
interface BlockRange {
  readonly from: number;
  readonly to: number;
  /** Index of its ENDBLK. */
  readonly end: number;
  /** Index of its flags; -1 if not stated. */
  readonly flags: number;
  /** The flags saying whether it has cells. */
  flagged(cells: boolean): GroupSplice;
  readonly block: string;
  readonly record: string;
  readonly endBlock: string;
}

class Target extends DxfGroups {
  table(name: string): Tables | null {
    const section = this.sections.get('TABLES');
    if (!section) return null;
    const all = this.entities(section.from, section.to);
    const at = all.findIndex((entity) => entity.type === 'TABLE' && this.get(entity, 2) === name);
    if (at < 0) return null;
    const end = all.findIndex((entity, i) => i > at && entity.type === 'ENDTAB');
    if (end < 0) return null;
    return {
      names: new Set(all.slice(at + 1, end).map((record) => lower(this.get(record, 2) ?? ''))),
      handle: this.get(all[at]!, 5)?.trim() ?? null,
      end: all[end]!.from,
    };
  }
  definition(name: string): BlockRange | null {
    const section = this.sections.get('BLOCKS');
    const entities = section ? this.entities(section.from, section.to) : [];
    const at = entities.findIndex((entity) => entity.type === 'BLOCK' && lower(this.get(entity, 2) ?? '') === lower(name));
    const end = entities.findIndex((entity, i) => i > at && entity.type === 'ENDBLK');
    if (at < 0 || end < 0) return null;
    const handle = (entity: Entity, code: number) => this.get(entity, code)?.trim() ?? '';
    return {
      from: entities[at]!.from,
      to: entities[end]!.to,
      end: entities[end]!.from,
      flags: this.find(entities[at]!, 70),
      flagged: (cells) => {
        const k = this.find(entities[at]!, 70);
        return { at: k, to: k + 1, groups: [[70, String((Number(this.raw(k)) & ~HAS_CELLS) | (cells ? HAS_CELLS : 0))]] };
      },
      block: handle(entities[at]!, 5),
      record: handle(entities[at]!, 330),
      endBlock: handle(entities[end]!, 5),
    };
  }
  record(handle: string): Entity | null {
    return this.within('TABLES').find((entity) => entity.type === 'BLOCK_RECORD' && this.get(entity, 5)?.trim() === handle) ?? null;
  }
}

/** Groups to insert, or to replace others with. */
export interface GroupSplice {
  readonly at: number;
  readonly to: number;
  readonly groups: readonly Group[];
}

const decimal = (n: number) => (Number.isInteger(n) ? n.toFixed(1) : String(n));

/**
 * Adds or replaces a block definition, with missing layers, styles and line types. Existing ones stay.
 * @param free allocates a handle
 * @throws FileError if the drawing cannot take it
 */
export function definitionSplices(bytes: Uint8Array, carried: CarriedBlock, free: () => string): GroupSplice[] {
  const target = new Target(bytes);
  if (target.version < 'AC1015') throw new FileError('version', `Drawings of version ${target.version} cannot take blocks from others; AC1015 and later can.`);
  const units = target.variable('$INSUNITS');
  const own = units < 0 ? null : target.raw(units);
  if (own !== null && carried.units !== null && own !== '0' && carried.units !== '0' && own !== carried.units)
    throw new FileError('units', `The block ${carried.name} is drawn in another unit than this drawing.`);
  const blocks = target.sections.get('BLOCKS');
  const records = target.table('BLOCK_RECORD');
  if (!blocks || !records) throw new FileError('no-blocks', 'The drawing has no section for blocks.');
  const splices: GroupSplice[] = [];
  const lacking = (table: string, list: readonly { readonly name: string; readonly groups: readonly Group[] }[]): void => {
    const there = target.table(table);
    if (!there) return;
    const groups = list
      .filter(({ name }) => !there.names.has(lower(name)))
      .flatMap(({ groups: said }): Group[] => [[0, table], [5, free()], ...(there.handle === null ? [] : [[330, there.handle] as const]), ...said]);
    if (groups.length) splices.push({ at: there.end, to: there.end, groups });
  };
  const lineTypes = new Set([...(target.table('LTYPE')?.names ?? []), ...carried.lineTypes.map(({ name }) => lower(name)), 'bylayer', 'byblock', 'continuous']);
  lacking('LTYPE', carried.lineTypes);
  lacking(
    'LAYER',
    carried.layers.map(({ name, groups }) => ({
      name,
      groups: groups.map((group): Group => (group[0] === 6 && !lineTypes.has(lower(group[1])) ? [6, 'Continuous'] : group)),
    })),
  );
  lacking('STYLE', carried.styles);

  if (carried.steps) return cellSplices(bytes, target, carried.name, carried.steps, free);
  const before = target.definition(carried.name);
  const record = before?.record || free();
  const handle = before?.block || free();
  const body: Group[] = [];
  let polyline = record;
  for (const { type, groups } of carried.entities) {
    const its = free();
    if (type === 'POLYLINE') polyline = its;
    body.push([0, type], [5, its], [330, PARTS.has(type) ? polyline : record]);
    for (const group of groups) if (group[0] !== 6 || lineTypes.has(lower(group[1]))) body.push(group);
  }
  const attributes = carried.entities.some(({ type }) => type === 'ATTDEF');
  const point = ({ x, y }: Point): Group[] => [
    [10, decimal(x)],
    [20, decimal(y)],
    [30, '0.0'],
  ];
  const begin: Group[] = [
    [0, 'BLOCK'],
    [5, handle],
    [330, record],
    [100, 'AcDbEntity'],
    [8, '0'],
    [100, 'AcDbBlockBegin'],
    [2, carried.name],
    [70, attributes ? '2' : '0'],
    ...point(carried.base),
    [3, carried.name],
    [1, ''],
  ];
  const end: Group[] = [
    [0, 'ENDBLK'],
    [5, before?.endBlock || free()],
    [330, record],
    [100, 'AcDbEntity'],
    [8, '0'],
    [100, 'AcDbBlockEnd'],
  ];
  splices.push({ at: before?.from ?? blocks.to, to: before?.to ?? blocks.to, groups: [...begin, ...body, ...end] });
  if (!before)
    splices.push({
      at: records.end,
      to: records.end,
      groups: [
        [0, 'BLOCK_RECORD'],
        [5, record],
        ...(records.handle === null ? [] : [[330, records.handle] as const]),
        [100, 'AcDbSymbolTableRecord'],
        [100, 'AcDbBlockTableRecord'],
        [2, carried.name],
        [340, '0'],
        [70, '0'],
        [280, '1'],
        [281, '0'],
      ],
    });
  return splices;
}

/** Replaces the cells of a definition; the rest of it stays as it is. */
function cellSplices(bytes: Uint8Array, target: Target, name: string, steps: readonly CellStep[], free: () => string): GroupSplice[] {
  const { cells, gone } = changedCells(bytes, name, steps);
  const there = target.definition(name)!;
  const removed = gone.map(({ from, to }): GroupSplice => ({ at: from, to, groups: [] }));
  const groups = cells.flatMap((own): Group[] => [[0, 'ATTDEF'], [5, free()], [330, there.record], ...own]);
  return [...removed, ...(there.flags < 0 ? [] : [there.flagged(cells.length > 0)]), { at: there.end, to: there.end, groups }];
}

/**
 * Removes a block definition.
 * @throws FileError if there is none
 */
export function removalSplices(bytes: Uint8Array, name: string): GroupSplice[] {
  const target = new Target(bytes);
  const there = target.definition(name);
  if (!there) throw new FileError('no-block', `The drawing does not define the block ${name}.`);
  const record = target.record(there.record);
  return [{ at: there.from, to: there.to, groups: [] }, ...(record ? [{ at: record.from, to: record.to, groups: [] }] : [])];
}

/** Comparable content of a definition: cells and shapes, without fonts. */
const comparable = ({ cells, shapes }: BlockReading): string => {
  const round = (n: number) => Number(n.toPrecision(9));
  return JSON.stringify(
    [
      cells.map(({ tag, prompt, preset, at, height, widthFactor, rotation, align, valign, constant, multiline }) => [
        tag,
        prompt,
        preset,
        at.x,
        at.y,
        height,
        widthFactor,
        rotation,
        align,
        valign,
        constant,
        multiline,
      ]),
      shapes.map((shape) =>
        shape.shape === 'line'
          ? [shape.points.flatMap(({ x, y }) => [x, y]), shape.closed]
          : shape.shape === 'circle'
            ? [shape.at.x, shape.at.y, shape.radius]
            : [shape.at.x, shape.at.y, shape.text, shape.height, shape.rotation, shape.align],
      ),
    ],
    (_, value: unknown) => (typeof value === 'number' ? round(value) : value),
  );
};

/** A definition as comparable text: counts and a hash (32-bit FNV-1a, twice). */
export function definitionText(block: BlockReading): string {
  const text = comparable(block);
  const mark = (seed: number): string => {
    let hash = seed;
    for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193) >>> 0;
    return hash.toString(16).padStart(8, '0');
  };
  const cells = block.cells.length;
  const shapes = block.shapes.length;
  return `${cells} ${cells === 1 ? 'cell' : 'cells'}, ${shapes} ${shapes === 1 ? 'shape' : 'shapes'}, ${mark(0x811c9dc5)}${mark(0x9747b28c)}`;
}
