import { PLAIN_FORM, ShownForm, ValueType } from '../values';

/** Kinds of files with properties. */
export const KINDS = ['part', 'assembly', 'drawing', 'other'] as const;
export type Kind = (typeof KINDS)[number];

/** Levels, widest first. */
export const LEVELS = ['company', 'project', 'drawing set', 'document', 'variant', 'body', 'occurrence', 'sheet'] as const;
export type PropertyLevel = (typeof LEVELS)[number];

/** A file field a property can be taken from; the authoring program writes it. */
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

/** Model facts, by geometry or as the file states. Lengths are of the bounding box. */
export const MODEL_FACTS = ['mass', 'volume', 'area', 'material', 'density', 'length', 'width', 'height'] as const;
export type ModelFact = (typeof MODEL_FACTS)[number];

/** Sheet facts. */
export const SHEET_FACTS = ['scale', 'closed area', 'sheet size'] as const;
export type SheetFact = (typeof SHEET_FACTS)[number];

/** Which outlines an area refers to: all on a layer, the largest on a layer, or the smallest around a text. */
export const AREAS_OF = ['all of a layer', 'largest of a layer', 'around a text'] as const;

/** Definition of a closed area. */
export interface SheetArea {
  readonly of: (typeof AREAS_OF)[number];
  /** Layer name, case-insensitive; empty for any layer around a text. */
  readonly layer: string;
  /** Text inside the outline; case and outer blanks are ignored. */
  readonly text: string;
  /** Whether nested outlines of the layer are subtracted as holes. */
  readonly holes: boolean;
}

export const newSheetArea = (): SheetArea => ({ of: 'all of a layer', layer: '', text: '', holes: true });

/** Levels above files: stored in Rule and inherited by files. */
export const WIDE_LEVELS = ['company', 'project', 'drawing set'] as const;
export type WideLevel = (typeof WIDE_LEVELS)[number];
/** Levels inside a file. */
export const INNER_LEVELS = ['variant', 'body', 'occurrence', 'sheet'] as const;
export type InnerLevel = (typeof INNER_LEVELS)[number];
export const isWide = (level: string): level is WideLevel => (WIDE_LEVELS as readonly string[]).includes(level);

/** Holders to inherit from. */
export const INHERIT_FROM = ['company', 'project', 'drawing set', 'model'] as const;

/** Feed of a property: typed or chosen by people; from the file's field, model or sheet; inherited; counted; ruled. */
export const FEEDS = ['typed', 'file', 'model', 'sheet', 'inherited', 'counted', 'ruled'] as const;
export type Feed = (typeof FEEDS)[number];

/** Scope of uniqueness: the library, or files of the kind or class. */
export const UNIQUENESS = ['no', 'library', 'kind', 'class'] as const;
export const LETTER_CASES = ['any', 'upper', 'lower'] as const;

/** Overrides of a class; absent fields are unchanged. */
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

/** A worked example stored with a rule. Empty text means blank. */
export interface RuleExample {
  readonly title: string;
  /** Texts by written name, or by group and name (`model.Material`). */
  readonly given: Readonly<Record<string, string>>;
  readonly expected: string;
}

/** Who may change values. */
export interface Permission {
  /** Minimum role. */
  readonly role: 'editor' | 'administrator';
  /** Workflow states in which changes are permitted; all if empty. */
  readonly states: readonly string[];
  /** Classes reserved for administrators. */
  readonly closedClasses: readonly string[];
}

/** Where a value is kept: place and exact name. */
export interface Slot {
  readonly place: 'property' | 'field' | 'cell';
  readonly name: string;
}

/** A property of the schema. */
export interface Property {
  readonly id: number;
  /** Exact spelling in files; case and blanks matter. */
  readonly writtenName: string;
  /** Name in rules, if the written name is not usable; otherwise empty. */
  readonly ruleName: string;
  readonly caption: string;
  /** Captions by language code (ISO 639). */
  readonly captions: Readonly<Record<string, string>>;
  readonly help: string;
  readonly group: string;
  readonly type: ValueType;
  readonly unit: string | null;
  readonly decimals: number | null;
  /** Texts for yes and no; plain yes and no if `null`. */
  readonly words: readonly [yes: string, no: string] | null;
  readonly form: ShownForm;
  readonly kinds: readonly Kind[];
  /** Its classes; all if empty. */
  readonly classes: readonly string[];
  readonly level: PropertyLevel;
  /** Whether a blank variant shows the document's value, and a blank occurrence its part's. */
  readonly fallback: boolean;
  readonly feed: Feed;
  /** Source field for the feed `file`. */
  readonly fileField: FileField | null;
  readonly modelFact: ModelFact | null;
  readonly sheetFact: SheetFact | null;
  /** Definition of a closed area; `null` for other facts. */
  readonly sheetArea: SheetArea | null;
  readonly inheritFrom: (typeof INHERIT_FROM)[number] | null;
  /** Whether an inherited value may be overridden. */
  readonly mayOverride: boolean;
  /** Number series of a counted property. */
  readonly series: string | null;
  /** Expression of a ruled property. */
  readonly rule: string;
  readonly examples: readonly RuleExample[];
  /** Home of the value, if other than the property of the written name. */
  readonly homes: Readonly<Partial<Record<Kind, Slot>>>;
  readonly required: boolean;
  /** Condition that also makes it required. */
  readonly requiredWhen: string;
  /** Workflow state from which it is required; empty for none. */
  readonly requiredFrom: string;
  readonly minLength: number | null;
  readonly maxLength: number | null;
  readonly min: number | null;
  readonly max: number | null;
  /** Pattern for the whole text; empty for none. */
  readonly pattern: string;
  /** Forbidden characters. */
  readonly forbidden: string;
  readonly letterCase: (typeof LETTER_CASES)[number];
  /** Unary tests on the value; empty for none. */
  readonly allowed: string;
  readonly unique: (typeof UNIQUENESS)[number];
  readonly overrides: readonly ClassOverride[];
  /** Choice list; `null` if choices are defined here. */
  readonly list: string | null;
  /** Permitted values of a choice in order; empty for other types. From its list, if any. */
  readonly choices: readonly string[];
  /** Whether other values are permitted. */
  readonly open: boolean;
  /** Written name of the property that narrows the choices: list rows naming its value remain. */
  readonly narrowedBy: string | null;
  /** What Rule displays for a blank; never written to files. */
  readonly placeholder: string;
  /** Text in new files. */
  readonly default: string;
  readonly mayChange: Permission;
  /** Whether another program, such as the vault, maintains the value: visible but read-only. */
  readonly system: boolean;
  /** Older and foreign written names recognised as this property. */
  readonly knownSpellings: readonly string[];
  /** Links through which the record leads; derived from the edition's links, not part of the definition. */
  readonly led?: readonly Led[];
  /** Whether file search includes the values. */
  readonly searched: boolean;
  readonly retired: boolean;
}

/** The editable part of a property: all but id and retirement. */
export type PropertyDraft = Omit<Property, 'id' | 'retired' | 'led'>;

/** A default definition: a text for parts. */
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

/** A property's definition without id and retirement. */
export function draftOf(property: Property): PropertyDraft {
  const { id, retired, led, ...draft } = property;
  void id;
  void retired;
  void led;
  return draft;
}

/** The slot of a property in a kind of file. */
export function slotOf(property: Pick<Property, 'feed' | 'fileField' | 'writtenName' | 'homes'>, kind?: Kind): Slot {
  if (property.feed === 'file' && property.fileField) return { place: 'field', name: property.fileField };
  return (kind && property.homes[kind]) ?? { place: 'property', name: property.writtenName };
}

/** All slots of a property, with kinds. */
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

/** Whether a property applies to a kind and class. */
export const reaches = (property: Pick<Property, 'kinds' | 'classes'>, kind: Kind, className?: string | null): boolean =>
  property.kinds.includes(kind) && (className === undefined || property.classes.length === 0 || (className !== null && property.classes.includes(className)));

/**
 * Whether holders of a level hold a property. Documents also hold values common to variants; companies, projects and drawing sets those
 * that files inherit.
 */
export function isHeldAt(property: Pick<Property, 'level' | 'feed' | 'inheritFrom'>, level: PropertyLevel): boolean {
  if (level === 'document') return property.level === 'document' || property.level === 'variant';
  return property.level === level || (isWide(level) && property.feed === 'inherited' && property.inheritFrom === level);
}

/** A property's name in rules. */
export const ruleNameOf = (property: Pick<Property, 'ruleName' | 'writtenName'>): string => property.ruleName || property.writtenName;

type Fed = Pick<Property, 'feed' | 'system' | 'mayOverride' | 'inheritFrom'>;

/** Whether a kind of file can inherit the property. Only drawings have a model; in parts the property is typed. */
export const inherits = (property: Pick<Property, 'feed' | 'inheritFrom'>, kind: Kind): boolean =>
  property.feed === 'inherited' && (property.inheritFrom !== 'model' || kind === 'drawing');

/** Why a property is read-only for everyone in a kind of file; `null` if it is not. */
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

/** Why a property is read-only for everyone at a level above files; `null` if it is not. Inherited values are typed there. */
export const whyNotTypedAbove = (property: Fed, level: WideLevel): string | null =>
  property.feed === 'inherited' && property.inheritFrom === level ? (property.system ? whyNotTyped(property, 'other') : null) : whyNotTyped(property, 'other');

/** A link through which the record leads. */
export interface Led {
  readonly field: string;
  readonly kinds: readonly Kind[];
  readonly classes: readonly string[];
  readonly step: string | null;
  /** States in which it leads; `null` for all but those in `except`. */
  readonly states: readonly string[] | null;
  readonly except: readonly string[];
}

/** User and file of a change. */
export interface Change {
  /** Kind of the file, or level above files. */
  readonly kind: Kind | WideLevel;
  readonly role: 'viewer' | 'checker' | 'editor' | 'administrator';
  readonly className: string | null;
  /** Workflow state; `null` outside the vault. */
  readonly state: string | null;
}

/** Why a user may not change a property of a file; `null` if permitted. */
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

/** Why a user may not draw a number for a file; `null` if permitted. */
export const whyNotDrawn = (property: Fed & Pick<Property, 'mayChange' | 'led'>, change: Change): string | null =>
  property.feed === 'counted' ? whyNotChanged({ ...property, feed: 'typed' }, change) : 'is not numbered by a series';

const stateRefusal = ({ states }: Permission, state: string | null): string | null =>
  states.length > 0 && state !== null && !states.includes(state) ? `can be changed only in state ${states.join(' or ')}; the file is ${state}` : null;

/** A property with a class's overrides. */
export function forClass<P extends Property>(property: P, className: string | null): P {
  const override = className === null ? undefined : property.overrides.find((entry) => entry.class === className);
  if (!override) return property;
  const { class: _, ...change } = override;
  void _;
  return { ...property, ...change };
}
