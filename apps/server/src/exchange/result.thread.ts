import { WorkbookWriter, columnLetters } from '@rule/core/exchange';
import { Db } from '../platform/db';
import { Outlet } from '../platform/outlet';
import { FileStore } from '../platform/store';
import { Attempt, TableInput, batchesOf, firstRows, openTable, outcome } from './opened-table';

declare module '../platform/pool' {
  interface Tasks {
    readonly resultTable: (input: ResultInput) => Promise<Attempt<number>>;
  }
}

export interface ResultInput extends TableInput {
  readonly takeBack: number;
  readonly target: string;
}

/** Outcomes of cells in words. */
const SAID: Readonly<Record<string, string>> = {
  applied: 'applied',
  failed: 'not applied',
  dropped: 'discarded from the tray',
  tray: 'pending in the tray',
  left: 'left as it was',
  open: 'not decided',
  same: 'already up to date',
  error: 'refused',
};

/** Writes the table again with the outcome of each row. */
export async function resultTable(input: ResultInput, db: Db, store: FileStore): Promise<Attempt<number>> {
  return outcome(async () => {
    const made = await openTable(db, input, await store.get(input.hash));
    const out = new Outlet(input.target);
    const writer = new WorkbookWriter(out.write);
    const header = [...firstRows(made.opened.source, made.headerRow + 1)].at(-1)!.map((cell) => cell.text);
    const cell = { format: '@', locked: true, look: 'plain' as const };
    writer.beginSheet({
      name: 'Result',
      frozen: 0,
      filter: true,
      protect: false,
      columns: [
        { header: 'What happened', width: 34, cell },
        { header: 'In detail', width: 60, cell },
        ...header.map((name, i) => ({ header: name || columnLetters(i), width: 18, cell })),
      ],
    });
    let count = 0;
    for (const batch of batchesOf(made)) {
      const [from, to] = [batch[0]!.row, batch.at(-1)!.row];
      const [cells, issues] = await Promise.all([
        db.all<{ row: number; name: string; verdict: string; outcome: string | null; decision: string | null; message: string }>(
          `SELECT c.row, coalesce(c.name, p."writtenName") AS name, c.verdict, c.outcome, c.decision, c.message
           FROM take_back_cells c LEFT JOIN properties p ON p.id = c.property_id
           WHERE c.take_back_id = $1 AND c.row BETWEEN $2 AND $3 ORDER BY c.row, c.id`,
          [input.takeBack, from, to],
        ),
        db.all<{ row: number; message: string }>('SELECT row, message FROM take_back_issues WHERE take_back_id = $1 AND row BETWEEN $2 AND $3', [
          input.takeBack,
          from,
          to,
        ]),
      ]);
      const lost = new Map(issues.map((issue) => [issue.row, issue.message]));
      const byRow = new Map<number, typeof cells>();
      for (const told of cells) byRow.set(told.row, [...(byRow.get(told.row) ?? []), told]);
      for (const { row, cells: own } of batch) {
        if (own.every((entry) => entry.text === '')) continue;
        count++;
        const problem = lost.get(row);
        const told = (byRow.get(row) ?? []).map((entry) => ({
          ...entry,
          end: entry.outcome ?? (entry.verdict === 'same' || entry.verdict === 'error' ? entry.verdict : entry.decision === null ? 'open' : 'left'),
        }));
        const tally = new Map<string, number>();
        for (const { end } of told) tally.set(end, (tally.get(end) ?? 0) + 1);
        writer.addRow([
          { value: problem !== undefined ? 'row skipped' : told.length === 0 ? 'unchanged' : [...tally].map(([end, n]) => `${n} ${SAID[end]}`).join(', ') },
          {
            value:
              problem ??
              told.map((entry) => `${entry.name}: ${SAID[entry.end]}${entry.end === 'error' || entry.end === 'open' ? ` (${entry.message})` : ''}`).join('; '),
          },
          ...own.map((entry) => ({ value: entry.text })),
        ]);
      }
      await out.ready();
    }
    writer.endSheet();
    writer.end();
    await out.close();
    return count;
  });
}
