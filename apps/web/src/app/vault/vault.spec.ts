import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { describe, expect, it } from '@jest/globals';
import { LinkRow, LinkValues, VaultFile, VaultState } from '@rule/contract';
import { throwError } from 'rxjs';
import { JobsActions } from '../shared';
import { Stage, giveRoom, property } from '../../test/stage';
import { VaultStation } from './vault';

const link = (id: number, field: string, of: number): LinkRow => ({
  id,
  field,
  kind: 'part',
  at: { property: of },
  place: 'property',
  name: field,
  in: 'always',
  out: 'never',
  onClash: 'ask',
});
const { place: _place, name: _name, ...titleLink } = link(1, 'TITLE', 1);
void _place;
void _name;
const state: VaultState = {
  problem: null,
  fields: ['TITLE', 'SUPPLIER'],
  at: '2026-11-25T08:00:00Z',
  libraries: [
    { id: 1, name: 'Workshop', inVault: true },
    { id: 2, name: 'Inherited', inVault: false },
  ],
  links: [link(1, 'TITLE', 1)],
  drafted: [titleLink, { id: 2, field: 'SUPPLIER', kind: 'part', at: { place: 'property', name: 'Suplier' }, in: 'always', out: 'never', onClash: 'ask' }],
  table: [
    {
      row: { field: 'TITLE', kind: 'part', name: 'Description' },
      state: 'exact',
      nearest: 'Description',
      likeness: 'same',
      message: 'uses exactly the written name',
    },
    {
      row: { field: 'SUPPLIER', kind: 'part', name: 'supplier' },
      state: 'alike',
      nearest: 'Supplier',
      likeness: 'case',
      message: 'asks for "supplier", which differs from Supplier in case',
    },
  ],
  files: [
    { file: 7, path: 'parts/drum.step', kind: 'part', state: 'in work', version: 3, checkedOutBy: null },
    { file: 8, path: 'parts/bolt.step', kind: 'part', state: 'released', version: 1, checkedOutBy: null },
  ],
} as unknown as VaultState;
const value = (
  id: number,
  field: string,
  action: LinkValues['decision']['action'],
  file: string | null,
  record: string | null,
  agreed?: string | null,
): LinkValues => ({
  link: link(id, field, id),
  file,
  record,
  ...(agreed === undefined ? {} : { agreed }),
  decision: { action, reason: `because of ${action}` },
});
const record: VaultFile = {
  file: { id: 7, path: 'parts/drum.step', name: 'drum.step', kind: 'part' },
  version: 3,
  state: 'in work',
  checkedOutBy: null,
  values: [
    value(1, 'TITLE', 'in', 'Drum', 'Old drum', 'Old drum'),
    value(2, 'SUPPLIER', 'ask', 'Kessler', 'Kestler', 'Kess'),
    value(3, 'FINISH', 'equal', null, null),
    value(4, 'COLOUR', 'ask', null, 'red', 'red'),
  ],
} as unknown as VaultFile;

const staged = async (inputs: object = {}, more: object = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      vault: state,
      refreshVault: state,
      record,
      addLink: {},
      changeLink: {},
      removeLink: {},
      setInVault: {},
      checkIn: { version: 4, recordChanges: 2, fileChanges: 0, changeSet: 12 },
      rehearsals: [],
      ...more,
    },
    { role, properties: [property(1, 'Description'), property(2, 'Supplier')] },
  );
  await stage.show(VaultStation, inputs as Record<string, unknown>);
  return stage;
};

describe('the vault', () => {
  it('lists the links of the draft, and says which are not in force yet', async () => {
    const stage = await staged();
    const rows = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toMatch(/^TITLE ?part ?Description ?custom ?always ?never ?ask ?change$/);
    expect(rows[1]).toMatch(/^SUPPLIER ?part ?the name "Suplier" ?draft/);
    expect(stage.text('.note').replace(/\s+/g, ' ')).toContain('1 link is not in force yet.');
  });

  it('shows what is known at once, and then what the vault says now', async () => {
    const stage = await staged();
    expect(stage.calls.map((call) => call.name).filter((name) => /vault/i.test(name))).toEqual(['vault', 'refreshVault']);
  });

  it('a link is made in the draft, to a property and not to its spelling', async () => {
    const stage = await staged();
    const station = stage.fixture.componentInstance as {
      open(link: null): void;
      set(change: object): void;
      setEnd(end: string): void;
      save(): void;
    };
    station.open(null);
    station.set({ field: 'SUPPLIER' });
    station.setEnd('p2');
    station.save();
    expect(stage.last('addLink')).toEqual([{ field: 'SUPPLIER', kind: 'part', at: { property: 2 }, in: 'always', out: 'never', onClash: 'ask' }]);
  });

  it('one library stands for the vault', async () => {
    const stage = await staged();
    const station = stage.fixture.componentInstance as { stand(library: number | null): void };
    station.stand(2);
    station.stand(null);
    expect(stage.calls.filter((call) => call.name === 'setInVault').map((call) => call.args)).toEqual([
      [2, true],
      [1, false],
    ]);
  });

  it("compares the vault's own table exactly and says what a near miss means", async () => {
    const stage = await staged({ look: 'table' });
    const rows = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toContain('exact');
    expect(rows[1]).toContain('nearly Supplier');
    expect(rows[1]).toContain('differs from Supplier in case');
  });

  it('a file is not checked in while something is to be decided', async () => {
    const stage = await staged({ file: '7' });
    expect(stage.button('Decide 2 first').disabled).toBe(true);
    const cells = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(cells[0]).toContain('file → record');
    expect(cells[1]).toMatch(/take Kessler.*take Kestler.*because of ask/);
    expect(cells[2]).toContain('never');
    expect(cells[3]).toMatch(/erase red.*take red/);
    for (const take of stage.page.querySelectorAll<HTMLInputElement>('input[value=record]')) {
      take.checked = true;
      take.dispatchEvent(new Event('change'));
      await stage.settled();
    }
    await stage.click('Check in (1 in, 0 out)');
    expect(stage.last('checkIn')).toEqual([7, { settled: { 2: 'record', 4: 'record' } }]);
    expect(stage.text('.note[role=status]')).toBe('Checked in as version 4: 2 record fields and 0 file values changed, change set 12.');
    expect(stage.actions.some((action) => action.type === '[Catalogue] Recount')).toBe(true);
  });

  it('a released or checked-out file takes no version', async () => {
    const stage = await staged({ file: '7' }, { record: { ...record, state: 'released', values: [record.values[0]!] } });
    expect([stage.button(/Check in/).disabled, stage.text('.note')]).toEqual([
      true,
      'The file is released. Released files cannot be checked in; change their state in the vault first.',
    ]);
  });
  it('what the vault refuses is said and nothing is lost', async () => {
    const stage = await staged(
      { file: '7' },
      { record: { ...record, values: [record.values[0]!] }, checkIn: throwError(() => new Error('drum.step is checked out by haas.')) },
    );
    await stage.click('Check in (1 in, 0 out)');
    expect([stage.text('[role=alert]'), stage.button(/Check in/).disabled]).toEqual(['drum.step is checked out by haas.', false]);
  });

  it('a newer version in the vault is replaced by name alone', async () => {
    const newer = { code: 'newer-in-vault', detail: 'The vault holds version 4.', issues: [{ field: 'over', code: 'newer-in-vault', message: '4' }] };
    const stage = await staged(
      { file: '7' },
      {
        record: { ...record, values: [record.values[0]!] },
        checkIn: (_: number, { over }: { over?: number }) =>
          over === 4
            ? { version: 5, recordChanges: 1, fileChanges: 0, changeSet: null }
            : throwError(() => new HttpErrorResponse({ status: 409, error: newer })),
      },
    );
    await stage.click('Check in (1 in, 0 out)');
    expect(stage.text('[role=alert]')).toBe('The vault holds version 4. Replace version 4');
    await stage.click('Replace version 4');
    expect([stage.last('checkIn'), stage.page.querySelector('[role=alert]')]).toEqual([[7, { settled: {}, over: 4 }], null]);
  });

  it('a vault that does not answer is said, with what it said last, and asked again on demand', async () => {
    let problem: string | null = 'The vault does not answer.';
    const answer = () => ({ ...state, problem });
    const stage = await staged({}, { vault: answer, refreshVault: answer });
    expect(stage.text('[role=alert]').replace(/\s+/g, ' ')).toMatch(/^The vault does not answer\. What it said at .* is shown\. Ask again$/);
    expect(stage.page.querySelectorAll('tbody tr').length).toBe(2);
    problem = null;
    await stage.click('Ask again');
    expect(stage.page.querySelector('[role=alert]')).toBeNull();
  });

  it('many files are rehearsed, chosen and checked in, and what failed is retried', async () => {
    giveRoom();
    const told = { field: 'Title', file: 'b', record: 'a', action: 'in', reason: 'the file changed' };
    const entry = (file: number, path: string, more: object = {}) => ({
      file,
      path,
      kind: 'part',
      state: 'open',
      version: 1,
      counts: { in: 1, out: 0, ask: 0, stays: 0 },
      changed: false,
      blocked: null,
      told: [told],
      ...more,
    });
    const rehearsed = [
      entry(1, 'a/arm.step'),
      entry(2, 'a/stub.step', { blocked: 'The file is released in the vault.' }),
      entry(3, 'a/quiet.step', { counts: { in: 0, out: 0, ask: 0, stays: 0 }, told: [] }),
    ];
    const stage = await staged({ look: 'rehearsal' }, { rehearse: rehearsed, runVault: { job: 8 } });
    expect(stage.text('.head p')).toContain('2 files have something to check in, 1 of them cannot be checked in now.');
    expect(stage.button('Check in 0 files').disabled).toBe(true);
    stage.field('Choose a/arm.step').click();
    await stage.settled();
    await stage.click('Check in 1 file');
    expect(stage.last('runVault')).toEqual([{ files: [1], clash: 'leave out' }]);
    const rows = [{ file: 1, path: 'a/arm.step', outcome: 'left out', message: 'It is checked out by haas.', version: null }];
    const job = { id: 8, kind: 'check-in', title: 'Check in 1 file', state: 'done', result: { rows }, errors: 1 };
    TestBed.inject(Store).dispatch(JobsActions.loaded({ jobs: [job as never] }));
    await stage.settled();
    expect(stage.text('.result')).toBe('1 file: 0 checked in, 0 with nothing to do, 1 left out. Retry 1 filea/arm.step It is checked out by haas.');
    await stage.click('Retry 1 file');
    expect(stage.last('runVault')).toEqual([{ files: [1], clash: 'leave out' }]);
  });

  const row = {
    file: 1,
    path: 'a/arm.step',
    kind: 'part',
    state: 'open',
    version: 1,
    counts: { in: 0, out: 0, ask: 1, stays: 0 },
    changed: false,
    blocked: null,
    told: [{ field: 'Title', file: 'b', record: 'a', action: 'ask', reason: 'both changed since they last agreed' }],
  };
  const kept = {
    id: 4,
    title: 'Before going live',
    at: '2026-11-25T08:00:00Z',
    vaultAt: null,
    edition: 2,
    by: 'Edda Varga',
    mine: true,
    files: 7,
    blocked: 2,
    asks: 1,
  };
  it('a rehearsal is kept under a title', async () => {
    const stage = await staged({ look: 'rehearsal' }, { rehearse: [row], keepRehearsal: kept, rehearsals: [kept] });
    await stage.click('Keep this rehearsal');
    await stage.type('Title', ' Before going live ');
    stage.page.querySelector<HTMLFormElement>('form.keep')!.requestSubmit();
    await stage.settled();
    expect([stage.last('keepRehearsal'), stage.said]).toEqual([['Before going live'], ['Rehearsal Before going live kept.']]);
  });

  it('a kept rehearsal is shown as it was, and removed', async () => {
    giveRoom();
    const shown = await staged(
      { look: 'rehearsal', kept: '4' },
      { rehearse: [], rehearsals: [kept], rehearsal: { ...kept, rows: [row] }, removeRehearsal: null, rehearsalTable: { name: 'x.csv', blob: new Blob([]) } },
    );
    expect(shown.text('h1')).toBe('Before going live');
    expect(shown.text('.head p')).toMatch(
      /by Edda Varga, edition 2\. 1 file of 7 had something to check in, 1 value was to be decided, 2 files could not be checked in\.$/,
    );
    expect(shown.text('[role=rowgroup]')).toContain('a/arm.step');
    // What is shown is over: nothing can be chosen in it.
    expect(() => shown.field('Choose a/arm.step')).toThrow();
    await shown.click('Remove');
    expect(shown.last('removeRehearsal')).toEqual([4]);
  });

  it('an editor checks in but changes no link', async () => {
    const stage = await staged({}, {}, 'editor');
    expect(() => stage.button('Add a link')).toThrow();
  });
});
