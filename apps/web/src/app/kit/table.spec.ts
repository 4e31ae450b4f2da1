import { beforeAll, describe, expect, it } from '@jest/globals';
import { DataSource } from '@angular/cdk/collections';
import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { BehaviorSubject } from 'rxjs';
import { Stage, giveRoom } from '../../test/stage';
import { RuleColumn, RuleDetail, Rows } from './column';
import { RuleTable } from './table';

interface Part {
  readonly id: number;
  readonly name: string;
  readonly files: number;
  readonly note: string | null;
}

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleDetail, RuleTable],
  template: `
    <ng-template #all><button type="button">all</button></ng-template>
    <rule-table
      label="Parts"
      [rows]="rows()"
      key="id"
      empty="None."
      [virtual]="virtual()"
      [order]="order()"
      [total]="total()"
      picks
      [chosen]="chosen()"
      [look]="look"
      (pick)="chosen.set($event.id)"
      (keyed)="keys.push($event.event.key + $event.row.id)"
    >
      <ng-container *ruleColumn="let part of rows(); head: all"><input type="checkbox" [attr.aria-label]="'Choose ' + part.name" /></ng-container>
      <ng-container *ruleColumn="let part of rows(); let i = index; name: 'Name'; by: 'name'; tip: 'note'">{{ i }} {{ part.name }}</ng-container>
      @if (counted()) {
        <ng-container *ruleColumn="let part of rows(); name: 'Files'; by: 'files'; num: true">{{ part.files }}</ng-container>
      }
      <ng-container *ruleColumn="let part of rows(); name: 'Note'; by: noteOf; look: 'mono'">{{ part.note }}</ng-container>
      <ng-container *ruleDetail="let part of rows(); open: isOpen">about {{ part.name }}</ng-container>
    </rule-table>
  `,
})
class Parts {
  readonly rows = input.required<Rows<Part>>();
  readonly virtual = input(false);
  readonly order = input('');
  readonly total = input<number | null>(null);
  readonly counted = input(true);
  readonly chosen = signal<number | null>(null);
  readonly keys: string[] = [];
  readonly look = (part: Part): string => (part.files > 9 ? 'gone' : '');
  readonly noteOf = (part: Part): string | null => part.note;
  readonly isOpen = (part: Part): boolean => part.id === this.chosen();
}

const PARTS: readonly Part[] = [
  { id: 1, name: 'Bolt M10', files: 2, note: null },
  { id: 2, name: 'axle', files: 12, note: 'b' },
  { id: 3, name: 'Bolt M6', files: 7, note: 'a' },
];
const many = (n: number): Part[] => Array.from({ length: n }, (_, i) => ({ id: i, name: `Part ${i}`, files: i % 7, note: null }));

const shown = async (inputs: object): Promise<Stage> => {
  const stage = new Stage({});
  await stage.show(Parts, { rows: PARTS, ...inputs });
  return stage;
};
const texts = (stage: Stage, selector: string): string[] =>
  [...stage.page.querySelectorAll(selector)].map((cell) => (cell.textContent ?? '').replace(/\s+/g, ' ').trim());
const names = (stage: Stage): string[] => texts(stage, 'tbody tr:not(.detail) td:nth-child(2)');
const press = async (stage: Stage, row: Element, key: string): Promise<KeyboardEvent> => {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true });
  row.dispatchEvent(event);
  await stage.settled();
  return event;
};

describe('the table', () => {
  it('lists rows in their order, with headings, looks and tips', async () => {
    const stage = await shown({});
    expect(stage.page.querySelector('table')!.getAttribute('aria-label')).toBe('Parts');
    expect(texts(stage, 'th')).toEqual(['all', 'Name', 'Files', 'Note']);
    expect(names(stage)).toEqual(['0 Bolt M10', '1 axle', '2 Bolt M6']);
    const [, second] = stage.page.querySelectorAll('tbody tr');
    expect(second!.className).toContain('gone');
    expect([second!.children[1]!.getAttribute('title'), second!.children[2]!.className, second!.children[3]!.className]).toEqual(['b', 'num', 'mono']);
  });

  it('orders by a heading, then the other way, then as before', async () => {
    const stage = await shown({});
    const heading = (name: string) => [...stage.page.querySelectorAll('th')].find((th) => th.textContent.includes(name))!;
    await stage.click('Name');
    // As people count: M6 before M10, small letters among the capitals.
    expect(names(stage)).toEqual(['0 axle', '1 Bolt M6', '2 Bolt M10']);
    expect(heading('Name').getAttribute('aria-sort')).toBe('ascending');
    await stage.click('Name ↑');
    expect(names(stage)).toEqual(['0 Bolt M10', '1 Bolt M6', '2 axle']);
    await stage.click('Name ↓');
    expect([names(stage), heading('Name').getAttribute('aria-sort')]).toEqual([['0 Bolt M10', '1 axle', '2 Bolt M6'], null]);
    // Numbers from the largest.
    await stage.click('Files');
    expect([names(stage), heading('Files').getAttribute('aria-sort')]).toEqual([['0 axle', '1 Bolt M6', '2 Bolt M10'], 'descending']);
    // What says nothing comes last either way.
    await stage.click('Note');
    expect(names(stage)).toEqual(['0 Bolt M6', '1 axle', '2 Bolt M10']);
    await stage.click('Note ↑');
    expect(names(stage)).toEqual(['0 axle', '1 Bolt M6', '2 Bolt M10']);
  });

  it('may be ordered from the start, and keeps the order when its rows or columns change', async () => {
    const stage = await shown({ order: 'Name' });
    expect(names(stage)).toEqual(['0 axle', '1 Bolt M6', '2 Bolt M10']);
    stage.fixture.componentRef.setInput('counted', false);
    stage.fixture.componentRef.setInput('rows', [...PARTS, { id: 4, name: 'Bolt M8', files: 1, note: null }]);
    await stage.settled();
    expect(texts(stage, 'th')).toEqual(['all', 'Name ↑', 'Note']);
    expect(names(stage)).toEqual(['0 axle', '1 Bolt M6', '2 Bolt M8', '3 Bolt M10']);
  });

  it('lets rows be chosen with pointer and keys; other keys are told, those in cells are not', async () => {
    const stage = await shown({});
    const table = stage.fixture.componentInstance as Parts;
    const rows = () => [...stage.page.querySelectorAll<HTMLElement>('tbody tr:not(.detail)')];
    expect(rows().map((row) => row.tabIndex)).toEqual([0, -1, -1]);
    rows()[0]!.focus();
    expect((await press(stage, rows()[0]!, 'Enter')).defaultPrevented).toBe(true);
    expect([table.chosen(), rows()[0]!.className, texts(stage, '.detail')]).toEqual([1, 'pick on', ['about Bolt M10']]);
    // Past the detail of the row.
    await press(stage, rows()[0]!, 'ArrowDown');
    expect([document.activeElement, rows().map((row) => row.tabIndex)]).toEqual([rows()[1], [-1, 0, -1]]);
    expect((await press(stage, rows()[1]!, 'x')).defaultPrevented).toBe(false);
    await press(stage, stage.page.querySelector('tbody input')!, 'y');
    expect(table.keys).toEqual(['x2']);
    rows()[2]!.click();
    await stage.settled();
    expect(table.chosen()).toBe(3);
  });

  it('renders many rows in steps, ordered as a whole', async () => {
    const stage = await shown({ rows: many(450) });
    expect(names(stage)).toHaveLength(200);
    expect(stage.text('.none')).toBe('200 of 450 rows. Show 200 more');
    await stage.click('Files');
    expect(texts(stage, 'tbody td:nth-child(3)').every((files) => Number(files) >= 3)).toBe(true);
    await stage.click('Show 200 more');
    await stage.click('Show 50 more');
    expect([names(stage).length, stage.page.querySelector('.none')]).toEqual([450, null]);
  });

  it('says that there is nothing', async () => {
    const stage = await shown({ rows: [] });
    expect(texts(stage, 'tbody td')).toEqual(['None.']);
    stage.fixture.componentRef.setInput('virtual', true);
    await stage.settled();
    expect(stage.text('.none')).toBe('None.');
  });
});

describe('a long table', () => {
  beforeAll(giveRoom);
  const lines = (stage: Stage) => [...stage.page.querySelectorAll<HTMLElement>('cdk-virtual-scroll-viewport [role=row]')];

  it('renders the rows in sight, says how many there are, and orders all', async () => {
    const stage = await shown({ rows: many(5000), virtual: true });
    await stage.rested();
    expect(lines(stage).length).toBeGreaterThan(5);
    expect(lines(stage).length).toBeLessThan(60);
    expect(stage.page.querySelector('[role=table]')!.getAttribute('aria-rowcount')).toBe('5001');
    expect(
      lines(stage)
        .map((row) => row.tabIndex)
        .filter((tab) => tab === 0),
    ).toHaveLength(1);
    await stage.click('Name');
    await stage.click('Name ↑');
    await stage.rested();
    expect(texts(stage, '[role=cell]:nth-child(2)')[0]).toBe('0 Part 4999');
  });

  it('takes rows from a source, with a place for those that are not there yet', async () => {
    const rows = new BehaviorSubject<(Part | undefined)[]>([PARTS[0], undefined, undefined]);
    class Later extends DataSource<Part | undefined> {
      connect() {
        return rows;
      }
      disconnect(): void {
        rows.complete();
      }
    }
    const stage = await shown({ rows: new Later(), virtual: true, total: 3 });
    await stage.rested();
    expect(lines(stage).map((row) => row.querySelectorAll('.skeleton').length)).toEqual([0, 1, 1]);
    lines(stage)[1]!.click();
    expect((stage.fixture.componentInstance as Parts).chosen()).toBeNull();
    rows.next([...PARTS]);
    await stage.rested();
    expect(texts(stage, '[role=cell]:nth-child(2)')).toEqual(['0 Bolt M10', '1 axle', '2 Bolt M6']);
  });
});
