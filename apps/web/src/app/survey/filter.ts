import { Clause, FileFilter, NAMED_SUBJECTS } from '@rule/contract';
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
