import { Expr, treeOf } from '../rules';
import { Property, ruleNameOf, ruleScope } from '../schema';

/** Comparisons available in a clause. */
export const CLAUSE_TESTS = ['is', 'is not', 'is one of', 'is filled in', 'is blank', 'is at least', 'is at most', 'is more than', 'is less than'] as const;
export type ClauseTest = (typeof CLAUSE_TESTS)[number];

/** A clause: a comparison of a property's value. */
export interface Clause {
  readonly property: number;
  readonly test: ClauseTest;
  /** One text, several for `is one of`, none for `is filled in` and `is blank`. */
  readonly values: readonly string[];
}

/** A condition built from clauses. */
export interface ClauseCondition {
  readonly joint: 'and' | 'or';
  readonly clauses: readonly Clause[];
}

const ORDERED: Readonly<Record<string, ClauseTest>> = { '>=': 'is at least', '<=': 'is at most', '>': 'is more than', '<': 'is less than' };
const SIGNS = Object.fromEntries(Object.entries(ORDERED).map(([sign, test]) => [test, sign])) as Readonly<Partial<Record<ClauseTest, string>>>;

/** Comparisons that apply to a property's type. */
export function clauseTests(property: Pick<Property, 'type'>): ClauseTest[] {
  if (property.type === 'yesno') return ['is', 'is filled in', 'is blank'];
  const ordered = property.type === 'number' || property.type === 'whole' || property.type === 'date';
  return CLAUSE_TESTS.filter((test) => (SIGNS[test] === undefined ? !(ordered && test === 'is one of') : ordered));
}

const isNumber = (property: Pick<Property, 'type'>) => property.type === 'number' || property.type === 'whole';

/** A value as an expression literal. Invalid values become texts, so the expression's check reports them. */
function literal(text: string, property: Pick<Property, 'type'>): string {
  if (isNumber(property) && /^-?\d+(\.\d+)?$/.test(text.trim())) return text.trim();
  if (property.type === 'yesno') return text === 'no' ? 'false' : 'true';
  if (property.type === 'date' && /^\d{4}-\d{2}-\d{2}$/.test(text.trim())) return `date("${text.trim()}")`;
  return JSON.stringify(text);
}

/** The equivalent expression. Clauses on missing properties are left out; empty without clauses. */
export function writeCondition({ joint, clauses }: ClauseCondition, properties: readonly Property[]): string {
  const byId = new Map(properties.map((property) => [property.id, property]));
  return clauses
    .flatMap(({ property: id, test, values }) => {
      const property = byId.get(id);
      if (!property) return [];
      const name = ruleNameOf(property);
      const first = literal(values[0] ?? '', property);
      if (test === 'is') return [`${name} = ${first}`];
      if (test === 'is not') return [`${name} != ${first}`];
      if (test === 'is filled in') return [`${name} != null`];
      if (test === 'is blank') return [`${name} = null`];
      // Bracketed: a single bare value would absorb what follows.
      if (test === 'is one of') {
        const within = `${name} in (${values.map((value) => literal(value, property)).join(', ')})`;
        return [values.length === 1 ? `(${within})` : within];
      }
      return [`${name} ${SIGNS[test]!} ${first}`];
    })
    .join(` ${joint} `);
}

/** The equivalent clauses; `null` if the expression needs more. Empty text has none. */
export function readCondition(source: string, properties: readonly Property[]): ClauseCondition | null {
  if (source.trim() === '') return { joint: 'and', clauses: [] };
  const tree = treeOf(source, ruleScope(properties, { clock: true }));
  if (!tree) return null;
  const byName = new Map(properties.filter((property) => !property.retired).map((property) => [ruleNameOf(property), property]));
  const parts = partsOf(tree);
  if (!parts) return null;
  const clauses = parts.of.map((part) => clauseOf(part, byName));
  return clauses.every((clause) => clause !== null) ? { joint: parts.joint, clauses } : null;
}

/** Operands of `and` or `or`; `null` if mixed. */
function partsOf(tree: Expr): { joint: 'and' | 'or'; of: Expr[] } | null {
  const joint = tree.type === 'binary' ? tree.operator : tree.type === 'chain' ? tree.rest[0]!.operator : null;
  if (joint !== 'and' && joint !== 'or') return { joint: 'and', of: [tree] };
  const flat = (expr: Expr): Expr[] | null => {
    if (expr.type === 'chain' && expr.rest.every(({ operator }) => operator === joint)) return [expr.first, ...expr.rest.map(({ right }) => right)];
    if (expr.type === 'binary' && (expr.operator === 'and' || expr.operator === 'or')) {
      if (expr.operator !== joint) return null;
      const [left, right] = [flat(expr.left), flat(expr.right)];
      return left && right ? [...left, ...right] : null;
    }
    return [expr];
  };
  const of = flat(tree);
  return of && { joint, of };
}

const nameIn = (expr: Expr, byName: ReadonlyMap<string, Property>): Property | null => (expr.type === 'name' ? (byName.get(expr.name) ?? null) : null);

function clauseOf(expr: Expr, byName: ReadonlyMap<string, Property>): Clause | null {
  // A yes/no property may stand alone or inside `not( … )`.
  const alone = nameIn(expr, byName);
  if (alone) return alone.type === 'yesno' ? { property: alone.id, test: 'is', values: ['yes'] } : null;
  if (expr.type === 'call' && expr.name === 'not' && expr.args.length === 1) {
    const denied = nameIn(expr.args[0]!, byName);
    return denied?.type === 'yesno' ? { property: denied.id, test: 'is', values: ['no'] } : null;
  }
  if (expr.type === 'in') {
    const property = nameIn(expr.of, byName);
    const values = expr.tests.map((test) => (property ? textOf(test, property) : null));
    return property && values.every((value) => value !== null) ? { property: property.id, test: 'is one of', values } : null;
  }
  if (expr.type !== 'binary') return null;
  const property = nameIn(expr.left, byName);
  if (!property) return null;
  const { operator, right } = expr;
  if (right.type === 'literal' && right.value === null)
    return operator === '=' || operator === '!=' ? { property: property.id, test: operator === '=' ? 'is blank' : 'is filled in', values: [] } : null;
  const value = textOf(right, property);
  if (value === null) return null;
  if (property.type === 'yesno') {
    const says = operator === '=' ? value : operator === '!=' ? (value === 'yes' ? 'no' : 'yes') : null;
    return says === null ? null : { property: property.id, test: 'is', values: [says] };
  }
  const test = operator === '=' ? 'is' : operator === '!=' ? 'is not' : ORDERED[operator];
  return test ? { property: property.id, test, values: [value] } : null;
}

/** A literal's value; `null` otherwise. */
function textOf(expr: Expr, property: Property): string | null {
  if (expr.type === 'literal') return expr.value === null ? null : typeof expr.value === 'boolean' ? (expr.value ? 'yes' : 'no') : String(expr.value);
  if (property.type === 'yesno' && expr.type === 'name' && /^(yes|no)$/i.test(expr.name)) return expr.name.toLowerCase();
  if (expr.type === 'negate' && expr.of.type === 'literal' && typeof expr.of.value === 'number') return String(-expr.of.value);
  if (expr.type === 'call' && expr.name === 'date' && expr.args.length === 1 && expr.args[0]!.type === 'literal') return String(expr.args[0]!.value);
  return null;
}
