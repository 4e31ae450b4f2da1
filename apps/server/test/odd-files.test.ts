import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, truncateSync, writeFileSync, symlinkSync, renameSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { JobRow } from '@rule/contract';
import { LOCKS } from '../src/platform/locks';
import { readFiles } from '../src/library/read.thread';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
const folder = mkdtempSync(join(tmpdir(), 'rule-odd-'));

beforeAll(async () => {
  rule = await startRule({ jobs: true });
  [varga, okafor] = [await rule.signIn('varga'), await rule.signIn('okafor')];
}, 60_000);
afterAll(async () => {
  await rule.stop();
  rmSync(folder, { recursive: true, force: true });
});

/** A sparse file of the given size. */
function sparse(path: string, length: number): void {
  writeFileSync(path, 'x');
  truncateSync(path, length);
}

describe('what stands under a name and is no file', () => {
  it('is said by its kind, and nobody waits for it', async () => {
    const at = (name: string) => join(folder, name);
    execFileSync('mkfifo', [at('pipe.step')]);
    mkdirSync(at('folder.step'));
    symlinkSync('/etc/hostname', at('link.step'));
    symlinkSync('/nowhere', at('dangling.step'));
    const outcomes = await readFiles({
      paths: ['pipe.step', 'folder.step', 'link.step', 'dangling.step', 'missing.step'].map((path) => ({ path, full: at(path) })),
    });
    expect(outcomes.map(({ path, problem }) => [path, problem])).toEqual([
      ['pipe.step', 'This path is a pipe, not a file.'],
      ['folder.step', 'This path is a folder, not a file.'],
      ['link.step', 'This path is a link, not a file.'],
      ['dangling.step', 'This path is a link, not a file.'],
      ['missing.step', 'The file disappeared while the library was read.'],
    ]);
    expect((await readFiles({ paths: [{ path: 'null', full: '/dev/null' }] }))[0]!.problem).toBe('This path is a device, not a file.');
  });
});

describe('a library with files of any size', () => {
  const root = join(folder, 'large');
  it('is read without reading what nobody needs', async () => {
    mkdirSync(root);
    sparse(join(root, 'recording.bin'), 20 * 2 ** 30);
    sparse(join(root, 'too large.step'), 600 * 2 ** 20);
    const job = await varga.job(await varga.post('/libraries', { name: 'Large', path: root }));
    expect(job).toMatchObject({ state: 'done', result: { added: 2, failed: [{ path: 'too large.step', message: expect.stringContaining('600 MiB') }] } });
    const known = await rule.db.all(
      `SELECT f.name, f.format, f.size, f.problem IS NULL AS fine FROM files f JOIN libraries l ON l.id = f.library_id WHERE l.name = 'Large' ORDER BY 1`,
    );
    expect(known).toEqual([
      { name: 'recording.bin', format: 'other', size: 20 * 2 ** 30, fine: true },
      { name: 'too large.step', format: 'step', size: 600 * 2 ** 20, fine: false },
    ]);
  }, 120_000);

  it('keeps nobody from applying while it is read', async () => {
    // A survey that is interrupted before values are written.
    let letGo: () => void = () => undefined;
    const surveying = new Promise<void>((begun) => {
      void rule.db.exclusive(LOCKS.survey, () => {
        begun();
        return new Promise<void>((done) => (letGo = done));
      });
    });
    await surveying;
    await okafor.post('/tray', { values: [{ file: await rule.file('parts/drum.step'), property: await rule.property('Finish'), text: 'polished' }] });
    expect(await okafor.apply()).toMatchObject({ state: 'applied', applied: 1 });
    letGo();
  });

  it('is given up in the middle of a batch, stores nothing of it, and is read in whole the next time', async () => {
    for (let n = 0; n < 150; n++) sparse(join(root, `scan ${n}.bin`), 60 * 2 ** 20);
    const { job } = (await varga.post('/libraries/rescan')).body as { job: number };
    const now = async () => (await varga.get(`/jobs/${job}`)).body as JobRow;
    for (let row = await now(); row.step !== 'reading files' && (row.state === 'waiting' || row.state === 'running'); row = await now());
    await varga.post(`/jobs/${job}/cancel`);
    expect((await rule.services.jobs.ended(job)).state).toBe('cancelled');
    const stored = await rule.db.all(`SELECT 1 FROM files WHERE name LIKE 'scan %'`);
    expect(stored.length).toBeLessThan(150);
    for (let n = 0; n < 150; n++) rmSync(join(root, `scan ${n}.bin`));
    renameSync(join(root, 'recording.bin'), join(root, 'film.bin'));
    const again = await varga.job(await varga.post('/libraries/rescan'));
    expect(again).toMatchObject({ state: 'done' });
    expect(await rule.db.all(`SELECT name FROM files WHERE name LIKE 'scan %' AND NOT removed`)).toEqual([]);
    expect((await rule.db.one(`SELECT v.text FROM held_values v WHERE file_id = $1 AND name = 'Finish'`, [await rule.file('parts/drum.step')]))!).toEqual({
      text: 'polished',
    });
  }, 120_000);
});
