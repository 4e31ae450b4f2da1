import { FileFilter } from '@rule/contract';

/** The condition that a filter stands for. Parameters 1 to 3 of the statement are its folder, kind and search text. */
export const FILTER = `NOT f.removed AND ($1::text IS NULL OR f.folder = $1 OR starts_with(f.folder, $1 || '/') OR $1 = '') AND ($2::text IS NULL OR f.kind = $2)
  AND ($3::text IS NULL OR f.path ILIKE $3 OR EXISTS (SELECT 1 FROM held_values s WHERE s.file_id = f.id AND s.text ILIKE $3))`;

/** The parameters of {@link FILTER}. */
export const filterBind = ({ folder, kind, search }: FileFilter): (string | null)[] => [
  folder ?? null,
  kind ?? null,
  search ? `%${search.replace(/[\\%_]/g, '\\$&')}%` : null,
];
