import { PLAIN_FORM, ShownForm, ValueType } from '../values';

/** Kinds of file that carry properties. */
export const KINDS = ['part', 'assembly', 'drawing', 'other'] as const;
export type Kind = (typeof KINDS)[number];

/** Where a value is held, from the widest to the narrowest. */
export const LEVELS = ['company', 'project', 'drawing set', 'document', 'variant', 'body', 'occurrence', 'sheet'] as const;
export type PropertyLevel = (typeof LEVELS)[number];

/** A file's own field that a property can be taken from. The file's program writes it. */
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

/** What the model says of itself: by its geometry, or as its file states it. Lengths are those of its bounding box. */
export const MODEL_FACTS = ['mass', 'volume', 'area', 'material', 'density', 'length', 'width', 'height'] as const;
export type ModelFact = (typeof MODEL_FACTS)[number];

/** What a sheet says of itself. */
export const SHEET_FACTS = ['scale', 'closed area', 'sheet size'] as const;
export type SheetFact = (typeof SHEET_FACTS)[number];

/** Which outlines an area is of: all of a layer, the largest of a layer, or the smallest around a text. */
export const AREAS_OF = ['all of a layer', 'largest of a layer', 'around a text'] as const;

/** What the closed area of a sheet is the area of. */
export interface SheetArea {
  readonly of: (typeof AREAS_OF)[number];
  /** The layer's name; empty for any layer around a text. Case does not count, as in drawings. */
  readonly layer: string;
  /** The text that is in the outline; case and blanks at its ends do not count. */
  readonly text: string;
  /** Whether outlines of the layer that lie in another one are taken away from it, as holes are. */
  readonly holes: boolean;
}

export const newSheetArea = (): SheetArea => ({ of: 'all of a layer', layer: '', text: '', holes: true });

/** Levels above files: their values are Rule's own, and files inherit them. */
export const WIDE_LEVELS = ['company', 'project', 'drawing set'] as const;
export type WideLevel = (typeof WIDE_LEVELS)[number];
/** Levels of holders inside a file. */
export const INNER_LEVELS = ['variant', 'body', 'occurrence', 'sheet'] as const;
export type InnerLevel = (typeof INNER_LEVELS)[number];
export const isWide = (level: string): level is WideLevel => (WIDE_LEVELS as readonly string[]).includes(level);

/** Holders that a value can be inherited from. */
export const INHERIT_FROM = ['company', 'project', 'drawing set', 'model'] as const;

/**
 * Where a property's value comes from: typed or chosen by people; taken from the file's own field, from the model or from the
 * sheet; inherited from a wider holder; counted by a number series; ruled by an expression.
 */
export const FEEDS = ['typed', 'file', 'model', 'sheet', 'inherited', 'counted', 'ruled'] as const;
export type Feed = (typeof FEEDS)[number];

/** In which a value may stand once: nowhere twice in the library, or among files of its kind or class. */
export const UNIQUENESS = ['no', 'library', 'kind', 'class'] as const;
export const LETTER_CASES = ['any', 'upper', 'lower'] as const;

/** What one class asks for in another way than the property itself; what is absent stays as it is. */
export interface ClassOverride {
  readonly class: string;
  readonly required?: boolean;
  readonly minLength?: number | null;
  readonly maxLength?: number | null;
  readonly min?: number | null;
  readonly max?: number | null;
  readonly allowed?: string;
  readonly default?: string;
}

/** A worked example that is kept with a rule: what comes out of the rule when some values are given. An empty text stands for a blank. */
export interface RuleExample {
  readonly title: string;
  /** Texts by written name, or by group and name with a full stop between (`model.Material`). */
  readonly given: Readonly<Record<string, string>>;
  readonly expected: string;
}

/** Who may change a property's values. */
export interface Permission {
  /** The least role that may. */
  readonly role: 'editor' | 'administrator';
  /** Workflow states in which it may be changed; all when empty. */
  readonly states: readonly string[];
  /** Classes whose files only administrators may change. */
  readonly closedClasses: readonly string[];
}

/** Where the value of a property is kept: a place in the file and the exact name there. */
export interface Slot {
  readonly place: 'property' | 'field' | 'cell';
  readonly name: string;
}

/** One property of the schema. */
export interface Property {
  readonly id: number;
  /** The exact spelling kept in files; case and blanks count. */
  readonly writtenName: string;
  /** The name in rules, where the written name cannot be in an expression; empty when it can. */
  readonly ruleName: string;
  readonly caption: string;
  /** Captions in other languages, by language code (ISO 639). */
  readonly captions: Readonly<Record<string, string>>;
  readonly help: string;
  readonly group: string;
  readonly type: ValueType;
  readonly unit: string | null;
  readonly decimals: number | null;
  /** What the company writes for yes and no; plain yes and no when `null`. */
  readonly words: readonly [yes: string, no: string] | null;
  readonly form: ShownForm;
  readonly kinds: readonly Kind[];
  /** Names of the classes that the property applies to; all when empty. */
  readonly classes: readonly string[];
  readonly level: PropertyLevel;
  /** Whether a variant without a value shows the document's, and an occurrence its part's. */
  readonly fallback: boolean;
  readonly feed: Feed;
  /** The field that a property with the feed `file` is taken from. */
  readonly fileField: FileField | null;
  readonly modelFact: ModelFact | null;
  readonly sheetFact: SheetFact | null;
  /** What a closed area is the area of; `null` for other facts. */
  readonly sheetArea: SheetArea | null;
  readonly inheritFrom: (typeof INHERIT_FROM)[number] | null;
  /** Whether a value that is inherited may be typed over. */
  readonly mayOverride: boolean;
  /** Name of the number series of a counted property. */
  readonly series: string | null;
  /** The expression of a ruled property. */
  readonly rule: string;
  readonly examples: readonly RuleExample[];
  /** Where the value is kept, where that is not the property of the written name. */
  readonly homes: Readonly<Partial<Record<Kind, Slot>>>;
  readonly required: boolean;
  /** An expression on which the property is required as well. */
  readonly requiredWhen: string;
  /** The workflow state from which on it is required; empty for none. */
  readonly requiredFrom: string;
  readonly minLength: number | null;
  readonly maxLength: number | null;
  readonly min: number | null;
  readonly max: number | null;
  /** A pattern that the whole text must match; empty for none. */
  readonly pattern: string;
  /** Characters that may not occur. */
  readonly forbidden: string;
  readonly letterCase: (typeof LETTER_CASES)[number];
  /** Unary tests that the value must pass; empty for none. */
  readonly allowed: string;
  readonly unique: (typeof UNIQUENESS)[number];
  readonly overrides: readonly ClassOverride[];
  /** Name of the choice list that the choices come from; `null` when they stand here. */
  readonly list: string | null;
  /** Allowed values of a choice, in their order; empty for other types. Those of its list, where it has one. */
  readonly choices: readonly string[];
  /** Whether other values than the choices may be entered. */
  readonly open: boolean;
  /** Written name of the property that narrows the choices: those rows of the list remain that name its value. */
  readonly narrowedBy: string | null;
  /** What Rule shows for a blank. It is never written into a file. */
  readonly placeholder: string;
  /** The text that a new file gets. */
  readonly default: string;
  readonly mayChange: Permission;
  /** Whether another program, such as the vault, keeps the value: visible and untouchable. */
  readonly system: boolean;
  /** Older and foreign written names that are recognised as this property. */
  readonly knownSpellings: readonly string[];
  /** Links through which the record says what the value is; worked out of the edition's links, and no part of a definition. */
  readonly led?: readonly Led[];
  /** Whether a search of files looks into the property's values. */
  readonly searched: boolean;
  readonly retired: boolean;
}

/** What is stored of a property by the person who defines it: all but its number and its retirement. */
export type PropertyDraft = Omit<Property, 'id' | 'retired' | 'led'>;

/** A definition in which nothing but the names is said: a text that applies to parts. */
export const newDraft = (writtenName: string): PropertyDraft => ({
  writtenName,
  ruleName: '',
  caption: writtenName.trim(),
  captions: {},
  help: '',
  group: '',
  type: 'text',
  unit: null,
  decimals: null,
  words: null,
  form: PLAIN_FORM,
  kinds: ['part'],
  classes: [],
  level: 'document',
  fallback: true,
  feed: 'typed',
  fileField: null,
  modelFact: null,
  sheetFact: null,
  sheetArea: null,
  inheritFrom: null,
  mayOverride: false,
  series: null,
  rule: '',
  examples: [],
  homes: {},
  required: false,
  requiredWhen: '',
  requiredFrom: '',
  minLength: null,
  maxLength: null,
  min: null,
  max: null,
  pattern: '',
  forbidden: '',
  letterCase: 'any',
  allowed: '',
  unique: 'no',
  overrides: [],
  list: null,
  choices: [],
  open: false,
  narrowedBy: null,
  placeholder: '',
  default: '',
  mayChange: { role: 'editor', states: [], closedClasses: [] },
  system: false,
  knownSpellings: [],
  searched: true,
});

/** A property's definition without its number and retirement. */
export function draftOf(property: Property): PropertyDraft {
  const { id, retired, led, ...draft } = property;
  void id;
  void retired;
  void led;
  return draft;
}

/** The slot that holds a property in a kind of file. */
export function slotOf(property: Pick<Property, 'feed' | 'fileField' | 'writtenName' | 'homes'>, kind?: Kind): Slot {
  if (property.feed === 'file' && property.fileField) return { place: 'field', name: property.fileField };
  return (kind && property.homes[kind]) ?? { place: 'property', name: property.writtenName };
}

/** All slots of a property, with the kinds of file that each is for. */
export function slotsOf(
  property: Pick<Property, 'feed' | 'fileField' | 'writtenName' | 'homes' | 'kinds'>,
): { readonly slot: Slot; readonly kinds: readonly Kind[] }[] {
  const groups = new Map<string, { slot: Slot; kinds: Kind[] }>();
  for (const kind of property.kinds) {
    const slot = slotOf(property, kind);
    const key = `${slot.place}/${slot.name}`;
    const group = groups.get(key) ?? { slot, kinds: [] };
    group.kinds.push(kind);
    groups.set(key, group);
  }
  return [...groups.values()];
}

/** Whether a property applies to a kind of file, and to its class where one is given. */
export const reaches = (property: Pick<Property, 'kinds' | 'classes'>, kind: Kind, className?: string | null): boolean =>
  property.kinds.includes(kind) && (className === undefined || property.classes.length === 0 || (className !== null && property.classes.includes(className)));

/**
 * Whether a holder of a level holds values of a property. A document also holds what is common to its variants; a company, project or
 * drawing set what its files inherit from it.
 */
export function isHeldAt(property: Pick<Property, 'level' | 'feed' | 'inheritFrom'>, level: PropertyLevel): boolean {
  if (level === 'document') return property.level === 'document' || property.level === 'variant';
  return property.level === level || (isWide(level) && property.feed === 'inherited' && property.inheritFrom === level);
}

/** The name by which rules call a property. */
export const ruleNameOf = (property: Pick<Property, 'ruleName' | 'writtenName'>): string => property.ruleName || property.writtenName;

type Fed = Pick<Property, 'feed' | 'system' | 'mayOverride' | 'inheritFrom'>;

/** Whether a kind of file has what a property is inherited from. Only drawings show a model: in a part the same property is typed. */
export const inherits = (property: Pick<Property, 'feed' | 'inheritFrom'>, kind: Kind): boolean =>
  property.feed === 'inherited' && (property.inheritFrom !== 'model' || kind === 'drawing');

/** Why nobody may type a value of a property in a kind of file, whoever it is; `null` when people may. */
export function whyNotTyped(property: Fed, kind: Kind): string | null {
  if (property.system) return 'belongs to another program and is read-only';
  switch (property.feed) {
    case 'typed':
      return null;
    case 'file':
      return 'is taken from the file and is read-only';
    case 'model':
      return 'is taken from the model and is read-only';
    case 'sheet':
      return 'is taken from the sheet and is read-only';
    case 'inherited':
      return property.mayOverride || !inherits(property, kind)
        ? null
        : `is inherited from the ${property.inheritFrom ?? 'holder above'} and cannot be overridden`;
    case 'counted':
      return 'is numbered by a series; assign the next number instead';
    case 'ruled':
      return 'is computed by a rule and is read-only';
  }
}

/** Why nobody may type a value of a property at a level above files; `null` when people may. What files inherit from there is typed there. */
export const whyNotTypedAbove = (property: Fed, level: WideLevel): string | null =>
  property.feed === 'inherited' && property.inheritFrom === level ? (property.system ? whyNotTyped(property, 'other') : null) : whyNotTyped(property, 'other');

/** A link through which the record of a vault leads. */
export interface Led {
  readonly field: string;
  readonly kinds: readonly Kind[];
  readonly classes: readonly string[];
  readonly step: string | null;
  /** States in which it leads; `null` for all but those in `except`. */
  readonly states: readonly string[] | null;
  readonly except: readonly string[];
}

/** Who wants to change a value, and the file that it is in. */
export interface Change {
  /** Kind of the file, or the level of a holder above files. */
  readonly kind: Kind | WideLevel;
  readonly role: 'viewer' | 'checker' | 'editor' | 'administrator';
  readonly className: string | null;
  /** Workflow state of the file; `null` where no vault holds it. */
  readonly state: string | null;
}

/** Why someone may not change a property of a file; `null` when they may. */
export function whyNotChanged(property: Fed & Pick<Property, 'mayChange' | 'led'>, { role, kind, className, state }: Change): string | null {
  const never = isWide(kind) ? whyNotTypedAbove(property, kind) : whyNotTyped(property, kind);
  if (never !== null) return never;
  const { mayChange } = property;
  if (role === 'viewer' || role === 'checker') return `cannot be changed by ${role}s`;
  if (role !== 'administrator') {
    if (mayChange.role === 'administrator') return 'can be changed only by administrators';
    if (className !== null && mayChange.closedClasses.includes(className)) return `can be changed only by administrators in files of class ${className}`;
  }
  const lead = state === null ? undefined : property.led?.find((by) => leadsIn(by, kind, className, state));
  if (lead) return lead.step === null ? `is led by the record field ${lead.field}; change it in the vault` : `is set by the vault's workflow step ${lead.step}`;
  return stateRefusal(mayChange, state);
}

const leadsIn = ({ kinds, classes, states, except }: Led, kind: string, className: string | null, state: string): boolean =>
  kinds.includes(kind as Kind) &&
  (classes.length === 0 || (className !== null && classes.includes(className))) &&
  (states === null ? !except.includes(state) : states.includes(state));

/** Why someone may not draw a number of a counted property for a file; `null` when they may. */
export const whyNotDrawn = (property: Fed & Pick<Property, 'mayChange' | 'led'>, change: Change): string | null =>
  property.feed === 'counted' ? whyNotChanged({ ...property, feed: 'typed' }, change) : 'is not numbered by a series';

const stateRefusal = ({ states }: Permission, state: string | null): string | null =>
  states.length > 0 && state !== null && !states.includes(state) ? `can be changed only in state ${states.join(' or ')}; the file is ${state}` : null;

/** A property as one class has it. */
export function forClass<P extends Property>(property: P, className: string | null): P {
  const override = className === null ? undefined : property.overrides.find((entry) => entry.class === className);
  if (!override) return property;
  const { class: _, ...change } = override;
  void _;
  return { ...property, ...change };
}
