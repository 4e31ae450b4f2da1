import { beforeEach, describe, expect, it } from '@jest/globals';
import { Component, signal } from '@angular/core';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { GridRow, TrayLine } from '@rule/contract';
import { Property, newDraft } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { giveRoom } from '../../../test/stage';
import { ChosenCell, GridEdit, GridItem, Refused, ValuesGrid } from '.';
import { rested } from '../../../test/rest';

const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...change });
const row = (id: number, name: string, held: GridRow['held'], change: Partial<GridRow['file']> = {}): GridRow => ({
  file: { id, library: 1, path: `parts/${name}`, folder: 'parts', name, kind: 'part', class: null, problem: null, lock: null, ...change },
  held,
  findings: [],
});

@Component({
  imports: [ValuesGrid],
  template: `<div style="height: 400px">
    <rule-values-grid
      [rows]="rows()"
      [columns]="columns()"
      [standIns]="standIns"
      [pending]="pending()"
      [mayEdit]="mayEdit()"
      (propose)="proposed.push($event)"
      (chosen)="chosen = $event"
      (undo)="undone = undone + 1"
      (redo)="redone = redone + 1"
      (refused)="refused.push($event)"
      (toggled)="toggled.push($event)"
    />
  </div>`,
})
class Host {
  rows = signal<GridItem[]>([
    row(1, 'plate.step', { 1: { text: 'Plate', form: 'text' }, 2: { text: '1.5', form: 'measure', unit: 'kg' } }),
    row(2, 'arm.step', { 1: { text: '--', form: 'text' } }),
    row(3, 'stub.step', {}, { lock: 'is released in the vault' }),
    row(4, 'plan.dxf', {}, { kind: 'drawing' }),
  ]);
  columns = signal([
    property(1, 'Description', { placeholder: 'what it is', maxLength: 6 }),
    property(2, 'Mass', { type: 'number', unit: 'kg', decimals: 2 }),
    property(3, 'Saved by', { feed: 'file', fileField: 'author' }),
  ]);
  standIns = compileStandIns(['-*']);
  pending = signal<ReadonlyMap<string, TrayLine>>(new Map());
  mayEdit = signal(true);
  proposed: GridEdit[][] = [];
  chosen: ChosenCell | null = null;
  undone = 0;
  redone = 0;
  refused: Refused[] = [];
  toggled: string[] = [];
}

describe('the grid', () => {
  let fixture: ComponentFixture<Host>;
  let host: Host;
  const grid = () => (fixture.nativeElement as HTMLElement).querySelector<HTMLElement>('[role=grid]')!;
  beforeEach(async () => {
    giveRoom();
    fixture = TestBed.createComponent(Host);
    host = fixture.componentInstance;
    await settle();
  });
  const settle = async () => {
    await rested(async () => {
      await fixture.whenStable();
    });
  };
  const press = async (...keys: (string | KeyboardEventInit)[]) => {
    for (const key of keys) {
      grid().dispatchEvent(new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...(typeof key === 'string' ? { key } : key) }));
      await settle();
    }
  };

  it('goes from cell to cell by the keyboard and says which one is chosen', async () => {
    await press('ArrowDown', 'ArrowRight', 'ArrowRight');
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-1-2');
    expect([host.chosen!.row.file.name, host.chosen!.property!.caption]).toEqual(['arm.step', 'Mass']);
    await press({ key: 'End', ctrlKey: true });
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-3-3');
    await press('Home');
    expect(host.chosen!.property).toBeNull();
  });
  it('takes what is typed as fast as it comes', async () => {
    await press('ArrowRight');
    for (const key of ['P', 'i', 'n', 'Enter']) grid().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await settle();
    expect(host.proposed).toEqual([[{ file: 1, property: 1, text: 'Pin' }]]);
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-1-1');
  });
  it('keeps a value that breaks the schema in the editor, and Escape leaves the cell as it was', async () => {
    await press('ArrowRight');
    for (const key of [...'Too long', 'Enter']) grid().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await settle();
    expect(host.proposed).toEqual([]);
    expect(grid().querySelector('[role=alert]')!.textContent).toContain('may have 6 characters, has 8');
    grid().dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }));
    await settle();
    expect([host.proposed, grid().querySelector('.editor')]).toEqual([[], null]);
  });
  describe('with choices', () => {
    beforeEach(async () => {
      host.columns.update((columns) => [property(4, 'Finish', { type: 'choice', choices: ['brushed', 'bead blasted', 'polished'] }), ...columns]);
      host.rows.update(([first, ...rest]) => [{ ...(first as GridRow), held: { 4: { text: 'polished', form: 'text' } } }, ...rest]);
      await settle();
    });
    const type = async (text: string, ...keys: string[]) => {
      for (const key of [...text, ...keys])
        (grid().querySelector('.editor') ?? grid()).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
      await settle();
    };
    const input = async (text: string) => {
      const editor = grid().querySelector<HTMLInputElement>('.editor')!;
      editor.value = text;
      editor.dispatchEvent(new Event('input', { bubbles: true }));
      await settle();
    };
    const offered = () =>
      [...grid().querySelectorAll('[role=option]')].map(
        (option) => `${option.getAttribute('aria-selected') === 'true' ? '> ' : ''}${option.textContent.trim()}`,
      );
    const editor = (key: string) =>
      grid()
        .querySelector('.editor')!
        .dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));

    it('opens on all of them, at the one that stands there', async () => {
      await press('ArrowRight', 'Enter');
      expect(offered()).toEqual(['(blank)', 'brushed', 'bead blasted', '> polished']);
      expect(grid().querySelector('.editor')!.getAttribute('aria-activedescendant')).toBe('grid-choice-3');
    });
    it('takes what is typed when it is one of them, whatever its case, and the one that it begins', async () => {
      await press('ArrowRight');
      await type('Br', 'Enter');
      expect(host.proposed).toEqual([[{ file: 1, property: 4, text: 'brushed' }]]);
    });
    it('never takes another one for what was typed: it says so and stays', async () => {
      await press('ArrowRight');
      await type('steel', 'Enter');
      expect(host.proposed).toEqual([]);
      expect(grid().querySelector('[role=alert]')!.textContent).toContain('"steel" is not among the choices');
      await input('blast');
      // Containing choices are offered, and taken only with an arrow key.
      expect(offered()).toEqual(['bead blasted']);
      editor('Enter');
      await settle();
      expect(host.proposed).toEqual([]);
      editor('ArrowDown');
      editor('Enter');
      await settle();
      expect(host.proposed).toEqual([[{ file: 1, property: 4, text: 'bead blasted' }]]);
    });
    it('half a word that is left behind changes nothing; a whole one does', async () => {
      await press('ArrowRight');
      await type('bead');
      grid().querySelector('.editor')!.dispatchEvent(new Event('blur'));
      await settle();
      expect([host.proposed, grid().querySelector('.editor')]).toEqual([[], null]);
      await type('Brushed');
      grid().querySelector('.editor')!.dispatchEvent(new Event('blur'));
      await settle();
      expect(host.proposed).toEqual([[{ file: 1, property: 4, text: 'brushed' }]]);
    });
    it('one is taken with the mouse', async () => {
      await press('ArrowRight', 'Enter');
      grid()
        .querySelector('#grid-choice-1')!
        .dispatchEvent(new Event('pointerdown', { bubbles: true, cancelable: true }));
      await settle();
      expect([host.proposed, grid().querySelector('.editor')]).toEqual([[[{ file: 1, property: 4, text: 'brushed' }]], null]);
    });
  });
  it('proposes nothing where the value stays the same', async () => {
    await press('ArrowRight', 'Enter', 'Enter');
    expect(host.proposed).toEqual([]);
  });
  it('edits no cell that is locked, computed, out of reach, or not for this person', async () => {
    await press('ArrowDown', 'ArrowDown', 'ArrowRight', 'x', 'Delete');
    await press('ArrowDown', 'x');
    await press({ key: 'Home', ctrlKey: true }, 'End', 'x');
    host.mayEdit.set(false);
    await settle();
    await press('Home', 'ArrowRight', 'x', 'Delete');
    expect([host.proposed, grid().querySelector('.editor')]).toEqual([[], null]);
  });
  it('edits no cell whose value the record in the vault leads, in files that the vault holds', async () => {
    const led = [{ field: 'Title', kinds: ['part' as const], classes: [], step: null, states: null, except: [] }];
    host.columns.set([property(1, 'Description', { led })]);
    host.rows.set([row(1, 'plate.step', {}, { state: 'open' }), row(2, 'arm.step', {})]);
    await settle();
    await press('ArrowRight', 'Delete', 'x');
    expect([host.proposed, grid().querySelector('.editor')]).toEqual([[], null]);
    expect(fixture.nativeElement.textContent + fixture.nativeElement.innerHTML).toContain('is led by the record field Title; change it in the vault');
    await press('ArrowDown', 'x');
    expect(grid().querySelector('.editor')).not.toBeNull();
  });
  it('blanks with Delete and undoes with Ctrl+Z', async () => {
    await press('ArrowRight', 'Delete', { key: 'z', ctrlKey: true });
    expect([host.proposed, host.undone]).toEqual([[[{ file: 1, property: 1, text: '' }]], 1]);
  });

  describe('with a range of cells', () => {
    const paste = async (text: string) => {
      const event = new Event('paste', { bubbles: true, cancelable: true }) as Event & { clipboardData?: unknown };
      event.clipboardData = { getData: () => text };
      grid().dispatchEvent(event);
      await settle();
    };
    const copied = async (): Promise<string> => {
      let text = '';
      const event = new Event('copy', { bubbles: true, cancelable: true }) as Event & { clipboardData?: unknown };
      event.clipboardData = { setData: (_: string, value: string) => (text = value) };
      grid().dispatchEvent(event);
      await settle();
      return text;
    };

    it('chooses it with Shift, and says which cells are in it', async () => {
      await press('ArrowRight', { key: 'ArrowRight', shiftKey: true }, { key: 'ArrowDown', shiftKey: true });
      expect([...grid().querySelectorAll('[aria-selected=true]')].map((cell) => cell.id)).toEqual(['cell-0-1', 'cell-0-2', 'cell-1-1', 'cell-1-2']);
      await press('ArrowDown');
      expect(grid().querySelectorAll('[aria-selected=true]')).toHaveLength(0);
      await press({ key: ' ', shiftKey: true });
      expect(grid().querySelectorAll('[aria-selected=true]')).toHaveLength(3);
    });
    it('copies it as a spreadsheet program reads it', async () => {
      await press('ArrowRight', { key: 'ArrowRight', shiftKey: true }, { key: 'ArrowDown', shiftKey: true });
      expect(await copied()).toBe('Plate\t1.5\n--\t');
    });
    it('takes a block from the chosen cell on', async () => {
      await press('ArrowRight');
      await paste('Arm\t2\r\nStub\t3,5\r\n');
      expect(host.proposed).toEqual([
        [
          { file: 1, property: 1, text: 'Arm' },
          { file: 1, property: 2, text: '2' },
          { file: 2, property: 1, text: 'Stub' },
          { file: 2, property: 2, text: '3,5' },
        ],
      ]);
    });
    it('takes nothing of a block in which one value cannot be written, and says which', async () => {
      await press('ArrowRight');
      await paste('Arm\nFar too long\nStub\n');
      expect(host.proposed).toEqual([]);
      expect(host.refused).toMatchObject([
        {
          message: '2 values cannot be written. Nothing was pasted.',
          cells: [
            { file: 2, message: 'may have 6 characters, has 12' },
            { file: 3, message: 'the file is released in the vault' },
          ],
        },
      ]);
    });
    it('takes no block that is wider or longer than the grid from there on', async () => {
      await press('ArrowRight');
      await paste('a\tb\tc\td');
      await paste('a\nb\nc\nd\ne');
      expect(host.refused.map((refused) => refused.message)).toEqual([
        'The block is 1 column wider than the grid from here on. Nothing was pasted.',
        'The block is 1 row too long for the grid from here. Nothing was pasted.',
      ]);
      await press('Home');
      await paste('a');
      expect(host.refused.at(-1)!.message).toBe('Select a value cell first.');
    });
    it('fills one copied value into all of it', async () => {
      await press('ArrowRight', { key: 'ArrowDown', shiftKey: true });
      await paste('Rail');
      expect(host.proposed).toEqual([
        [
          { file: 1, property: 1, text: 'Rail' },
          { file: 2, property: 1, text: 'Rail' },
        ],
      ]);
    });
    it('fills down, carries a series on, and leaves what is the same', async () => {
      host.rows.update((rows) => rows.slice(0, 2));
      await settle();
      await press('ArrowRight', 'ArrowRight', { key: 'ArrowDown', shiftKey: true }, { key: 'd', ctrlKey: true });
      await press({ key: 'd', ctrlKey: true, altKey: true });
      expect(host.proposed).toEqual([[{ file: 2, property: 2, text: '1.5' }], [{ file: 2, property: 2, text: '2.5' }]]);
    });
    it('blanks it, and redoes with Ctrl+Y', async () => {
      await press('ArrowRight', { key: 'ArrowRight', shiftKey: true }, { key: 'Delete' }, { key: 'y', ctrlKey: true });
      expect(host.proposed).toEqual([
        [
          { file: 1, property: 1, text: '' },
          { file: 1, property: 2, text: '' },
        ],
      ]);
      expect(host.redone).toBe(1);
    });
  });

  it('steps over the headings of groups, which open and close by keyboard', async () => {
    host.rows.update((rows) => [{ group: 'parts', files: 3, open: true }, ...rows]);
    await settle();
    expect(grid().querySelector('.heading')!.textContent).toContain('3 files');
    await press('Enter');
    expect(host.toggled).toEqual(['parts']);
    await press('ArrowDown', 'ArrowRight');
    expect(host.chosen!.row.file.name).toBe('plate.step');
  });

  it('draws no more columns than are in sight, and keeps those that are frozen', async () => {
    const wide = Array.from({ length: 200 }, (_, i) => property(i + 10, `Property ${i}`));
    host.columns.set(wide);
    await settle();
    expect(grid().querySelectorAll('#cell-0-0 ~ [role=gridcell]').length).toBeLessThan(30);
    await press({ key: 'End', ctrlKey: false });
    expect(grid().getAttribute('aria-activedescendant')).toBe('cell-0-200');
  });
});
