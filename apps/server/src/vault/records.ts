import { LegacyList, LegacyRow, RecordEditReport, RecordEditRow, RecordEdits, RecordPage, RecordRow, RecordsQuery, RecordsStarted } from '@rule/contract';
import { Link, Property, checkProposed, fileLeads, forClass, linkReaches, passingAt } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { VaultDefinition, fieldReaches, whyNotTaken } from '@rule/core/vault';
import { count } from '@rule/core/words';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db, asRecordset } from '../platform/db';
import { AppError, notFound, refused } from '../platform/problem';
import { WorkPool } from '../platform/pool';
import { readSettings } from '../platform/settings';
import { PlainTable } from '../platform/table';
import { Properties } from '../schema/properties';
import { User, mayDecide } from '../users/user';
import './list.thread';
import { VaultLocks } from './locks';
import { RULE_USER, VaultEntry, VaultPort } from './port';
import { LinkComparisons } from './comparisons';
import { STANDING, definitionOf } from './said';

/** Records with their library files. */
const RECORDS = `FROM vault_records r
  LEFT JOIN (files f JOIN libraries l ON l.id = f.library_id AND l.in_vault LEFT JOIN classes c ON c.id = f.class_id) ON f.path = r.path AND NOT f.removed`;
const WANTED = `WHERE ($1::text IS NULL OR $1 = '' OR starts_with(r.path, $1 || '/'))
  AND ($2::text IS NULL OR strpos(r.words, $2) > 0)
  AND ($3::text IS NULL OR r.state = $3) AND ($4::text IS NULL OR coalesce(f.kind, r.kind) = $4)`;

/** Records matching keys by path or file name (lower case), or by a field. */
const BY_PATH = `WHERE lower(r.path) = ANY($1::text[]) OR lower(regexp_replace(r.path, '^.*/', '')) = ANY($1::text[])`;
const BY_FIELD = 'WHERE trim(r.record->>$2) = ANY($1::text[])';

/** Records written before the history is saved; this much may be missing after a crash. */
const KEPT_TOGETHER = 50;

/** Longest time a request waits for records, in milliseconds. After that it continues as a job. */
const PATIENCE = 2000;

/** A record with what is needed to check an edit. */
type Judged = Omit<RecordRow, 'closed'>;

/** A value to write into a record. */
interface Edit {
  readonly entry: number;
  readonly field: string;
  readonly before: string | null;
  readonly after: string | null;
}

/** Normalised key of a row: paths ignore case, field values do not. */
function wantedKey({ keyField }: Pick<LegacyList, 'keyField'>, cell: string | undefined): string {
  const key = (cell ?? '').trim();
  return keyField === null ? key.replaceAll('\\', '/').toLowerCase() : key;
}

const sameText = (a: string | null, b: string | null): boolean => (a ?? '') === (b ?? '');

/** Records of the vault: viewed, edited with the same checks as files, and undone. */
export class Records {
  constructor(
    private readonly db: Db,
    private readonly port: Pick<VaultPort, 'entries' | 'writeRecord'>,
    private readonly links: LinkComparisons,
    private readonly properties: Properties,
    private readonly locks: VaultLocks,
    private readonly pool: WorkPool,
    private readonly jobs: Jobs,
    private readonly clock: () => Date,
  ) {}

  private async judged(where: string, bind: unknown[], rest = ''): Promise<Judged[]> {
    return this.db.all<Judged>(
      `SELECT r.entry_id AS entry, f.id AS file, r.path, coalesce(f.kind, r.kind) AS kind, c.name AS "className", r.record,
        ${STANDING} ${RECORDS} ${where} ${rest}`,
      bind,
    );
  }

  /** A page of records, without querying the vault. */
  async page({ folder, text, state, kind, offset, limit }: RecordsQuery): Promise<RecordPage> {
    const bind = [folder ?? null, text ? JSON.stringify(text.toLowerCase()).slice(1, -1) : null, state ?? null, kind ?? null];
    const [rows, total, links, definition] = await Promise.all([
      this.judged(WANTED, [...bind, offset, limit], 'ORDER BY r.path OFFSET $5 LIMIT $6'),
      this.db.one<{ total: number }>(`SELECT count(*)::int AS total ${RECORDS} ${WANTED}`, bind),
      this.links.inForce(),
      definitionOf(this.db),
    ]);
    return { rows: rows.map((row) => ({ ...row, closed: closedFields(row, definition, links) })), total: total!.total };
  }

  /** Changes of records, newest first. */
  history(): Promise<RecordEditRow[]> {
    return this.db.all<RecordEditRow>(
      `SELECT e.id, e.title, e.at, e.by_name AS "by", e.undone_at AS "undoneAt", count(l.field)::int AS values, count(DISTINCT l.entry_id)::int AS records
       FROM record_edits e JOIN record_edit_lines l ON l.edit_id = e.id GROUP BY e.id ORDER BY e.id DESC LIMIT 200`,
    );
  }

  /**
   * Runs record changes as a job.
   * @returns its result if it finishes soon
   */
  private async begin(user: User, title: string, work: (context: JobContext) => Promise<RecordEditReport>): Promise<RecordsStarted> {
    const { job, result } = await this.jobs.begin(user, 'records', title, work, PATIENCE);
    return { job, report: result };
  }

  /** Writes values into records. Refused values are reported and stop nothing else. */
  edit(user: User, edits: RecordEdits): Promise<RecordsStarted> {
    return this.begin(user, `Change records: ${edits.title}`, (context) => this.editNow(context, user, edits));
  }

  private async editNow(context: JobContext, user: User, { title, edits }: RecordEdits): Promise<RecordEditReport> {
    const rows = new Map(
      (await this.judged('WHERE r.entry_id = ANY($1::int[])', [[...new Set(edits.map((edit) => edit.entry))]])).map((row) => [row.entry, row]),
    );
    const check = await this.checker();
    const left: { path: string; field: string; reason: string }[] = [];
    const good = new Map<number, Edit[]>();
    for (const edit of edits) {
      const row = rows.get(edit.entry);
      const reason = row ? check(row, edit.field, edit.after) : 'the record is not in the vault any more';
      if (reason !== null) left.push({ path: row?.path ?? String(edit.entry), field: edit.field, reason });
      else good.set(edit.entry, [...(good.get(edit.entry) ?? []), edit]);
    }
    return this.write(context, user, title, good, rows, left);
  }

  private async write(
    context: JobContext,
    user: User,
    title: string,
    wanted: ReadonlyMap<number, readonly Edit[]>,
    rows: ReadonlyMap<number, Judged>,
    left: { path: string; field: string; reason: string }[],
  ): Promise<RecordEditReport> {
    // Compares with the vault's current values.
    const fresh = new Map(
      (wanted.size ? await this.port.entries([...wanted.keys()].map((entry) => rows.get(entry)!.path)) : []).map((entry) => [entry.id, entry]),
    );
    const done: { lines: (Edit & { path: string })[]; entries: VaultEntry[] } = { lines: [], entries: [] };
    let edit: number | null = null;
    let written = 0;
    const keep = async () => {
      if (done.lines.length === 0) return;
      edit = await this.keepLines(user, title, edit, done.lines);
      await this.locks.note(...done.entries);
      written += done.lines.length;
      done.lines = [];
      done.entries = [];
    };
    let at = 0;
    for (const [id, edits] of wanted) {
      const { path } = rows.get(id)!;
      context.progress('writing records', at++, wanted.size);
      const now = fresh.get(id);
      const leave = (one: Edit, reason: string) => left.push({ path, field: one.field, reason });
      if (context.signal.aborted) {
        for (const one of edits) leave(one, 'this was cancelled before the record');
        continue;
      }
      if (!now) {
        for (const one of edits) leave(one, 'the record is not in the vault any more');
        continue;
      }
      const same = edits.filter((one) => {
        const held = now.record[one.field] ?? null;
        if (!sameText(held, one.before)) leave(one, `somebody changed it to ${JSON.stringify(held ?? '')} meanwhile`);
        return sameText(held, one.before) && !sameText(one.before, one.after);
      });
      if (same.length === 0) continue;
      try {
        done.entries.push(await this.port.writeRecord(id, Object.fromEntries(same.map((one) => [one.field, one.after === '' ? null : one.after]))));
        done.lines.push(...same.map((one) => ({ ...one, path })));
      } catch (error) {
        if (!(error instanceof AppError)) {
          await keep();
          throw error;
        }
        for (const one of same) leave(one, error.message);
      }
      if (done.entries.length >= KEPT_TOGETHER) await keep();
    }
    await keep();
    return { edit, written, left };
  }

  /**
   * Saves written lines under their change.
   * @returns the number of the change
   */
  private keepLines(user: User, title: string, edit: number | null, lines: readonly (Edit & { path: string })[]): Promise<number> {
    return this.db.transaction(async (sql) => {
      const id =
        edit ??
        (await sql.one<{ id: number }>('INSERT INTO record_edits (title, user_id, by_name, at) VALUES ($1, $2, $3, $4) RETURNING id', [
          title,
          user.id,
          user.displayName,
          this.clock(),
        ]))!.id;
      await sql.run(
        `INSERT INTO record_edit_lines SELECT $2, entry, path, field, before, after
          FROM jsonb_to_recordset($1::jsonb) AS n(entry int, path text, field text, before text, after text)`,
        [asRecordset(lines), id],
      );
      return id;
    });
  }

  /** Undoes a change where records still hold its values. */
  async undo(user: User, id: number): Promise<RecordsStarted> {
    const edit = await this.db.one<{ title: string; user: number | null; undone: boolean }>(
      'SELECT title, user_id AS "user", undone_at IS NOT NULL AS undone FROM record_edits WHERE id = $1',
      [id],
    );
    if (!edit) throw notFound(`Change ${id} of records`);
    if (edit.undone) throw refused('undone-already', `Change ${id} of records was already undone.`);
    if (!mayDecide(user, edit.user)) throw refused('not-yours', 'Only the person who made a change or an administrator can undo it.');
    return this.begin(user, `Undo changes of records: ${edit.title}`, (context) => this.undoNow(context, user, id, edit.title));
  }

  private async undoNow(context: JobContext, user: User, id: number, title: string): Promise<RecordEditReport> {
    const lines = await this.db.all<Edit>('SELECT entry_id AS entry, field, after AS before, before AS after FROM record_edit_lines WHERE edit_id = $1', [id]);
    const rows = new Map(
      (await this.judged('WHERE r.entry_id = ANY($1::int[])', [[...new Set(lines.map((line) => line.entry))]])).map((row) => [row.entry, row]),
    );
    const wanted = new Map<number, Edit[]>();
    const left: { path: string; field: string; reason: string }[] = [];
    for (const line of lines)
      if (rows.has(line.entry)) wanted.set(line.entry, [...(wanted.get(line.entry) ?? []), line]);
      else left.push({ path: String(line.entry), field: line.field, reason: 'the record is not in the vault any more' });
    const report = await this.write(context, user, `undo of ${title}`, wanted, rows, left);
    if (report.written) await this.db.run('UPDATE record_edits SET undone_at = $2 WHERE id = $1', [id, this.clock()]);
    return report;
  }

  /** Checks a value for a field against definition, leads and schema. */
  private async checker(): Promise<(row: Judged, field: string, after: string | null) => string | null> {
    const [links, definition, settings, properties] = await Promise.all([
      this.links.inForce(),
      definitionOf(this.db),
      readSettings(this.db),
      this.properties.list(this.db),
    ]);
    const standIns = compileStandIns(settings.standIns);
    const byId = new Map(properties.map((property) => [property.id, property]));
    return (row, field, after) => {
      const closed = closedFields(row, definition, links)[field] ?? whyNotTaken(definition, field, row.kind, after);
      if (closed !== null) return closed;
      if (after === null || after === '') return null;
      const property = propertyOf(field, row, links, byId);
      if (!property) return null;
      const check = checkProposed(after, forClass(property, row.className), standIns);
      return check.ok ? null : `${property.caption} ${check.violations[0]!.message}`;
    };
  }

  /**
   * Reads a list.
   * @throws AppError if it cannot be read
   */
  async openList(name: string, bytes: Uint8Array): Promise<PlainTable> {
    const read = await this.pool.run('readList', { name, bytes });
    if (!read.ok) throw new AppError(read.status, read.code, read.message);
    return read.table;
  }

  /** Previews a list, by row. */
  async readList(list: LegacyList): Promise<LegacyRow[]> {
    const at = (header: string): number => {
      const column = list.headers.indexOf(header);
      if (column < 0) throw refused('no-column', `The list has no column ${JSON.stringify(header)}.`);
      return column;
    };
    const keyAt = at(list.key);
    const columns = list.columns.map(({ header, field }) => ({ field, at: at(header) }));
    const check = await this.checker();
    const keys = [...new Set(list.rows.map((cells) => wantedKey(list, cells[keyAt])))];
    const records = list.keyField === null ? await this.judged(BY_PATH, [keys]) : await this.judged(BY_FIELD, [keys, list.keyField]);
    // A key matching several records is ambiguous.
    const byKey = new Map<string, Judged | null>();
    const put = (key: string, row: Judged) => byKey.set(key, byKey.has(key) && byKey.get(key) !== row ? null : row);
    for (const row of records) {
      const { keyField } = list;
      if (keyField !== null) {
        const value = row.record[keyField];
        if (value !== undefined && value !== '') put(value.trim(), row);
        continue;
      }
      put(row.path.toLowerCase(), row);
      put(row.path.slice(row.path.lastIndexOf('/') + 1).toLowerCase(), row);
    }
    const seen = new Map<number, number>();
    return list.rows.map((cells, i): LegacyRow => {
      const key = (cells[keyAt] ?? '').trim();
      const found = key === '' ? undefined : byKey.get(wantedKey(list, key));
      const row = { row: i + 2, key, path: found?.path ?? null, entry: found?.entry ?? null };
      const refusal = (problem: string): LegacyRow => ({ ...row, changes: [], problems: [problem] });
      if (key === '') return refusal('The row does not say which file it is of.');
      if (found === null) return refusal(`${JSON.stringify(key)} fits several files of the vault.`);
      if (!found) return refusal(`${JSON.stringify(key)} is not in the vault.`);
      const before = seen.get(found.entry);
      if (before !== undefined) return refusal(`Row ${before} is of the same file.`);
      seen.set(found.entry, i + 2);
      const problems: string[] = [];
      const changes = columns.flatMap(({ field, at: column }) => {
        const after = (cells[column] ?? '').trim();
        const held = found.record[field] ?? null;
        // A blank never erases.
        if (after === '' || sameText(held, after)) return [];
        const reason = check(found, field, after);
        if (reason !== null) {
          problems.push(`${field}: ${reason}.`);
          return [];
        }
        return [{ field, before: held, after }];
      });
      return { ...row, changes, problems };
    });
  }

  /** Writes a list into records and reports what was refused. */
  takeList(user: User, list: LegacyList): Promise<RecordsStarted> {
    return this.begin(user, `Take a list of ${count(list.rows.length, 'row')} into records`, (context) => this.takeNow(context, user, list));
  }

  private async takeNow(context: JobContext, user: User, list: LegacyList): Promise<RecordEditReport> {
    const rows = await this.readList(list);
    const edits = rows.flatMap(({ entry, changes }) => changes.map((change) => ({ entry: entry!, ...change })));
    const left = rows.flatMap(({ row, key, path, problems }) =>
      problems.map((problem) => ({ path: path ?? (key || `row ${row}`), field: `row ${row}`, reason: problem })),
    );
    if (edits.length === 0) return { edit: null, written: 0, left };
    const report = await this.editNow(context, user, { title: `list of ${count(list.rows.length, 'row')}`, edits });
    return { ...report, left: [...left, ...report.left] };
  }
}

/** The property linked to a field; nothing if there is none or more than one address. */
function propertyOf(field: string, row: Judged, links: readonly Link[], properties: ReadonlyMap<number, Property>): Property | null {
  const link = links.find((other) => other.field === field && linkReaches(other, row.kind, row.className));
  const [end] = link?.at ?? [];
  return end && 'property' in end ? (properties.get(end.property) ?? null) : null;
}

/** Read-only fields of a record, with the reason as words after the field's name. */
function closedFields(row: Judged, { fields, systemFields, steps }: VaultDefinition, links: readonly Link[]): Record<string, string> {
  const closed: Record<string, string> = {};
  for (const name of systemFields) closed[name] = 'is kept by the vault itself';
  const whole =
    row.state === 'released'
      ? `belongs to a released file${row.stateBy ? ` (${row.stateBy})` : ''}`
      : row.checkedOutBy !== null && row.checkedOutBy !== RULE_USER
        ? `belongs to a file that ${row.checkedOutBy} has checked out`
        : null;
  for (const field of fields) {
    const link = links.find((other) => other.field === field.name && linkReaches(other, row.kind, row.className));
    if (field.retired) closed[field.name] = 'is retired';
    else if (!fieldReaches(field, row.kind)) closed[field.name] = `does not exist for ${row.kind} files`;
    else if (whole !== null) closed[field.name] = whole;
    else if (steps.some((step) => step.sets.includes(field.name))) closed[field.name] = 'is set by a step of the workflow';
    else if (link && fileLeads(passingAt(link, row.state))) closed[field.name] = 'is led by the file; change it there';
  }
  return closed;
}
