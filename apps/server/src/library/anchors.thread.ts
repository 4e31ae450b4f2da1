import { Anchor, FileError, anchorName } from '@rule/core/files';
import { DrawingText, PLAIN_FAMILY, openDxf } from '@rule/core/files/dxf';
import { readPlain } from '../platform/plain-file';

declare module '../platform/pool' {
  interface Tasks {
    readonly findTexts: (input: Parameters<typeof findTexts>[0]) => ReturnType<typeof findTexts>;
  }
}

/** Which texts of a drawing are looked for. Layouts limit all but the exact one; `null` for all. */
export type Wanted =
  | { readonly by: 'name'; readonly name: string }
  /** Texts of about the same height at the same point, on sheets. */
  | { readonly by: 'place'; readonly x: number; readonly y: number; readonly height: number }
  /** Texts of a layer that differ in their numbers alone. */
  | { readonly by: 'form'; readonly layer: string; readonly form: string; readonly inModel: boolean };

/** A text found. */
export interface FoundText {
  readonly name: string;
  readonly layout: string;
  readonly layer: string;
  readonly text: string;
  readonly x: number;
  readonly y: number;
  readonly height: number;
  readonly formatted: boolean;
  readonly anchor: Anchor | null;
  /** Whether another text stands at the same point. */
  readonly several: boolean;
}

/** Texts of one drawing, and the names of the cells that its sheets have; or why it cannot be read. */
export type TextsOf =
  | { readonly file: number; readonly texts: readonly FoundText[]; readonly cells: readonly { readonly layout: string; readonly tag: string }[] }
  | { readonly file: number; readonly problem: string };

/** A text without its numbers and blanks. */
export const formOf = (text: string): string =>
  text
    .toLowerCase()
    .replace(/\d+(?:[.,]\d+)*/g, '#')
    .replace(/\s+/g, '');

/** Heights that differ less than this count as equal. */
const SAME_HEIGHT = 0.1;
/** Points nearer than this, in letter heights, count as one. */
const SAME_POINT = 0.5;

function isWanted(text: DrawingText, wanted: Wanted, layouts: readonly string[] | null): boolean {
  if (wanted.by === 'name') return anchorName(text) === wanted.name;
  if (text.text.trim() === '' || (layouts !== null && !layouts.includes(text.layout))) return false;
  if (wanted.by === 'form')
    return text.layer.toLowerCase() === wanted.layer.toLowerCase() && (text.layout === 'model') === wanted.inModel && formOf(text.text) === wanted.form;
  const { height, at } = text.place;
  return Math.abs(height - wanted.height) <= SAME_HEIGHT * wanted.height && Math.hypot(at.x - wanted.x, at.y - wanted.y) <= SAME_POINT * wanted.height;
}

/** Finds texts in drawings. */
export async function findTexts(input: {
  readonly files: readonly { readonly file: number; readonly full: string; readonly layouts: readonly string[] | null }[];
  readonly wanted: Wanted;
}): Promise<TextsOf[]> {
  const found: TextsOf[] = [];
  for (const { file, full, layouts } of input.files)
    try {
      const { texts, inserts } = openDxf(await readPlain(full), false);
      const times = new Map<string, number>();
      for (const text of texts) times.set(anchorName(text), (times.get(anchorName(text)) ?? 0) + 1);
      found.push({
        file,
        texts: texts
          .filter((text) => isWanted(text, input.wanted, layouts))
          .map((text) => ({
            name: anchorName(text),
            layout: text.layout,
            layer: text.layer,
            text: text.text,
            x: text.at.x,
            y: text.at.y,
            height: text.place.height,
            formatted: text.formatted,
            anchor: text.anchor,
            several: times.get(anchorName(text))! > 1,
          })),
        cells: inserts
          .filter((insert) => insert.madeFrom?.toLowerCase() === PLAIN_FAMILY)
          .flatMap(({ layout, cells }) => cells.map(({ tag }) => ({ layout, tag }))),
      });
    } catch (error) {
      if (error instanceof FileError) found.push({ file, problem: error.message });
      else if ((error as NodeJS.ErrnoException).code !== undefined)
        found.push({ file, problem: `The file cannot be read (${(error as NodeJS.ErrnoException).code}).` });
      else throw error;
    }
  return found;
}
