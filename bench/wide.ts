import { PropertyDraft, newDraft } from '@rule/core/schema';
import { Db } from '../apps/server/src/platform/db';

export const FILES = 100_000;
export const TYPED = 30;
export const RULED = 10;

/** 100,000 parts with thirty values each, inserted directly. */
export async function fillWide(db: Db): Promise<void> {
  await db.run(`INSERT INTO libraries (name, root) VALUES ('Large', '/nowhere/at/all')`);
  await db.run(
    `INSERT INTO files (library_id, path, folder, name, kind, size, mtime_ms, hash, format)
     SELECT 1, 'folder ' || n / 500 || '/P-' || n || '.step', 'folder ' || n / 500, 'P-' || n || '.step', 'part', 1000, 0, md5(n::text), 'step' FROM generate_series(0, ${FILES - 1}) n`,
  );
  await db.run(
    `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, unit, number, level)
     SELECT f.id, '', 'property', 'Name ' || k, f.kind, CASE WHEN (f.id + k) % 11 = 0 THEN '' WHEN k % 4 = 0 THEN ((f.id * k) % 9999)::text ELSE 'value ' || (f.id + k) % 40 END,
       'text', NULL, CASE WHEN k % 4 = 0 AND (f.id + k) % 11 <> 0 THEN (f.id * k) % 9999 END, 'document'
     FROM files f, generate_series(0, ${TYPED - 1}) k`,
  );
  await db.run('ANALYZE');
}

/** Thirty typed properties and ten rules: concatenation, arithmetic, decisions and lookups. */
export const typed = Array.from({ length: TYPED }, (_, k): PropertyDraft => ({
  ...newDraft(`Name ${k}`),
  ...(k % 4 === 0 ? { type: 'number', decimals: 0, max: 9998 } : { maxLength: 20, forbidden: '/' }),
}));
const rules = [
  'text(Name 1) + "-" + text(Name 2)',
  'upper case(coalesce(Name 3, Name 5, "none"))',
  'if Name 4 > 5000 then "heavy" else "light"',
  'if is blank(Name 6) then null else substring(Name 6, 1, 5)',
  'text(Name 7) + text(Name 9) + text(Name 10)',
  'if matches(text(Name 11), "value [0-9]$") then "one" else "two"',
  'string(coalesce(Name 8, 0) * 2)',
  'if Rule 0 = Rule 4 then "same" else Rule 1',
  'title case(text(Name 13))',
  'if Name 12 in [1..4999] then "low" else text(Name 14)',
];
export const ruled = rules.map((rule, k): PropertyDraft => ({ ...newDraft(`Rule ${k}`), feed: 'ruled', rule }));
