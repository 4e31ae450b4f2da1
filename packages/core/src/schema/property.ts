import { ValueType } from '../values';

/** Kinds of file that carry properties. */
export const KINDS = ['part', 'assembly', 'drawing', 'other'] as const;
export type Kind = (typeof KINDS)[number];

/** A file's own field that a property can be taken from. The file's program writes it; people cannot. */
export const FILE_FIELDS = [
  'file name',
  'product id',
  'product name',
  'product description',
  'version id',
  'author',
  'organisation',
  'time stamp',
  'title',
  'subject',
  'keywords',
  'category',
  'status',
  'last saved by',
  'created',
  'modified',
] as const;
export type FileField = (typeof FILE_FIELDS)[number];

/** Where a property's value comes from: typed (or chosen) by people, or taken from the file's own field. */
export type Feed = 'typed' | 'file';

/** One property of the schema. */
export interface Property {
  readonly id: number;
  /** The exact spelling kept in files; case and blanks count. */
  readonly writtenName: string;
  readonly caption: string;
  readonly help: string;
  readonly type: ValueType;
  readonly unit: string | null;
  readonly decimals: number | null;
  readonly kinds: readonly Kind[];
  readonly feed: Feed;
  /** The field that a property with the feed `file` is taken from. */
  readonly fileField: FileField | null;
  readonly required: boolean;
  readonly minLength: number | null;
  readonly maxLength: number | null;
  readonly min: number | null;
  readonly max: number | null;
  /** Allowed values of a choice, in their order; empty for other types. */
  readonly choices: readonly string[];
  /** What Rule shows for a blank. It is never written into a file. */
  readonly placeholder: string;
  /** Whether the quick search looks into the property's values. */
  readonly searched: boolean;
  readonly retired: boolean;
}

/** What is stored of a property by the person who defines it: all but its number and its retirement. */
export type PropertyDraft = Omit<Property, 'id' | 'retired'>;

/** A definition in which nothing but the names is said: a text that applies to parts. */
export const newDraft = (writtenName: string): PropertyDraft => ({
  writtenName,
  caption: writtenName.trim(),
  help: '',
  type: 'text',
  unit: null,
  decimals: null,
  kinds: ['part'],
  feed: 'typed',
  fileField: null,
  required: false,
  minLength: null,
  maxLength: null,
  min: null,
  max: null,
  choices: [],
  placeholder: '',
  searched: true,
});

/** Where the value of a property is kept: a place in the file and the exact name there. */
export interface Slot {
  readonly place: 'property' | 'field' | 'cell';
  readonly name: string;
}

/** The slot that holds a property in any kind of file. */
export const slotOf = (property: Pick<Property, 'feed' | 'fileField' | 'writtenName'>): Slot =>
  property.feed === 'file' && property.fileField ? { place: 'field', name: property.fileField } : { place: 'property', name: property.writtenName };
