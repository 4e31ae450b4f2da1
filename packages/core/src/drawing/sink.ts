import { Point } from '../files';
import { TextStyle, Box } from '../lettering';
import { Matrix, apply, times } from './matrix';
import { Fill, PictureText, Layer } from './sheet-picture';
import { SetLine } from './texts';

/** A growing list of coordinates. */
class Floats {
  private values = new Float32Array(256);
  length = 0;

  push(x: number, y: number): void {
    if (this.length + 2 > this.values.length) {
      const more = new Float32Array(this.values.length * 2);
      more.set(this.values);
      this.values = more;
    }
    this.values[this.length++] = x;
    this.values[this.length++] = y;
  }

  get all(): Float32Array {
    return this.values.slice(0, this.length);
  }
}

/** Collects what is drawn: lines by pen, fills, texts, and the space they take. */
export class Sink {
  private readonly pens = new Map<string, { weight: number; dashes: readonly number[]; points: Floats; starts: number[] }>();
  private readonly fills: { tone: Fill['tone']; points: Floats; starts: number[] }[] = [];
  readonly texts: PictureText[] = [];
  private readonly box = { minX: Infinity, minY: Infinity, maxX: -Infinity, maxY: -Infinity };
  count = 0;

  constructor(readonly origin: Point) {}

  private grow(x: number, y: number): void {
    const { box } = this;
    if (x < box.minX) box.minX = x;
    if (x > box.maxX) box.maxX = x;
    if (y < box.minY) box.minY = y;
    if (y > box.maxY) box.maxY = y;
  }

  private put(points: Floats, m: Matrix, line: readonly Point[]): void {
    for (const p of line) {
      const x = m[0] * p.x + m[2] * p.y + m[4] - this.origin.x;
      const y = m[1] * p.x + m[3] * p.y + m[5] - this.origin.y;
      points.push(x, y);
      this.grow(x, y);
    }
    this.count += line.length;
  }

  line(m: Matrix, line: readonly Point[], weight: number, dashes: readonly number[]): void {
    if (line.length < 2 || !line.every((p) => Number.isFinite(p.x) && Number.isFinite(p.y))) return;
    const key = `${weight}/${dashes.join(' ')}`;
    let pen = this.pens.get(key);
    if (!pen) this.pens.set(key, (pen = { weight, dashes, points: new Floats(), starts: [] }));
    pen.starts.push(pen.points.length / 2);
    this.put(pen.points, m, line);
  }

  fill(m: Matrix, outlines: readonly (readonly Point[])[], tone: Fill['tone']): void {
    const fill = { tone, points: new Floats(), starts: [] as number[] };
    for (const outline of outlines) {
      if (outline.length < 3 || !outline.every((p) => Number.isFinite(p.x) && Number.isFinite(p.y))) continue;
      fill.starts.push(fill.points.length / 2);
      this.put(fill.points, m, outline);
    }
    if (fill.starts.length) this.fills.push(fill);
  }

  text(m: Matrix, set: SetLine, style: TextStyle, cell: PictureText['cell'], handle: string): void {
    const whole = times(m, set.matrix);
    const matrix: Matrix = [whole[0], whole[1], whole[2], whole[3], whole[4] - this.origin.x, whole[5] - this.origin.y];
    if (!matrix.every(Number.isFinite)) return;
    this.texts.push({ text: set.text, length: set.length, anchor: set.anchor, matrix, style, cell, handle });
    this.count += 4;
    for (const corner of [
      { x: 0, y: 0 },
      { x: set.length, y: 0 },
      { x: 0, y: 1 },
      { x: set.length, y: 1 },
    ]) {
      const { x, y } = apply(matrix, corner);
      this.grow(x, y);
    }
  }

  frame(box: Box): void {
    this.grow(box.x - this.origin.x, box.y - this.origin.y);
    this.grow(box.x + box.width - this.origin.x, box.y + box.height - this.origin.y);
  }

  get extent(): Box | null {
    const { minX, minY, maxX, maxY } = this.box;
    return minX <= maxX ? { x: minX, y: minY, width: maxX - minX || 1, height: maxY - minY || 1 } : null;
  }

  get layer(): Layer {
    return {
      lines: [...this.pens.values()].map((pen) => ({ ...pen, points: pen.points.all, starts: Uint32Array.from(pen.starts) })),
      fills: this.fills.map((fill) => ({ ...fill, points: fill.points.all, starts: Uint32Array.from(fill.starts) })),
      texts: this.texts,
    };
  }
}
