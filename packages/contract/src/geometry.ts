import { MassJudgement, MaterialJudgement, Shape } from '@rule/core/geometry';

/** Geometry of a file. Lengths in millimetres, masses in kilograms. */
export interface FileGeometry {
  /** Whether the current file was measured. */
  readonly measured: boolean;
  readonly shapes: readonly { readonly product: string; readonly problem: string | null; readonly shape: Shape | null; readonly picture: boolean }[];
  /** The part, or the whole assembly. */
  readonly shape: Shape | null;
  readonly problem: string | null;
  readonly mass: MassJudgement | null;
  /** Pieces with unknown mass. */
  readonly missing: readonly string[];
  readonly material: MaterialJudgement | null;
  readonly modelMaterial: string | null;
  /** kg/m³ */
  readonly density: number | null;
  /** Unit of the mass property. */
  readonly unit: string;
}

/** A file whose written mass or material contradicts its model. */
export interface MassRemark {
  readonly file: number;
  readonly path: string;
  readonly mass: MassJudgement;
  readonly material: MaterialJudgement;
  readonly modelMaterial: string | null;
  readonly property: string | null;
}
