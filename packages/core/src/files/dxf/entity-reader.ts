import { TextStyle } from '../../lettering/fonts';
import { Point, SheetReading, CellDefinition, BlockShape } from '../contract';
import { CellContent } from './content';
import { DxfGroups, Entity } from './groups';
import { layoutRecord } from './layouts';
import { SheetText } from './plain-cells';
import { DrawingStyle, stylesOf, styleOfText } from './styles';
import { drawnText, plainMtext } from './text';

/** A mutable object under construction. */
export type Made<T> = { -readonly [K in keyof T]: T[K] };

const between = (a: Point, b: Point): number => Math.hypot(b.x - a.x, b.y - a.y);

/** Reads single entities: styles, computed texts, attribute definitions, attributes, shapes and the places of texts. */
export class EntityReader extends DxfGroups {
  /** Layout names by block record handle. */
  protected readonly layoutNames = new Map<string, string>();
  protected readonly papers = new Map<string, NonNullable<SheetReading['paper']>>();
  /** Tab order of layouts. */
  protected readonly orders = new Map<string, number>();
  /** Originals of anonymous variants, by lower-case variant name. */
  protected readonly variants = new Map<string, string>();

  protected styles: ReadonlyMap<string, DrawingStyle> = new Map();

  /** Block names by record handle. */
  protected recordNames: ReadonlyMap<string, string> = new Map();

  /** Reads text styles, and anonymous variants with their originals' handles. */
  protected readTables(records: readonly Entity[]): void {
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
  protected readonly requests = new Map<string, string>();

  protected readObjects(objects: readonly Entity[]): void {
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
  protected requestOf(entity: Entity): string | undefined {
    if (this.requests.size === 0) return undefined;
    const { codes } = this.index;
    for (let k = entity.from + 1; k < entity.to; k++) if (codes[k] === 360 && this.requests.has(this.raw(k))) return this.requests.get(this.raw(k));
    return undefined;
  }

  /** An attribute definition. Built explicitly, as spreads are slow here. */
  protected cell(entity: Entity, base: Point): Made<CellDefinition> {
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
  protected textPlace(entity: Entity, base: Point, verticalCode: 73 | 74): SheetText<Entity>['place'] {
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
  protected ownWidth(entity: Entity): number {
    const [at, embedded] = [this.find(entity, 41), this.find(entity, 101)];
    return embedded >= 0 && at > embedded ? -1 : at;
  }

  protected fontOf(entity: Entity): TextStyle {
    return styleOfText(this, this.styles, entity).font;
  }

  protected shapes(entities: readonly Entity[], base: Point): BlockShape[] {
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

  /** Position of a multi-line text. */
  protected paragraphPlace(entity: Entity): SheetText<Entity>['place'] {
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

  protected attribute(entity: Entity): Made<CellContent> | undefined {
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
