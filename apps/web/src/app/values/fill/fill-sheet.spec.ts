import { afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { FillData } from '@rule/contract';
import { FillFile, packFill } from '@rule/core/forms';
import { EMPTY_SCHEMA, EntryForm, Schema, newInput, slotKey } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { Observable, throwError } from 'rxjs';
import { Stage, giveRoom, property } from '../../../test/stage';
import { FillSheet } from './fill-sheet';

const description = property(1, 'Description', { maxLength: 12 });
const making = property(2, 'Make or buy', { type: 'choice', choices: ['make', 'buy'] });
const supplier = property(3, 'Supplier');
const number = property(4, 'Part number', { feed: 'counted', series: 'Parts' });
const form: EntryForm = {
  id: 1,
  name: 'Part',
  kinds: ['part'],
  classes: [],
  panels: [
    { key: 'p', title: 'Identity', shownWhen: '', inputs: [newInput('d', description), newInput('m', making), newInput('s', supplier), newInput('n', number)] },
  ],
};
const schema: Schema = { ...EMPTY_SCHEMA, properties: [description, making, supplier, number], forms: [form] };
const file = (id: number, values: Readonly<Record<string, string>>, more: Partial<FillFile> = {}): FillFile => ({
  id,
  path: `parts/file-${id}.step`,
  name: `file-${id}.step`,
  folder: 'parts',
  kind: 'part',
  className: null,
  state: null,
  lock: null,
  held: new Map(Object.entries(values).map(([name, text]) => [slotKey('property', name), heldText(text)])),
  geometry: null,
  model: null,
  parts: [],
  above: {},
  holders: [],
  wide: {},
  ...more,
});
const data = (files: readonly FillFile[]): FillData => ({
  edition: 7,
  schema,
  lists: [],
  states: [],
  packed: packFill(files, []),
  leftOut: [{ class: 'Bought part', files: 2 }],
  atHand: [{ property: 3, text: 'Kessler Bearings' }],
});
const files = [
  file(1, { Description: 'Drum', 'Make or buy': 'make' }),
  file(2, { Description: 'Hopper', 'Make or buy': 'buy' }),
  file(3, {}, { lock: 'is released in the vault', className: 'Bought part' }),
];

describe('filling in over many files', () => {
  beforeAll(giveRoom);
  afterEach(() => localStorage.clear());
  const staged = async (more: object = {}, role = 'editor', of = files): Promise<{ stage: Stage; closed: () => number }> => {
    const stage = new Stage(
      { fill: data(of), pendingLines: [], propose: { lines: [], counts: { lines: 1, accepted: 1, files: 1, undecided: 0 }, left: [] }, ...more },
      { role, properties: schema.properties },
    );
    await stage.show(FillSheet, { choice: { files: of.map((each) => each.id) } });
    await stage.rested();
    let closed = 0;
    (stage.fixture.componentInstance as FillSheet).closed.subscribe(() => closed++);
    return { stage, closed: () => closed };
  };

  it('says over how many files, in which edition, which are left out and which cannot be written', async () => {
    const { stage } = await staged();
    expect(stage.text('header .what')).toBe('Fill in 3 files Edition 7. 2 of the class Bought part left out. 1 file cannot be written now.');
    expect(stage.text('footer [role=status]')).toBe('Nothing would change yet.');
    expect(stage.button('Put 0 values in the tray').disabled).toBe(true);
  });

  it('what is typed changes the files that can be written and say something else, and goes to the tray', async () => {
    const { stage, closed } = await staged();
    await stage.select('Make or buy', 'buy');
    expect(stage.text('footer [role=status]')).toBe('1 value in 1 file would change.');
    await stage.click('Put 1 value in the tray');
    expect(stage.last('propose')).toEqual([{ values: [{ file: 1, holder: '', property: 2, text: 'buy' }], reason: 'filled in: Part' }]);
    expect([stage.said, closed()]).toEqual([['1 value added to your tray.'], 1]);
  });

  it('says which files were locked meanwhile and are left out', async () => {
    const left = [{ file: 1, path: 'parts/file-1.step', reason: 'The file is released in the vault.' }];
    const { stage } = await staged({ propose: { lines: [], counts: { lines: 0, accepted: 0, files: 0, undecided: 0 }, left } });
    await stage.select('Make or buy', 'buy');
    await stage.click('Put 1 value in the tray');
    expect(stage.said).toEqual(['0 values added to your tray. 1 file is left out: parts/file-1.step. The file is released in the vault.']);
  });

  it('what breaks the schema is said and cannot be put in the tray', async () => {
    const { stage } = await staged();
    await stage.type('Description', 'far too long a text');
    expect(stage.text('footer .bad')).toBe('1 entry is not valid.');
    expect(stage.button('Put 0 values in the tray').disabled).toBe(true);
    await stage.click('leave Description as it is');
    expect(stage.text('footer [role=status]')).toBe('Nothing would change yet.');
  });

  it('files and classes are left out one by one', async () => {
    const { stage } = await staged();
    await stage.type('Description', 'Lid');
    expect(stage.text('footer [role=status]')).toBe('2 values in 2 files would change.');
    await stage.tick('fill in parts/file-1.step', false);
    expect([stage.text('h1'), stage.text('footer [role=status]')]).toEqual(['Fill in 2 files', '1 value in 1 file would change.']);
    const noClass = [...stage.page.querySelectorAll<HTMLLabelElement>('.classes label')].find((label) => label.textContent.includes('no class'))!;
    noClass.querySelector('input')!.dispatchEvent(new Event('change'));
    await stage.settled();
    expect([stage.text('h1'), stage.text('footer [role=status]')]).toEqual(['Fill in file-3.step', 'Nothing would change yet.']);
  });

  it('what was typed outlives a lost session, and is forgotten when it is told to', async () => {
    const { stage } = await staged();
    await stage.type('Description', 'Chute');
    stage.fixture.destroy();
    const { TestBed } = await import('@angular/core/testing');
    TestBed.resetTestingModule();
    const again = await staged();
    expect(again.stage.text('.note[role=status]')).toContain('Unsaved entries restored.');
    expect(again.stage.field('Description').value).toBe('Chute');
    await again.stage.click('Discard restored entries');
    expect([again.stage.field('Description').value, localStorage.length]).toEqual(['', 0]);
  });

  it('what went to the tray is not offered again', async () => {
    const { stage } = await staged();
    await stage.type('Description', 'Chute');
    const put = stage.button(/^Put 2 values/);
    put.click();
    // The sheet closes before the next rendering.
    stage.fixture.destroy();
    expect(localStorage.length).toBe(0);
  });

  it('what was typed over a value that has changed since is not restored unasked', async () => {
    const { stage } = await staged();
    await stage.type('Description', 'Chute');
    await stage.type('Supplier', 'Kessler');
    stage.fixture.destroy();
    const { TestBed } = await import('@angular/core/testing');
    TestBed.resetTestingModule();
    const changed = [file(1, { Description: 'Bowl', 'Make or buy': 'make' }), ...files.slice(1)];
    const again = await staged({}, 'editor', changed);
    expect([again.stage.field('Description').value, again.stage.field('Supplier').value]).toEqual(['', 'Kessler']);
    expect(again.stage.text('.note + .note')).toContain('Not restored, because the values have changed since: Description (typed Chute, now several values).');
    await again.stage.click('Restore anyway');
    expect(again.stage.field('Description').value).toBe('Chute');
    expect(again.stage.page.querySelector('.note + .note')).toBeNull();
  });

  it('what the server refuses is said by file, and those files are left out so that the others can go on', async () => {
    const refusal = {
      error: {
        code: 'refused',
        detail: 'Not as described.',
        issues: [{ field: 'parts/file-1.step, Description', message: 'parts/file-1.step: Description stands there already.' }],
      },
    };
    const { HttpErrorResponse } = await import('@angular/common/http');
    const refused: Observable<never> = throwError(() => new HttpErrorResponse({ status: 422, error: refusal.error }));
    const { stage, closed } = await staged({ propose: refused });
    await stage.type('Description', 'Lid');
    await stage.click('Put 2 values in the tray');
    expect([stage.text('.issues .bad'), closed()]).toEqual(['parts/file-1.step: Description stands there already.', 0]);
    expect(stage.field('Description').value).toBe('Lid');
    await stage.click('Exclude these files and reload');
    expect([stage.page.querySelector('.issues'), stage.text('footer [role=status]')]).toEqual([null, '1 value in 1 file would change.']);
  });

  it('copies the values that are ticked from another file', async () => {
    const other = { id: 9, path: 'parts/other.step', kind: 'part' };
    const holders = [
      {
        key: '',
        values: [
          { place: 'property', name: 'Description', held: heldText('Arm') },
          { place: 'property', name: 'Supplier', held: heldText('Kessler Bearings') },
          { place: 'property', name: 'Stray', held: heldText('x') },
        ],
      },
    ];
    const { stage } = await staged({ files: { rows: [other] }, file: { holders } });
    await stage.click('Copy from a file …');
    await stage.type('File to copy from', 'other');
    await stage.rested();
    await stage.click('parts/other.step');
    const ticks = [...stage.page.querySelectorAll<HTMLLabelElement>('[aria-label="Copy from a file"] label.one')];
    expect(ticks.map((label) => label.textContent.replace(/\s+/g, ' ').trim())).toEqual(['Description: Arm', 'Supplier: Kessler Bearings']);
    ticks[0]!.querySelector('input')!.dispatchEvent(new Event('change'));
    await stage.settled();
    expect(stage.button('Fill in 1 value')).toBeDefined();
    // What was unticked of one file is not unticked of the next.
    await stage.click('parts/other.step');
    expect(stage.button('Fill in 2 values')).toBeDefined();
    ticks[0]!.querySelector('input')!.dispatchEvent(new Event('change'));
    await stage.settled();
    await stage.click('Fill in 1 value');
    expect([stage.field('Supplier').value, stage.field('Description').value]).toEqual(['Kessler Bearings', '']);
  });

  it('saved values are used where an input is open, and kept under a name', async () => {
    const sets = [
      {
        id: 4,
        name: 'Bearings',
        shared: true,
        mine: true,
        by: 'okafor',
        values: [
          { property: 3, text: 'Kessler Bearings' },
          { property: 99, text: 'x' },
        ],
      },
    ];
    const { stage } = await staged({ valueSets: sets, saveValueSet: sets, removeValueSet: {} });
    await stage.type('Description', 'Lid');
    await stage.click('Saved values …');
    await stage.type('Name for the saved values', ' Lids ');
    await stage.click('Save 1 entered value');
    expect(stage.last('saveValueSet')).toEqual([{ name: 'Lids', shared: false, values: [{ property: 1, text: 'Lid' }] }]);
    await stage.click('Bearings');
    expect([stage.field('Supplier').value, stage.field('Description').value, stage.said]).toEqual([
      'Kessler Bearings',
      'Lid',
      ['1 value has no open input here.'],
    ]);
  });

  it('a number is drawn for the files that have none', async () => {
    const { stage } = await staged({ drawForFiles: { lines: 2, skipped: [] } });
    await stage.click('draw the next');
    expect([stage.last('drawForFiles'), stage.said]).toEqual([[4, [1, 2]], ['2 numbers added to your tray.']]);
  });

  it('goes to the tray by the keyboard; Escape closes only when nothing was typed', async () => {
    const { stage, closed } = await staged();
    const sheet = stage.page.querySelector('.sheet')!;
    const press = async (key: string, ctrlKey = false) => {
      sheet.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey, bubbles: true, cancelable: true }));
      await stage.settled();
    };
    await press('Enter', true);
    expect(stage.last('propose')).toBeUndefined();
    await stage.type('Description', 'Lid');
    await press('Escape');
    expect(closed()).toBe(0);
    await press('Enter', true);
    expect([stage.last('propose') !== undefined, closed()]).toEqual([true, 1]);
  });

  it('a viewer sees the values and types nothing', async () => {
    const { stage } = await staged({}, 'viewer');
    expect(stage.field('Description').disabled).toBe(true);
    expect(() => stage.button('Saved values …')).toThrow();
  });
});
