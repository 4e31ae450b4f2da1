import { MassJudgement, MaterialJudgement, Shape } from '@rule/core/geometry';

/** What is known of a file's geometry. Lengths in millimetres, masses in kilograms. */
export interface FileGeometry {
  /** Whether the file as it stands was measured. */
  readonly measured: boolean;
  readonly shapes: readonly { readonly product: string; readonly problem: string | null; readonly shape: Shape | null; readonly picture: boolean }[];
  /** The part's shape, or the whole of an assembly. */
  readonly shape: Shape | null;
  readonly problem: string | null;
  readonly mass: MassJudgement | null;
  /** Pieces of an assembly whose mass is not known. */
  readonly missing: readonly string[];
  readonly material: MaterialJudgement | null;
  readonly modelMaterial: string | null;
  /** kg/m³ */
  readonly density: number | null;
  /** Unit of the mass property. */
  readonly unit: string;
}

/** A file whose written mass or material does not go with its model. */
export interface MassRemark {
  readonly file: number;
  readonly path: string;
  readonly mass: MassJudgement;
  readonly material: MaterialJudgement;
  readonly modelMaterial: string | null;
  readonly property: string | null;
}
