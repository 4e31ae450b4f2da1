import { likenessKey } from '../schema';
import { HeldValue, convert, findUnit, readHeld } from '../values';

/** Kernel results for a solid, in millimetres. */
export interface Solid {
  readonly volume: number;
  readonly area: number;
  readonly centroid: readonly [number, number, number];
  /** Sides of the smallest box, longest first; absent if measured by an older version. */
  readonly size?: readonly [number, number, number];
}

/** Kernel results for a product, in millimetres; totals over its solids. */
export interface Shape extends Solid {
  readonly box: { readonly min: readonly [number, number, number]; readonly max: readonly [number, number, number] };
  readonly bodies: readonly Solid[];
}

/** Volume in mm³ × density in kg/m³, in kilograms. */
export const massOf = (volume: number, density: number): number => volume * 1e-9 * density;

/** Density in kg/m³; `null` if its unit is unknown. */
export function densityOf(held: HeldValue | null): number | null {
  if (!held?.unit || findUnit(held.unit)?.quantity !== 'density') return null;
  const n = Number(held.text);
  return Number.isFinite(n) && n > 0 ? convert(n, held.unit, 'kg/m³') : null;
}

/** Density of a material from the company's table; names are compared ignoring case and blanks. */
export function densityIn(table: readonly { readonly material: string; readonly density: number }[], material: string | null): number | null {
  if (!material) return null;
  const key = likenessKey(material);
  return table.find((row) => likenessKey(row.material) === key)?.density ?? null;
}

/** How a written mass compares with the computed one. */
export interface MassJudgement {
  readonly state: 'agrees' | 'stale' | 'not written' | 'not computed' | 'unreadable';
  /** In kilograms. */
  readonly written: number | null;
  readonly computed: number | null;
}

/** Tolerance for rounded densities and tables. */
const TOLERANCE = 5e-4;

/**
 * Compares a written mass with the computed one. They agree if equal at the written decimals or within 0.05 %. `unit` applies to numbers
 * without one.
 */
export function judgeMass(held: HeldValue | null, unit: string, computed: number | null): MassJudgement {
  if (held === null || held.text.trim() === '') return { state: 'not written', written: null, computed };
  const parsed = readHeld(held, { type: 'number', unit });
  if (!parsed.ok) return { state: 'unreadable', written: null, computed };
  const written = convert(parsed.value as number, unit, 'kg');
  if (computed === null) return { state: 'not computed', written, computed };
  const decimals = /[.,](\d+)/.exec(held.text)?.[1]?.length ?? 0;
  const step = convert(10 ** -decimals, held.unit ?? /[^\d\s.,+-].*$/.exec(held.text)?.[0] ?? unit, 'kg');
  const off = Math.abs(written - computed);
  return { state: off <= step / 2 + 1e-12 || off <= TOLERANCE * computed ? 'agrees' : 'stale', written, computed };
}

/** How a model's material compares with the property's. */
export type MaterialJudgement = 'agree' | 'differ in wording' | 'differ' | 'only in the model' | 'only in the property' | 'neither';

export function judgeMaterial(model: string | null, property: string | null): MaterialJudgement {
  if (!model) return property ? 'only in the property' : 'neither';
  if (!property) return 'only in the model';
  if (model === property) return 'agree';
  const squeeze = (text: string) => likenessKey(text).replace(/[^\p{L}\p{N}]/gu, '');
  return squeeze(model) === squeeze(property) ? 'differ in wording' : 'differ';
}

/** Input for an assembly's mass. */
export interface MassNode {
  /** Mass per piece in kilograms, if known directly. */
  readonly own: number | null;
  /** Placed pieces; empty for parts. */
  readonly children: readonly { readonly key: string; readonly label: string; readonly times: number }[];
}

/** A mass and what it lacks. */
export interface SummedMass {
  readonly mass: number | null;
  /** Labels of pieces of unknown mass. */
  readonly missing: readonly string[];
}

/** Mass of a tree: each piece's own mass if known, otherwise the sum of its pieces. A piece containing itself is reported as missing. */
export function sumMass(key: string, nodeOf: (key: string) => MassNode | undefined): SummedMass {
  const known = new Map<string, SummedMass>();
  const visit = (at: string, label: string, above: ReadonlySet<string>): SummedMass => {
    const before = known.get(at);
    if (before) return before;
    const node = above.has(at) ? undefined : nodeOf(at);
    let result: SummedMass;
    if (!node || (node.own === null && node.children.length === 0)) result = { mass: null, missing: [label] };
    else if (node.own !== null) result = { mass: node.own, missing: [] };
    else {
      const inside = new Set([...above, at]);
      const parts = node.children.map((child) => ({ ...visit(child.key, child.label, inside), times: child.times }));
      const missing = [...new Set(parts.flatMap((part) => part.missing))];
      const sum = parts.reduce((total, part) => total + (part.mass ?? 0) * part.times, 0);
      result = { mass: parts.some((part) => part.mass !== null) ? sum : null, missing };
    }
    if (!above.has(at)) known.set(at, result);
    return result;
  };
  return visit(key, key, new Set());
}
