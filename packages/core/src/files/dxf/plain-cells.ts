import { Rooms, straightEdges } from '../../lettering/room';
import { BlockShape, CellDefinition } from '../contract';
import { Keys } from '../keys';

/** A text that is on a sheet itself. */
export interface SheetText<T> {
  readonly entity: T;
  readonly text: string;
  /** Its place and lettering, as those of a cell. */
  readonly place: Omit<CellDefinition, 'tag' | 'prompt' | 'preset' | 'constant' | 'multiline'>;
}

/** A text with a caption in its box: a cell, though nobody made it one. */
export interface PlainCell<T> extends SheetText<T> {
  readonly tag: string;
}

/** The block that plain texts of a sheet are, for people. */
export const PLAIN_TEXTS = 'Plain texts';

/** Fewer captioned texts on a sheet are no title block. */
const LEAST = 3;
/** Texts × lines that are compared on one sheet at most: beyond that a drawing is no form. */
const MOST_PAIRS = 4_000_000;
/** A box that is higher or wider than so many heights of its text is no cell of a form. */
const MOST_HIGH = 14;
const MOST_WIDE = 160;

/**
 * Finds cells among the plain texts of a sheet: boxes of straight lines that hold two texts, a caption and what is under it. The caption
 * is the lower lettering; of two that are equally high the upper one, or the left one in the same line. Sheets with fewer than three such
 * boxes have none.
 */
export function plainCells<T>(texts: readonly SheetText<T>[], shapes: readonly BlockShape[]): PlainCell<T>[] {
  const flat = texts.filter(({ place }) => Math.abs(place.rotation) < 0.5);
  const edges = straightEdges(shapes);
  if (flat.length < 2 * LEAST || flat.length * edges.length > MOST_PAIRS) return [];
  const rooms = new Rooms(edges);
  const boxes = new Map<string, SheetText<T>[]>();
  for (const text of flat) {
    const { at, height } = text.place;
    const { left, right, below, above } = rooms.of({ ...text.place, tag: '', prompt: '', preset: '', constant: false, multiline: false });
    if (left === null || right === null || below === null || above === null) continue;
    if (below + above > MOST_HIGH * height || left + right > MOST_WIDE * height) continue;
    const key = [at.x - left, at.x + right, at.y - below, at.y + above].map((n) => Math.round(n * 100)).join(' ');
    boxes.set(key, [...(boxes.get(key) ?? []), text]);
  }
  const tags = new Keys();
  const found = [...boxes.values()].flatMap((inside): PlainCell<T>[] => {
    if (inside.length !== 2) return [];
    const [caption, value] = inCaptionOrder(inside[0]!, inside[1]!);
    const name = caption.text.trim().replace(/\s*:$/, '');
    return /\p{L}/u.test(name) && name.length <= 60 ? [{ ...value, tag: tags.free(name) }] : [];
  });
  return found.length >= LEAST ? found : [];
}

function inCaptionOrder<T>(a: SheetText<T>, b: SheetText<T>): [caption: SheetText<T>, value: SheetText<T>] {
  // What was emptied is still a text, and never a caption.
  if ((a.text.trim() === '') !== (b.text.trim() === '')) return a.text.trim() === '' ? [b, a] : [a, b];
  const [low, high] = a.place.height <= b.place.height ? [a, b] : [b, a];
  if (high.place.height > low.place.height * 1.1) return [low, high];
  const sameLine = Math.abs(a.place.at.y - b.place.at.y) < low.place.height / 2;
  const first = sameLine ? a.place.at.x < b.place.at.x : a.place.at.y > b.place.at.y;
  return first ? [a, b] : [b, a];
}
