import { Point } from '../files';
import {
  DrawingStyle,
  DxfGroups,
  Entity,
  UNDEFINED_STYLE,
  drawnText,
  layoutsOf,
  leaderLines,
  leaderParts,
  leaderTexts,
  plainMtext,
  scaleOf,
  styleOfText,
  stylesOf,
  viewportOf,
} from '../files/dxf';
import { Box } from '../lettering';
import { bentLine, circleArc, curveThrough, ellipseArc, splinePoints, wholeCircle } from './curves';
import { hatchLines } from './hatch';
import { hatchParts } from './hatch-parts';
import { FLIPPED, IDENTITY, Matrix, growth, radians, shift, stretch, times, turn } from './matrix';
import { Sink } from './sink';
import { SheetPicture, PictureText } from './sheet-picture';
import { TextSettings, setLine, setParagraph } from './texts';

/** Limits of a picture: vertices, objects and nesting depth. */
const MOST_POINTS = 3_000_000;
const MOST_OBJECTS = 500_000;
const DEEPEST = 24;

/** Default line width in millimetres (common practice). */
const USUAL_WEIGHT = 0.25;

/** A closed filled arrow of length 1 with its tip at the origin, three times as long as wide (common practice). */
const ARROW: readonly Point[] = [
  { x: 0, y: 0 },
  { x: -1, y: 1 / 6 },
  { x: -1, y: -1 / 6 },
];

/** Inherited appearance (by block or layer). */
interface Look {
  readonly layer: string;
  readonly weight: number;
  readonly dashes: readonly number[];
}

interface LayerTraits {
  readonly hidden: boolean;
  readonly weight: number;
  readonly lineType: string;
}

/** Appearance of an entity, parsed once. */
interface Traits {
  readonly layer: string;
  readonly hidden: boolean;
  readonly weight: number;
  readonly lineType: string;
  readonly dashes: number;
}

interface BlockBody {
  readonly base: Point;
  readonly entities: readonly Entity[];
}

class Drawer extends DxfGroups {
  private readonly layers = new Map<string, LayerTraits>();
  private readonly lineTypes = new Map<string, readonly number[]>();
  private readonly styles: ReadonlyMap<string, DrawingStyle>;
  private readonly bodies = new Map<string, BlockBody>();
  /** Names of text styles and blocks by upper-case handle. */
  private readonly names = new Map<string, string>();
  private readonly traits = new Map<Entity, Traits>();
  private readonly left: Record<string, number> = {};
  /** Objects drawn so far, counting repeated blocks. */
  private drawn = 0;
  private readonly scale: number;
  private cut = false;

  constructor(bytes: Uint8Array) {
    super(bytes);
    const tables = this.within('TABLES');
    this.styles = stylesOf(this, tables);
    for (const record of tables) {
      const name = (this.get(record, 2) ?? '').toLowerCase();
      if (record.type === 'LAYER')
        this.layers.set(name, {
          hidden: this.number(record, 62, 7) < 0 || (this.number(record, 70, 0) & 1) === 1,
          weight: this.number(record, 370, -3),
          lineType: this.get(record, 6) ?? '',
        });
      if (record.type === 'STYLE' || record.type === 'BLOCK_RECORD') this.names.set(this.get(record, 5)?.trim().toUpperCase() ?? '', name);
      if (record.type === 'LTYPE') this.lineTypes.set(name, this.dashesOf(record));
    }
    const blocks = this.within('BLOCKS');
    for (let i = 0; i < blocks.length; i++) {
      if (blocks[i]!.type !== 'BLOCK') continue;
      let end = i + 1;
      while (end < blocks.length && blocks[end]!.type !== 'ENDBLK') end++;
      this.bodies.set((this.get(blocks[i]!, 2) ?? '').toLowerCase(), { base: this.point(blocks[i]!, 10), entities: blocks.slice(i + 1, end) });
      i = end;
    }
    const scale = this.variable('$LTSCALE');
    this.scale = (scale < 0 ? 1 : Number(this.raw(scale))) || 1;
  }

  private dashesOf(record: Entity): number[] {
    const { codes } = this.index;
    const dashes: number[] = [];
    for (let k = record.from + 1; k < record.to; k++) if (codes[k] === 49) dashes.push(Number(this.raw(k)));
    return dashes.every(Number.isFinite) ? dashes : [];
  }

  /** The picture of a layout; `model` for model space. */
  picture(layout: string): SheetPicture {
    const layouts = layoutsOf(this);
    const own = layouts.get(layout)?.entities ?? [];
    const model = layout === 'model' ? [] : (layouts.get('model')?.entities ?? []);
    const paper = layouts.get(layout)?.paper ?? null;
    const sheet = new Sink(this.originOf(own));
    const views = this.views(own, layout);
    this.draw(own, IDENTITY, sheet, null, 0, layout !== 'model');
    for (const { clip } of views) sheet.frame(clip);
    let below: Sink | null = null;
    if (views.length && model.length) {
      below = new Sink(this.originOf(model));
      this.draw(model, IDENTITY, below, null, 0, false);
    }
    const extent = sheet.extent ?? { x: 0, y: 0, width: paper?.width ?? 1, height: paper?.height ?? 1 };
    const { origin } = sheet;
    return {
      origin,
      extent,
      millimetres: millimetresOf(this, extent),
      sheet: sheet.layer,
      model: below?.layer ?? null,
      views: views.map(({ matrix, clip }) => ({
        matrix: times(shift(-origin.x, -origin.y), times(matrix, shift(below?.origin.x ?? 0, below?.origin.y ?? 0))),
        clip: { ...clip, x: clip.x - origin.x, y: clip.y - origin.y },
      })),
      left: this.left,
      cut: this.cut,
    };
  }

  /** A nearby origin, so that single precision suffices. */
  private originOf(entities: readonly Entity[]): Point {
    for (const entity of entities) {
      const at = this.point(entity, 10);
      if (this.find(entity, 10) >= 0 && Number.isFinite(at.x) && Number.isFinite(at.y)) return at;
    }
    return { x: 0, y: 0 };
  }

  private views(entities: readonly Entity[], layout: string): { matrix: Matrix; clip: Box }[] {
    if (layout === 'model') return [];
    return entities.flatMap((entity) => {
      const view = viewportOf(this, entity);
      if (!view) return [];
      if (!view.fromAbove) {
        this.leave('view from the side');
        return [];
      }
      const { at, centre, target, width, height } = view;
      const scale = scaleOf(view);
      const matrix = times(
        shift(at.x, at.y),
        times(stretch(scale, scale), times(shift(-centre.x, -centre.y), times(turn(radians(view.twist)), shift(-target.x, -target.y)))),
      );
      return [{ matrix, clip: { x: at.x - width / 2, y: at.y - height / 2, width, height } }];
    });
  }

  private leave(what: string): void {
    this.left[what] = (this.left[what] ?? 0) + 1;
  }

  private traitsOf(entity: Entity): Traits {
    let traits = this.traits.get(entity);
    if (!traits) {
      traits = {
        layer: this.get(entity, 8) ?? '0',
        hidden: this.number(entity, 60, 0) === 1,
        weight: this.number(entity, 370, -1),
        lineType: (this.get(entity, 6) ?? 'bylayer').toLowerCase(),
        dashes: this.number(entity, 48, 1),
      };
      this.traits.set(entity, traits);
    }
    return traits;
  }

  private lookOf(entity: Entity, within: Look | null, m: Matrix): Look | null {
    const own = this.traitsOf(entity);
    // Layer 0 in a block means the insert's layer.
    const layer = within && own.layer === '0' ? within.layer : own.layer;
    const ofLayer = this.layers.get(layer.toLowerCase());
    if (ofLayer?.hidden || own.hidden) return null;
    const stated = own.weight === -1 ? (ofLayer?.weight ?? -3) : own.weight;
    const weight = stated === -2 ? (within?.weight ?? USUAL_WEIGHT) : stated < 0 ? USUAL_WEIGHT : stated / 100;
    if (own.lineType === 'byblock') return { layer, weight, dashes: within?.dashes ?? [] };
    const dashes = this.lineTypes.get(own.lineType === 'bylayer' ? (ofLayer?.lineType ?? '').toLowerCase() : own.lineType) ?? [];
    const factor = this.scale * own.dashes * growth(m);
    return { layer, weight, dashes: dashes.map((dash) => Number((dash * factor).toPrecision(6))) };
  }

  /** Mirrors coordinates for extrusions pointing away. */
  private facing(entity: Entity, m: Matrix): Matrix {
    return this.number(entity, 230, 1) < 0 ? times(m, FLIPPED) : m;
  }

  private draw(entities: readonly Entity[], m: Matrix, sink: Sink, within: Look | null, depth: number, paper: boolean): void {
    for (let i = 0; i < entities.length; i++) {
      if (sink.count > MOST_POINTS || this.drawn > MOST_OBJECTS) {
        this.cut = true;
        return;
      }
      this.drawn++;
      const entity = entities[i]!;
      const follow = followers(entities, i);
      const look = this.lookOf(entity, within, m);
      if (look) this.one(entity, follow, m, sink, look, depth, paper);
      i += follow.length;
    }
  }

  private one(entity: Entity, follow: readonly Entity[], m: Matrix, sink: Sink, look: Look, depth: number, paper: boolean): void {
    const stroke = (line: readonly Point[], as: Matrix = m) => sink.line(as, line, look.weight, look.dashes);
    switch (entity.type) {
      case 'LINE':
        return stroke([this.point(entity, 10), this.point(entity, 11)]);
      case 'LWPOLYLINE': {
        const closed = (this.number(entity, 70, 0) & 1) === 1;
        return stroke(bentLine(this.vertices(entity), closed), this.facing(entity, m));
      }
      case 'POLYLINE':
        return this.polyline(entity, follow, m, stroke);
      case 'ARC': {
        const line = circleArc(this.point(entity, 10), this.number(entity, 40, 0), radians(this.number(entity, 50, 0)), radians(this.number(entity, 51, 360)));
        return stroke(line, this.facing(entity, m));
      }
      case 'CIRCLE':
        return stroke(wholeCircle(this.point(entity, 10), this.number(entity, 40, 0)), this.facing(entity, m));
      case 'ELLIPSE': {
        const [major, ratio] = [this.point(entity, 11), this.number(entity, 40, 1)];
        const side = this.number(entity, 230, 1) < 0 ? -1 : 1;
        const [from, to] = [this.number(entity, 41, 0), this.number(entity, 42, 2 * Math.PI)];
        const minor = { x: -major.y * ratio * side, y: major.x * ratio * side };
        return stroke(ellipseArc(this.point(entity, 10), major, minor, from, to <= from ? to + 2 * Math.PI : to));
      }
      case 'SPLINE':
        return stroke(this.spline(entity));
      case 'LEADER':
        return stroke(this.number(entity, 72, 0) === 1 ? curveThrough(this.vertices(entity)) : this.vertices(entity));
      case 'MULTILEADER':
        return this.leader(entity, m, sink, look, depth, paper);
      case 'SOLID':
      case 'TRACE': {
        const corners = [10, 11, 13, 12].map((code) => (this.find(entity, code) >= 0 ? this.point(entity, code) : this.point(entity, 12)));
        return sink.fill(this.facing(entity, m), [corners], 'ink');
      }
      case '3DFACE':
        return stroke([10, 11, 12, 13, 10].map((code) => this.point(entity, this.find(entity, code) >= 0 ? code : 12)));
      case 'HATCH':
        return this.hatch(entity, this.facing(entity, m), sink, look);
      case 'WIPEOUT':
      case 'IMAGE':
      case 'OLE2FRAME':
      case 'OLEFRAME':
        return this.foreign(entity, m, sink, stroke);
      case 'TEXT':
        return this.writing(entity, 73, this.facing(entity, m), sink, null);
      case 'ATTDEF':
        // Attribute definitions are drawn by their attributes, except constant ones.
        return (this.number(entity, 70, 0) & 2) === 2 ? this.writing(entity, 74, this.facing(entity, m), sink, null) : undefined;
      case 'MTEXT':
        return this.paragraph(entity, m, sink, null);
      case 'INSERT':
        return this.insert(entity, follow, m, sink, look, depth, paper);
      case 'DIMENSION':
      case 'ACAD_TABLE':
        return this.place((this.get(entity, 2) ?? '').toLowerCase(), m, IDENTITY, sink, look, depth, paper);
      case 'VIEWPORT':
        if (!paper || this.number(entity, 69, 0) === 1) return;
        return this.frameOf(entity, stroke);
      case 'POINT':
      case 'SEQEND':
      case 'VERTEX':
      case 'ATTRIB':
        return;
      default:
        return this.leave(entity.type.toLowerCase());
    }
  }

  private frameOf(entity: Entity, stroke: (line: readonly Point[]) => void): void {
    const [at, width, height] = [this.point(entity, 10), this.number(entity, 40, 0), this.number(entity, 41, 0)];
    const [x, y] = [width / 2, height / 2];
    stroke([
      { x: at.x - x, y: at.y - y },
      { x: at.x + x, y: at.y - y },
      { x: at.x + x, y: at.y + y },
      { x: at.x - x, y: at.y + y },
      { x: at.x - x, y: at.y - y },
    ]);
  }

  private polyline(entity: Entity, follow: readonly Entity[], m: Matrix, stroke: (line: readonly Point[], as?: Matrix) => void): void {
    const flags = this.number(entity, 70, 0);
    const corners = follow
      .filter((vertex) => vertex.type === 'VERTEX')
      .map((vertex) => ({ ...this.point(vertex, 10), bulge: this.number(vertex, 42, 0), flags: this.number(vertex, 70, 0), vertex }));
    if (flags & 64) {
      // A polyface mesh, whose face vertices index its corners.
      const points = corners.filter((corner) => corner.flags & 64);
      for (const { vertex } of corners.filter((corner) => (corner.flags & 192) === 128)) {
        const face = [71, 72, 73, 74].map((code) => points[Math.abs(this.number(vertex, code, 0)) - 1]).filter((p) => p !== undefined);
        stroke([...face, ...face.slice(0, 1)]);
      }
      return;
    }
    if (flags & 16) {
      const [rows, columns] = [this.number(entity, 71, 0), this.number(entity, 72, 0)];
      if (rows * columns > corners.length) return this.leave('mesh');
      for (let r = 0; r < rows; r++) stroke(corners.slice(r * columns, (r + 1) * columns));
      for (let c = 0; c < columns; c++) stroke(Array.from({ length: rows }, (_, r) => corners[r * columns + c]!));
      return;
    }
    // Skips spline control points (16).
    const line = corners.filter((corner) => (corner.flags & 16) === 0);
    stroke(bentLine(line, (flags & 1) === 1), flags & 8 ? m : this.facing(entity, m));
  }

  private spline(entity: Entity): Point[] {
    const { codes } = this.index;
    const [knots, weights, controls, through]: [number[], number[], Point[], Point[]] = [[], [], [], []];
    for (let k = entity.from + 1; k < entity.to; k++) {
      if (codes[k] === 40) knots.push(Number(this.raw(k)));
      else if (codes[k] === 41) weights.push(Number(this.raw(k)));
      else if (codes[k] === 10 && codes[k + 1] === 20) controls.push({ x: Number(this.raw(k)), y: Number(this.raw(k + 1)) });
      else if (codes[k] === 11 && codes[k + 1] === 21) through.push({ x: Number(this.raw(k)), y: Number(this.raw(k + 1)) });
    }
    if (controls.length) return splinePoints({ degree: this.number(entity, 71, 3), knots, controls, weights });
    const direction = (code: number) => (this.find(entity, code) >= 0 ? this.point(entity, code) : null);
    return curveThrough(through, direction(12), direction(13));
  }

  private settings(entity: Entity): TextSettings {
    const { font } = styleOfText(this, this.styles, entity);
    return { height: this.number(entity, 40, 2.5), widthFactor: this.number(entity, 41, 1), oblique: this.number(entity, 51, 0), style: font };
  }

  private writing(entity: Entity, verticalCode: 73 | 74, m: Matrix, sink: Sink, cell: PictureText['cell'], stated = this.get(entity, 1) ?? ''): void {
    const text = drawnText(stated);
    if (text.trim() === '' && !cell) return;
    if (this.find(entity, 101) >= 0) return this.paragraph(entity, m, sink, cell);
    const settings = this.settings(entity);
    const flags = this.number(entity, 71, 0);
    const set = setLine(text, settings, {
      first: this.point(entity, 10),
      second: this.point(entity, 11),
      horizontal: this.number(entity, 72, 0),
      vertical: this.number(entity, verticalCode, 0),
      rotation: this.number(entity, 50, 0),
      backwards: (flags & 2) === 2,
      upsideDown: (flags & 4) === 4,
    });
    sink.text(m, set, settings.style, cell, this.get(entity, 5)?.trim() ?? '');
  }

  /** An MTEXT, or the one inside a multi-line attribute. */
  private paragraph(entity: Entity, m: Matrix, sink: Sink, cell: PictureText['cell']): void {
    const embedded = this.find(entity, 101);
    const inner = embedded < 0 ? entity : { ...entity, from: embedded };
    const text = drawnText(plainMtext(this.longText(inner)));
    const { font, width, oblique } = styleOfText(this, this.styles, entity);
    const settings: TextSettings = { height: this.number(inner, 40, 2.5), widthFactor: width, oblique, style: font };
    const along = this.find(inner, 11) >= 0 ? this.point(inner, 11) : null;
    const lines = setParagraph(text, settings, {
      at: this.point(inner, 10),
      attachment: this.number(inner, 71, 1),
      width: this.number(inner, 41, 0),
      angle: along && (along.x !== 0 || along.y !== 0) ? Math.atan2(along.y, along.x) : radians(this.number(inner, 50, 0)),
      spacing: this.number(inner, 44, 1),
    });
    const handle = this.get(entity, 5)?.trim() ?? '';
    for (const line of lines) sink.text(m, line, settings.style, cell, handle);
  }

  private insert(entity: Entity, follow: readonly Entity[], m: Matrix, sink: Sink, look: Look, depth: number, paper: boolean): void {
    const facing = this.facing(entity, m);
    const at = this.point(entity, 10);
    const scale = stretch(this.number(entity, 41, 1) || 1, this.number(entity, 42, 1) || 1);
    const rotation = turn(radians(this.number(entity, 50, 0)));
    const [columns, rows] = [Math.max(1, this.number(entity, 70, 1)), Math.max(1, this.number(entity, 71, 1))];
    const [dx, dy] = [this.number(entity, 44, 0), this.number(entity, 45, 0)];
    const name = (this.get(entity, 2) ?? '').toLowerCase();
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        if (sink.count > MOST_POINTS || this.drawn > MOST_OBJECTS) {
          this.cut = true;
          return;
        }
        this.drawn++;
        this.place(name, facing, times(times(shift(at.x, at.y), rotation), times(shift(c * dx, r * dy), scale)), sink, look, depth, paper);
      }
    const handle = this.get(entity, 5)?.trim() ?? '';
    for (const attribute of follow) {
      if (attribute.type !== 'ATTRIB' || (this.number(attribute, 70, 0) & 1) === 1) continue;
      if (this.lookOf(attribute, look, m)) this.writing(attribute, 74, this.facing(attribute, m), sink, { handle, tag: this.get(attribute, 2) ?? '' });
    }
  }

  private place(name: string, m: Matrix, placed: Matrix, sink: Sink, look: Look, depth: number, paper: boolean): void {
    const body = this.bodies.get(name);
    if (!body) return;
    if (depth >= DEEPEST) {
      this.cut = true;
      return;
    }
    this.draw(body.entities, times(m, times(placed, shift(-body.base.x, -body.base.y))), sink, look, depth + 1, paper);
  }

  /** A MULTILEADER: arrows, lines, and its text or block with attributes. */
  private leader(entity: Entity, m: Matrix, sink: Sink, look: Look, depth: number, paper: boolean): void {
    const parts = leaderParts(this, entity);
    if (!parts) return this.leave('multileader');
    const { content, body } = parts;
    const kind = this.number(body, 170, 1);
    const arrow = this.handled(body, 342);
    const size = this.number(content, 140, 0);
    for (const line of kind === 0 ? [] : leaderLines(this, parts)) {
      const drawn = kind === 2 ? curveThrough(line) : line;
      sink.line(m, drawn, look.weight, look.dashes);
      const [tip, next] = drawn as [Point, Point];
      const towards = times(shift(tip.x, tip.y), times(turn(Math.atan2(tip.y - next.y, tip.x - next.x)), stretch(size, size)));
      if (this.bodies.has(arrow)) this.place(arrow, m, towards, sink, look, depth, paper);
      else if (size > 0) sink.fill(times(m, towards), [ARROW], 'ink');
    }
    if (this.number(content, 290, 0) === 1) this.leaderText(entity, content, m, sink);
    else if (this.number(content, 296, 0) === 1) {
      const at = this.point(content, 15);
      const scale = stretch(this.number(content, 16, 1) || 1, this.number(content, 26, 1) || 1);
      const placed = times(shift(at.x, at.y), times(turn(this.number(content, 46, 0)), scale));
      const block = this.handled(content, 341);
      this.place(block, m, placed, sink, look, depth, paper);
      const base = this.bodies.get(block)?.base ?? { x: 0, y: 0 };
      const inner = times(m, times(placed, shift(-base.x, -base.y)));
      const texts = leaderTexts(this, parts);
      const handle = this.get(entity, 5)?.trim() ?? '';
      for (const definition of this.bodies.get(block)?.entities ?? []) {
        const text = definition.type === 'ATTDEF' ? texts.get(this.get(definition, 5)?.trim().toUpperCase() ?? '') : undefined;
        if (text !== undefined && (this.number(definition, 70, 0) & 1) === 0)
          this.writing(definition, 74, inner, sink, { handle, tag: this.get(definition, 2) ?? '' }, this.value(text));
      }
    }
  }

  private handled(entity: Entity, code: number): string {
    return this.names.get(this.get(entity, code)?.trim().toUpperCase() ?? '') ?? '';
  }

  private leaderText(entity: Entity, content: Entity, m: Matrix, sink: Sink): void {
    const { font, width, oblique } = this.styles.get(this.handled(content, 340)) ?? UNDEFINED_STYLE;
    const along = this.point(content, 13);
    const lines = setParagraph(
      drawnText(plainMtext(this.get(content, 304) ?? '')),
      { height: this.number(content, 41, 2.5), widthFactor: width, oblique, style: font },
      {
        at: this.point(content, 12),
        // Left, centre or right, always by the top.
        attachment: this.number(content, 171, 1),
        width: this.number(content, 43, 0) * (this.number(content, 40, 1) || 1),
        angle: Math.atan2(along.y, along.x),
        spacing: this.number(content, 45, 1),
      },
    );
    for (const line of lines) sink.text(m, line, font, null, this.get(entity, 5)?.trim() ?? '');
  }

  /** Images and embedded objects are drawn as frames; wipeouts as paper. */
  private foreign(entity: Entity, m: Matrix, sink: Sink, stroke: (line: readonly Point[]) => void): void {
    if (entity.type === 'OLE2FRAME' || entity.type === 'OLEFRAME') {
      const [a, b] = [this.point(entity, 10), this.point(entity, 11)];
      stroke([a, { x: b.x, y: a.y }, b, { x: a.x, y: b.y }, a, b]);
      return this.leave('object of another program');
    }
    const at = this.point(entity, 10);
    const [u, v] = [this.point(entity, 11), this.point(entity, 12)];
    const [w, h] = [this.number(entity, 13, 1), this.number(entity, 23, 1)];
    const corner = (x: number, y: number): Point => ({ x: at.x + u.x * x + v.x * y, y: at.y + u.y * x + v.y * y });
    if (entity.type === 'IMAGE') {
      stroke([corner(0, 0), corner(w, 0), corner(w, h), corner(0, h), corner(0, 0), corner(w, h)]);
      return this.leave('picture');
    }
    const { codes } = this.index;
    const outline: Point[] = [];
    // The clip outline is relative to the image frame, from its centre, y downwards.
    for (let k = entity.from + 1; k < entity.to; k++)
      if (codes[k] === 14 && codes[k + 1] === 24) outline.push(corner(Number(this.raw(k)) + 0.5, 0.5 - Number(this.raw(k + 1))));
    if (outline.length === 2)
      outline.splice(0, 2, ...[outline[0]!, { x: outline[1]!.x, y: outline[0]!.y }, outline[1]!, { x: outline[0]!.x, y: outline[1]!.y }]);
    sink.fill(m, [outline], 'paper');
  }

  private hatch(entity: Entity, m: Matrix, sink: Sink, look: Look): void {
    const { outlines, families, solid } = hatchParts(this, entity);
    if (outlines.length === 0) return;
    if (solid) return sink.fill(m, outlines, 'ink');
    const lines = hatchLines(outlines, families);
    if (lines === null) return sink.fill(m, outlines, 'light');
    for (const line of lines) sink.line(m, line, look.weight, []);
  }
}

/** Follow-up entities: vertices of a polyline, attributes of an insert. */
function followers(entities: readonly Entity[], i: number): readonly Entity[] {
  const { type } = entities[i]!;
  if (type !== 'POLYLINE' && type !== 'INSERT') return [];
  const wanted = type === 'POLYLINE' ? 'VERTEX' : 'ATTRIB';
  let k = i + 1;
  while (k < entities.length && entities[k]!.type === wanted) k++;
  if (k < entities.length && entities[k]!.type === 'SEQEND' && k > i + 1) k++;
  return entities.slice(i + 1, k);
}

const MILLIMETRES: Readonly<Record<string, number>> = { '1': 25.4, '2': 304.8, '4': 1, '5': 10, '6': 1000 };

/** Millimetres per unit; sheets without a unit count as inches if very small. */
function millimetresOf(groups: DxfGroups, extent: Box): number {
  const at = groups.variable('$INSUNITS');
  const stated = at < 0 ? undefined : MILLIMETRES[groups.raw(at)];
  // Sheets are in millimetres or inches, whatever the model's unit.
  if (stated === 25.4 || stated === 1) return stated;
  return Math.max(extent.width, extent.height) < 60 ? 25.4 : 1;
}

/**
 * Draws a layout of a DXF drawing as lines, areas and texts.
 * @throws FileError if it is broken or binary
 */
export const drawSheet = (bytes: Uint8Array, layout: string): SheetPicture => new Drawer(bytes).picture(layout);
