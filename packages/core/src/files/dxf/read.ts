import { roomsIn } from '../../lettering/room';
import { CellDefinition, FileProblem, Point, SheetReading } from '../contract';
import { Keys } from '../keys';
import { Vertex } from './area';
import { DrawingText, anchorGroups } from './anchors';
import { BlockContent, CellContent, DxfContent, InsertContent } from './content';
import { Entity } from './groups';
import { MODEL, layoutOfBlock, layoutOfEntity } from './layouts';
import { leaderParts, leaderTexts } from './leaders';
import { ownLettering } from './lettering';
import { DrawnOutline, DrawnText, Outlines } from './nesting';
import { LABELS, PLAIN_TEXTS, SheetText, plainCells, plainDefinition } from './plain-cells';
import { drawnText, isFormatted, plainMtext } from './text';
import { Viewport, viewportOf } from './views';
import { EntityReader } from './entity-reader';
import { DATES, FIELDS, INSERT_UNITS, julianInstant } from './header';
import { boxOf, frameArea, plainScale, surrounded } from './surroundings';

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

class Reader extends EntityReader {
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

/** Reason for constant cells. */
const CONSTANT = 'constant';

/** Maximum nesting depth. */
const MOST_NESTED = 32;

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
