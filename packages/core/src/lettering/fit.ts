import { CellDefinition, CellRoom } from '../files';
import { TextStyle, lineWidth } from './fonts';

/**
 * Nominal lettering heights in millimetres (ISO 3098-1:2015): 1.8, 2.5, 3.5, 5, 7, 10, 14 and 20 mm, in steps of √2 (figures from memory,
 * as in handbooks).
 */
export const ISO_HEIGHTS = [1.8, 2.5, 3.5, 5, 7, 10, 14, 20] as const;

/** Lettering heights of inch drawings: 1/16, 3/32, 1/8, 5/32, 3/16 and 1/4 inch (common practice). */
export const INCH_HEIGHTS = [1 / 16, 3 / 32, 1 / 8, 5 / 32, 3 / 16, 1 / 4] as const;

/** What can be done for text that does not fit. */
export const FIT_STEPS = ['lower height', 'narrower letters', 'second line', 'abbreviations'] as const;
export type FitStep = (typeof FIT_STEPS)[number];

/** A word and its abbreviation. */
export interface Abbreviation {
  readonly word: string;
  readonly short: string;
}

/** Permitted steps for text that does not fit, in order. */
export interface FitRule {
  readonly steps: readonly FitStep[];
  /** Minimum width factor. */
  readonly narrowest: number;
  readonly abbreviations: readonly Abbreviation[];
}

/** The default rule for cells. */
export const PLAIN_FIT: FitRule = { steps: ['lower height', 'narrower letters'], narrowest: 0.75, abbreviations: [] };

/** Lettering of a cell on a sheet: cap height in drawing units, width factor. */
export interface Lettering {
  readonly height: number;
  readonly widthFactor: number;
}

/** A cell's geometry for fitting, in drawing units of the sheet. */
export interface FitCell extends Lettering {
  readonly style: TextStyle;
  readonly align: CellDefinition['align'];
  readonly valign: CellDefinition['valign'];
  /** Text between two points is stretched by the drawing to fill them. */
  readonly between: number | null;
  readonly multiline: boolean;
  readonly room: CellRoom;
  /** Permitted smaller heights, in drawing units. */
  readonly series: readonly number[];
}

/** How text fits its cell, and a remedy. */
export interface Fit {
  /** Text width ÷ available width; above 1 does not fit. `null` if the cell is open. */
  readonly ratio: number | null;
  /** The widths in drawing units. */
  readonly needs: number;
  readonly has: number | null;
  /** The remedy; `null` if it fits or none helps. */
  readonly remedy: Remedy | null;
}

/** Text and lettering that fit, and the steps used. */
export interface Remedy extends Lettering {
  readonly text: string;
  readonly by: readonly FitStep[];
}

/** Baseline distance of multi-line text: five thirds of the cap height, as in single spacing. */
const LINE_SPACING = 5 / 3;

/** Tolerance; borderline text counts as fitting. */
const SLACK = 1.001;

/** Lettering lines are a tenth of the height (ISO 3098-1, type B); the same margin stays free (common practice). */
const gapOf = (height: number) => height / 10;

/** Available width at a height; `null` if a relevant side is open. */
export function widthOf({ align, between, room }: Pick<FitCell, 'align' | 'between' | 'room'>, height: number): number | null {
  if (between !== null) return between;
  const gap = gapOf(height);
  const { left, right } = room;
  switch (align) {
    case 'left':
      return right === null ? null : right - gap;
    case 'right':
      return left === null ? null : left - gap;
    case 'centre':
      return left === null && right === null ? null : 2 * Math.min(left ?? Infinity, right ?? Infinity) - 2 * gap;
  }
}

const widest = (text: string, style: TextStyle, height: number, widthFactor: number): number =>
  text.includes('\n') ? Math.max(...text.split('\n').map((line) => lineWidth(line, style, height, widthFactor))) : lineWidth(text, style, height, widthFactor);

/** Lines of a height that the cell has room for; one if its bottom is unknown. */
function linesOf({ room, valign }: Pick<FitCell, 'room' | 'valign'>, height: number): number {
  if (room.below === null || room.above === null) return 1;
  const free = valign === 'top' ? room.below : room.below + room.above;
  return Math.max(1, Math.floor((free - 2 * gapOf(height) - height) / (LINE_SPACING * height)) + 1);
}

/** Ratio for a cell without room. */
const HOPELESS = 1e6;

/** Text width ÷ available width. */
function measure(
  text: string,
  cell: FitCell,
  { height, widthFactor }: Lettering,
  narrowest: number,
): { ratio: number | null; needs: number; has: number | null } {
  // Text between two points is compressed; it does not fit below the minimum width factor.
  const needs = widest(text, cell.style, height, cell.between === null ? widthFactor : narrowest);
  const has = widthOf(cell, height);
  const ratio = has === null ? null : has <= 0 ? HOPELESS : needs / has;
  if (!text.includes('\n')) return { ratio, needs, has };
  const lines = text.split('\n').length;
  return { ratio: lines > 1 && lines > linesOf(cell, height) ? Math.max(ratio ?? 0, lines / linesOf(cell, height)) : ratio, needs, has };
}

/** An abbreviation in the word's case: capitals stay capitals. */
const like = (short: string, word: string): string => (word === word.toUpperCase() && word !== word.toLowerCase() ? short.toUpperCase() : short);

const escaped = (word: string): string => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** Replaces every whole-word occurrence of one abbreviation. */
export const abbreviate = (text: string, { word, short }: Abbreviation): string =>
  text.replace(new RegExp(`(?<![\\p{L}\\p{N}])${escaped(word)}(?![\\p{L}\\p{N}])`, 'giu'), (found) => like(short, found));

/** All abbreviated forms, longest first. */
export function shorterForms(text: string, abbreviations: readonly Abbreviation[]): string[] {
  const forms: string[] = [];
  let short = text;
  for (const abbreviation of abbreviations) {
    const next = abbreviate(short, abbreviation);
    if (next !== short) forms.push(next);
    short = next;
  }
  return forms;
}

/** Whether the cell's text is a permitted form of the expected one: broken into lines or abbreviated. */
export function agrees(stored: string, text: string, rule: FitRule): boolean {
  const joined = rule.steps.includes('second line') ? stored.replace(/\s*\n\s*/g, ' ') : stored;
  if (joined === text) return true;
  return rule.steps.includes('abbreviations') && shorterForms(text, rule.abbreviations).includes(joined);
}

/** Breaks text at blanks into the fewest lines that fit; `null` if impossible. */
function broken(text: string, fits: (text: string) => boolean, most: number): string | null {
  const words = text.split(/\s+/).filter((word) => word !== '');
  const lines: string[] = [];
  for (const word of words) {
    const longer = lines.length ? `${lines.at(-1)} ${word}` : word;
    if (lines.length && fits(longer)) lines[lines.length - 1] = longer;
    else if (fits(word)) lines.push(word);
    else return null;
  }
  return lines.length <= most ? lines.join('\n') : null;
}

/** Width factors are multiples of 0.05. */
const FACTOR_STEP = 0.05;

/** How text fits its cell, and the first step or combination of steps that makes it fit. */
export function fitOf(text: string, cell: FitCell, rule: FitRule): Fit {
  const now: Lettering = { height: cell.height, widthFactor: cell.widthFactor };
  const { ratio, needs, has } = measure(text, cell, now, rule.narrowest);
  if (ratio === null || ratio <= SLACK) return { ratio, needs, has, remedy: null };
  type State = Remedy;
  const fits = ({ text: shown, height, widthFactor }: Omit<State, 'by'>): boolean => {
    const { ratio: then } = measure(shown, cell, { height, widthFactor }, rule.narrowest);
    return then === null || then <= SLACK;
  };
  /** States reachable by a step, mildest first. */
  const take = (step: FitStep, from: State): State[] => {
    const by = [...from.by, step];
    switch (step) {
      case 'lower height':
        return cell.series
          .filter((height) => height < from.height * 0.999)
          .sort((a, b) => b - a)
          .map((height): State => ({ text: from.text, height, widthFactor: from.widthFactor, by }));
      case 'narrower letters': {
        // Multi-line text is narrowed only by inline codes, which Rule does not add.
        if (cell.between !== null || cell.multiline) return [];
        const { ratio: still } = measure(from.text, cell, from, rule.narrowest);
        if (still === null || from.widthFactor <= rule.narrowest) return [];
        const factor = Math.max(rule.narrowest, Math.floor(from.widthFactor / still / FACTOR_STEP + 1e-9) * FACTOR_STEP);
        return [{ text: from.text, height: from.height, widthFactor: Number(factor.toFixed(4)), by }];
      }
      case 'second line': {
        if (!cell.multiline) return [];
        const lines = broken(from.text, (line) => fits({ ...from, text: line }), linesOf(cell, from.height));
        return lines === null ? [] : [{ ...from, text: lines, by }];
      }
      case 'abbreviations':
        return shorterForms(from.text, rule.abbreviations).map((short) => ({ ...from, text: short, by }));
    }
  };
  const start: State = { text, height: cell.height, widthFactor: cell.widthFactor, by: [] };
  for (const step of rule.steps) {
    const found = take(step, start).find(fits);
    if (found) return { ratio, needs, has, remedy: found };
  }
  let state = start;
  for (const step of rule.steps) {
    const states = take(step, state);
    const found = states.find(fits);
    if (found) return { ratio, needs, has, remedy: found };
    state = states.at(-1) ?? state;
  }
  return { ratio, needs, has, remedy: null };
}

/** Heights below this cannot be millimetres. */
const INCH_LETTERING = 0.75;

/** Unit of lettering: the drawing's, or guessed from the height. */
export const letteringUnit = (unit: string | null, height: number): 'in' | 'mm' =>
  unit === 'in' || unit === 'ft' || ((unit === null || unit === 'mm') && height < INCH_LETTERING) ? 'in' : 'mm';

/**
 * The height series for a cell, in its block's unit.
 * @param perUnit length of the block's unit in the series' unit; 1 for sheets drawn in millimetres or inches
 */
export const seriesFor = (unit: 'in' | 'mm', perUnit = 1): number[] => (unit === 'in' ? INCH_HEIGHTS : ISO_HEIGHTS).map((height) => height / perUnit);

/** A lettering height in words: 3/32" on inch drawings, otherwise 2.5 mm. */
export function heightText(height: number, unit: 'in' | 'mm'): string {
  if (unit === 'in') {
    const parts = Math.round(height * 64);
    if (Math.abs(parts - height * 64) < 0.02 && parts > 0) {
      let [above, below] = [parts, 64];
      while (above % 2 === 0) [above, below] = [above / 2, below / 2];
      return below === 1 ? `${above}"` : `${above}/${below}"`;
    }
    return `${Number(height.toPrecision(4))}"`;
  }
  return `${Number(height.toPrecision(4))} mm`;
}
