import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  ElementRef,
  afterNextRender,
  computed,
  effect,
  inject,
  input,
  output,
  untracked,
  viewChild,
} from '@angular/core';
import { GridRow, TrayLine } from '@rule/contract';
import { Change, Property } from '@rule/core/schema';
import { StandIns } from '@rule/core/values';
import { Count, lockWords } from '../../shared';
import { GridBlocks } from './blocks';
import { CellView, GridCells, isNumber } from './cells';
import { CellEditor } from './editor';
import { FILE_WIDTH, GridGeometry, HEAD, ROW } from './geometry';
import { GridSelection } from './selection';
import { ChosenCell, GridEdit, GridItem, GroupRow, Refused, isGroup, rowIn } from './types';

interface LineView {
  readonly index: number;
  readonly item: GridItem;
  readonly row: GridRow | null;
  readonly group: GroupRow | null;
  readonly frozen: readonly CellView[];
  readonly cells: readonly CellView[];
}

/** The values grid: virtual rows and columns, ranges, keyboard editing. */
@Component({
  selector: 'rule-values-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, NgTemplateOutlet],
  templateUrl: './grid.html',
  styleUrl: './grid.css',
})
export class ValuesGrid {
  readonly rows = input.required<readonly GridItem[]>();
  readonly columns = input.required<readonly Property[]>();
  readonly standIns = input.required<StandIns>();
  readonly pending = input.required<ReadonlyMap<string, TrayLine>>();
  readonly mayEdit = input(false);
  readonly role = input<Change['role']>('editor');
  readonly sorted = input('file');
  readonly descending = input(false);
  /** Frozen columns beside the file. */
  readonly frozen = input(0);
  readonly ownWidths = input<Readonly<Record<number, number>>>({});
  /** Properties with a column filter. */
  readonly filtered = input<ReadonlySet<number>>(new Set());
  /** Faults of a refused block, by file and property. */
  readonly marks = input<ReadonlyMap<string, string>>(new Map());
  readonly groupText = input<(group: string) => string>((group) => group || '(blank)');
  /** Requests missing rows. */
  readonly bring = input<(from: number, to: number) => Promise<void>>(() => Promise.resolve());
  readonly sort = output<string>();
  readonly filter = output<Property>();
  readonly toggled = output<string>();
  readonly need = output<{ from: number; to: number }>();
  readonly propose = output<GridEdit[]>();
  readonly refused = output<Refused>();
  readonly undo = output();
  readonly redo = output();
  readonly find = output();
  readonly resized = output<{ property: number; width: number }>();
  readonly chosen = output<ChosenCell | null>();

  protected readonly lockWords = lockWords;
  protected readonly isNumber = isNumber;
  protected readonly rowHeight = ROW;
  protected readonly head = HEAD;
  protected readonly fileWidth = FILE_WIDTH;
  protected readonly geometry = new GridGeometry(this);
  protected readonly selection = new GridSelection(this.rows, this.columns);
  readonly range = this.selection.range;
  private readonly rowAt = computed(() => rowIn(this.rows()[this.selection.at().row]));
  private readonly propertyAt = computed(() => this.columns()[this.selection.at().column - 1] ?? null);
  private readonly cells = new GridCells(this);
  protected readonly editor = new CellEditor(this.cells, this.rowAt, this.propertyAt);
  private readonly blocks = new GridBlocks(this.cells, {
    rows: this.rows,
    columns: this.columns,
    range: this.range,
    bring: this.bring,
    propose: (edits) => this.propose.emit(edits),
    refuse: (refused) => this.refused.emit(refused),
  });
  private readonly frame = viewChild.required<ElementRef<HTMLElement>>('frame');
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private dragging = false;
  private ticking = false;

  /** Whether choices open upwards, in the lower half of the viewport. */
  protected readonly above = computed(() => {
    const { row } = this.selection.at();
    const frame = this.editor.text() === null ? null : this.frame().nativeElement;
    return frame !== null && HEAD + (row + 0.5) * ROW - frame.scrollTop > frame.clientHeight / 2;
  });
  protected readonly lines = computed((): LineView[] => {
    const { from, to } = this.geometry.window();
    const { frozen, cells } = this.geometry.columnIndexes();
    this.pending();
    return this.rows()
      .slice(from, to)
      .map((item, i) => {
        const row = rowIn(item);
        const view = (column: number): CellView => this.cells.at(row!, column);
        return {
          index: from + i,
          item,
          row,
          group: item !== null && isGroup(item) ? item : null,
          frozen: row ? frozen.map(view) : [],
          cells: row ? cells.map(view) : [],
        };
      });
  });

  constructor() {
    const destroyed = inject(DestroyRef);
    afterNextRender(() => {
      const frame = this.frame().nativeElement;
      this.geometry.measure(frame);
      if (typeof ResizeObserver === 'undefined') return;
      const observer = new ResizeObserver(() => this.geometry.measure(frame));
      observer.observe(frame);
      destroyed.onDestroy(() => observer.disconnect());
    });
    const release = () => (this.dragging = false);
    document.addEventListener('pointerup', release);
    destroyed.onDestroy(() => document.removeEventListener('pointerup', release));
    effect(() => {
      const { from, to } = this.geometry.window();
      untracked(() => this.need.emit({ from, to }));
    });
  }

  protected scrolled(): void {
    if (this.ticking) return;
    this.ticking = true;
    requestAnimationFrame(() => {
      this.ticking = false;
      this.geometry.measure(this.frame().nativeElement);
    });
  }

  protected arrow(column: string): string {
    return this.sorted() === column ? (this.descending() ? ' ↓' : ' ↑') : '';
  }
  protected ariaSort(column: string): string | null {
    return this.sorted() === column ? (this.descending() ? 'descending' : 'ascending') : null;
  }

  protected press(event: PointerEvent, row: number, column: number): void {
    if (event.button !== 0 || (event.target as HTMLElement).closest('.editor')) return;
    this.dragging = true;
    this.choose(row, column, event.shiftKey);
  }
  protected drag(event: PointerEvent, row: number, column: number): void {
    if (this.dragging && event.buttons === 1) this.choose(row, column, true);
  }

  /** Selects a cell; `extend` grows the range. */
  choose(row: number, column: number, extend = false): void {
    const at = this.selection.at();
    if (this.editor.text() !== null && (row !== at.row || column !== at.column)) this.commit();
    this.selection.to({ row, column }, extend);
    const chosen = this.rowAt();
    this.chosen.emit(chosen && this.cells.chosen(chosen, this.propertyAt()));
  }

  private move(rows: number, columns: number, extend = false): void {
    const { row, column } = this.selection.away(rows, columns);
    this.choose(row, column, extend);
    this.geometry.bringIntoView(this.frame().nativeElement, row, column);
  }

  private editable(): boolean {
    const [row, property] = [this.rowAt(), this.propertyAt()];
    return this.mayEdit() && row !== null && property !== null && this.cells.barred(row, property) === null;
  }

  /** Opens the editor with the cell's text or the typed key. */
  protected edit(text: string | null): void {
    if (!this.editable()) return;
    this.selection.shrink();
    this.editor.begin(text);
    setTimeout(() => {
      const field = this.host.nativeElement.querySelector<HTMLInputElement>('.editor');
      if (!field) return;
      // Keys buffered before the editor existed come first.
      if (text !== null) field.value = this.editor.text() ?? '';
      field.focus();
      if (text === null) field.select();
      else field.setSelectionRange(field.value.length, field.value.length);
    });
  }

  protected typed(event: Event): void {
    this.editor.type((event.target as HTMLInputElement).value);
  }

  /** A clicked choice. */
  protected takeChoice(at: number, event: Event): void {
    event.preventDefault();
    event.stopPropagation();
    this.editor.highlight(at);
    if (this.commit(true)) this.frame().nativeElement.focus();
  }

  /**
   * Commits the editor.
   * @returns whether the value is valid; otherwise it stays open
   */
  private commit(byKey = false): boolean {
    const text = this.editor.finish(byKey);
    if (text === false) return false;
    if (text !== null) this.propose.emit([this.cells.edited(this.rowAt()!, this.propertyAt()!, text)]);
    return true;
  }

  protected leave(): void {
    if (this.editor.text() === null) return;
    // Invalid values are dropped when the cell is left.
    if (!this.commit()) this.editor.close();
  }

  protected editorKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const step = { Enter: [event.shiftKey ? -1 : 1, 0], Tab: [0, event.shiftKey ? -1 : 1] }[event.key];
    if (step) {
      event.preventDefault();
      if (!this.commit(true)) return;
      this.frame().nativeElement.focus();
      this.move(step[0]!, step[1]!);
    } else if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && this.editor.offered().length) {
      event.preventDefault();
      this.editor.highlight(this.editor.pick() + (event.key === 'ArrowDown' ? 1 : -1));
      setTimeout(() => this.host.nativeElement.querySelector('.choices .on')?.scrollIntoView({ block: 'nearest' }));
    } else if (event.key === 'Escape') {
      event.preventDefault();
      this.editor.close();
      this.frame().nativeElement.focus();
    }
  }

  protected key(event: KeyboardEvent): void {
    if (this.editor.text() !== null) {
      this.keyBeforeEditor(event);
      return;
    }
    const page = Math.max(1, Math.floor(this.frame().nativeElement.clientHeight / ROW) - 2);
    const far = event.ctrlKey ? Infinity : 1;
    const steps: Readonly<Record<string, readonly [number, number]>> = {
      ArrowDown: [far, 0],
      ArrowUp: [-far, 0],
      ArrowRight: [0, far],
      ArrowLeft: [0, -far],
      PageDown: [page, 0],
      PageUp: [-page, 0],
      Home: event.ctrlKey ? [-Infinity, -Infinity] : [0, -Infinity],
      End: event.ctrlKey ? [Infinity, Infinity] : [0, Infinity],
    };
    const step = event.altKey ? undefined : steps[event.key];
    const command = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    if (step) this.move(...step, event.shiftKey);
    else if (event.key === 'Enter' && !command) {
      const item = this.rows()[this.selection.at().row] ?? null;
      if (isGroup(item)) this.toggled.emit(item.group);
      else this.edit(null);
    } else if (event.key === 'F2') this.edit(null);
    else if (event.key === 'Delete') this.clear();
    else if (event.key === ' ' && event.shiftKey) this.selection.spread('row');
    else if (event.key === ' ' && command) this.selection.spread('column');
    else if (event.key === ' ' && event.altKey && this.propertyAt()) this.filter.emit(this.propertyAt()!);
    else if (command && letter === 'a') this.selection.spread('all');
    else if (command && letter === 'd') void (event.altKey ? this.fillSeries() : this.fillDown());
    else if (command && letter === 'h') this.find.emit();
    else if (command && (letter === 'y' || (letter === 'z' && event.shiftKey))) this.redo.emit();
    else if (command && letter === 'z') this.undo.emit();
    else if (event.key.length === 1 && !command && !event.altKey && event.key !== '?' && this.editable()) this.edit(event.key);
    else return;
    event.preventDefault();
  }

  /** Buffers keys until the editor has focus. */
  private keyBeforeEditor(event: KeyboardEvent): void {
    if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      this.editor.buffer(event.key);
      event.preventDefault();
    } else this.editorKey(event);
  }

  protected copy(event: ClipboardEvent): void {
    if (this.editor.text() !== null) return;
    const text = this.blocks.copy();
    if (text === null) return;
    event.clipboardData?.setData('text/plain', text);
    event.preventDefault();
  }
  protected cut(event: ClipboardEvent): void {
    this.copy(event);
    if (event.defaultPrevented) this.clear();
  }
  protected paste(event: ClipboardEvent): void {
    if (this.editor.text() !== null || !this.mayEdit()) return;
    event.preventDefault();
    void this.blocks.paste(event.clipboardData?.getData('text/plain') ?? '');
  }
  private clear(): void {
    if (this.mayEdit()) void this.blocks.clear();
  }

  /** Fills the selection with its first row. */
  async fillDown(): Promise<void> {
    if (this.mayEdit()) await this.blocks.fillDown();
  }
  /** Continues the series at the top of the selection. */
  async fillSeries(): Promise<void> {
    if (this.mayEdit()) await this.blocks.fillSeries();
  }

  /** Files and properties of the selection; no properties for whole rows. */
  selected(): { files: number[]; properties: number[] } {
    const { top, bottom, left, right } = this.range();
    const files = this.rows()
      .slice(top, bottom + 1)
      .flatMap((item) => rowIn(item)?.file.id ?? []);
    const columns = left === 0 ? [] : this.columns().slice(left - 1, right);
    return { files: [...new Set(files)], properties: columns.map((property) => property.id) };
  }

  protected resize(event: PointerEvent, property: Property, width: number): void {
    event.preventDefault();
    event.stopPropagation();
    const start = event.clientX;
    const move = (moved: PointerEvent) =>
      this.resized.emit({ property: property.id, width: Math.max(40, Math.min(1200, Math.round(width + moved.clientX - start))) });
    const end = () => {
      document.removeEventListener('pointermove', move);
      document.removeEventListener('pointerup', end);
    };
    document.addEventListener('pointermove', move);
    document.addEventListener('pointerup', end);
  }
}
