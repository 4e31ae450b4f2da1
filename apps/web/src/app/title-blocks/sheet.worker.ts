import { SheetPicture, cellsOnSheet, drawSheet, textsOnSheet } from '@rule/core/drawing';
import { FileError, Point } from '@rule/core/files';
import { Box } from '@rule/core/lettering';
import { Painter, fontsOf } from './painter';
import { FromSheet, SheetCell, ToSheet } from './sheet-messages';

/** Reads and draws sheets off the main thread. */

interface Scope {
  postMessage(message: FromSheet): void;
  addEventListener(type: 'message', listener: (event: { readonly data: ToSheet }) => void): void;
  requestAnimationFrame(callback: () => void): number;
  readonly fonts: { add(font: FontFace): void };
}
const scope = globalThis as unknown as Scope;

let canvas: OffscreenCanvas | null = null;
let painter: Painter | null = null;
type Frame = Extract<ToSheet, { readonly do: 'look' }>;
let frame: Frame | null = null;
let waiting = false;
/** The latest request; late results for others are dropped. */
let wanted = 0;
const loaded = new Set<string>();

/** The last full picture and its view, shifted while panning. */
let shot: { readonly image: OffscreenCanvas; readonly frame: Frame } | null = null;
/** Duration of the last full picture, in milliseconds. */
let took = 0;
/** Slower pictures are redrawn only after panning, with this delay. */
const QUICK_MS = 30;
const REST_MS = 120;
let rest: ReturnType<typeof setTimeout> | undefined;

/** Draws in the next frame: fully, or from the last picture while panning slowly drawn sheets. */
function paint(moving = false): void {
  if (moving && took > QUICK_MS && shot) {
    clearTimeout(rest);
    rest = setTimeout(() => paint(), REST_MS);
  } else moving = false;
  if (waiting) return;
  waiting = true;
  scope.requestAnimationFrame(() => {
    waiting = false;
    if (!canvas || !painter || !frame) return;
    const { look, size, inks } = frame;
    const [width, height] = [Math.max(1, Math.round(size.width * size.ratio)), Math.max(1, Math.round(size.height * size.ratio))];
    const resized = canvas.width !== width || canvas.height !== height;
    if (canvas.width !== width) canvas.width = width;
    if (canvas.height !== height) canvas.height = height;
    const context = canvas.getContext('2d');
    if (!context) return;
    const began = performance.now();
    if (moving && shot && !resized) moved(context, shot, frame);
    else {
      painter.paint(context, look, size, inks);
      took = performance.now() - began;
      const image = new OffscreenCanvas(width, height);
      image.getContext('2d')?.drawImage(canvas, 0, 0);
      shot = { image, frame };
    }
    scope.postMessage({ is: 'painted', milliseconds: performance.now() - began });
  });
}

/** Draws the last picture, moved and scaled. */
function moved(context: OffscreenCanvasRenderingContext2D, { image, frame: before }: NonNullable<typeof shot>, { look, size, inks }: Frame): void {
  const scale = look.zoom / before.look.zoom;
  const x = size.width / 2 + (before.look.x - look.x) * look.zoom;
  const y = size.height / 2 - (before.look.y - look.y) * look.zoom;
  const [width, height] = [image.width * scale, image.height * scale];
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.fillStyle = inks.paper;
  context.fillRect(0, 0, image.width, image.height);
  context.drawImage(image, x * size.ratio - width / 2, y * size.ratio - height / 2, width, height);
}

/** Loads fonts; missing ones fall back to the page's font. */
async function loadFonts(picture: SheetPicture): Promise<void> {
  await Promise.all(
    fontsOf(picture).map(async ({ family, url, weight, letters }) => {
      if (loaded.has(url)) return;
      loaded.add(url);
      const font = new FontFace(family, `url(${url})`, { weight, unicodeRange: letters });
      scope.fonts.add(font);
      await font.load().catch(() => loaded.delete(url));
    }),
  );
}

/** Blocks by tags unique to one block. */
function alone(cells: readonly SheetCell[]): Map<string, string> {
  const holders = new Map<string, string>();
  const several = new Set<string>();
  for (const { tag, holder } of cells) {
    if (holders.has(tag) && holders.get(tag) !== holder) several.add(tag);
    holders.set(tag, holder);
  }
  for (const tag of several) holders.delete(tag);
  return holders;
}

/** Bounding box with margin. */
function around(cells: readonly SheetCell[]): Box | null {
  const corners = cells.flatMap((cell) => cell.corners);
  if (corners.length === 0) return null;
  const [xs, ys] = [corners.map((p) => p.x), corners.map((p) => p.y)];
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  const [width, height] = [Math.max(...xs) - x, Math.max(...ys) - y];
  const air = Math.max(width, height) * 0.01;
  return { x: x - air, y: y - air, width: width + 2 * air, height: height + 2 * air };
}

async function open({ file, layout, holder, n }: Extract<ToSheet, { readonly do: 'open' }>): Promise<void> {
  wanted = n;
  try {
    const answer = await fetch(`/api/files/${file}/content`, { credentials: 'same-origin' });
    if (!answer.ok) {
      const problem = (await answer.json().catch(() => ({}))) as { readonly detail?: string };
      throw new Error(problem.detail ?? `The drawing cannot be fetched (${answer.status}).`);
    }
    const bytes = new Uint8Array(await answer.arrayBuffer());
    if (wanted !== n) return;
    const picture = drawSheet(bytes, layout);
    const { origin } = picture;
    const near = <T extends { readonly corners: readonly Point[] }>(one: T) => ({
      ...one,
      corners: one.corners.map(({ x, y }) => ({ x: x - origin.x, y: y - origin.y })),
    });
    const cells = cellsOnSheet(bytes, layout).map(near);
    const texts = textsOnSheet(bytes, layout).map(near);
    const focus = around(cells.filter((cell) => cell.holder === holder));
    shot = null;
    took = 0;
    const plain = new Map(cells.flatMap((cell) => (cell.handle === null ? [] : [[cell.handle, cell] as const])));
    painter = new Painter(picture, focus, plain, alone(cells));
    scope.postMessage({ is: 'opened', n, extent: picture.extent, focus, cells, texts, left: picture.left, cut: picture.cut });
    paint();
    await loadFonts(picture);
    paint();
  } catch (error) {
    if (wanted !== n) return;
    painter = null;
    const message = error instanceof FileError || error instanceof Error ? error.message : 'The drawing cannot be drawn.';
    scope.postMessage({ is: 'failed', n, message });
  }
}

scope.addEventListener('message', ({ data }) => {
  switch (data.do) {
    case 'canvas':
      canvas = data.canvas;
      break;
    case 'open':
      void open(data);
      break;
    case 'look':
      frame = data;
      paint(true);
      break;
    case 'texts':
      painter?.show(data.texts);
      paint();
  }
});
