import { ViewBox } from '../contract';
import { InsertContent } from './content';
import { Outlines } from './nesting';
import { PLAIN_TEXTS } from './plain-cells';
import { Viewport, scaleOf, distanceTo, onPaper, inModel } from './views';

/** A view's scale without the noise of its last digits. */
export const plainScale = (view: Viewport): number => Number(scaleOf(view).toPrecision(12));
/** Area of a view's frame. */
export const frameArea = ({ width, height }: Viewport): number => width * height;

/** A view's frame, with the outlines of the model that it shows as a whole. */
export function boxOf(view: Viewport, model: Outlines | undefined): ViewBox {
  const { at, width, height } = view;
  const shows = view.fromAbove ? (model?.whole((point) => distanceTo(view, onPaper(view, point)) === 0) ?? []) : [];
  return { left: at.x - width / 2, bottom: at.y - height / 2, width, height, ...(shows.length ? { shows } : {}) };
}

/** A placed block with the outlines around it; on a sheet, also those of the model that a view shows there. */
export function surrounded(insert: InsertContent, own: Outlines | undefined, views: readonly Viewport[], model: Outlines | undefined): InsertContent {
  // A block of plain texts has no point of its own; the point of a nested one is not a point of the sheet.
  if (insert.madeFrom === PLAIN_TEXTS || insert.inside !== undefined) return insert;
  const around = own?.around(insert.at) ?? [];
  let index = -1;
  let nearest = Infinity;
  for (const [i, view] of views.entries()) {
    const away = distanceTo(view, insert.at);
    if (away < nearest) [index, nearest] = [i, away];
  }
  const view = views[index];
  if (!view) return around.length ? { ...insert, around } : insert;
  const through = nearest === 0 && view.fromAbove ? (model?.around(inModel(view, insert.at)) ?? []) : [];
  return { ...insert, ...(around.length ? { around } : {}), view: { index, around: through } };
}
