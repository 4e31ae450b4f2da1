import { beforeEach, describe, expect, it } from '@jest/globals';
import { Component, signal } from '@angular/core';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { GridRow, TrayLine } from '@rule/contract';
import { Property, newDraft } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { ChosenCell, GridEdit, ValuesGrid } from './grid';

const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...change });
const row = (id: number, name: string, held: GridRow['held'], change: Partial<GridRow['file']> = {}): GridRow => ({
  file: { id, library: 1, path: `parts/${name}`, folder: 'parts', name, kind: 'part', problem: null, lock: null, ...change },
  held,
});

@Component({
  imports: [ValuesGrid],
  template: `<div style="height: 400px">
    <rule-values-grid
      [rows]="rows()"
      [columns]="columns"
      [standIns]="standIns"
      [pending]="pending()"
      [mayEdit]="mayEdit()"
      (propose)="proposed.push($event)"
      (chosen)="chosen = $event"
      (undo)="undone = undone + 1"
    />
  </div>`,
})
class Host {
  rows = signal<(GridRow | null)[]>([
    row(1, 'plate.step', { 1: { text: 'Plate', form: 'text' }, 2: { text: '1.5', form: 'measure', unit: 'kg' } }),
    row(2, 'arm.step', { 1: { text: '--', form: 'text' } }),
    row(3, 'stub.step', {}, { lock: 'is released in the vault' }),
    row(4, 'plan.dxf', {}, { kind: 'drawing' }),
  ]);
  columns = [
    property(1, 'Description', { placeholder: 'what it is', maxLength: 6 }),
    property(2, 'Mass', { type: 'number', unit: 'kg', decimals: 2 }),
    property(3, 'Saved by', { feed: 'file', fileField: 'author' }),
  ];
  standIns = compileStandIns(['-*']);
  pending = signal<ReadonlyMap<string, TrayLine>>(new Map());
  mayEdit = signal(true);
  proposed: GridEdit[][] = [];
  chosen: ChosenCell | null = null;
  undone = 0;
}

describe('the grid', () => {
  let fixture: ComponentFixture<Host>;
  let host: Host;
  const grid = () => (fixture.nativeElement as HTMLElement).querySelector<HTMLElement>('[role=grid]')!;
  /** jsdom lays nothing out, so the virtual rows are told how high they are. */
  beforeEach(async () => {
    Object.defineProperty(HTMLElement.prototype, 'clientHeight', { configurable: true, value: 400 });
    fixture = TestBed.createComponent(Host);
    host = fixture.componentInstance;
    await settle();
  });
  const settle = async () => {
    await fixture.whenStable();
    await new Promise((done) => setTimeout(done, 30));
    await fixture.whenStable();
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
  it('blanks with Delete and undoes with Ctrl+Z', async () => {
    await press('ArrowRight', 'Delete', { key: 'z', ctrlKey: true });
    expect([host.proposed, host.undone]).toEqual([[[{ file: 1, property: 1, text: '' }]], 1]);
  });
});
