import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { BomPlace, FileFilter, LayoutContent, SendOutRequest, SendOutRow, SendOutStarted, SurveyTable, TableFormat, WHOLE_LIBRARY } from '@rule/contract';
import { TableColumn } from '@rule/core/exchange';
import { ChoiceListDraft, Property, isHeldAt, whyNotChanged, KINDS, whyNotTyped } from '@rule/core/schema';
import { TypeGuess, columnOf } from '@rule/core/survey';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { exists } from '../platform/store';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { Surveys } from '../survey/survey';
import { WorkPool } from '../platform/pool';
import { SentOut } from './send-out.thread';
import { User, mayDecide } from '../users/user';
import { Judgements } from '../values/judgements';

/** Column limit of a workbook (ECMA-376: 16384), minus identifying columns. */
const MOST_COLUMNS = 16_000;

/** A name that was outside the schema when sent out, with a profile of its values. */
interface FoundColumn {
  readonly name: string;
  readonly guess: TypeGuess;
}

/** Recipient and name of a send-out. */
interface Address {
  readonly name: string;
  readonly recipient: string;
  readonly layout: number | null;
  readonly delivery: boolean;
}

/** Send-outs: values to workbooks and other tables, stored as the base for taking them back. */
export class SendOuts {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly jobs: Jobs,
    private readonly properties: Properties,
    private readonly surveys: Surveys,
    private readonly editions: Editions,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly clock: () => Date,
    private readonly folder: string,
    /** Item numbers and quantities of an assembly's parts, as the user sees them. */
    private readonly places: (user: number, assembly: number, layout: number | null) => Promise<Readonly<Record<number, BomPlace>>>,
  ) {
    jobs.define<{ sendOut: number }>('table', (context, { sendOut }) => this.make(sendOut, null, context));
  }

  /** Row count of a layout. */
  count(content: LayoutContent): Promise<number> {
    return this.pool.run('countSubjects', { content });
  }

  /** Sends a table out as a job. */
  async start(user: User, request: SendOutRequest): Promise<SendOutStarted> {
    const id = await this.begin(user, request.format, request.content, { name: '', recipient: request.recipient, layout: request.layout, delivery: false });
    const job = await this.jobs.start(user, 'table', 'Send values out', { sendOut: id });
    return { id, job };
  }

  /**
   * Sends a table out and waits.
   * @returns its location. `only` restricts the files
   */
  async now(
    user: Pick<User, 'id' | 'role'>,
    format: TableFormat,
    content: LayoutContent,
    address: Address,
    only: readonly number[] | null = null,
  ): Promise<SentOut & { readonly id: number; readonly path: string; readonly name: string }> {
    const id = await this.begin(user, format, content, address);
    const sent = await this.make(id, only, null);
    return { ...sent, id, ...(await this.file(id)) };
  }

  /**
   * Sends out a survey: one row per file, one column per written name, including names outside the schema, which are stored with the
   * send-out.
   */
  async survey(user: User, { format, filter, names }: SurveyTable): Promise<{ path: string; name: string }> {
    const content: LayoutContent = { ...WHOLE_LIBRARY, filter };
    const found = await this.strays(filter);
    const known = new Map([...(await this.properties.ofFiles(this.db)).values()].map((property) => [property.writtenName, property]));
    const held = names.length ? names : [...found.keys()].sort((a, b) => a.localeCompare(b));
    // Files without values are where data entry starts, with the columns the schema requires.
    const wanted = held.length
      ? held
      : [...known.values()]
          .filter((property) => KINDS.some((kind) => property.kinds.includes(kind) && whyNotTyped(property, kind) === null))
          .map((property) => property.writtenName);
    if (wanted.length > MOST_COLUMNS)
      throw invalid('too-many-names', `A table can have at most ${MOST_COLUMNS} columns; these files have ${wanted.length} names.`);
    const strays: FoundColumn[] = [];
    const columns = wanted.map((name): { property: number; header: string; editable: boolean } => {
      const property = known.get(name);
      if (property) return { property: property.id, header: name, editable: true };
      strays.push({ name, guess: found.get(name) ?? { type: 'text', unit: null } });
      return { property: -strays.length, header: name, editable: true };
    });
    const id = await this.insert(user, format, content, { name: 'survey', recipient: '', layout: null, delivery: false }, columns, strays);
    await this.make(id, null, null);
    return this.file(id);
  }

  /** Names found in files, with profiles of their values. */
  private async strays(filter: FileFilter): Promise<Map<string, TypeGuess>> {
    const guesses = new Map<string, { files: number; guess: TypeGuess }>();
    for (const row of await this.surveys.names(filter)) {
      const entry = guesses.get(row.name);
      if (row.level === 'document' && row.files > (entry?.files ?? 0)) guesses.set(row.name, { files: row.files, guess: row.guess });
    }
    return new Map([...guesses].map(([name, { guess }]) => [name, guess]));
  }

  /** Resolves the columns of a layout and records the send-out. */
  private async begin(user: Pick<User, 'id' | 'role'>, format: TableFormat, content: LayoutContent, address: Address): Promise<number> {
    const active = await this.properties.active(this.db);
    const fits = (property: Property) => content.level === 'document' || isHeldAt(property, content.level) || isHeldAt(property, 'document');
    const chosen = content.columns.length
      ? content.columns.map((column) => {
          const property = active.get(column.property);
          if (!property) throw invalid('unknown-property', 'One of the properties of the layout is no longer in the schema.');
          return { property: property.id, header: column.header || property.writtenName, editable: column.editable };
        })
      : [...active.values()]
          .filter(
            (property) =>
              isHeldAt(property, content.level === 'document' ? 'document' : content.level) &&
              (content.filter.kind === undefined || property.kinds.includes(content.filter.kind)),
          )
          .map((property) => ({ property: property.id, header: property.writtenName, editable: true }));
    const twice = chosen.find((column, i) => chosen.some((other, k) => k < i && other.header === column.header));
    if (twice) throw invalid('header-twice', `Two columns would have the header ${JSON.stringify(twice.header)}.`);
    const odd = chosen.find((column) => !fits(active.get(column.property)!));
    if (odd) throw invalid('not-held', `${active.get(odd.property)!.caption} is not held at ${content.level} level.`);
    const strays: FoundColumn[] = [];
    if (content.rows === 'strays') {
      const known = new Set([...active.values()].map((property) => property.writtenName));
      for (const [name, guess] of [...(await this.strays(content.filter))].sort(([a], [b]) => a.localeCompare(b)))
        if (!known.has(name)) strays.push({ name, guess });
    }
    const columns = [
      ...(content.rows === 'strays' && content.columns.length === 0 ? [] : chosen),
      ...strays.map(({ name }, i) => ({ property: -(i + 1), header: name, editable: true })),
    ];
    if (columns.length === 0)
      throw invalid('no-properties', content.rows === 'strays' ? 'These files have no names outside the schema.' : 'The schema has no property to send out.');
    if (columns.length > MOST_COLUMNS)
      throw invalid('too-many-names', `A table can have at most ${MOST_COLUMNS} columns; this one would have ${columns.length}.`);
    return this.insert(user, format, content, address, columns, strays);
  }

  private async insert(
    user: Pick<User, 'id'>,
    format: TableFormat,
    content: LayoutContent,
    { name, recipient, layout, delivery }: Address,
    columns: readonly { readonly property: number; readonly header: string; readonly editable: boolean }[],
    found: readonly FoundColumn[],
  ): Promise<number> {
    const { number } = await this.editions.inForce(this.db);
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO send_outs (user_id, at, format, content, columns, found, level, layout_id, recipient, edition, state, name, delivery)
       VALUES ($1, $2, $3, $4::jsonb, $5::jsonb, $6::jsonb, $7, $8, $9, $10, 'making', $11, $12) RETURNING id`,
      [
        user.id,
        this.clock(),
        format,
        JSON.stringify(content),
        asRecordset(columns),
        asRecordset(found),
        content.level,
        layout,
        recipient,
        number,
        name,
        delivery,
      ],
    );
    const title =
      name ||
      (layout === null ? undefined : (await this.db.one<{ name: string }>('SELECT name FROM exchange_layouts WHERE id = $1', [layout]))?.name) ||
      'values';
    await this.db.run('UPDATE send_outs SET name = $2 WHERE id = $1', [
      row!.id,
      `${title.replace(/[\\/:*?"<>|\s]+/g, '-').toLowerCase()}-${row!.id}.${format}`,
    ]);
    return row!.id;
  }

  /** Writes the table of a send-out and its base. An interrupted one is rebuilt. */
  private async make(id: number, only: readonly number[] | null, context: JobContext | null): Promise<SentOut> {
    const row = await this.db.one<{
      format: TableFormat;
      content: LayoutContent;
      columns: { property: number; header: string; editable: boolean }[];
      found: FoundColumn[];
      edition: number;
      at: string;
      recipient: string;
      user: number;
    }>('SELECT format, content, columns, found, edition, at, recipient, user_id AS user FROM send_outs WHERE id = $1', [id]);
    if (!row) throw notFound(`Send-out ${id}`);
    const [active, lists] = await Promise.all([
      this.properties.active(this.db),
      this.db.all<{ name: string; content: Omit<ChoiceListDraft, 'name'> }>('SELECT name, content FROM choice_lists'),
    ]);
    const columns = row.columns.map(({ property, header, editable }): TableColumn => {
      const found = property < 0 ? row.found[-property - 1] : undefined;
      const known = found ? columnOf(found.name, property, found.guess) : active.get(property);
      if (!known) throw invalid('unknown-property', 'One of the properties was retired in the meantime.');
      // Columns nobody may type in are read-only.
      const closed = whyNotChanged(known, { role: 'administrator', kind: row.content.filter.kind ?? known.kinds[0] ?? 'part', className: null, state: null });
      const elsewhere = known.id > 0 && row.content.level !== 'document' && !isHeldAt(known, row.content.level);
      return { property: known, header, editable: editable && closed === null && !elsewhere };
    });
    // Locked cells are refused when taken back.
    await this.db.run('UPDATE send_outs SET columns = $2::jsonb WHERE id = $1', [
      id,
      asRecordset(columns.map(({ property, header, editable }) => ({ property: property.id, header, editable }))),
    ]);
    await mkdir(this.folder, { recursive: true });
    const target = this.pathOf(id, row.format);
    const { assembly } = row.content.filter;
    // Cell states are current.
    if (row.content.beside?.some((column) => 'fact' in column && column.fact === 'cell states')) await this.judgements.settle();
    try {
      const sent = await this.pool.run('sendOut', {
        sendOut: id,
        job: context === null ? null : await this.jobOf(id),
        format: row.format,
        content: row.content,
        columns,
        lists: lists.map(({ name, content }) => ({ ...content, name })),
        edition: row.edition,
        at: new Date(row.at),
        howTo: howTo(id, row.edition, row.at, row.recipient),
        target,
        bom: assembly !== undefined && row.content.bom ? await this.places(row.user, assembly, row.content.bom.layout) : null,
        only,
      });
      context?.progress('', sent.rows, sent.rows);
      await this.db.run(`UPDATE send_outs SET files = $2, rows = $3, state = 'done', kept = $4 WHERE id = $1`, [id, sent.files, sent.rows, target]);
      return sent;
    } catch (error) {
      await this.db.run('DELETE FROM send_outs WHERE id = $1', [id]);
      await rm(target, { force: true });
      throw error;
    }
  }

  private async jobOf(sendOut: number): Promise<number | null> {
    const row = await this.db.one<{ id: number }>(
      `SELECT id FROM jobs WHERE kind = 'table' AND (input->>'sendOut')::int = $1 AND state = 'running' ORDER BY id DESC LIMIT 1`,
      [sendOut],
    );
    return row?.id ?? null;
  }

  private pathOf(id: number, format: TableFormat): string {
    return join(this.folder, `send-out-${id}.${format}`);
  }

  /** The file of a send-out. */
  async file(id: number): Promise<{ path: string; name: string }> {
    const row = await this.db.one<{ name: string; kept: string | null; state: string }>('SELECT name, kept, state FROM send_outs WHERE id = $1', [id]);
    if (!row) throw notFound(`Send-out ${id}`);
    if (row.state === 'making') throw refused('being-made', 'The table is still being written.');
    if (row.kept === null || !(await exists(row.kept))) throw notFound(`The file of send-out ${id}`);
    return { path: row.kept, name: row.name };
  }

  list(user: Pick<User, 'id'>): Promise<SendOutRow[]> {
    return this.db.all<SendOutRow>(
      `SELECT s.id, s.name, u.display_name AS "by", s.user_id = $1 AS mine, s.recipient, s.at, s.format, s.level, s.rows, s.files,
         jsonb_array_length(s.columns) AS properties,
         s.kept IS NOT NULL AS kept, s.taken_back_at AS "takenBackAt", s.closed_at AS "closedAt"
       FROM send_outs s JOIN users u ON u.id = s.user_id WHERE s.state = 'done' AND NOT s.delivery ORDER BY s.id DESC LIMIT 500`,
      [user.id],
    );
  }

  /** Send-outs with a property that have not come back. */
  withProperty(property: number): Promise<{ id: number; at: string }[]> {
    return this.db.all<{ id: number; at: string }>(
      `SELECT id, to_char(at, 'YYYY-MM-DD') AS at FROM send_outs WHERE taken_back_at IS NULL AND closed_at IS NULL AND NOT delivery AND state = 'done'
         AND columns @> jsonb_build_array(jsonb_build_object('property', $1::int)) ORDER BY id DESC LIMIT 20`,
      [property],
    );
  }

  /** Marks a copy as not returning, or undoes that. */
  async close(user: Pick<User, 'id' | 'role'>, id: number, closed: boolean): Promise<void> {
    const row = await this.db.one<{ owner: number }>('SELECT user_id AS owner FROM send_outs WHERE id = $1', [id]);
    if (!row) throw notFound(`Send-out ${id}`);
    if (!mayDecide(user, row.owner)) throw refused('not-yours', 'Only the sender or an administrator can mark a table as not returning.');
    const touched = await this.db.run('UPDATE send_outs SET closed_at = $2 WHERE id = $1', [id, closed ? this.clock() : null]);
    if (touched === 0) throw notFound(`Send-out ${id}`);
  }
}

/** Text of the instruction sheet. */
const howTo = (id: number, edition: number, at: string, recipient: string): { title: string; lines: string[] } => ({
  title: `Send-out ${id}${recipient ? ` for ${recipient}` : ''}`,
  lines: [
    `Made on ${new Date(at).toISOString().slice(0, 10)} by edition ${edition} of the schema.`,
    '',
    'Fill in the white columns of the sheet Values. Grey columns are read-only; changes there are not taken back.',
    'Do not change the column "Rule identity": it identifies each row. You may sort, filter and delete rows, and move or hide columns.',
    'A row without an identity is matched by file path or file name.',
    'Ochre cells lack a required value; red cells break a rule of their property. Select a cell for details.',
    'Part numbers are text: do not let the spreadsheet program convert them to numbers or dates.',
    'Clearing a cell clears the value.',
    '',
    'When the table comes back, Rule shows every change before anything is written and asks about values that others changed in the meantime.',
  ],
});
