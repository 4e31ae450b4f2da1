import { BomPlace, LayoutContent, TableFormat } from '@rule/contract';
import {
  DocumentHead,
  FILE_HEADER,
  HOLDER_HEADER,
  IDENTITY_HEADER,
  BesideColumn,
  ITEM_HEADER,
  besideHeader,
  PROPERTY_HEADER,
  QUANTITY_HEADER,
  TableColumn,
  TableError,
  VALUE_HEADER,
  WorkbookWriter,
  WrittenCell,
  byteOrderMark,
  cellText,
  cellValue,
  csvText,
  encodeText,
  identityMark,
  jsonDocument,
  numberFormat,
  planSheet,
  writeHowTo,
  xmlDocument,
} from '@rule/core/exchange';
import { ChoiceListDraft, Property, isHeldAt, reaches } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { CopyValue, Db } from '../platform/db';
import { Derived } from '../schema/derive';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { filterSql } from '../library/filter';
import { heldFor, heldInside } from '../values/held';
import { Outlet } from '../platform/outlet';
import { Progress } from '../platform/progress';

declare module '../platform/pool' {
  interface Tasks {
    readonly sendOut: (input: SendOutInput) => Promise<SentOut>;
    readonly countSubjects: (input: { readonly content: LayoutContent }) => Promise<number>;
  }
}

export interface SendOutInput {
  readonly sendOut: number;
  readonly job: number | null;
  readonly format: TableFormat;
  readonly content: LayoutContent;
  readonly columns: readonly TableColumn[];
  readonly lists: readonly ChoiceListDraft[];
  readonly edition: number;
  readonly at: Date;
  /** Title and text of the instruction sheet. */
  readonly howTo: { readonly title: string; readonly lines: readonly string[] };
  readonly target: string;
  /** Item numbers and quantities by part file, if the table has them. */
  readonly bom: Readonly<Record<number, BomPlace>> | null;
  /** Restricts a delivery to these files. */
  readonly only: readonly number[] | null;
}

export interface SentOut {
  readonly rows: number;
  readonly files: number;
}

/** Rows read at a time. */
const BATCH = 300;

/** The subject of a row: a file or a holder inside it. */
export interface RowSubject {
  readonly id: number;
  readonly path: string;
  readonly kind: Property['kinds'][number];
  readonly className: string | null;
  readonly holder: string;
  readonly label: string;
}

/** Rows of a layout in path order, in batches. */
export async function* subjects(db: Db, content: LayoutContent, only: readonly number[] | null): AsyncGenerator<RowSubject[]> {
  const inside = content.level !== 'document';
  const { sql: condition, bind } = filterSql(content.filter, 6);
  const strays =
    content.rows === 'strays'
      ? `AND EXISTS (SELECT 1 FROM held_values v
          WHERE v.file_id = f.id AND v.place = 'property' AND v.holder = '' AND NOT EXISTS (SELECT 1 FROM properties p WHERE p."writtenName" = v.name))`
      : '';
  let after = { path: '', id: 0, holder: '' };
  for (;;) {
    const list: RowSubject[] = await db.all<RowSubject>(
      `SELECT f.id, f.path, f.kind, c.name AS "className", ${inside ? 'h.key' : `''`} AS holder, ${inside ? 'h.label' : `''`} AS label
       FROM files f LEFT JOIN classes c ON c.id = f.class_id ${inside ? 'JOIN holders h ON h.file_id = f.id AND h.level = $4' : ''}
       WHERE ${condition} AND ($5::int[] IS NULL OR f.id = ANY($5::int[])) AND ($4::text IS NOT NULL) ${strays}
         AND (f.path, f.id${inside ? ', h.key' : ''}) > ($1, $2${inside ? ', $3' : ''}) ${inside ? '' : 'AND $3::text IS NOT NULL'}
       ORDER BY f.path, f.id${inside ? ', h.key' : ''} LIMIT ${BATCH}`,
      [after.path, after.id, after.holder, content.level, only, ...bind],
    );
    if (list.length === 0) return;
    yield list;
    after = list.at(-1)!;
  }
}

/** Row count of a layout; a filter on missing values counts all. */
export async function countSubjects(db: Db, content: LayoutContent): Promise<number> {
  const inside = content.level !== 'document';
  const { sql: condition, bind } = filterSql(content.filter, 2);
  const row = await db.one<{ n: number }>(
    `SELECT count(*)::int AS n FROM files f ${inside ? 'JOIN holders h ON h.file_id = f.id AND h.level = $1' : ''} WHERE ${condition} AND $1::text IS NOT NULL ${
      content.rows === 'strays'
        ? `AND EXISTS (SELECT 1 FROM held_values v
            WHERE v.file_id = f.id AND v.place = 'property' AND v.holder = '' AND NOT EXISTS (SELECT 1 FROM properties p WHERE p."writtenName" = v.name))`
        : ''
    }`,
    [content.level, ...bind],
  );
  return row!.n;
}

/** A row with its values by property number. */
interface LoadedRow extends RowSubject {
  readonly held: Readonly<Record<number, HeldValue>>;
  /** Values of read-only columns. */
  readonly beside: readonly (string | number)[];
}

async function load(db: Db, batch: readonly RowSubject[], content: LayoutContent, properties: readonly Property[]): Promise<LoadedRow[]> {
  const files = [...new Set(batch.map((row) => row.id))];
  const { level } = content;
  // Rows of holders also show values of the whole file, read-only.
  const [own, document] = await Promise.all([
    level === 'document'
      ? null
      : heldInside(
          db,
          files,
          level,
          properties.filter((property) => isHeldAt(property, level)),
        ),
    heldFor(
      db,
      files,
      properties.filter((property) => level === 'document' || !isHeldAt(property, level)),
    ),
  ]);
  const beside = await besideOf(db, files, content.beside ?? []);
  return batch.map((row) => ({
    ...row,
    held: { ...(document.get(row.id) ?? {}), ...(own?.get(`${row.id}/${row.holder}`) ?? {}) },
    beside: (content.beside ?? []).map((column) => beside(row, column)),
  }));
}

/** Cells grouped by problem; correct ones are omitted. */
const CELL_STATES = `SELECT file_id AS file, holder, state, count(*)::int AS cells FROM cell_states
  WHERE file_id = ANY($1::int[]) AND state <> 'right' GROUP BY 1, 2, 3 ORDER BY 1, 2, 3`;
const CELLS = `SELECT file_id AS file, holder, name, text FROM held_values
  WHERE file_id = ANY($1::int[]) AND place = 'cell' AND name = ANY($2::text[]) ORDER BY file_id, holder`;
const RECORDS_OF = `SELECT f.id AS file, r.state, r.version, r.checked_out_by AS "by", r.record FROM files f JOIN libraries l ON l.id = f.library_id AND l.in_vault
  JOIN vault_records r ON r.path = f.path WHERE f.id = ANY($1::int[]) AND NOT f.removed`;

/** Values of read-only columns: for a sheet its own cells, for a file all its sheets. At most three statements for any number of files. */
async function besideOf(
  db: Db,
  files: readonly number[],
  columns: readonly BesideColumn[],
): Promise<(row: RowSubject, column: BesideColumn) => string | number> {
  const tags = columns.flatMap((column) => ('cell' in column ? [column.cell] : []));
  const [records, cells, states] = await Promise.all([
    columns.some((column) => 'record' in column || ('fact' in column && column.fact !== 'cell states'))
      ? db.all<{ file: number; state: string; version: number; by: string | null; record: Record<string, string> }>(RECORDS_OF, [files])
      : [],
    tags.length ? db.all<{ file: number; holder: string; name: string; text: string }>(CELLS, [files, tags]) : [],
    columns.some((column) => 'fact' in column && column.fact === 'cell states')
      ? db.all<{ file: number; holder: string; state: string; cells: number }>(CELL_STATES, [files])
      : [],
  ]);
  const byFile = new Map(records.map((record) => [record.file, record]));
  /** Distinct texts of a row. */
  const joined = (row: RowSubject, list: readonly { readonly file: number; readonly holder: string; readonly said: string }[]): string =>
    [...new Set(list.filter((entry) => entry.file === row.id && (row.holder === '' || entry.holder === row.holder)).map(({ said }) => said))].join('; ');
  return (row, column) => {
    if ('cell' in column)
      return joined(
        row,
        cells.flatMap(({ file, holder, name, text }) => (name === column.cell && text !== '' ? [{ file, holder, said: text }] : [])),
      );
    const record = byFile.get(row.id);
    if ('record' in column) return record?.record[column.record] ?? '';
    switch (column.fact) {
      case 'vault state':
        return record?.state ?? '';
      case 'vault version':
        return record?.version ?? '';
      case 'checked out by':
        return record?.by ?? '';
      case 'cell states':
        return joined(
          row,
          states.map(({ file, holder, state, cells: n }) => ({ file, holder, said: `${n} ${state}` })),
        );
    }
  };
}

/** Keeps only files that lack a required value, by the schema in force. */
async function lacking(db: Db, batch: readonly RowSubject[], properties: readonly Property[], at: Date): Promise<RowSubject[]> {
  const prepared = await new Derived(() => at).prepared(db);
  const wanted = new Set(properties.map((property) => property.id));
  const facts = await loadFacts(db, [...new Set(batch.map((row) => row.id))], surroundingsOf([prepared]));
  return batch.filter((row) => {
    const file = facts.get(row.id);
    if (!file) return false;
    return [...prepared.judge(file).values.values()].some(
      ({ property, cell }) => wanted.has(property.id) && cell.violations.some((violation) => violation.code === 'required'),
    );
  });
}

/** Destination of a table's rows. */
interface TableWriter {
  begin(widths: ReadonlyMap<number, number>): void;
  row(n: number, row: LoadedRow): void;
  end(): void;
}

/** Sends a table out to a file and stores its content as the base for taking it back. */
export async function sendOut(input: SendOutInput, db: Db): Promise<SentOut> {
  const out = new Outlet(input.target);
  const progress = new Progress(db, input.job);
  const properties = input.columns.map((column) => column.property);
  const total = input.job === null ? 0 : await countSubjects(db, input.content);
  const writer = writerOf(input, out.write);
  await db.run('DELETE FROM send_out_rows WHERE send_out_id = $1', [input.sendOut]);
  let n = 0;
  let looked = 0;
  // Rows arrive in file order.
  let [files, last] = [0, 0];
  for await (const found of subjects(db, input.content, input.only)) {
    looked += found.length;
    const batch = input.content.rows === 'missing' ? await lacking(db, found, properties, input.at) : found;
    const rows = await load(db, batch, input.content, properties);
    if (n === 0 && rows.length) writer.begin(widthsOf(rows, properties));
    const kept: CopyValue[][] = [];
    for (const row of rows) {
      n++;
      if (row.id !== last) files++;
      last = row.id;
      writer.row(n, row);
      kept.push([input.sendOut, n, row.id, row.holder, JSON.stringify(row.held).replaceAll('\\u0000', '\\ufffd')]);
    }
    if (kept.length) await db.copy('send_out_rows (send_out_id, n, file_id, holder, held)', kept);
    await out.ready();
    await progress.at('writing the table', looked, total);
    await new Promise(setImmediate);
  }
  if (n === 0) writer.begin(new Map());
  writer.end();
  await out.close();
  return { rows: n, files };
}

/** Longest text of each property in a sample of rows. */
function widthsOf(rows: readonly LoadedRow[], properties: readonly Property[]): Map<number, number> {
  const widths = new Map<number, number>();
  for (const { held } of rows)
    for (const property of properties) {
      const text = held[property.id]?.text;
      if (text !== undefined && text.length > (widths.get(property.id) ?? 0)) widths.set(property.id, text.length);
    }
  return widths;
}

const inRow = (property: Property, row: RowSubject, level: LayoutContent['level']): boolean =>
  reaches(property, row.kind, row.className) && (level === 'document' || isHeldAt(property, level));

function writerOf(input: SendOutInput, out: (piece: Uint8Array) => void): TableWriter {
  switch (input.format) {
    case 'csv':
      return csvWriter(input, out);
    case 'xlsx':
      return sheetWriter(input, out);
    case 'json':
    case 'xml':
      return documentWriter(input, out);
  }
}

/** Leading columns with widths in characters. */
const frontOf = ({ content, bom }: SendOutInput): { readonly header: string; readonly width: number }[] => [
  { header: IDENTITY_HEADER, width: 14 },
  { header: FILE_HEADER, width: 42 },
  ...(content.level === 'document' ? [] : [{ header: HOLDER_HEADER, width: 26 }]),
  ...(bom
    ? [
        { header: ITEM_HEADER, width: 11 },
        { header: QUANTITY_HEADER, width: 15 },
      ]
    : []),
  ...(content.beside ?? []).map((column) => ({ header: besideHeader(column), width: Math.max(14, besideHeader(column).length + 2) })),
];

/** Values of the leading columns. */
const saidOf = ({ sendOut, content, bom }: SendOutInput, n: number, row: LoadedRow): (string | number)[] => [
  identityMark(sendOut, n),
  row.path,
  ...(content.level === 'document' ? [] : [row.label]),
  ...(bom ? [bom[row.id]?.item ?? '', bom[row.id]?.quantity ?? ''] : []),
  ...row.beside,
];

function csvWriter(input: SendOutInput, out: (piece: Uint8Array) => void): TableWriter {
  const { content, columns } = input;
  const { delimiter, decimal, encoding } = content.csv;
  const front = frontOf(input).map(({ header }) => header);
  const write = (n: number | null, path: string, rows: readonly (readonly string[])[]) => {
    const bytes = encodeText(csvText(rows, delimiter), encoding);
    if (bytes) return out(bytes);
    const at = rows.flat().find((text) => encodeText(text, encoding) === null)!;
    throw new TableError(
      'not-in-encoding',
      `${n === null ? 'The header' : `${path}, row ${n + 1}`}: ${JSON.stringify(at)} contains characters that ${encoding} does not have. Choose UTF-8.`,
    );
  };
  return {
    begin: () => {
      out(byteOrderMark(encoding));
      write(null, '', [content.shape === 'long' ? [...front, PROPERTY_HEADER, VALUE_HEADER] : [...front, ...columns.map((column) => column.header)]]);
    },
    row: (n, row) => {
      const said = saidOf(input, n, row).map(String);
      const text = ({ property }: TableColumn) => cellText(row.held[property.id], property, decimal);
      write(
        n,
        row.path,
        content.shape === 'long'
          ? columns.filter(({ property }) => inRow(property, row, content.level)).map((column) => [...said, column.property.writtenName, text(column)])
          : [[...said, ...columns.map(text)]],
      );
    },
    end: () => undefined,
  };
}

function sheetWriter(input: SendOutInput, out: (piece: Uint8Array) => void): TableWriter {
  const { sendOut: id, content, columns, lists, edition, howTo } = input;
  const writer = new WorkbookWriter(out, { 'Rule send-out': String(id), 'Rule edition': String(edition) });
  const front = frontOf(input);
  const ground = { lists: new Map(lists.map((list) => [list.name, list])), protect: content.protect };
  let choices: (writer: WorkbookWriter) => void = () => undefined;
  return {
    begin: (widths) => {
      if (content.shape === 'long') {
        writer.beginSheet({
          name: 'Values',
          frozen: front.length + 1,
          filter: true,
          protect: content.protect,
          columns: [
            ...front.map(({ header, width }) => ({ header, width, cell: { format: '@', locked: true, look: 'off' as const } })),
            { header: PROPERTY_HEADER, width: 26, cell: { format: '@', locked: true, look: 'off' } },
            { header: VALUE_HEADER, width: 40, cell: { format: '@', locked: false, look: 'plain' } },
          ],
        });
        return;
      }
      const plan = planSheet(columns, { ...ground, front, widths });
      choices = plan.choices;
      writer.beginSheet(plan.form);
    },
    row: (n, row) => {
      const said: WrittenCell[] = saidOf(input, n, row).map((value) => ({ value }));
      const cell = ({ property, editable }: TableColumn): WrittenCell => {
        const value = cellValue(row.held[property.id], property);
        if (!inRow(property, row, content.level)) return { value, look: { format: '@', locked: true, look: 'off' } };
        // Values that do not match the property's type are written as text.
        if (typeof value === 'string' && numberFormat(property) !== '@')
          return { value, look: { format: '@', locked: !editable, look: editable ? 'plain' : 'off' } };
        return { value };
      };
      if (content.shape === 'wide') writer.addRow([...said, ...columns.map(cell)]);
      else
        for (const column of columns)
          if (inRow(column.property, row, content.level)) {
            const format = numberFormat(column.property);
            const value = cellValue(row.held[column.property.id], column.property);
            const look = {
              format: typeof value === 'string' ? '@' : format,
              locked: !column.editable,
              look: column.editable ? ('plain' as const) : ('off' as const),
            };
            writer.addRow([...said, { value: column.property.writtenName }, { value, look }]);
          }
    },
    end: () => {
      writer.endSheet();
      writeHowTo(writer, howTo.title, howTo.lines);
      choices(writer);
      writer.end();
    },
  };
}

function documentWriter(input: SendOutInput, out: (piece: Uint8Array) => void): TableWriter {
  const { sendOut: id, content, columns, edition, at, format } = input;
  const headers = frontOf(input).map(({ header }) => header);
  const form = format === 'json' ? jsonDocument : xmlDocument;
  const head: DocumentHead = {
    sendOut: id,
    edition,
    at: at.toISOString(),
    columns: columns.map(({ property, header, editable }) => ({ name: header, caption: property.caption, type: property.type, unit: property.unit, editable })),
  };
  const encoder = new TextEncoder();
  let first = true;
  return {
    begin: () => out(encoder.encode(form.begin(head))),
    row: (n, row) => {
      const values = columns.map(({ property }) => {
        const value = cellValue(row.held[property.id], property);
        return value !== null && typeof value === 'object' ? value.date : value;
      });
      // Read-only values follow the columns that identify the row.
      const own = content.level === 'document' ? 2 : 3;
      const said = saidOf(input, n, row);
      const reading = Object.fromEntries(headers.slice(own).map((header, i) => [header, said[own + i]!]));
      out(
        encoder.encode(
          form.row(head, { identity: identityMark(id, n), file: row.path, holder: content.level === 'document' ? null : row.label, values, reading }, first),
        ),
      );
      first = false;
    },
    end: () => out(encoder.encode(form.end())),
  };
}
