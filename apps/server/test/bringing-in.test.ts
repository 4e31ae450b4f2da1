import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, readdirSync, renameSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import {
  FileDetails,
  FileGeometry,
  FilesPage,
  JobError,
  JobRow,
  MassRemark,
  NewToken,
  Problem,
  Remark,
  RescanReport,
  Survey,
  Tray,
  UploadOutcome,
} from '@rule/contract';
import { applyEdits } from '@rule/core/files';
import { step } from '@rule/core/files/step';
import { heldText } from '@rule/core/values';
import { zipSync } from 'fflate';
import { JobCancelled, JobContext, UNWATCHED } from '../src/jobs/jobs';
import { QueueDb } from '../src/jobs/queue-db';
import { LOCKS } from '../src/platform/locks';
import { DiskStore } from '../src/platform/store';
import { Person, Rule, startRule } from './harness';
import { until } from './until';

let rule: Rule;
let varga: Person;
let okafor: Person;

beforeAll(async () => {
  rule = await startRule({ jobs: true });
  [varga, okafor] = (await Promise.all(['varga', 'okafor'].map((name) => rule.signIn(name)))) as [Person, Person];
}, 60_000);
afterAll(() => rule.stop());

const job = (id: number) => rule.services.jobs.ended(id);
const reread = async (): Promise<RescanReport> => (await okafor.job(await okafor.post('/libraries/rescan'))).result as RescanReport;
const inLibrary = (...parts: string[]) => join(rule.library, ...parts);
const demo = (path: string) => readFileSync(inLibrary(path));
const remarks = async () => (await okafor.get('/survey/remarks')).body as Remark[];
const tray = async () => (await okafor.get('/tray')).body as Tray;

describe('uploads', () => {
  let library: number;
  let made = 0;
  const fresh = async () => ((await varga.post('/libraries/uploads', { name: `Upload ${++made}` })).body as { library: number }).library;
  const put = async (name: string, bytes: Uint8Array) => (await okafor.upload(`/libraries/${library}/files`, name, bytes)).body as UploadOutcome;
  const unpack = async (bytes: Uint8Array): Promise<{ job: JobRow; outcomes: UploadOutcome[]; errors: JobError[] }> => {
    const answer = await okafor.upload(`/libraries/${library}/archive`, 'archive.zip', bytes);
    const ended = await job((answer.body as { job: number }).job);
    const errors = (await okafor.get(`/jobs/${ended.id}/errors`)).body as JobError[];
    return { job: ended, outcomes: (ended.result as { outcomes: UploadOutcome[] } | null)?.outcomes ?? [], errors };
  };
  const paths = async () => ((await okafor.get(`/survey/files?library=${library}`)).body as FilesPage).rows.map((row) => row.path);
  beforeAll(async () => {
    library = await fresh();
  });

  it('takes single files, says what became of each, and keeps what they replace', async () => {
    const drum = demo('DR-15/parts/drum.step');
    expect(await put('a/drum.step', drum)).toEqual({ path: 'a/drum.step', outcome: 'added', message: null });
    expect((await put('a/drum.step', drum)).outcome).toBe('same');
    expect((await put('a/drum.step', demo('DR-15/parts/trier.step'))).outcome).toBe('replaced');
    expect(await put('A/drum.step', drum)).toMatchObject({ outcome: 'refused', message: expect.stringContaining('differs only in case') });
    expect(await put('a/drum.step/more.step', drum)).toMatchObject({ outcome: 'refused' });
    expect((await put('a/.~lock.drum.step#', drum)).outcome).toBe('passed over');
    for (const bad of ['../drum.step', 'a/../../drum.step', '/etc/drum.step', 'C:\\drum.step', 'a\u0000b.step', 'a/\u0007.step'])
      expect([bad, await put(bad, drum)]).toEqual([bad, expect.objectContaining({ outcome: 'refused', message: expect.any(String) })]);
    expect(readdirSync(join(rule.data, 'uploads'))).toEqual([String(library)]);
    expect((await okafor.upload('/libraries/1/files', 'x.step', drum)).status).toBe(422);
    expect((await rule.signIn('haas').then((haas) => haas.upload(`/libraries/${library}/files`, 'x.step', drum))).status).toBe(403);
    expect(await okafor.post(`/libraries/${library}/rescan`).then((answer) => okafor.job(answer))).toMatchObject({ state: 'done', result: { added: 1 } });
  });

  it('unpacks a zip entry by entry: one bad entry stops nothing', async () => {
    library = await fresh();
    const {
      job: ended,
      outcomes,
      errors,
    } = await unpack(
      zipSync({
        'DR/face-plate.step': demo('DR-15/parts/face-plate.step'),
        'DR/face-plate.dxf': demo('DR-15/drawings/face-plate.dxf'),
        'DR/liar.step': new TextEncoder().encode('%PDF-1.4 nothing of the kind'),
        'DR/FACE-PLATE.step': demo('DR-15/parts/face-plate.step'),
        '../outside.step': demo('DR-15/parts/drum.step'),
        'DR/.DS_Store': new Uint8Array(8),
        'scan.pdf': new TextEncoder().encode('%PDF-1.4'),
      }),
    );
    expect(ended.state).toBe('done');
    const of = (path: string) => outcomes.find((entry) => entry.path === path)?.outcome;
    expect([
      of('DR/face-plate.step'),
      of('DR/face-plate.dxf'),
      of('DR/liar.step'),
      of('DR/FACE-PLATE.step'),
      of('../outside.step'),
      of('DR/.DS_Store'),
      of('scan.pdf'),
    ]).toEqual(['added', 'added', 'added', 'refused', 'refused', 'passed over', 'added']);
    expect(errors.map((error) => error.path).sort()).toEqual(['../outside.step', 'DR/FACE-PLATE.step', 'DR/liar.step']);
    expect(await paths()).toEqual(['DR/face-plate.dxf', 'DR/face-plate.step', 'DR/liar.step', 'scan.pdf']);
    expect((await remarks()).find((remark) => remark.path === 'DR/liar.step')).toMatchObject({ about: 'cannot be read' });
    expect(readdirSync(join(rule.data, 'tmp'))).toEqual([]);
  });

  it('keeps names apart that differ only in how their letters are written, and refuses those that other systems cannot hold', async () => {
    library = await fresh();
    const file = demo('DR-15/parts/drum.step');
    const { outcomes } = await unpack(
      zipSync({ 'caf\u00e9.step': file, 'cafe\u0301.step': demo('DR-15/parts/trier.step'), 'CON.step': file, lpt1: file, 'console.step': file }),
    );
    expect(outcomes.map(({ path, outcome, message }) => [path, outcome, message])).toEqual([
      ['caf\u00e9.step', 'added', null],
      ['cafe\u0301.step', 'refused', 'The library has caf\u00e9.step, which differs only in how its letters are written (Unicode form).'],
      ['CON.step', 'refused', 'CON.step is a reserved device name on some systems.'],
      ['lpt1', 'refused', 'lpt1 is a reserved device name on some systems.'],
      ['console.step', 'added', null],
    ]);
    expect(await paths()).toEqual(['caf\u00e9.step', 'console.step']);
  });

  it('refuses archives that are attacks, and says why', async () => {
    library = await fresh();
    const said = async (bytes: Uint8Array) => (await unpack(bytes)).job;
    expect(await said(new TextEncoder().encode('no archive'))).toMatchObject({
      state: 'failed',
      message: expect.stringContaining('zip archive cannot be read'),
    });
    // Sixteen MiB of zeros in sixteen KiB.
    const bomb = await unpack(zipSync({ 'bomb.step': new Uint8Array(16 * 1024 ** 2), 'good.pdf': new Uint8Array(9) }));
    expect(bomb.outcomes.map(({ path, outcome, message }) => [path, outcome, message])).toEqual([
      ['bomb.step', 'refused', 'The compression ratio of the entry is not plausible.'],
      ['good.pdf', 'added', null],
    ]);
    // Two central directory entries share their bytes (both use the first local header).
    const zip = Buffer.from(zipSync({ 'a.step': demo('DR-15/parts/drum.step') }, { level: 0 }));
    const end = zip.indexOf(Buffer.from([0x50, 0x4b, 5, 6]));
    const directory = zip.readUInt32LE(end + 16);
    const record = zip.subarray(directory, end);
    const tail = Buffer.from(zip.subarray(end));
    tail.writeUInt16LE(2, 8);
    tail.writeUInt16LE(2, 10);
    tail.writeUInt32LE(record.length * 2, 12);
    expect(await said(Buffer.concat([zip.subarray(0, end), record, tail]))).toMatchObject({
      state: 'failed',
      message: expect.stringContaining('overlap'),
    });
    // An archive claiming a million entries.
    const many = Buffer.from(zip);
    many.writeUInt16LE(0xffff, end + 8);
    many.writeUInt16LE(0xffff, end + 10);
    expect((await said(many)).state).toBe('failed');
    // A link entry.
    const link = Buffer.from(zipSync({ 'link.step': [new TextEncoder().encode('/etc/passwd'), { os: 3, attrs: (0o120777 << 16) >>> 0 }] }));
    expect((await unpack(link)).outcomes).toEqual([{ path: 'link.step', outcome: 'refused', message: 'The entry is a link.' }]);
    // A truncated archive.
    expect((await said(zip.subarray(0, zip.length - 40))).state).toBe('failed');
    expect(await paths()).toEqual(['good.pdf']);
  });
});

describe('reading again', () => {
  afterEach(async () => {
    const { lines } = await tray();
    if (lines.length) await okafor.post('/tray/drop', { lines: lines.map((line) => line.id) });
  });

  it('notices moves: the file keeps what is known about it and what is pending', async () => {
    const file = await rule.file('trier.step');
    const property = await rule.property('Finish');
    await okafor.post('/tray', { values: [{ file, property, text: 'brushed' }] });
    mkdirSync(inLibrary('DR-15/tools'));
    renameSync(inLibrary('DR-15/parts/trier.step'), inLibrary('DR-15/tools/trier tool.step'));
    expect(await reread()).toMatchObject({ added: 0, changed: 0, removed: 0, moved: 1, failed: [] });
    expect(((await okafor.get(`/files/${file}`)).body as FileDetails).file).toMatchObject({
      path: 'DR-15/tools/trier tool.step',
      folder: 'DR-15/tools',
      name: 'trier tool.step',
    });
    expect((await tray()).lines.map((line) => [line.file, line.path, line.refused])).toEqual([[file, 'DR-15/tools/trier tool.step', null]]);
    renameSync(inLibrary('DR-15/tools/trier tool.step'), inLibrary('DR-15/parts/trier.step'));
    expect(await reread()).toMatchObject({ moved: 1 });
  });

  it('a value that another program changed under a pending line becomes a conflict', async () => {
    const path = inLibrary('DR-15/parts/drum.step');
    const kept = readFileSync(path);
    const file = await rule.file('parts/drum.step');
    await okafor.post('/tray', { values: [{ file, property: await rule.property('Finish'), text: 'polished' }] });
    writeFileSync(path, kept.toString('latin1').replace("'brushed'", "'bead blasted'"), 'latin1');
    expect(await reread()).toMatchObject({ changed: 1 });
    const [line] = (await tray()).lines;
    expect([line!.verdict, line!.base?.text, line!.current?.text, line!.proposed?.text]).toEqual(['conflict', 'brushed', 'bead blasted', 'polished']);
    writeFileSync(path, kept);
    await reread();
  });

  it('a file that was only touched is not read as changed', async () => {
    const path = inLibrary('DR-15/parts/arm copy.step');
    writeFileSync(path, demo('DR-15/parts/agitator-arm.step'));
    await reread();
    utimesSync(path, new Date(2020, 1, 1), new Date(2020, 1, 1));
    expect(await reread()).toMatchObject({ added: 0, moved: 0, removed: 0 });
    expect((await remarks()).filter((remark) => remark.about === 'same content').map((remark) => remark.path)).toContain('DR-15/parts/arm copy.step');
    rmSync(path);
    expect(await reread()).toMatchObject({ removed: 1 });
  });

  it('names that differ in case, hold control characters, or lie about what they are, are said and stop nothing', async () => {
    writeFileSync(inLibrary('DR-15/parts/DRUM.step'), demo('DR-15/parts/face-plate.step'));
    writeFileSync(inLibrary('DR-15/parts/odd\u0007name.step'), demo('DR-15/parts/drum-shaft.step'));
    writeFileSync(inLibrary('DR-15/parts/liar.step'), 'GIF89a');
    writeFileSync(inLibrary('DR-15/parts/no ending'), demo('DR-15/parts/tray-rail.step'));
    const report = await reread();
    expect(report).toMatchObject({ added: 4 });
    expect(report.failed.map((entry) => entry.path)).toEqual(['DR-15/parts/liar.step']);
    const said = await remarks();
    const about = (path: string) => said.filter((remark) => remark.path === path).map((remark) => remark.about);
    expect(about('DR-15/parts/DRUM.step')).toContain('differs in case');
    expect(about('DR-15/parts/drum.step')).toContain('differs in case');
    expect(about('DR-15/parts/odd\u0007name.step')).toContain('noticed');
    expect(about('DR-15/parts/liar.step')).toContain('cannot be read');
    // Detected by content, not by name.
    expect(((await okafor.get(`/files/${await rule.file('no ending')}`)).body as FileDetails).file).toMatchObject({ kind: 'part', format: 'step' });
    for (const name of ['DRUM.step', 'odd\u0007name.step', 'liar.step', 'no ending']) rmSync(inLibrary('DR-15/parts', name));
    await reread();
  });

  it('a file that another program is writing is left for the next time, with the reason', async () => {
    const path = inLibrary('DR-15/parts/growing.step');
    const plate = demo('DR-15/parts/face-plate.step').toString('latin1');
    // A twenty-megabyte comment: reading takes longer than the writer's next write.
    writeFileSync(path, plate.replace('ENDSEC;', `/*${' '.repeat(20e6)}*/ENDSEC;`), 'latin1');
    const writer = spawn(process.execPath, ['-e', `const fs = require('fs'); process.send('up'); for (;;) fs.appendFileSync(process.argv[1], '\\n');`, path], {
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    });
    try {
      await new Promise((done) => writer.once('message', done));
      let report = await reread();
      // On a busy machine the writer may pause for the length of a reading.
      await until('a reading during which the writer writes', async () => report.failed.length > 0 || (report = await reread()).failed.length > 0);
      expect(report.failed).toEqual([{ path: 'DR-15/parts/growing.step', message: 'Another program was writing the file. Read the library again.' }]);
    } finally {
      const gone = new Promise((done) => writer.once('exit', done));
      writer.kill('SIGKILL');
      await gone;
    }
    expect((await reread()).failed).toEqual([]);
    expect(((await okafor.get(`/files/${await rule.file('growing.step')}`)).body as FileDetails).file).toMatchObject({ kind: 'part', problem: null });
    rmSync(path);
    await reread();
  });

  it('a folder that vanishes takes nothing with it', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'rule-vanishing-'));
    writeFileSync(join(folder, 'a.step'), demo('DR-15/parts/drum.step'));
    const added = await varga.job(await varga.post('/libraries', { name: 'Vanishing', path: folder }));
    expect(added).toMatchObject({ state: 'done', result: { added: 1 } });
    rmSync(folder, { recursive: true });
    const report = await reread();
    expect(report.failed).toEqual([{ path: folder, message: 'The folder does not exist; its last reading is kept.' }]);
    expect(report.removed).toBe(0);
    const { libraries } = (await okafor.get('/survey')).body as Survey;
    expect(libraries.find((library) => library.name === 'Vanishing')!.files).toBe(1);
    expect(((await varga.post('/libraries', { name: 'Nested', path: inLibrary('DR-15') })).body as Problem).code).toBe('library-taken');
    expect(((await varga.post('/libraries', { name: 'Own', path: rule.data })).body as Problem).code).toBe('own-folder');
  });
});

describe('a first reading', () => {
  /** Parts with distinct values, in folders of sixty. */
  const stock = (files: number): string => {
    const root = mkdtempSync(join(tmpdir(), 'rule-stock-'));
    const drum = new Uint8Array(demo('DR-15/parts/drum.step'));
    for (let n = 0; n < files; n++) {
      const folder = join(root, `rack ${Math.floor(n / 60)}`);
      mkdirSync(folder, { recursive: true });
      const values = [{ holder: '', place: 'property' as const, name: 'Finish', value: heldText(`tab\there, back\\slash, line\nend, ${n}`) }];
      writeFileSync(join(folder, `S-${n}.step`), applyEdits(drum, step.modify(drum, values)));
    }
    return root;
  };
  const stored = (library: number) =>
    rule.db.all(
      `SELECT f.path, f.folder, f.name, f.kind, f.format, f.size, f.mtime_ms, f.hash, f.problem, f.product_id, f.reading, f.blocks, f.removed,
         (SELECT jsonb_agg(to_jsonb(h) - 'file_id' ORDER BY h.key) FROM holders h WHERE h.file_id = f.id) AS holders,
         (SELECT jsonb_agg(to_jsonb(v) - 'file_id' ORDER BY v.holder, v.place, v.name) FROM held_values v WHERE v.file_id = f.id) AS values
       FROM files f WHERE f.library_id = $1 ORDER BY f.path`,
      [library],
    );
  const counted = (folderStart: string) =>
    rule.db.one<{ files: number }>(`SELECT coalesce(sum(files), 0)::int AS files FROM name_counts WHERE name = 'Finish' AND starts_with(folder, $1)`, [
      folderStart,
    ]);

  it('that is cancelled keeps what it has read, sorted and counted, and goes on where it stopped', async () => {
    const root = stock(330);
    const library = await rule.services.libraries.add('Cancelled', root);
    let checks = 0;
    const cancelled: JobContext = {
      ...UNWATCHED,
      check: () => {
        // The first checks are of folders: six racks and the root.
        if (++checks > 9) throw new JobCancelled();
      },
    };
    await expect(rule.services.scanner.rescan(cancelled, library)).rejects.toThrow(JobCancelled);
    const before = await stored(library);
    expect(before.length).toBeGreaterThan(0);
    expect(before.length).toBeLessThan(330);
    expect((await counted('rack'))!.files).toBe(before.length);
    expect(await rule.services.scanner.rescan(undefined, library)).toMatchObject({ added: 330 - before.length, unchanged: before.length, failed: [] });
    expect((await counted('rack'))!.files).toBe(330);
    rmSync(root, { recursive: true });
    await rule.db.run('UPDATE files SET removed = true WHERE library_id = $1', [library]);
  });

  it('stores what a later one stores', async () => {
    const root = stock(70);
    writeFileSync(join(root, 'liar.step'), 'GIF89a');
    writeFileSync(join(root, 'plan.dxf'), demo('DR-15/drawings/face-plate.dxf'));
    writeFileSync(join(root, 'scan.pdf'), '%PDF-1.4');
    const library = await rule.services.libraries.add('Stored', root);
    expect(await rule.services.scanner.rescan(undefined, library)).toMatchObject({ added: 73, changed: 0 });
    const first = await stored(library);
    expect(first.map((row) => (row as { path: string }).path)).toContain('rack 1/S-69.step');
    expect(JSON.stringify(first)).toContain(JSON.stringify('tab\there, back\\slash, line\nend, 7').slice(1, -1));
    // As if every file had changed since.
    await rule.db.run(`UPDATE files SET hash = 'other', size = 0, reading = NULL, blocks = '{}', product_id = 'x', problem = 'x' WHERE library_id = $1`, [
      library,
    ]);
    await rule.db.run(`UPDATE held_values SET text = 'other' WHERE file_id IN (SELECT id FROM files WHERE library_id = $1)`, [library]);
    expect(await rule.services.scanner.rescan(undefined, library)).toMatchObject({ added: 0, changed: 73 });
    expect(await stored(library)).toEqual(first);
    rmSync(root, { recursive: true });
    await rule.db.run('UPDATE files SET removed = true WHERE library_id = $1', [library]);
  });

  it('keeps a block that many drawings have once, and forgets it when none has it any more', async () => {
    const root = mkdtempSync(join(tmpdir(), 'rule-blocks-'));
    const sheet = demo('DR-15/drawings/face-plate.dxf');
    const other = Buffer.from(sheet.toString('latin1').replace('Material of the part', 'Whatever it is made of'), 'latin1');
    const write = (bytes: Uint8Array, seconds: number) => {
      for (const name of ['a.dxf', 'b.dxf', 'c.dxf']) {
        writeFileSync(join(root, name), bytes);
        utimesSync(join(root, name), seconds, seconds);
      }
    };
    write(other, 1_000_000_000);
    const library = await rule.services.libraries.add('Blocks', root);
    await rule.services.scanner.rescan(undefined, library);
    const kept = () =>
      rule.db.all<{ prompt: string; drawings: number }>(
        `SELECT c->>'prompt' AS prompt, (SELECT count(*)::int FROM files f WHERE f.library_id = $1 AND d.hash = ANY(f.blocks)) AS drawings
         FROM block_definitions d, jsonb_array_elements(d.definition->'cells') c WHERE c->>'tag' = 'MATL' AND c->>'prompt' LIKE 'Whatever%'`,
        [library],
      );
    expect(await kept()).toEqual([{ prompt: 'Whatever it is made of', drawings: 3 }]);
    write(sheet, 1_000_000_500);
    expect(await rule.services.scanner.rescan(undefined, library)).toMatchObject({ changed: 3 });
    expect(await kept()).toEqual([]);
    rmSync(root, { recursive: true });
    await rule.db.run('UPDATE files SET removed = true WHERE library_id = $1', [library]);
  });

  it('of which the database refuses one file takes all the others in, and says which', async () => {
    const root = stock(130);
    const library = await rule.services.libraries.add('Refused', root);
    await rule.db.run(`ALTER TABLE files ADD CONSTRAINT no_such_file CHECK (name <> 'S-7.step') NOT VALID`);
    try {
      const report = await rule.services.scanner.rescan(undefined, library);
      expect(report).toMatchObject({ failed: [{ path: expect.stringMatching(/S-7\.step$/), message: expect.stringContaining('no_such_file') }] });
    } finally {
      await rule.db.run('ALTER TABLE files DROP CONSTRAINT no_such_file');
    }
    expect(await stored(library)).toHaveLength(129);
    expect(await rule.services.scanner.rescan(undefined, library)).toMatchObject({ added: 1, unchanged: 129, failed: [] });
    rmSync(root, { recursive: true });
    await rule.db.run('UPDATE files SET removed = true WHERE library_id = $1', [library]);
  });
});

describe('jobs', () => {
  it('are listed with what came of them, and can be cancelled while they run', async () => {
    // While another process holds the files, the job waits.
    let free: () => void = () => undefined;
    const held = rule.db.exclusive(LOCKS.survey, () => new Promise<void>((done) => (free = done)));
    const { job: id } = (await okafor.post('/libraries/rescan')).body as { job: number };
    await until('the start of the job', async () => (await rule.services.jobs.get(id)).state === 'running');
    expect((await okafor.post(`/jobs/${id}/cancel`)).status).toBe(200);
    free();
    await held;
    expect((await job(id)).state).toBe('cancelled');
    const list = (await okafor.get('/jobs')).body as JobRow[];
    expect(list.find((row) => row.id === id)).toMatchObject({ kind: 'survey', by: 'Tobe Okafor', state: 'cancelled' });
    expect((await okafor.get('/jobs/999999')).status).toBe(404);
  });

  it('survive a restart of the server: what waited or ran is taken up again', async () => {
    // A job taken by a server that no longer exists.
    const left = await rule.db.one<{ id: number }>(
      `INSERT INTO jobs (kind, title, user_id, input, state, runner, started_at) SELECT 'survey', 'Read what was left', id, '{"library":null}', 'running', 123456, now() FROM users WHERE name = 'okafor' RETURNING id`,
    );
    await rule.services.jobs.close();
    await rule.services.jobs.open();
    expect(await job(left!.id)).toMatchObject({ state: 'done', title: 'Read what was left' });
  });

  it('are done again and again where they are regular, whatever goes wrong with one, and by one of several servers', async () => {
    const first = rule.another();
    const second = rule.another();
    let times = 0;
    let enough: () => void;
    const often = new Promise<void>((done) => (enough = done));
    const work = () => {
      if (++times === 3) enough();
      return times === 1 ? Promise.reject(new Error('for a test')) : Promise.resolve();
    };
    for (const { services } of [first, second]) services.jobs.every('test', 1, work);
    await Promise.all([first.services.jobs.open(), second.services.jobs.open()]);
    await often;
    // Two servers do not double the rate: one pending run at a time.
    const { n } = (await rule.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM jobs.job WHERE name = 'rule-every-test' AND state = 'created'`))!;
    expect(n).toBeLessThanOrEqual(1);
    await Promise.all([first.close(), second.close()]);
  });

  it('are marked as ended in the queue once a lost database answers again, which the queue itself does not wait for', async () => {
    const warned: unknown[] = [];
    const queue = new QueueDb(rule.databaseUrl, (problem) => warned.push(problem));
    const ends = `SELECT count(pg_sleep(3))::int FROM (VALUES (gen_random_uuid())) AS j(id) WHERE $1::text = 'all' OR id IN (SELECT UNNEST($2::uuid[]))`;
    const ended = queue.executeSql(ends, ['all', []]);
    let cut: { done: boolean }[] = [];
    await until('a cut connection', async () => {
      cut = await rule.db.all(
        `SELECT pg_terminate_backend(pid) AS done FROM pg_stat_activity WHERE datname = current_database() AND state = 'active' AND query LIKE $1`,
        [`${ends.slice(0, 40)}%`],
      );
      return cut.length > 0;
    });
    expect(cut).toEqual([{ done: true }]);
    expect((await ended).rows).toEqual([{ count: 1 }]);
    expect(warned).toEqual([]);
    await expect(queue.executeSql('SELECT 1 / 0', [])).rejects.toThrow('division by zero');
    expect((await queue.executeSql(`SELECT 1 / 0 WHERE $1 = '' AND id IN (SELECT UNNEST($2::uuid[]))`, ['', []])).rows).toEqual([{ count: 0 }]);
    expect(warned).toEqual([expect.objectContaining({ code: '42703' })]);
    await queue.close(() => Promise.resolve());
  });

  it('tell their progress to whoever listens', async () => {
    expect((await fetch(`${rule.url}/api/jobs/events`)).status).toBe(401);
    const { token } = (await okafor.post('/tokens', { name: 'listener' })).body as NewToken;
    const controller = new AbortController();
    const stream = await fetch(`${rule.url}/api/jobs/events`, { headers: { authorization: `Bearer ${token}` }, signal: controller.signal });
    const started = (await okafor.post('/libraries/rescan')).body as { job: number };
    const states: string[] = [];
    let text = '';
    for await (const piece of stream.body!.pipeThrough(new TextDecoderStream())) {
      text += piece;
      states.splice(0, states.length, ...[...text.matchAll(/^data: (.*)$/gm)].map((m) => (JSON.parse(m[1]!) as JobRow).state));
      if (states.at(-1) === 'done') break;
    }
    controller.abort();
    expect(states).toContain('running');
    expect((await job(started.job)).state).toBe('done');
  });
  it('go on when a database that went away is back', async () => {
    let runs = 0;
    rule.services.jobs.define('try', async () => {
      if (++runs === 1) await rule.db.all('SELECT pg_sleep(120)');
      return { runs };
    });
    const id = await rule.services.jobs.start(null, 'try', 'A test', {});
    const told = new Promise<void>((done) => rule.services.jobs.changed.on('job', (job: number) => job === id && runs === 2 && done()));
    const asleep = () =>
      rule.db.one(`SELECT 1 FROM pg_stat_activity WHERE datname = current_database() AND state = 'active' AND query LIKE 'SELECT pg_sleep%'`);
    await until('the sleep of the job', async () => Boolean(await asleep()));
    await rule.db.all('SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()');
    const ended = async (): Promise<JobRow> => job(id).catch(ended);
    expect(await ended()).toMatchObject({ state: 'done', result: { runs: 2 } });
    await told;
  });
});

describe('geometry', () => {
  const measured = async () => {
    await rule.services.geometries.startIfNeeded();
    await until('the end of measuring', async () => !(await rule.db.one(`SELECT 1 FROM jobs WHERE kind = 'geometry' AND state IN ('waiting', 'running')`)));
  };
  const geometry = async (name: string) => (await okafor.get(`/files/${await rule.file(name)}/geometry`)).body as FileGeometry;
  beforeAll(async () => {
    // Copies of the parts in other libraries would make part files ambiguous.
    await rule.db.run('UPDATE files SET removed = true WHERE library_id <> 1');
    await rule.services.libraries.rematch();
    await measured();
  }, 240_000);

  it('measures what handbooks compute: cylinders, plates with holes, square tube', async () => {
    const volume = async (name: string) => (await geometry(name)).shape!.volume;
    // V = π (R² − r²) h; V = a b h − Σ π r² h.
    expect(await volume('parts/drum.step')).toBeCloseTo(Math.PI * (150 ** 2 - 147 ** 2) * 360, 3);
    expect(await volume('chimney-stub.step')).toBeCloseTo(Math.PI * (60 ** 2 - 58.5 ** 2) * 200, 3);
    expect(await volume('frame-leg.step')).toBeCloseTo((40 ** 2 - 34 ** 2) * 620, 3);
    expect(await volume('face-plate.step')).toBeCloseTo(8 * (420 ** 2 - Math.PI * (90 ** 2 + 4 * 6.5 ** 2)), 3);
    const leg = (await geometry('frame-leg.step')).shape!;
    // Surface of a square tube: outside, inside, two ends.
    expect(leg.area).toBeCloseTo(4 * 40 * 620 + 4 * 34 * 620 + 2 * (40 ** 2 - 34 ** 2), 3);
    expect(leg.centroid.map((x) => Math.round(x * 1e6) / 1e6 || 0)).toEqual([0, 0, 310]);
    expect(leg.box.max.map((x, i) => Math.round((x - leg.box.min[i]!) * 1e3) / 1e3)).toEqual([40, 40, 620]);
  });

  it('computes masses, adds an assembly up over its occurrences, and says what is missing', async () => {
    const part = await geometry('parts/drum.step');
    expect(part.density).toBe(7900);
    expect(part.mass).toMatchObject({ state: 'agrees', computed: expect.closeTo(Math.PI * (150 ** 2 - 147 ** 2) * 360 * 7900e-9, 6) });
    const masses = await Promise.all(
      ['parts/drum.step', 'drum-shaft.step', 'agitator-arm.step', 'bought parts/drum-bearing.step'].map(async (name) => (await geometry(name)).mass!),
    );
    const unit = await geometry('assemblies/drum-unit.step');
    const [drum, shaft, arm, bearing] = masses;
    expect(unit.mass!.computed).toBeCloseTo(drum!.computed! + shaft!.computed! + 4 * arm!.computed! + 2 * bearing!.written!, 6);
    const roaster = await geometry('assemblies/roaster.step');
    expect(roaster.missing).toEqual(expect.arrayContaining(['TK-310']));
    expect(roaster.mass!.computed).toBeNull();
  });

  it('draws a picture of parts and assemblies', async () => {
    for (const name of ['parts/drum.step', 'assemblies/roaster.step']) {
      const answer = await okafor.get(`/files/${await rule.file(name)}/picture`).buffer(true);
      expect([answer.status, answer.type]).toEqual([200, 'image/png']);
      expect((answer.body as Buffer).subarray(1, 4).toString()).toBe('PNG');
    }
    expect((await okafor.get(`/files/${await rule.file('face-plate.dxf')}/picture`)).status).toBe(404);
  });

  it('marks a written mass that the geometry has left behind, until it is written anew; nothing is measured twice', async () => {
    const before = await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM shapes');
    const file = await rule.file('parts/drum.step');
    await okafor.post('/tray', { values: [{ file, property: await rule.property('Mass'), text: '9.5' }] });
    await okafor.apply();
    await measured();
    const remarksOf = async () =>
      ((await okafor.get('/survey/masses')).body as MassRemark[]).filter((remark) => remark.mass.state === 'stale').map((remark) => remark.path);
    expect(await remarksOf()).toEqual(['DR-15/parts/drum.step']);
    expect(await rule.db.one('SELECT count(*)::int AS n FROM shapes')).toEqual(before);
    const { mass } = await geometry('parts/drum.step');
    await okafor.post('/tray', { values: [{ file, property: await rule.property('Mass'), text: mass!.computed!.toFixed(3) }] });
    await okafor.apply();
    expect(await remarksOf()).toEqual([]);
  });
});

describe('a kernel that does not come to an end', () => {
  it('costs its time limit, is said at the file, and is not tried again', async () => {
    const other = await startRule({ jobs: true, kernelLimit: 1 });
    try {
      const person = await other.signIn('okafor');
      // One file is enough: each shape takes longer than a millisecond.
      await other.db.run(`UPDATE files SET shaped_hash = hash WHERE path NOT LIKE '%/drum.step'`);
      await other.services.geometries.startIfNeeded();
      const row = await other.db.one<{ id: number }>(`SELECT id FROM jobs WHERE kind = 'geometry' ORDER BY id DESC LIMIT 1`);
      const ended = await other.services.jobs.ended(row!.id);
      expect(ended).toMatchObject({ state: 'done', errors: 1 });
      expect((await person.get(`/jobs/${ended.id}/errors`)).body).toEqual([
        { path: 'DR-15/parts/drum.step', message: 'The geometry kernel took longer than its time limit.' },
      ]);
      expect(((await person.get(`/files/${await other.file('parts/drum.step')}/geometry`)).body as FileGeometry).measured).toBe(true);
      await other.services.geometries.startIfNeeded();
      expect(await other.db.one<{ id: number }>(`SELECT id FROM jobs WHERE kind = 'geometry' ORDER BY id DESC LIMIT 1`)).toEqual(row);
    } finally {
      await other.stop();
    }
  }, 120_000);
});

describe('a full disk', () => {
  it('refuses the one file with a clear message and leaves the old one as it was', async () => {
    const full = Object.assign(new Error('ENOSPC: no space left on device'), { code: 'ENOSPC' });
    const other = await startRule({
      jobs: true,
      store: (data) => {
        class FullDisk extends DiskStore {
          override put = () => Promise.reject<string>(full);
        }
        return new FullDisk(join(data, 'store'));
      },
    });
    try {
      const [admin, editor] = [await other.signIn('varga'), await other.signIn('okafor')];
      const { library } = (await admin.post('/libraries/uploads', { name: 'Full' })).body as { library: number };
      const old = readFileSync(join(other.library, 'DR-15/parts/drum.step'));
      expect((await editor.upload(`/libraries/${library}/files`, 'drum.step', old)).body).toMatchObject({ outcome: 'added' });
      const next = readFileSync(join(other.library, 'DR-15/parts/trier.step'));
      expect((await editor.upload(`/libraries/${library}/files`, 'drum.step', next)).body).toEqual({
        path: 'drum.step',
        outcome: 'refused',
        message: 'The disk is full.',
      });
      expect(readFileSync(join(other.data, 'uploads', String(library), 'drum.step')).equals(old)).toBe(true);
      expect(readdirSync(join(other.data, 'tmp'))).toEqual([]);
    } finally {
      await other.stop();
    }
  }, 60_000);
});
