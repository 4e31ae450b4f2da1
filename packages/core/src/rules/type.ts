import { NameTree } from './syntax';

/** Types that an expression can have. `any` is a type that is not known before the rule runs. */
export type TypeKind =
  | 'any'
  | 'null'
  | 'number'
  | 'string'
  | 'boolean'
  | 'date'
  | 'time'
  | 'date and time'
  | 'days and time duration'
  | 'years and months duration'
  | 'list'
  | 'context'
  | 'function'
  | 'range';

/** A type, with what is known of its parts. */
export interface FeelType {
  readonly kind: TypeKind;
  /** Whether there may be no value. */
  readonly blank: boolean;
  /** The type of a list's items or of a range's ends. */
  readonly item?: FeelType;
  /** The entries of a context; absent when they are not known. */
  readonly fields?: Readonly<Record<string, FeelType>>;
  /** What a function gives. */
  readonly result?: FeelType;
}

export const ANY: FeelType = { kind: 'any', blank: true };
export const NULL: FeelType = { kind: 'null', blank: true };
/** A type by its name; `blank` says whether there may be no value. */
export const plain = (kind: TypeKind, blank = false): FeelType => ({ kind, blank });
export const listOf = (item: FeelType, blank = false): FeelType => ({ kind: 'list', item, blank });
export const contextType = (fields: Readonly<Record<string, FeelType>>, blank = false): FeelType => ({ kind: 'context', fields, blank });
export const blankable = (type: FeelType): FeelType => (type.blank ? type : { ...type, blank: true });
export const filled = (type: FeelType): FeelType => (type.blank && type.kind !== 'any' && type.kind !== 'null' ? { ...type, blank: false } : type);

/** The type that takes in two others. */
export function join(a: FeelType, b: FeelType): FeelType {
  const blank = a.blank || b.blank;
  if (a.kind === 'null') return blankable(b);
  if (b.kind === 'null') return blankable(a);
  if (a.kind !== b.kind) return ANY;
  if (a.kind === 'list') return { kind: 'list', blank, item: join(a.item ?? ANY, b.item ?? ANY) };
  if (a.kind === 'context') {
    if (a.fields === b.fields) return { ...a, blank };
    return { kind: 'context', blank };
  }
  return { ...a, blank };
}

/** How a type is named to people. */
export const typeWord = (type: FeelType): string =>
  (({ string: 'text', boolean: 'yes or no', context: 'group of values', any: 'value', null: 'blank' }) as Readonly<Record<string, string>>)[type.kind] ??
  type.kind;

/** What a rule can name, with types: properties by the name that they have in rules, and the holders around its own. */
export interface RuleScope {
  readonly names: Readonly<Record<string, FeelType>>;
  /** Captions of properties by their name in rules, for suggestions. */
  readonly captions?: Readonly<Record<string, string>>;
  /** The type of the value that unary tests look at. */
  readonly input?: FeelType;
  /** Whether `today()` and `now()` may be asked: in conditions and checks, but not in values that are stored. */
  readonly clock: boolean;
}

/** The names of a scope as the parser needs them. */
export function namesOf(fields: RuleScope['names']): NameTree {
  const tree: Record<string, NameTree | null> = {};
  for (const [name, type] of Object.entries(fields)) {
    const inner = type.kind === 'list' ? type.item?.fields : type.fields;
    tree[name] = inner ? namesOf(inner) : null;
  }
  return tree;
}
