import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { FileFilter, SendOutRequest, SendOutRow, SurveyTable, TableFormat, TakeBackCellRow, TakeBackRow, TakeBackView } from '@rule/contract';
import { TakeBackIssue } from '@rule/core/exchange';
import { Line } from '@rule/core/changes';
import { Property, slotOf } from '@rule/core/schema';
import { TypeGuess, columnOf } from '@rule/core/survey';
import { Trays } from '../changes/tray';
import { Db, rows } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { Surveys } from '../survey/survey';
import { readSettings } from '../schema/settings';
import { User } from '../users/user';
import { heldAt } from '../values/held';
import { WorkPool } from '../threads/pool';

/** Columns that a workbook may have (ECMA-376: 16384), less those that say which file a row is about. */
const MOST_COLUMNS = 16_000;

/** A name that the schema did not know when it was sent out, and what its values looked like. */
export interface FoundColumn {
  readonly name: string;
  readonly guess: TypeGuess;
}

/** Largest workbook or CSV file that Rule takes back. */
export const LARGEST_TABLE = 64 * 1024 * 1024;

/** Values out to workbooks and CSV files, and back. */
export class Exchange {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly properties: Properties,
    private readonly trays: Trays,
    private readonly surveys: Surveys,
    private readonly clock: () => Date,
    private readonly temp: string,
  ) {}

  /** Writes a table to a temporary file, which the caller removes. */
  async sendOut(user: User, request: SendOutRequest): Promise<{ path: string; name: string }> {
    const active = await this.properties.ofFiles();
    const chosen = request.properties.length ? request.properties.map((id) => active.get(id)) : [...active.values()];
    const properties = chosen.flatMap((property) => property ?? []);
    if (properties.length !== chosen.length) throw invalid('unknown-property', 'One of the properties is not in the schema.');
    if (properties.length === 0) throw invalid('no-properties', 'The schema has no property to send out.');
    return this.write(user, request.format, request.filter, properties, []);
  }

  /**
   * Sends a survey out: one row a file, one column a written name, also for names that the schema does not know.
   * They are kept with the send-out, so that what was filled in can be taken back.
   */
  async sendOutSurvey(user: User, { format, filter, names }: SurveyTable): Promise<{ path: string; name: string }> {
    const known = new Map([...(await this.properties.ofFiles()).values()].map((property) => [property.writtenName, property]));
    const guesses = new Map<string, { files: number; guess: TypeGuess }>();
    for (const row of await this.surveys.names(filter)) {
      const entry = guesses.get(row.name);
      if (row.level === 'document' && row.files > (entry?.files ?? 0)) guesses.set(row.name, { files: row.files, guess: row.guess });
    }
    const wanted = names.length ? names : [...guesses.keys()].sort((a, b) => a.localeCompare(b));
    if (wanted.length === 0) throw invalid('no-names', 'None of these files holds a property.');
    if (wanted.length > MOST_COLUMNS) throw invalid('too-many-names', `A table has ${MOST_COLUMNS} columns at most; these files hold ${wanted.length} names.`);
    const found: FoundColumn[] = [];
    const columns = wanted.map((name) => {
      const property = known.get(name);
      if (property) return property;
      const guess = guesses.get(name)?.guess ?? { type: 'text', unit: null };
      found.push({ name, guess });
      return columnOf(name, -found.length, guess);
    });
    return this.write(user, format, filter, columns, found);
  }

  private async write(
    user: User,
    format: TableFormat,
    filter: FileFilter,
    properties: readonly Property[],
    found: readonly FoundColumn[],
  ): Promise<{ path: string; name: string }> {
    const row = await this.db.one<{ id: number }>(
      'INSERT INTO send_outs (user_id, at, format, filter, properties, found) VALUES ($1, $2, $3, $4::jsonb, $5::int[], $6::jsonb) RETURNING id',
      [user.id, this.clock(), format, JSON.stringify(filter), properties.map((property) => property.id), rows(found)],
    );
    await mkdir(this.temp, { recursive: true });
    const path = join(this.temp, `${randomUUID()}.${format}`);
    try {
      const files = await this.pool.run('sendOut', { sendOut: row!.id, format, filter, properties, target: path });
      await this.db.run('UPDATE send_outs SET files = $2 WHERE id = $1', [row!.id, files]);
    } catch (error) {
      await this.db.run('DELETE FROM send_outs WHERE id = $1', [row!.id]);
      await rm(path, { force: true });
      throw error;
    }
    return { path, name: `${found.length ? 'survey' : 'values'}-${row!.id}.${format}` };
  }

  sendOuts(): Promise<SendOutRow[]> {
    return this.db.all<SendOutRow>(
      `SELECT s.id, u.display_name AS "by", s.at, s.format, s.files, cardinality(s.properties) AS properties, s.taken_back_at AS "takenBackAt" FROM send_outs s JOIN users u ON u.id = s.user_id ORDER BY s.id DESC LIMIT 200`,
    );
  }

  takeBacks(): Promise<TakeBackRow[]> {
    return this.db.all<TakeBackRow>(
      `SELECT t.id, t.name, u.display_name AS "by", t.at, t.counts, t.note FROM take_backs t JOIN users u ON u.id = t.user_id ORDER BY t.id DESC LIMIT 200`,
    );
  }

  async takeBack(user: User, name: string, bytes: Uint8Array): Promise<TakeBackView> {
    if (bytes.length === 0) throw invalid('empty-file', `${name} is empty.`);
    const [properties, { standIns }] = await Promise.all([this.properties.list(), readSettings(this.db)]);
    const outcome = await this.pool.run('takeBack', { name, bytes, user: user.id, role: user.role, at: this.clock(), properties, standIns });
    if (!outcome.ok) throw invalid(outcome.code, `${name}: ${outcome.message}`);
    return this.view(outcome.id);
  }

  async view(id: number): Promise<TakeBackView> {
    const row = await this.db.one<TakeBackRow & { issues: TakeBackIssue[] }>(
      `SELECT t.id, t.name, u.display_name AS "by", t.at, t.counts, t.note, t.issues FROM take_backs t JOIN users u ON u.id = t.user_id WHERE t.id = $1`,
      [id],
    );
    if (!row) throw notFound(`Take-back ${id}`);
    const { issues, ...takeBack } = row;
    return { takeBack, issues, cells: await this.cells(id) };
  }

  private cells(id: number): Promise<TakeBackCellRow[]> {
    return this.db.all<TakeBackCellRow>(
      `SELECT c.id, c.row, c.file_id AS file, f.path, f.kind, c.property_id AS property, c.name, c.verdict, c.base, c.current, c.proposed, c.text, c.message, c.outcome
       FROM take_back_cells c JOIN files f ON f.id = c.file_id WHERE c.take_back_id = $1 ORDER BY c.row, c.id`,
      [id],
    );
  }

  /** Puts cells in the tray: all that would change, or the named ones. A named conflict goes with the value that stands now as its base: it was settled for the workbook. */
  async toTray(user: User, id: number, only: readonly number[] | null): Promise<TakeBackView> {
    const { cells } = await this.view(id);
    const wanted = new Set(only ?? []);
    const chosen = cells.filter((cell) => cell.outcome === null && (only === null ? cell.verdict === 'change' : wanted.has(cell.id)));
    const stuck = chosen.find((cell) => cell.verdict === 'error' || cell.verdict === 'same');
    if (stuck) throw invalid('not-takeable', `Row ${stuck.row}: ${stuck.message}`);
    if (chosen.length === 0) throw invalid('nothing-to-take', 'None of these cells waits to be taken.');
    const active = await this.properties.ofFiles();
    const lines = chosen.flatMap((cell): Line[] => {
      const property = active.get(cell.property);
      const slot = cell.name !== null ? { place: 'property' as const, name: cell.name } : property && slotOf(property, cell.kind);
      if (!slot) throw invalid('retired-column', 'One of the properties was retired since the file was read.');
      return [
        {
          address: { file: cell.file, holder: '', ...slot },
          base: cell.current,
          proposed: cell.proposed,
          reason: `take-back ${id}, row ${cell.row}`,
          follows: false,
        },
      ];
    });
    const now = await heldAt(
      this.db,
      lines.map((line) => line.address),
    );
    await this.trays.add(
      user,
      lines.map((line, i) => (chosen[i]!.verdict === 'conflict' ? { ...line, base: now[i]! } : line)),
    );
    await this.db.run(`UPDATE take_back_cells SET outcome = 'tray' WHERE id = ANY($1::int[])`, [chosen.map((cell) => cell.id)]);
    return this.view(id);
  }

  /** Settles cells by keeping what Rule holds. */
  async keep(id: number, cells: readonly number[]): Promise<TakeBackView> {
    await this.db.run(`UPDATE take_back_cells SET outcome = 'kept' WHERE take_back_id = $1 AND id = ANY($2::int[]) AND outcome IS NULL`, [id, cells]);
    return this.view(id);
  }
}
