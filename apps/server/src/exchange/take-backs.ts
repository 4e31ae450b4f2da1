import { ColumnMatch } from '@rule/core/exchange';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import {
  ApplyMode,
  ApplyReport,
  CELL_VERDICTS,
  CellFilter,
  CellGroup,
  CellPage,
  CellQuery,
  DecideRequest,
  ReadingChoice,
  TableInspection,
  TakeBackCellRow,
  TakeBackRow,
  TakeBackView,
} from '@rule/contract';
import { draftFrom } from '@rule/core/survey';
import { Applying } from '../changes/apply';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db } from '../platform/db';
import { forbidden, invalid, notFound, refused } from '../platform/problem';
import { FileStore } from '../platform/store';
import { Editions } from '../schema/editions';
import { WorkPool } from '../platform/pool';
import { Compared } from './compare.thread';
import { Attempt, TableInput } from './opened-table';
import { PutAway } from './tray.thread';
import { User, mayDecide } from '../users/user';

/** Largest table accepted. */
export const LARGEST_TABLE = 128 * 1024 * 1024;

/** Rows compared within the request; larger tables become a job. */
const AT_ONCE = 3000;
/** Maximum omitted rows in a view. */
const MOST_ISSUES = 200;

const ROW = `t.id, t.name, u.display_name AS "by", t.at, t.state, t.counts, t.note, t.send_outs AS "sendOuts"`;

/** Columns of a cell page; needs `take_back_cells c`, `files f` and `holders h`. */
const CELL = `c.id, c.row, c.file_id AS file, f.path, f.kind, coalesce(h.label, '') AS holder, c.property_id AS property, c.name, c.verdict, c.base, c.current, c.proposed, c.takeable, c.proven,
  c.text, c.code, c.message, c.decision, c.outcome`;

/** Cells waiting to go to the tray. */
const READY = `c.decision = 'take' AND c.outcome IS NULL AND c.takeable`;
/** Undecided cells that can be decided. */
const OPEN = `c.decision IS NULL AND c.outcome IS NULL AND c.verdict IN ('conflict', 'spoiled')`;

/** Identifies tables with the same columns in the same order. */
const headerKey = (columns: readonly ColumnMatch[]): string => JSON.stringify(columns.map((column) => column.header));

/** Tables taken back: questions, changes and outcomes. */
export class TakeBacks {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly jobs: Jobs,
    private readonly editions: Editions,
    private readonly applying: Applying,
    private readonly store: FileStore,
    private readonly clock: () => Date,
    private readonly temp: string,
  ) {
    jobs.define<{ takeBack: number; user: User }>('take-back', (context, { takeBack, user }) => this.compare(user, takeBack, context));
  }

  list(): Promise<TakeBackRow[]> {
    return this.db.all<TakeBackRow>(`SELECT ${ROW} FROM take_backs t JOIN users u ON u.id = t.user_id ORDER BY t.id DESC LIMIT 500`);
  }

  /** Takes a table in. If nothing is unclear, it is compared at once. */
  async take(user: User, name: string, bytes: Uint8Array, choice: ReadingChoice = {}): Promise<TakeBackView> {
    if (bytes.length === 0) throw invalid('empty-file', `${name} is empty.`);
    const hash = await this.store.put(bytes);
    const first = unpacked(name, await this.pool.run('inspectTable', { name, hash, choice }));
    // A table with a known header reuses the earlier answers.
    const earlier = first.asks.length ? await this.answersFor(first) : null;
    const wanted = earlier ? { ...earlier.choice, ...choice } : choice;
    const found = earlier ? unpacked(name, await this.pool.run('inspectTable', { name, hash, choice: wanted })) : first;
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO take_backs (user_id, at, name, hash, choice, inspection, state, answers_of)
        VALUES ($1, $2, $3, $4, $5::jsonb, $6::jsonb, 'asking', $7) RETURNING id`,
      [user.id, this.clock(), name, hash, JSON.stringify(wanted), json(found), earlier?.of ?? null],
    );
    if (found.asks.length === 0) await this.startComparing(user, row!.id, found.rows);
    return this.view(row!.id);
  }

  /** Stores answers, and compares once nothing is open. */
  async answer(user: User, id: number, choice: ReadingChoice): Promise<TakeBackView> {
    const { name, hash, state } = await this.stored(id);
    if (state === 'comparing') throw refused('comparing', 'The table is being compared.');
    if (await this.db.one('SELECT 1 FROM take_back_cells WHERE take_back_id = $1 AND outcome IS NOT NULL LIMIT 1', [id]))
      throw refused('in-tray', 'Values of this table are already pending or written. Take the file back again instead.');
    const found = unpacked(name, await this.pool.run('inspectTable', { name, hash, choice }));
    await this.db.run(`UPDATE take_backs SET choice = $2::jsonb, inspection = $3::jsonb, state = 'asking' WHERE id = $1`, [
      id,
      JSON.stringify(choice),
      json(found),
    ]);
    if (found.asks.length === 0 && !choice.hold) {
      await this.draft(user, { name, hash, choice }, found);
      await this.remember(id, found, choice);
      await this.startComparing(user, id, found.rows);
    }
    return this.view(id);
  }

  /** Reopens the questions of a compared table, as long as none of its values has gone to the tray. */
  async reopen(id: number): Promise<TakeBackView> {
    const touched = await this.db.run(
      `UPDATE take_backs t SET state = 'asking'
        WHERE id = $1 AND state IN ('compared', 'failed') AND NOT EXISTS (SELECT 1 FROM take_back_cells c WHERE c.take_back_id = t.id AND c.outcome IS NOT NULL)`,
      [id],
    );
    if (touched === 0) throw refused('in-tray', 'Values of this table are already pending or written. Take the file back again instead.');
    return this.view(id);
  }

  /** Stores decisions by header for the next table with the same one. */
  private async remember(id: number, { columns, sheet, headerRow }: TableInspection, choice: ReadingChoice): Promise<void> {
    const { hold: _, ...kept } = choice;
    void _;
    await this.db.run(
      `INSERT INTO reading_answers (header, take_back_id, choice) VALUES ($1, $2, $3::jsonb)
       ON CONFLICT (header) DO UPDATE SET take_back_id = excluded.take_back_id, choice = excluded.choice`,
      [headerKey(columns), id, JSON.stringify({ ...kept, ...(sheet === null || choice.sheet === undefined ? {} : { sheet }), headerRow })],
    );
  }

  /** Decisions for the last table with the same header. */
  private answersFor({ columns, format }: TableInspection): Promise<{ of: number; choice: ReadingChoice } | null> {
    return this.db
      .one<{ of: number; choice: ReadingChoice }>('SELECT take_back_id AS of, choice FROM reading_answers WHERE header = $1', [headerKey(columns)])
      .then((row) => {
        if (!row) return null;
        const { encoding, delimiter, decimal, sheet, ...rest } = row.choice;
        // Encoding belongs to the file; delimiters apply to CSV only.
        void encoding;
        return {
          of: row.of,
          choice: { ...rest, ...(format === 'csv' ? { ...(delimiter ? { delimiter } : {}), ...(decimal ? { decimal } : {}) } : sheet ? { sheet } : {}) },
        };
      });
  }

  /** Creates draft properties from columns, with type and scope taken from their rows. */
  private async draft(user: User, input: TableInput, { columns }: TableInspection): Promise<void> {
    const wanted = columns.filter((column) => column.use === 'draft' && input.choice.columns?.[column.at]?.use === 'draft');
    if (wanted.length === 0) return;
    if (user.role !== 'administrator') throw forbidden('Only administrators can draft properties. Skip the column or ask an administrator.');
    const { schema } = await this.editions.draft();
    const known = new Set(schema.properties.map((property) => property.writtenName));
    const fresh = wanted.filter((column) => !known.has(column.header.trim()));
    if (fresh.length === 0) return;
    const made = unpacked(input.name, await this.pool.run('draftColumns', { ...input, columns: fresh.map((column) => column.at) }));
    await this.editions.add(
      user,
      made.map(({ header, kinds, classes, level, values }) => ({
        ...draftFrom(header, kinds.length ? kinds : ['part', 'assembly', 'drawing'], values),
        classes,
        level,
      })),
    );
  }

  private async startComparing(user: User, id: number, rows: number): Promise<void> {
    await this.db.run(`UPDATE take_backs SET state = 'comparing' WHERE id = $1`, [id]);
    if (rows <= AT_ONCE || !this.jobs.takesWork) await this.compare(user, id, null);
    else {
      const job = await this.jobs.start(user, 'take-back', 'Compare a table that came back', { takeBack: id, user });
      await this.db.run('UPDATE take_backs SET job_id = $2 WHERE id = $1', [id, job]);
    }
  }

  private async compare(user: User, id: number, context: JobContext | null): Promise<Compared> {
    const { name, hash, choice } = await this.stored(id);
    try {
      const job =
        context === null ? null : ((await this.db.one<{ job: number | null }>('SELECT job_id AS job FROM take_backs WHERE id = $1', [id]))?.job ?? null);
      const compared = unpacked(name, await this.pool.run('compareTable', { takeBack: id, job, name, hash, choice, role: user.role }));
      context?.progress('', compared.counts.rows, compared.counts.rows);
      await this.db.run(`UPDATE take_backs SET state = 'compared', counts = $2::jsonb, note = $3, send_outs = $4::int[], warnings = $5::jsonb WHERE id = $1`, [
        id,
        JSON.stringify(compared.counts),
        compared.note,
        compared.sendOuts,
        JSON.stringify(await this.warnings(id, user, hash, compared.sendOuts)),
      ]);
      await this.db.run('UPDATE send_outs SET taken_back_at = $2 WHERE id = ANY($1::int[])', [compared.sendOuts, this.clock()]);
      return compared;
    } catch (error) {
      await this.db.run(`UPDATE take_backs SET state = 'failed', note = $2 WHERE id = $1`, [id, error instanceof Error ? error.message : String(error)]);
      throw error;
    }
  }

  /** Warnings about other copies. */
  private async warnings(id: number, user: User, hash: string, sendOuts: readonly number[]): Promise<string[]> {
    const [earlier, twice, since, newer, edition] = await Promise.all([
      this.db.one<{ of: number }>('SELECT answers_of AS of FROM take_backs WHERE id = $1 AND answers_of IS NOT NULL', [id]),
      this.db.all<{ at: string; by: string }>(
        `SELECT to_char(t.at, 'YYYY-MM-DD HH24:MI') AS at, u.display_name AS "by" FROM take_backs t
          JOIN users u ON u.id = t.user_id
          WHERE t.hash = $2 AND t.id <> $1 AND EXISTS (SELECT 1 FROM take_back_cells c WHERE c.take_back_id = t.id AND c.outcome IS NOT NULL)
          ORDER BY t.id DESC LIMIT 1`,
        [id, hash],
      ),
      // Copies that came back while this one was out and changed the same files.
      this.db.all<{ name: string; by: string; files: number; at: string }>(
        `SELECT t.name, u.display_name AS "by", to_char(t.at, 'YYYY-MM-DD') AS at, count(DISTINCT c.file_id)::int AS files
         FROM take_backs t JOIN users u ON u.id = t.user_id JOIN take_back_cells c ON c.take_back_id = t.id AND c.outcome IN ('tray', 'applied')
         WHERE t.id <> $1 AND t.user_id <> $3 AND t.at > (SELECT min(at) FROM send_outs WHERE id = ANY($2::int[]))
           AND c.file_id IN (SELECT file_id FROM send_out_rows WHERE send_out_id = ANY($2::int[])) GROUP BY t.id, u.display_name ORDER BY t.id DESC LIMIT 5`,
        [id, sendOuts, user.id],
      ),
      this.db.all<{ name: string; by: string; files: number }>(
        `SELECT s.name, CASE WHEN s.recipient = '' THEN u.display_name ELSE s.recipient END AS "by", count(DISTINCT r.file_id)::int AS files
         FROM send_outs s JOIN users u ON u.id = s.user_id JOIN send_out_rows r ON r.send_out_id = s.id
         WHERE s.taken_back_at IS NULL AND s.closed_at IS NULL AND NOT s.delivery AND s.state = 'done' AND s.id > (SELECT max(x) FROM unnest($1::int[]) x)
           AND r.file_id IN (SELECT file_id FROM send_out_rows WHERE send_out_id = ANY($1::int[])) GROUP BY s.id, u.display_name ORDER BY s.id DESC LIMIT 5`,
        [sendOuts],
      ),
      this.db.one<{ sent: number | null; now: number | null }>(
        `SELECT (SELECT min(edition) FROM send_outs WHERE id = ANY($1::int[])) AS sent, (SELECT number FROM editions WHERE state = 'in force') AS now`,
        [sendOuts],
      ),
    ]);
    return [
      ...(earlier ? [`Its columns are read as in take-back ${earlier.of}.`] : []),
      ...twice.map(({ at, by }) => `This file was already taken back on ${at} by ${by}.`),
      ...since.map(
        ({ name, by, files, at }) =>
          `While this copy was out, ${by} took ${name} back on ${at}: ${files === 1 ? 'one of its files' : `${files} of its files`} changed.`,
      ),
      ...newer.map(({ name, by, files }) => `A later copy, ${name}, is still out with ${by} and holds ${files === 1 ? 'one' : files} of the same files.`),
      ...(edition?.sent && edition.now && edition.sent < edition.now
        ? [`It was sent out by edition ${edition.sent}; edition ${edition.now} is in force.`]
        : []),
    ];
  }

  private async stored(id: number): Promise<{ name: string; hash: string; choice: ReadingChoice; state: string }> {
    const row = await this.db.one<{ name: string; hash: string | null; choice: ReadingChoice; state: string }>(
      'SELECT name, hash, choice, state FROM take_backs WHERE id = $1',
      [id],
    );
    if (!row) throw notFound(`Take-back ${id}`);
    if (row.hash === null) throw refused('not-kept', 'The file of this take-back is no longer stored. Take it back again.');
    return { ...row, hash: row.hash };
  }

  /** Updates cells whose lines have left the tray. */
  private async refreshOutcomes(id: number): Promise<void> {
    await this.db.run(
      `UPDATE take_back_cells c SET outcome = CASE WHEN l.state = 'applied' THEN 'applied' WHEN l.state IS NULL THEN 'dropped' ELSE 'failed' END
       FROM take_back_cells t LEFT JOIN LATERAL (
         SELECT l.state, s.state AS "set" FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id
         WHERE l.file_id = t.file_id AND l.holder = t.holder AND l.place = t.place AND l.name = t.slot
           AND l.reason = 'take-back ' || t.take_back_id || ', row ' || t.row
         ORDER BY l.id DESC LIMIT 1) l ON true
       WHERE t.take_back_id = $1 AND t.outcome IN ('tray', 'failed') AND c.id = t.id AND (l."set" IS NULL OR l."set" <> 'pending' OR c.outcome = 'failed')
         AND c.outcome IS DISTINCT FROM CASE WHEN l.state = 'applied' THEN 'applied' WHEN l.state IS NULL THEN 'dropped'
           WHEN l."set" = 'pending' THEN 'tray' ELSE 'failed' END`,
      [id],
    );
  }

  async view(id: number): Promise<TakeBackView> {
    const row = await this.db.one<TakeBackRow & { inspection: TableInspection | null; warnings: string[]; job: number | null }>(
      `SELECT ${ROW}, t.inspection, t.warnings, t.job_id AS job FROM take_backs t JOIN users u ON u.id = t.user_id WHERE t.id = $1`,
      [id],
    );
    if (!row) throw notFound(`Take-back ${id}`);
    await this.refreshOutcomes(id);
    const { inspection, warnings, job, ...takeBack } = row;
    const [issues, issueCount, groups] = await Promise.all([
      this.db.all<TakeBackView['issues'][number]>(
        `SELECT row, code, message, cells FROM take_back_issues WHERE take_back_id = $1 ORDER BY row LIMIT ${MOST_ISSUES}`,
        [id],
      ),
      this.db.one<{ n: number }>('SELECT count(*)::int AS n FROM take_back_issues WHERE take_back_id = $1', [id]),
      // One pass over the cells serves all summaries.
      this.db.all<CellSum>(
        `SELECT c.property_id AS property, coalesce(c.name, p.definition->>'caption', '') AS caption, f.folder, c.verdict, c.code,
           CASE WHEN ${READY} THEN 'ready' WHEN c.outcome = 'tray' THEN 'tray' WHEN c.outcome IS NOT NULL THEN 'written'
             WHEN ${OPEN} THEN 'open' ELSE '' END AS state, count(*)::int AS n
         FROM take_back_cells c JOIN files f ON f.id = c.file_id
         LEFT JOIN properties p ON p.id = c.property_id WHERE c.take_back_id = $1 GROUP BY 1, 2, 3, 4, 5, 6`,
        [id],
      ),
    ]);
    const inState = (state: CellSum['state']) => groups.reduce((sum, group) => (group.state === state ? sum + group.n : sum), 0);
    return {
      takeBack,
      inspection: takeBack.state === 'asking' ? inspection : null,
      issues,
      issueCount: issueCount!.n,
      warnings,
      byProperty: summedBy(groups, (group) => [String(group.property), group.caption]),
      byFolder: summedBy(groups, (group) => [group.folder, group.folder]).slice(0, MOST_FOLDERS),
      byCode: codesOf(groups),
      ready: inState('ready'),
      inTray: inState('tray'),
      written: inState('written'),
      open: inState('open'),
      job: takeBack.state === 'comparing' ? job : null,
    };
  }

  /** A page of cells in row order. */
  async cells(id: number, { offset, limit, ...filter }: CellQuery): Promise<CellPage> {
    if (Object.values(filter).every((value) => value === undefined || value === '')) return this.plainCells(id, offset, limit);
    const { sql, bind } = cellSql(filter, 2);
    const joins = 'JOIN files f ON f.id = c.file_id';
    const needsFile = filter.folder !== undefined || Boolean(filter.search);
    const [total, cells] = await Promise.all([
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM take_back_cells c ${needsFile ? joins : ''} WHERE c.take_back_id = $1 AND ${sql}`, [
        id,
        ...bind,
      ]),
      this.db.all<TakeBackCellRow>(
        `SELECT ${CELL}
         FROM (SELECT c.* FROM take_back_cells c ${needsFile ? joins : ''} WHERE c.take_back_id = $1 AND ${sql}
             ORDER BY c.row, c.id OFFSET $${bind.length + 2} LIMIT $${bind.length + 3}) c
         ${joins} LEFT JOIN holders h ON h.file_id = c.file_id AND h.key = c.holder AND c.holder <> '' ORDER BY c.row, c.id`,
        [id, ...bind, offset, limit],
      ),
    ]);
    return { total: total!.n, cells };
  }

  /** Cells are numbered, so every page is equally fast. */
  private async plainCells(id: number, offset: number, limit: number): Promise<CellPage> {
    const [last, cells] = await Promise.all([
      this.db.one<{ n: number | null }>('SELECT max(n) AS n FROM take_back_cells WHERE take_back_id = $1', [id]),
      this.db.all<TakeBackCellRow>(
        `SELECT ${CELL} FROM take_back_cells c JOIN files f ON f.id = c.file_id
         LEFT JOIN holders h ON h.file_id = c.file_id AND h.key = c.holder AND c.holder <> ''
         WHERE c.take_back_id = $1 AND c.n > $2 AND c.n <= $3 ORDER BY c.n`,
        [id, offset, offset + limit],
      ),
    ]);
    return { total: last!.n ?? 0, cells };
  }

  /** Decides cells: a list, or all matching a filter. Cells that cannot be taken stay as they are. */
  async decide(id: number, { cells, filter, decision }: DecideRequest): Promise<TakeBackView> {
    const { sql, bind } = cellSql(filter, 4);
    await this.db.run(
      `UPDATE take_back_cells SET decision = $2 WHERE id IN (
         SELECT c.id
           FROM take_back_cells c ${filter.folder !== undefined || filter.search ? 'JOIN files f ON f.id = c.file_id' : ''}
           WHERE c.take_back_id = $1 AND c.outcome IS NULL AND c.verdict IN ('change', 'conflict', 'spoiled')
           AND ($2::text IS DISTINCT FROM 'take' OR c.takeable) AND ($3::int[] IS NULL OR c.id = ANY($3::int[])) AND ${sql})`,
      [id, decision, cells, ...bind],
    );
    return this.view(id);
  }

  /** Moves cells to be taken into a user's tray, or under a title into a separate change set. */
  private putAway(user: User, id: number, apart: string | null): Promise<Attempt<PutAway>> {
    return this.pool.run('toTray', { takeBack: id, user, at: this.clock(), apart });
  }

  /** Moves cells to be taken into a user's tray. */
  async toTray(user: User, id: number): Promise<TakeBackView> {
    const { name } = await this.stored(id);
    unpacked(name, await this.jobs.within(user, 'take-back', `Put values of ${name} in the tray`, () => this.putAway(user, id, null)));
    return this.view(id);
  }

  /** Applies cells to be taken as a separate change set, bypassing trays. */
  async apply(user: User, id: number, mode: ApplyMode, context: JobContext): Promise<ApplyReport> {
    const { name } = await this.stored(id);
    const title = `take-back ${id}: ${name}`;
    const { changeSet } = unpacked(name, await this.putAway(user, id, title));
    return this.applying.applySet(user, changeSet!, mode, title, context);
  }

  /** Everyone can see a returned table; only its owner or an administrator decides. */
  async checkOwner(user: Pick<User, 'id' | 'role'>, id: number): Promise<void> {
    const row = await this.db.one<{ owner: number; by: string }>(
      'SELECT t.user_id AS owner, u.display_name AS "by" FROM take_backs t JOIN users u ON u.id = t.user_id WHERE t.id = $1',
      [id],
    );
    if (!row) throw notFound(`Take-back ${id}`);
    if (!mayDecide(user, row.owner)) throw refused('not-yours', `${row.by} took this table back; only they or an administrator can decide about it.`);
  }

  /** Title of its apply. */
  async titleOfApply(id: number): Promise<string> {
    return `Apply values of ${(await this.stored(id)).name}`;
  }

  /** Applies in the background, as a job that others can watch. */
  async applyUnasked(user: User, id: number, mode: ApplyMode): Promise<ApplyReport> {
    return this.jobs.within(user, 'apply', await this.titleOfApply(id), (context) => this.apply(user, id, mode, context));
  }

  /** Writes the table with outcomes to a temporary file, which the caller removes. */
  async result(id: number): Promise<{ path: string; name: string }> {
    const { name, hash, choice, state } = await this.stored(id);
    if (state !== 'compared') throw refused('not-compared', 'The table has not been compared yet.');
    await this.refreshOutcomes(id);
    await mkdir(this.temp, { recursive: true });
    const target = join(this.temp, `${randomUUID()}.xlsx`);
    try {
      unpacked(name, await this.pool.run('resultTable', { takeBack: id, name, hash, choice, target }));
    } catch (error) {
      await rm(target, { force: true });
      throw error;
    }
    return { path: target, name: `${name.replace(/\.[a-z0-9]+$/i, '')} result.xlsx` };
  }
}

/** Counts of cells by property, folder, verdict, reason and state. */
interface CellSum {
  readonly property: number;
  readonly caption: string;
  readonly folder: string;
  readonly verdict: (typeof CELL_VERDICTS)[number];
  readonly code: string;
  readonly state: 'ready' | 'tray' | 'written' | 'open' | '';
  readonly n: number;
}

/** Maximum folders in a summary; others are found by search. */
const MOST_FOLDERS = 200;

/** Counts by key, largest first. */
function summedBy(groups: readonly CellSum[], keyOf: (group: CellSum) => readonly [key: string, caption: string]): CellGroup[] {
  const sums = new Map<string, { key: string; caption: string; open: number; counts: Record<(typeof CELL_VERDICTS)[number], number>; all: number }>();
  for (const group of groups) {
    const [key, caption] = keyOf(group);
    const entry = sums.get(key) ?? { key, caption, open: 0, counts: { change: 0, conflict: 0, spoiled: 0, error: 0, same: 0 }, all: 0 };
    entry.counts[group.verdict] += group.n;
    entry.all += group.n;
    if (group.state === 'open') entry.open += group.n;
    sums.set(key, entry);
  }
  return [...sums.values()]
    .sort((a, b) => b.all - a.all || a.caption.localeCompare(b.caption))
    .map(({ key, caption, open, counts }) => ({ key, caption, open, counts }));
}

function codesOf(groups: readonly CellSum[]): TakeBackView['byCode'] {
  const sums = new Map<string, { verdict: string; code: string; count: number; open: number }>();
  for (const { verdict, code, state, n } of groups) {
    const entry = sums.get(`${verdict}/${code}`) ?? { verdict, code, count: 0, open: 0 };
    entry.count += n;
    if (state === 'open') entry.open += n;
    sums.set(`${verdict}/${code}`, entry);
  }
  return [...sums.values()].sort((a, b) => b.count - a.count);
}

/** Text that PostgreSQL's JSON can hold. */
const json = (value: unknown): string => JSON.stringify(value).replaceAll('\\u0000', '\\ufffd');

/** A worker's result, or its refusal as an error naming the file. */
function unpacked<T>(name: string, outcome: Attempt<T>): T {
  if (outcome.ok) return outcome.value;
  throw invalid(outcome.code, `${name}: ${outcome.message}`);
}

/** SQL condition of a cell filter, on `take_back_cells c` and `files f`. */
function cellSql({ verdict, property, folder, code, row, search, decision }: CellFilter, first: number): { sql: string; bind: unknown[] } {
  const bind: unknown[] = [];
  const add = (value: unknown) => `$${first + bind.push(value) - 1}`;
  const parts = ['true'];
  if (verdict !== undefined) parts.push(`c.verdict = ${add(verdict)}`);
  if (property !== undefined) parts.push(`c.property_id = ${add(property)}::int`);
  if (folder !== undefined) {
    const at = add(folder);
    parts.push(`(f.folder = ${at} OR starts_with(f.folder, ${at} || '/'))`);
  }
  if (code !== undefined) parts.push(`c.code = ${add(code)}`);
  if (row !== undefined) parts.push(`c.row = ${add(row)}::int`);
  if (search) {
    const at = add(`%${search.replace(/[\\%_]/g, '\\$&')}%`);
    parts.push(`(f.path ILIKE ${at} OR c.text ILIKE ${at} OR c.current->>'text' ILIKE ${at})`);
  }
  if (decision !== undefined) parts.push(decision === 'open' ? OPEN : `c.decision = ${add(decision)}`);
  return { sql: parts.join(' AND '), bind };
}
