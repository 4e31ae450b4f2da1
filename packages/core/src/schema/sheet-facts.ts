import { SheetFacts } from './facts';
import { SheetArea } from './property';

/** A scale as on drawings (ISO 5455; form from memory): `1:2`, `5:1`. */
export function scaleText(scale: number): string {
  const round = (n: number) => String(Number(n.toPrecision(6)));
  return scale >= 1 ? `${round(scale)}:1` : `1:${round(1 / scale)}`;
}

/** The defined area in m²; `null` if the sheet lacks the outline. */
export function areaOn({ outlines, labels }: Pick<SheetFacts, 'outlines' | 'labels'>, area: SheetArea): number | null {
  const named = area.layer.trim().toLowerCase();
  const onLayer = (index: number) => named === '' || outlines[index]!.layer.trim().toLowerCase() === named;
  /** Own area minus holes; areas inside holes are not subtracted again. */
  const net = (index: number): number =>
    outlines[index]!.area - (area.holes ? outlines.reduce((sum, outline) => sum + (outline.within === index ? outline.area : 0), 0) : 0);
  let sum: number;
  if (area.of === 'around a text') {
    const text = area.text.trim().toLowerCase();
    const label = labels.find((candidate) => candidate.text.trim().toLowerCase() === text && candidate.outlines.some(onLayer));
    if (text === '' || !label) return null;
    sum = net(label.outlines.find(onLayer)!);
  } else {
    if (named === '') return null;
    const own = outlines.map((_, index) => index).filter(onLayer);
    if (own.length === 0) return null;
    if (area.of === 'largest of a layer') sum = net(own.reduce((best, index) => (outlines[index]!.area > outlines[best]!.area ? index : best)));
    else {
      /** Number of surrounding outlines; with holes, odd means hole. */
      const depth = (index: number): number => {
        let count = 0;
        for (let at = outlines[index]!.within; at !== null && count <= outlines.length; at = outlines[at]!.within) count++;
        return count;
      };
      sum = own.reduce((total, index) => total + (area.holes && depth(index) % 2 === 1 ? -1 : 1) * outlines[index]!.area, 0);
    }
  }
  // Sums of doubles are noisy in the last digits.
  return Number(sum.toPrecision(12));
}
