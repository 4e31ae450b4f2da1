import { Rooms, straightEdges } from '../../lettering/room';
import { BlockShape, CellDefinition } from '../contract';
import { Keys } from '../keys';

/** A text on a sheet. */
export interface SheetText<T> {
  readonly entity: T;
  readonly text: string;
  /** Position and lettering. */
  readonly place: Omit<CellDefinition, 'tag' | 'prompt' | 'preset' | 'constant' | 'multiline'>;
}

/** A captioned text in a box, treated as a cell. */
export interface PlainCell<T> extends SheetText<T> {
  readonly tag: string;
}

/** Display name of the pseudo-block of plain texts. */
export const PLAIN_TEXTS = 'Plain texts';

/** Family of the pseudo-blocks of plain texts. */
export const PLAIN_FAMILY = PLAIN_TEXTS.toLowerCase();

/** Display name of the pseudo-block of anchored labels. */
export const LABELS = 'Labels';

/** A plain text's cell as a definition. */
export const plainDefinition = (tag: string, place: SheetText<unknown>['place']): CellDefinition => ({
  ...place,
  tag,
  prompt: '',
  preset: '',
  constant: false,
  multiline: false,
  plain: true,
});

/** Minimum captioned texts. */
const LEAST = 3;
/** Maximum texts × lines compared per sheet. */
const MOST_PAIRS = 4_000_000;
/** Maximum box size in text heights. */
const MOST_HIGH = 14;
const MOST_WIDE = 160;

/**
 * Finds cells among plain texts: boxes with a caption and a text. The caption has the smaller lettering; if equal, it is above or to the
 * left. Fewer than three boxes do not count.
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
  // An emptied text is never a caption.
  if ((a.text.trim() === '') !== (b.text.trim() === '')) return a.text.trim() === '' ? [b, a] : [a, b];
  const [low, high] = a.place.height <= b.place.height ? [a, b] : [b, a];
  if (high.place.height > low.place.height * 1.1) return [low, high];
  const sameLine = Math.abs(a.place.at.y - b.place.at.y) < low.place.height / 2;
  const first = sameLine ? a.place.at.x < b.place.at.x : a.place.at.y > b.place.at.y;
  return first ? [a, b] : [b, a];
}
