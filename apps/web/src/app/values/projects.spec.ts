import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { WideRow, WideView } from '@rule/contract';
import { Action } from '@ngrx/store';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { Unsaved } from '../shared';
import { Projects } from './projects';

const properties = [
  property(1, 'Customer', { caption: 'Customer', feed: 'inherited', inheritFrom: 'project' }),
  property(2, 'Contract', { caption: 'Contract', level: 'project', maxLength: 6 }),
  property(3, 'Sheet title', { caption: 'Sheet title', level: 'sheet', kinds: ['drawing'], default: 'General' }),
  property(4, 'Supplier', { caption: 'Supplier' }),
];
const rows: WideRow[] = [
  { id: 1, level: 'company', name: 'Company', clauses: [], files: 40 },
  { id: 2, level: 'project', name: 'DR-15', clauses: [{ on: 'folder', test: 'within', value: 'DR-15' } as never], files: 3 },
];
const text = (value: string) => ({ text: value, form: 'text' as const });
const project: WideView = {
  ...rows[1]!,
  held: { 1: text('Brasserie') },
  members: [
    { file: 11, path: 'DR-15/drum.step', how: 'by rule' },
    { file: 12, path: 'spare.step', how: 'by hand' },
  ],
  takenOut: [{ file: 13, path: 'DR-15/old.step' }],
  behind: [
    { file: 11, path: 'DR-15/drum.step', holder: '', label: '', property: 1, held: null, wanted: text('Brasserie'), reason: null },
    { file: 13, path: 'DR-15/old.step', holder: '', label: '', property: 1, held: null, wanted: text('Brasserie'), reason: 'is released in the vault' },
  ],
  behindTotal: 2,
  sheets: [
    { file: 21, path: 'DR-15/drum.dxf', holder: 'b1', label: 'Sheet 1', lock: null, held: { 3: text('') }, homes: { 3: 'TITLE' } },
    { file: 21, path: 'DR-15/drum.dxf', holder: 'b2', label: 'Sheet 2', lock: null, held: { 3: text('Section') }, homes: { 3: 'TITLE' } },
    { file: 22, path: 'DR-15/frame.dxf', holder: 'b1', label: 'Sheet 1', lock: 'is released in the vault', held: { 3: text('') }, homes: { 3: 'TITLE' } },
    { file: 23, path: 'DR-15/odd.dxf', holder: 'b1', label: 'Sheet 1', lock: null, held: {}, homes: {} },
  ],
} as unknown as WideView;

const answers = { projects: rows, project, saveProject: { ...rows[1], id: 2 }, removeProject: {}, projectMembers: {}, pushProject: { lines: 1, barred: 1 } };
const staged = async (inputs: object = { id: '2' }, more: object = {}, role = 'administrator'): Promise<{ stage: Stage; picked: (string | null)[] }> => {
  const stage = new Stage({ ...answers, ...more }, { role, properties });
  await stage.show(Projects, {});
  const picked: (string | null)[] = [];
  (stage.fixture.componentInstance as Projects).picked.subscribe((id) => picked.push(id));
  for (const [name, value] of Object.entries(inputs)) stage.fixture.componentRef.setInput(name, value);
  await stage.settled();
  return { stage, picked };
};
const proposed = (stage: Stage) => stage.action<Action & { values: unknown; reason: string }>('[Tray] Propose');

describe('projects and drawing sets', () => {
  it('are listed with their files and how those belong', async () => {
    const { stage, picked } = await staged({});
    const cells = [...stage.page.querySelectorAll('tbody tr')].map((row) => [...row.querySelectorAll('td')].map((cell) => cell.textContent?.trim()));
    expect(cells).toEqual([
      ['the company', 'company', '40', 'all files'],
      ['DR-15', 'project', '3', 'rule and hand'],
    ]);
    await stage.click('DR-15');
    expect(picked).toEqual(['2']);
  });

  it('show the values that are kept there, and only those', async () => {
    const { stage } = await staged();
    const captions = [...stage.page.querySelectorAll('[aria-label="Values"] .value > span')].map((each) => each.textContent?.trim());
    expect(captions).toEqual(['Customer · inherited by files', 'Contract']);
    expect(stage.page.querySelector<HTMLInputElement>('[aria-labelledby="wide-1"]')!.value).toBe('Brasserie');
  });

  it('what is typed goes to the tray for the project itself; what breaks the schema is said and goes nowhere', async () => {
    const { stage } = await staged();
    const type = async (id: number, value: string) => {
      const input = stage.page.querySelector<HTMLInputElement>(`[aria-labelledby="wide-${id}"]`)!;
      input.value = value;
      input.dispatchEvent(new Event('change'));
      await stage.settled();
    };
    await type(2, 'much too long');
    expect(proposed(stage)).toBeUndefined();
    expect(stage.text('[aria-label="Values"] [role=alert]')).toMatch(/^Contract .*6/);
    await type(2, 'C-4711');
    expect(proposed(stage)).toMatchObject({ values: [{ file: -2, property: 2, text: 'C-4711' }], reason: 'project DR-15' });
    expect(stage.page.querySelector('[aria-label="Values"] [role=alert]')).toBeNull();
  });

  it('what has not reached the files is listed with the reason and put in the tray', async () => {
    const { stage } = await staged();
    const behind = stage.text('[aria-label="Not reached yet"]');
    expect([behind.includes('2 values'), behind.includes('can be written'), behind.includes('is released in the vault')]).toEqual([true, true, true]);
    await stage.click('Add 2 missing values to the tray');
    expect([stage.last('pushProject'), stage.said]).toEqual([[2], ['1 value added to your tray. 1 cannot be written now.']]);
  });

  it('a default fills the blank sheets that can be written, and no other', async () => {
    const { stage } = await staged();
    expect(stage.text('[aria-label="Sheets"]')).toContain('no cell');
    await stage.click('Fill Sheet title with General where it is blank');
    expect(proposed(stage)).toMatchObject({
      values: [{ file: 21, holder: 'b1', property: 3, text: 'General' }],
      reason: 'default of Sheet title for existing sheets',
    });
    await stage.type('Sheet title of DR-15/drum.dxf, Sheet 2', 'Detail');
    expect(proposed(stage)).toMatchObject({ values: [{ file: 21, holder: 'b2', property: 3, text: 'Detail' }] });
  });

  it('files are put in by hand, taken out, and left to the rule again', async () => {
    const { stage } = await staged({ id: '2' }, { files: { rows: [{ id: 31, path: 'loose/bolt.step' }] } });
    await stage.type('Add a file', 'bolt');
    await stage.rested();
    await stage.click('loose/bolt.step');
    expect([stage.last('files'), stage.last('projectMembers')]).toEqual([[{ search: 'bolt', limit: 10 }], [2, { files: [31], member: true }]]);
    await stage.click('Remove: DR-15/drum.step');
    expect(stage.last('projectMembers')).toEqual([2, { files: [11], member: false }]);
    await stage.click('Leave to the rule: spare.step');
    expect(stage.last('projectMembers')).toEqual([2, { files: [12], member: null }]);
    await stage.click('Leave to the rule: DR-15/old.step');
    expect(stage.last('projectMembers')).toEqual([2, { files: [13], member: null }]);
  });

  it('a new one is saved under its name and shown', async () => {
    const { stage, picked } = await staged({}, { saveProject: { ...rows[1], id: 7 } });
    await stage.click('New drawing set …');
    expect(stage.button('Save').disabled).toBe(true);
    await stage.type('Name', ' Foundation ');
    await stage.click('Save');
    expect([stage.last('saveProject'), picked]).toEqual([[null, { level: 'drawing set', name: 'Foundation', clauses: [] }], ['7']]);
  });

  it('the company cannot be renamed or removed; a project can', async () => {
    const company = await staged({ id: '1' }, { project: { ...project, ...rows[0] } });
    expect(() => company.stage.button('Change the name or the rule')).toThrow();
  });
  it('a project is removed and its files keep what they hold', async () => {
    const { stage, picked } = await staged();
    await stage.click('Remove; its 3 files keep the current values');
    expect([stage.last('removeProject'), picked]).toEqual([[2], [null]]);
  });

  it('one that is gone is said, and a viewer changes nothing', async () => {
    const gone = await staged({ id: '9' }, { project: throwError(() => new Error('There is no project 9.')) });
    expect(gone.stage.text('[role=alert]')).toBe('There is no project 9.');
  });
  it('a viewer sees the values and changes nothing', async () => {
    const { stage } = await staged({ id: '2' }, {}, 'viewer');
    expect([...stage.page.querySelectorAll<HTMLInputElement>('[aria-label="Values"] input')].map((input) => input.disabled)).toEqual([true, true]);
    expect(() => stage.button('Remove: DR-15/drum.step')).toThrow();
    expect(() => stage.button('New project …')).toThrow();
  });

  it('one that is begun is no loss before something is typed in it, and none once it is saved or left', async () => {
    const { stage, picked } = await staged({});
    const unsaved = TestBed.inject(Unsaved);
    await stage.click('New project …');
    expect(unsaved.what()).toEqual([]);
    await stage.type('Name', ' DR-25 ');
    expect(unsaved.what()).toEqual(['the project  DR-25 ']);
    await stage.click('Save');
    expect([(stage.last('saveProject') as unknown[])[1], picked, unsaved.what()]).toEqual([{ level: 'project', name: 'DR-25', clauses: [] }, ['2'], []]);
    await stage.click('New drawing set …');
    await stage.type('Name', 'Frame');
    expect(unsaved.what()).toEqual(['the drawing set Frame']);
    await stage.click('Leave it');
    expect(unsaved.what()).toEqual([]);
  });
});
