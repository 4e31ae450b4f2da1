import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { TakeBackContext, identityMark, readCsv, readWorkbook, takeBack, writeCsv } from '@rule/core/exchange';
import { Property, newDraft } from '@rule/core/schema';
import { HeldValue, compileStandIns, holdValue } from '@rule/core/values';
import excel from 'exceljs';
import { best, report } from './measure';

const ROWS = 10_000;
const COLUMNS = 20;
/** One cell in fifty comes back changed. */
const CHANGED = 50;

const properties = Array.from({ length: COLUMNS }, (_, i): Property => ({
  ...newDraft(`Property ${i + 1}`),
  id: i + 1,
  retired: false,
  ...(i % 4 === 0 ? { type: 'number', unit: 'kg', decimals: 3 } : { maxLength: 60 }),
}));
const held = (file: number, property: Property): HeldValue =>
  holdValue(property.type === 'number' ? ((file * 7 + property.id) % 9999) / 1000 : `value ${file} of ${property.id}`, property);
const cell = (file: number, property: Property): string =>
  (file * COLUMNS + property.id) % CHANGED === 0 ? (property.type === 'number' ? '1.25' : 'changed') : held(file, property).text;

const context: TakeBackContext = {
  properties,
  standIns: compileStandIns(['-*']),
  file: (id) => ({ id, path: `parts/${id}.step`, kind: 'part', className: null, state: null, lock: null }),
  filesAt: () => [],
  base: (_sendOut, file, id) => held(file, properties[id - 1]!),
  current: (file, id) => held(file, properties[id - 1]!),
  role: 'editor',
};

const files = Array.from({ length: ROWS }, (_, i) => i + 1);
const header = ['Rule identity', 'File', ...properties.map((property) => property.writtenName)];
const csv = new TextEncoder().encode(
  writeCsv([header, ...files.map((file) => [identityMark(1, file), `parts/${file}.step`, ...properties.map((property) => cell(file, property))])]),
);
const folder = mkdtempSync(join(tmpdir(), 'rule-bench-'));
const path = join(folder, 'table.xlsx');
const writer = new excel.stream.xlsx.WorkbookWriter({ filename: path, useStyles: true });
const sheet = writer.addWorksheet('Values');
sheet.addRow(header).commit();
for (const file of files)
  sheet
    .addRow([
      identityMark(1, file),
      `parts/${file}.step`,
      ...properties.map((property) => (property.type === 'number' ? Number(cell(file, property)) : cell(file, property))),
    ])
    .commit();
await writer.commit();
const xlsx = new Uint8Array(readFileSync(path));

const expect = (changes: number) => {
  if (changes !== (ROWS * COLUMNS) / CHANGED) throw new Error(`${changes} changes found`);
};
for (const [name, parse] of [
  ['CSV', () => readCsv(csv)],
  ['XLSX', () => readWorkbook(xlsx)[0]!],
] as const)
  report(`Taking back ${ROWS} rows × ${COLUMNS} columns, ${name}, one cell in ${CHANGED} changed`, [
    await best('parsing alone: the floor', 3, parse),
    await best('parsing, three-way comparison and checking of every cell', 3, () => expect(takeBack(parse(), context).counts.change)),
  ]);
rmSync(folder, { recursive: true });
