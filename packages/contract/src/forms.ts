import { Packed } from '@rule/core/forms';
import { ChoiceListDraft, EntryForm, Schema } from '@rule/core/schema';
import { FileFilter } from './values';

/** A form to be stored in the draft, with what its author saw where it was there before. */
export interface SavedForm {
  readonly id: number | null;
  readonly form: Omit<EntryForm, 'id'>;
  readonly base: Omit<EntryForm, 'id'> | null;
}

/** Files that are filled in together: by number, by a filter, or the parts of an assembly; files of some classes may be left out. */
export interface FileChoice {
  readonly files?: readonly number[];
  readonly filter?: FileFilter;
  readonly assembly?: { readonly file: number; readonly deep: boolean };
  readonly without?: readonly string[];
}

/** Files that one form takes at most. */
export const MOST_FILLED = 5000;

/** Everything that filling in needs: the edition in force, its lists, and the files with all around them. */
export interface FillData {
  readonly edition: number;
  readonly schema: Schema;
  readonly lists: readonly ChoiceListDraft[];
  readonly states: readonly string[];
  readonly packed: Packed;
  /** Classes of the files that were left out, with their numbers. */
  readonly leftOut: readonly { readonly class: string; readonly files: number }[];
  /** Values that a person likes to use, by property. */
  readonly atHand: readonly { readonly property: number; readonly text: string }[];
}

/** Values that are filled in together, under a name. */
export interface ValueSetDraft {
  readonly name: string;
  readonly shared: boolean;
  readonly values: readonly { readonly property: number; readonly text: string }[];
}

/** A saved set of values, with whose it is. */
export interface ValueSetRow extends ValueSetDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}
