import { TextStyle } from '../../lettering/fonts';
import { roomsIn } from '../../lettering/room';
import { heldText } from '../../values';
import {
  BlockShape,
  CellDefinition,
  FileProblem,
  FileReading,
  HolderReading,
  PLACED,
  PlacedBlock,
  Point,
  ReadValue,
  SheetReading,
  ViewBox,
  anchorName,
  anchorText,
  placedText,
} from '../contract';
import { Keys } from '../keys';
import { Vertex } from './area';
import { DrawingText, anchorGroups } from './anchors';
import { BlockContent, CellContent, DxfContent, InsertContent } from './content';
import { DxfGroups, Entity } from './groups';
import { MODEL, layoutOfBlock, layoutOfEntity, layoutRecord } from './layouts';
import { leaderParts, leaderTexts } from './leaders';
import { letteringValues, ownLettering } from './lettering';
import { DrawnOutline, DrawnText, Outlines } from './nesting';
import { LABELS, PLAIN_TEXTS, SheetText, plainCells, plainDefinition } from './plain-cells';
import { DrawingStyle, styleOfText, stylesOf } from './styles';
import { drawnText, isFormatted, plainMtext } from './text';
import { Viewport, distanceTo, inModel, onPaper, scaleOf, viewportOf } from './views';

const FIELDS: Readonly<Record<string, string>> = {
  $TITLE: 'title',
  $SUBJECT: 'subject',
  $AUTHOR: 'author',
  $KEYWORDS: 'keywords',
  $LASTSAVEDBY: 'last saved by',
  $REVISIONNUMBER: 'version id',
  $PROJECTNAME: 'product name',
};
/** Header timestamps: Julian dates in local time. */
const DATES: Readonly<Record<string, string>> = { $TDCREATE: 'created', $TDUPDATE: 'modified' };

/** Julian day number of 1970-01-01. */
const EPOCH_DAY = 2_440_588;

/**
 * A Julian date as ISO 8601 without zone; `null` if invalid. The fraction counts from midnight (the DXF reference gives 2451544.91568287 as
 * 1999-12-31, 9:58:35 in the evening).
 */
export function julianInstant(value: number): string | null {
  if (!Number.isFinite(value) || value < 1_721_426 || value >= 5_373_485) return null;
  return new Date(Math.round((value - EPOCH_DAY) * 86_400) * 1000).toISOString().slice(0, 19);
}

/** A mutable object under construction. */
type Made<T> = { -readonly [K in keyof T]: T[K] };

/** Data collected for one layout. */
interface Gathered {
  readonly views: Viewport[];
  readonly outlines: DrawnOutline[];
  readonly texts: DrawnText[];
}

/** A plain text with the groups of its anchor. */
interface AnchoredText extends SheetText<Entity>, Pick<DrawingText, 'anchor' | 'anchorFrom' | 'anchorTo' | 'formatted'> {}

/** Labels of a drawing. */
interface Labels {
  readonly block: BlockContent;
  readonly inserts: readonly InsertContent[];
}

const ORIGIN: Point = { x: 0, y: 0 };

class Reader extends DxfGroups {
  /** @param whole whether to read viewport scales, outlines and labels too */
  read(whole: boolean): DxfContent {
    const { variables, sections, version, codePage } = this;
    const header = sections.get('HEADER');
    const problems: FileProblem[] = [];
    if (this.text.unknownPage) problems.push({ code: 'code-page', message: `Texts are in the code page ${codePage}; letters outside ASCII may be wrong.` });

    const properties: DxfContent['properties'][number][] = [];
    const names = new Set<string>();
    for (const [i, variable] of variables.entries()) {
      if (variable.name !== '$CUSTOMPROPERTYTAG') continue;
      const next = variables[i + 1];
      if (next?.name !== '$CUSTOMPROPERTY') {
        problems.push({ code: 'property-torn', message: `The document property ${JSON.stringify(this.value(variable.at + 1))} has no value group.` });
        continue;
      }
      const name = this.value(variable.at + 1);
      if (names.has(name)) problems.push({ code: 'name-twice', message: `${JSON.stringify(name)} is used twice in the same place; the first one counts.` });
      else properties.push({ name, value: this.value(next.at + 1), first: variable.at, valueAt: next.at + 1 });
      names.add(name);
    }
    const fields = variables.flatMap(({ name, at }): { name: string; value: string; valueAt: number }[] => {
      if (FIELDS[name]) return [{ name: FIELDS[name], value: this.value(at + 1), valueAt: at + 1 }];
      const instant = DATES[name] ? julianInstant(Number(this.raw(at + 1))) : null;
      return instant === null ? [] : [{ name: DATES[name]!, value: instant, valueAt: -1 }];
    });

    this.readObjects(this.within('OBJECTS'));
    this.readTables(this.within('TABLES'));
    const blockSection = sections.get('BLOCKS');
    const { blocks, layouts, parts } = blockSection
      ? this.blocks(blockSection.from, blockSection.to)
      : { blocks: [], layouts: [], parts: new Map<string, Entity[]>() };
    const top = this.within('ENTITIES');
    const layoutOf = (entity: Entity) => layoutOfEntity(this, entity, this.layoutNames);
    const byName = new Map(blocks.map((block) => [block.name.toLowerCase(), block]));
    const inserts = [...this.inserts(top, layoutOf, byName), ...layouts.flatMap(({ name, entities }) => this.inserts(entities, () => name, byName))];
    inserts.push(...this.nested(parts, [{ layoutOf, entities: top }, ...layouts.map(({ name, entities }) => ({ layoutOf: () => name, entities }))], byName));
    const units = this.variable('$INSUNITS');
    const unit = units < 0 ? null : (INSERT_UNITS[this.raw(units)] ?? null);
    const plain = [...byLayout(top, layoutOf), ...layouts].map(({ name, entities }) => ({ layout: name, entities, texts: this.textsOf(entities) }));
    const isTaken = (name: string) => blocks.some((block) => block.name === name);
    for (const { layout, entities, texts } of plain) {
      const found = this.plainBlock(layout, texts, entities, isTaken(PLAIN_TEXTS));
      if (!found) continue;
      blocks.push(found.block);
      inserts.push(found.insert);
    }
    const labels = this.labels(plain, isTaken(LABELS) ? `${LABELS} (texts)` : LABELS);
    if (labels) {
      blocks.push(labels.block);
      inserts.push(...labels.inserts);
    }
    const texts = plain.flatMap(({ layout, texts: own }) =>
      own.map(({ entity, text, place, formatted, anchor, anchorFrom, anchorTo }): DrawingText => ({
        layout,
        layer: this.get(entity, 8) ?? '0',
        at: place.at,
        text,
        place,
        formatted,
        anchor,
        to: entity.to,
        anchorFrom,
        anchorTo,
      })),
    );
    const sheets = new Map<string, Gathered>();
    if (whole) {
      this.sheets(top, layoutOf, sheets);
      for (const { name, entities } of layouts) this.sheets(entities, () => name, sheets);
    }
    for (const { layout } of inserts) if (!sheets.has(layout) && this.papers.has(layout)) sheets.set(layout, { views: [], outlines: [], texts: [] });
    const seed = this.variable('$HANDSEED');
    const outlines = new Map<string, Outlines>();
    for (const [layout, { outlines: drawn, texts: inside }] of sheets) {
      const own = new Outlines(drawn, inside.length + inserts.length);
      if (!own.complete)
        problems.push({ code: 'outlines', message: `The layout ${layout} has too many outlines and texts to work out which texts lie in which outlines.` });
      outlines.set(layout, own);
    }
    const model = outlines.get(MODEL);
    return {
      index: this.index,
      version,
      text: this.text,
      properties,
      headerEnd: header ? header.to : -1,
      fields,
      blocks,
      inserts: inserts.map((insert) => surrounded(insert, outlines.get(insert.layout), sheets.get(insert.layout)?.views ?? [], model)),
      texts,
      sheets: [...sheets].map(([layout, { views, texts: inside }]): SheetReading => {
        const own = outlines.get(layout)!;
        const order = this.orders.get(layout);
        return {
          layout,
          scales: views.map(plainScale),
          ...(views.length ? { largest: plainScale(views.reduce((best, view) => (frameArea(view) > frameArea(best) ? view : best))) } : {}),
          outlines: own.readings,
          labels: own.labels(inside),
          paper: this.papers.get(layout) ?? null,
          unit,
          ...(order === undefined ? {} : { order }),
          ...(views.length ? { views: views.map((view) => boxOf(view, model)) } : {}),
        };
      }),
      handleSeedAt: seed,
      nextHandle: seed < 0 ? '' : this.raw(seed).trim(),
      problems,
    };
  }

  /** Layout names by block record handle. */
  private readonly layoutNames = new Map<string, string>();
  private readonly papers = new Map<string, NonNullable<SheetReading['paper']>>();
  /** Tab order of layouts. */
  private readonly orders = new Map<string, number>();
  /** Originals of anonymous variants, by lower-case variant name. */
  private readonly variants = new Map<string, string>();

  private styles: ReadonlyMap<string, DrawingStyle> = new Map();

  /** Block names by record handle. */
  private recordNames: ReadonlyMap<string, string> = new Map();

  /** Reads text styles, and anonymous variants with their originals' handles. */
  private readTables(records: readonly Entity[]): void {
    const { codes } = this.index;
    const names = new Map<string, string>();
    const made: { readonly name: string; readonly of: string }[] = [];
    this.styles = stylesOf(this, records);
    for (const record of records) {
      if (record.type !== 'BLOCK_RECORD') continue;
      const name = this.get(record, 2) ?? '';
      names.set(this.get(record, 5)?.trim().toUpperCase() ?? '', name);
      if (!name.startsWith('*')) continue;
      let mine = false;
      for (let k = record.from + 1; k < record.to; k++) {
        if (codes[k] === 1001) mine = this.raw(k) === 'AcDbBlockRepBTag';
        else if (mine && codes[k] === 1005) made.push({ name, of: this.raw(k).toUpperCase() });
      }
    }
    this.recordNames = names;
    for (const { name, of } of made) {
      const original = names.get(of);
      if (original !== undefined) this.variants.set(name.toLowerCase(), original);
    }
  }
  /** Expressions of computed texts, by dictionary handle. */
  private readonly requests = new Map<string, string>();

  private readObjects(objects: readonly Entity[]): void {
    const { codes } = this.index;
    const fields = new Map<string, string>();
    for (const object of objects) {
      const layout = layoutRecord(this, object);
      if (layout) {
        const { name, record, order, paper } = layout;
        this.layoutNames.set(record, name);
        if (order >= 0) this.orders.set(name, order);
        if (paper) this.papers.set(name, paper);
      } else if (object.type === 'FIELD') {
        const handle = this.get(object, 5)?.trim();
        let request = '';
        for (let k = object.from + 1; k < object.to && codes[k] !== 360 && codes[k] !== 93; k++) if (codes[k] === 2 || codes[k] === 3) request += this.value(k);
        if (handle) fields.set(handle, request);
      }
    }
    if (fields.size === 0) return;
    // extension dictionary → field dictionary → field, possibly nested
    const ties = objects
      .filter((object) => object.type === 'DICTIONARY')
      .map((object) => {
        const to: string[] = [];
        for (let k = object.from + 1; k < object.to; k++) if (codes[k] === 360 || codes[k] === 350) to.push(this.raw(k));
        return { handle: this.get(object, 5)?.trim() ?? '', to };
      });
    const direct = new Map(ties.flatMap(({ handle, to }) => to.flatMap((target) => (fields.has(target) ? [[handle, fields.get(target)!] as const] : []))));
    for (const [handle, request] of direct) this.requests.set(handle, request);
    for (const { handle, to } of ties) for (const target of to) if (direct.has(target)) this.requests.set(handle, direct.get(target)!);
  }

  /** Expression of a computed text. */
  private requestOf(entity: Entity): string | undefined {
    if (this.requests.size === 0) return undefined;
    const { codes } = this.index;
    for (let k = entity.from + 1; k < entity.to; k++) if (codes[k] === 360 && this.requests.has(this.raw(k))) return this.requests.get(this.raw(k));
    return undefined;
  }

  private sheets(entities: readonly Entity[], layoutOf: (entity: Entity) => string, into: Map<string, Gathered>): void {
    // Attributes are on their insert's layout.
    let placed: Entity | null = null;
    const sheet = (entity: Entity) => {
      const layout = layoutOf(entity.type === 'ATTRIB' && placed ? placed : entity);
      const known = into.get(layout);
      if (known) return known;
      const fresh: Gathered = { views: [], outlines: [], texts: [] };
      into.set(layout, fresh);
      return fresh;
    };
    const write = (entity: Entity, text: string, aligned: boolean) => {
      if (text.trim()) sheet(entity).texts.push({ text, at: this.point(entity, aligned ? 11 : 10) });
    };
    for (let i = 0; i < entities.length; i++) {
      const entity = entities[i]!;
      if (entity.type === 'INSERT') placed = entity;
      else if (entity.type === 'VIEWPORT') {
        const view = viewportOf(this, entity);
        if (view) sheet(entity).views.push(view);
      } else if (entity.type === 'LWPOLYLINE' && (this.number(entity, 70, 0) & 1) === 1) {
        sheet(entity).outlines.push({ layer: this.get(entity, 8) ?? '', vertices: this.vertices(entity) });
      } else if (entity.type === 'POLYLINE') {
        const flags = this.number(entity, 70, 0);
        const points: Vertex[] = [];
        let k = i + 1;
        // Skips spline control points (flag 16).
        for (; k < entities.length && entities[k]!.type === 'VERTEX'; k++)
          if ((this.number(entities[k]!, 70, 0) & 16) === 0) points.push({ ...this.point(entities[k]!, 10), bulge: this.number(entities[k]!, 42, 0) });
        // Only flat closed polylines: 8 is 3D, 16 and 64 are meshes.
        if ((flags & 1) === 1 && (flags & (8 | 16 | 64)) === 0) sheet(entity).outlines.push({ layer: this.get(entity, 8) ?? '', vertices: points });
        i = k - 1;
      } else if (entity.type === 'CIRCLE') {
        const { x, y } = this.point(entity, 10);
        const radius = this.number(entity, 40, 0);
        // Circles as two half circles with bulge 1.
        if (radius > 0)
          sheet(entity).outlines.push({
            layer: this.get(entity, 8) ?? '',
            vertices: [
              { x: x - radius, y, bulge: 1 },
              { x: x + radius, y, bulge: 1 },
            ],
          });
      } else if (entity.type === 'TEXT' || entity.type === 'ATTRIB')
        write(entity, drawnText(this.get(entity, 1) ?? ''), this.number(entity, 72, 0) !== 0 || this.number(entity, entity.type === 'TEXT' ? 73 : 74, 0) !== 0);
      else if (entity.type === 'MTEXT') write(entity, drawnText(plainMtext(this.longText(entity))), false);
    }
  }

  private blocks(from: number, to: number): { blocks: BlockContent[]; layouts: { name: string; entities: Entity[] }[]; parts: Map<string, Entity[]> } {
    const blocks: BlockContent[] = [];
    // Contents of blocks with nested inserts.
    const parts = new Map<string, Entity[]>();
    const layouts: { name: string; entities: Entity[] }[] = [];
    const entities = this.entities(from, to);
    for (let i = 0; i < entities.length; i++) {
      if (entities[i]!.type !== 'BLOCK') continue;
      let end = i + 1;
      while (end < entities.length && entities[end]!.type !== 'ENDBLK') end++;
      const name = this.get(entities[i]!, 2) ?? '';
      const inside = entities.slice(i + 1, end);
      const layout = layoutOfBlock(this, entities[i]!, this.layoutNames);
      if (layout !== null) layouts.push({ name: layout, entities: inside });
      else if (inside.some((entity) => entity.type === 'INSERT')) parts.set(name.toLowerCase(), inside);
      if (layout === null && inside.some((entity) => entity.type === 'ATTDEF')) {
        const base = this.point(entities[i]!, 10);
        const definitions = inside.filter((e) => e.type === 'ATTDEF');
        const tags = new Keys();
        const cells = definitions.map((e) => {
          const cell = this.cell(e, base);
          cell.tag = tags.free(cell.tag);
          return cell;
        });
        const shapes = this.shapes(inside, base);
        for (const [i, room] of roomsIn(cells, shapes).entries()) cells[i]!.room = room;
        blocks.push({
          name,
          base,
          cells,
          shapes,
          definitions: definitions.map((e) => ({
            tag: this.get(e, 2) ?? '',
            handle: this.get(e, 5)?.trim(),
            layer: this.get(e, 8) ?? '0',
            colour: this.get(e, 62)?.trim(),
            trueColour: this.get(e, 420)?.trim(),
            lineType: this.get(e, 6),
            oblique: this.number(e, 51, 0),
            style: this.get(e, 7) ?? '',
            flags: this.get(e, 70)?.trim() ?? '0',
            align: this.get(e, 72)?.trim() ?? '0',
            valign: this.get(e, 74)?.trim() ?? '0',
            height: this.get(e, 40),
            widthFactor: this.ownWidth(e) < 0 ? undefined : this.value(this.ownWidth(e)),
            first: this.point(e, 10),
            second: this.point(e, 11),
          })),
        });
      }
      i = end;
    }
    return { blocks, layouts, parts };
  }

  /** An attribute definition. Built explicitly, as spreads are slow here. */
  private cell(entity: Entity, base: Point): Made<CellDefinition> {
    const place = this.textPlace(entity, base, 74);
    const { at, height, widthFactor, rotation, align, valign, font } = place;
    const cell: Made<CellDefinition> = {
      tag: this.get(entity, 2) ?? '',
      prompt: this.get(entity, 3) ?? '',
      preset: this.get(entity, 1) ?? '',
      at,
      height,
      widthFactor,
      rotation,
      align,
      valign,
      constant: (this.number(entity, 70, 0) & 2) === 2,
      multiline: this.find(entity, 101) >= 0,
      font: font ?? { file: '' },
    };
    if (place.between !== undefined) cell.between = place.between;
    return cell;
  }

  /**
   * Position and lettering of a single line.
   * @param verticalCode 73 for texts, 74 for attributes
   */
  private textPlace(entity: Entity, base: Point, verticalCode: 73 | 74): SheetText<Entity>['place'] {
    const horizontal = this.number(entity, 72, 0);
    const vertical = this.number(entity, verticalCode, 0);
    // Non-default alignments use the second point; aligned and fitted texts the first.
    const at = (horizontal !== 0 || vertical !== 0) && horizontal !== 3 && horizontal !== 5 ? this.point(entity, 11) : this.point(entity, 10);
    return {
      at: { x: at.x - base.x, y: at.y - base.y },
      height: this.number(entity, 40, 2.5),
      widthFactor: this.ownWidth(entity) < 0 ? 1 : this.number(entity, 41, 1),
      rotation: this.number(entity, 50, 0),
      align: horizontal === 2 ? 'right' : horizontal === 1 || horizontal === 4 ? 'centre' : 'left',
      valign: horizontal === 4 || vertical === 2 ? 'middle' : vertical === 3 ? 'top' : vertical === 1 ? 'bottom' : 'baseline',
      font: this.fontOf(entity),
      // Length for aligned and fitted texts.
      ...(horizontal === 3 || horizontal === 5 ? { between: between(this.point(entity, 10), this.point(entity, 11)) } : {}),
    };
  }

  /** Index of the width factor; -1 if none. Multi-line texts use the code for something else. */
  private ownWidth(entity: Entity): number {
    const [at, embedded] = [this.find(entity, 41), this.find(entity, 101)];
    return embedded >= 0 && at > embedded ? -1 : at;
  }

  private fontOf(entity: Entity): TextStyle {
    return styleOfText(this, this.styles, entity).font;
  }

  private shapes(entities: readonly Entity[], base: Point): BlockShape[] {
    const move = (p: Point): Point => ({ x: p.x - base.x, y: p.y - base.y });
    return entities.flatMap((entity, i): BlockShape[] => {
      switch (entity.type) {
        case 'POLYLINE': {
          const points: Point[] = [];
          for (let k = i + 1; k < entities.length && entities[k]!.type === 'VERTEX'; k++) points.push(move(this.point(entities[k]!, 10)));
          return points.length ? [{ shape: 'line', points, closed: (this.number(entity, 70, 0) & 1) === 1 }] : [];
        }
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
          const text = drawnText(entity.type === 'MTEXT' ? plainMtext(raw) : raw);
          return [
            {
              shape: 'text',
              at: move(at),
              text,
              height: this.number(entity, 40, 2.5),
              rotation: this.number(entity, 50, 0),
              align: horizontal === 2 ? 'right' : horizontal === 1 ? 'centre' : 'left',
              font: this.fontOf(entity),
            },
          ];
        }
        default:
          return [];
      }
    });
  }

  private readonly insertKeys = new Keys();

  private inserts(entities: readonly Entity[], layoutOf: (entity: Entity) => string, blocks: ReadonlyMap<string, BlockContent>): InsertContent[] {
    const found: InsertContent[] = [];
    for (let i = 0; i < entities.length; i++) {
      const insert = entities[i]!;
      if (insert.type === 'MULTILEADER') {
        const mark = this.leaderMark(insert, layoutOf, blocks);
        if (mark) found.push(mark);
      }
      if (insert.type !== 'INSERT') continue;
      const name = this.get(insert, 2) ?? '';
      const block = blocks.get(name.toLowerCase());
      const hasAttributes = this.get(insert, 66)?.trim() === '1';
      if (!hasAttributes && !block) continue;
      const cells: CellContent[] = [];
      const names = new Keys();
      let k = i + 1;
      if (hasAttributes)
        for (; k < entities.length && entities[k]!.type !== 'SEQEND'; k++) {
          const cell = entities[k]!.type === 'ATTRIB' ? this.attribute(entities[k]!) : undefined;
          // Duplicate tags are numbered, in blocks and inserts alike.
          if (!cell) continue;
          cell.tag = names.free(cell.tag);
          cells.push(cell);
        }
      const place = {
        at: this.point(insert, 10),
        scale: { x: this.number(insert, 41, 1), y: this.number(insert, 42, 1) },
        rotation: this.number(insert, 50, 0),
      };
      const tags = new Set(cells.map((cell) => cell.tag));
      // Constant cells show the block's text, even if the insert has an attribute.
      const fixedTags = new Set((block?.cells ?? []).filter((cell) => cell.constant).map((cell) => cell.tag));
      for (const [i, cell] of cells.entries()) if (fixedTags.has(cell.tag)) cells[i] = { ...cell, fixed: CONSTANT };
      for (const { tag, preset, constant } of block?.cells ?? [])
        if (constant && !tags.has(tag))
          cells.push({ tag, text: drawnText(preset), valueAt: -1, inner: [], fixed: CONSTANT, heightAt: -1, innerHeightAt: -1, widthAt: -1, lettering: null });
      const handle = this.get(insert, 5)?.trim();
      found.push({
        block: name,
        madeFrom: this.variants.get(name.toLowerCase()) ?? name,
        fixed: fixedIn(cells),
        holder: this.insertKeys.free(`insert:${handle ?? found.length + 1}`),
        layout: layoutOf(insert),
        missing: (block?.cells ?? []).filter((cell) => !cell.constant && !tags.has(cell.tag)).map((cell) => cell.tag),
        cells,
        handle,
        layer: this.get(insert, 8) ?? '0',
        ...place,
        own: block ? ownLettering(block, place, cells) : {},
        inPaper: this.get(insert, 67)?.trim() === '1',
        from: insert.from,
        nameAt: this.find(insert, 2),
        attributesEnd: hasAttributes ? (entities[k]?.from ?? insert.to) : insert.to,
        end: hasAttributes ? (entities[k]?.to ?? insert.to) : insert.to,
        hasAttributes,
      });
      if (hasAttributes) i = k;
    }
    return found;
  }

  /** A block content MULTILEADER; `null` for text leaders. */
  private leaderMark(leader: Entity, layoutOf: (entity: Entity) => string, blocks: ReadonlyMap<string, BlockContent>): InsertContent | null {
    const parts = leaderParts(this, leader);
    if (!parts) return null;
    const { inside, body } = parts;
    const name = this.recordNames.get((this.get(body, 344) ?? '').trim().toUpperCase());
    const block = name === undefined ? undefined : blocks.get(name.toLowerCase());
    if (!block || this.number(body, 172, 0) !== 1) return null;
    const cells: CellContent[] = [];
    for (const [definition, at] of leaderTexts(this, parts)) {
      const own = block.definitions.findIndex(({ handle }) => handle?.toUpperCase() === definition);
      if (own >= 0)
        cells.push({
          tag: block.cells[own]!.tag,
          text: drawnText(this.value(at)),
          valueAt: at,
          inner: [],
          heightAt: -1,
          innerHeightAt: -1,
          widthAt: -1,
          lettering: null,
        });
    }
    const handle = this.get(leader, 5)?.trim();
    const scale = this.number(inside, 16, 1);
    return {
      block: block.name,
      madeFrom: this.variants.get(block.name.toLowerCase()) ?? block.name,
      fixed: {},
      holder: this.insertKeys.free(`insert:${handle ?? 'leader'}`),
      layout: layoutOf(leader),
      missing: [],
      cells,
      handle,
      layer: this.get(leader, 8) ?? '0',
      at: this.point(inside, 15),
      scale: { x: scale, y: scale },
      rotation: 0,
      own: {},
      inPaper: this.get(leader, 67)?.trim() === '1',
      from: leader.from,
      nameAt: inside.from,
      attributesEnd: leader.to,
      end: leader.to,
      hasAttributes: true,
    };
  }

  /** Blocks with cells nested in others, once each, on the first sheet showing the outer block. Unplaced ones are skipped. */
  private nested(
    parts: ReadonlyMap<string, readonly Entity[]>,
    placed: readonly { readonly layoutOf: (entity: Entity) => string; readonly entities: readonly Entity[] }[],
    blocks: ReadonlyMap<string, BlockContent>,
  ): InsertContent[] {
    const inner = new Map(
      [...parts].map(([name, entities]) => [name, entities.filter(({ type }) => type === 'INSERT').map((insert) => (this.get(insert, 2) ?? '').toLowerCase())]),
    );
    const holding = new Set([...inner].filter(([, names]) => names.some((name) => blocks.has(name))).map(([name]) => name));
    if (holding.size === 0) return [];
    const layouts = new Map<string, string>();
    const reach = (name: string, layout: string, depth: number): void => {
      const names = inner.get(name);
      if (!names || layouts.has(name) || depth > MOST_NESTED) return;
      layouts.set(name, layout);
      for (const within of names) reach(within, layout, depth + 1);
    };
    for (const { layoutOf, entities } of placed)
      for (const entity of entities) if (entity.type === 'INSERT') reach((this.get(entity, 2) ?? '').toLowerCase(), layoutOf(entity), 0);
    return [...holding].flatMap((name) => {
      const layout = layouts.get(name);
      if (layout === undefined) return [];
      return this.inserts(parts.get(name)!, () => layout, blocks).map((insert): InsertContent => ({ ...insert, inside: name, inPaper: false }));
    });
  }

  /** Plain texts of a layout with their places and anchors. */
  private textsOf(entities: readonly Entity[]): AnchoredText[] {
    const origin = { x: 0, y: 0 };
    return entities.flatMap((entity): AnchoredText[] => {
      if (entity.type !== 'TEXT' && entity.type !== 'MTEXT') return [];
      const raw = entity.type === 'TEXT' ? (this.get(entity, 1) ?? '') : this.longText(entity);
      const text = drawnText(entity.type === 'TEXT' ? raw : plainMtext(raw));
      // Writing would lose the formatting of an MTEXT.
      const formatted = entity.type === 'MTEXT' && (isFormatted(raw) || this.find(entity, 3) >= 0);
      const { anchor, from, to } = anchorGroups(this, entity);
      const place = entity.type === 'TEXT' ? this.textPlace(entity, origin, 73) : this.paragraphPlace(entity);
      return [{ entity, text, place, formatted, anchor, anchorFrom: from, anchorTo: to }];
    });
  }

  /** A plain text as a cell. */
  private textCell(tag: string, { entity, text }: SheetText<Entity>): CellContent {
    const request = this.requestOf(entity);
    return {
      tag,
      text,
      valueAt: this.find(entity, 1),
      inner: [],
      ...(request === undefined ? {} : { fixed: request || 'computed by the drawing' }),
      heightAt: -1,
      innerHeightAt: -1,
      widthAt: -1,
      lettering: null,
      textHandle: this.get(entity, 5)?.trim(),
      paragraph: entity.type === 'MTEXT',
    };
  }

  /**
   * Captioned and anchored texts of a layout as a pseudo-block; `null` if none.
   * @param more whether another layout has one
   */
  private plainBlock(
    layout: string,
    all: readonly AnchoredText[],
    entities: readonly Entity[],
    more: boolean,
  ): { readonly block: BlockContent; readonly insert: InsertContent } | null {
    const texts = all.filter(({ formatted }) => !formatted);
    if (texts.length === 0) return null;
    const lines = this.shapes(entities, ORIGIN).filter((shape) => shape.shape === 'line');
    const anchored = texts.filter(({ anchor }) => anchor?.kind === 'cell');
    const taken = new Set(texts.flatMap(({ entity, anchor }) => (anchor ? [entity] : [])));
    const tags = new Keys();
    const named = anchored.map((text) => ({ ...text, tag: tags.free(text.anchor!.name) }));
    // An anchor names a text, whatever its caption says.
    const captioned = plainCells(texts, lines)
      .filter(({ entity }) => !taken.has(entity))
      .map((cell) => ({ ...cell, tag: tags.free(cell.tag) }));
    const cells: readonly (SheetText<Entity> & { readonly tag: string })[] = [...captioned, ...named];
    if (cells.length === 0) return null;
    const name = more ? `${PLAIN_TEXTS} (${layout})` : PLAIN_TEXTS;
    const definitions = cells.map(({ tag, place }) => plainDefinition(tag, place));
    const rooms = roomsIn(definitions, lines);
    const contents = cells.map((cell) => this.textCell(cell.tag, cell));
    return {
      block: { name, base: ORIGIN, cells: definitions.map((cell, i) => ({ ...cell, room: rooms[i]! })), shapes: [], definitions: [] },
      insert: this.textInsert(name, PLAIN_TEXTS, `texts:${layout}`, layout, contents, ORIGIN),
    };
  }

  /** Anchored labels: each is a placed block of its own; their pseudo-block has a cell for every name. */
  private labels(layouts: readonly { readonly layout: string; readonly texts: readonly AnchoredText[] }[], name: string): Labels | null {
    const cells = new Map<string, CellDefinition>();
    const inserts: InsertContent[] = [];
    for (const { layout, texts } of layouts)
      for (const text of texts) {
        if (text.anchor?.kind !== 'label' || text.formatted) continue;
        const { name: tag } = text.anchor;
        const place = { ...text.place, at: ORIGIN };
        if (!cells.has(tag)) cells.set(tag, plainDefinition(tag, place));
        const { at } = text.place;
        const key = this.get(text.entity, 5)?.trim() ?? `${at.x} ${at.y}`;
        inserts.push(this.textInsert(name, LABELS, `label:${key}`, layout, [{ ...this.textCell(tag, text), place }], at));
      }
    return inserts.length ? { block: { name, base: ORIGIN, cells: [...cells.values()], shapes: [], definitions: [] }, inserts } : null;
  }

  private textInsert(block: string, madeFrom: string, key: string, layout: string, cells: CellContent[], at: Point): InsertContent {
    return {
      block,
      madeFrom,
      fixed: fixedIn(cells),
      holder: this.insertKeys.free(key),
      layout,
      missing: [],
      cells,
      handle: undefined,
      layer: '0',
      at,
      scale: { x: 1, y: 1 },
      rotation: 0,
      own: {},
      inPaper: false,
      from: -1,
      nameAt: -1,
      attributesEnd: -1,
      end: -1,
      hasAttributes: true,
    };
  }

  /** Position of a multi-line text. */
  private paragraphPlace(entity: Entity): SheetText<Entity>['place'] {
    const attachment = this.number(entity, 71, 1);
    return {
      at: this.point(entity, 10),
      height: this.number(entity, 40, 2.5),
      widthFactor: 1,
      rotation: this.number(entity, 50, 0),
      align: (['left', 'centre', 'right'] as const)[(attachment - 1) % 3] ?? 'left',
      valign: (['top', 'middle', 'bottom'] as const)[Math.floor((attachment - 1) / 3)] ?? 'top',
      font: this.fontOf(entity),
    };
  }

  private attribute(entity: Entity): Made<CellContent> | undefined {
    const valueAt = this.find(entity, 1);
    const tag = this.get(entity, 2);
    if (valueAt < 0 || tag === undefined) return undefined;
    const request = this.requestOf(entity);
    const embedded = this.find(entity, 101);
    const inner: number[] = [];
    if (embedded >= 0) for (let k = embedded + 1; k < entity.to; k++) if (this.index.codes[k] === 1 || this.index.codes[k] === 3) inner.push(k);
    const text = inner.length ? plainMtext(inner.map((k) => this.value(k)).join('')) : this.value(valueAt);
    const [horizontal, vertical] = [this.number(entity, 72, 0), this.number(entity, 74, 0)];
    const [heightAt, widthAt] = [this.find(entity, 40), this.ownWidth(entity)];
    let innerHeightAt = -1;
    if (embedded >= 0) for (let k = embedded + 1; k < entity.to && innerHeightAt < 0; k++) if (this.index.codes[k] === 40) innerHeightAt = k;
    const cell: Made<CellContent> = {
      tag,
      text: drawnText(text),
      valueAt,
      inner,
      heightAt,
      innerHeightAt,
      widthAt,
      lettering:
        heightAt < 0
          ? null
          : {
              height: this.number(entity, 40, 2.5),
              widthFactor: widthAt < 0 ? 1 : this.number(entity, 41, 1),
              at: (horizontal !== 0 || vertical !== 0) && horizontal !== 3 && horizontal !== 5 ? this.point(entity, 11) : this.point(entity, 10),
            },
    };
    if (request !== undefined) cell.fixed = request || 'computed by the drawing';
    return cell;
  }
}

/** Entities by layout. */
function byLayout(entities: readonly Entity[], layoutOf: (entity: Entity) => string): { readonly name: string; readonly entities: Entity[] }[] {
  const found = new Map<string, Entity[]>();
  for (const entity of entities) {
    const name = layoutOf(entity);
    const own = found.get(name);
    if (own) own.push(entity);
    else found.set(name, [entity]);
  }
  return [...found].map(([name, own]) => ({ name, entities: own }));
}

/** Read-only cells by tag. */
const fixedIn = (cells: readonly CellContent[]): Record<string, string> =>
  Object.fromEntries(cells.flatMap((cell) => (cell.fixed === undefined ? [] : [[cell.tag, cell.fixed] as const])));

/** A view's scale without the noise of its last digits. */
const plainScale = (view: Viewport): number => Number(scaleOf(view).toPrecision(12));
const frameArea = ({ width, height }: Viewport): number => width * height;

/** A view's frame, with the outlines of the model that it shows as a whole. */
function boxOf(view: Viewport, model: Outlines | undefined): ViewBox {
  const { at, width, height } = view;
  const shows = view.fromAbove ? (model?.whole((point) => distanceTo(view, onPaper(view, point)) === 0) ?? []) : [];
  return { left: at.x - width / 2, bottom: at.y - height / 2, width, height, ...(shows.length ? { shows } : {}) };
}

/** A placed block with the outlines around it; on a sheet, also those of the model that a view shows there. */
function surrounded(insert: InsertContent, own: Outlines | undefined, views: readonly Viewport[], model: Outlines | undefined): InsertContent {
  // A block of plain texts has no point of its own; the point of a nested one is not a point of the sheet.
  if (insert.madeFrom === PLAIN_TEXTS || insert.inside !== undefined) return insert;
  const around = own?.around(insert.at) ?? [];
  let index = -1;
  let nearest = Infinity;
  for (const [i, view] of views.entries()) {
    const away = distanceTo(view, insert.at);
    if (away < nearest) [index, nearest] = [i, away];
  }
  const view = views[index];
  if (!view) return around.length ? { ...insert, around } : insert;
  const through = nearest === 0 && view.fromAbove ? (model?.around(inModel(view, insert.at)) ?? []) : [];
  return { ...insert, ...(around.length ? { around } : {}), view: { index, around: through } };
}

const between = (a: Point, b: Point): number => Math.hypot(b.x - a.x, b.y - a.y);

/** Reason for constant cells. */
const CONSTANT = 'constant';

/** Maximum nesting depth. */
const MOST_NESTED = 32;

/** `$INSUNITS` codes with units. */
const INSERT_UNITS: Readonly<Record<string, string>> = {
  '1': 'in',
  '2': 'ft',
  '4': 'mm',
  '5': 'cm',
  '6': 'm',
  '7': 'km',
  '9': 'mil',
  '10': 'yd',
  '13': 'µm',
  '14': 'dm',
};

/**
 * Opens a DXF file.
 * @throws FileError if it is broken or binary *
 * @param whole whether to read sheet contents; not needed for writing
 */
export function openDxf(bytes: Uint8Array, whole = true): DxfContent {
  const known = opened.get(bytes);
  if (known && (known.whole || !whole)) return known.content;
  const content = new Reader(bytes).read(whole);
  opened.set(bytes, { content, whole });
  return content;
}

/** Drawings that were read, as long as somebody holds their bytes: what is read is often written next. */
const opened = new WeakMap<Uint8Array, { readonly content: DxfContent; readonly whole: boolean }>();

/** An insert's placement. */
export const placeOf = ({ block, at, scale, layout }: InsertContent): PlacedBlock => ({ block, at, scale: Math.abs(scale.y), layout });

/**
 * Reads a DXF file.
 * @throws FileError if it is broken or binary
 */
export function readDxf(bytes: Uint8Array, whole = true): FileReading {
  const content = openDxf(bytes, whole);
  const document: ReadValue[] = [
    ...content.fields.filter((field) => field.value !== '').map(({ name, value }) => ({ place: 'field' as const, name, held: heldText(value) })),
    ...content.properties.map(({ name, value }) => ({ place: 'property' as const, name, held: heldText(value) })),
  ];
  for (const text of content.texts) if (text.anchor) document.push({ place: 'anchor', name: anchorName(text), held: heldText(anchorText(text.anchor)) });
  const holders: HolderReading[] = [{ level: 'document', key: '', label: '', values: document }];
  const byName = new Map(content.blocks.map((block) => [block.name.toLowerCase(), block]));
  for (const insert of content.inserts)
    holders.push({
      level: 'sheet',
      key: insert.holder,
      label: insert.madeFrom ?? insert.block,
      values: [
        ...insert.cells.map(({ tag, text, fixed }) => ({
          place: 'cell' as const,
          name: tag,
          held: heldText(text),
          ...(fixed === undefined ? {} : { fixed }),
        })),
        ...letteringValues(insert, byName.get(insert.block.toLowerCase())),
        ...(insert.from >= 0 && insert.inside === undefined ? [{ place: 'placed' as const, name: PLACED, held: heldText(placedText(placeOf(insert))) }] : []),
      ],
    });
  return {
    format: 'dxf',
    version: content.version,
    kind: 'drawing',
    holders,
    structure: null,
    blocks: content.blocks.map(({ name, cells, shapes }) => ({ name, cells, shapes })),
    inserts: content.inserts.map(({ block, madeFrom, holder, layout, missing, fixed, inside, scale, own, around, view }) => ({
      block,
      ...(madeFrom === undefined ? {} : { madeFrom }),
      holder,
      layout,
      missing,
      ...(fixed === undefined ? {} : { fixed }),
      ...(inside === undefined ? {} : { inside }),
      ...(around === undefined ? {} : { around }),
      ...(view === undefined ? {} : { view }),
      ...(Math.abs(scale.y) === 1 || scale.y === 0 ? {} : { scale: Math.abs(scale.y) }),
      ...(Object.keys(own).length === 0 ? {} : { own }),
    })),
    sheets: content.sheets,
    ...(/^[0-9A-Fa-f]+$/.test(content.nextHandle) ? { nextHandle: content.nextHandle } : {}),
    problems: content.problems,
  };
}
