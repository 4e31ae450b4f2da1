import { describe, expect, it } from '@jest/globals';
import { DraftView, JobRow, TrySummary } from '@rule/contract';
import { EMPTY_SCHEMA } from '@rule/core/schema';
import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { Stage, property } from '../../test/stage';
import { JobsActions } from '../shared';
import { SchemaStore } from './schema.store';
import { SchemaTry } from './try';

const draft: DraftView = {
  number: 3,
  revision: 2,
  inForce: 2,
  schema: { ...EMPTY_SCHEMA, properties: [property(1, 'Supplier', { caption: 'Supplier' })], checks: [{ id: 5, title: 'Bought needs a supplier' } as never] },
  changes: [],
  problems: [],
  edits: [],
};
const summary: TrySummary = {
  id: 11,
  edition: 3,
  revision: 2,
  outdated: false,
  at: '2026-11-25T08:00:00Z',
  by: 'I. Varga',
  files: 40,
  done: true,
  effects: [
    { effect: 'breaks', property: 1, check: null, cell: null, record: null, files: 2 },
    { effect: 'breaks', property: null, check: 5, cell: null, record: null, files: 1 },
    { effect: 'passes', property: 1, check: null, cell: null, record: null, files: 4 },
    { effect: 'shows', property: null, check: null, cell: 'MATL of mrw-title', record: null, files: 12 },
    { effect: 'records', property: null, check: null, cell: null, record: 'Title', files: 3 },
  ],
};
const findings = {
  total: 2,
  rows: [
    {
      file: 7,
      path: 'parts/drum.step',
      property: 1,
      check: null,
      cell: null,
      record: null,
      effect: 'breaks',
      before: 'Kessler Bearings GmbH',
      after: null,
      message: 'may have 10 characters',
    },
  ],
};

const staged = async (of: TrySummary | null = summary, more: object = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      draft,
      choiceLists: [],
      numberSeries: [],
      editions: [],
      trySummary: { summary: of },
      classes: [],
      tryFindings: findings,
      tryDraft: { job: 4 },
      repair: { lines: 1, open: 0, left: [{ file: 8, path: 'parts/pin.step', reason: 'The file is released in the vault.' }] },
      ...more,
    },
    { role, providers: [SchemaStore] },
  );
  await stage.show(SchemaTry);
  stage.fixture.componentRef.injector.get(SchemaStore).load();
  await stage.settled();
  return stage;
};

describe('trying a draft', () => {
  it('says by property and check what would break, pass, change or lose its home', async () => {
    const stage = await staged();
    expect(stage.text('.head')).toContain('Edition 3 on 40 files, by I. Varga.');
    expect(stage.text('[aria-label="would newly break"]')).toBe(
      '3 would newly breakvalues that the edition in force accepts and the draft does notSupplier2 filesBought needs a supplier1 file',
    );
    expect(stage.text('[aria-label="would newly pass"] h2')).toBe('4 would newly pass');
    expect(stage.text('[aria-label="would lose their home"] h2')).toBe('0 would lose their home');
  });
  it('shows the files behind a count with their values, and puts repairs in the tray', async () => {
    const stage = await staged();
    await stage.click('Supplier2 files');
    expect(stage.last('tryFindings')).toEqual([11, { effect: 'breaks', property: 1, limit: 500 }]);
    expect(stage.text()).toContain('2 files, the first 1 shown.');
    expect(stage.text('tbody')).toBe('parts/drum.stepKessler Bearings GmbH may have 10 characters');
    await stage.click('Put repairs in the tray');
    expect([stage.last('repair'), stage.said]).toEqual([
      [11, 'breaks', 1],
      ['1 value added to your tray. 1 file is left out: parts/pin.step. The file is released in the vault.'],
    ]);
  });
  it('a check has no property to open or repair, and what passes needs no repair', async () => {
    const stage = await staged();
    await stage.click('Bought needs a supplier1 file');
    expect(stage.last('tryFindings')).toEqual([11, { effect: 'breaks', check: 5, limit: 500 }]);
    expect(() => stage.button('Put repairs in the tray')).toThrow();
    await stage.click('Supplier4 files');
    expect(() => stage.button('Put repairs in the tray')).toThrow();
    expect(stage.button('Open the property').disabled).toBe(false);
  });
  it('repairs of a draft that has changed since are not offered', async () => {
    const stage = await staged({ ...summary, outdated: true });
    await stage.click('Supplier2 files');
    expect([stage.text('.head .warn'), stage.button('Put repairs in the tray').disabled]).toEqual(['The draft has changed since.', true]);
  });
  it('runs as a job, and shows what came of it when that ends', async () => {
    const stage = await staged(null);
    await stage.click('Try it on all files');
    expect([stage.button('Try it on all files').disabled, stage.action('[Jobs] Started')]).toMatchObject([true, { job: 4 }]);
    const job = { id: 4, state: 'done' } as JobRow;
    TestBed.inject(Store).dispatch(JobsActions.loaded({ jobs: [job] }));
    await stage.settled();
    expect([stage.calls.filter((call) => call.name === 'trySummary').length, stage.button('Try it on all files').disabled]).toEqual([2, false]);
  });
  it('an editor looks at it and starts nothing', async () => {
    const stage = await staged(summary, {}, 'editor');
    expect(() => stage.button('Try it on all files')).toThrow();
  });
});
