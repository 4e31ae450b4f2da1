import { NameTree } from './syntax';

/** Types of expressions. `any` is unknown until evaluation. */
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

/** A type with details. */
export interface FeelType {
  readonly kind: TypeKind;
  /** Whether it may be blank. */
  readonly blank: boolean;
  /** Item type of a list or end type of a range. */
  readonly item?: FeelType;
  /** Entries of a context; absent if unknown. */
  readonly fields?: Readonly<Record<string, FeelType>>;
  /** Result type of a function. */
  readonly result?: FeelType;
}

export const ANY: FeelType = { kind: 'any', blank: true };
export const NULL: FeelType = { kind: 'null', blank: true };
/** A type by name; `blank` says whether it may be blank. */
export const plain = (kind: TypeKind, blank = false): FeelType => ({ kind, blank });
export const listOf = (item: FeelType, blank = false): FeelType => ({ kind: 'list', item, blank });
export const contextType = (fields: Readonly<Record<string, FeelType>>, blank = false): FeelType => ({ kind: 'context', fields, blank });
export const blankable = (type: FeelType): FeelType => (type.blank ? type : { ...type, blank: true });
export const filled = (type: FeelType): FeelType => (type.blank && type.kind !== 'any' && type.kind !== 'null' ? { ...type, blank: false } : type);

/** The common type of two. */
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

/** Display name of a type. */
export const typeWord = (type: FeelType): string =>
  (({ string: 'text', boolean: 'yes or no', context: 'group of values', any: 'value', null: 'blank' }) as Readonly<Record<string, string>>)[type.kind] ??
  type.kind;

/** Names with types available to a rule: properties by rule name, and surrounding holders. */
export interface RuleScope {
  readonly names: Readonly<Record<string, FeelType>>;
  /** Captions by rule name, for suggestions. */
  readonly captions?: Readonly<Record<string, string>>;
  /** Type of the value unary tests apply to. */
  readonly input?: FeelType;
  /** Whether `today()` and `now()` are permitted: in conditions and checks, not in stored values. */
  readonly clock: boolean;
}

/** Names of a scope for the parser. */
export function namesOf(fields: RuleScope['names']): NameTree {
  const tree: Record<string, NameTree | null> = {};
  for (const [name, type] of Object.entries(fields)) {
    const inner = type.kind === 'list' ? type.item?.fields : type.fields;
    tree[name] = inner ? namesOf(inner) : null;
  }
  return tree;
}
