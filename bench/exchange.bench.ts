import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { LayoutContent, WHOLE_LIBRARY } from '@rule/contract';
import {
  Comparison,
  TableCell,
  WorkbookWriter,
  WrittenCell,
  csvSource,
  matchColumns,
  openWorkbook,
  readIdentityMark,
  shapeOf,
  writeCsv,
} from '@rule/core/exchange';
import { HeldValue, compileStandIns } from '@rule/core/values';
import { DiskStore } from '../apps/server/src/platform/store';
import { storeFolder } from '../apps/server/src/services';
import { Compared, compareTable } from '../apps/server/src/exchange/compare.thread';
import { SendOutInput, sendOut } from '../apps/server/src/exchange/send-out.thread';
import { heldFor } from '../apps/server/src/values/held';
import { Measured, best, report } from './measure';
import { openServices } from './services';
import { FILES, TYPED, fillWide, typed } from './wide';

/** Changed values. */
const CHANGES = 200_000;
const BATCH = 1000;
/** Rows compared repeatedly in memory. */
const COMPARED = 2000;

const { services, db, url, data, close } = await openServices();
await fillWide(db);
// Values kept beside files, to measure Rule rather than the disk.
await db.run(`UPDATE files SET kind = 'other', format = 'other'`);
await db.run(`UPDATE held_values SET kind = 'other'`);
await db.run('INSERT INTO beside_values SELECT file_id, name, text, form, unit FROM held_values');
await services.editions.decree(
  null,
  'the schema in force',
  typed.map((draft) => ({ ...draft, kinds: ['other' as const] })),
);
await db.run('ANALYZE');
const user = (await db.one<{ id: number }>(
  `INSERT INTO users (name, display_name, role, password_hash) VALUES ('b', 'Bench', 'administrator', '') RETURNING id`,
))!;
const properties = [...(await services.properties.active(db)).values()];
const columns = properties.map((property) => ({ property, header: property.writtenName, editable: true }));
const newSendOut = async () =>
  (await db.one<{ id: number }>(
    `INSERT INTO send_outs (user_id, at, format, content, columns, level, edition, name) VALUES ($1, now(), 'csv', $2::jsonb, $3::jsonb, 'document', 1, 'bench') RETURNING id`,
    [user.id, JSON.stringify(WHOLE_LIBRARY), JSON.stringify(columns.map(({ property, header, editable }) => ({ property: property.id, header, editable })))],
  ))!.id;
const inputOf = (sendOutId: number, format: 'csv' | 'xlsx', content: LayoutContent): SendOutInput => ({
  sendOut: sendOutId,
  job: null,
  format,
  content,
  columns,
  lists: [],
  edition: 1,
  at: new Date(),
  howTo: { title: '', lines: [] },
  target: join(data, `out.${format}`),
  bom: null,
  only: null,
});
const ids = (await db.all<{ id: number }>('SELECT id FROM files ORDER BY path, id')).map((row) => row.id);
const pages = Array.from({ length: Math.ceil(ids.length / BATCH) }, (_, i) => ids.slice(i * BATCH, (i + 1) * BATCH));
const reading = await best('reading the same values: the floor', 1, async () => {
  for (const page of pages) await heldFor(db, page, properties);
});

// Sending out.
const sendOutId = await newSendOut();
const sent: Measured[] = [reading];
for (const format of ['csv', 'xlsx'] as const)
  sent.push(
    await best(`sending out as ${format.toUpperCase()}: reading, keeping the base, writing`, 1, () => sendOut(inputOf(sendOutId, format, WHOLE_LIBRARY), db)),
  );
report(`Sending out ${FILES} rows × ${TYPED} columns (${(statSync(join(data, 'out.xlsx')).size / 1e6).toFixed(0)} MB as XLSX)`, sent);

console.log('### Peak memory of sending out as XLSX\n\n| | MB | ratio |\n|---|---:|---:|');
const peaks: number[] = [];
for (const most of [FILES / 10, FILES]) {
  const input = { ...inputOf(await newSendOut(), 'xlsx', WHOLE_LIBRARY), only: most === FILES ? null : ids.slice(0, most) };
  const told = JSON.parse(
    execFileSync('npx', ['--no-install', 'tsx', join(import.meta.dirname, 'send-out-child.ts')], {
      encoding: 'utf8',
      input: JSON.stringify({ url, input }),
      maxBuffer: 1 << 26,
    }),
  ) as { peak: number; rows: number };
  peaks.push(told.peak);
  console.log(`| ${told.rows} rows${peaks.length === 1 ? ': the floor' : ''} | ${told.peak.toFixed(0)} | ${(told.peak / peaks[0]!).toFixed(2)} |`);
}
console.log('');

// Every fifteenth cell is changed.
await sendOut(inputOf(sendOutId, 'csv', WHOLE_LIBRARY), db);
const every = Math.floor((FILES * TYPED) / CHANGES);
let changed = 0;
const edited = (cells: readonly TableCell[], row: number): string[] =>
  cells.map((cell, i) => {
    if (row === 0 || i < 2 || ((row - 1) * TYPED + i - 2) % every !== 0 || changed >= CHANGES) return cell.text;
    changed++;
    const property = properties.find((candidate) => candidate.writtenName === header[i])!;
    const other = property.type === 'number' ? (cell.text === '7' ? '8' : '7') : cell.text === 'changed' ? 'changed too' : 'changed';
    return other;
  });
const header = [...csvSource(readFileSync(join(data, 'out.csv'))).rows()].at(0)!.map((cell) => cell.text);
const rows = [...csvSource(readFileSync(join(data, 'out.csv'))).rows()].map(edited);
writeFileSync(join(data, 'back.csv'), writeCsv(rows));
const pieces: Uint8Array[] = [];
const writer = new WorkbookWriter((piece) => pieces.push(piece));
const cell = { format: '@', locked: false, look: 'plain' as const };
writer.beginSheet({ name: 'Values', frozen: 0, filter: false, protect: false, columns: header.map((name) => ({ header: name, width: 10, cell })) });
const isNumber = header.map((name) => properties.find((property) => property.writtenName === name)?.type === 'number');
for (const row of rows.slice(1)) writer.addRow(row.map((text, i): WrittenCell => ({ value: isNumber[i] && text !== '' ? Number(text) : text })));
writer.endSheet();
writer.end();
writeFileSync(join(data, 'back.xlsx'), Buffer.concat(pieces));
rows.length = 0;
pieces.length = 0;

const store = new DiskStore(storeFolder(data));
let compared: Compared | undefined;
let takeBack = 0;
for (const format of ['csv', 'xlsx'] as const) {
  const bytes = new Uint8Array(readFileSync(join(data, `back.${format}`)));
  const hash = await store.put(bytes);
  const source = () => (format === 'csv' ? csvSource(bytes) : openWorkbook(bytes).sheets[0]!);
  const parsing = await best('parsing alone', 1, () => {
    let n = 0;
    for (const row of source().rows()) n += row.length;
    return n;
  });
  const marks: number[] = [];
  for (const row of source().rows()) {
    const mark = readIdentityMark(row[0]!.text);
    if (mark) marks.push(mark.row);
  }
  const snapshot = await best('reading what was sent out and what holds now, alone', 1, async () => {
    for (let at = 0; at < marks.length; at += BATCH) {
      await db.all('SELECT n, file_id, holder, held FROM send_out_rows WHERE send_out_id = $1 AND n = ANY($2::int[])', [
        sendOutId,
        marks.slice(at, at + BATCH),
      ]);
      await heldFor(db, ids.slice(at, at + BATCH), properties);
    }
  });
  const storing = await best(`storing ${CHANGES} cells alone`, 1, async () => {
    const row = [
      0,
      2,
      1,
      '',
      1,
      null,
      'change',
      '{"text": "value 1", "form": "text"}',
      '{"text": "value 1", "form": "text"}',
      '{"text": "changed", "form": "text"}',
      true,
      false,
      'changed',
      'change',
      'changes the value',
      'take',
      1,
    ];
    const id = (await db.one<{ id: number }>(`INSERT INTO take_backs (user_id, at, name) VALUES ($1, now(), 'alone') RETURNING id`, [user.id]))!.id;
    row[0] = id;
    for (let n = 0; n < CHANGES; n += 2000)
      await db.copy(
        'take_back_cells (take_back_id, row, file_id, holder, property_id, name, verdict, base, current, proposed, takeable, proven, text, code, message, decision, n)',
        Array.from({ length: 2000 }, () => row),
      );
  });
  // Comparison alone, in memory.
  const some = [...source().rows()].slice(1, 1 + COMPARED);
  const [bases, now] = await Promise.all([
    db.all<{ n: number; held: Record<number, HeldValue> }>('SELECT n, held FROM send_out_rows WHERE send_out_id = $1 AND n <= $2', [sendOutId, COMPARED]),
    heldFor(db, ids.slice(0, COMPARED), properties),
  ]);
  const baseOf = new Map(bases.map((row) => [row.n, row.held]));
  const shape = shapeOf(matchColumns(header, { properties, sent: [], abbreviations: [] }), new Map(properties.map((property) => [property.id, property])));
  const comparing = await best('comparing and checking every cell alone', 1, () => {
    for (let pass = 0; pass < FILES / COMPARED; pass++) {
      const comparison = new Comparison({
        shape,
        standIns: compileStandIns([]),
        role: 'administrator',
        decimal: null,
        onlyBlanks: false,
        named: () => undefined,
      });
      some.forEach((cells, i) => {
        const own = baseOf.get(i + 1) ?? {};
        const held = now.get(ids[i]!) ?? {};
        comparison.identify(cells);
        comparison.take(i + 2, cells, {
          file: { id: ids[i]!, path: '', kind: 'other', className: null, state: null, lock: null },
          holder: '',
          level: 'document',
          sendOut: sendOutId,
          base: (id) => own[id] ?? null,
          current: (id) => held[id] ?? null,
          editable: () => true,
        });
      });
    }
  });
  takeBack = (await db.one<{ id: number }>(
    `INSERT INTO take_backs (user_id, at, name, hash, inspection, state) VALUES ($1, now(), $2, $3, $4::jsonb, 'comparing') RETURNING id`,
    [user.id, `back.${format}`, hash, JSON.stringify({ rows: FILES })],
  ))!.id;
  const together = await best('taking back: parsing, reading, comparing and checking every cell, storing', 1, async () => {
    const outcome = await compareTable({ takeBack, job: null, name: `back.${format}`, hash, choice: {}, role: 'administrator' }, db, store);
    if (!outcome.ok) throw new Error(outcome.message);
    compared = outcome.value;
  });
  if (compared!.counts.change !== changed) throw new Error(`${compared!.counts.change} changes found of ${changed}: ${JSON.stringify(compared!.counts)}`);
  await db.run(`UPDATE take_backs SET state = 'compared', counts = $2::jsonb WHERE id = $1`, [takeBack, JSON.stringify(compared!.counts)]);
  report(`Taking back ${FILES} rows × ${TYPED} columns with ${changed} changes, ${format.toUpperCase()}`, [
    { what: 'the parts by themselves, one after the other: the floor', ms: parsing.ms + snapshot.ms + comparing.ms + storing.ms },
    parsing,
    snapshot,
    comparing,
    storing,
    together,
  ]);
}

// Applied as one change set.
const person = { id: user.id, name: 'b', displayName: 'Bench', role: 'administrator' as const };
const floor = await best('staging as many lines by COPY and updating the values with one statement: the floor', 1, () =>
  db.transaction(async (sql) => {
    await sql.run('CREATE TEMP TABLE staged (file int, name text, text text) ON COMMIT DROP');
    const cells = await sql.all<{ file: number; property: number; text: string }>(
      'SELECT file_id AS file, property_id AS property, text FROM take_back_cells WHERE take_back_id = $1',
      [takeBack],
    );
    const names = new Map(properties.map((property) => [property.id, property.writtenName]));
    await sql.copy(
      'staged',
      cells.map((entry) => [entry.file, names.get(entry.property)!, entry.text]),
    );
    await sql.run(
      `UPDATE held_values v SET text = s.text || '.' FROM staged s WHERE v.file_id = s.file AND v.place = 'property' AND v.holder = '' AND v.name = s.name`,
    );
    await sql.run(`UPDATE held_values v SET text = s.text FROM (SELECT c.file_id, p."writtenName" AS name, c.current->>'text' AS text FROM take_back_cells c JOIN properties p ON p.id = c.property_id WHERE c.take_back_id = ${takeBack}) s
       WHERE v.file_id = s.file_id AND v.place = 'property' AND v.holder = '' AND v.name = s.name`);
  }),
);
const applying = await best(`applying ${CHANGES} values in ${FILES} files: lines, checks, values, counts, history`, 1, async () => {
  const outcome = await services.takeBacks.applyUnasked(person, takeBack, 'whole');
  if (outcome.applied !== changed) throw new Error(`${outcome.applied} values applied of ${changed}`);
});
report('Applying what came back', [floor, applying]);
await close();
rmSync(data, { recursive: true, force: true });
