import { GridRow, TrayLine } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { ShownCell } from '../../shared';

/** A group heading. */
export interface GroupRow {
  readonly group: string;
  readonly files: number;
  readonly open: boolean;
}
/** A grid line; `null` if not loaded. */
export type GridItem = GridRow | GroupRow | null;
export const isGroup = (item: GridItem): item is GroupRow => item !== null && 'group' in item;
/** The row of a line that is loaded and no heading. */
export const rowIn = (item: GridItem | undefined): GridRow | null => (item && !isGroup(item) ? item : null);

/** A selected cell. */
export interface ChosenCell {
  readonly row: GridRow;
  readonly property: Property | null;
  readonly held: HeldValue | null;
  readonly shown: ShownCell | null;
  readonly pending: TrayLine | null;
}

/** Values to write. */
export interface GridEdit {
  readonly file: number;
  /** The holder inside the file; absent for the file. */
  readonly holder?: string;
  readonly property: number;
  readonly text: string;
}

/** Why a block was refused; nothing is written and faulty cells are marked. */
export interface Refused {
  readonly message: string;
  readonly cells: readonly {
    readonly file: number;
    readonly holder: string;
    readonly property: number;
    readonly path: string;
    readonly caption: string;
    readonly message: string;
  }[];
}

/** A cell range, inclusive; column 0 is the file. */
export interface CellRange {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}
