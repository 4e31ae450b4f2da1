import { FeelRange, FeelValue, compare } from './value';

/** Relations of points and ranges: DMN 1.4, section 10.3.4.9 ("range functions"), from memory; tests verify them by counting points. */

/** A range with both ends; a point contains only itself. */
interface Span {
  readonly low: FeelValue;
  readonly lowIn: boolean;
  readonly high: FeelValue;
  readonly highIn: boolean;
  readonly point: boolean;
}

const spanOf = (value: FeelValue): Span | null =>
  value === null
    ? null
    : value instanceof FeelRange
      ? value.low === null || value.high === null
        ? null
        : { low: value.low, lowIn: value.lowIncluded, high: value.high, highIn: value.highIncluded, point: false }
      : { low: value, lowIn: true, high: value, highIn: true, point: true };

/** Thrown if two ends are unordered. */
class NoOrder extends Error {}

function order(a: FeelValue, b: FeelValue): number {
  const found = compare(a, b);
  if (found === null) throw new NoOrder();
  return found;
}

const before = (a: Span, b: Span) => {
  const at = order(a.high, b.low);
  return at < 0 || (at === 0 && !(a.highIn && b.lowIn));
};
/** Whether a starts before b; for equal numbers an excluded start is later. */
const beginsBefore = (a: Span, b: Span) => {
  const at = order(a.low, b.low);
  return at < 0 || (at === 0 && a.lowIn && !b.lowIn);
};
const endsAfter = (a: Span, b: Span) => {
  const at = order(a.high, b.high);
  return at > 0 || (at === 0 && a.highIn && !b.highIn);
};
const overlaps = (a: Span, b: Span) => !before(a, b) && !before(b, a);
const sameStart = (a: Span, b: Span) => order(a.low, b.low) === 0 && a.lowIn === b.lowIn;
const sameEnd = (a: Span, b: Span) => order(a.high, b.high) === 0 && a.highIn === b.highIn;
const meets = (a: Span, b: Span) => a.highIn && b.lowIn && order(a.high, b.low) === 0;
const overlapsBefore = (a: Span, b: Span) => beginsBefore(a, b) && overlaps(a, b) && !endsAfter(a, b);
const includes = (a: Span, b: Span) => !beginsBefore(b, a) && !endsAfter(b, a);
const finishes = (a: Span, b: Span) => sameEnd(a, b) && !beginsBefore(a, b);
const starts = (a: Span, b: Span) => sameStart(a, b) && !endsAfter(a, b);

const RANGES = 'ranges';
const ANY_OF_BOTH = 'points and ranges';
const POINT_FIRST = 'a point or range, and a range';
const RANGE_FIRST = 'a range, and a point or range';

/** Relations by name, with operand types. */
export const RELATIONS: Readonly<Record<string, { readonly takes: string; readonly help: string; readonly holds: (a: Span, b: Span) => boolean }>> = {
  before: { takes: ANY_OF_BOTH, help: 'Whether the first lies wholly before the second.', holds: before },
  after: { takes: ANY_OF_BOTH, help: 'Whether the first lies wholly after the second.', holds: (a, b) => before(b, a) },
  meets: { takes: RANGES, help: 'Whether the first range ends where the second begins.', holds: meets },
  'met by': { takes: RANGES, help: 'Whether the first range begins where the second ends.', holds: (a, b) => meets(b, a) },
  overlaps: { takes: RANGES, help: 'Whether two ranges overlap.', holds: overlaps },
  'overlaps before': { takes: RANGES, help: 'Whether the first range begins before the second and ends inside it.', holds: overlapsBefore },
  'overlaps after': { takes: RANGES, help: 'Whether the first range begins inside the second and ends after it.', holds: (a, b) => endsAfter(a, b) && overlaps(a, b) && !beginsBefore(a, b) },
  finishes: { takes: POINT_FIRST, help: 'Whether the first ends where the second ends.', holds: finishes },
  'finished by': { takes: RANGE_FIRST, help: 'Whether the second ends where the first ends.', holds: (a, b) => finishes(b, a) },
  includes: { takes: RANGE_FIRST, help: 'Whether the first range includes the second.', holds: includes },
  during: { takes: POINT_FIRST, help: 'Whether the second range includes the first.', holds: (a, b) => includes(b, a) },
  starts: { takes: POINT_FIRST, help: 'Whether the first begins where the second begins.', holds: starts },
  'started by': { takes: RANGE_FIRST, help: 'Whether the second begins where the first begins.', holds: (a, b) => starts(b, a) },
  coincides: { takes: ANY_OF_BOTH, help: 'Whether both are the same.', holds: (a, b) => a.point === b.point && sameStart(a, b) && sameEnd(a, b) },
}; // prettier-ignore

/** Whether a relation holds; `null` for wrong or unordered operands. */
export function relate(name: string, a: FeelValue, b: FeelValue): boolean | null {
  const { takes, holds } = RELATIONS[name]!;
  const [x, y] = [spanOf(a), spanOf(b)];
  if (!x || !y) return null;
  if ((takes === RANGES || takes === RANGE_FIRST) && x.point) return null;
  if ((takes === RANGES || takes === POINT_FIRST) && y.point) return null;
  try {
    return holds(x, y);
  } catch (error) {
    if (error instanceof NoOrder) return null;
    throw error;
  }
}
