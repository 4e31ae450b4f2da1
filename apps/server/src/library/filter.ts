import { Clause, FileFilter, FindingKind, clauseProblem } from '@rule/contract';

/** An SQL condition on `files f` with its parameters. */
export interface Condition {
  readonly sql: string;
  readonly bind: unknown[];
}

/** Escapes a text for LIKE. */
export const escapeLike = (text: string) => text.replace(/[\\%_]/g, '\\$&');

/** Collects numbered parameters. */
class Binding {
  readonly values: unknown[] = [];
  constructor(private readonly first: number) {}
  add(value: unknown): string {
    this.values.push(value);
    return `$${this.first + this.values.length - 1}`;
  }
}

const SIZE: Readonly<Record<string, string>> = { '<': '<', '≤': '<=', '≥': '>=', '>': '>' };

/** Compares a text column; numerically where a number column exists. */
function compare(column: string, number: string | null, { operator, text = '' }: Clause, bind: Binding): string {
  switch (operator) {
    case 'is':
      return `${column} = ${bind.add(text)}::text`;
    case 'is not':
      return `${column} <> ${bind.add(text)}::text`;
    case 'contains':
      return `${column} ILIKE ${bind.add(`%${escapeLike(text)}%`)}::text`;
    case 'starts with':
      return `${column} ILIKE ${bind.add(`${escapeLike(text)}%`)}::text`;
    case 'ends with':
      return `${column} ILIKE ${bind.add(`%${escapeLike(text)}`)}::text`;
    case 'is filled':
      return `${column} <> ''`;
    case 'is blank':
      return `${column} = ''`;
    case 'is a stand-in':
      return 'false';
    default: {
      const size = text.trim() === '' ? Number.NaN : Number(text.trim().replace(',', '.'));
      if (number !== null && Number.isFinite(size)) return `${number} ${SIZE[operator]} ${bind.add(size)}::double precision`;
      // ISO 8601 dates sort as text.
      return `${column} ${SIZE[operator]} ${bind.add(text)}::text COLLATE "C"`;
    }
  }
}

/** A clause on values `v`. @param where which values it is about */
function valueSql(where: string, clause: Clause, bind: Binding): string {
  // Blank: no queried holder has a value other than an empty text or a stand-in.
  if (clause.operator === 'is blank') return `NOT EXISTS (SELECT 1 FROM held_values v WHERE ${where} AND v.text <> '' AND NOT v.stand_in)`;
  if (clause.operator === 'is filled') return `EXISTS (SELECT 1 FROM held_values v WHERE ${where} AND v.text <> '' AND NOT v.stand_in)`;
  if (clause.operator === 'is a stand-in') return `EXISTS (SELECT 1 FROM held_values v WHERE ${where} AND v.stand_in)`;
  if (clause.operator === 'is not') return `NOT EXISTS (SELECT 1 FROM held_values v WHERE ${where} AND v.text = ${bind.add(clause.text ?? '')}::text)`;
  return `EXISTS (SELECT 1 FROM held_values v WHERE ${where} AND ${compare('v.text', 'v.number', clause, bind)})`;
}

/**
 * Condition of a property clause for a holder `h`, parameters numbered from `first`.
 * @param names where the holder keeps the property: document property names and cell tags
 */
export function holderClauseSql(
  clause: Clause,
  names: { readonly properties: readonly string[]; readonly cells: readonly string[] },
  first: number,
): Condition {
  const bind = new Binding(first);
  if (clauseProblem(clause) !== null) return { sql: 'false', bind: [] };
  const where = `v.file_id = h.file_id AND v.holder = h.key AND ((v.place = 'property' AND v.name = ANY(${bind.add(names.properties)}::text[]))
    OR (v.place = 'cell' AND v.name = ANY(${bind.add(names.cells)}::text[])))`;
  return { sql: valueSql(where, clause, bind), bind: bind.values };
}

function clauseSql(clause: Clause, bind: Binding): string {
  // An incomplete clause matches nothing.
  if (clauseProblem(clause) !== null) return 'false';
  switch (clause.subject) {
    case 'file name':
      return compare('f.name', null, clause, bind);
    case 'folder':
      return compare('f.folder', null, clause, bind);
    case 'kind':
      return compare('f.kind', null, clause, bind);
    case 'class':
      return compare(`coalesce((SELECT c.name FROM classes c WHERE c.id = f.class_id), '')`, null, clause, bind);
    case 'record field': {
      const text = `coalesce((SELECT r.record->>${bind.add(clause.name ?? '')} FROM vault_records r JOIN libraries l ON l.id = f.library_id AND l.in_vault
            WHERE r.path = f.path),
          '')`;
      return compare(text, `(CASE WHEN ${text} ~ '^[+-]?[0-9]+([.,][0-9]+)?$' THEN replace(${text}, ',', '.')::double precision END)`, clause, bind);
    }
    case 'value':
    case 'field': {
      const where = `v.file_id = f.id AND v.place = '${clause.subject === 'value' ? 'property' : 'field'}' AND v.name = ${bind.add(clause.name ?? '')}`;
      return valueSql(where, clause, bind);
    }
  }
}

/** Condition of a list of clauses, parameters numbered from `first`. */
export function clausesSql(list: readonly Clause[], first = 1): Condition {
  const bind = new Binding(first);
  return { sql: list.map((clause) => `(${clauseSql(clause, bind)})`).join(' AND ') || 'true', bind: bind.values };
}

/** Conditions on findings `g` by kind. */
const FINDING_SQL: Readonly<Record<FindingKind, string>> = {
  missing: `g.code = 'required'`,
  stale: `g.code = 'stale'`,
  wrong: `g.code NOT IN ('required', 'stale', 'stand-in', 'other-name', 'unheld')`,
};

/** Condition of a filter, parameters numbered from `first`. */
export function filterSql({ library, folder, kind, class: classId, search, where, assembly, within, finding }: FileFilter, first = 1): Condition {
  const bind = new Binding(first);
  const parts = ['NOT f.removed'];
  if (library !== undefined) parts.push(`f.library_id = ${bind.add(library)}::int`);
  if (folder) {
    const at = bind.add(folder);
    parts.push(`(f.folder = ${at} OR starts_with(f.folder, ${at} || '/'))`);
  }
  if (kind !== undefined) parts.push(`f.kind = ${bind.add(kind)}`);
  if (classId !== undefined) parts.push(classId === 0 ? 'f.class_id IS NULL' : `f.class_id = ${bind.add(classId)}::int`);
  if (search) {
    // Search covers paths, searchable properties and names outside the schema.
    const at = bind.add(`%${escapeLike(search)}%`);
    parts.push(
      `(f.path ILIKE ${at} OR EXISTS (SELECT 1 FROM held_values s WHERE s.file_id = f.id AND s.text ILIKE ${at} AND s.place = 'property'
         AND NOT EXISTS (SELECT 1 FROM properties p WHERE p."writtenName" = s.name AND NOT p.searched)))`,
    );
  }
  if (assembly !== undefined)
    parts.push(
      `f.id IN (WITH RECURSIVE below(id) AS (SELECT part_id FROM copies WHERE assembly_id = ${bind.add(assembly)}::int AND part_id IS NOT NULL
         UNION SELECT c.part_id FROM copies c JOIN below b ON c.assembly_id = b.id WHERE c.part_id IS NOT NULL) SELECT id FROM below)`,
    );
  if (within !== undefined) {
    const at = bind.add(within);
    parts.push(`(f.project_id = ${at}::int OR f.set_id = ${at}::int)`);
  }
  if (finding !== undefined) parts.push(`EXISTS (SELECT 1 FROM findings g WHERE g.file_id = f.id AND g.property_id IS NOT NULL AND ${FINDING_SQL[finding]})`);
  for (const clause of where ?? []) parts.push(`(${clauseSql(clause, bind)})`);
  return { sql: parts.join(' AND '), bind: bind.values };
}
