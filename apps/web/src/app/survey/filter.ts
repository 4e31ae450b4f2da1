import { Clause, FileFilter, NAMED_SUBJECTS, Survey } from '@rule/contract';
import { KINDS } from '@rule/core/schema';

/** Filter parameters in the URL. */
export interface FilterAddress {
  readonly library?: string | undefined;
  readonly folder?: string | undefined;
  readonly kind?: string | undefined;
  readonly class?: string | undefined;
  readonly q?: string | undefined;
  readonly where?: string | undefined;
}

const number = (text: string | undefined) => (text !== undefined && /^\d{1,9}$/.test(text) ? Number(text) : undefined);

/** Clauses in the URL; none if invalid. */
export function clausesOf(text: string | undefined): Clause[] {
  if (!text) return [];
  try {
    const list = JSON.parse(text) as unknown;
    return Array.isArray(list) ? (list as Clause[]) : [];
  } catch {
    return [];
  }
}

/** The filter in the URL. */
export function filterOf(address: FilterAddress): FileFilter {
  const where = clausesOf(address.where);
  const kind = KINDS.find((candidate) => candidate === address.kind);
  const [library, classId] = [number(address.library), number(address.class)];
  return {
    ...(library === undefined ? {} : { library }),
    ...(address.folder ? { folder: address.folder } : {}),
    ...(kind ? { kind } : {}),
    ...(classId === undefined ? {} : { class: classId }),
    ...(address.q ? { search: address.q } : {}),
    ...(where.length ? { where } : {}),
  };
}

/** Whether a filter is empty. */
export const isEverything = (filter: FileFilter): boolean => Object.keys(filter).length === 0;

/** A clause in words. */
export function clauseText({ subject, name, operator, text }: Clause): string {
  const what = NAMED_SUBJECTS.includes(subject) ? `${name ?? ''}${subject === 'record field' ? ' in the vault' : ''}` : subject;
  return /^is (filled|blank|a stand-in)$/.test(operator) ? `${what} ${operator}` : `${what} ${operator} ${text ?? ''}`;
}

/** A limit of the files in words, and what of the address must go without it. */
export interface Limit {
  readonly text: string;
  readonly without: Record<string, string | null>;
}

/** Active filters, each removable. */
export function limitsOf(filter: FileFilter, survey: Survey | null): Limit[] {
  const library = survey?.libraries.find((row) => row.id === filter.library)?.name;
  const className = survey?.classes.find((row) => row.id === filter.class)?.name ?? 'none';
  const rest = (at: number) => JSON.stringify(filter.where!.filter((_, i) => i !== at));
  return [
    ...(filter.library === undefined || filter.folder !== undefined ? [] : [{ text: `library ${library ?? filter.library}`, without: { library: null } }]),
    ...(filter.folder === undefined ? [] : [{ text: `folder ${filter.folder}`, without: { folder: null, library: null } }]),
    ...(filter.kind === undefined ? [] : [{ text: `kind ${filter.kind}`, without: { kind: null } }]),
    ...(filter.class === undefined ? [] : [{ text: `class ${className}`, without: { class: null } }]),
    ...(filter.search === undefined ? [] : [{ text: `holds ${filter.search}`, without: { q: null } }]),
    ...(filter.where ?? []).map((clause, at) => ({ text: clauseText(clause), without: { where: filter.where!.length > 1 ? rest(at) : null } })),
  ];
}
