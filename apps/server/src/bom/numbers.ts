import { createHash } from 'node:crypto';
import { KeptNumber, NumberRule, NumberedRow, numberRows } from '@rule/core/bom';
import { Db, Sql, asRecordset } from '../platform/db';
import { LOCKS, TAKE_LOCK_OF } from '../platform/locks';
import { refused } from '../platform/problem';

/** The list that numbers belong to: an assembly, a root and a layout. */
export interface NumberedList {
  readonly assembly: number;
  readonly root: string;
  readonly layout: number;
}

/** A stored number and the product at the top of its list. */
export interface StoredNumber extends KeptNumber {
  readonly root: string;
}

/** Ids of deep rows are too long for an index. */
const hashOf = (row: string | null) => (row === null ? '' : createHash('sha256').update(row).digest('hex'));

const WHERE = 'assembly_id = $1 AND root = $2 AND layout_id = $3';
const bind = (list: NumberedList) => [list.assembly, list.root, list.layout];

/** Stored item numbers, unique among the children of a row. */
export class BomNumbers {
  constructor(private readonly db: Db) {}

  private async kept(sql: Sql, list: NumberedList): Promise<KeptNumber[]> {
    return (await this.read(sql, list)).map(({ row, parent, number }) => ({ row, parent, number }));
  }

  /**
   * Stored numbers.
   * @param root those of all products of the assembly, if unknown
   */
  async read(sql: Sql, { assembly, layout, root }: Omit<NumberedList, 'root'> & Partial<NumberedList>): Promise<StoredNumber[]> {
    const found = await sql.one<{ list: [row: string, parent: string | null, number: number, root: string][] | null }>(
      `SELECT json_agg(json_build_array("row", parent, number, root)) AS list FROM bom_numbers
       WHERE assembly_id = $1 AND layout_id = $2${root === undefined ? '' : ' AND root = $3'}`,
      root === undefined ? [assembly, layout] : [assembly, layout, root],
    );
    return (found?.list ?? []).map(([row, parent, number, of]) => ({ row, parent, number, root: of }));
  }

  /**
   * Item numbers of rows; rows without one get the next. Concurrent readers get the same result.
   * @param stored what was read for the list
   * @param keep whether new numbers are stored; not for previews
   */
  async of(
    list: NumberedList,
    rows: readonly NumberedRow[],
    stored: readonly StoredNumber[],
    rule: NumberRule,
    keep: boolean,
  ): Promise<ReadonlyMap<string, number>> {
    const own = stored.filter((number) => number.root === list.root);
    const first = numberRows(rows, own, rule);
    if (first.given.length === 0 || !keep) return first.numbers;
    return this.db.transaction(async (sql) => {
      await this.lock(sql, list);
      const kept = await this.kept(sql, list);
      const { numbers, given } = numberRows(rows, kept, rule);
      if (kept.length) await this.giveUp(sql, list, given);
      await this.keep(sql, list, given);
      return numbers;
    });
  }

  /** Numbers of one list are assigned one request at a time. */
  private lock(sql: Sql, list: NumberedList): Promise<number> {
    return sql.run(TAKE_LOCK_OF, [LOCKS.bomNumbers, JSON.stringify(bind(list))]);
  }

  private recordset(numbers: readonly KeptNumber[]): string {
    return asRecordset(numbers.map(({ row, parent, number }) => ({ row, parent, number, hash: hashOf(row), above: hashOf(parent) })));
  }

  /** Frees numbers in the way: the rows' old ones, and those of rows that no longer exist. */
  private async giveUp(sql: Sql, list: NumberedList, numbers: readonly KeptNumber[]): Promise<void> {
    await sql.run(
      `DELETE FROM bom_numbers b USING jsonb_to_recordset($4::jsonb) AS n(hash text, above text, number int)
        WHERE ${WHERE} AND (b.row_hash = n.hash OR (b.parent_hash = n.above AND b.number = n.number))`,
      [...bind(list), this.recordset(numbers)],
    );
  }

  private async keep(sql: Sql, list: NumberedList, numbers: readonly KeptNumber[]): Promise<void> {
    await sql.run(
      `INSERT INTO bom_numbers (assembly_id, root, layout_id, "row", parent, number, row_hash, parent_hash)
       SELECT $1, $2, $3, "row", parent, number, hash, above FROM jsonb_to_recordset($4::jsonb) AS n("row" text, parent text, number int, hash text, above text)`,
      [...bind(list), this.recordset(numbers)],
    );
  }

  /**
   * Sets a typed number.
   * @throws AppError if another row with the same parent has it
   */
  async type(list: NumberedList, rows: readonly (NumberedRow & { readonly label: string })[], row: NumberedRow, number: number): Promise<void> {
    await this.db.transaction(async (sql) => {
      await this.lock(sql, list);
      const kept = await this.kept(sql, list);
      const there = new Map(rows.map((entry) => [entry.id, entry]));
      const other = kept.find((entry) => entry.number === number && entry.parent === row.parent && entry.row !== row.id && there.has(entry.row));
      if (other) throw refused('number-taken', `Item ${number} is ${there.get(other.row)!.label}.`);
      const typed = [{ row: row.id, parent: row.parent, number }];
      await this.giveUp(sql, list, typed);
      await this.keep(sql, list, typed);
    });
  }

  /** Assigns the given numbers and frees those of removed rows. */
  async set(list: NumberedList, numbers: readonly KeptNumber[]): Promise<void> {
    await this.db.transaction(async (sql) => {
      await this.lock(sql, list);
      await sql.run(`DELETE FROM bom_numbers WHERE ${WHERE}`, bind(list));
      await this.keep(sql, list, numbers);
    });
  }
}
