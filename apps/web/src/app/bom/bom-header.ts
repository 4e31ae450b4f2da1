import { CdkDrag, CdkDragDrop, CdkDropList } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, ElementRef, Injector, afterNextRender, computed, inject, input, output, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BOM_FACTS, BomColumn, BomContent, BomFact, columnAt, factColumn, propertyColumn, sameColumn } from '@rule/core/bom';
import { Property } from '@rule/core/schema';
import { MenuItem } from 'primeng/api';
import { AutoComplete } from 'primeng/autocomplete';
import { Menu } from 'primeng/menu';
import { RuleTip } from '../kit';
import { isNumeric, keyOf, moved } from './bom-lines';

/** A column that can be added. */
interface Addable {
  readonly caption: string;
  readonly column: BomColumn;
}

/** Narrowest and widest column, in pixels. */
const [NARROWEST, WIDEST] = [30, 2000];

/** Headings of the BOM grid: columns are added, renamed, moved, stretched, sorted and removed here. */
@Component({
  selector: 'rule-bom-header',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, AutoComplete, CdkDrag, CdkDropList, FormsModule, Menu],
  template: `
    <div
      class="row header"
      role="row"
      cdkDropList
      cdkDropListOrientation="horizontal"
      [cdkDropListDisabled]="!arrangeable()"
      (cdkDropListDropped)="dropped($event)"
    >
      @for (column of content().columns; track key(column.of); let i = $index) {
        <span role="columnheader" cdkDrag class="column" [class.num]="isNumber(column)" [attr.aria-sort]="sorted(column)">
          @if (renaming() === i) {
            <input
              class="heading"
              [attr.aria-label]="'Heading of ' + headers()[i]"
              [placeholder]="headers()[i] ?? ''"
              [value]="column.header"
              (keydown.enter)="rename(i, $any($event.target).value)"
              (keydown.escape)="renaming.set(null)"
              (blur)="rename(i, $any($event.target).value)"
            />
          } @else {
            <button
              type="button"
              class="plain"
              [attr.data-column]="i"
              [attr.aria-haspopup]="arrangeable() ? 'menu' : null"
              [ruleTip]="arrangeable() ? 'Column menu. Alt+arrow moves, Shift+arrow changes the width.' : ''"
              (click)="openMenu($event, i)"
              (keydown)="headKey($event, i)"
            >
              {{ headers()[i] }}{{ arrow(column) }}{{ column.sum ? ' Σ' : '' }}
            </button>
          }
          @if (arrangeable()) {
            <span class="edge" aria-hidden="true" (pointerdown)="stretch($event, i)"></span>
          }
        </span>
      }
      @if (arrangeable()) {
        <span role="columnheader" class="adder">
          @if (adding() !== null) {
            <p-autocomplete
              appendTo="body"
              [suggestions]="suggestions()"
              optionLabel="caption"
              [autoHighlight]="true"
              [completeOnFocus]="true"
              [minLength]="0"
              ariaLabel="Column to add"
              placeholder="Property or fact"
              [(ngModel)]="wanted"
              (completeMethod)="asked.set($event.query)"
              (onSelect)="add($event.value)"
              (keydown.escape)="adding.set(null)"
            />
          } @else {
            <button type="button" class="link" (click)="startAdding(content().columns.length)">Add column</button>
          }
        </span>
      }
    </div>
    <p-menu #menu appendTo="body" [popup]="true" [model]="items()" />
  `,
  styles: `
    :host {
      display: block;
    }
    .header {
      display: grid;
      grid-template-columns: var(--columns);
      align-items: center;
      box-sizing: border-box;
      height: 34px;
      border-bottom: 1px solid var(--ink);
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
    }
    .header > span {
      display: flex;
      align-items: center;
      gap: 6px;
      padding: 0 8px;
      overflow: hidden;
      white-space: nowrap;
      height: 100%;
      min-width: 0;
      box-sizing: border-box;
    }
    .header > .num {
      justify-content: flex-end;
    }
    .column {
      position: relative;
      background: var(--panel);
    }
    .column button {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      min-width: 0;
    }
    .heading {
      width: 100%;
      min-width: 0;
      border: 1px solid var(--brass);
      border-radius: 3px;
      background: var(--panel);
      padding: 2px 4px;
    }
    .edge {
      position: absolute;
      right: 0;
      top: 4px;
      bottom: 4px;
      width: 7px;
      cursor: ew-resize;
      touch-action: none;
      border-right: 1px solid var(--line);
    }
    .edge:hover {
      border-right: 2px solid var(--verdigris);
    }
  `,
})
export class BomHeader {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  readonly headers = input.required<readonly string[]>();
  readonly content = input.required<BomContent>();
  readonly properties = input.required<readonly Property[]>();
  /** Widths of the columns, in pixels. */
  readonly widths = input.required<readonly number[]>();
  readonly arrangeable = input.required<boolean>();
  readonly editable = input.required<boolean>();
  readonly arranged = output<BomContent>();
  /** Widths while a column is dragged; the layout changes at the end. */
  readonly stretched = output<readonly number[]>();
  /** Requests removal of all values of a column's property. */
  readonly valuesRemoved = output<number>();
  readonly columnRemoved = output<string>();

  private readonly menu = viewChild.required<Menu>('menu');
  protected readonly renaming = signal<number | null>(null);
  protected readonly adding = signal<number | null>(null);
  protected readonly asked = signal('');
  protected wanted: Addable | string | null = null;
  private readonly at = signal(0);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));

  protected readonly suggestions = computed((): Addable[] => {
    const wanted = this.asked().trim().toLowerCase();
    const { columns } = this.content();
    const facts = (Object.keys(BOM_FACTS) as BomFact[]).map((fact): Addable => ({ caption: BOM_FACTS[fact], column: factColumn(fact) }));
    const properties = this.properties().map((property): Addable => ({ caption: property.caption, column: propertyColumn(property.id) }));
    return [...properties, ...facts].filter(({ caption, column }) => columnAt(columns, column.of) < 0 && caption.toLowerCase().includes(wanted));
  });
  protected readonly items = computed((): MenuItem[] => {
    const i = this.at();
    const content = this.content();
    const column = content.columns[i];
    if (!column) return [];
    const name = this.headers()[i] ?? '';
    const isProperty = 'property' in column.of;
    const sums = isProperty ? this.isNumber(column) : column.of && 'fact' in column.of && ['mass', 'quantity', 'total'].includes(column.of.fact);
    const sort = (descending: boolean) => this.arrange({ sort: [{ of: column.of, descending }] });
    return [
      { label: 'Sort ascending', command: () => sort(false) },
      { label: 'Sort descending', command: () => sort(true) },
      ...(content.sort.length ? [{ label: 'Sort by item number', command: () => this.arrange({ sort: [] }) }] : []),
      ...(content.structure === 'indented'
        ? []
        : content.group && sameColumn(content.group, column.of)
          ? [{ label: 'Do not group', command: () => this.arrange({ group: null }) }]
          : [{ label: `Group by ${name}`, command: () => this.arrange({ group: column.of }) }]),
      ...(sums ? [{ label: column.sum ? 'Hide total' : 'Show total', command: () => this.column(i, { sum: !column.sum }) }] : []),
      { separator: true },
      { label: 'Rename heading', command: () => this.startRenaming(i) },
      { label: 'Insert column before', command: () => this.startAdding(i) },
      { label: 'Insert column after', command: () => this.startAdding(i + 1) },
      { label: 'Remove column', command: () => this.remove(i) },
      ...(isProperty && this.editable()
        ? [{ separator: true }, { label: 'Remove values from files …', command: () => this.valuesRemoved.emit((column.of as { property: number }).property) }]
        : []),
    ];
  });

  protected key = keyOf;
  protected isNumber = (column: BomColumn): boolean => isNumeric(column, this.byId());
  protected sorted(column: BomColumn): string | null {
    const own = this.content().sort.find((entry) => sameColumn(entry.of, column.of));
    return own ? (own.descending ? 'descending' : 'ascending') : null;
  }
  protected arrow = (column: BomColumn) => ({ ascending: ' ↑', descending: ' ↓' })[this.sorted(column) ?? ''] ?? '';

  private arrange(change: Partial<BomContent>): void {
    this.arranged.emit({ ...this.content(), ...change });
  }
  private column(i: number, change: Partial<BomColumn>): void {
    this.arrange({ columns: this.content().columns.map((column, n) => (n === i ? { ...column, ...change } : column)) });
  }
  protected openMenu(event: Event, i: number): void {
    if (!this.arrangeable()) return;
    this.at.set(i);
    this.menu().toggle(event);
  }
  private startRenaming(i: number): void {
    this.renaming.set(i);
    this.focusIn('.heading');
  }
  protected rename(i: number, header: string): void {
    if (this.renaming() !== i) return;
    this.renaming.set(null);
    if (header.trim() !== this.content().columns[i]!.header) this.column(i, { header: header.trim() });
    this.focusIn(`[data-column="${i}"]`);
  }
  protected startAdding(i: number): void {
    this.wanted = null;
    this.adding.set(i);
    this.focusIn('.adder input');
  }
  protected add({ column }: Addable): void {
    const at = this.adding() ?? this.content().columns.length;
    const columns = [...this.content().columns];
    columns.splice(at, 0, column);
    this.adding.set(null);
    this.arrange({ columns });
    this.focusIn(`[data-column="${at}"]`);
  }
  private remove(i: number): void {
    const name = this.headers()[i] ?? '';
    this.arrange({ columns: this.content().columns.filter((_, n) => n !== i) });
    this.columnRemoved.emit(name);
    this.focusIn(`[data-column="${Math.max(0, i - 1)}"]`);
  }
  protected dropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    if (previousIndex !== currentIndex) this.arrange({ columns: moved(this.content().columns, previousIndex, currentIndex) });
  }
  protected headKey(event: KeyboardEvent, i: number): void {
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!by || !this.arrangeable()) return;
    if (event.altKey && i + by >= 0 && i + by < this.content().columns.length) {
      this.arrange({ columns: moved(this.content().columns, i, i + by) });
      this.focusIn(`[data-column="${i + by}"]`);
    } else if (event.shiftKey) this.column(i, { width: Math.max(NARROWEST, Math.min(WIDEST, this.widths()[i]! + 16 * by)) });
    else return;
    event.preventDefault();
  }
  protected stretch(event: PointerEvent, i: number): void {
    event.preventDefault();
    event.stopPropagation();
    const edge = event.target as HTMLElement;
    const [from, width] = [event.clientX, this.widths()[i]!];
    let now = width;
    edge.setPointerCapture(event.pointerId);
    // While dragging, only CSS changes; the layout is updated at the end.
    const move = (moving: PointerEvent) => {
      now = Math.max(NARROWEST, Math.min(WIDEST, Math.round(width + moving.clientX - from)));
      this.stretched.emit(this.widths().map((own, n) => (n === i ? now : own)));
    };
    edge.addEventListener('pointermove', move);
    edge.addEventListener(
      'lostpointercapture',
      () => {
        edge.removeEventListener('pointermove', move);
        if (now !== width) this.column(i, { width: now });
      },
      { once: true },
    );
  }
  private focusIn(selector: string): void {
    afterNextRender(() => this.host.nativeElement.querySelector<HTMLElement>(selector)?.focus(), { injector: this.injector });
  }
}
