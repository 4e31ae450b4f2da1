import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, input, model, output, signal } from '@angular/core';
import { KINDS } from '@rule/core/schema';
import { RuleCheck } from '../kit';
import { ExactName } from '../shared';
import { NameRow } from './survey.store';

const COLUMNS = [
  { key: 'name', label: 'Written name' },
  { key: 'status', label: 'Schema' },
  { key: 'where', label: 'In' },
  { key: 'guess', label: 'Looks like' },
  { key: 'files', label: 'Files', num: true },
  { key: 'filled', label: 'Filled', num: true },
  { key: 'empty', label: 'Empty', num: true },
  { key: 'standIns', label: 'Stand-ins', num: true },
  { key: 'distinct', label: 'Values', num: true },
  { key: 'examples', label: 'For example' },
] as const;
type Key = (typeof COLUMNS)[number]['key'];

/** All written names: sortable, selectable, with details in the inspector. */
@Component({
  selector: 'rule-found-names',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExactName, ScrollingModule, RuleCheck],
  template: `
    <div class="card lines" role="table" aria-label="Written names" [attr.aria-rowcount]="shown().length">
      <div class="row header" role="row">
        <span role="columnheader"><span class="visually-hidden">Chosen</span></span>
        @for (column of columns; track column.key) {
          <span role="columnheader" [class.num]="isNumber(column)" [attr.aria-sort]="sort() === column.key ? (down() ? 'descending' : 'ascending') : null">
            <button type="button" class="plain" (click)="sortBy(column.key)">
              {{ column.label }}{{ sort() === column.key ? (down() ? ' ↓' : ' ↑') : '' }}
            </button>
          </span>
        }
      </div>
      @if (shown().length) {
        <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(62vh, ' + 32 * shown().length + 'px)'">
          <div
            class="row pick"
            role="row"
            *cdkVirtualFor="let row of shown(); trackBy: byName"
            [class.on]="row.name === selected()"
            [attr.aria-selected]="row.name === selected()"
            tabindex="0"
            (click)="selected.set(row.name)"
            (keydown.enter)="selected.set(row.name)"
            (keydown.space)="toggle(row.name); $event.preventDefault()"
          >
            <span role="cell"
              ><rule-check
                tabindex="-1"
                [ariaLabel]="'Choose ' + row.name"
                [checked]="ticked().has(row.name)"
                (click)="$event.stopPropagation()"
                (flip)="toggle(row.name)"
            /></span>
            <span role="cell" [title]="row.name"><rule-exact-name [name]="row.name" /></span>
            <span role="cell" [class]="row.status === 'known' ? 'good' : row.status === 'alike' ? 'bad' : 'warn'" [title]="said(row)">{{ said(row) }}</span>
            <span role="cell" [title]="where(row)">{{ marks(row) }}</span>
            <span role="cell" [title]="looks(row)">{{ looks(row) }}</span>
            <span role="cell" class="num">{{ row.files }}</span>
            <span role="cell" class="num">{{ row.filled }}</span>
            <span role="cell" class="num">{{ row.empty || '' }}</span>
            <span role="cell" class="num" [class.warn]="row.standIns">{{ row.standIns || '' }}</span>
            <span role="cell" class="num">{{ row.distinct }}</span>
            <span role="cell" class="soft" [title]="row.examples.join(' · ')">{{ row.examples.join(' · ') }}</span>
          </div>
        </cdk-virtual-scroll-viewport>
      } @else {
        <p class="none">{{ none() }}</p>
      }
    </div>
  `,
  styles: `
    .lines {
      --columns: 32px minmax(112px, 1.6fr) minmax(70px, 0.8fr) 52px minmax(70px, 0.9fr) 42px 46px 48px 66px 48px minmax(70px, 1.2fr);
    }
    .header button {
      font: inherit;
      color: inherit;
    }
    .none {
      margin: 8px 10px;
      color: var(--soft);
    }
  `,
})
export class FoundNames {
  readonly rows = input.required<readonly NameRow[]>();
  readonly none = input('No names match.');
  readonly selected = model<string | null>(null);
  readonly ticked = input.required<ReadonlySet<string>>();
  readonly tick = output<ReadonlySet<string>>();
  protected readonly columns = COLUMNS;
  protected readonly sort = signal<Key>('name');
  protected readonly down = signal(false);
  /** Filters names containing it. */
  readonly text = input('');

  protected readonly shown = computed(() => {
    const wanted = this.text().trim().toLowerCase();
    const key = this.sort();
    const of = (row: NameRow): string | number =>
      key === 'where'
        ? this.where(row)
        : key === 'guess'
          ? this.looks(row)
          : key === 'examples'
            ? row.examples.join()
            : key === 'status'
              ? this.said(row)
              : row[key];
    const rows = this.rows().filter((row) => row.name.toLowerCase().includes(wanted));
    const sign = this.down() ? -1 : 1;
    return [...rows].sort((a, b) => {
      const [x, y] = [of(a), of(b)];
      return sign * (typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y))) || a.name.localeCompare(b.name);
    });
  });

  protected readonly byName = (_: number, row: NameRow) => row.name;
  protected isNumber(column: (typeof COLUMNS)[number]): boolean {
    return 'num' in column;
  }
  protected said(row: NameRow): string {
    return row.status === 'alike' ? `nearly ${row.property!.writtenName}` : row.status === 'stray' ? 'not in it' : row.status;
  }
  /** Kinds by initial: part, assembly, drawing, other. */
  protected marks(row: NameRow): string {
    return KINDS.filter((kind) => row.kinds.includes(kind))
      .map((kind) => kind[0]!.toUpperCase())
      .join(' ');
  }
  protected where(row: NameRow): string {
    return `${row.kinds.join(', ')}; at the ${row.levels.length === 1 ? 'level' : 'levels'} ${row.levels.join(', ')}`;
  }
  protected looks(row: NameRow): string {
    return `${row.guess.type === 'yesno' ? 'yes/no' : row.guess.type === 'whole' ? 'whole number' : row.guess.type}${row.guess.unit ? `, ${row.guess.unit}` : ''}`;
  }
  protected sortBy(key: Key): void {
    if (this.sort() === key) this.down.set(!this.down());
    else {
      this.sort.set(key);
      // Counts sort descending by default.
      this.down.set(!['name', 'status', 'where', 'guess', 'examples'].includes(key));
    }
  }
  protected toggle(name: string): void {
    const next = new Set(this.ticked());
    if (!next.delete(name)) next.add(name);
    this.tick.emit(next);
  }
}
