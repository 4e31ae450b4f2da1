import { Fill, Layer, Matrix, PictureText, SheetPicture, growth, resetLine, times } from '@rule/core/drawing';
import { Box, ShippedFont, capitalsOf, familyOfFont, fontFor } from '@rule/core/lettering';

/** A canvas of the page or a worker. */
type Context = CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D;

/** The visible part: centre in drawing units, and pixels per unit. */
export interface Look {
  readonly x: number;
  readonly y: number;
  readonly zoom: number;
}

/** A text drawn instead of a cell's own. */
export interface ShownText {
  readonly holder: string;
  readonly tag: string;
  readonly text: string;
  /** How it differs: not at all, to be written, placeholder, or too long. */
  readonly tone: 'kept' | 'changed' | 'placeholder' | 'too long';
  /** Factors for letter height and width. */
  readonly higher: number;
  readonly wider: number;
}

/** Page colours. */
export interface Inks {
  readonly ink: string;
  readonly paper: string;
  readonly faint: string;
  readonly changed: string;
  readonly tooLong: string;
  readonly beyond: string;
}

/** Canvas size in CSS pixels, and device pixel ratio. */
export interface Size {
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
}

/** Font size for layout before scaling, in pixels. */
const SET_AT = 100;
/** Smaller letters are drawn as bars. */
const LEGIBLE = 2.2;
/** Shorter dashes are drawn solid. */
const SHORTEST_DASH = 2;

const key = (holder: string, tag: string): string => JSON.stringify([holder, tag]);

/** Lines cached and culled together. */
const CHUNK = 400;
/** Shorter segments are simplified. */
const FINE = 0.8;
/** Segments much longer than average do not belong to a curve. */
const LONG = 3;
/** Keeps one of this many vertices then. */
const COARSER = 6;

/** A chunk of lines or areas, prepared on first view in fine or coarse detail. */
class Chunk {
  readonly box: Box;
  /** Mean segment length. */
  private readonly part: number;
  private fine: Path2D | null = null;
  private coarse: Path2D | null = null;

  constructor(
    private readonly lines: Pick<Fill, 'points' | 'starts'>,
    private readonly first: number,
    private readonly last: number,
    private readonly closed: boolean,
  ) {
    const [from, to] = [this.start(first), this.start(last)];
    const { points } = lines;
    let [minX, minY, maxX, maxY] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let k = from; k < to; k++) {
      const [x, y] = [points[2 * k]!, points[2 * k + 1]!];
      if (x < minX) minX = x;
      if (x > maxX) maxX = x;
      if (y < minY) minY = y;
      if (y > maxY) maxY = y;
    }
    this.box = { x: minX, y: minY, width: maxX - minX, height: maxY - minY };
    // Estimated from a sample.
    const [some, end] = [from, this.start(Math.min(last, first + 20))];
    let length = 0;
    for (let k = some + 1; k < end; k++) length += Math.hypot(points[2 * k]! - points[2 * k - 2]!, points[2 * k + 1]! - points[2 * k - 1]!);
    this.part = end - some > 1 ? length / (end - some - 1) : 0;
  }

  private start(line: number): number {
    return this.lines.starts[line] ?? this.lines.points.length / 2;
  }

  /**
   * Its lines for drawing.
   * @param scale pixels per unit
   */
  path(scale: number): Path2D {
    if (this.part * scale < FINE) return (this.coarse ??= this.laidOut(COARSER));
    return (this.fine ??= this.laidOut(1));
  }

  private laidOut(each: number): Path2D {
    const path = new Path2D();
    const { points } = this.lines;
    for (let line = this.first; line < this.last; line++) {
      const [from, to] = [this.start(line), this.start(line + 1)];
      path.moveTo(points[2 * from]!, points[2 * from + 1]!);
      // Only curves are simplified; frames keep their corners.
      const own = to - from > 1 ? Math.hypot(points[2 * from + 2]! - points[2 * from]!, points[2 * from + 3]! - points[2 * from + 1]!) : 0;
      const by = own > LONG * this.part ? 1 : each;
      for (let k = from + by; k < to - 1; k += by) path.lineTo(points[2 * k]!, points[2 * k + 1]!);
      path.lineTo(points[2 * to - 2]!, points[2 * to - 1]!);
      if (this.closed) path.closePath();
    }
    return path;
  }
}

/** Contents of a layer. */
interface Prepared {
  readonly layer: Layer;
  readonly pens: readonly { readonly chunks: readonly Chunk[]; readonly weight: number; readonly dashes: readonly number[] }[];
  readonly fills: readonly { readonly chunk: Chunk; readonly tone: Fill['tone'] }[];
}

function chunksOf(lines: Pick<Fill, 'points' | 'starts'>): Chunk[] {
  const chunks: Chunk[] = [];
  for (let first = 0; first < lines.starts.length; first += CHUNK) chunks.push(new Chunk(lines, first, Math.min(first + CHUNK, lines.starts.length), false));
  return chunks;
}

const prepare = (layer: Layer): Prepared => ({
  layer,
  pens: layer.lines.map((pen) => ({ chunks: chunksOf(pen), weight: pen.weight, dashes: pen.dashes })),
  fills: layer.fills.map((fill) => ({ chunk: new Chunk(fill, 0, fill.starts.length, true), tone: fill.tone })),
});

/**
 * Whether a box is visible.
 * @param m maps to device pixels
 */
function isSeen({ x, y, width, height }: Box, m: Matrix, { canvas }: Context): boolean {
  const xs = [x, x + width].flatMap((px) => [y, y + height].map((py) => m[0] * px + m[2] * py + m[4]));
  const ys = [x, x + width].flatMap((px) => [y, y + height].map((py) => m[1] * px + m[3] * py + m[5]));
  return Math.max(...xs) >= 0 && Math.min(...xs) <= canvas.width && Math.max(...ys) >= 0 && Math.min(...ys) <= canvas.height;
}

/** Draws a sheet with replaced cell texts. */
export class Painter {
  private readonly sheet: Prepared;
  private readonly model: Prepared | null;
  private shown = new Map<string, ShownText>();

  constructor(
    private readonly picture: SheetPicture,
    /** The block in work; the rest is dimmed. */
    private readonly focus: Box | null,
    /** Plain text cells by handle. */
    private readonly plain: ReadonlyMap<string, { readonly holder: string; readonly tag: string }> = new Map(),
    /** Blocks of drawings without handles, by unique tags. */
    private readonly unnamed: ReadonlyMap<string, string> = new Map(),
  ) {
    this.sheet = prepare(picture.sheet);
    this.model = picture.model && prepare(picture.model);
  }

  show(texts: readonly ShownText[]): void {
    this.shown = new Map(texts.map((text) => [key(text.holder, text.tag), text]));
  }

  paint(context: Context, { x, y, zoom }: Look, { width, height, ratio }: Size, inks: Inks): void {
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = inks.paper;
    context.fillRect(0, 0, width * ratio, height * ratio);
    const scale = zoom * ratio;
    // Flips the y axis.
    const view: Matrix = [scale, 0, 0, -scale, (width / 2) * ratio - x * scale, (height / 2) * ratio + y * scale];
    if (this.model)
      for (const { matrix, clip } of this.picture.views) {
        context.save();
        context.setTransform(...view);
        context.beginPath();
        context.rect(clip.x, clip.y, clip.width, clip.height);
        context.clip();
        this.layer(context, this.model, times(view, matrix), scale, ratio, inks);
        context.restore();
      }
    this.layer(context, this.sheet, view, scale, ratio, inks);
    if (!this.focus) return;
    context.setTransform(...view);
    context.fillStyle = inks.beyond;
    context.beginPath();
    context.rect(x - width / zoom, y - height / zoom, (2 * width) / zoom, (2 * height) / zoom);
    context.rect(this.focus.x, this.focus.y, this.focus.width, this.focus.height);
    context.fill('evenodd');
  }

  private layer(context: Context, { layer, pens, fills }: Prepared, matrix: Matrix, scale: number, ratio: number, inks: Inks): void {
    const grown = growth(matrix) || 1;
    context.setTransform(...matrix);
    context.lineCap = 'round';
    context.lineJoin = 'round';
    for (const { chunk, tone } of fills) {
      if (!isSeen(chunk.box, matrix, context)) continue;
      context.fillStyle = tone === 'paper' ? inks.paper : tone === 'light' ? inks.faint : inks.ink;
      context.fill(chunk.path(grown), 'evenodd');
    }
    context.strokeStyle = inks.ink;
    for (const { chunks, weight, dashes } of pens) {
      // Line widths as on paper, with a visible minimum.
      const pixels = Math.max((weight / this.picture.millimetres) * scale, 0.7 * ratio);
      context.lineWidth = pixels / grown;
      context.setLineDash(
        dashes.length && Math.max(...dashes.map(Math.abs)) * grown > SHORTEST_DASH * ratio ? dashes.map((dash) => Math.abs(dash) || 0.1) : [],
      );
      for (const chunk of chunks) if (isSeen(chunk.box, matrix, context)) context.stroke(chunk.path(grown));
    }
    context.setLineDash([]);
    for (const text of layer.texts) this.text(context, text, matrix, ratio, inks);
  }

  private text(context: Context, text: PictureText, view: Matrix, ratio: number, inks: Inks): void {
    const plain = this.plain.get(text.handle);
    const { cell } = text;
    const holder = cell === null ? plain?.holder : cell.handle === '' ? this.unnamed.get(cell.tag) : `insert:${cell.handle}`;
    const shown = holder === undefined ? undefined : this.shown.get(key(holder, cell?.tag ?? plain!.tag));
    const line = shown ? { ...text, ...resetLine(text, text.style, shown.text, shown.higher, shown.wider) } : text;
    if (line.text === '') return;
    const m = times(view, line.matrix);
    const high = Math.hypot(m[2], m[3]);
    const { width, height } = context.canvas;
    const reach = Math.hypot(m[0], m[1]) * line.length + high;
    if (m[4] < -reach || m[5] < -reach || m[4] > width + reach || m[5] > height + reach) return;
    context.fillStyle = shown ? { kept: inks.ink, changed: inks.changed, placeholder: inks.faint, 'too long': inks.tooLong }[shown.tone] : inks.ink;
    context.setTransform(...m);
    if (high < LEGIBLE * ratio) {
      context.globalAlpha = 0.35;
      context.fillRect(0, 0.15, line.length, 0.5);
      context.globalAlpha = 1;
      return;
    }
    const { font } = fontFor(line.style);
    context.font = fontText(font);
    const measured = context.measureText(line.text).width;
    if (measured <= 0) return;
    // Scales letters to the width measured for the drawing's font and flips them upright.
    context.transform(line.length / measured, 0, 0, -1 / (SET_AT * capitalsOf(font)), 0, 0);
    context.textBaseline = 'alphabetic';
    context.fillText(line.text, 0, 0);
  }
}

/** Font weight shipped with the page. */
const WEIGHTS: Readonly<Partial<Record<ShippedFont, number>>> = { 'narrow stroke': 500 };

const fontText = (font: ShippedFont): string => `${WEIGHTS[font] ?? 400} ${SET_AT}px "${familyOfFont(font)}", sans-serif`;

/** Font subsets by covered characters. */
const PARTS: Readonly<Record<string, string>> = {
  latin: 'U+0000-00FF, U+0131, U+0152-0153, U+02BB-02BC, U+02C6, U+02DA, U+02DC, U+2000-206F, U+20AC, U+2122, U+2191, U+2193, U+2212, U+2215',
  'latin-ext': 'U+0100-0130, U+0132-0151, U+0154-02BA, U+1E00-1EFF, U+2020, U+20A0-20AB, U+20AD-20C0, U+2113',
  greek: 'U+0370-03FF, U+2126',
  cyrillic: 'U+0301, U+0400-045F, U+0490-0491, U+04B0-04B1, U+2116',
};

/** URLs of lettering fonts. */
interface FontPart {
  readonly family: string;
  readonly url: string;
  readonly weight: string;
  readonly letters: string;
}

/** Font subsets needed for a picture. */
export function fontsOf(picture: SheetPicture): FontPart[] {
  const used = new Set([...picture.sheet.texts, ...(picture.model?.texts ?? [])].map((text) => fontFor(text.style).font));
  return [...used].flatMap((font) => {
    const family = familyOfFont(font);
    const weight = String(WEIGHTS[font] ?? 400);
    const parts = font === 'stroke' || font === 'narrow stroke' ? ['latin', 'latin-ext'] : Object.keys(PARTS);
    return parts.map((part) => ({
      family,
      weight,
      letters: PARTS[part]!,
      url: `/lettering/${family.toLowerCase().replaceAll(' ', '-')}-${part}-${weight}-normal.woff2`,
    }));
  });
}
