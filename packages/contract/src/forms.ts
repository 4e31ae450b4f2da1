import { Packed } from '@rule/core/forms';
import { ChoiceListDraft, EntryForm, Schema } from '@rule/core/schema';
import { FileFilter } from './values';

/** A form to save, with the version its author saw. */
export interface SavedForm {
  readonly id: number | null;
  readonly form: Omit<EntryForm, 'id'>;
  readonly base: Omit<EntryForm, 'id'> | null;
}

/** Files to fill in: by number, filter or assembly, excluding some classes. */
export interface FileChoice {
  readonly files?: readonly number[];
  readonly filter?: FileFilter;
  readonly assembly?: { readonly file: number; readonly deep: boolean };
  readonly without?: readonly string[];
}

/** Maximum files per form. */
export const MOST_FILLED = 5000;

/** All data for filling in. */
export interface FillData {
  readonly edition: number;
  readonly schema: Schema;
  readonly lists: readonly ChoiceListDraft[];
  readonly states: readonly string[];
  readonly packed: Packed;
  /** Excluded classes with counts. */
  readonly leftOut: readonly { readonly class: string; readonly files: number }[];
  /** Favourite values, by property. */
  readonly atHand: readonly { readonly property: number; readonly text: string }[];
}

/** A named set of values. */
export interface ValueSetDraft {
  readonly name: string;
  readonly shared: boolean;
  readonly values: readonly { readonly property: number; readonly text: string }[];
}

/** A saved set with its owner. */
export interface ValueSetRow extends ValueSetDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}
