import { ChangedProperty, DraftView, EditionRow, SavedForm } from '@rule/contract';
import {
  Binding,
  Check,
  EMPTY_SCHEMA,
  Link,
  Property,
  PropertyDraft,
  Schema,
  applyChanges,
  cellName,
  compareSchemas,
  formDocument,
  mappingDocument,
  mergeDefinitions,
  sameDefinition,
  usesOf,
  linkFilesWords,
  linksOverlap,
} from '@rule/core/schema';
import { Db, Sql } from '../platform/db';
import { LOCKS, TAKE_LOCK } from '../platform/locks';
import { AppError, invalid, notFound, refused } from '../platform/problem';
import { User } from '../users/user';
import { WantedSchema, cellKey, edited, numbered, refuseBroken, refuseTaken, replaced, withoutCellHomes } from './draft-edits';
import { problemsOf } from './draft-problems';
import { enact } from './enact';
import { fillIn } from './properties';
import { readSettings } from '../platform/settings';

interface Stored {
  readonly id: number;
  readonly number: number;
  readonly state: EditionRow['state'];
  readonly schema: Schema;
  readonly revision: number;
}

const COLUMNS = 'id, number, state, schema, revision';

const restored = (row: Stored): Stored => ({
  ...row,
  schema: { ...EMPTY_SCHEMA, ...row.schema, properties: row.schema.properties.map((property) => fillIn(property)) },
});

/** The edition in force. */
export interface InForce {
  readonly number: number;
  readonly schema: Schema;
}

/** The edition in force; an empty one if there is none. */
export const inForceOf = (sql: Sql): Promise<InForce> => sql.kept('in force', readInForce);

async function readInForce(sql: Sql): Promise<InForce> {
  const row = await sql.one<Stored>(`SELECT ${COLUMNS} FROM editions WHERE state = 'in force'`);
  return row ? restored(row) : { number: 0, schema: EMPTY_SCHEMA };
}

/** The acting user; none for the demo and migrations. */
type Author = Pick<User, 'id'> | null;

/** The schema's editions: one in force, at most one draft, and earlier ones. */
export class Editions {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /** All editions, newest first. */
  list(): Promise<EditionRow[]> {
    return this.db.all<EditionRow>(
      `SELECT e.number, e.state, e.note, u.display_name AS "by", e.at, b.number AS "basedOn", jsonb_array_length(e.schema->'properties') AS properties
       FROM editions e LEFT JOIN users u ON u.id = e.user_id LEFT JOIN editions b ON b.id = e.based_on ORDER BY e.number DESC`,
    );
  }

  inForce(sql: Sql): Promise<InForce> {
    return inForceOf(sql);
  }

  /** The schema of an edition; 0 is the initial empty one. */
  async schemaOf(number: number): Promise<Schema> {
    if (number === 0) return EMPTY_SCHEMA;
    const row = await this.db.one<Stored>(`SELECT ${COLUMNS} FROM editions WHERE number = $1`, [number]);
    if (!row) throw notFound(`Edition ${number}`);
    return restored(row).schema;
  }

  /** The changes between two editions. */
  async compare(from: number, to: number) {
    return compareSchemas(await this.schemaOf(from), await this.schemaOf(to));
  }

  private async stored(sql: Sql, lock = false): Promise<Stored | null> {
    const row = await sql.one<Stored>(`SELECT ${COLUMNS} FROM editions WHERE state = 'draft'${lock ? ' FOR UPDATE' : ''}`);
    return row ? restored(row) : null;
  }

  /** The draft, or the edition in force if there is none. */
  async draft(): Promise<DraftView> {
    const [stored, inForce, ground] = await Promise.all([this.stored(this.db), this.inForce(this.db), this.ground(this.db)]);
    const schema = stored?.schema ?? inForce.schema;
    const edits = stored
      ? await this.db.all<DraftView['edits'][number]>(
          `SELECT coalesce(u.display_name, '') AS "by", e.at, e.what FROM edition_edits e
            LEFT JOIN users u ON u.id = e.user_id WHERE e.edition_id = $1 ORDER BY e.id DESC LIMIT 100`,
          [stored.id],
        )
      : [];
    const discarded = stored
      ? undefined
      : await this.db.one<NonNullable<DraftView['discarded']>>(
          `SELECT d.changes, coalesce(u.display_name, '') AS "by", d.at FROM discarded_drafts d LEFT JOIN users u ON u.id = d.user_id`,
        );
    return {
      discarded: discarded ?? null,
      number: stored?.number ?? null,
      revision: stored?.revision ?? 0,
      inForce: inForce.number,
      schema,
      changes: compareSchemas(inForce.schema, schema),
      problems: problemsOf(schema, ground),
      edits,
    };
  }

  /** The draft's content, or that of the edition in force. */
  async draftSchema(): Promise<Schema> {
    return (await this.stored(this.db))?.schema ?? (await this.inForce(this.db)).schema;
  }

  /** Names that definitions refer to. */
  private async ground(sql: Sql) {
    const [lists, series, classes, { workflowStates }] = await Promise.all([
      sql.all<{ name: string }>('SELECT name FROM choice_lists'),
      sql.all<{ name: string }>('SELECT name FROM number_series'),
      sql.all<{ name: string }>('SELECT name FROM classes'),
      readSettings(sql),
    ]);
    const names = (list: { name: string }[]) => list.map((row) => row.name);
    return { lists: names(lists), series: names(series), classes: names(classes), states: workflowStates };
  }

  /** Changes the draft, creating it if needed. Concurrent changes are serialised. */
  private async change(author: Author, what: string, work: (schema: Schema, sql: Sql) => Promise<Schema> | Schema): Promise<void> {
    await this.db.transaction(async (sql) => {
      // Prevents creating two drafts.
      await sql.all(TAKE_LOCK, [LOCKS.draft]);
      let stored = await this.stored(sql, true);
      if (!stored) {
        const base = await sql.one<Stored>(`SELECT ${COLUMNS} FROM editions WHERE state = 'in force'`);
        const schema = base ? restored(base).schema : EMPTY_SCHEMA;
        const row = await sql.one<Stored>(
          `INSERT INTO editions (number, state, schema, user_id, at, based_on)
            SELECT coalesce(max(number), 0) + 1, 'draft', $1::jsonb, $2, $3, $4 FROM editions
            RETURNING ${COLUMNS}`,
          [JSON.stringify(schema), author?.id ?? null, this.clock(), base?.id ?? null],
        );
        stored = restored(row!);
      }
      const after = await withoutCellHomes(await work(stored.schema, sql), sql);
      if (sameDefinition(after, stored.schema)) return;
      await sql.run('UPDATE editions SET schema = $2::jsonb, revision = revision + 1 WHERE id = $1', [stored.id, JSON.stringify(after)]);
      await sql.run('INSERT INTO edition_edits (edition_id, user_id, at, what) VALUES ($1, $2, $3, $4)', [stored.id, author?.id ?? null, this.clock(), what]);
    });
  }

  /** Adds properties to the draft. Faults must be fixed before it comes into force. */
  async add(author: Author, drafts: readonly PropertyDraft[]): Promise<number[]> {
    let ids: number[] = [];
    const what = drafts.length === 1 ? `defined ${drafts[0]!.caption}` : `defined ${drafts.length} properties`;
    await this.change(author, what, async (schema, sql) => {
      ids = (await sql.all<{ id: number }>(`SELECT nextval('properties_id_seq')::int AS id FROM generate_series(1, $1::int)`, [drafts.length])).map(
        (row) => row.id,
      );
      const properties = [...schema.properties, ...drafts.map((draft, i): Property => ({ ...draft, id: ids[i]!, retired: false }))];
      refuseTaken(properties);
      return { ...schema, properties };
    });
    return ids;
  }

  /**
   * Edits properties of the draft. Edits carry the version their author saw: other changes are merged, and if both changed the same field,
   * nothing is stored and the answer names the fields.
   */
  async edit(author: Author, edits: readonly ChangedProperty[]): Promise<void> {
    const what = edits.length === 1 ? `changed ${edits[0]!.draft.caption}` : `changed ${edits.length} properties`;
    await this.change(author, what, (schema, sql) => edited(schema, edits, sql));
  }

  /** Removes a property from the draft; one that was in force is retired instead. */
  async remove(author: Author, id: number): Promise<void> {
    await this.change(author, `took property ${id} out`, async (schema, sql) => {
      if (!schema.properties.some((property) => property.id === id)) throw notFound(`Property ${id} of the draft`);
      if (await sql.one('SELECT 1 FROM properties WHERE id = $1', [id]))
        throw refused('was-in-force', 'The property has been in force. Retire it instead, so that its name stays known.');
      const uses = usesOf(id, schema.bindings, schema.links);
      if (uses.bindings.length || uses.links.length)
        throw refused(
          'is-mapped',
          `It cannot be removed: ${[...uses.bindings.map((binding) => `the cell ${cellName(binding)} shows it`), ...uses.links.map((link) => `the record field ${link.field} is linked to it`)].join(', ')}.`,
        );
      return { ...schema, properties: schema.properties.filter((property) => property.id !== id) };
    });
  }

  /** Orders properties; unnamed ones follow in their current order. */
  async order(author: Author, ids: readonly number[]): Promise<void> {
    await this.change(author, 'changed the order', (schema) => applyChanges(schema, [{ type: 'order changed', of: 'properties', before: [], after: ids }]));
  }

  async saveChecks(author: Author, checks: readonly (Omit<Check, 'id'> & { readonly id: number | null })[]): Promise<void> {
    await this.change(author, 'changed the checks', async (schema, sql) => {
      const known = new Set(schema.checks.map((check) => check.id));
      const fresh = await sql.all<{ id: number }>(`SELECT nextval('check_ids')::int AS id FROM generate_series(1, $1::int)`, [
        checks.filter((check) => check.id === null).length,
      ]);
      return {
        ...schema,
        checks: checks.map((check): Check => ({ ...check, id: check.id !== null && known.has(check.id) ? check.id : (fresh.shift()?.id ?? check.id!) })),
      };
    });
  }

  /** Stores a form, merged with changes since its author saw it; conflicting parts are refused. */
  async saveForm(author: Author, { id, form, base }: SavedForm): Promise<number> {
    let saved = id ?? 0;
    await this.change(author, id === null ? `laid out the form ${form.name}` : `changed the form ${form.name}`, async (schema, sql) => {
      const taken = schema.forms.find((other) => other.id !== id && other.name === form.name);
      if (taken) throw refused('name-taken', `A form named ${form.name} already exists.`);
      if (id === null) {
        saved = (await sql.one<{ id: number }>(`SELECT nextval('form_ids')::int AS id`))!.id;
        return { ...schema, forms: [...schema.forms, { ...form, id: saved }] };
      }
      const old = schema.forms.find((candidate) => candidate.id === id);
      if (!old) throw notFound(`The form ${id} of the draft`);
      const { id: _, ...theirs } = old;
      void _;
      const { merged, conflicts } = mergeDefinitions(base ?? theirs, theirs, form);
      if (conflicts.length)
        throw new AppError(
          409,
          'changed-by-both',
          `Someone else changed the form ${old.name} after you opened it: ${conflicts.map((conflict) => conflict.field).join(', ')}.`,
          conflicts.map(({ field }) => ({ field, code: 'changed-by-both', message: `${old.name}, ${field}: someone else changed it.` })),
        );
      return { ...schema, forms: schema.forms.map((candidate) => (candidate.id === id ? { ...merged, id } : candidate)) };
    });
    return saved;
  }

  async removeForm(author: Author, id: number): Promise<void> {
    await this.change(author, 'removed a form', (schema) => {
      if (!schema.forms.some((form) => form.id === id)) throw notFound(`The form ${id} of the draft`);
      return { ...schema, forms: schema.forms.filter((form) => form.id !== id) };
    });
  }

  /** Orders the forms by precedence. */
  async orderForms(author: Author, ids: readonly number[]): Promise<void> {
    await this.change(author, 'changed the order of the forms', (schema) =>
      applyChanges(schema, [{ type: 'order changed', of: 'forms', before: [], after: ids }]),
    );
  }

  /** Replaces bindings of cells in the draft; unbound cells are left alone in drawings. */
  async bind(author: Author, cells: readonly Omit<Binding, 'id'>[]): Promise<void> {
    const what = cells.length === 1 ? `bound the cell ${cellName(cells[0]!)}` : `bound ${cells.length} cells`;
    await this.change(author, what, async (schema, sql) => {
      const named = new Set(cells.map(cellKey));
      const left = schema.bindings.filter((binding) => !named.has(cellKey(binding)));
      const bound = await numbered(
        sql,
        'binding_ids',
        schema.bindings,
        cells.filter(({ shows }) => shows.length > 0),
        cellKey,
      );
      const bindings = [...left, ...bound].sort((a, b) => a.id - b.id);
      refuseBroken(schema, { ...schema, bindings });
      return { ...schema, bindings };
    });
  }

  /**
   * Adds or changes a link of the draft.
   * @returns its number
   */
  async saveLink(author: Author, id: number | null, link: Omit<Link, 'id'>): Promise<number> {
    let saved = id ?? 0;
    await this.change(author, `linked the record field ${link.field}`, async (schema, sql) => {
      if (id !== null && !schema.links.some((other) => other.id === id)) throw notFound(`Link ${id} of the draft`);
      if (schema.links.some((other) => other.id !== id && other.field === link.field && linksOverlap(other, link)))
        throw refused('field-taken', `The record field ${link.field} is already linked for some of these files (${linkFilesWords(link)}).`);
      if (id === null) saved = (await sql.one<{ id: number }>(`SELECT nextval('link_ids')::int AS id`))!.id;
      const links = id === null ? [...schema.links, { ...link, id: saved }] : schema.links.map((other) => (other.id === id ? { ...link, id } : other));
      refuseBroken(schema, { ...schema, links });
      return { ...schema, links };
    });
    return saved;
  }

  async removeLink(author: Author, id: number): Promise<void> {
    await this.change(author, 'removed a link', (schema) => {
      if (!schema.links.some((link) => link.id === id)) throw notFound(`Link ${id} of the draft`);
      return { ...schema, links: schema.links.filter((link) => link.id !== id) };
    });
  }

  async saveStrangers(author: Author, strangers: Schema['strangers']): Promise<void> {
    await this.change(author, 'changed the policy for names outside the schema', (schema) => ({ ...schema, strangers }));
  }

  /** Sets the draft to a document or earlier edition, matching properties by written name. */
  async replace(author: Author, what: string, wanted: WantedSchema): Promise<void> {
    await this.change(author, what, (schema, sql) => replaced(schema, wanted, sql));
  }

  /** Makes an earlier edition the draft. */
  async goBack(author: Author, number: number): Promise<void> {
    const schema = await this.schemaOf(number);
    await this.replace(author, `went back to edition ${number}`, {
      ...schema,
      forms: schema.forms.map((form) => formDocument(form, schema.properties)),
      ...mappingDocument(schema.properties, schema.bindings, schema.links),
    });
  }

  /** Discards the draft. It can be restored until another draft begins. */
  async discard(author: Author): Promise<void> {
    await this.db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.draft]);
      const stored = await this.stored(sql, true);
      if (!stored) throw notFound('A draft');
      const { schema } = await this.inForce(sql);
      await sql.run(
        `INSERT INTO discarded_drafts (id, schema, based_on, edits, changes, user_id, at)
         SELECT 1, e.schema, e.based_on,
           coalesce((SELECT jsonb_agg(jsonb_build_object('user', d.user_id, 'at', d.at, 'what', d.what) ORDER BY d.id)
                 FROM edition_edits d WHERE d.edition_id = e.id),
               '[]'),
           $2, $3, $4
         FROM editions e WHERE e.id = $1
         ON CONFLICT (id) DO UPDATE SET schema = excluded.schema, based_on = excluded.based_on, edits = excluded.edits,
           changes = excluded.changes, user_id = excluded.user_id, at = excluded.at`,
        [stored.id, compareSchemas(schema, stored.schema).length, author?.id ?? null, this.clock()],
      );
      await sql.run('DELETE FROM editions WHERE id = $1', [stored.id]);
    });
  }

  /**
   * Restores the last discarded draft with its history.
   * @throws AppError if another draft has begun, or there is none
   */
  async reinstate(): Promise<void> {
    await this.db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.draft]);
      if (await this.stored(sql, true)) throw refused('draft-begun', 'Another draft exists. Discard it or bring it into force first.');
      const row = await sql.one<{ id: number }>(
        `INSERT INTO editions (number, state, schema, user_id, at, based_on, revision)
         SELECT (SELECT coalesce(max(number), 0) + 1 FROM editions), 'draft', d.schema, d.user_id, $1, d.based_on, 1 FROM discarded_drafts d RETURNING id`,
        [this.clock()],
      );
      if (!row) throw notFound('A discarded draft');
      await sql.run(
        `INSERT INTO edition_edits (edition_id, user_id, at, what) SELECT $1, n.user, n.at, n.what
          FROM discarded_drafts d, jsonb_to_recordset(d.edits) AS n("user" int, at timestamptz, what text)`,
        [row.id],
      );
      await sql.run('DELETE FROM discarded_drafts');
    });
  }

  /** Brings the whole draft into force. `revision` is the version its author saw. */
  async bringIntoForce(author: Author, note: string, revision: number | null): Promise<number> {
    return this.db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.draft]);
      const stored = await this.stored(sql, true);
      if (!stored) throw refused('no-draft', 'There is no draft to bring into force.');
      if (revision !== null && stored.revision !== revision) throw new AppError(409, 'draft-changed', 'Someone else changed the draft. Review it again.');
      const wrong = problemsOf(stored.schema, await this.ground(sql)).find((problem) => problem.severity === 'error');
      if (wrong) throw invalid('bad-draft', wrong.message, [{ field: wrong.subject, code: wrong.code, message: wrong.message }]);
      await sql.run(`UPDATE editions SET state = 'superseded' WHERE state = 'in force'`);
      await sql.run(`UPDATE editions SET state = 'in force', note = $2, user_id = $3, at = $4 WHERE id = $1`, [
        stored.id,
        note,
        author?.id ?? null,
        this.clock(),
      ]);
      await enact(sql, stored.schema);
      return stored.number;
    });
  }

  /** Changes the schema and publishes it in one step, without a draft; for the demo and tests. */
  async decree(author: Author, note: string, drafts: readonly PropertyDraft[]): Promise<number[]> {
    const ids = await this.add(author, drafts);
    await this.bringIntoForce(author, note, null);
    return ids;
  }
}
