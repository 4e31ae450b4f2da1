import { writeFile } from 'node:fs/promises';
import { BomAssembly, BomLayout, BomRequest, KeptBom } from '@rule/contract';
import { plainContent } from '@rule/core/bom';
import { count } from '@rule/core/words';
import { Outcome } from './commands';
import { Row } from './output';
import { RuleServer } from './server';
import { Trouble } from './trouble';

/** Finds one by its full path, or by the end of the path where that is unique. */
function named<T>(list: readonly T[], of: (entry: T) => string, wanted: string, what: string): T {
  const exact = list.filter((entry) => of(entry) === wanted);
  const found = exact.length ? exact : list.filter((entry) => of(entry).endsWith(`/${wanted}`));
  if (found.length === 1) return found[0]!;
  if (found.length > 1) throw new Trouble(`${found.length} ${what} are called ${JSON.stringify(wanted)}: ${found.map(of).join(', ')}.`);
  throw new Trouble(`There is no ${what.replace(/ies$/, 'y').replace(/s$/, '')} ${JSON.stringify(wanted)}.`);
}

/** Finds an assembly by path or name and a layout by name; the first layout by default. */
async function asked(
  server: RuleServer,
  assembly: string,
  layout: string | undefined,
): Promise<{ file: BomAssembly; shown: BomLayout | null; request: BomRequest }> {
  const [assemblies, layouts] = await Promise.all([server.assemblies(), server.bomLayouts()]);
  const file = named(assemblies, (row) => row.path, assembly, 'assemblies');
  const shown = layout === undefined ? (layouts[0] ?? null) : named(layouts, (row) => row.name, layout, 'layouts');
  return { file, shown, request: { layout: shown?.id ?? null, content: shown?.content ?? plainContent([]) } };
}

/** Prints a bill of materials. Rows without a part file and missing required values raise a warning. */
export async function showBom(server: RuleServer, assembly: string, layout: string | undefined): Promise<Outcome> {
  const { file, request } = await asked(server, assembly, layout);
  const table = await server.bom(file.id, request);
  const open = table.rows.filter((row) => row.match.state !== 'matched').length;
  const missing = table.rows.reduce((sum, row) => sum + row.cells.filter((cell) => cell.state === 'missing').length, 0);
  // Column headers may repeat.
  const columns = table.headers.map((header, i) => (table.headers.indexOf(header) === i ? header : `${header} (${i + 1})`));
  return {
    columns: ['level', ...columns],
    rows: table.rows.map((row): Row => ({ level: row.level, ...Object.fromEntries(columns.map((header, i) => [header, row.cells[i]!.text])) })),
    worst: open || missing ? 'warning' : null,
    said: `${count(table.rows.length, 'row')}, ${count(table.pieces, 'piece')}; ${count(open, 'row')} without a part file, ${count(missing, 'required value')} missing`,
  };
}

/** Writes a bill of materials to a CSV file or a workbook. */
export async function sendBom(server: RuleServer, assembly: string, to: string, layout: string | undefined): Promise<Outcome> {
  const format = to.endsWith('.csv') ? 'csv' : to.endsWith('.xlsx') ? 'xlsx' : null;
  if (!format) throw new Trouble(`${to} must end in .csv or .xlsx.`);
  const { file, request } = await asked(server, assembly, layout);
  const bytes = await server.bomTable(file.id, { ...request, format });
  await writeFile(to, bytes).catch((error: NodeJS.ErrnoException) => {
    throw new Trouble(`${to} cannot be written (${error.code ?? error.message}).`);
  });
  return { columns: [], rows: [], worst: null, said: `${file.path} written to ${to}` };
}

/** Keeps a bill of materials as it is now. */
export async function keepBom(server: RuleServer, assembly: string, title: string, layout: string | undefined): Promise<Outcome> {
  const { file, request } = await asked(server, assembly, layout);
  const kept = await server.keepBom(file.id, { ...request, title });
  return { columns: [], rows: [], worst: null, said: `${kept.title} kept: ${count(kept.rows, 'row')}` };
}

/** Compares a kept list with the assembly as it is now. Differences raise a warning. */
export async function compareBom(server: RuleServer, title: string, assembly: string, layout: string | undefined): Promise<Outcome> {
  const [kept, { file, request }] = await Promise.all([server.keptBoms(), asked(server, assembly, layout)]);
  const before: KeptBom = named(
    kept.filter((row, i) => kept.findIndex((other) => other.title === row.title) === i),
    (row) => row.title,
    title,
    'kept lists',
  );
  const { differences } = await server.compareBoms({ before: { kept: before.id }, after: { assembly: file.id, ...request } });
  return {
    columns: ['item', 'part', 'what', 'before', 'after'],
    rows: differences.map((row): Row => ({ item: row.item, part: row.label, what: row.column ?? row.what, before: row.before, after: row.after })),
    worst: differences.length ? 'warning' : null,
    said: count(differences.length, 'difference'),
  };
}

/** Prints every path from a part to the top. */
export async function whereUsed(server: RuleServer, path: string): Promise<Outcome> {
  const { rows } = await server.files({ search: path, offset: 0, limit: 200 });
  const file = named(rows, (row) => row.path, path, 'files');
  const { ways, more } = await server.whereUsed(file.id);
  return {
    columns: ['assembly', 'pieces', 'way'],
    rows: ways.map((way): Row => ({
      assembly: way.assemblies.at(-1)!.path,
      pieces: way.total,
      way: way.assemblies.map((entry) => `${entry.path} ×${entry.times}`).join(' › ') + (way.loop ? ' (contains itself)' : ''),
    })),
    worst: ways.some((way) => way.loop) ? 'warning' : null,
    said: `${count(ways.length, 'way')}${more ? ' and more' : ''} up from ${file.path}`,
  };
}
