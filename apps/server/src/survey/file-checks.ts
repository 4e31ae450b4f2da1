import { CheckPage, CheckQuery, CheckRow } from '@rule/contract';
import { Kind } from '@rule/core/schema';
import { Finding, checkNames, valueFinding } from '@rule/core/survey';
import { HeldValue, compileStandIns } from '@rule/core/values';
import { HELD } from '../library/readings';
import { Db } from '../platform/db';
import { inForceOf } from '../schema/editions';
import { readSettings } from '../platform/settings';
import { Judgements, UNHELD } from '../values/judgements';

/** Files per page. */
const PAGE = 500;

interface Checked {
  readonly id: number;
  readonly path: string;
  readonly kind: Kind;
  readonly problem: string | null;
  readonly notes: readonly { readonly message: string }[] | null;
}

/** Checks the files of a library from stored findings, page by page, plus oddities of their names. */
export class FileChecks {
  constructor(
    private readonly db: Db,
    private readonly judgements: Judgements,
  ) {}

  async page({ library, after }: CheckQuery): Promise<CheckPage> {
    const files = await this.db.all<Checked>(
      `SELECT id, path, kind, problem, reading->'problems' AS notes FROM files WHERE library_id = $1 AND id > $2 AND NOT removed ORDER BY id LIMIT ${PAGE}`,
      [library, after],
    );
    const ids = files.map((file) => file.id);
    if (ids.length === 0) return { files: 0, last: null, rows: [] };
    await this.judgements.settle(ids);
    const [{ schema }, { standIns }, judged, held] = await Promise.all([
      inForceOf(this.db),
      readSettings(this.db),
      this.db.all<{ file: number; property: number | null; check: number | null; code: never; message: string; inside: string | null }>(
        `SELECT g.file_id AS file, g.property_id AS property, g.check_id AS "check", g.code, g.message,
         h.level || ' ' || coalesce(nullif(h.label, ''), h.key) AS inside
         FROM findings g
         LEFT JOIN holders h ON h.file_id = g.file_id AND h.key = g.holder AND g.holder <> ''
         WHERE g.file_id = ANY($1::int[]) AND g.code <> '${UNHELD}'
         ORDER BY g.file_id, g.holder, g.property_id`,
        [ids],
      ),
      this.db.all<{ file: number; name: string; held: HeldValue }>(
        `SELECT v.file_id AS file, v.name, ${HELD} AS held FROM held_values v
          WHERE v.file_id = ANY($1::int[]) AND v.holder = '' AND v.place = 'property'
          ORDER BY v.file_id, v.name`,
        [ids],
      ),
    ]);
    const properties = new Map(schema.properties.map((property) => [property.id, property]));
    const checks = new Map(schema.checks.map((check) => [check.id, check]));
    const findings = new Map<number, Finding[]>(ids.map((id) => [id, []]));
    for (const { file, property: id, check: checkId, code, message, inside } of judged) {
      const property = id === null ? undefined : properties.get(id);
      if (property) findings.get(file)!.push(valueFinding(property, { code, message }, inside ?? ''));
      else if (checkId !== null) findings.get(file)!.push({ severity: checks.get(checkId)?.severity ?? 'error', code: 'check', name: null, message });
    }
    const values = new Map<number, Map<string, HeldValue>>();
    for (const { file, name, held: value } of held) values.set(file, (values.get(file) ?? new Map<string, HeldValue>()).set(name, value));
    const compiled = compileStandIns(standIns);
    const rows = files.flatMap(({ id, path, kind, problem, notes }): CheckRow[] => {
      const all: Finding[] =
        problem !== null
          ? [{ severity: 'error', code: 'unreadable', name: null, message: problem }]
          : [
              ...findings.get(id)!,
              ...checkNames(
                { kind, notes: (notes ?? []).map((note) => note.message), properties: values.get(id) ?? new Map<string, HeldValue>() },
                schema,
                compiled,
              ),
            ];
      return all.map((finding) => ({ file: id, path, ...finding }));
    });
    return { files: files.length, last: ids.at(-1)!, rows };
  }
}
