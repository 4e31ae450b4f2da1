import { createHash } from 'node:crypto';
import { readFile, realpath, stat } from 'node:fs/promises';
import { sep } from 'node:path';
import { ChoiceListRow, ListPreview, ListSource } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { ChoiceListDraft, ListComparison, checkList, compareList, slotOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import pg from 'pg';
import { HELD } from '../library/readings';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { PlainTable, readTable } from '../platform/table';
import { Trays } from '../changes/tray';
import { User } from '../users/user';
import { Properties } from '../schema/properties';

/** Largest source of a choice list. */
const LARGEST = 50 * 1024 * 1024;
/** Maximum rows of a choice list. */
const MOST_ROWS = 20_000;
/** Time limit for a database source. */
const PATIENCE_MS = 15_000;

interface Stored {
  readonly id: number;
  readonly name: string;
  readonly content: ChoiceListDraft;
  readonly source: ListSource | null;
  readonly loadedAt: string | null;
  readonly lookedAt: string | null;
  readonly differs: number | null;
  readonly trouble: string | null;
}

const ROW = 'id, name, content, source, loaded_at AS "loadedAt", looked_at AS "lookedAt", differs, trouble';

/** Placeholder for a secret. */
const HIDDEN = '…';

/** An address with all secrets masked. An address that cannot be parsed is not shown at all. */
function maskedUrl(text: string): string {
  try {
    const url = new URL(text);
    if (url.password) url.password = HIDDEN;
    for (const key of [...url.searchParams.keys()]) if (/pass|secret|key/i.test(key)) url.searchParams.set(key, HIDDEN);
    return url.toString().replaceAll(encodeURIComponent(HIDDEN), HIDDEN);
  } catch {
    return HIDDEN;
  }
}

/** Passwords in an address stay on the server. */
const masked = (source: ListSource | null): ListSource | null => (source?.type === 'database' ? { ...source, url: maskedUrl(source.url) } : source);

/** Choice lists shared by properties, synchronised from their sources. */
export class ChoiceLists {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly trays: Trays,
    /** Rule's own folders, which cannot hold sources. */
    private readonly forbidden: readonly string[],
    private readonly clock: () => Date,
  ) {}

  async list(): Promise<ChoiceListRow[]> {
    const [stored, properties] = await Promise.all([this.db.all<Stored>(`SELECT ${ROW} FROM choice_lists ORDER BY name`), this.properties.list(this.db)]);
    return stored.map(({ id, content, name, source, loadedAt, lookedAt, differs, trouble }) => ({
      ...content,
      id,
      name,
      source: masked(source),
      loadedAt,
      lookedAt,
      differs,
      trouble,
      usedBy: properties.filter((property) => property.list === name && !property.retired).map((property) => property.caption),
    }));
  }

  private async get(id: number): Promise<Stored> {
    const row = await this.db.one<Stored>(`SELECT ${ROW} FROM choice_lists WHERE id = $1`, [id]);
    if (!row) throw notFound(`Choice list ${id}`);
    return row;
  }

  /** Stores a list. On a rename, properties in force and in the draft follow. */
  async save(id: number | null, draft: ChoiceListDraft): Promise<ChoiceListRow> {
    const wrong = checkList(draft);
    if (wrong.length)
      throw invalid(
        'bad-list',
        wrong[0]!.message,
        wrong.map(({ row, message }) => ({ field: row === 0 ? 'list' : `choices.${row - 1}`, code: 'bad-list', message })),
      );
    if (await this.db.one('SELECT 1 FROM choice_lists WHERE name = $1 AND id IS DISTINCT FROM $2', [draft.name, id]))
      throw refused('name-taken', `A choice list named ${draft.name} already exists.`);
    const old = id === null ? null : await this.get(id);
    const stored = await this.db.transaction(async (sql) => {
      const row =
        id === null
          ? await sql.one<{ id: number }>('INSERT INTO choice_lists (name, content) VALUES ($1, $2::jsonb) RETURNING id', [draft.name, JSON.stringify(draft)])
          : await sql.one<{ id: number }>('UPDATE choice_lists SET name = $2, content = $3::jsonb WHERE id = $1 RETURNING id', [
              id,
              draft.name,
              JSON.stringify(draft),
            ]);
      if (old && old.name !== draft.name) {
        await sql.run(`UPDATE properties SET definition = jsonb_set(definition, '{list}', to_jsonb($2::text)) WHERE definition->>'list' = $1`, [
          old.name,
          draft.name,
        ]);
        await sql.run(
          `UPDATE editions
             SET schema = jsonb_set(schema, '{properties}',
                 (SELECT jsonb_agg(CASE WHEN p->>'list' = $1 THEN jsonb_set(p, '{list}', to_jsonb($2::text)) ELSE p END ORDER BY n)
             FROM jsonb_array_elements(schema->'properties') WITH ORDINALITY AS e(p, n)))
               WHERE state <> 'superseded' AND jsonb_array_length(schema->'properties') > 0`,
          [old.name, draft.name],
        );
      }
      return row!.id;
    });
    return (await this.list()).find((row) => row.id === stored)!;
  }

  async remove(id: number): Promise<void> {
    const { name } = await this.get(id);
    const user = await this.db.one<{ caption: string }>(
      `SELECT p->>'caption' AS caption FROM editions e, jsonb_array_elements(e.schema->'properties') p WHERE e.state <> 'superseded' AND p->>'list' = $1 LIMIT 1`,
      [name],
    );
    if (user) throw refused('list-in-use', `${user.caption} takes its choices from ${name}.`);
    await this.db.run('DELETE FROM choice_lists WHERE id = $1', [id]);
  }

  async setSource(id: number, source: ListSource | null): Promise<ChoiceListRow> {
    const { source: old } = await this.get(id);
    // A masked address means it is unchanged.
    const kept =
      source?.type === 'database' && old?.type === 'database' && JSON.stringify(masked(old)) === JSON.stringify({ ...source, query: old.query })
        ? { ...source, url: old.url }
        : source;
    await this.db.run('UPDATE choice_lists SET source = $2::jsonb WHERE id = $1', [id, kept === null ? null : JSON.stringify(kept)]);
    return (await this.list()).find((row) => row.id === id)!;
  }

  /** Previews loading from the source. Stores nothing. */
  async preview(id: number, upload: { readonly name: string; readonly bytes: Uint8Array } | null): Promise<ListPreview> {
    const { comparison, token } = await this.compare(id, upload);
    const { result, ...counts } = comparison;
    return { ...counts, token, problems: checkList(result).map((problem) => problem.message) };
  }

  /** Loads the list as previewed. */
  async load(id: number, token: string, upload: { readonly name: string; readonly bytes: Uint8Array } | null): Promise<ChoiceListRow> {
    const { comparison, token: now } = await this.compare(id, upload);
    if (now !== token) throw refused('source-changed', 'The source or the list has changed since the preview. Preview it again.');
    const row = await this.save(id, comparison.result);
    await this.db.run('UPDATE choice_lists SET loaded_at = $2, looked_at = $2, differs = 0, trouble = NULL WHERE id = $1', [id, this.clock()]);
    return { ...row, loadedAt: this.clock().toISOString() };
  }

  /** Checks the sources of all lists and stores the number of differences or the error. */
  async lookAtSources(since: Date = this.clock()): Promise<void> {
    const due = 'source IS NOT NULL AND (looked_at IS NULL OR looked_at <= $1)';
    for (const { id } of await this.db.all<{ id: number }>(`SELECT id FROM choice_lists WHERE ${due} ORDER BY id`, [since])) {
      // Servers share the work: the first to claim a list checks it.
      if ((await this.db.run(`UPDATE choice_lists SET looked_at = $3 WHERE id = $2 AND ${due}`, [since, id, this.clock()])) === 0) continue;
      let differs: number | null = null;
      let trouble: string | null = null;
      try {
        const { comparison } = await this.compare(id, null);
        differs = comparison.added.length + comparison.changed.length + comparison.gone.length + comparison.back.length;
      } catch (error) {
        trouble = error instanceof Error ? error.message : String(error);
      }
      await this.db.run('UPDATE choice_lists SET looked_at = $2, differs = $3, trouble = $4 WHERE id = $1', [id, this.clock(), differs, trouble]);
    }
  }

  private async compare(
    id: number,
    upload: { readonly name: string; readonly bytes: Uint8Array } | null,
  ): Promise<{ comparison: ListComparison; token: string }> {
    const stored = await this.get(id);
    const table = upload ? tooLong(readTable(upload.name, upload.bytes, null)) : await this.fetch(stored);
    const comparison = compareList({ ...stored.content, name: stored.name }, table);
    return { comparison, token: createHash('sha256').update(JSON.stringify(comparison.result)).digest('hex').slice(0, 32) };
  }

  private async fetch({ name, source }: Stored): Promise<PlainTable> {
    if (source === null) throw invalid('no-source', `${name} has no source to load from.`);
    if (source.type === 'database') return queryTable(source);
    const path = await realpath(source.path).catch(() => undefined);
    if (path === undefined || !(await stat(path)).isFile()) throw invalid('no-file', `${source.path} is not a file on the server.`);
    if (this.forbidden.some((own) => path === own || path.startsWith(own + sep))) throw invalid('own-folder', `${source.path} is part of Rule's own data.`);
    if ((await stat(path)).size > LARGEST) throw invalid('too-large', `${source.path} is larger than ${LARGEST / 1024 / 1024} MB.`);
    return tooLong(readTable(path, await readFile(path), source.sheet));
  }

  /** Lines that replace retired choices in all files and properties using the list. */
  async replace(user: User, id: number): Promise<{ lines: number }> {
    const { name, content } = await this.get(id);
    const replaced = content.choices.flatMap(({ value, retired, replacedBy }) => (retired && replacedBy !== null ? [{ value, replacedBy }] : []));
    const users = [...(await this.properties.active(this.db)).values()].filter((property) => property.list === name);
    const slots = users.flatMap((property) => property.kinds.map((kind) => ({ kind, ...slotOf(property, kind) })));
    const found = await this.db.all<{ file: number; holder: string; place: 'property' | 'field'; name: string; held: HeldValue; replacedBy: string }>(
      `SELECT v.file_id AS file, v.holder, v.place, v.name, ${HELD} AS held, r."replacedBy"
       FROM jsonb_to_recordset($1::jsonb) AS s(kind text, place text, name text)
       JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.kind = s.kind
       JOIN jsonb_to_recordset($2::jsonb) AS r(value text, "replacedBy" text) ON r.value = v.text
       JOIN files f ON f.id = v.file_id AND NOT f.removed AND f.lock_reason IS NULL ORDER BY v.file_id`,
      [asRecordset(slots), asRecordset(replaced)],
    );
    if (found.length === 0) throw refused('nothing-to-do', 'No writable file holds a retired choice with a replacement.');
    await this.trays.add(
      user,
      found.map(({ file, holder, place, name: written, held, replacedBy }): Line => ({
        address: { file, holder, place, name: written },
        base: held,
        proposed: { text: replacedBy, form: 'text' },
        reason: `${held.text} is retired from ${name}`,
        follows: false,
      })),
      'by rule',
    );
    return { lines: found.length };
  }
}

function tooLong(table: PlainTable): PlainTable {
  if (table.rows.length > MOST_ROWS) throw invalid('too-long', `A choice list can have at most ${MOST_ROWS} rows; this one has ${table.rows.length}.`);
  return table;
}

/** Whether the role could write: as a superuser, or to any table. */
const MAY_WRITE = `SELECT current_user AS role, r.rolsuper OR r.rolcreatedb OR r.rolcreaterole
  OR EXISTS (SELECT 1 FROM pg_roles a
      WHERE a.rolname IN ('pg_write_all_data', 'pg_write_server_files', 'pg_execute_server_program') AND pg_has_role(current_user, a.oid, 'member'))
  OR EXISTS (SELECT 1 FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      WHERE c.relkind IN ('r', 'p', 'v', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema')
    AND n.nspname NOT LIKE 'pg_temp%' AND has_table_privilege(c.oid, 'INSERT, UPDATE, DELETE, TRUNCATE')) AS writes
  FROM pg_roles r WHERE r.rolname = current_user`;

/** Queries a PostgreSQL source: one statement, in a read-only transaction, with a role that cannot write. */
async function queryTable({ url, query }: Extract<ListSource, { type: 'database' }>): Promise<PlainTable> {
  const client = new pg.Client({
    connectionString: url,
    connectionTimeoutMillis: PATIENCE_MS,
    query_timeout: PATIENCE_MS,
    application_name: 'rule choice list',
  });
  client.on('error', () => undefined);
  try {
    await client.connect();
    await client.query('BEGIN TRANSACTION READ ONLY');
    await client.query(`SET LOCAL statement_timeout = ${PATIENCE_MS}`);
    const { rows: may } = await client.query<{ role: string; writes: boolean }>(MAY_WRITE);
    if (may[0]!.writes)
      throw invalid(
        'source-may-write',
        `${may[0]!.role}, the role in the address, can write to that database. Use a read-only role: CREATE ROLE … LOGIN PASSWORD '…'; GRANT SELECT ON … TO …;`,
      );
    // A prepared statement cannot contain a second statement.
    const found = await client.query({
      name: 'list',
      text: `SELECT * FROM (${query.replace(/;\s*$/, '')}\n) AS list LIMIT ${MOST_ROWS + 1}`,
      rowMode: 'array',
    });
    const text = (value: unknown) =>
      value === null || value === undefined
        ? ''
        : value instanceof Date
          ? value.toISOString().slice(0, 10)
          : typeof value === 'string'
            ? value
            : JSON.stringify(value);
    return tooLong({ header: found.fields.map((field) => field.name), rows: (found.rows as unknown[][]).map((row) => row.map(text)) });
  } catch (error) {
    if (error instanceof Error && 'status' in error) throw error;
    throw invalid('source-failed', `The database of the list cannot be read: ${error instanceof Error ? error.message : String(error)}.`);
  } finally {
    await client.end().catch(() => undefined);
  }
}
