import { readFile, writeFile } from 'node:fs/promises';
import { basename, resolve } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { ApplyMode, CellPage, ColumnChoice, ReadingChoice, TABLE_FORMATS, TableFormat, TakeBackView } from '@rule/contract';
import { Outcome } from './commands';
import { Row } from './output';
import { RuleServer } from './server';
import { Trouble } from './trouble';

const ASK_EVERY_MS = 500;
const PAGE = 500;
const CELL_COLUMNS = ['row', 'file', 'property', 'verdict', 'now', 'in the table', 'message', 'outcome'];

async function ended(server: RuleServer, job: number): Promise<void> {
  for (;;) {
    const { state, message } = await server.job(job);
    if (state === 'done') return;
    if (state !== 'waiting' && state !== 'running') throw new Trouble(message ?? `The job was ${state}.`);
    await pause(ASK_EVERY_MS);
  }
}

/** Sends values out with a saved layout and writes the table to a file. */
export async function sendOut(server: RuleServer, name: string, to: string, format: string | undefined, recipient: string): Promise<{ readonly said: string }> {
  const { saved } = await server.tableLayouts();
  const layout = saved.find((candidate) => candidate.name === name);
  if (!layout)
    throw new Trouble(
      `There is no layout ${JSON.stringify(name)}. There ${saved.length === 1 ? 'is' : 'are'}: ${saved.map((entry) => entry.name).join(', ') || 'none'}.`,
    );
  const ending = format ?? /\.([a-z]+)$/i.exec(to)?.[1]?.toLowerCase();
  const known = TABLE_FORMATS.find((candidate): candidate is TableFormat => candidate === ending);
  if (!known) throw new Trouble(`${to} must end in one of ${TABLE_FORMATS.map((entry) => `.${entry}`).join(', ')}, or use --format.`);
  const { id, job } = await server.sendOut({ format: known, content: layout.content, layout: layout.id, recipient });
  await ended(server, job);
  const bytes = await server.sentFile(id);
  await writeFile(to, bytes).catch((error: unknown) => {
    throw new Trouble(`${to} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
  });
  return { said: `send-out ${id} of ${layout.name} is written to ${resolve(to)}` };
}

/** Decisions about a table given on the command line. */
export interface Decided {
  /** `Header=Property`, `Header=file`, `Header=holder` or `Header=ignored`. */
  readonly columns: readonly string[];
  readonly onlyBlanks: boolean;
  readonly leaveAmbiguous: boolean;
}

/** A question about a table and the options that answer it. */
function askedOf({ inspection }: TakeBackView): string {
  if (!inspection) return 'Rule asks about it.';
  const said = [
    inspection.problem ? `${inspection.problem.replace(/\.$/, '')}.` : '',
    inspection.doubt ?? '',
    inspection.asks.includes('columns')
      ? `It is not clear what ${inspection.columns
          .filter((column) => column.ask)
          .map((column) => JSON.stringify(column.header))
          .join(', ')} mean: use --column "Header=Property", "Header=file" or "Header=ignored".`
      : '',
    inspection.asks.includes('rows')
      ? `Several files are called ${inspection.ambiguous.map((entry) => JSON.stringify(entry.name)).join(', ')}: write full paths, or skip such rows with --leave-ambiguous.`
      : '',
    inspection.asks.includes('sheet') ? 'It has several sheets.' : '',
    inspection.asks.includes('encoding') && !inspection.doubt ? `Its encoding is not clear (read as ${inspection.encoding ?? ''}).` : '',
  ];
  return said.filter(Boolean).join(' ');
}

async function choiceOf(server: RuleServer, { inspection, takeBack: { name } }: TakeBackView, decided: Decided): Promise<ReadingChoice> {
  if (!inspection) throw new Trouble(`${name} cannot be read again.`);
  const columns: Record<number, ColumnChoice> = {};
  // Decisions about an earlier table with the same header still apply.
  for (const { at, use, property, by, ask } of inspection.columns)
    if (by === null && !ask) {
      if (use === 'property' && property !== null && property > 0) columns[at] = { use, property };
      else if (use === 'file' || use === 'holder' || use === 'ignored' || use === 'draft') columns[at] = { use };
    }
  const properties = decided.columns.length ? await server.properties() : [];
  for (const text of decided.columns) {
    const cut = text.lastIndexOf('=');
    const [header, means] = [text.slice(0, cut), text.slice(cut + 1)];
    if (cut < 1 || means === '') throw new Trouble(`--column ${text}: write "Header=Property", "Header=file", "Header=holder" or "Header=ignored".`);
    const column = inspection.columns.find((candidate) => candidate.header === header);
    if (!column)
      throw new Trouble(
        `--column ${text}: the table has no column ${JSON.stringify(header)}. It has: ${inspection.columns.map((each) => each.header).join(', ')}.`,
      );
    const property = properties.find((candidate) => candidate.writtenName === means && !candidate.retired);
    if (property) columns[column.at] = { use: 'property', property: property.id };
    else if (means === 'file' || means === 'holder' || means === 'ignored') columns[column.at] = { use: means };
    else throw new Trouble(`--column ${text}: the schema has no property ${JSON.stringify(means)}.`);
  }
  return {
    ...(Object.keys(columns).length ? { columns } : {}),
    ...(decided.onlyBlanks ? { onlyBlanks: true } : {}),
    ...(decided.leaveAmbiguous ? { leaveAmbiguous: true } : {}),
  };
}

/**
 * Takes a table back: compares it and, if requested, applies what is clear. Open decisions and omitted rows raise a warning; refused or
 * failed rows an error.
 */
export async function takeBack(server: RuleServer, file: string, apply: ApplyMode | null, decided: Decided): Promise<Outcome> {
  const bytes = await readFile(file).catch(() => {
    throw new Trouble(`${file} cannot be read.`);
  });
  let view = await server.takeBack(basename(file), bytes);
  const { id } = view.takeBack;
  const compared = async () => {
    while (view.takeBack.state === 'comparing') {
      await pause(ASK_EVERY_MS);
      view = await server.takeBackView(id);
    }
  };
  await compared();
  if (decided.columns.length || decided.onlyBlanks || decided.leaveAmbiguous) {
    if (view.takeBack.state === 'compared') view = await server.reopenTakeBack(id);
    view = await server.answerTakeBack(id, await choiceOf(server, view, decided));
    await compared();
  }
  if (view.takeBack.state === 'asking') throw new Trouble(`${file}: ${askedOf(view)} Or answer in Exchange, take-back ${id}.`);
  if (view.takeBack.state === 'failed') throw new Trouble(`${file}: ${view.takeBack.note ?? 'it cannot be compared'}.`);
  const report = apply !== null && view.ready > 0 ? await server.applyTakeBack(id, apply) : null;
  if (report) view = await server.takeBackView(id);
  const names = new Map((await server.properties()).map((property) => [property.id, property.writtenName]));
  const rows: Row[] = [];
  for (let offset = 0; ; offset += PAGE) {
    const page: CellPage = await server.takeBackCells(id, { offset, limit: PAGE });
    for (const cell of page.cells)
      rows.push({
        row: cell.row,
        file: cell.path,
        property: cell.name ?? names.get(cell.property) ?? '',
        verdict: cell.verdict,
        now: cell.current?.text ?? '',
        'in the table': cell.text,
        message: cell.message,
        outcome: cell.outcome ?? cell.decision ?? '',
      });
    if (offset + PAGE >= page.total) break;
  }
  for (const issue of view.issues)
    rows.push({ row: issue.row, file: '', property: '', verdict: 'left out', now: '', 'in the table': '', message: issue.message, outcome: '' });
  const counts = view.takeBack.counts!;
  return {
    columns: CELL_COLUMNS,
    rows,
    worst:
      counts.error > 0 || (report?.failed ?? 0) > 0
        ? 'error'
        : view.open > 0 || view.issueCount > 0 || counts.spoiled > 0 || view.warnings.length > 0
          ? 'warning'
          : null,
    said: [
      `take-back ${id}: ${counts.total} cells in ${counts.rows} rows; ${saidOf(view)}`,
      ...view.warnings,
      report
        ? `applied ${report.applied} values in ${report.files} files, ${report.failed} not`
        : apply === null
          ? 'nothing was written'
          : 'there was nothing to write',
    ].join('\n'),
  };
}

const saidOf = ({ takeBack }: TakeBackView): string => {
  const { unchanged, change, same, conflict, spoiled, error, ignored, notTaken } = takeBack.counts!;
  return `unchanged ${unchanged}, would change ${change}, already in Rule ${same}, conflicts ${conflict}, spoiled ${spoiled}, refused ${error}, in skipped columns ${ignored}, in skipped rows ${notTaken}`;
};
