import { describe, expect, it } from '@jest/globals';
import { OlderStart, StartComparison, StartFilesView, StartPlan } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { RuleChoices } from '../kit';
import { StartFiles } from './start-files';

const view: StartFilesView = {
  folder: '/data/start',
  inForce: 3,
  published: { edition: 2, at: '2026-11-20T08:00:00Z', by: 'Ilona Varga' },
  plan: { folder: '', block: null, unit: 'mm', sheets: ['A3'], drawings: [] },
  drawings: [],
  blocks: ['MRW-TITLE', 'OLD'],
  sheets: [
    { name: 'A3', practice: 'ISO 5457' },
    { name: 'A4', practice: 'ISO 5457' },
  ],
  files: [
    { name: 'part.step', class: null, sheet: null, names: ['Material', 'Part number'], stands: 'as published' },
    { name: 'sheet A3.dxf', class: null, sheet: 'A3', names: ['Part number'], stands: 'gone' },
  ],
} as unknown as StartFilesView;
const rows: StartComparison[] = [
  { name: 'part.step', effect: 'replaced', added: ['Finish'], removed: ['Colour'], warning: 'somebody has changed it' },
  { name: 'sheet A3.dxf', effect: 'new', added: ['Part number', 'Finish'], removed: [], warning: null },
  { name: 'sheet A4.dxf', effect: 'unchanged', added: [], removed: [], warning: null },
] as unknown as StartComparison[];
const older: OlderStart[] = [
  { file: 4, path: 'parts/a.step', edition: 1, lacks: ['Finish', 'Supplier'], reason: null },
  { file: 5, path: 'parts/b.step', edition: 1, lacks: ['Finish'], reason: 'it is released' },
];

const staged = async (more: object = {}, role = 'administrator') => {
  const stage = new Stage(
    {
      startFiles: view,
      olderStarts: { total: 2, files: older },
      compareStartFiles: rows,
      publishStartFiles: {},
      bringUp: (files: readonly number[]) => ({ lines: files.length * 2 }),
      ...more,
    },
    { role },
  );
  await stage.show(StartFiles);
  return stage;
};

describe('start files', () => {
  it('tells which edition they are of, which is in force by now, and how they stand in the folder', async () => {
    const stage = await staged();
    expect(stage.text('p.note')).toMatch(/Published from edition 2, .*, by Ilona Varga, into \/data\/start\. Edition 3 is in force by now\./);
    const files = [...stage.page.querySelectorAll('[aria-label="Published files"] tbody tr')];
    expect(files.map((each) => [each.querySelector('a')?.getAttribute('href') ?? null, each.querySelector('td:last-child')!.textContent])).toEqual([
      ['/api/start-files/file?name=part.step', 'as published'],
      [null, 'gone'],
    ]);
  });

  it('drawings are chosen that start drawings are copies of, and stay shown when they are not among those found', async () => {
    const stage = await staged({
      startFiles: { ...view, plan: { ...view.plan, drawings: [7] }, drawings: [{ id: 7, path: 'office/A3.dxf' }] },
      files: { rows: [{ id: 8, path: 'office/A4.dxf', kind: 'drawing' }] },
    });
    const field = stage.find(RuleChoices);
    field.opened.emit();
    await stage.rested();
    expect(field.options()).toEqual([
      { id: 7, path: 'office/A3.dxf' },
      { id: 8, path: 'office/A4.dxf', kind: 'drawing' },
    ]);
    field.choose([7, 8]);
    await stage.settled();
    await stage.tick('A3', false);
    await stage.click('Compare with published files');
    expect(stage.last('compareStartFiles')).toMatchObject([{ sheets: [], drawings: [7, 8] }]);
  });

  it('what publishing would do is seen before it is done, and seen anew after every change of the plan', async () => {
    const stage = await staged();
    await stage.tick('A4', true);
    await stage.pick('Unit', 'in');
    await stage.click('Compare with published files');
    // The first title block is proposed by default.
    expect(stage.last('compareStartFiles')).toEqual([{ folder: '', block: 'MRW-TITLE', unit: 'in', sheets: ['A3', 'A4'], drawings: [] } satisfies StartPlan]);
    const effects = [...stage.page.querySelectorAll('[aria-label="What publishing would do"] tbody tr')].map((each) =>
      (each.textContent ?? '').replace(/\s+/g, ' ').trim(),
    );
    expect(effects).toEqual(['part.stepreplaced Finish Coloursomebody has changed it', 'sheet A3.dxfnew 2 names', 'sheet A4.dxfunchanged']);
    await stage.type('Folder on the server', ' /srv/start ');
    expect(() => stage.button(/^Publish/)).toThrow();
    await stage.click('Compare with published files');
    await stage.click('Publish: 2 files change');
    expect(stage.last('publishStartFiles')).toEqual([{ folder: '/srv/start', block: 'MRW-TITLE', unit: 'in', sheets: ['A3', 'A4'], drawings: [] }]);
    expect([stage.said, stage.calls.filter((call) => call.name === 'startFiles').length]).toEqual([['The start files are published.'], 2]);
  });

  it('drawings need a sheet size; what stands as it should is not published again', async () => {
    const stage = await staged({ compareStartFiles: [rows[2]] });
    await stage.tick('A3', false);
    expect(stage.button('Compare with published files').disabled).toBe(true);
    await stage.tick('A3', true);
    await stage.click('Compare with published files');
    expect(stage.button('Everything stands as it should').disabled).toBe(true);
  });

  it('a refusal is said, and the plan can be tried again', async () => {
    const stage = await staged({ compareStartFiles: () => throwError(() => 'the folder is part of a library') });
    await stage.click('Compare with published files');
    expect([stage.said, stage.button('Compare with published files').disabled]).toEqual([['the folder is part of a library'], false]);
  });

  it('files made from older ones get the names that they lack, except those that may not be touched', async () => {
    const stage = await staged({}, 'editor');
    expect(stage.text('[aria-label="Files made from an older start file"]')).toMatch(/2 files were made.*Finish, Supplier.*it is released/);
    expect(() => stage.button('Compare with published files')).toThrow();
    await stage.click('Put the missing names in the tray');
    expect([stage.last('bringUp'), stage.said]).toEqual([[[4]], ['2 names added to your tray.']]);
  });

  it('before the first time there is nothing to look for', async () => {
    const stage = await staged({ startFiles: { ...view, published: null, files: [] } });
    expect([stage.text('p.note'), stage.last('olderStarts')]).toEqual(['None are published yet.', undefined]);
  });
});
