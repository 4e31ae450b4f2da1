import { heldText } from '../../values';
import { BlockReading, BlockShape, CellDefinition, FileProblem, FileReading, HolderReading, InsertReading, Point, ReadValue } from '../contract';
import { DxfIndex, scanDxf } from './scan';
import { DxfText, dxfText, plainMtext, showControlCodes } from './text';

/** A DXF file with the positions of the groups that writing needs. */
export interface DxfContent {
  readonly index: DxfIndex;
  readonly version: string;
  readonly text: DxfText;
  /** Document properties: positions of the pairs `9 $CUSTOMPROPERTYTAG`, `1 name`, `9 $CUSTOMPROPERTY`, `1 value`. */
  readonly properties: readonly { readonly name: string; readonly value: string; readonly first: number; readonly valueAt: number }[];
  /** Position of the `ENDSEC` that closes the header; -1 when the file has no header. */
  readonly headerEnd: number;
  readonly fields: readonly { readonly name: string; readonly value: string; readonly valueAt: number }[];
  readonly blocks: readonly BlockReading[];
  readonly inserts: readonly (InsertReading & { readonly cells: readonly { readonly tag: string; readonly text: string; readonly valueAt: number }[] })[];
  readonly problems: readonly FileProblem[];
}

const FIELDS: Readonly<Record<string, string>> = { $LASTSAVEDBY: 'author', $PROJECTNAME: 'product name' };

/** One entity: the positions of its groups, its type first. */
interface Entity {
  readonly type: string;
  readonly from: number;
  readonly to: number;
}

class Reader {
  readonly index: DxfIndex;
  private text: DxfText = dxfText('AC1021', '');

  constructor(bytes: Uint8Array) {
    this.index = scanDxf(bytes);
  }

  private raw(at: number): string {
    const { bytes, starts, ends } = this.index;
    let out = '';
    for (let i = starts[at]!; i < ends[at]!; i++) out += String.fromCharCode(bytes[i]!);
    return out.trim();
  }

  private value(at: number): string {
    const { bytes, starts, ends } = this.index;
    return this.text.decode(bytes.subarray(starts[at], ends[at]));
  }

  /** The first group with a code in an entity, as text; `undefined` when it has none. */
  private get(entity: Entity, code: number): string | undefined {
    const at = this.find(entity, code);
    return at < 0 ? undefined : this.value(at);
  }

  private find(entity: Entity, code: number): number {
    for (let k = entity.from + 1; k < entity.to; k++) if (this.index.codes[k] === code) return k;
    return -1;
  }

  private number(entity: Entity, code: number, otherwise: number): number {
    const text = this.get(entity, code);
    const n = text === undefined ? Number.NaN : Number(text);
    return Number.isFinite(n) ? n : otherwise;
  }

  private point(entity: Entity, code: number): Point {
    return { x: this.number(entity, code, 0), y: this.number(entity, code + 10, 0) };
  }

  private entities(from: number, to: number): Entity[] {
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

  read(): DxfContent {
    const { codes, count } = this.index;
    const sections = new Map<string, { from: number; to: number }>();
    for (let k = 0; k + 1 < count; k++) {
      if (codes[k] !== 0 || this.raw(k) !== 'SECTION' || codes[k + 1] !== 2) continue;
      let end = k + 2;
      while (end < count && !(codes[end] === 0 && this.raw(end) === 'ENDSEC')) end++;
      sections.set(this.raw(k + 1), { from: k + 2, to: end });
      k = end;
    }
    const header = sections.get('HEADER');
    const variables = header ? this.variables(header.from, header.to) : [];
    const simple = (name: string) => variables.find((variable) => variable.name === name);
    const version = simple('$ACADVER') ? this.raw(simple('$ACADVER')!.at + 1) : 'AC1009';
    const codePage = simple('$DWGCODEPAGE') ? this.raw(simple('$DWGCODEPAGE')!.at + 1) : '';
    this.text = dxfText(version, codePage);
    const problems: FileProblem[] = [];
    if (version < 'AC1021' && codePage !== '' && !codePage.endsWith('1252'))
      problems.push({ code: 'code-page', message: `Texts are in the code page ${codePage}; letters outside ASCII may be wrong.` });

    const properties: DxfContent['properties'][number][] = [];
    for (const [i, variable] of variables.entries()) {
      if (variable.name !== '$CUSTOMPROPERTYTAG') continue;
      const next = variables[i + 1];
      if (next?.name !== '$CUSTOMPROPERTY') {
        problems.push({ code: 'property-torn', message: `The document property ${JSON.stringify(this.value(variable.at + 1))} has no value group.` });
        continue;
      }
      const name = this.value(variable.at + 1);
      if (properties.some((property) => property.name === name))
        problems.push({ code: 'name-twice', message: `${JSON.stringify(name)} stands twice in one place; the first one counts.` });
      else properties.push({ name, value: this.value(next.at + 1), first: variable.at, valueAt: next.at + 1 });
    }
    const fields = variables.flatMap(({ name, at }) => (FIELDS[name] ? [{ name: FIELDS[name], value: this.value(at + 1), valueAt: at + 1 }] : []));

    const blockSection = sections.get('BLOCKS');
    const { blocks, layouts } = blockSection ? this.blocks(blockSection.from, blockSection.to) : { blocks: [], layouts: [] };
    const entitySection = sections.get('ENTITIES');
    const inserts = [
      ...(entitySection
        ? this.inserts(this.entities(entitySection.from, entitySection.to), (entity) => (this.get(entity, 67)?.trim() === '1' ? 'paper' : 'model'))
        : []),
      ...layouts.flatMap(({ name, entities }) => this.inserts(entities, () => name)),
    ];
    return { index: this.index, version, text: this.text, properties, headerEnd: header ? header.to : -1, fields, blocks, inserts, problems };
  }

  private variables(from: number, to: number): { name: string; at: number }[] {
    const found: { name: string; at: number }[] = [];
    for (let k = from; k + 1 < to; k++) if (this.index.codes[k] === 9) found.push({ name: this.raw(k), at: k });
    return found;
  }

  private blocks(from: number, to: number): { blocks: BlockReading[]; layouts: { name: string; entities: Entity[] }[] } {
    const blocks: BlockReading[] = [];
    const layouts: { name: string; entities: Entity[] }[] = [];
    const entities = this.entities(from, to);
    for (let i = 0; i < entities.length; i++) {
      if (entities[i]!.type !== 'BLOCK') continue;
      let end = i + 1;
      while (end < entities.length && entities[end]!.type !== 'ENDBLK') end++;
      const name = this.get(entities[i]!, 2) ?? '';
      const inside = entities.slice(i + 1, end);
      if (/^\*(paper|model)_space/i.test(name)) layouts.push({ name, entities: inside });
      else if (inside.some((entity) => entity.type === 'ATTDEF')) {
        const base = this.point(entities[i]!, 10);
        blocks.push({ name, cells: inside.filter((e) => e.type === 'ATTDEF').map((e) => this.cell(e, base)), shapes: this.shapes(inside, base) });
      }
      i = end;
    }
    return { blocks, layouts };
  }

  private cell(entity: Entity, base: Point): CellDefinition {
    const horizontal = this.number(entity, 72, 0);
    const vertical = this.number(entity, 74, 0);
    // Any alignment but the default is measured from the second point.
    const at = horizontal !== 0 || vertical !== 0 ? this.point(entity, 11) : this.point(entity, 10);
    return {
      tag: this.get(entity, 2) ?? '',
      prompt: this.get(entity, 3) ?? '',
      preset: this.get(entity, 1) ?? '',
      at: { x: at.x - base.x, y: at.y - base.y },
      height: this.number(entity, 40, 2.5),
      widthFactor: this.number(entity, 41, 1),
      rotation: this.number(entity, 50, 0),
      align: horizontal === 2 ? 'right' : horizontal === 1 || horizontal === 4 ? 'centre' : 'left',
      valign: horizontal === 4 || vertical === 2 ? 'middle' : vertical === 3 ? 'top' : vertical === 1 ? 'bottom' : 'baseline',
    };
  }

  private shapes(entities: readonly Entity[], base: Point): BlockShape[] {
    const move = (p: Point): Point => ({ x: p.x - base.x, y: p.y - base.y });
    return entities.flatMap((entity): BlockShape[] => {
      switch (entity.type) {
        case 'LINE':
          return [{ shape: 'line', points: [move(this.point(entity, 10)), move(this.point(entity, 11))], closed: false }];
        case 'LWPOLYLINE':
          return [{ shape: 'line', points: this.vertices(entity).map(move), closed: (this.number(entity, 70, 0) & 1) === 1 }];
        case 'CIRCLE':
          return [{ shape: 'circle', at: move(this.point(entity, 10)), radius: this.number(entity, 40, 0) }];
        case 'TEXT':
        case 'MTEXT': {
          const horizontal = this.number(entity, 72, 0);
          const at = entity.type === 'TEXT' && horizontal !== 0 ? this.point(entity, 11) : this.point(entity, 10);
          const raw = this.get(entity, 1) ?? '';
          const text = showControlCodes(entity.type === 'MTEXT' ? plainMtext(raw) : raw);
          return [
            {
              shape: 'text',
              at: move(at),
              text,
              height: this.number(entity, 40, 2.5),
              rotation: this.number(entity, 50, 0),
              align: horizontal === 2 ? 'right' : horizontal === 1 ? 'centre' : 'left',
            },
          ];
        }
        default:
          return [];
      }
    });
  }

  private vertices(entity: Entity): Point[] {
    const points: Point[] = [];
    const { codes } = this.index;
    for (let k = entity.from + 1; k + 1 < entity.to; k++)
      if (codes[k] === 10 && codes[k + 1] === 20) points.push({ x: Number(this.raw(k)), y: Number(this.raw(k + 1)) });
    return points;
  }

  private inserts(entities: readonly Entity[], layoutOf: (entity: Entity) => string): DxfContent['inserts'][number][] {
    const found: DxfContent['inserts'][number][] = [];
    for (let i = 0; i < entities.length; i++) {
      const insert = entities[i]!;
      if (insert.type !== 'INSERT' || this.get(insert, 66)?.trim() !== '1') continue;
      const cells: { tag: string; text: string; valueAt: number }[] = [];
      let k = i + 1;
      for (; k < entities.length && entities[k]!.type !== 'SEQEND'; k++) {
        const attrib = entities[k]!;
        const valueAt = attrib.type === 'ATTRIB' ? this.find(attrib, 1) : -1;
        const tag = this.get(attrib, 2);
        if (valueAt >= 0 && tag !== undefined) cells.push({ tag, text: showControlCodes(this.value(valueAt)), valueAt });
      }
      const handle = this.get(insert, 5)?.trim() ?? `${found.length + 1}`;
      found.push({ block: this.get(insert, 2) ?? '', holder: `insert:${handle}`, layout: layoutOf(insert), cells });
      i = k;
    }
    return found;
  }
}

/** Opens a DXF file. @throws FileError when it is broken or binary. */
export const openDxf = (bytes: Uint8Array): DxfContent => new Reader(bytes).read();

/** Reads a DXF file. @throws FileError when it is broken or binary. */
export function readDxf(bytes: Uint8Array): FileReading {
  const content = openDxf(bytes);
  const document: ReadValue[] = [
    ...content.fields.filter((field) => field.value !== '').map(({ name, value }) => ({ place: 'field' as const, name, held: heldText(value) })),
    ...content.properties.map(({ name, value }) => ({ place: 'property' as const, name, held: heldText(value) })),
  ];
  const holders: HolderReading[] = [{ level: 'document', key: '', label: '', values: document }];
  for (const insert of content.inserts)
    holders.push({
      level: 'sheet',
      key: insert.holder,
      label: insert.block,
      values: insert.cells.map(({ tag, text }) => ({ place: 'cell', name: tag, held: heldText(text) })),
    });
  return {
    format: 'dxf',
    version: content.version,
    kind: 'drawing',
    holders,
    structure: null,
    blocks: content.blocks,
    inserts: content.inserts.map(({ block, holder, layout }) => ({ block, holder, layout })),
    problems: content.problems,
  };
}
