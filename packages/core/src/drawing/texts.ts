import { Point } from '../files';
import { TextStyle, lineWidth } from '../lettering';
import { IDENTITY, Matrix, radians, shift, times, turn } from './matrix';

/** Lettering of a text. */
export interface TextSettings {
  readonly height: number;
  readonly widthFactor: number;
  /** Oblique angle in degrees. */
  readonly oblique: number;
  readonly style: TextStyle;
}

/** A text line in its own coordinates: transformation from unit capital height, and its length. */
export interface SetLine {
  readonly text: string;
  readonly matrix: Matrix;
  readonly length: number;
  /** Part of its length before the insertion point; `null` for fitted lines. */
  readonly anchor: number | null;
}

/** Descender depth, in text heights (common practice). */
const BELOW = 1 / 3;

/** Height, width and obliqueness. */
const lettering = ({ height, widthFactor, oblique }: TextSettings): Matrix => [height * widthFactor, 0, height * Math.tan(radians(oblique)), height, 0, 0];

const lengthOf = (text: string, style: TextStyle): number => lineWidth(text, style, 1, 1);

/** Alignment of a single line, by DXF codes 72 and 73 (74 for attributes). */
export interface LinePlace {
  readonly first: Point;
  readonly second: Point;
  readonly horizontal: number;
  readonly vertical: number;
  /** In degrees. */
  readonly rotation: number;
  /** Whether it is backwards or upside down. */
  readonly backwards: boolean;
  readonly upsideDown: boolean;
}

/** Lays out a single line. */
export function setLine(text: string, settings: TextSettings, place: LinePlace): SetLine {
  const length = lengthOf(text, settings.style);
  const { first, second, horizontal, vertical } = place;
  const mirror: Matrix = [place.backwards ? -1 : 1, 0, 0, place.upsideDown ? -1 : 1, 0, 0];
  if (horizontal === 3 || horizontal === 5) {
    const [dx, dy] = [second.x - first.x, second.y - first.y];
    const room = Math.hypot(dx, dy);
    const natural = length * settings.height * settings.widthFactor;
    const factor = natural > 0 && room > 0 ? room / natural : 1;
    // Aligned text keeps its proportions; fitted text keeps its height.
    const fitted = horizontal === 3 ? { ...settings, height: settings.height * factor } : { ...settings, widthFactor: settings.widthFactor * factor };
    return { text, length, anchor: null, matrix: times(times(shift(first.x, first.y), turn(Math.atan2(dy, dx))), times(mirror, lettering(fitted))) };
  }
  const at = horizontal !== 0 || vertical !== 0 ? second : first;
  const width = length * settings.height * settings.widthFactor;
  const anchor = horizontal === 1 || horizontal === 4 ? 0.5 : horizontal === 2 ? 1 : 0;
  const left = -width * anchor;
  // Middle (horizontal 4) includes descenders; middle (vertical 2) does not.
  const up = settings.height * (horizontal === 4 ? -(1 - BELOW) / 2 : vertical === 2 ? -0.5 : vertical === 3 ? -1 : vertical === 1 ? BELOW : 0);
  const placed = times(shift(at.x, at.y), times(turn(radians(place.rotation)), times(mirror, shift(left, up))));
  return { text, length, anchor, matrix: times(placed, lettering(settings)) };
}

/** A multi-line text: attachment (71: 1 top left to 9 bottom right), width and direction. */
export interface ParagraphPlace {
  readonly at: Point;
  readonly attachment: number;
  readonly width: number;
  /** Direction in radians. */
  readonly angle: number;
  /** Line spacing factor. */
  readonly spacing: number;
}

const LINE_SPACING = 5 / 3;

/** Lays out a multi-line text, wrapping at spaces. */
export function setParagraph(text: string, settings: TextSettings, { at, attachment, width, angle, spacing }: ParagraphPlace): SetLine[] {
  const scale = settings.height * settings.widthFactor;
  const lines = text.split('\n').flatMap((paragraph) => {
    if (width <= 0) return [paragraph];
    const broken: string[] = [];
    for (const word of paragraph.split(' ')) {
      const longer = broken.length ? `${broken.at(-1)} ${word}` : word;
      if (broken.length && lengthOf(longer, settings.style) * scale <= width * 1.001) broken[broken.length - 1] = longer;
      else broken.push(word);
    }
    return broken;
  });
  const step = settings.height * LINE_SPACING * (spacing || 1);
  const total = settings.height + (lines.length - 1) * step;
  const column = (attachment - 1) % 3;
  const row = Math.floor((attachment - 1) / 3);
  // First baseline, relative to the attachment point.
  const top = row === 0 ? -settings.height : row === 1 ? total / 2 - settings.height : total - settings.height;
  const placed = times(shift(at.x, at.y), angle === 0 ? IDENTITY : turn(angle));
  return lines.flatMap((line, i) => {
    if (line.trim() === '') return [];
    const length = lengthOf(line, settings.style);
    const anchor = column / 2;
    const left = -length * scale * anchor;
    return [{ text: line, length, anchor, matrix: times(times(placed, shift(left, top - i * step)), lettering(settings)) }];
  });
}

/** A line with other text and lettering factors, in the same place. */
export function resetLine(line: SetLine, style: TextStyle, text: string, higher = 1, wider = 1): SetLine {
  const length = lengthOf(text, style);
  if (line.anchor === null) {
    // Fitted lines keep filling their width.
    const factor = length > 0 && line.length > 0 ? line.length / length : 1;
    return { ...line, text, length, matrix: times(line.matrix, [factor, 0, 0, higher, 0, 0]) };
  }
  const [x, y] = [higher * wider, higher];
  const left = line.length * line.anchor - length * line.anchor * x;
  return { ...line, text, length, matrix: times(line.matrix, [x, 0, 0, y, left, 0]) };
}
