import { CellFinding } from '@rule/contract';
import { FileJudgement, Judged, PreparedSchema, repairFor } from '@rule/core/schema';
import { CopyValue, Db, Sql } from '../platform/db';
import { WorkPool } from '../platform/pool';
import { LOCKS, TAKE_LOCK } from '../platform/locks';
import { LoadedFacts, loadFacts, surroundingsOf } from '../schema/facts';
import { preparedInForce } from '../schema/prepared';
import { NUMBER_SETS, keepCellStates } from './cells';

declare module '../platform/pool' {
  interface Tasks {
    readonly judge: (input: { readonly only: readonly number[] | null; readonly now: Date }) => Promise<number>;
  }
}

/** Files judged at a time. */
const BATCH = 200;
/** Larger numbers are judged in a worker thread. */
const FEW = 200;

/** Queue entry standing for all files. */
const ALL = 0;

/** Triggers queue changed files in `to_judge`; this adds dependants: drawings of a model, assemblies of a part, files of a project. */
const SPREAD = `WITH RECURSIVE changed AS (UPDATE to_judge SET spread = true WHERE NOT spread RETURNING file_id),
  every AS (SELECT id AS file_id FROM files WHERE NOT removed AND EXISTS (SELECT 1 FROM changed WHERE file_id = ${ALL})),
  above(file_id) AS (SELECT file_id FROM changed WHERE file_id > 0 UNION SELECT c.assembly_id FROM above a JOIN copies c ON c.part_id = a.file_id),
  looking AS (
    SELECT file_id FROM every
    UNION SELECT file_id FROM above
    UNION SELECT f.id FROM files f JOIN above a ON f.model_file_id = a.file_id WHERE NOT f.removed
    UNION SELECT m.file_id FROM sheet_models m JOIN above a ON m.model_file_id = a.file_id
    UNION SELECT f.id FROM files f JOIN changed w ON w.file_id < 0 AND (f.project_id = -w.file_id OR f.set_id = -w.file_id) WHERE NOT f.removed
    UNION SELECT f.id FROM files f, changed w JOIN wide_holders h ON h.id = -w.file_id AND h.level = 'company' WHERE w.file_id < 0 AND NOT f.removed)
  INSERT INTO to_judge (file_id, spread) SELECT file_id, true FROM looking EXCEPT SELECT file_id, true FROM changed`;

/** Whether the queue contains anything that affects drawing sets. */
const CONCERNS_SETS = `SELECT EXISTS (SELECT 1 FROM to_judge q LEFT JOIN files f ON f.id = q.file_id WHERE NOT q.spread AND (q.file_id <= 0 OR f.kind = 'drawing')) AS sets`;

const TAKE = `DELETE FROM to_judge
  WHERE file_id IN (SELECT DISTINCT file_id FROM to_judge WHERE $1::int[] IS NULL OR file_id = ANY($1::int[]) LIMIT ${BATCH})
  RETURNING file_id AS id`;

/** Stored findings; only problems and outdated values have rows. */
const FINDINGS = 'findings (file_id, holder, property_id, check_id, code, message, wanted)';

/** Judges files and replaces their findings. */
async function judgeFiles(sql: Sql, ids: readonly number[], prepared: PreparedSchema): Promise<void> {
  const around = surroundingsOf([prepared]);
  const facts = await loadFacts(sql, ids, around);
  const found: CopyValue[][] = [];
  for (const file of facts.values()) found.push(...findingsOf(prepared, file));
  await sql.run('DELETE FROM findings WHERE file_id = ANY($1::int[])', [ids]);
  if (found.length) await sql.copy(FINDINGS, found);
  await keepCellStates(sql, ids, prepared, facts);
}

/** Marks computed values without a place to write them. */
export const UNHELD = 'unheld';

/** Target of a stale or renamed value. */
const wantedOf = (judged: Judged, prepared: PreparedSchema) => (judged.derived !== undefined ? judged.derived : repairFor(judged, prepared.standIns));

/** All findings of a file and its holders; the common basis of grid, forms, Overview and checks. */
export function* findingsOf(prepared: PreparedSchema, file: LoadedFacts): Generator<CopyValue[]> {
  const of = function* (holder: string, values: FileJudgement['values']): Generator<CopyValue[]> {
    for (const [property, judged] of values) {
      // Not a finding, but the only place to store such a value.
      if (judged.unheld && judged.value) yield [file.id, holder, property, null, UNHELD, '', JSON.stringify(judged.value)];
      for (const { code, message } of judged.cell.violations) {
        const wanted = code === 'stale' || code === 'other-name' ? wantedOf(judged, prepared) : null;
        yield [file.id, holder, property, null, code, message, wanted ? JSON.stringify(wanted) : null];
      }
    }
  };
  const { values, failed } = prepared.judge(file);
  yield* of('', values);
  for (const { check, message } of failed) yield [file.id, '', null, check.id, 'check', message, null];
  for (const holder of file.holders) yield* of(holder.key, prepared.judgeHolder(file, holder));
}

/**
 * Updates stored findings of some files or all queued ones.
 * @returns how many were judged
 */
export async function judgeWaiting(db: Db, only: readonly number[] | null, now: Date): Promise<number> {
  let judged = 0;
  for (;;) {
    const ids = await db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.judging]);
      const taken = [...new Set((await sql.all<{ id: number }>(TAKE, [only])).map((row) => row.id))];
      if (taken.length === 0) return taken;
      // Read after the queue, so it is at least as new.
      const prepared = await preparedInForce(sql, now);
      await judgeFiles(
        sql,
        taken.filter((id) => id > 0),
        prepared,
      );
      return taken;
    });
    if (ids.length === 0) return judged;
    judged += ids.length;
  }
}

/** Whether nothing changed since the last judgement; `$1` is the day, as conditions may depend on the date. */
const AT_REST = `NOT EXISTS (SELECT 1 FROM to_judge) AND EXISTS (SELECT 1 FROM settings WHERE key = 'judgedOn' AND value = to_jsonb($1::text))`;

/** Stored findings, brought up to date on request. */
export class Judgements {
  constructor(
    private readonly db: Db,
    private readonly pool: Pick<WorkPool, 'run'>,
    private readonly clock: () => Date,
  ) {}

  /** Findings of files. */
  async of(files: readonly number[]): Promise<Map<number, CellFinding[]>> {
    // One statement tells whether anything changed and what was found.
    const look = async () =>
      (await this.db.often.one<{
        rest: boolean;
        list: [file: number, property: number, code: CellFinding['code'], message: string, wanted: CellFinding['wanted']][] | null;
      }>(
        `SELECT ${AT_REST} AS rest, (SELECT json_agg(json_build_array(file_id, property_id, code, message, wanted)) FROM findings
           WHERE file_id = ANY($2::int[]) AND holder = '' AND property_id IS NOT NULL AND code <> '${UNHELD}') AS list`,
        [this.today(), files],
      ))!;
    const first = await look();
    if (!first.rest) await this.settle(files);
    const { list } = first.rest ? first : await look();
    const byFile = new Map<number, CellFinding[]>();
    for (const [file, property, code, message, wanted] of list ?? []) {
      const finding: CellFinding = { property, code, message, wanted };
      const known = byFile.get(file);
      if (known) known.push(finding);
      else byFile.set(file, [finding]);
    }
    return byFile;
  }

  /** Findings of files and holders, by `file/key` (`file/` for the file). */
  async inside(files: readonly number[]): Promise<Map<string, CellFinding[]>> {
    await this.settle(files);
    const found = await this.db.all<CellFinding & { file: number; holder: string }>(
      `SELECT file_id AS file, holder, property_id AS property, code, message, wanted FROM findings
        WHERE file_id = ANY($1::int[]) AND property_id IS NOT NULL AND code <> '${UNHELD}'`,
      [files],
    );
    const byHolder = new Map<string, CellFinding[]>();
    for (const { file, holder, ...finding } of found) byHolder.set(`${file}/${holder}`, [...(byHolder.get(`${file}/${holder}`) ?? []), finding]);
    return byHolder;
  }

  /** Counts of values by problem: each value counts once; missing, stale or renamed ones are not violations. */
  async counts(): Promise<{ missing: number; stale: number; wrong: number }> {
    await this.settle();
    return (await this.db.one<{ missing: number; stale: number; wrong: number }>(
      `SELECT count(*) FILTER (WHERE missing)::int AS missing, count(*) FILTER (WHERE stale)::int AS stale, count(*) FILTER (WHERE wrong)::int AS wrong FROM (
         SELECT bool_or(f.code = 'required') AS missing, bool_or(f.code = 'stale') AS stale,
           bool_or(f.code NOT IN ('required', 'stale', 'stand-in', 'other-name', '${UNHELD}')) AS wrong
         FROM findings f WHERE f.property_id IS NOT NULL GROUP BY f.file_id, f.holder, f.property_id) v`,
    ))!;
  }

  private today(): string {
    return this.clock().toISOString().slice(0, 10);
  }

  /** Updates findings of some files or all. Cheap if nothing changed. */
  async settle(only: readonly number[] | null = null): Promise<void> {
    const now = this.clock();
    // Usually nothing changed, which is checked without writing.
    const { rest } = (await this.db.often.one<{ rest: boolean }>(`SELECT ${AT_REST} AS rest`, [this.today()]))!;
    if (rest) return;
    // Conditions may depend on the date.
    await this.db.run(
      `WITH day AS (INSERT INTO settings VALUES ('judgedOn', to_jsonb($1::text)) ON CONFLICT (key) DO UPDATE SET value = excluded.value
       WHERE settings.value <> excluded.value RETURNING 1)
       INSERT INTO to_judge (file_id) SELECT ${ALL} FROM day`,
      [now.toISOString().slice(0, 10)],
    );
    const { sets } = (await this.db.one<{ sets: boolean }>(CONCERNS_SETS))!;
    if (sets) await this.db.run(NUMBER_SETS);
    await this.db.run(SPREAD);
    const { n } = (await this.db.one<{ n: number }>(
      'SELECT count(*)::int AS n FROM (SELECT 1 FROM to_judge WHERE $1::int[] IS NULL OR file_id = ANY($1::int[]) LIMIT $2) q',
      [only, FEW + 1],
    ))!;
    if (n === 0) return;
    if (n <= FEW) await judgeWaiting(this.db, only, now);
    // What the thread writes is news here, also where it breaks off.
    else await this.pool.run('judge', { only, now }).finally(() => void this.db.facts.written++);
  }
}
