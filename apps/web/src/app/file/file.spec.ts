import { describe, expect, it } from '@jest/globals';
import { FileDetails, FileGeometry } from '@rule/contract';
import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { TrayActions } from '../shared';
import { FilePage } from './file';

const text = (value: string) => ({ text: value, form: 'text' as const });
const value = (name: string, held: string, change: object = {}) => ({ place: 'property', name, held: text(held), standIn: false, ...change });
const details = (change: object = {}): FileDetails =>
  ({
    file: {
      id: 7,
      library: 1,
      path: 'parts/drum.step',
      folder: 'parts',
      name: 'drum.step',
      kind: 'part',
      class: 'made part',
      problem: null,
      lock: null,
      libraryName: 'Workshop',
      size: 12345,
      hash: 'abcdef0123456789abcdef',
      format: 'step',
    },
    version: 'AP214',
    holders: [
      {
        level: 'document',
        key: '',
        label: '',
        values: [
          value('Material', '1.4301'),
          value('Material ', '1.4301'),
          value('Colour', '--', { standIn: true }),
          value('Finish', ''),
          { place: 'field', name: 'author', held: text('T. Okafor'), standIn: false },
        ],
      },
      { level: 'body', key: 'b1', label: 'Shell', values: [value('Weld', 'a3')] },
    ],
    notes: [],
    model: null,
    paths: {},
    sheets: [],
    missingCells: [],
    usedIn: [{ file: 9, path: 'drum-unit.step', times: 2 }],
    drawings: [],
    sameName: [{ file: 12, path: 'old/drum.step' }],
    sameContent: [],
    history: [
      {
        changeSet: 3,
        title: 'called the supplier',
        by: 'R. Lindqvist',
        at: '2026-11-25T08:00:00Z',
        state: 'applied',
        lines: [{ name: 'Material', holder: '', before: null, after: '1.4301' }],
      },
    ],
    ...change,
  }) as unknown as FileDetails;
const geometry = {
  measured: true,
  problem: null,
  shapes: [],
  shape: {
    volume: 1000,
    area: 600,
    box: { min: [0, 0, 0], max: [10, 10, 10] },
    centroid: [5, 5.00001, 5],
    bodies: [
      { volume: 600, area: 1 },
      { volume: 400, area: 2 },
    ],
  },
  density: 7850,
  mass: { computed: 0.00785, written: 9.4, state: 'stale' },
  material: 'differ',
  modelMaterial: 'S235JR',
  missing: [],
  unit: 'kg',
} as unknown as FileGeometry;

const properties = [
  property(1, 'Material', { caption: 'Material', type: 'choice', choices: ['1.4404'] }),
  property(2, 'Finish', { caption: 'Finish', retired: true }),
];
const staged = async (more: object = {}, role = 'editor'): Promise<Stage> => {
  const stage = new Stage({ file: details(), geometry, way: [], ...more }, { role, properties });
  await stage.show(FilePage, { id: '7' });
  return stage;
};
const states = (stage: Stage) =>
  [...stage.page.querySelectorAll('[aria-label="The document"] tbody tr')].map((row) =>
    [...row.querySelectorAll('.chip')].map((chip) => chip.textContent.trim()).join(', '),
  );

describe('the page of a file', () => {
  it('says of every value whether the schema knows it and what is wrong with it', async () => {
    const stage = await staged();
    expect(states(stage)).toEqual(['against the schema', 'nearly a property', 'stand-in, stray', 'retired, empty', '']);
    expect(stage.text('[aria-label="Body Shell"]')).toContain('a3');
  });
  it('shows figures of its shape, a mass that has gone stale and a material that differs', async () => {
    const stage = await staged();
    const shape = stage.text('dl.facts');
    expect(shape).toContain('Box10 × 10 × 10 mm');
    expect(shape).toContain('Centre of gravity5, 5, 5 mm');
    expect(shape).toMatch(/Mass by geometry0\.00785 kgMass as written ?9\.4 kg ?stale/);
    expect(shape).toMatch(/Material in the model ?S235JR the property says another one/);
  });
  it('shows what the vault keeps beside it, and what is apart', async () => {
    const stage = await staged({
      file: details({ file: { ...details().file, inVault: true } }),
      record: {
        version: 3,
        versionBy: 'Hedda Novak',
        versionAt: null,
        state: 'released',
        stateBy: 'Jori Haas',
        stateAt: '2026-11-20T08:00:00Z',
        checkedOutBy: null,
        checkedOutAt: null,
        record: { Title: 'Drum', Revision: 'B' },
        values: [
          { link: { field: 'Title' }, decision: { action: 'ask' } },
          { link: { field: 'Material' }, decision: { action: 'in' } },
          { link: { field: 'Number' }, decision: { action: 'equal' } },
        ],
      },
    });
    const card = stage.text('[aria-label="Record in the vault"]').replace(/\s+/g, ' ');
    expect(card).toMatch(/Version 3 by Hedda Novak · released since 2026-11-20 \d\d:\d\d \(Jori Haas\)/);
    expect(card).toMatch(/Material ?— ?file → record ?Revision ?B ?Title ?Drum ?both changed/);
  });
  it('asks the vault nothing for a file that it does not have', async () => {
    const stage = await staged();
    expect(stage.calls.some((call) => call.name === 'record')).toBe(false);
  });
  it('says where it is used, what bears its name, and what was done to it', async () => {
    const stage = await staged();
    const all = stage.text();
    expect(all).toContain('drum-unit.step 2×');
    expect(all).toMatch(/Files of the same name ?old\/drum\.step/);
    expect(all).toMatch(/called the supplierR\. Lindqvist ?Material: — → 1\.4301/);
  });
  it('what waits in the tray is shown with the value it becomes', async () => {
    const stage = await staged();
    TestBed.inject(Store).dispatch(
      TrayActions.loaded({
        lines: [{ id: 1, file: 7, holder: '', place: 'property', name: 'Colour', proposed: text('red') } as never],
        counts: { lines: 1, accepted: 1, files: 1, undecided: 0 },
      }),
    );
    await stage.settled();
    expect([states(stage)[2], stage.text('.head .actions')]).toEqual(['stand-in, stray, becomes red', expect.stringContaining('1 pending change')]);
  });
  it('a chosen value says what the schema has that is nearly it', async () => {
    const stage = await staged();
    stage.page.querySelectorAll<HTMLElement>('[aria-label="The document"] tbody tr')[1]!.click();
    await stage.settled();
    expect(stage.text('[bench="inspector"]')).toContain('The schema has Material, which differs in blanks only.');
  });
  it('chosen values are copied to other files, those that hold something', async () => {
    const stage = await staged({ copyValues: { lines: 4, skipped: 1 }, count: { files: 12 } });
    expect(() => stage.field('Choose Finish for copying')).toThrow();
    await stage.tick('Choose Material for copying', true);
    await stage.click('Copy 1 to other files …');
    await stage.select('To files of the kind', 'assembly');
    await stage.rested();
    await stage.click('Put the copies in the tray');
    await stage.settled();
    expect([stage.last('copyValues'), stage.said]).toEqual([
      [{ from: 7, names: ['Material'], to: { kind: 'assembly' }, files: [] }],
      ['4 values added to the tray. 1 locked or open files were skipped.'],
    ]);
  });
  it('a drawing says which model it shows, or that several could be it', async () => {
    const drawing = details();
    const stage = await staged({
      file: {
        ...drawing,
        file: { ...drawing.file, kind: 'drawing', format: 'dxf' },
        model: { state: 'ambiguous', candidates: [4, 5] },
        paths: { 4: 'a/drum.step', 5: 'b/drum.step' },
        sheets: [{ layout: 'A3', scales: [0.5], outlines: [] }],
        missingCells: [{ block: 'MRW-TITLE', layout: 'A3', tags: ['FINISH'] }],
      },
    });
    expect(stage.text()).toMatch(/Several files could be its model: ?a\/drum\.step ?b\/drum\.step/);
    expect(stage.text()).toContain('Scales1:2');
    expect(stage.text()).toContain('On the sheet A3 the MRW-TITLE lacks FINISH: its block has gained that cell after it was placed.');
  });
  it('a file that is not there is said', async () => {
    expect((await staged({ file: throwError(() => new Error('There is no file 7.')) })).text('[role=alert]')).toBe('There is no file 7.');
  });
});
