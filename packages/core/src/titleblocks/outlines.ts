import { InsertReading, OutlineReading, SheetReading } from '../files';
import { CellForm, OUTLINE_FACTS, PLAIN_OUTLINES } from '../schema';
import { PLAIN_FORM, convert, findUnit } from '../values';
import { CellText } from './binding';
import { formed } from './form';

/** Outlines of a layer added up; in drawing units. */
export interface LayerOutlines {
  readonly layer: string;
  readonly area: number;
  /** Area without the outlines nested in others: those inside a hole count again. */
  readonly net: number;
  readonly length: number;
}

/** An outline around a cell; in drawing units. */
export interface SurroundingOutline {
  readonly layer: string;
  readonly area: number;
  readonly length: number;
  /** Area and length of the outlines of its layer directly inside; absent if there are none. */
  readonly holes?: { readonly area: number; readonly length: number };
}

/** What a placed block stands in. */
export interface PlacedOutlines {
  /** Smallest first; on a sheet, those of the model seen through its view come before the sheet's own. */
  readonly around: readonly SurroundingOutline[];
  /** The view of its sheet: its scale, and what it shows as a whole. */
  readonly view: { readonly scale: number; readonly layers: readonly LayerOutlines[] } | null;
}

/** Adds outlines up by layer. @param only indices; all if absent */
export function layerOutlines(outlines: readonly OutlineReading[], only?: readonly number[]): LayerOutlines[] {
  const layers = new Map<string, { layer: string; area: number; net: number; length: number }>();
  for (const index of only ?? outlines.keys()) {
    const { layer, area, length = 0 } = outlines[index]!;
    let depth = 0;
    for (let at = outlines[index]!.within ?? null; at !== null && depth <= outlines.length; at = outlines[at]!.within ?? null) depth++;
    const key = layer.trim().toLowerCase();
    const sum = layers.get(key) ?? { layer, area: 0, net: 0, length: 0 };
    sum.area += area;
    sum.net += depth % 2 === 1 ? -area : area;
    sum.length += length;
    layers.set(key, sum);
  }
  return [...layers.values()];
}

/** The outlines whose totals count for a layout: the model's, or its own if the model has none. */
export function countedOutlines(layout: string, sheets: readonly SheetReading[]): readonly OutlineReading[] {
  const model = sheets.find((sheet) => sheet.layout === 'model')?.outlines ?? [];
  return model.length ? model : (sheets.find((sheet) => sheet.layout === layout)?.outlines ?? []);
}

function surrounding(outlines: readonly OutlineReading[], index: number): SurroundingOutline {
  const { layer, area, length = 0 } = outlines[index]!;
  const inside = outlines.filter((other) => other.within === index);
  const sum = (of: (outline: OutlineReading) => number) => inside.reduce((total, outline) => total + of(outline), 0);
  return { layer, area, length, ...(inside.length ? { holes: { area: sum((one) => one.area), length: sum((one) => one.length ?? 0) } } : {}) };
}

/** What a placed block stands in; `null` for neither outlines nor views. */
export function placedOutlines(
  { layout, around = [], view }: Pick<InsertReading, 'layout' | 'around' | 'view'>,
  sheets: readonly SheetReading[],
): PlacedOutlines | null {
  if (around.length === 0 && view === undefined) return null;
  const own = sheets.find((sheet) => sheet.layout === layout);
  const model = sheets.find((sheet) => sheet.layout === 'model')?.outlines ?? [];
  const scale = view === undefined ? undefined : own?.scales[view.index];
  return {
    around: [...(view?.around ?? []).map((index) => surrounding(model, index)), ...around.map((index) => surrounding(own?.outlines ?? [], index))],
    view: scale === undefined ? null : { scale, layers: layerOutlines(model, own?.views?.[view!.index]?.shows ?? []) },
  };
}

/** Facts that are measured on outlines. */
export type OutlineFact = (typeof OUTLINE_FACTS)[number];

const blank = (why: string): CellText => ({ state: 'blank', placeholder: '', why });
const key = (layer: string): string => layer.trim().toLowerCase();

/** Default units of a drawing in metres or in inches. */
const usualUnit = (fact: OutlineFact, unit: string): string => {
  const inches = ['in', 'ft', 'yd', 'mil'].includes(unit);
  return fact === 'outline area' ? (inches ? 'ft²' : 'm²') : inches ? 'ft' : 'm';
};

/** Decimals unless a form says otherwise. */
const DECIMALS = 2;

/**
 * Area or length of a cell's outlines, in the form of the cell.
 * @param placed what the block stands in
 * @param layers totals of the drawing
 * @param unit the drawing's unit, if stated
 */
export function outlineText(fact: OutlineFact, placed: PlacedOutlines | null, layers: readonly LayerOutlines[], unit: string | null, form: CellForm): CellText {
  const { of, layer, holes, unit: otherwise } = form.outlines ?? PLAIN_OUTLINES;
  const wanted = key(layer);
  const onLayer = layer.trim() === '' ? '' : ` on the layer ${layer.trim()}`;
  let size: { readonly area: number; readonly length: number } | undefined;
  if (of === 'around the cell') {
    const outline = placed?.around.find((one) => wanted === '' || key(one.layer) === wanted);
    if (!outline) return blank(`no closed outline${onLayer} surrounds the block`);
    const inner = holes ? outline.holes : undefined;
    size = inner ? { area: outline.area - inner.area, length: outline.length + inner.length } : outline;
  } else {
    if (of === 'in its view' && !placed?.view) return blank('the sheet has no view that the block belongs to');
    const among = of === 'in its view' ? placed!.view!.layers : layers;
    const sum = among.find((one) => key(one.layer) === wanted);
    if (!sum) return blank(`${of === 'in its view' ? 'its view shows' : 'the drawing has'} no closed outline${onLayer}`);
    size = { area: holes ? sum.net : sum.area, length: sum.length };
  }
  const side = unit ?? otherwise ?? null;
  if (side === null || findUnit(side)?.quantity !== 'length') return blank('the drawing does not state its unit');
  const shown = form.inUnit ?? usualUnit(fact, side);
  const metres = convert(1, side, 'm');
  const value = fact === 'outline area' ? convert(size.area * metres * metres, 'm²', shown) : convert(size.length * metres, 'm', shown);
  const decimals = form.decimals ?? DECIMALS;
  const property = { type: 'number', unit: shown, decimals, words: null, form: PLAIN_FORM } as const;
  // Sums of doubles are noisy in the last digits.
  return { state: 'value', text: formed(Number(value.toPrecision(12)), property, { ...form, decimals, inUnit: shown }) };
}
