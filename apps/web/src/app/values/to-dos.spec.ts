import { describe, expect, it } from '@jest/globals';
import { ToDo } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { ToDos } from './to-dos';

const toDos: ToDo[] = [
  {
    file: 1,
    path: 'parts/new.step',
    how: 'new',
    reason: null,
    class: 'Bought part',
    owner: 'L. Lindqvist',
    mine: true,
    at: '2026-11-25T08:00:00Z',
    missing: ['Supplier', 'Order number'],
    lacks: [],
  },
  {
    file: 2,
    path: 'parts/changed.step',
    how: 'changed',
    reason: 'is released in the vault',
    class: null,
    owner: null,
    mine: false,
    at: '2026-11-24T08:00:00Z',
    missing: [],
    lacks: ['A', 'B', 'C', 'D', 'E', 'F'],
  },
] as unknown as ToDo[];

const staged = async (more: object = {}, role = 'editor'): Promise<Stage> => {
  const stage = new Stage({ toDos, toDoTray: { lines: 1 }, dismissToDos: {}, ...more }, { role });
  await stage.show(ToDos);
  return stage;
};

describe('what is to do', () => {
  it('says what each file lacks, whose it is, and whether it can be written', async () => {
    const stage = await staged();
    const rows = [...stage.page.querySelectorAll('tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toMatch(/^parts\/new\.step newBought part L\. Lindqvist \(you\).*Supplier, Order number$/);
    expect(rows[1]).toContain('cannot be written');
    expect(rows[1]).toContain('nobody known');
    expect(rows[1]).toMatch(/A, B, C, D and 2 more$/);
  });
  it('shows mine alone', async () => {
    const stage = await staged();
    stage.page.querySelector<HTMLInputElement>('.actions input')!.dispatchEvent(new Event('change'));
    await stage.settled();
    expect(stage.page.querySelectorAll('tbody tr').length).toBe(1);
  });
  it('files are chosen and filled in, given their names, or taken off the list', async () => {
    const stage = await staged();
    const filled: number[][] = [];
    (stage.fixture.componentInstance as ToDos).fill.subscribe((files) => filled.push(files));
    expect(() => stage.button(/Fill in/)).toThrow();
    await stage.tick('Choose parts/new.step', true);
    await stage.click('Fill in 1 file …');
    await stage.tick('Choose all', true);
    await stage.click('Fill in 2 files …');
    expect(filled).toEqual([[1], [1, 2]]);
    await stage.click('Add missing names to the tray');
    expect([stage.last('toDoTray'), stage.said]).toEqual([[[1, 2]], ['1 name added to your tray.']]);
    await stage.click('Remove from the list');
    expect(stage.last('dismissToDos')).toEqual([[1, 2]]);
    expect([stage.calls.filter((call) => call.name === 'toDos').length, stage.actions.some((action) => action.type === '[Catalogue] Recount')]).toEqual([
      2,
      true,
    ]);
  });
  it('says that nothing waits, and what went wrong', async () => {
    expect((await staged({ toDos: [] })).text('.note')).toContain('Nothing to do.');
  });
  it('says what went wrong', async () => {
    expect((await staged({ toDos: throwError(() => new Error('The server does not answer.')) })).text('[role=alert]')).toBe('The server does not answer.');
  });
  it('a viewer chooses and changes nothing', async () => {
    const stage = await staged({}, 'viewer');
    await stage.tick('Choose all', true);
    expect(() => stage.button('Remove from the list')).toThrow();
  });
});
