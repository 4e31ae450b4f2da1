import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { step } from '@rule/core/files/step';
import { DraftView, KeptRehearsal, KeptRehearsalView, Problem, RecordPage, RehearsedFile, VaultFile, VaultRunResult, VaultState } from '@rule/contract';
import { mkdir, mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { Server, createServer } from 'node:http';
import { AddressInfo } from 'node:net';
import pg from 'pg';
import { HttpVault, VaultPort } from '../src/vault/port';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(60_000);

let rule: Rule;
let okafor: Person;
beforeEach(async () => {
  rule = await startRule();
  okafor = await rule.signIn('okafor');
});
afterEach(() => rule.stop());

interface Entry {
  readonly id: number;
  readonly version: number;
  readonly record: Record<string, string>;
  readonly checkedOutBy: string | null;
}
const entry = async (path: string) => (await rule.vault<Entry[]>('POST', '/api/files/query', { paths: [path] }))[0]!;
const decisions = async (file: number) =>
  Object.fromEntries(((await okafor.get(`/files/${file}/record`)).body as VaultFile).values.map((v) => [v.link.field, v.decision.action]));

describe('the vault', () => {
  it('is shown with its own link table, compared to the letter', async () => {
    const state = (await okafor.get('/vault')).body as VaultState;
    expect(state.problem).toBeNull();
    expect(state.files).toBe(22);
    expect(state.folders).toContainEqual({ path: 'DR-15/assemblies', files: 2 });
    expect(state.table.filter((finding) => finding.state !== 'exact')).toMatchObject([
      { row: { field: 'Material', name: 'Material ' }, state: 'alike', likeness: 'blanks', nearest: 'Material' },
    ]);
  });

  it('passes values both ways at check-in and remembers what both agree on', async () => {
    const gate = await rule.file('slide-gate.step');
    expect(await decisions(gate)).toEqual({
      'Food contact': 'stays',
      'Mass kg': 'in',
      Material: 'out',
      Number: 'equal',
      'Released on': 'equal',
      Supplier: 'equal',
      Title: 'in',
    });
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 2, recordChanges: 2, fileChanges: 1 });
    const after = await entry('DR-15/parts/slide-gate.step');
    expect(after).toMatchObject({
      version: 2,
      checkedOutBy: null,
      record: { 'Mass kg': '0.196', Material: '1.4301', Number: 'DR15-131', Title: 'Slide gate' },
    });
    // The vault now holds Rule's file, and its comment names the change set.
    const versions = await rule.vault<{ version: number; comment: string; by: string }[]>('GET', `/api/files/${after.id}/versions`);
    expect(versions[1]).toMatchObject({ by: 'Rule', comment: expect.stringMatching(/^Checked in by Tobe Okafor with Rule, change set \d+$/) });
    const content = await fetch(`${rule.vaultUrl}/api/files/${after.id}/content`, { headers: { authorization: 'Bearer test-token' } });
    const held = step
      .read(new Uint8Array(await content.arrayBuffer()))
      .holders.find((h) => h.key === '')!
      .values.find((v) => v.name === 'Material');
    expect(held?.held.text).toBe('1.4301');
    expect(await decisions(gate)).toEqual({
      'Food contact': 'stays',
      'Mass kg': 'equal',
      Material: 'equal',
      Number: 'equal',
      'Released on': 'equal',
      Supplier: 'equal',
      Title: 'equal',
    });

    // The record changes, then the file: pass out, then a clash.
    await rule.vault('PUT', `/api/files/${after.id}/record`, { record: { Material: '1.4404' } });
    // Viewing does not ask the vault; refreshing does.
    expect(await decisions(gate)).toMatchObject({ Material: 'equal' });
    await okafor.post('/vault/refresh').expect(200);
    expect(await decisions(gate)).toMatchObject({ Material: 'out' });
    await okafor.post('/tray', { values: [{ file: gate, property: await rule.property('Material'), text: 'DC01' }] });
    await okafor.apply();
    const values = ((await okafor.get(`/files/${gate}/record`)).body as VaultFile).values.find((v) => v.link.field === 'Material');
    expect(values).toMatchObject({ file: 'DC01', record: '1.4404', agreed: '1.4301', decision: { action: 'ask' } });
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem).toMatchObject({ code: 'clash', issues: [{ field: 'Material' }] });
    expect((await entry('DR-15/parts/slide-gate.step')).checkedOutBy).toBeNull();
    await okafor.post(`/files/${gate}/check-in`, { settled: { [values!.link.id]: 'record' } });
    expect(rule.bytes('slide-gate.step').toString('latin1')).toContain("'1.4404'");
    expect(await decisions(gate)).toMatchObject({ Material: 'equal' });

    // A cleared record value does not clear the file's.
    await rule.vault('PUT', `/api/files/${after.id}/record`, { record: { Material: null } });
    const waits = (await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem;
    expect([waits.detail, waits.issues![0]!.message]).toEqual(['1 value needs a decision.', 'the record is blank and would erase the value in the file']);
    await okafor.post(`/files/${gate}/check-in`, { settled: { [values!.link.id]: 'file' } }).expect(200);
    expect((await entry('DR-15/parts/slide-gate.step')).record['Material']).toBe('1.4404');
  });

  it('refuses files that are released or that someone else has out', async () => {
    const [stub, arm] = [await rule.file('chimney-stub.step'), await rule.file('agitator-arm.step')];
    expect((await okafor.post(`/files/${stub}/check-in`, { settled: {} })).body as Problem).toMatchObject({
      status: 409,
      code: 'vault-refused',
      detail: 'The vault refused: the file is released',
    });
    const { id } = await entry('DR-15/parts/agitator-arm.step');
    await rule.vault('POST', `/api/files/${id}/check-out`, { by: 'Hedda Novak' });
    expect((await okafor.post(`/files/${arm}/check-in`, { settled: {} })).body as Problem).toMatchObject({
      detail: 'The vault refused: the file is checked out by Hedda Novak',
    });
    await okafor.post('/vault/refresh');
    expect((await okafor.post('/tray', { values: [{ file: arm, property: await rule.property('Finish'), text: 'polished' }] })).body as Problem).toMatchObject({
      issues: [{ code: 'locked' }],
    });
  });

  it('that is slow, fails or drops the connection gives a clear answer and leaves nothing half done', async () => {
    const gate = await rule.file('slide-gate.step');
    const before = rule.bytes('slide-gate.step');
    const port = rule.services.vault['port'] as unknown as { silenceMs: number };
    for (const [faults, message, timeoutMs] of [
      [{ delayMs: 3000 }, /did not answer within 1 s/, 1000],
      [{ failNext: 1 }, /inner fault/, 30_000],
      [{ dropNext: 1 }, /cannot be reached|broke off/, 30_000],
    ] as const) {
      await rule.vault('POST', '/api/faults', faults);
      port.silenceMs = timeoutMs;
      const answer = (await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem;
      expect([answer.status, answer.code]).toEqual([502, 'vault-unreachable']);
      expect(answer.detail).toMatch(message);
      await rule.vault('POST', '/api/faults', {});
    }
    await rule.vault('POST', '/api/faults', { failNext: 3 });
    const failing = (await okafor.post('/vault/refresh')).body as VaultState;
    expect([failing.problem, failing.files]).toEqual([expect.stringMatching(/inner fault/), 22]);
    await rule.vault('POST', '/api/faults', {});
    expect(((await okafor.post('/vault/refresh')).body as VaultState).problem).toBeNull();
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
    expect(await entry('DR-15/parts/slide-gate.step')).toMatchObject({ version: 1, checkedOutBy: null });
  });

  it('that fails at the check-in itself leaves file and record as they were, and the next try ends right', async () => {
    const gate = await rule.file('slide-gate.step');
    const port = rule.services.vault['port'];
    const checkIn = port.checkIn.bind(port);
    port.checkIn = () => Promise.reject(new Error('connection lost'));
    const before = rule.bytes('slide-gate.step');
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).status).toBe(500);
    port.checkIn = checkIn;
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
    expect((await entry('DR-15/parts/slide-gate.step')).checkedOutBy).toBeNull();
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 2, fileChanges: 1 });
  });

  /** Another program checks in a version. */
  const checkInElsewhere = async (id: number, content: Buffer) => {
    await rule.vault('POST', `/api/files/${id}/check-out`, { by: 'Hedda Novak' });
    const meta = Buffer.from(JSON.stringify({ by: 'Hedda Novak', comment: 'from elsewhere', record: {} })).toString('base64url');
    const answer = await fetch(`${rule.vaultUrl}/api/files/${id}/check-in`, {
      method: 'POST',
      headers: { authorization: 'Bearer test-token', 'x-check-in': meta, 'content-type': 'application/octet-stream' },
      body: new Uint8Array(content),
    });
    expect(answer.status).toBe(200);
  };
  const contentOf = async (id: number) =>
    Buffer.from(await (await fetch(`${rule.vaultUrl}/api/files/${id}/content`, { headers: { authorization: 'Bearer test-token' } })).arrayBuffer());

  it('a version that is newer in the vault is never written over unseen', async () => {
    const gate = await rule.file('slide-gate.step');
    const { id } = await entry('DR-15/parts/slide-gate.step');
    const theirs = Buffer.concat([rule.bytes('slide-gate.step'), Buffer.from('/* theirs */\n')]);
    await checkInElsewhere(id, theirs);
    const before = rule.bytes('slide-gate.step');
    const refused = (await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem;
    expect(refused).toMatchObject({ status: 409, code: 'newer-in-vault', issues: [{ field: 'over', message: '2' }] });
    expect(refused.detail).toBe('The vault holds version 2 of DR-15/parts/slide-gate.step; your file is based on version 1. Get the newer version first.');
    // Nothing was written on either side, and nothing stays locked.
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
    expect([await entry('DR-15/parts/slide-gate.step'), Buffer.compare(await contentOf(id), theirs)]).toMatchObject([{ version: 2, checkedOutBy: null }, 0]);
    // Having seen that version, one may replace it explicitly; a newer one asks again.
    expect(((await okafor.post(`/files/${gate}/check-in`, { settled: {}, over: 1 })).body as Problem).code).toBe('newer-in-vault');
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {}, over: 2 })).body).toMatchObject({ version: 3 });
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 4 });
  });

  it('a file that was changed on disk is read again before it goes in', async () => {
    const gate = await rule.file('slide-gate.step');
    const path = join(rule.library, 'DR-15/parts/slide-gate.step');
    await writeFile(path, Buffer.concat([rule.bytes('slide-gate.step'), Buffer.from('/* saved again */\n')]));
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem).toMatchObject({
      code: 'changed-on-disk',
      detail: 'DR-15/parts/slide-gate.step was changed on disk after Rule read it. Read the library again, then check in.',
    });
    await rule.services.scanner.rescan();
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 2 });
  });

  it('a record value passes the same checks as a typed one, and what cannot pass stops all of it beforehand', async () => {
    const gate = await rule.file('slide-gate.step');
    const { id } = await entry('DR-15/parts/slide-gate.step');
    await rule.vault('PUT', `/api/files/${id}/record`, { record: { Material: 'x'.repeat(200) } });
    const before = rule.bytes('slide-gate.step');
    const refused = (await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem;
    expect(refused).toMatchObject({ status: 409, code: 'cannot-pass', issues: [{ field: 'Material', code: 'bad-record-value' }] });
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
    expect(await entry('DR-15/parts/slide-gate.step')).toMatchObject({ version: 1, checkedOutBy: null });
  });

  it('a link to a field that records do not have is refused, and one that the vault lost stops before anything is written', async () => {
    const varga = await rule.signIn('varga');
    const link = { field: 'Sort of', kinds: ['part'], at: [{ property: await rule.property('Revision') }], in: 'always', out: 'never', onClash: 'ask' };
    expect((await varga.post('/schema/draft/links', link)).body as Problem).toMatchObject({
      code: 'unknown-field',
      detail: expect.stringContaining('has no record field Sort of'),
    });
    const gate = await rule.file('slide-gate.step');
    const port = rule.services.vault['port'];
    const definition = port.definition.bind(port);
    port.definition = async () => {
      const whole = await definition();
      return { ...whole, fields: whole.fields.filter((field) => field.name !== 'Title') };
    };
    const before = rule.bytes('slide-gate.step');
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem).toMatchObject({
      code: 'cannot-pass',
      issues: [{ field: 'Title', code: 'unknown-field' }],
    });
    port.definition = definition;
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
  });

  it('a rehearsal is kept with every value that would pass, as it was then', async () => {
    const kept = (await okafor.post('/vault/rehearsals', { title: 'Before going live' })).body as KeptRehearsal;
    expect(kept).toMatchObject({ title: 'Before going live', files: 22, blocked: 2, edition: 1, by: 'Tobe Okafor', mine: true });
    const present = (await okafor.post('/vault/rehearse', { files: null })).body as RehearsedFile[];
    const view = (await okafor.get(`/vault/rehearsals/${kept.id}`)).body as KeptRehearsalView;
    expect(view.rows.map(({ path, counts, blocked }) => [path, counts, blocked])).toEqual(present.map(({ path, counts, blocked }) => [path, counts, blocked]));
    for (const row of view.rows) expect(row.told).toHaveLength(row.counts.in + row.counts.out + row.counts.ask + row.counts.stays);
    // The hopper's title was changed on both sides: its link asks, or the file leads.
    const csv = (await okafor.get(`/vault/rehearsals/${kept.id}/table`)).text.trim().split(/\r?\n/);
    expect(csv[0]).toBe('File,Kind,State,Version,Bytes changed,Blocked,Record field,In the file,In the record,Outcome,Reason');
    expect(csv.filter((line) => line.includes('slide-gate.step'))).toHaveLength(4);
    expect(csv.find((line) => line.includes('chimney-stub.step'))).toContain('The file is released in the vault.');
    // It stays when files change.
    await okafor.post(`/files/${await rule.file('slide-gate.step')}/check-in`, { settled: {} }).expect(200);
    expect(((await okafor.get(`/vault/rehearsals/${kept.id}`)).body as KeptRehearsalView).rows).toEqual(view.rows);
    const guest = await rule.signIn('guest');
    const lindqvist = await rule.signIn('lindqvist');
    expect(((await guest.get('/vault/rehearsals')).body as KeptRehearsal[]).map((row) => [row.title, row.mine, row.asks > 0])).toEqual([
      ['Before going live', false, true],
      ['Before the first check-in', false, true],
    ]);
    expect((await lindqvist.delete(`/vault/rehearsals/${kept.id}`)).status).toBe(409);
    expect((await okafor.delete(`/vault/rehearsals/${kept.id}`)).status).toBeLessThan(300);
    expect((await okafor.get(`/vault/rehearsals/${kept.id}`)).status).toBe(404);
  });

  it('many files are rehearsed without asking the vault, checked in as a job, and what failed is told file by file', async () => {
    await rule.services.jobs.open();
    const port = rule.services.vault['port'];
    const entries = port.entries.bind(port);
    port.entries = () => Promise.reject(new Error('a look asks nobody'));
    const rehearsed = (await okafor.post('/vault/rehearse', { files: null })).body as RehearsedFile[];
    port.entries = entries;
    expect(rehearsed).toHaveLength(22);
    const of = (path: string) => rehearsed.find((row) => row.path.endsWith(path))!;
    expect(of('slide-gate.step')).toMatchObject({ counts: { in: 2, out: 1, ask: 0, stays: 1 }, changed: false, blocked: null });
    expect(of('chimney-stub.step').blocked).toBe('The file is released in the vault.');
    // Models precede the drawings that show them.
    const kinds = rehearsed.map((row) => row.kind);
    expect(kinds.lastIndexOf('part')).toBeLessThan(kinds.indexOf('drawing'));
    const [gate, stub, arm] = [of('slide-gate.step').file, of('chimney-stub.step').file, of('agitator-arm.step').file];
    await rule.vault('PUT', `/api/files/${(await entry(of('agitator-arm.step').path)).id}/record`, { record: { Material: 'x'.repeat(200) } });
    const begun = await okafor.post('/vault/runs', { files: [stub, gate, arm], clash: 'leave out' });
    expect(begun.body).toEqual({ job: expect.any(Number) });
    const { result, errors } = await okafor.job(begun);
    const rows = (result as VaultRunResult).rows.map((row) => [row.path.split('/').at(-1), row.outcome, row.version]);
    expect(rows).toEqual([
      ['agitator-arm.step', 'left out', null],
      ['chimney-stub.step', 'left out', null],
      ['slide-gate.step', 'done', 2],
    ]);
    expect(errors).toBe(2);
    // A second run finds nothing and settles clashes as told, but never with a blank.
    const again = await okafor.job(await okafor.post('/vault/runs', { files: [gate], clash: 'file' }));
    expect((again.result as VaultRunResult).rows).toMatchObject([{ outcome: 'nothing to do' }]);
    const after = await entry('DR-15/parts/slide-gate.step');
    await rule.vault('PUT', `/api/files/${after.id}/record`, { record: { Material: '1.4404' } });
    await okafor.post('/vault/refresh').expect(200);
    await okafor.post('/tray', { values: [{ file: gate, property: await rule.property('Material'), text: 'DC01' }] });
    await okafor.apply();
    const clashing = await okafor.job(await okafor.post('/vault/runs', { files: [gate], clash: 'file' }));
    expect((clashing.result as VaultRunResult).rows[0]!.outcome).toBe('done');
    expect((await entry('DR-15/parts/slide-gate.step')).record).toMatchObject({ Material: 'DC01' });
    const haas = await rule.signIn('haas');
    expect((await haas.post('/vault/runs', { files: [gate], clash: 'file' })).status).toBe(403);
  });

  it('a link that leads elsewhere has agreed on nothing there yet', async () => {
    const varga = await rule.signIn('varga');
    const gate = await rule.file('slide-gate.step');
    await okafor.post(`/files/${gate}/check-in`, { settled: {} }).expect(200);
    expect(await decisions(gate)).toMatchObject({ Title: 'equal' });
    const { links } = (await okafor.get('/vault')).body as VaultState;
    const { id, ...title } = links.find((one) => one.field === 'Title' && one.kinds.includes('part'))!;
    await varga.put(`/schema/draft/links/${id}`, { ...title, at: [{ property: await rule.property('Part number') }] }).expect(200);
    await varga.post('/schema/draft/in-force', { note: 'titles from elsewhere', revision: null }).expect(200);
    const value = ((await okafor.get(`/files/${gate}/record`)).body as VaultFile).values.find((v) => v.link.field === 'Title')!;
    expect([value.agreed, value.decision]).toEqual([undefined, { action: 'ask', reason: 'both hold a value but never agreed' }]);
  });

  it('has its links in the edition, apart by field and kind, and by the number of a property', async () => {
    const varga = await rule.signIn('varga');
    const property = await rule.property('Revision');
    const link = { field: 'Supplier', kinds: ['assembly'], at: [{ property }], in: 'always', out: 'never', onClash: 'ask' };
    const { id, draft } = (await varga.post('/schema/draft/links', link).expect(200)).body as { id: number; draft: DraftView };
    expect(draft.changes).toMatchObject([{ type: 'link added', link: { id, field: 'Supplier', kinds: ['assembly'], at: [{ property }] } }]);
    expect(((await varga.post('/schema/draft/links', link)).body as Problem).code).toBe('field-taken');
    expect(((await varga.post('/schema/draft/links', { ...link, field: 'Title', kinds: ['other'] })).body as Problem).code).toBe('bad-mapping');
    expect((await okafor.delete(`/schema/draft/links/${id}`)).status).toBe(403);
    // Not used by check-ins until in force.
    const roaster = await rule.file('assemblies/roaster.step');
    expect(Object.keys(await decisions(roaster))).not.toContain('Supplier');
    await varga.put(`/schema/draft/links/${id}`, { ...link, in: 'never' }).expect(200);
    await varga.post('/schema/draft/in-force', { note: 'suppliers of assemblies', revision: null }).expect(200);
    expect(Object.keys(await decisions(roaster))).toContain('Supplier');
    // Renamed: the link stays and expects the new name.
    await rule.amend('Revision', { writtenName: 'Index' });
    const { links } = (await okafor.get('/vault')).body as VaultState;
    expect(links.find((one) => one.id === id)).toMatchObject({ at: [{ property }], in: 'never' });
    const value = ((await okafor.get(`/files/${roaster}/record`)).body as VaultFile).values.find((one) => one.link.id === id);
    expect(value!.name).toBe('Index');
    // Linked properties are not retired without warning.
    const { draft: left } = { draft: (await varga.get('/schema/draft')).body as DraftView };
    const index = left.schema.properties.find((one) => one.id === property)!;
    const { id: _, retired: __, ...definition } = index;
    void _;
    void __;
    await varga.put('/schema/draft/properties', { properties: [{ id: property, base: null, draft: definition, retired: true }] }).expect(200);
    const refused = (await varga.post('/schema/draft/in-force', { note: '', revision: null })).body as Problem;
    expect(refused.detail).toMatch(/(shows|leads to) Revision, which is retired\./);
    await varga.delete('/schema/draft').expect(200);
    expect((await varga.delete(`/schema/draft/links/${id}`)).status).toBe(200);
    expect((await varga.delete(`/schema/draft/links/${id}`)).status).toBe(404);
  });

  it('is one with the files of the library that stands for it, and with no file of the same path elsewhere', async () => {
    const varga = await rule.signIn('varga');
    const { libraries } = (await okafor.get('/vault')).body as VaultState;
    expect(libraries.map(({ inVault }) => inVault)).toEqual([true]);
    const stub = 'DR-15/parts/chimney-stub.step';
    const other = await mkdtemp(join(tmpdir(), 'rule-other-'));
    await mkdir(join(other, 'DR-15/parts'), { recursive: true });
    await writeFile(join(other, stub), rule.bytes('chimney-stub.step'));
    const library = await rule.services.libraries.add('A copy', other);
    await rule.services.scanner.rescan(undefined, library);
    await okafor.post('/vault/refresh').expect(200);
    const rows = await rule.db.all<{ library: number; lock: string | null }>(
      'SELECT library_id AS library, lock_reason AS lock FROM files WHERE path = $1 ORDER BY library_id',
      [stub],
    );
    expect(rows).toEqual([
      { library: 1, lock: 'is released in the vault' },
      { library, lock: null },
    ]);
    const copy = (await rule.db.one<{ id: number }>('SELECT id FROM files WHERE path = $1 AND library_id = $2', [stub, library]))!.id;
    expect((await okafor.post(`/files/${copy}/check-in`, { settled: {} })).body as Problem).toMatchObject({ status: 404, code: 'not-in-vault' });
    expect((await okafor.put(`/libraries/${library}/vault`, { inVault: true })).status).toBe(403);
    await varga.put(`/libraries/${library}/vault`, { inVault: true }).expect(200);
    const now = (await okafor.get('/vault')).body as VaultState;
    expect(now.libraries.filter((one) => one.inVault).map((one) => one.id)).toEqual([library]);
    expect(((await okafor.get('/vault/records')).body as RecordPage).rows.flatMap(({ file }) => file ?? [])).toEqual([copy]);
    expect(await rule.db.one('SELECT 1 FROM files WHERE library_id = 1 AND lock_reason IS NOT NULL')).toBeUndefined();
  });
});

describe('a vault that does not tell the whole truth', () => {
  /** Answers everything alike. */
  const saying = (body: string, headers: Record<string, string> = {}) =>
    new Promise<{ url: string; close: () => void }>((done) => {
      const server = createServer((request, response) => {
        request.resume();
        response.writeHead(200, { 'content-type': 'application/json', ...headers }).end(body);
      });
      server.listen(0, '127.0.0.1', () => done({ url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, close: () => server.close() }));
    });
  const stub = 'DR-15/parts/chimney-stub.step';
  const at = '2026-11-01T08:00:00Z';
  const row = {
    id: 1,
    path: stub,
    kind: 'part',
    class: null,
    version: 1,
    hash: 'a'.repeat(64),
    versionBy: 'x',
    versionAt: at,
    state: 'open',
    stateBy: 'x',
    stateAt: at,
    checkedOutBy: null,
    checkedOutAt: null,
    record: {},
  };

  it.each([
    ['an empty list without a count', '[]', {}],
    ['an empty list', '[]', { 'x-total-count': '0' }],
    ['rows without fields', '[{}]', { 'x-total-count': '1' }],
    ['a state that there is not', JSON.stringify([{ ...row, state: 'free' }]), { 'x-total-count': '1' }],
    ['one path twice', JSON.stringify([row, { ...row, id: 2 }]), { 'x-total-count': '2' }],
    ['fewer rows than there are', JSON.stringify([row]), { 'x-total-count': '38' }],
    ['no list', '{"files":[]}', { 'x-total-count': '0' }],
  ])('but answers with %s unlocks nothing', async (_what, body, headers) => {
    const locking = rule.services.vaultLocks as unknown as { port: VaultPort; refresh(): Promise<void> };
    const vault = rule.services.vault as unknown as { port: VaultPort };
    const real = vault.port;
    const fake = await saying(body, headers);
    const locks = () => rule.db.all('SELECT path, lock_reason, workflow_state FROM files ORDER BY path');
    const before = await locks();
    vault.port = locking.port = new HttpVault(fake.url, 'x');
    try {
      await locking.refresh();
      expect(((await okafor.get('/vault')).body as VaultState).problem).toMatch(/^The vault/);
      expect(await locks()).toEqual(before);
      expect(await rule.db.one('SELECT 1 AS there FROM files WHERE path = $1 AND lock_reason IS NOT NULL', [stub])).toEqual({ there: 1 });
    } finally {
      vault.port = locking.port = real;
      fake.close();
    }
  });

  it('takes as long for a transfer as its line needs', async () => {
    // A vault that reads slowly: much longer in total than the permitted silence, each piece much shorter.
    const [silence, wait] = [4000, 80];
    const slow = await new Promise<Server>((done) => {
      const server = createServer((request, response) => {
        const read = async () => {
          for await (const _piece of request.iterator({ destroyOnReturn: false })) await pause(wait);
          response.end(JSON.stringify({ ...row, version: 2 }));
        };
        void read().catch(() => undefined);
      });
      server.listen(0, '127.0.0.1', () => done(server));
    });
    const port = new HttpVault(`http://127.0.0.1:${(slow.address() as AddressInfo).port}`, 'x', silence);
    const began = Date.now();
    try {
      expect(await port.checkIn(1, new Uint8Array(6 * 2 ** 20), 'large', {})).toMatchObject({ version: 2 });
      expect(Date.now() - began).toBeGreaterThan(silence);
    } finally {
      slow.closeAllConnections();
      slow.close();
    }
  });
});

describe('a database that goes away', () => {
  it('gives a clear answer and changes nothing; when it is back the next request works', async () => {
    const name = new URL(rule.databaseUrl).pathname.slice(1);
    const admin = new pg.Client({ connectionString: process.env['RULE_TEST_DATABASE_URL'] });
    await admin.connect();
    await admin.query(`ALTER DATABASE ${name} ALLOW_CONNECTIONS false`);
    await admin.query('SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1', [name]);
    const before = rule.bytes('slide-gate.step');
    for (const answer of [await okafor.get('/values'), await okafor.post('/tray/apply', { mode: 'whole' })])
      expect([answer.status, (answer.body as Problem).code]).toEqual([503, 'database-unreachable']);
    await admin.query(`ALTER DATABASE ${name} ALLOW_CONNECTIONS true`);
    await admin.end();
    expect((await okafor.get('/values')).status).toBe(200);
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).toBe(0);
  });
});
