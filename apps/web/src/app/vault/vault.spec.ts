import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { By } from '@angular/platform-browser';
import { Store } from '@ngrx/store';
import { describe, expect, it } from '@jest/globals';
import { LinkValues, VaultFile, VaultState } from '@rule/contract';
import { Link } from '@rule/core/schema';
import { VaultField } from '@rule/core/vault';
import { throwError } from 'rxjs';
import { JobsActions } from '../shared';
import { Stage, giveRoom, property } from '../../test/stage';
import { LinkEditor } from './link-editor';
import { VaultStation } from './vault';

const link = (id: number, field: string, of: number, change: Partial<Link> = {}): Link => ({
  id,
  field,
  kinds: ['part'],
  classes: [],
  at: [{ property: of }],
  in: 'always',
  out: 'never',
  onClash: 'ask',
  states: [],
  step: null,
  ...change,
});
const recordField = (name: string, change: Partial<VaultField> = {}): VaultField => ({
  name,
  type: 'text',
  length: null,
  choices: [],
  initial: null,
  required: false,
  kinds: [],
  classes: [],
  fixed: false,
  retired: false,
  ...change,
});
const state: VaultState = {
  problem: null,
  definition: {
    fields: [recordField('TITLE'), recordField('SUPPLIER'), recordField('RELEASED')],
    systemFields: ['Revision'],
    states: ['open', 'in check'],
    steps: [{ name: 'release', from: 'in check', to: 'released', sets: ['RELEASED'] }],
    mayDefine: true,
  },
  at: '2026-11-25T08:00:00Z',
  libraries: [
    { id: 1, name: 'Workshop', inVault: true },
    { id: 2, name: 'Inherited', inVault: false },
  ],
  links: [link(1, 'TITLE', 1)],
  drafted: [
    link(1, 'TITLE', 1),
    link(2, 'SUPPLIER', 2, { at: [{ place: 'property', name: 'Suplier' }], states: [{ state: 'in check', in: 'always', out: 'always', onClash: 'ask' }] }),
  ],
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
  folders: [
    { path: 'parts', files: 2 },
    { path: 'bought/rings', files: 1 },
  ],
  files: 3,
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
  end: { property: id },
  name: field,
  adds: action === 'out',
  refused: null,
  file,
  record,
  ...(agreed === undefined ? {} : { agreed }),
  decision: { action, reason: `because of ${action}` },
});
const record: VaultFile = {
  file: { id: 7, path: 'parts/drum.step', name: 'drum.step', kind: 'part' },
  version: 3,
  versionBy: 'Hedda Novak',
  versionAt: null,
  state: 'in work',
  stateBy: 'vault',
  stateAt: null,
  checkedOutBy: null,
  checkedOutAt: null,
  record: { TITLE: 'Old drum', 'Old number': '17' },
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
      classes: [{ id: 1, name: 'bought part' }],
      recordDefinition: { rows: [], unheld: [], lost: [] },
      recordEdits: [],
      ...more,
    },
    { role, properties: [property(1, 'Description'), property(2, 'Supplier')] },
  );
  await stage.show(VaultStation, inputs as Record<string, unknown>);
  return stage;
};

/** Options that take the record's value; those of the file stand before them. */
const takesOfRecord = (stage: Stage) => [...stage.page.querySelectorAll<HTMLInputElement>('input[type=radio]')].filter((_, i) => i % 2 === 1);

describe('the vault', () => {
  it('lists the links of the draft, and says which are not in force yet', async () => {
    const stage = await staged();
    const rows = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toMatch(/^TITLE ?part ?Description ?in always, out never, on clash ask ?change$/);
    expect(rows[1]).toMatch(/^SUPPLIER ?part ?the name "Suplier" ?draft.*in check: both/);
    expect(stage.text('.note').replace(/\s+/g, ' ')).toContain('1 link is not in force yet.');
  });

  it('shows what is known at once, and then what the vault says now', async () => {
    const stage = await staged();
    expect(stage.calls.map((call) => call.name).filter((name) => /vault/i.test(name))).toEqual(['vault', 'refreshVault']);
  });

  it('a link is made in the draft, to properties and not to their spelling, in their order', async () => {
    const stage = await staged();
    await stage.click('Add a link');
    const editor = stage.fixture.debugElement.query(By.directive(LinkEditor)).componentInstance as unknown as {
      set(change: object): void;
      add(value: string): void;
      addName(place: string, name: string): void;
      up(index: number): void;
      lead(lead: string): void;
      setState(state: string, lead: string): void;
      save(): void;
    };
    editor.save();
    expect(stage.calls.some((call) => call.name === 'addLink')).toBe(false);
    editor.set({ field: 'SUPPLIER' });
    editor.add('p2');
    editor.addName('property', 'Maker');
    // A property's name is linked as that property, once.
    editor.addName('property', 'Supplier');
    editor.up(1);
    editor.lead('the record');
    editor.setState('in check', 'both');
    editor.save();
    const sent = { field: 'SUPPLIER', kinds: ['part'], classes: [], at: [{ place: 'property', name: 'Maker' }, { property: 2 }], step: null };
    const states = [{ state: 'in check', in: 'always', out: 'always', onClash: 'ask' }];
    expect(stage.last('addLink')).toEqual([{ ...sent, in: 'never', out: 'always', onClash: "take the record's", states }]);
  });

  it('a value that a step of the workflow sets passes out of the record alone', async () => {
    const stage = await staged();
    await stage.click('Add a link');
    const editor = stage.fixture.debugElement.query(By.directive(LinkEditor)).componentInstance as unknown as {
      set(change: object): void;
      add(value: string): void;
      lead(lead: string): void;
      save(): void;
    };
    editor.set({ field: 'RELEASED' });
    editor.add('p1');
    editor.lead('a workflow step');
    editor.save();
    expect(stage.last('addLink')).toMatchObject([{ field: 'RELEASED', step: 'release', in: 'never', out: 'always' }]);
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
    for (const take of takesOfRecord(stage)) {
      take.click();
      await stage.settled();
    }
    await stage.click('Check in (1 in, 0 out)');
    expect(stage.last('checkIn')).toEqual([7, { settled: { 2: 'record', 4: 'record' } }]);
    expect(stage.text('.note[role=status]')).toBe('Checked in as version 4: 2 record fields and 0 file values changed, change set 12.');
    expect(stage.actions.some((action) => action.type === '[Catalogue] Recount')).toBe(true);
  });

  it('other values are tried on copies of file and record, in any state', async () => {
    const tried = [value(1, 'TITLE', 'equal', 'Drum', 'Drum', 'Old drum'), ...record.values.slice(1)];
    const stage = await staged({ file: '7' }, { tryValues: tried });
    await stage.click('Try other values');
    const outcome = () =>
      [...stage.page.querySelectorAll('[aria-label="Values that are tried"] tbody tr')].map((row) => row.querySelector('.chip')!.textContent.trim());
    expect(outcome()).toEqual(['file → record', 'asks you', 'nothing', 'asks you']);
    expect([stage.field('TITLE, file').value, stage.field('TITLE, record').value]).toEqual(['Drum', 'Old drum']);
    await stage.type('TITLE, record', 'Drum');
    await stage.rested();
    expect(stage.last('tryValues')).toEqual([7, { state: 'in work', edits: [{ link: 1, record: 'Drum' }] }]);
    expect(outcome()).toEqual(['nothing', 'asks you', 'nothing', 'asks you']);
    // Unchanged values are not tried.
    await stage.type('TITLE, record', 'Old drum');
    await stage.rested();
    expect(stage.last('tryValues')).toEqual([7, { state: 'in work', edits: [] }]);
    await stage.type('SUPPLIER, file', '');
    await stage.rested();
    expect(stage.last('tryValues')).toEqual([7, { state: 'in work', edits: [{ link: 2, file: '' }] }]);
    await stage.click('As they are');
    expect(stage.field('SUPPLIER, file').value).toBe('Kessler');
    expect(stage.last('checkIn')).toBeUndefined();
  });

  it('what was decided for one file says nothing of another', async () => {
    const stage = await staged({ file: '7' }, { record: (id: number) => ({ ...record, file: { ...record.file, id } }) });
    takesOfRecord(stage)[0]!.click();
    await stage.settled();
    expect(stage.button('Decide 1 first')).toBeTruthy();
    stage.fixture.componentRef.setInput('file', '8');
    await stage.settled();
    expect(stage.button('Decide 2 first')).toBeTruthy();
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
    expect(stage.last('runVault')).toEqual([{ kind: 'check in', files: [1], clash: 'leave out', titleBlocks: true }]);
    const rows = [{ file: 1, path: 'a/arm.step', outcome: 'left out', message: 'It is checked out by haas.', version: null }];
    const job = { id: 8, kind: 'check-in', title: 'Check in 1 file', state: 'done', result: { kind: 'check in', rows }, errors: 1 };
    TestBed.inject(Store).dispatch(JobsActions.loaded({ jobs: [job as never] }));
    await stage.settled();
    expect(stage.text('.result')).toBe('check in, 1 file: 0 done, 0 with nothing to do, 1 left out. Retry 1 filea/arm.step It is checked out by haas.');
    await stage.click('Retry 1 file');
    expect(stage.last('runVault')).toEqual([{ kind: 'check in', files: [1], clash: 'leave out', titleBlocks: true }]);
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
    // It is finished: nothing can be selected.
    expect(() => shown.field('Choose a/arm.step')).toThrow();
    await shown.click('Remove');
    expect(shown.last('removeRehearsal')).toEqual([4]);
  });

  const standing = { version: 1, versionBy: 'vault', versionAt: null, state: 'open', stateBy: 'vault', stateAt: null, checkedOutBy: null, checkedOutAt: null };
  const recordRow = (entry: number, path: string, record: object, closed: object = {}) => ({
    ...standing,
    entry,
    file: entry,
    path,
    kind: 'part',
    className: null,
    record,
    closed,
  });
  const page = {
    total: 2,
    rows: [recordRow(1, 'parts/drum.step', { TITLE: 'Drum' }, { Revision: 'is kept by the vault itself' }), recordRow(2, 'parts/bolt.step', {})],
  };

  it('records are shown with their folders, typed into from the keyboard, written together and undone', async () => {
    const report = { edit: 5, written: 1, left: [{ path: 'parts/bolt.step', field: 'SUPPLIER', reason: 'takes one of: a, b' }] };
    const stage = await staged({ look: 'records', folder: 'parts' }, { records: page, editRecords: report, undoRecordEdit: { ...report, left: [] } });
    expect(stage.last('records')).toEqual([{ folder: 'parts', offset: 0, limit: 100 }]);
    const folders = [...stage.page.querySelectorAll('rule-index-row')].map((row) => row.textContent.trim().replace(/\s+/g, ' '));
    expect(folders).toEqual(expect.arrayContaining(['bought1', 'rings1', 'parts2']));
    const type = async (name: string, text: string) => {
      stage.button(name).click();
      await stage.settled();
      const input = stage.page.querySelector<HTMLInputElement>('input.typing')!;
      input.value = text;
      input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
      await stage.settled();
    };
    await type('TITLE of drum.step: Drum', 'Great drum');
    await type('SUPPLIER of bolt.step: blank', 'c');
    // Retyping the same value writes nothing.
    await type('TITLE of bolt.step: blank', '');
    await stage.click('Write 2 values');
    expect(stage.last('editRecords')).toEqual([
      {
        title: 'typed in records',
        edits: [
          { entry: 1, field: 'TITLE', before: 'Drum', after: 'Great drum' },
          { entry: 2, field: 'SUPPLIER', before: null, after: 'c' },
        ],
      },
    ]);
    expect(stage.text('[role=status]').replace(/\s+/g, ' ')).toBe('1 value written, 1 left. Undoparts/bolt.step, SUPPLIER: takes one of: a, b');
    // Remaining problems stay visible.
    expect(stage.button('Write 1 value')).toBeTruthy();
    await stage.click('Undo');
    expect(stage.last('undoRecordEdit')).toEqual([5]);
  });

  it('fields that do not agree with the schema are told, changed and made in the vault', async () => {
    const definition = {
      rows: [
        {
          field: recordField('TITLE', { length: 30 }),
          system: false,
          links: [1],
          properties: [1],
          findings: [{ severity: 'warning', code: 'length', message: 'takes 30 characters; Description may have 40.' }],
        },
        { field: recordField('Revision'), system: true, links: [], properties: [], findings: [] },
      ],
      unheld: [{ property: 2, kinds: ['part'] }],
      lost: [{ link: 9, field: 'GONE' }],
    };
    const stage = await staged({ look: 'fields' }, { recordDefinition: definition, orderField: definition });
    expect(stage.text('.head p').replace(/\s+/g, ' ')).toContain('2 fields, 1 does not agree.');
    expect(stage.text('[role=alert]')).toContain('GONE, which the vault does not have');
    expect(stage.text('.finding')).toBe('! TITLE takes 30 characters; Description may have 40.');
    // System fields are read-only.
    expect(() => stage.button('Change the field Revision')).toThrow();
    await stage.click('Change the field TITLE');
    await stage.click('Take it over');
    await stage.click('Change it in the vault');
    expect(stage.last('orderField')).toEqual([{ name: 'TITLE', field: recordField('TITLE') }]);
    await stage.click('Make a field from Supplier');
    expect(stage.last('orderField')).toEqual([{ property: 2 }]);
  });

  it('a list from elsewhere is read, told row by row, and taken', async () => {
    const rows = [
      { row: 2, key: 'drum.step', path: 'parts/drum.step', entry: 1, changes: [{ field: 'TITLE', before: null, after: 'Drum' }], problems: [] },
      { row: 3, key: 'gone.step', path: null, entry: null, changes: [], problems: ['"gone.step" is not in the vault.'] },
    ];
    const table = {
      headers: ['File', 'Title'],
      rows: [
        ['drum.step', 'Drum'],
        ['gone.step', 'x'],
      ],
    };
    const stage = await staged({ look: 'list' }, { openRecordList: table, previewRecordList: rows, takeRecordList: { edit: 6, written: 1, left: [] } });
    const input = stage.page.querySelector<HTMLInputElement>('input[type=file]')!;
    Object.defineProperty(input, 'files', { value: [new File(['x'], 'old.csv')] });
    input.dispatchEvent(new Event('change'));
    await stage.settled();
    // A column named like a field maps to it.
    expect(stage.last('previewRecordList')).toEqual([{ ...table, key: 'File', keyField: null, columns: [{ header: 'Title', field: 'TITLE' }] }]);
    expect(stage.page.textContent.replace(/\s+/g, ' ')).toContain('2 rows: 1 would change 1 value, 1 with something that is refused.');
    await stage.click('Write 1 value');
    expect(stage.text('[role=status]')).toContain('1 value written.');
  });

  it('files that the vault lacks are brought in with the record that they would get', async () => {
    const newcomers = [
      { file: 4, path: 'parts/new.step', kind: 'part', className: 'made part', record: { TITLE: 'New' }, problem: null },
      { file: 5, path: 'parts/odd.step', kind: 'part', className: null, record: {}, problem: 'the record field TITLE takes 30 characters; the value has 31' },
    ];
    const stage = await staged({ look: 'bring', folder: 'parts' }, { newcomers, runVault: { job: 9 } });
    expect(stage.last('newcomers')).toEqual(['parts']);
    expect(() => stage.field('Choose parts/odd.step')).toThrow();
    stage.field('Choose all that can be brought in').click();
    await stage.settled();
    await stage.click('Bring in 1 file');
    expect(stage.last('runVault')).toEqual([{ kind: 'bring in', files: [4], clash: 'leave out', titleBlocks: false }]);
  });

  it('an editor checks in but changes no link', async () => {
    const stage = await staged({}, {}, 'editor');
    expect(() => stage.button('Add a link')).toThrow();
  });
});
