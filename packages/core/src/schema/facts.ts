import { Host, RuleProblem } from '../rules';
import { HeldValue, StandIns } from '../values';
import { CellState } from './constraints';
import { InnerLevel, Kind, Property, WideLevel } from './property';
import { Check } from './schema';

/** Values by place and name; see {@link slotKey}. */
export type HeldBySlot = ReadonlyMap<string, HeldValue>;
export const slotKey = (place: string, name: string): string => `${place}/${name}`;

/** Model facts; kg, m³, m², m. */
export interface ModelFacts {
  readonly mass: number | null;
  readonly volume: number | null;
  readonly area: number | null;
  readonly material: string | null;
  readonly density: number | null;
  readonly length: number | null;
  readonly width: number | null;
  readonly height: number | null;
}

/** Sheet facts of a drawing. */
export interface SheetFacts {
  readonly layout: string;
  /** Main scale: paper length ÷ model length. */
  readonly scale: number | null;
  /** Closed outlines of sheet or model; areas in m². Empty if the drawing's unit is unknown. */
  readonly outlines: readonly { readonly layer: string; readonly area: number; readonly within: number | null }[];
  /** Texts with the indices of their outlines, smallest first. */
  readonly labels: readonly { readonly text: string; readonly outlines: readonly number[] }[];
  /** Standard sheet size, if any. */
  readonly size: string | null;
}

/** A holder inside a file. */
export interface HolderFacts {
  readonly level: InnerLevel;
  readonly key: string;
  readonly label: string;
  readonly held: HeldBySlot;
  /** Part file of an occurrence, if known. */
  readonly part: FileFacts | null;
  /** Model feeding the sheet, if not the drawing's; `null` for none. */
  readonly model?: FileFacts | null;
  readonly sheet: SheetFacts | null;
}

/** A file with everything its values depend on. */
export interface FileFacts {
  readonly id: number;
  readonly kind: Kind;
  readonly className: string | null;
  readonly state: string | null;
  readonly name: string;
  readonly folder: string;
  readonly held: HeldBySlot;
  readonly geometry: ModelFacts | null;
  /** Model of a drawing. */
  readonly model: FileFacts | null;
  /** Known part files placed directly in an assembly, with quantities. */
  readonly parts: readonly { readonly file: FileFacts; readonly quantity: number }[];
  /** Values of company, project and drawing set, by written name. */
  readonly above: Readonly<Partial<Record<WideLevel, ReadonlyMap<string, HeldValue>>>>;
  /** Sheets of a drawing; absent if not requested. */
  readonly sheets?: readonly SheetFacts[];
}

/** Origin of a displayed value. */
export type Origin = 'held' | 'another name' | 'ruled' | 'inherited' | 'model' | 'sheet' | 'fallback' | 'nowhere';

/** Judgement of one property in a file. */
export interface Judged {
  /** The property with class overrides. */
  readonly property: Property;
  /** Held value. */
  readonly held: HeldValue | null;
  /** Effective value. */
  readonly value: HeldValue | null;
  readonly origin: Origin;
  readonly cell: CellState;
  /** The value the file should hold by rule, model or wider holder; absent if undetermined. */
  readonly derived?: HeldValue | null;
  /** Why a rule gave no value. */
  readonly failure?: string;
  /** Whether the value is only computed; its holder cannot store it. */
  readonly unheld?: true;
  /** Known spelling in use. */
  readonly otherName?: string;
}

/** A failed check. */
export interface Failed {
  readonly check: Check;
  readonly message: string;
}

export interface FileJudgement {
  readonly values: ReadonlyMap<number, Judged>;
  readonly failed: readonly Failed[];
}

/** A defect in a schema. */
export interface SchemaProblem {
  readonly property: number | null;
  readonly check: number | null;
  readonly message: string;
  readonly problem?: RuleProblem;
}

/** Context for judging. */
export interface JudgeGround {
  readonly standIns: StandIns;
  /** Workflow states, in order. */
  readonly states: readonly string[];
  /** Clock for conditions and checks, seconds since 1970-01-01 UTC. */
  readonly instant: number;
  readonly lookup?: Host['lookup'];
  /** Choice list rows narrowed by another property: list, value → permitted choices. */
  readonly narrowed?: (list: string, by: string) => readonly string[] | null;
}
