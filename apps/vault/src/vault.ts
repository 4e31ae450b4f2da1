import { createHash } from 'node:crypto';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';
import { EntryKind, Field, State, Step, SYSTEM_FIELDS, has, nextRevision, whyNotHeld } from './definition';
import { ENTRY, FIELDS, FIRST, FOLDERS, SEARCH, SECOND } from './tables';

/** A refusal with status and message. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** Changes of a record: a value, or `null` to clear. */
export type RecordChanges = Readonly<Record<string, string | null>>;

/** Search criteria; `null` for any. */
export interface Search {
  readonly paths: readonly string[] | null;
  readonly text: string | null;
  readonly folder: string | null;
  readonly state: State | null;
}

/** A row of the link table. */
export interface LinkTableRow {
  readonly field: string;
  readonly kind: string;
  readonly name: string;
}

/** Initial content of a vault. */
export interface VaultContent {
  readonly fields: readonly Field[];
  readonly table: readonly LinkTableRow[];
  /** Fields set by workflow steps. */
  readonly sets?: Readonly<Record<string, Readonly<Record<string, string>>>>;
  readonly files: readonly {
    readonly path: string;
    readonly content: Uint8Array;
    readonly kind: EntryKind;
    readonly class?: string | null;
    readonly state: string;
    readonly stateBy?: string;
    readonly checkedOutBy?: string | null;
    readonly record: Readonly<Record<string, string>>;
    /** A second version with its author. */
    readonly newer?: { readonly content: Uint8Array; readonly by: string; readonly comment: string };
  }[];
}

/** A stored entry. */
interface Row {
  readonly path: string;
  readonly kind: EntryKind;
  readonly class: string | null;
  readonly state: State;
  readonly revision: string;
  readonly checkedOutBy: string | null;
  readonly record: Record<string, string>;
}

/** Characters not allowed in paths, and path segments that escape. */
const BAD_PATH = /[\u0000-\u001f\\:*?"<>|]/;

function checkPath(path: string): void {
  const parts = path.split('/');
  if (BAD_PATH.test(path) || parts.some((part) => part === '' || part === '.' || part === '..' || part !== part.trim()))
    throw new Refusal(400, `${JSON.stringify(path)} is not a path`);
}

/** The stand-in document vault: folders, versions, check-out and check-in, workflow and records with defined fields. */
export class VaultStore {
  constructor(
    private readonly sequelize: Sequelize,
    /** Whether clients may change fields and the link table. */
    readonly mayDefine = true,
  ) {}

  async migrate(): Promise<void> {
    await this.sequelize.query('CREATE SCHEMA IF NOT EXISTS vault');
    const storage = new SequelizeStorage({ sequelize: this.sequelize, modelName: 'vaultMigration', tableName: 'migrations', schema: 'vault' });
    /** Tables without a migration record mean an interrupted start. */
    const once = (there: string, sql: string) => async () => {
      const [row] = await this.select<{ made: unknown }>('SELECT to_regclass($1) AS made', [there]);
      if (!row?.made) await this.sequelize.query(`BEGIN; ${sql} COMMIT;`);
    };
    const migrations = [
      { name: '0001-first', up: once('vault.link_table', FIRST) },
      { name: '0002-definitions', up: once('vault.steps', SECOND) },
    ];
    await new Umzug({ migrations, storage, logger: undefined }).up();
  }

  /** Fills an empty vault. */
  async fill(content: VaultContent): Promise<void> {
    if ((await this.select('SELECT 1 FROM vault.fields LIMIT 1')).length) return;
    await this.sequelize.transaction(async (transaction) => {
      for (const field of content.fields) await this.putField(field, transaction);
      for (const [step, sets] of Object.entries(content.sets ?? {}))
        await this.run('UPDATE vault.steps SET sets = $2::jsonb WHERE name = $1', [step, JSON.stringify(sets)], transaction);
      await this.putTable(content.table, transaction);
      for (const file of content.files) {
        const { id } = (
          await this.select<{ id: number }>(
            `INSERT INTO vault.files (path, kind, class, state, state_by, checked_out_by, checked_out_at, record)
             VALUES ($1, $2, $3, $4, $5, $6, CASE WHEN $6::text IS NULL THEN NULL ELSE now() END, $7::jsonb) RETURNING id`,
            [file.path, file.kind, file.class ?? null, file.state, file.stateBy ?? 'vault', file.checkedOutBy ?? null, JSON.stringify(file.record)],
            transaction,
          )
        )[0]!;
        await this.addVersion(id, file.content, 'brought in', 'vault', transaction);
        if (file.newer) await this.addVersion(id, file.newer.content, file.newer.comment, file.newer.by, transaction);
      }
    });
  }

  private select<T extends object>(sql: string, bind: unknown[] = [], transaction: Transaction | null = null): Promise<T[]> {
    return this.sequelize.query<T>(sql, { bind, type: QueryTypes.SELECT, transaction });
  }

  private async run(sql: string, bind: unknown[], transaction: Transaction | null = null): Promise<void> {
    await this.sequelize.query(sql, { bind, transaction });
  }

  private async addVersion(file: number, content: Uint8Array, comment: string, person: string, transaction: Transaction): Promise<void> {
    const hash = createHash('sha256').update(content).digest('hex');
    await this.run(
      'INSERT INTO vault.versions (file_id, version, content, hash, comment, by) SELECT $1, coalesce(max(version), 0) + 1, $2, $3, $4, $5 FROM vault.versions WHERE file_id = $1',
      [file, Buffer.from(content), hash, comment, person],
      transaction,
    );
  }

  /** Runs work with exclusive access to one entry. */
  private onEntry(id: number, work: (row: Row, transaction: Transaction) => Promise<void>): Promise<object> {
    return this.sequelize.transaction(async (transaction) => {
      const [row] = await this.select<Row>(
        'SELECT path, kind, class, state, revision, checked_out_by AS "checkedOutBy", record FROM vault.files WHERE id = $1 FOR UPDATE',
        [id],
        transaction,
      );
      if (!row) throw new Refusal(404, `there is no file ${id}`);
      await work(row, transaction);
      return this.entry(id, transaction);
    });
  }

  fields(transaction: Transaction | null = null): Promise<Field[]> {
    return this.select<Field>(FIELDS, [], transaction);
  }
  steps(transaction: Transaction | null = null): Promise<Step[]> {
    return this.select<Step>(
      'SELECT name, from_state AS "from", to_state AS "to", sets, next_revision AS "nextRevision" FROM vault.steps ORDER BY position',
      [],
      transaction,
    );
  }
  table(): Promise<LinkTableRow[]> {
    return this.select('SELECT field, kind, name FROM vault.link_table ORDER BY field, kind');
  }
  folders(): Promise<object[]> {
    return this.select(FOLDERS);
  }
  search({ paths, text, folder, state }: Search): Promise<object[]> {
    return this.select(SEARCH, [paths, text, folder, state]);
  }
  versions(id: number): Promise<object[]> {
    return this.select('SELECT version, hash, comment, by, at, length(content) AS size FROM vault.versions WHERE file_id = $1 ORDER BY version', [id]);
  }

  async entry(id: number, transaction: Transaction | null = null): Promise<object> {
    const [entry] = await this.select(`${ENTRY} WHERE f.id = $1`, [id], transaction);
    if (!entry) throw new Refusal(404, `there is no file ${id}`);
    return entry;
  }

  /** Bytes of a version; the newest by default. */
  async content(id: number, version: number | null): Promise<Buffer> {
    const [row] = await this.select<{ content: Buffer }>(
      'SELECT content FROM vault.versions WHERE file_id = $1 AND ($2::int IS NULL OR version = $2) ORDER BY version DESC LIMIT 1',
      [id, version],
    );
    if (!row) throw new Refusal(404, version === null ? 'there is no such file' : `the file has no version ${version}`);
    return row.content;
  }

  /**
   * A record after changes.
   * @throws Refusal for invalid values
   */
  private async changedRecord({ kind, class: className, record }: Pick<Row, 'kind' | 'class' | 'record'>, changes: RecordChanges, transaction: Transaction) {
    const fields = new Map((await this.fields(transaction)).map((field) => [field.name, field]));
    const after = { ...record };
    for (const [name, given] of Object.entries(changes)) {
      const value = given === '' ? null : given;
      const field = fields.get(name);
      if ((SYSTEM_FIELDS as readonly string[]).includes(name)) throw new Refusal(400, `${name} is kept by the vault itself`);
      if (!field) throw new Refusal(400, `records have no field ${name}`);
      if (field.retired) throw new Refusal(400, `the field ${name} is retired`);
      if (!has(field, kind, className)) throw new Refusal(400, `records of a ${className ?? kind} have no field ${name}`);
      if (value === null) {
        if (field.required && record[name] !== undefined) throw new Refusal(400, `${name} cannot be emptied`);
        delete after[name];
        continue;
      }
      const wrong = whyNotHeld(field, value);
      if (wrong) throw new Refusal(400, wrong);
      after[name] = value;
    }
    return after;
  }

  /** Adds a file with initial record values. */
  add(
    path: string,
    content: Uint8Array,
    { by, comment, kind, class: className, record }: { by: string; comment: string; kind: EntryKind; class: string | null; record: RecordChanges },
  ): Promise<object> {
    checkPath(path);
    return this.sequelize.transaction(async (transaction) => {
      const initial = Object.fromEntries(
        (await this.fields(transaction)).flatMap((field) =>
          field.initial !== null && !field.retired && has(field, kind, className) ? [[field.name, field.initial]] : [],
        ),
      );
      const filled = await this.changedRecord({ kind, class: className, record: initial }, record, transaction);
      const [row] = await this.select<{ id: number }>(
        `INSERT INTO vault.files (path, kind, class, state_by, record) SELECT $1, $2, $3, $4, $5::jsonb
         WHERE NOT EXISTS (SELECT 1 FROM vault.folders WHERE path = $1) ON CONFLICT (path) DO NOTHING RETURNING id`,
        [path, kind, className, by, JSON.stringify(filled)],
        transaction,
      );
      if (!row) throw new Refusal(409, `${path} is in the vault already`);
      await this.addVersion(row.id, content, comment, by, transaction);
      return this.entry(row.id, transaction);
    });
  }

  /** Renames or moves a file, keeping versions, record and number. */
  move(id: number, person: string, path: string): Promise<object> {
    checkPath(path);
    return this.onEntry(id, async (row, transaction) => {
      if (row.state === 'released') throw new Refusal(409, 'the file is released');
      if (row.checkedOutBy !== null && row.checkedOutBy !== person) throw new Refusal(409, `the file is checked out by ${row.checkedOutBy}`);
      const [taken] = await this.select(
        'SELECT 1 FROM vault.files WHERE path = $1 AND id <> $2 UNION SELECT 1 FROM vault.folders WHERE path = $1',
        [path, id],
        transaction,
      );
      if (taken) throw new Refusal(409, `${path} is in the vault already`);
      await this.run('UPDATE vault.files SET path = $2 WHERE id = $1', [id, path], transaction);
    });
  }

  checkOut(id: number, person: string): Promise<object> {
    return this.onEntry(id, async (row, transaction) => {
      if (row.state === 'released') throw new Refusal(409, 'the file is released');
      if (row.checkedOutBy !== null && row.checkedOutBy !== person) throw new Refusal(409, `the file is checked out by ${row.checkedOutBy}`);
      await this.run('UPDATE vault.files SET checked_out_by = $2, checked_out_at = coalesce(checked_out_at, now()) WHERE id = $1', [id, person], transaction);
    });
  }

  undoCheckOut(id: number, person: string): Promise<object> {
    return this.onEntry(id, async (row, transaction) => {
      if (row.checkedOutBy !== person) throw new Refusal(409, `the file is not checked out by ${person}`);
      await this.run('UPDATE vault.files SET checked_out_by = NULL, checked_out_at = NULL WHERE id = $1', [id], transaction);
    });
  }

  /** Checks in a new version with record changes. */
  checkIn(id: number, content: Uint8Array, { by, comment, record }: { by: string; comment: string; record: RecordChanges }): Promise<object> {
    return this.onEntry(id, async (row, transaction) => {
      if (row.checkedOutBy !== by) throw new Refusal(409, `the file is not checked out by ${by}`);
      const after = await this.changedRecord(row, record, transaction);
      await this.addVersion(id, content, comment, by, transaction);
      await this.run(
        'UPDATE vault.files SET checked_out_by = NULL, checked_out_at = NULL, record = $2::jsonb WHERE id = $1',
        [id, JSON.stringify(after)],
        transaction,
      );
    });
  }

  /** Changes a record without a new version. */
  changeRecord(id: number, by: string, record: RecordChanges): Promise<object> {
    return this.onEntry(id, async (row, transaction) => {
      if (row.state === 'released') throw new Refusal(409, 'the file is released');
      if (row.checkedOutBy !== null && row.checkedOutBy !== by) throw new Refusal(409, `the file is checked out by ${row.checkedOutBy}`);
      await this.run(
        'UPDATE vault.files SET record = $2::jsonb WHERE id = $1',
        [id, JSON.stringify(await this.changedRecord(row, record, transaction))],
        transaction,
      );
    });
  }

  /** Executes a workflow step. */
  takeStep(id: number, by: string, name: string): Promise<object> {
    return this.onEntry(id, async (row, transaction) => {
      const step = (await this.steps(transaction)).find((other) => other.name === name);
      if (!step) throw new Refusal(400, `the workflow has no step ${name}`);
      if (row.state !== step.from) throw new Refusal(409, `the file is ${row.state}; ${name} begins at ${step.from}`);
      if (row.checkedOutBy !== null) throw new Refusal(409, `the file is checked out by ${row.checkedOutBy}`);
      const now = new Date();
      const set = Object.entries(step.sets).map(([field, text]): [string, string] => [
        field,
        text.replaceAll('{person}', by).replaceAll('{date}', now.toISOString().slice(0, 10)),
      ]);
      const fields = await this.fields(transaction);
      const there = set.filter(([field]) => fields.some((other) => other.name === field && !other.retired && has(other, row.kind, row.class)));
      const record = await this.changedRecord(row, Object.fromEntries(there), transaction);
      if (step.to === 'released') {
        const missing = fields.filter((field) => field.required && !field.retired && has(field, row.kind, row.class) && record[field.name] === undefined);
        if (missing.length) throw new Refusal(409, `${missing.map((field) => field.name).join(', ')} must be filled in before release`);
      }
      await this.run(
        'UPDATE vault.files SET state = $2, state_by = $3, state_at = $4, revision = $5, record = $6::jsonb WHERE id = $1',
        [id, step.to, by, now, step.nextRevision ? nextRevision(row.revision) : row.revision, JSON.stringify(record)],
        transaction,
      );
    });
  }

  async addFolder(path: string): Promise<void> {
    checkPath(path);
    if ((await this.select('SELECT 1 FROM vault.files WHERE path = $1', [path])).length) throw new Refusal(409, `${path} is a file`);
    await this.run('INSERT INTO vault.folders VALUES ($1) ON CONFLICT DO NOTHING', [path]);
  }

  async removeFolder(path: string): Promise<void> {
    const inside = await this.select(
      `SELECT 1 FROM vault.files WHERE starts_with(path, $1 || '/') UNION SELECT 1 FROM vault.folders WHERE starts_with(path, $1 || '/') LIMIT 1`,
      [path],
    );
    if (inside.length) throw new Refusal(409, `${path} is not empty`);
    if (!(await this.select('DELETE FROM vault.folders WHERE path = $1 RETURNING path', [path])).length) throw new Refusal(404, `there is no folder ${path}`);
  }

  private checkMayDefine(): void {
    if (!this.mayDefine) throw new Refusal(403, "only the vault's administrator changes fields and the link table");
  }

  private async putField(field: Field, transaction: Transaction | null = null): Promise<void> {
    const { name, type, length, choices, initial, required, kinds, classes, fixed, retired } = field;
    await this.run(
      `INSERT INTO vault.fields (name, type, length, choices, initial, required, kinds, classes, fixed, retired)
       VALUES ($1, $2, $3, $4::jsonb, $5, $6, $7::jsonb, $8::jsonb, $9, $10)
       ON CONFLICT (name) DO UPDATE SET type = excluded.type, length = excluded.length, choices = excluded.choices, initial = excluded.initial,
         required = excluded.required, kinds = excluded.kinds, classes = excluded.classes, retired = excluded.retired`,
      [name, type, length, JSON.stringify(choices), initial, required, JSON.stringify(kinds), JSON.stringify(classes), fixed, retired],
      transaction,
    );
  }

  /** Faults of a field definition. */
  private checkField(field: Field): void {
    if ((SYSTEM_FIELDS as readonly string[]).includes(field.name)) throw new Refusal(409, `${field.name} is kept by the vault itself`);
    if (field.type === 'list' && field.choices.length === 0) throw new Refusal(400, `the list of ${field.name} offers nothing`);
    const wrong = field.initial === null ? null : whyNotHeld(field, field.initial);
    if (wrong) throw new Refusal(400, `the initial value does not fit: ${wrong}`);
  }

  async addField(field: Field): Promise<Field> {
    this.checkMayDefine();
    this.checkField(field);
    if ((await this.fields()).some((other) => other.name.toLowerCase() === field.name.toLowerCase()))
      throw new Refusal(409, `records have a field ${field.name} already`);
    await this.putField({ ...field, fixed: false, retired: false });
    return field;
  }

  /**
   * Changes or renames a field; values follow.
   * @throws Refusal if records hold values it would not accept
   */
  changeField(name: string, field: Field): Promise<Field> {
    this.checkMayDefine();
    this.checkField(field);
    return this.sequelize.transaction(async (transaction) => {
      const fields = await this.fields(transaction);
      const before = fields.find((other) => other.name === name);
      if (!before) throw new Refusal(404, `records have no field ${name}`);
      if (before.fixed) throw new Refusal(403, `only the vault's administrator changes ${name}`);
      if (fields.some((other) => other !== before && other.name.toLowerCase() === field.name.toLowerCase()))
        throw new Refusal(409, `records have a field ${field.name} already`);
      const held = await this.select<{ path: string; value: string }>(
        'SELECT path, record->>$1 AS value FROM vault.files WHERE record ? $1 ORDER BY path',
        [name],
        transaction,
      );
      for (const { path, value } of held) {
        const wrong = whyNotHeld(field, value);
        if (wrong) throw new Refusal(409, `${path} holds ${JSON.stringify(value)}: ${wrong}`);
      }
      if (field.name !== name) {
        await this.run('UPDATE vault.fields SET name = $2 WHERE name = $1', [name, field.name], transaction);
        await this.run(
          `UPDATE vault.files SET record = (record - $1) || jsonb_build_object($2::text, record->$1) WHERE record ? $1`,
          [name, field.name],
          transaction,
        );
        await this.run('UPDATE vault.link_table SET field = $2 WHERE field = $1', [name, field.name], transaction);
      }
      await this.putField({ ...field, fixed: false }, transaction);
      return { ...field, fixed: false };
    });
  }

  private async putTable(rows: readonly LinkTableRow[], transaction: Transaction): Promise<void> {
    await this.run('DELETE FROM vault.link_table', [], transaction);
    for (const { field, kind, name } of rows) await this.run('INSERT INTO vault.link_table VALUES ($1, $2, $3)', [field, kind, name], transaction);
  }

  async setTable(rows: readonly LinkTableRow[]): Promise<LinkTableRow[]> {
    this.checkMayDefine();
    const known = new Set((await this.fields()).map((field) => field.name));
    for (const { field } of rows) if (!known.has(field)) throw new Refusal(400, `records have no field ${field}`);
    await this.sequelize.transaction((transaction) => this.putTable(rows, transaction));
    return this.table();
  }
}
