import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { SendOutRequest, SendOutRow, TakeBackCellRow, TakeBackRow, TakeBackView } from '@rule/contract';
import { TakeBackIssue } from '@rule/core/exchange';
import { Line } from '@rule/core/changes';
import { slotOf } from '@rule/core/schema';
import { Trays } from '../changes/tray';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../schema/settings';
import { User } from '../users/user';
import { heldAt } from '../values/held';
import { WorkPool } from '../threads/pool';

/** Largest workbook or CSV file that Rule takes back. */
export const LARGEST_TABLE = 64 * 1024 * 1024;

/** Values out to workbooks and CSV files, and back. */
export class Exchange {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly properties: Properties,
    private readonly trays: Trays,
    private readonly clock: () => Date,
    private readonly temp: string,
  ) {}

  /** Writes a table to a temporary file, which the caller removes. */
  async sendOut(user: User, request: SendOutRequest): Promise<{ path: string; name: string }> {
    const active = await this.properties.active();
    const chosen = request.properties.length ? request.properties.map((id) => active.get(id)) : [...active.values()];
    const properties = chosen.flatMap((property) => property ?? []);
    if (properties.length !== chosen.length) throw invalid('unknown-property', 'One of the properties is not in the schema.');
    if (properties.length === 0) throw invalid('no-properties', 'The schema has no property to send out.');
    const row = await this.db.one<{ id: number }>(
      'INSERT INTO send_outs (user_id, at, format, filter, properties) VALUES ($1, $2, $3, $4::jsonb, $5::int[]) RETURNING id',
      [user.id, this.clock(), request.format, JSON.stringify(request.filter), properties.map((property) => property.id)],
    );
    await mkdir(this.temp, { recursive: true });
    const path = join(this.temp, `${randomUUID()}.${request.format}`);
    try {
      const files = await this.pool.run('sendOut', { sendOut: row!.id, format: request.format, filter: request.filter, properties, target: path });
      await this.db.run('UPDATE send_outs SET files = $2 WHERE id = $1', [row!.id, files]);
    } catch (error) {
      await this.db.run('DELETE FROM send_outs WHERE id = $1', [row!.id]);
      await rm(path, { force: true });
      throw error;
    }
    return { path, name: `values-${row!.id}.${request.format}` };
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
    const outcome = await this.pool.run('takeBack', { name, bytes, user: user.id, at: this.clock(), properties, standIns });
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
      `SELECT c.id, c.row, c.file_id AS file, f.path, c.property_id AS property, c.verdict, c.base, c.current, c.proposed, c.text, c.message, c.outcome
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
    const active = await this.properties.active();
    const lines = chosen.flatMap((cell): Line[] => {
      const property = active.get(cell.property);
      if (!property) throw invalid('retired-column', 'One of the properties was retired since the file was read.');
      return [
        {
          address: { file: cell.file, holder: '', ...slotOf(property) },
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
