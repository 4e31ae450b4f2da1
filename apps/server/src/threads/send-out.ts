import { createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { FileFilter, TableFormat } from '@rule/contract';
import { FILE_HEADER, IDENTITY_HEADER, identityMark, writeCsv } from '@rule/core/exchange';
import { Property } from '@rule/core/schema';
import { HeldValue, readHeld } from '@rule/core/values';
import { Db, rows } from '../platform/db';
import { filterSql } from '../values/filter';
import { heldFor, slotRows } from '../values/held';

export interface SendOutInput {
  readonly sendOut: number;
  readonly format: TableFormat;
  readonly filter: FileFilter;
  readonly properties: readonly Property[];
  readonly target: string;
}

/** Files read from the database in one go. */
const BATCH = 1000;

/** The longest list of choices that a drop-down holds in itself (ECMA-376 validation formulas have 255 characters at most). */
const LONGEST_INLINE_LIST = 255;

interface Row {
  readonly id: number;
  readonly path: string;
  readonly kind: string;
}

async function* batches(db: Db, filter: FileFilter): AsyncGenerator<Row[]> {
  const { sql: condition, bind } = filterSql(filter, 3);
  let after = { path: '', id: 0 };
  for (;;) {
    const list = await db.all<Row>(
      `SELECT f.id, f.path, f.kind FROM files f WHERE ${condition} AND (f.path, f.id) > ($1, $2) ORDER BY f.path, f.id LIMIT ${BATCH}`,
      [after.path, after.id, ...bind],
    );
    if (list.length === 0) return;
    yield list;
    after = list.at(-1)!;
  }
}

/** Keeps what is sent out as the base for taking back: the files, and every cell that is not blank. */
async function keepBase(db: Db, input: SendOutInput, files: readonly Row[]): Promise<void> {
  const slots = slotRows(input.properties);
  const ids = files.map((file) => file.id);
  await db.run('INSERT INTO send_out_files SELECT $1, unnest($2::int[])', [input.sendOut, ids]);
  await db.run(
    `INSERT INTO send_out_cells SELECT $1, v.file_id, s.property, v.text, v.form, v.unit FROM jsonb_to_recordset($2::jsonb) AS s(property int, kind text, place text, name text)
     JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.holder = '' AND (s.kind IS NULL OR v.kind = s.kind) AND v.file_id = ANY($3::int[])`,
    [input.sendOut, rows(slots), ids],
  );
}

const plainText = (held: HeldValue | undefined, property: Property): string => {
  if (!held) return '';
  const parsed = readHeld(held, property);
  // In the property's unit where the file has another; as it stands where it is no value.
  return held.form === 'measure' && parsed.ok ? String(parsed.value) : held.text;
};

/** Sends a table of files × properties out to a file. Returns the number of files. */
export async function sendOut(input: SendOutInput, db: Db): Promise<number> {
  return input.format === 'csv' ? sendCsv(input, db) : sendXlsx(input, db);
}

async function sendCsv(input: SendOutInput, db: Db): Promise<number> {
  const out = createWriteStream(input.target);
  let count = 0;
  const write = async (text: string) => {
    if (!out.write(text)) await once(out, 'drain');
  };
  await write(writeCsv([[IDENTITY_HEADER, FILE_HEADER, ...input.properties.map((property) => property.writtenName)]]));
  for await (const files of batches(db, input.filter)) {
    await keepBase(db, input, files);
    const held = await heldFor(
      db,
      files.map((file) => file.id),
      input.properties,
    );
    const lines = files.map((file) => [
      identityMark(input.sendOut, file.id),
      file.path,
      ...input.properties.map((property) => plainText(held.get(file.id)?.[property.id], property)),
    ]);
    await write(writeCsv(lines).slice(1));
    count += files.length;
  }
  out.end();
  await once(out, 'close');
  return count;
}

const excelDay = (iso: string) => new Date(`${iso}T00:00:00Z`);

/** A value as a workbook cell: numbers and dates as such, everything else as text. */
function cellValue(held: HeldValue | undefined, property: Property): string | number | Date | null {
  if (!held || held.text === '') return null;
  const parsed = readHeld(held, property);
  if (!parsed.ok) return held.text;
  if (typeof parsed.value === 'boolean') return parsed.value ? 'yes' : 'no';
  if (property.type === 'date') return excelDay(parsed.value as string);
  return parsed.value;
}

function numberFormat(property: Property): string {
  if (property.type === 'date') return 'yyyy-mm-dd';
  if (property.type === 'whole') return '0';
  if (property.type !== 'number') return '@';
  const digits = property.decimals === null ? '0.##########' : property.decimals === 0 ? '0' : `0.${'0'.repeat(property.decimals)}`;
  return property.unit ? `${digits}" ${property.unit.replaceAll('"', '')}"` : digits;
}

async function sendXlsx(input: SendOutInput, db: Db): Promise<number> {
  // Loaded when it is first needed: most threads never write a workbook.
  const { default: excel } = await import('exceljs');
  const workbook = new excel.stream.xlsx.WorkbookWriter({ filename: input.target, useStyles: true, useSharedStrings: false });
  const sheet = workbook.addWorksheet('Values', { views: [{ state: 'frozen', xSplit: 2, ySplit: 1 }] });
  sheet.columns = [
    { header: IDENTITY_HEADER, width: 14, style: { numFmt: '@' } },
    { header: FILE_HEADER, width: 42, style: { numFmt: '@' } },
    ...input.properties.map((property) => ({
      header: property.writtenName,
      width: Math.min(40, Math.max(12, property.writtenName.length + 4)),
      style: { numFmt: numberFormat(property) },
    })),
  ];
  const header = sheet.getRow(1);
  header.font = { bold: true };
  // A written name is text, whatever the column below it holds.
  header.eachCell((cell) => (cell.numFmt = '@'));
  header.commit();

  const longLists = input.properties.filter(
    (property) =>
      (choicesOf(property).length && `"${choicesOf(property).join(',')}"`.length > LONGEST_INLINE_LIST - 2) ||
      choicesOf(property).some((choice) => choice.includes(',') || choice.includes('"')),
  );
  const listColumn = new Map(longLists.map((property, i) => [property.id, i + 1]));
  let count = 0;
  for await (const files of batches(db, input.filter)) {
    await keepBase(db, input, files);
    const held = await heldFor(
      db,
      files.map((file) => file.id),
      input.properties,
    );
    for (const file of files) {
      const row = sheet.addRow([
        identityMark(input.sendOut, file.id),
        file.path,
        ...input.properties.map((property) => cellValue(held.get(file.id)?.[property.id], property)),
      ]);
      input.properties.forEach((property, i) => {
        const choices = choicesOf(property);
        const cell = row.getCell(i + 3);
        if (typeof cell.value === 'string') cell.numFmt = '@';
        if (choices.length === 0) return;
        const column = listColumn.get(property.id);
        const letter = column === undefined ? '' : columnLetter(column);
        cell.dataValidation = {
          type: 'list',
          allowBlank: !property.required,
          formulae: [column === undefined ? `"${choices.join(',')}"` : `Choices!$${letter}$2:$${letter}$${choices.length + 1}`],
          showErrorMessage: true,
          errorTitle: property.caption,
          error: 'Choose one of the listed values.',
        };
      });
      row.commit();
    }
    count += files.length;
    await new Promise(setImmediate);
  }
  sheet.commit();
  if (longLists.length) {
    const lists = workbook.addWorksheet('Choices');
    lists.addRow(longLists.map((property) => property.writtenName)).commit();
    const longest = Math.max(...longLists.map((property) => choicesOf(property).length));
    for (let i = 0; i < longest; i++) lists.addRow(longLists.map((property) => choicesOf(property)[i] ?? null)).commit();
    lists.commit();
  }
  await workbook.commit();
  return count;
}

const choicesOf = (property: Property): readonly string[] =>
  property.feed !== 'typed' ? [] : property.type === 'choice' ? property.choices : property.type === 'yesno' ? ['yes', 'no'] : [];

function columnLetter(column: number): string {
  let letters = '';
  for (let n = column; n > 0; n = Math.floor((n - 1) / 26)) letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters;
  return letters;
}
