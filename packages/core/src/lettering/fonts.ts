import { WIDTHS } from './widths';

/** Fonts Rule ships and measures with. */
export type ShippedFont = keyof typeof WIDTHS;

/** Lettering of a text style. */
export interface TextStyle {
  /** Font file, such as `isocp.shx` or `arial.ttf`; `''` if not given. */
  readonly file: string;
  /** TrueType family, if given. */
  readonly family?: string;
}

/** The font used to measure and draw a style. */
export interface UsedFont {
  readonly font: ShippedFont;
  /** Width relative to the shipped font. */
  readonly stretch: number;
  /** Whether the widths are the named font's; otherwise measurements are estimates. */
  readonly exact: boolean;
}

/**
 * Font names metrically equal or close to a shipped font. Stroke fonts have no published widths: ISO 3098 proportions run narrower than
 * plain stroke fonts.
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

/** Cached fonts of styles. */
const found = new WeakMap<TextStyle, UsedFont>();

/** The closest shipped font. A style without a font uses a plain stroke font. */
export function fontFor(style: TextStyle): UsedFont {
  let used = found.get(style);
  if (!used) found.set(style, (used = nearestTo(style)));
  return used;
}

function nearestTo({ file, family }: TextStyle): UsedFont {
  const known = family?.trim() || file.trim();
  // The font file may include its folder.
  const name = known
    .toLowerCase()
    .replace(/^.*[\\/]/, '')
    .replace(/^romans(?=\.|$)/, 'simplex');
  const near = NEAREST.find(([names]) => names.test(name));
  if (near) return { font: near[1], stretch: near[2], exact: near[3] };
  return { font: family?.trim() ? 'sans' : 'stroke', stretch: 1, exact: false };
}

/** The font's name where a measurement's basis is explained. */
export const styleName = ({ file, family }: TextStyle): string => family?.trim() || file.trim() || 'the default font';

/** CSS family of a shipped font. */
export const familyOfFont = (font: ShippedFont): string => WIDTHS[font].family;

/** Cap height of a shipped font relative to its size. */
export const capitalsOf = (font: ShippedFont): number => WIDTHS[font].drawn / 1000;

/** Codes with tabulated widths; others are looked up. */
const COMMON = 0x250;

interface Advances {
  /** Cap height of the intended font, in thousandths of an em. */
  readonly capitals: number;
  /** Widths of common characters by code; 0 if missing. */
  readonly common: Float64Array;
  readonly widths: ReadonlyMap<number, number>;
  /** For missing characters. */
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

/** East Asian characters are square. */
const SQUARE = /[\u2e80-\u9fff\uac00-\ud7af\uf900-\ufaff\uff00-\uff60]/;

/**
 * Width of a line: the sum of advance widths without kerning, an upper bound.
 * @param height cap height, in any unit
 * @param widthFactor horizontal scale of the lettering
 * @returns width in the unit of the height
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
    // Combining marks have no width.
    if (unit >= 0x300 && unit <= 0x36f) continue;
    const code = text.codePointAt(i)!;
    if (code > 0xffff) i++;
    sum += widths.get(code) ?? (SQUARE.test(String.fromCodePoint(code)) ? 1000 : other);
  }
  return (sum / capitals) * stretch * height * widthFactor;
}
