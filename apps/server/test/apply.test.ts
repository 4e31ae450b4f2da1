import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { chmodSync, chownSync, linkSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { ApplyReport, ChangeSetRow, Problem, ProposedAnswer, Tray } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { step } from '@rule/core/files/step';
import { dxf } from '@rule/core/files/dxf';
import { STEPS } from '../src/changes/apply';
import { DiskStore } from '../src/platform/store';
import { storeFolder } from '../src/services';
import { User } from '../src/users/user';
import { DEMO_LIBRARY, Options, Person, Rule, startRule } from './harness';
import { until } from './until';

let rule: Rule;
let okafor: Person;
let lindqvist: Person;

async function begin(options: Options = {}): Promise<void> {
  rule = await startRule(options);
  okafor = await rule.signIn('okafor');
  lindqvist = await rule.signIn('lindqvist');
}
beforeEach(() => begin(), 60_000);
afterEach(() => rule.stop());

const original = (pathEnd: string) =>
  readFileSync(
    join(
      DEMO_LIBRARY,
      readdirSync(DEMO_LIBRARY, { recursive: true, encoding: 'utf8' }).find((path) => path.endsWith(pathEnd))!,
    ),
  );
const inFile = (pathEnd: string, name: string) =>
  step
    .read(rule.bytes(pathEnd))
    .holders.find((holder) => holder.key === '')!
    .values.find((value) => value.place === 'property' && value.name === name)?.held.text ?? null;
const inCell = (pathEnd: string, tag: string) =>
  dxf
    .read(rule.bytes(pathEnd))
    .holders.find((holder) => holder.level === 'sheet')!
    .values.find((value) => value.name === tag)!.held.text;
const inDatabase = async (pathEnd: string, name: string, holder = '') =>
  (
    await rule.db.one<{ text: string }>('SELECT text FROM held_values WHERE file_id = $1 AND holder = $2 AND name = $3', [
      await rule.file(pathEnd),
      holder,
      name,
    ])
  )?.text ?? null;
/** No temporary files remain beside the library files. */
const leftovers = () => readdirSync(rule.library, { recursive: true, encoding: 'utf8' }).filter((path) => path.includes('.rule-'));

async function propose(person: Person, ...values: [string, string, string][]): Promise<Tray> {
  const list = await Promise.all(values.map(async ([pathEnd, name, text]) => ({ file: await rule.file(pathEnd), property: await rule.property(name), text })));
  const answer = await person.post('/tray', { values: list });
  if (answer.status !== 200) throw new Error(answer.text);
  return answer.body as Tray;
}
const apply = async (person: Person, mode: 'whole' | 'file by file' = 'whole') => await person.apply(mode);
const tray = async (person: Person) => ((await person.get('/tray')).body as Tray).lines;

describe('very many files', () => {
  const rowsOf = (file: number) =>
    Promise.all(
      ['holders', 'sheets', 'placed_blocks', 'held_values'].map((table) =>
        rule.db.all(`SELECT to_jsonb(t) - 'file_id' AS row FROM ${table} t WHERE file_id = $1 ORDER BY 1`, [file]),
      ),
    );

  it('are recorded as one alone is, and undone to the byte', async () => {
    const folder = join(rule.library, 'many');
    mkdirSync(folder);
    const before = original('face-plate.dxf');
    const names = Array.from({ length: 71 }, (_, n) => `P-${n}.dxf`);
    for (const name of names) writeFileSync(join(folder, name), before);
    await rule.services.scanner.rescan();
    const files = await Promise.all(names.map((name) => rule.file(`many/${name}`)));
    const { holder } = dxf.read(before).inserts[0]!;
    const property = await rule.property('Date of issue');
    const put = (some: readonly number[]) => okafor.post('/tray', { values: some.map((file) => ({ file, property, text: '2026-11-25' })) });
    const standing = await rowsOf(files[0]!);
    expect((await put(files.slice(0, 1))).status).toBe(200);
    expect(await apply(okafor)).toMatchObject({ state: 'applied', files: 1 });
    const alone = await rowsOf(files[0]!);
    expect(alone).not.toEqual(standing);
    expect((await put(files.slice(1))).status).toBe(200);
    const many = await apply(okafor);
    expect(many).toMatchObject({ state: 'applied', files: 70 });
    for (const file of files.slice(1)) expect(await rowsOf(file)).toEqual(alone);
    const after = readFileSync(join(folder, 'P-0.dxf'));
    expect(
      dxf
        .read(after)
        .holders.find(({ key }) => key === holder)!
        .values.find(({ name }) => name === 'DATE')!.held.text,
    ).toBe('2026-11-25');
    for (const name of names) expect(readFileSync(join(folder, name)).equals(after)).toBe(true);
    expect(await okafor.revert(many.changeSet)).toMatchObject({ state: 'applied', files: 70 });
    for (const file of files.slice(1)) expect(await rowsOf(file)).toEqual(standing);
    for (const name of names.slice(1)) expect(readFileSync(join(folder, name)).equals(before)).toBe(true);
    // What stands beside many files is removed while others go on.
    await until('a clear folder', () => Promise.resolve(leftovers().length === 0));
  });
});

describe('applying', () => {
  it('writes files, title block cells and database together, and undoes them to the byte', async () => {
    const pending = await propose(
      okafor,
      ['bean-hopper.step', 'Material', '1.4404'],
      ['slide-gate.step', 'Material', '1.4301'],
      ['face-plate.dxf', 'Date of issue', '2026-11-25'],
    );
    expect(pending.lines.map((line) => [line.path.split('/').at(-1), line.name, line.follows])).toEqual([
      ['bean-hopper.step', 'Material', false],
      ['slide-gate.step', 'Material', false],
      ['face-plate.dxf', 'Date of issue', false],
      ['DR15-130 bean hopper.dxf', 'MATL', true],
      ['face-plate.dxf', 'DATE', true],
    ]);
    expect(inFile('bean-hopper.step', 'Material')).toBe('1.4301');
    expect(await apply(okafor)).toMatchObject({ state: 'applied', applied: 5, failed: 0, files: 4, failures: [] });
    expect([
      inFile('bean-hopper.step', 'Material'),
      inFile('slide-gate.step', 'Material'),
      inCell('bean hopper.dxf', 'MATL'),
      inCell('face-plate.dxf', 'DATE'),
    ]).toEqual(['1.4404', '1.4301', '1.4404', '2026-11-25']);
    expect([await inDatabase('bean-hopper.step', 'Material'), await inDatabase('slide-gate.step', 'Material')]).toEqual(['1.4404', '1.4301']);
    expect([await tray(okafor), leftovers()]).toEqual([[], []]);

    const [set] = (await okafor.get('/history')).body as ChangeSetRow[];
    expect(set).toMatchObject({ by: 'Tobe Okafor', state: 'applied', lines: 5, files: 4, revertedBy: null });
    expect(await lindqvist.revert(set!.id)).toMatchObject({ state: 'applied', applied: 5 });
    for (const path of ['bean-hopper.step', 'slide-gate.step', 'bean hopper.dxf', 'face-plate.dxf'])
      expect(Buffer.compare(rule.bytes(path), original(path))).toBe(0);
    expect(await inDatabase('slide-gate.step', 'Material')).toBeNull();
    expect(((await okafor.post(`/history/${set!.id}/revert`)).body as Problem).code).toBe('reverted-already');
  });

  it('keeps changes that came later when an earlier set is reverted', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    const { changeSet } = await apply(okafor);
    await propose(okafor, ['drum.step', 'Description', 'Drum for 15 kg']);
    await apply(okafor);
    expect(await okafor.revert(changeSet)).toMatchObject({ state: 'applied' });
    expect([inFile('drum.step', 'Finish'), inFile('drum.step', 'Description')]).toEqual(['brushed', 'Drum for 15 kg']);
  });

  it('refuses to revert over a later change of the same value', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    const { changeSet } = await apply(okafor);
    await propose(okafor, ['drum.step', 'Finish', 'bead blasted']);
    await apply(okafor);
    expect(await okafor.revert(changeSet)).toMatchObject({
      state: 'put back',
      failures: [{ message: 'Someone else changed the value.' }],
    });
    expect(inFile('drum.step', 'Finish')).toBe('bead blasted');
  });

  it('takes only what was accepted, and what follows from it', async () => {
    const { lines } = await propose(okafor, ['bean-hopper.step', 'Material', '1.4404'], ['drum.step', 'Finish', 'polished']);
    await okafor.post('/tray/accept', { lines: [lines[0]!.id], accepted: false });
    expect((await tray(okafor)).map((line) => [line.name, line.accepted])).toEqual([
      ['Material', false],
      ['Finish', true],
    ]);
    expect(await apply(okafor)).toMatchObject({ state: 'applied', applied: 1, files: 1 });
    expect((await tray(okafor)).map((line) => line.name)).toEqual(['Material']);
    expect(inFile('bean-hopper.step', 'Material')).toBe('1.4301');
  });

  it('drops a line that leads back to what the file holds', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    expect((await propose(okafor, ['drum.step', 'Finish', 'brushed'])).lines).toEqual([]);
  });
});

describe('two people', () => {
  it('who change one value: the second sees a conflict, and nothing is lost', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    expect((await propose(lindqvist, ['drum.step', 'Finish', 'bead blasted'])).lines[0]!.alsoPending).toEqual(['Tobe Okafor']);
    expect(await apply(okafor)).toMatchObject({ state: 'applied' });
    const [line] = await tray(lindqvist);
    expect(line).toMatchObject({ verdict: 'conflict', base: { text: 'brushed' }, current: { text: 'polished' }, proposed: { text: 'bead blasted' } });
    expect(await apply(lindqvist)).toMatchObject({ state: 'put back', applied: 0, failed: 1 });
    expect(inFile('drum.step', 'Finish')).toBe('polished');
    await lindqvist.post('/tray/settle', { line: line!.id, take: 'mine' });
    expect(await apply(lindqvist)).toMatchObject({ state: 'applied' });
    expect(inFile('drum.step', 'Finish')).toBe('bead blasted');
  });
  it('who apply at the same moment are served one after the other', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    await propose(lindqvist, ['drum.step', 'Finish', 'bead blasted'], ['trier.step', 'Finish', 'bead blasted']);
    const states = (await Promise.all([apply(okafor), apply(lindqvist)])).map((report) => report.state).sort();
    expect(states).toEqual(['applied', 'put back']);
    expect([
      ['polished', 'brushed'],
      ['bead blasted', 'bead blasted'],
    ]).toContainEqual([inFile('drum.step', 'Finish'), inFile('trier.step', 'Finish')]);
  });
  it('a file that another program changed meanwhile is a conflict, found at the moment of writing', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['drum.step', 'Revision', 'D']);
    const path = join(rule.library, 'DR-15/parts/drum.step');
    writeFileSync(path, Buffer.from(rule.bytes('parts/drum.step').toString('latin1').replace("'brushed'", "'sanded'"), 'latin1'));
    expect(await apply(okafor)).toMatchObject({ state: 'put back' });
    expect((await tray(okafor)).map((line) => [line.name, line.verdict, line.current?.text])).toEqual([
      ['Finish', 'conflict', 'sanded'],
      ['Revision', 'apply', 'C'],
    ]);
  });
});

describe('refusals', () => {
  it('name file and property, and add nothing to the tray', async () => {
    const [drum, stub, plan] = [await rule.file('parts/drum.step'), await rule.file('chimney-stub.step'), await rule.file('face-plate.dxf')];
    const [finish, material, saved] = [await rule.property('Finish'), await rule.property('Material'), await rule.property('Saved by')];
    const answer = await okafor.post('/tray', {
      values: [
        { file: drum, property: finish, text: 'polished' },
        { file: drum, property: material, text: 'wood' },
        { file: stub, property: finish, text: 'brushed' },
        { file: plan, property: material, text: 'DC01' },
        { file: drum, property: saved, text: 'me' },
        { file: 99999, property: finish, text: 'x' },
      ],
    });
    expect(answer.status).toBe(422);
    expect((answer.body as Problem).issues!.map((issue) => [issue.code, issue.message])).toEqual([
      ['not-a-choice', 'DR-15/parts/drum.step, Material: "wood" is not among the choices.'],
      ['locked', 'DR-15/parts/chimney-stub.step, Finish: is released in the vault.'],
      ['not-reached', 'DR-15/drawings/face-plate.dxf, Material: does not apply to a drawing.'],
      ['computed', 'DR-15/parts/drum.step, Saved by: is taken from the file and is read-only.'],
      ['unknown-file', 'file 99999, Finish: is not in the library.'],
    ]);
    expect(await tray(okafor)).toEqual([]);
  });
  it('leave locked files out and say so, while the others continue', async () => {
    const [drum, stub] = [await rule.file('parts/drum.step'), await rule.file('chimney-stub.step')];
    const finish = await rule.property('Finish');
    const typed = (file: number) => ({ file, property: finish, text: 'polished' });
    const answer = await okafor.post('/tray', { values: [typed(stub), typed(drum)] }).expect(200);
    expect((answer.body as ProposedAnswer).left).toEqual([{ file: stub, path: 'DR-15/parts/chimney-stub.step', reason: 'The file is released in the vault.' }]);
    expect((await tray(okafor)).map((line) => [line.path, line.proposed?.text])).toEqual([['DR-15/parts/drum.step', 'polished']]);
    const alone = await okafor.post('/tray', { values: [typed(stub)] });
    expect([alone.status, (alone.body as Problem).detail]).toEqual([422, 'DR-15/parts/chimney-stub.step, Finish: is released in the vault.']);
  });
  it('a file released after the line was made is not written', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    const [entry] = await rule.vault<{ id: number }[]>('POST', '/api/files/query', { paths: ['DR-15/parts/drum.step'] });
    await rule.vault('PUT', `/api/files/${entry!.id}/record`, { record: { Number: 'DR15-110' } });
    for (const step of ['submit', 'release']) await rule.vault('POST', `/api/files/${entry!.id}/steps`, { by: 'Jori Haas', step });
    expect(await apply(okafor)).toMatchObject({
      state: 'put back',
      failures: [{ path: 'DR-15/parts/drum.step', message: 'The file is released in the vault.' }],
    });
  });
});

describe('permission', () => {
  const closeToEditors = (name: string) => rule.amend(name, { mayChange: { role: 'administrator', states: [], closedClasses: [] } });
  it('is judged again when lines are applied: what was closed meanwhile is not written, and stays in the tray with the reason', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['face-plate.step', 'Description', 'Face plate, front']);
    await closeToEditors('Finish');
    const before = rule.bytes('parts/drum.step');
    const closed = 'Finish: can be changed only by administrators.';
    expect(await apply(okafor)).toMatchObject({ state: 'put back', failures: [{ path: 'DR-15/parts/drum.step', message: closed }] });
    expect((await tray(okafor)).filter((line) => !line.follows).map(({ name, message }) => [name, message])).toEqual([
      ['Finish', closed],
      ['Description', null],
    ]);
    expect(await apply(okafor, 'file by file')).toMatchObject({ state: 'partly applied' });
    expect([inFile('face-plate.step', 'Description'), rule.bytes('parts/drum.step').equals(before)]).toEqual(['Face plate, front', true]);
    expect((await tray(okafor)).map(({ name }) => name)).toContain('Finish');
  });
  it('is not needed for what the schema asks for, also after a person changed it and undid that', async () => {
    const [file, property] = [await rule.file('parts/drum.step'), await rule.property('Finish')];
    const editor = (await rule.db.one<User>(`SELECT id, name, display_name AS "displayName", role FROM users WHERE name = 'okafor'`))!;
    const line: Line = {
      address: { file, holder: '', place: 'property', name: 'Finish' },
      base: { text: 'brushed', form: 'text' },
      proposed: { text: 'polished', form: 'text' },
      reason: 'by rule',
      follows: false,
    };
    await rule.services.trays.add(editor, [line], 'by rule');
    await okafor.post('/tray', { values: [{ file, property, text: 'bead blasted' }] }).expect(200);
    await okafor.post('/tray/undo', { again: false }).expect(200);
    await closeToEditors('Finish');
    expect(await apply(okafor)).toMatchObject({ state: 'applied' });
    expect(inFile('parts/drum.step', 'Finish')).toBe('polished');
  });
});

describe('a failure', () => {
  it('of one file puts everything back in mode whole, and stops only that file in mode file by file', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    rmSync(join(rule.library, 'DR-15/parts/trier.step'));
    expect(await apply(okafor)).toMatchObject({ state: 'put back', failures: [{ path: 'DR-15/parts/trier.step', message: 'The file no longer exists.' }] });
    expect(inFile('drum.step', 'Finish')).toBe('brushed');
    expect(await apply(okafor, 'file by file')).toMatchObject({ state: 'partly applied', applied: 1, failed: 1, files: 1 });
    expect(inFile('drum.step', 'Finish')).toBe('polished');
    expect((await tray(okafor)).map((line) => [line.path, line.message])).toEqual([['DR-15/parts/trier.step', 'The file no longer exists.']]);
    expect(leftovers()).toEqual([]);
  });

  it('of the disk at the last file leaves nothing half done', async () => {
    await rule.stop();
    /** A disk with room for only one new version. */
    class FullDisk extends DiskStore {
      private written = 0;
      override async copyTo(hash: string, path: string): Promise<void> {
        if (++this.written > 1) throw Object.assign(new Error('no space'), { code: 'ENOSPC' });
        await super.copyTo(hash, path);
      }
    }
    await begin({ store: (data) => new FullDisk(storeFolder(data)) });
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    expect(await apply(okafor)).toMatchObject({ state: 'put back', failures: [{ message: 'The disk is full.' }] });
    for (const path of ['parts/drum.step', 'trier.step']) expect(Buffer.compare(rule.bytes(path), original(path))).toBe(0);
    expect((await tray(okafor)).map((line) => line.proposed?.text).sort()).toEqual(['brushed', 'polished']);
    expect(leftovers()).toEqual([]);
  });

  it('between two files puts the first one back', async () => {
    await rule.stop();
    let swaps = 0;
    let second = '';
    await begin({
      at: async (reached) => {
        if (reached !== 'swapping' || ++swaps !== 2) return;
        // Another program replaces the second file just before its turn.
        second = (await rule.db.one<{ target: string }>('SELECT target FROM journal ORDER BY seq OFFSET 1'))!.target;
        writeFileSync(second, 'ISO-10303-21;');
      },
    });
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    const report = await apply(okafor);
    expect(report).toMatchObject({ state: 'put back', failures: [{ message: 'Another program changed the file in the meantime.' }] });
    expect(second.endsWith(report.failures[0]!.path)).toBe(true);
    const first = second.endsWith('trier.step') ? 'parts/drum.step' : 'trier.step';
    expect(Buffer.compare(rule.bytes(first), original(first))).toBe(0);
    expect(leftovers()).toEqual([]);
  });

  /** Ends database connections, as an administrator or restart would. */
  const endConnections = (which: string) =>
    rule.db.all(`SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND ${which}`);
  const WAITS_WITH_A_LOCK = `pid IN (SELECT pid FROM pg_locks WHERE locktype = 'advisory' AND objid = 7301 AND granted)`;
  /** Waits until no apply or recovery is running. */
  const settled = () =>
    until('the end of all applying', async () => (await rule.db.all(`SELECT 1 FROM change_sets WHERE state = 'applying' OR NOT cleared`)).length === 0);

  it('of the database between files and record is said as it is, and repaired without anybody doing anything', async () => {
    await rule.stop();
    let lost = false;
    await begin({
      at: (reached) => {
        if (reached !== 'swapped' || lost) return Promise.resolve();
        lost = true;
        return Promise.reject(new Error('Connection terminated unexpectedly'));
      },
    });
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    expect(await okafor.post('/tray/apply', { mode: 'whole' })).toMatchObject({ status: 503, body: { code: 'outcome-unknown' } });
    await settled();
    expect([inFile('drum.step', 'Finish'), await inDatabase('drum.step', 'Finish')]).toEqual(['polished', 'polished']);
    expect(((await okafor.get('/history')).body as ChangeSetRow[]).map((set) => [set.by, set.state])).toEqual([['Tobe Okafor', 'applied']]);
    expect(leftovers()).toEqual([]);
  });

  it.each(STEPS.filter((step) => step !== 'set aside one'))('of all connections at the step "%s" leaves all before or all after', async (step) => {
    await rule.stop();
    let lost = false;
    await begin({
      at: async (reached) => {
        if (reached !== step || lost) return;
        lost = true;
        await endConnections('true');
      },
    });
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    const answer = await okafor.post('/tray/apply', { mode: 'whole' });
    await settled();
    const files = [inFile('drum.step', 'Finish'), inFile('trier.step', 'Finish')];
    expect([await inDatabase('drum.step', 'Finish'), await inDatabase('trier.step', 'Finish')]).toEqual(files);
    expect([
      ['polished', 'brushed'],
      ['brushed', 'polished'],
    ]).toContainEqual(files);
    // The report is never wrong: "nothing changed" only if nothing did.
    const { status, body } = answer as { status: number; body: { code?: string; job?: number; report?: { state: string } } };
    if (body.code === 'database-unreachable') expect(files).toEqual(['brushed', 'polished']);
    else if (status === 200) {
      // On a busy machine the answer says it is still running, and the job tells the rest.
      const job = body.report ? null : await rule.services.jobs.ended(body.job!);
      if (job?.state === 'failed') {
        if (job.message!.includes('Nothing was changed')) expect(files).toEqual(['brushed', 'polished']);
        else expect(job.message).toContain('not known');
      } else expect([(body.report ?? (job!.result as ApplyReport)).state, files]).toEqual(['applied', ['polished', 'brushed']]);
    } else expect(body.code).toBe('outcome-unknown');
    expect(leftovers()).toEqual([]);
  });

  it('of the connection that held the lock never turns recorded work into a failure', async () => {
    await rule.stop();
    await begin({ at: async (reached) => void (reached === 'recorded' && (await endConnections(WAITS_WITH_A_LOCK))) });
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    expect(await apply(okafor)).toMatchObject({ state: 'applied', applied: 1 });
    await settled();
    expect([inFile('drum.step', 'Finish'), await inDatabase('drum.step', 'Finish'), leftovers()]).toEqual(['polished', 'polished', []]);
  });

  it('of a recovery is shown, keeps nobody from other files, and is tried again', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    await apply(okafor);
    // As if interrupted after the file was written, with the kept version lost.
    const { id } = (await rule.db.one<{ id: number }>('SELECT max(id) AS id FROM change_sets'))!;
    await rule.db.run(`UPDATE change_sets SET state = 'applying' WHERE id = $1`, [id]);
    await rule.db.run(`UPDATE journal SET old_hash = repeat('0', 64), new_hash = repeat('1', 64), state = 'staged', in_place = true WHERE change_set_id = $1`, [
      id,
    ]);
    await propose(lindqvist, ['trier.step', 'Finish', 'brushed'], ['drum.step', 'Description', 'Drum']);
    const report = await apply(lindqvist, 'file by file');
    expect(report).toMatchObject({ state: 'partly applied', applied: 1, failures: [{ path: 'DR-15/parts/drum.step' }] });
    expect(report.failures[0]!.message).toContain(`change set ${id}`);
    expect(((await okafor.get('/history')).body as ChangeSetRow[]).find((set) => set.id === id)).toMatchObject({
      state: 'applying',
      problem: expect.stringContaining('ENOENT'),
    });
    // Once the kept versions are back, it completes by itself.
    const { hash } = (await rule.db.one<{ hash: string }>('SELECT hash FROM files WHERE path = $1', ['DR-15/parts/drum.step']))!;
    await rule.db.run('UPDATE journal SET old_hash = $2, new_hash = $2 WHERE change_set_id = $1', [id, hash]);
    await settled();
    expect(((await okafor.get('/history')).body as ChangeSetRow[]).find((set) => set.id === id)).toMatchObject({ state: 'applied', problem: null });
  });
});

describe('a file that values are written into', () => {
  const path = () => join(rule.library, 'DR-15/parts/drum.step');
  const python = (code: string) => execFileSync('python3', ['-c', code, path()], { encoding: 'utf8' }).trim();

  it('stays to others what it was: owner, group, mode, extended attributes', async () => {
    chmodSync(path(), 0o2640);
    python('import os,sys; os.setxattr(sys.argv[1], "user.reviewed", b"by nobody")');
    if (process.getuid?.() === 0) chownSync(path(), 1234, 4321);
    const before = statSync(path());
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    expect(await apply(okafor)).toMatchObject({ state: 'applied' });
    expect(inFile('drum.step', 'Finish')).toBe('polished');
    const after = statSync(path());
    expect([after.mode, after.uid, after.gid]).toEqual([before.mode, before.uid, before.gid]);
    expect(python('import os,sys; print(os.getxattr(sys.argv[1], "user.reviewed").decode())')).toBe('by nobody');
  });

  it('stays one file under all of its names', async () => {
    const other = join(rule.data, 'the same drum.step');
    linkSync(path(), other);
    await propose(okafor, ['drum.step', 'Finish', 'polished']);
    const { changeSet } = await apply(okafor);
    expect([statSync(other).ino, statSync(other).nlink]).toEqual([statSync(path()).ino, 2]);
    expect(readFileSync(other).equals(readFileSync(path()))).toBe(true);
    expect(inFile('drum.step', 'Finish')).toBe('polished');
    expect(await okafor.revert(changeSet)).toMatchObject({ state: 'applied' });
    expect([readFileSync(other).equals(original('parts/drum.step')), statSync(other).ino === statSync(path()).ino, leftovers()]).toEqual([true, true, []]);
  });

  it('is refused with the reason where it is read-only, also to those who could write it all the same', async () => {
    chmodSync(path(), 0o444);
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed']);
    expect(await apply(okafor, 'file by file')).toMatchObject({
      state: 'partly applied',
      failures: [{ path: 'DR-15/parts/drum.step', message: 'The file is read-only.' }],
    });
    expect(inFile('drum.step', 'Finish')).toBe('brushed');
    chmodSync(path(), 0o644);
    // Only file systems with the immutable attribute can stop root from writing.
    if (spawnSync('chattr', ['+i', path()]).status !== 0) return;
    try {
      expect(await apply(okafor)).toMatchObject({ state: 'put back', failures: [{ message: 'The file is write-protected by an attribute.' }] });
    } finally {
      spawnSync('chattr', ['-i', path()]);
    }
  });

  it('may have become a folder or a pipe, which is said and stops nothing', async () => {
    await propose(okafor, ['drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed'], ['bean-hopper.step', 'Material', '1.4404']);
    rmSync(path());
    execFileSync('mkfifo', [path()]);
    rmSync(join(rule.library, 'DR-15/parts/bean-hopper.step'));
    mkdirSync(join(rule.library, 'DR-15/parts/bean-hopper.step'));
    const report = await apply(okafor, 'file by file');
    expect(report).toMatchObject({ state: 'partly applied', applied: 2 });
    expect(
      report.failures
        .map(({ path: of, message }) => [of, message])
        .sort()
        .slice(0, 2),
    ).toEqual([
      ['DR-15/parts/bean-hopper.step', 'This path is a folder, not a file.'],
      ['DR-15/parts/drum.step', 'This path is a pipe, not a file.'],
    ]);
  });
});

describe('a crash', () => {
  const child = join(import.meta.dirname, '../dist-test/crash-child.mjs');
  const worker = join(import.meta.dirname, '../dist/worker.mjs');
  async function crashAt(stepName: string, mode: string): Promise<void> {
    const user = (await rule.db.one<{ id: number }>(`SELECT id FROM users WHERE name = 'okafor'`))!.id;
    const running = spawn(process.execPath, [child, rule.databaseUrl, rule.data, rule.vaultUrl, worker, stepName, mode, String(user)], { stdio: 'inherit' });
    expect(await new Promise((done) => running.once('exit', (_code, signal) => done(signal)))).toBe('SIGKILL');
  }
  const values = async () => {
    const files = [
      inFile('parts/drum.step', 'Finish'),
      inFile('trier.step', 'Finish'),
      inFile('bean-hopper.step', 'Material'),
      inCell('bean hopper.dxf', 'MATL'),
    ];
    const holder = (await rule.db.one<{ key: string }>(`SELECT key FROM holders WHERE level = 'sheet' AND file_id = $1`, [await rule.file('bean hopper.dxf')]))!
      .key;
    const database = [
      await inDatabase('parts/drum.step', 'Finish'),
      await inDatabase('trier.step', 'Finish'),
      await inDatabase('bean-hopper.step', 'Material'),
      await inDatabase('bean hopper.dxf', 'MATL', holder),
    ];
    return { files, database };
  };
  const OLD = ['brushed', 'polished', '1.4301', 'DC01'];
  const NEW = ['polished', 'brushed', '1.4404', '1.4404'];

  for (const mode of ['whole', 'file by file'])
    it.each(STEPS.filter((candidate) => candidate !== 'set aside one'))(
      `at the step "%s" in mode ${mode} is finished or put back at the next start`,
      async (stepName) => {
        await propose(okafor, ['parts/drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed'], ['bean-hopper.step', 'Material', '1.4404']);
        await crashAt(stepName, mode);
        const outcomes = await rule.services.applying.recover();
        const { files, database } = await values();
        expect(database).toEqual(files);
        if (stepName === 'prepared') {
          expect([files, outcomes, (await tray(okafor)).length]).toEqual([OLD, [], 4]);
          return;
        }
        expect(files).toEqual(NEW);
        expect(outcomes.map((outcome) => outcome.outcome)).toEqual([stepName === 'recorded' ? 'cleared' : 'finished']);
        expect(await tray(okafor)).toEqual([]);
        const [set] = (await okafor.get('/history')).body as ChangeSetRow[];
        expect(set).toMatchObject({ state: 'applied', lines: 4, files: 4 });
        expect(leftovers()).toEqual([]);
        expect(await rule.services.applying.recover()).toEqual([]);
        // What was completed after a crash can be reverted byte for byte.
        expect(await okafor.revert(set!.id)).toMatchObject({ state: 'applied' });
        expect(Buffer.compare(rule.bytes('parts/drum.step'), original('parts/drum.step'))).toBe(0);
      },
    );

  it('after which another program changed a file is put back as a whole', async () => {
    await propose(okafor, ['parts/drum.step', 'Finish', 'polished'], ['trier.step', 'Finish', 'brushed'], ['bean-hopper.step', 'Material', '1.4404']);
    await crashAt('swapped one', 'whole');
    const path = join(rule.library, 'DR-15/parts/bean-hopper.step');
    const foreign = Buffer.from(original('bean-hopper.step').toString('latin1').replace("'1.4301'", "'1.4571'"), 'latin1');
    writeFileSync(path, foreign);
    expect(await rule.services.applying.recover()).toMatchObject([{ outcome: 'put back' }]);
    expect(Buffer.compare(readFileSync(path), foreign)).toBe(0);
    for (const name of ['parts/drum.step', 'trier.step', 'bean hopper.dxf']) expect(Buffer.compare(rule.bytes(name), original(name))).toBe(0);
    expect((await tray(okafor)).filter((line) => !line.follows).map((line) => line.message)).toEqual(
      Array(3).fill('Applying was interrupted, and another program changed the file.'),
    );
    expect(leftovers()).toEqual([]);
  });
});
