import { WIDTHS } from './widths';

/** Fonts that Rule ships and measures with. */
export type ShippedFont = keyof typeof WIDTHS;

/** The lettering of a text style, as a drawing names it. */
export interface TextStyle {
  /** Font file of the style, such as `isocp.shx` or `arial.ttf`; `''` where the drawing does not say. */
  readonly file: string;
  /** Family of a TrueType font, where the drawing says so. */
  readonly family?: string;
}

/** The font that Rule measures and draws a style with. */
export interface UsedFont {
  readonly font: ShippedFont;
  /** How much narrower or wider than the shipped one the named font runs. */
  readonly stretch: number;
  /** Whether the widths are those of the named font. Otherwise a measure is an estimate. */
  readonly exact: boolean;
}

/**
 * Names of fonts whose advance widths a shipped one has, and of those that come near. Stroke fonts carry no widths that are published:
 * lettering in the proportions of ISO 3098 runs narrower than the plain stroke fonts.
 */
const NEAREST: readonly (readonly [name: RegExp, font: ShippedFont, stretch: number, exact: boolean])[] = [
  [/^(arialn|arial ?narrow|liberation ?sans ?narrow|helvetica ?narrow)/, 'sans', 0.82, true],
  [/^(arial ?black|ariblk)/, 'sans', 1.2, false],
  [/^(arialbd|arialbi|ariali|arial.*(bold|italic))/, 'sans', 1.05, false],
  [/^(arial|helvetica|arimo|liberation ?sans|nimbus ?sans)/, 'sans', 1, true],
  [/^(timesbd|timesbi|timesi|times.*(bold|italic))/, 'serif', 1.05, false],
  [/^(times|tinos|liberation ?serif|nimbus ?roman)/, 'serif', 1, true],
  [/^(courbd|cour|courier|cousine|liberation ?mono|nimbus ?mono)/, 'mono', 1, true],
  [/^(monotxt|mono|consola|lucon)/, 'mono', 1, false],
  [/^(roman[dtc]|rom|italic|times|georgia|cambria|garamond|serif|dutch)/, 'serif', 1, false],
  [/^(iso|gost|din|osifont|gen(iso|txt))/, 'narrow stroke', 1, false],
  [/^(barlow ?semi)/, 'narrow stroke', 1, true],
  [/^(barlow)/, 'stroke', 1, true],
  [/\.shx$/, 'stroke', 1, false],
  [/\.(ttf|ttc|otf)$/, 'sans', 1, false],
];

/** Fonts of styles that were looked for: every text asks for the style of its cell again. */
const found = new WeakMap<TextStyle, UsedFont>();

/** The shipped font that comes nearest to what a style names. A style without any font draws with a plain stroke font, as drawings take it. */
export function fontFor(style: TextStyle): UsedFont {
  let used = found.get(style);
  if (!used) found.set(style, (used = nearestTo(style)));
  return used;
}

function nearestTo({ file, family }: TextStyle): UsedFont {
  const known = family?.trim() || file.trim();
  // A style may name its file with its folder.
  const name = known
    .toLowerCase()
    .replace(/^.*[\\/]/, '')
    .replace(/^romans(?=\.|$)/, 'simplex');
  const near = NEAREST.find(([names]) => names.test(name));
  if (near) return { font: near[1], stretch: near[2], exact: near[3] };
  return { font: family?.trim() ? 'sans' : 'stroke', stretch: 1, exact: false };
}

/** How a drawing's font is called when people are told what a measure rests on. */
export const styleName = ({ file, family }: TextStyle): string => family?.trim() || file.trim() || 'the default font';

/** The family of a shipped font, as the page knows it. */
export const familyOfFont = (font: ShippedFont): string => WIDTHS[font].family;

/** Height of the capitals of a shipped font as it is drawn, as a part of its size. */
export const capitalsOf = (font: ShippedFont): number => WIDTHS[font].drawn / 1000;

/** Codes whose widths are in a table; those of other letters are looked up. */
const COMMON = 0x250;

interface Advances {
  /** Height of the capitals of the font that is meant, in thousandths of the em. */
  readonly capitals: number;
  /** Widths of common letters, by their code; 0 for those that the font lacks. */
  readonly common: Float64Array;
  readonly widths: ReadonlyMap<number, number>;
  /** Of letters that the font lacks. */
  readonly other: number;
}

const known = new Map<ShippedFont, Advances>();

function advancesOf(font: ShippedFont): Advances {
  let advances = known.get(font);
  if (!advances) {
    const { capitals, runs } = WIDTHS[font];
    const widths = new Map<number, number>();
    for (const run of runs) {
      const colon = run.indexOf(':');
      const from = Number(run.slice(0, colon));
      for (const [i, width] of run
        .slice(colon + 1)
        .split(' ')
        .entries())
        widths.set(from + i, Number(width));
    }
    const common = Float64Array.from({ length: COMMON }, (_, code) => widths.get(code) ?? 0);
    advances = { capitals, common, widths, other: widths.get('O'.charCodeAt(0))! };
    known.set(font, advances);
  }
  return advances;
}

/** Letters of East Asian scripts are in a square. */
const SQUARE = /[\u2e80-\u9fff\uac00-\ud7af\uf900-\ufaff\uff00-\uff60]/;

/**
 * The width of one line of text: the sum of the advance widths, unkerned, which no kerning makes wider.
 *
 * @param height of its capitals, in any unit
 * @param widthFactor by which the letters are narrowed or widened
 * @returns the width in the unit of the height
 */
export function lineWidth(text: string, style: TextStyle, height: number, widthFactor = 1): number {
  const { font, stretch } = fontFor(style);
  const { capitals, common, widths, other } = advancesOf(font);
  let sum = 0;
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    if (unit < COMMON) {
      const width = common[unit]!;
      sum += width === 0 ? other : width;
      continue;
    }
    // A mark on the letter before it takes no room of its own.
    if (unit >= 0x300 && unit <= 0x36f) continue;
    const code = text.codePointAt(i)!;
    if (code > 0xffff) i++;
    sum += widths.get(code) ?? (SQUARE.test(String.fromCodePoint(code)) ? 1000 : other);
  }
  return (sum / capitals) * stretch * height * widthFactor;
}
