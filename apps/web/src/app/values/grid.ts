import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, ElementRef, computed, inject, input, output, signal, viewChild } from '@angular/core';
import { CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import { GridRow, TrayLine } from '@rule/contract';
import { Property, checkProposed, forClass, judge, reaches, whyNotTyped } from '@rule/core/schema';
import { HeldValue, StandIns, editText } from '@rule/core/values';
import { ShownCell, showCell } from '../shared';

/** A cell chosen in the grid. */
export interface ChosenCell {
  readonly row: GridRow;
  readonly property: Property | null;
  readonly held: HeldValue | null;
  readonly shown: ShownCell | null;
  readonly pending: TrayLine | null;
}

/** Values that someone wants to write. */
export interface GridEdit {
  readonly file: number;
  readonly property: number;
  readonly text: string;
}

const ROW = 30;

const widthOf = (property: Property): number => {
  const byName = 26 + 7 * property.caption.length + (property.unit ? 8 * (property.unit.length + 1) : 0);
  const longest = property.type === 'choice' ? Math.max(8, ...property.choices.map((choice) => choice.length)) : (property.maxLength ?? 20);
  const ofText = Math.min(170, Math.max(60, 24 + 7 * longest));
  const byType = { text: ofText, longtext: ofText, choice: ofText, person: ofText, file: ofText, date: 100, yesno: 74, whole: 74, number: 86 }[property.type];
  return Math.max(byName, byType);
};

/** The grid of files × properties: virtual rows, one chosen cell, edited from the keyboard. */
@Component({
  selector: 'rule-values-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ScrollingModule],
  template: `
    <div
      #frame
      class="frame card"
      cdkVirtualScrollingElement
      role="grid"
      tabindex="0"
      aria-label="Files and their values"
      [attr.aria-rowcount]="rows().length + 1"
      [attr.aria-colcount]="columns().length + 1"
      [attr.aria-activedescendant]="'cell-' + at().row + '-' + at().column"
      (keydown)="key($event)"
      (copy)="copy($event)"
      (paste)="paste($event)"
    >
      <div class="line header" role="row" aria-rowindex="1" [style.grid-template-columns]="template()" [style.width.px]="width()">
        <button type="button" role="columnheader" class="file" tabindex="-1" (click)="sort.emit('file')" [attr.aria-sort]="ariaSort('file')">
          File{{ arrow('file') }}
        </button>
        @for (property of columns(); track property.id) {
          <button
            type="button"
            role="columnheader"
            tabindex="-1"
            [class.num]="isNumber(property)"
            [title]="property.writtenName + (property.help ? ': ' + property.help : '')"
            (click)="sort.emit('' + property.id)"
            [attr.aria-sort]="ariaSort('' + property.id)"
          >
            {{ property.caption }}{{ property.unit ? ', ' + property.unit : '' }}{{ arrow('' + property.id) }}
          </button>
        }
      </div>
      <cdk-virtual-scroll-viewport
        [itemSize]="rowHeight"
        [minBufferPx]="600"
        [maxBufferPx]="1200"
        (scrolledIndexChange)="scrolled()"
        role="rowgroup"
        [style.width.px]="width()"
      >
        <div
          class="line"
          role="row"
          *cdkVirtualFor="let row of mutableRows(); let r = index; templateCacheSize: 0"
          [attr.aria-rowindex]="r + 2"
          [style.grid-template-columns]="template()"
          [style.width.px]="width()"
        >
          @if (row) {
            <div
              class="cell file"
              role="rowheader"
              [id]="'cell-' + r + '-0'"
              [class.at]="at().row === r && at().column === 0"
              [title]="row.file.path"
              (click)="choose(r, 0)"
            >
              {{ row.file.name }}
              @if (row.file.problem) {
                <span class="mark bad" [title]="row.file.problem">unread</span>
              } @else if (row.file.lock) {
                <span class="mark" [title]="'The file ' + row.file.lock">locked</span>
              }
            </div>
            @for (property of columns(); track property.id; let c = $index) {
              @let cell = cellOf(row, property);
              @let line = pendingOf(row, property);
              <div
                class="cell"
                role="gridcell"
                [id]="'cell-' + r + '-' + (c + 1)"
                [attr.aria-colindex]="c + 2"
                [attr.aria-readonly]="!mayEdit() || cell.kind === 'not-reached' || closedBy(row, property) !== null || null"
                [class.num]="isNumber(property)"
                [class.at]="at().row === r && at().column === c + 1"
                [class.out]="cell.kind === 'not-reached'"
                [class.taken]="closedBy(row, property) !== null"
                [class.violating]="cell.violations.length"
                [class.pending]="line"
                [title]="titleOf(cell, line, closedBy(row, property))"
                (click)="choose(r, c + 1)"
                (dblclick)="edit(null)"
              >
                @if (editing() !== null && at().row === r && at().column === c + 1) {
                  @if (options(property); as list) {
                    <select #editor class="editor" [attr.aria-label]="property.caption" (keydown)="editorKey($event)" (blur)="leave()">
                      @for (option of list; track option) {
                        <option [value]="option" [selected]="option === editing()">{{ option || '(blank)' }}</option>
                      }
                    </select>
                  } @else {
                    <input
                      #editor
                      class="editor"
                      [attr.aria-label]="property.caption"
                      [attr.aria-invalid]="!!editError()"
                      [value]="editing()"
                      [placeholder]="property.placeholder"
                      (input)="typed($event)"
                      (keydown)="editorKey($event)"
                      (blur)="leave()"
                    />
                  }
                  @if (editError(); as text) {
                    <span class="says" role="alert">{{ text }}</span>
                  }
                } @else {
                  @switch (cell.kind) {
                    @case ('placeholder') {
                      @if (cell.text) {
                        <span class="placeholder">{{ cell.text }}</span>
                      }
                    }
                    @case ('stand-in') {
                      <span class="stand-in">{{ cell.text }}</span><span class="mark warn">stand-in</span>
                    }
                    @default {
                      {{ cell.text }}
                    }
                  }
                  @if (cell.violations.length && cell.kind !== 'stand-in') {
                    <span class="bang" aria-hidden="true">!</span><span class="visually-hidden">{{ cell.violations[0]!.message }}</span>
                  }
                }
              </div>
            }
          } @else {
            <span class="skeleton"></span>
          }
        </div>
      </cdk-virtual-scroll-viewport>
    </div>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
      min-height: 0;
    }
    .frame {
      height: 100%;
      overflow: auto;
      contain: strict;
    }
    .line {
      display: grid;
      height: 30px;
    }
    .header {
      position: sticky;
      top: 0;
      z-index: 3;
      background: var(--panel);
      border-bottom: 1px solid var(--ink);
    }
    .header button {
      border: 0;
      background: var(--panel);
      padding: 0 8px;
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      text-align: left;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
      cursor: pointer;
    }
    .header button.num {
      text-align: right;
    }
    .file {
      position: sticky;
      left: 0;
      z-index: 2;
      background: var(--panel);
      border-right: 1px solid var(--line);
    }
    .cell {
      position: relative;
      padding: 0 8px;
      line-height: 29px;
      border-bottom: 1px solid var(--row);
      border-right: 1px solid var(--row);
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      cursor: default;
    }
    .cell.file {
      position: sticky;
    }
    .num {
      text-align: right;
    }
    .out {
      background: color-mix(in srgb, var(--vellum) 70%, var(--panel));
    }
    .taken {
      color: var(--soft);
      font-style: italic;
    }
    .violating {
      background: var(--vermilion-tint);
      box-shadow: inset 0 -2px var(--vermilion);
    }
    .pending {
      background: var(--brass-tint);
    }
    .at {
      outline: 2px solid var(--ink);
      outline-offset: -2px;
      overflow: visible;
      z-index: 1;
    }
    .file.at {
      z-index: 2;
    }
    .stand-in {
      white-space: pre;
      color: var(--ochre);
    }
    .mark {
      font:
        500 11px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      margin-left: 6px;
    }
    .mark.bad {
      color: var(--vermilion);
    }
    .mark.warn {
      color: var(--ochre);
    }
    .bang {
      color: var(--vermilion);
      font-weight: 600;
      margin-left: 3px;
    }
    .editor {
      position: absolute;
      inset: 0;
      width: 100%;
      border: 0;
      padding: 0 7px;
      background: var(--panel);
      color: var(--ink);
      outline: 2px solid var(--verdigris);
      outline-offset: -2px;
    }
    .says {
      position: absolute;
      left: 0;
      top: 30px;
      z-index: 5;
      max-width: 320px;
      white-space: normal;
      line-height: 1.3;
      text-align: left;
      background: var(--vermilion-tint);
      border-left: 3px solid var(--vermilion);
      padding: 4px 8px;
      box-shadow: var(--shadow);
    }
  `,
})
export class ValuesGrid {
  readonly rows = input.required<readonly (GridRow | null)[]>();
  readonly columns = input.required<readonly Property[]>();
  readonly standIns = input.required<StandIns>();
  readonly pending = input.required<ReadonlyMap<string, TrayLine>>();
  readonly mayEdit = input(false);
  readonly sorted = input('file');
  readonly descending = input(false);
  readonly sort = output<string>();
  readonly need = output<{ from: number; to: number }>();
  readonly propose = output<GridEdit[]>();
  readonly undo = output();
  readonly chosen = output<ChosenCell | null>();

  protected readonly rowHeight = ROW;
  protected readonly at = signal({ row: 0, column: 0 });
  /** The text in the editor; `null` when no cell is being edited. */
  protected readonly editing = signal<string | null>(null);
  private readonly viewport = viewChild.required(CdkVirtualScrollViewport);
  private readonly frame = viewChild.required<ElementRef<HTMLElement>>('frame');
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly mutableRows = computed(() => [...this.rows()]);
  private readonly widths = computed(() => [230, ...this.columns().map(widthOf)]);
  protected readonly template = computed(() =>
    this.widths()
      .map((width) => `${width}px`)
      .join(' '),
  );
  protected readonly width = computed(() => this.widths().reduce((sum, width) => sum + width, 0));
  protected readonly editError = computed(() => {
    const [text, property] = [this.editing(), this.propertyAt()];
    if (text === null || !property) return null;
    const check = checkProposed(text, property, this.standIns());
    return check.ok || text === this.textAt() ? null : check.violations.map((violation) => violation.message).join('; ');
  });

  protected isNumber(property: Property): boolean {
    return property.type === 'number' || property.type === 'whole';
  }

  protected arrow(column: string): string {
    return this.sorted() === column ? (this.descending() ? ' ↓' : ' ↑') : '';
  }

  protected ariaSort(column: string): string | null {
    return this.sorted() === column ? (this.descending() ? 'descending' : 'ascending') : null;
  }

  protected pendingOf(row: GridRow, property: Property): TrayLine | null {
    return this.pending().get(`${row.file.id}/${property.writtenName}`) ?? null;
  }

  private heldOf(row: GridRow, property: Property): HeldValue | null {
    const line = this.pendingOf(row, property);
    return line ? line.proposed : (row.held[property.id] ?? null);
  }

  protected cellOf(row: GridRow, property: Property): ShownCell {
    if (!reaches(property, row.file.kind, row.file.class)) return { kind: 'not-reached', text: '', violations: [] };
    return showCell(this.heldOf(row, property), forClass(property, row.file.class), this.standIns());
  }

  /** Why nobody may type here, if so. */
  protected closedBy(row: GridRow, property: Property): string | null {
    return whyNotTyped(property, row.file.kind);
  }

  protected titleOf(cell: ShownCell, line: TrayLine | null, closed: string | null): string {
    const wrong = cell.violations.map((violation) => violation.message).join('; ');
    const waits = line ? `pending, now ${line.current?.text ?? 'blank'}` : '';
    return [cell.kind === 'value' || cell.kind === 'unreadable' ? cell.text : '', wrong, waits, cell.kind === 'not-reached' ? '' : closed]
      .filter(Boolean)
      .join(' · ');
  }

  protected options(property: Property): readonly string[] | null {
    if (property.type === 'choice' && !property.open) return property.required ? property.choices : ['', ...property.choices];
    const words = property.words ?? ['yes', 'no'];
    if (property.type === 'yesno') return property.required ? words : ['', ...words];
    return null;
  }

  protected scrolled(): void {
    const range = this.viewport().getRenderedRange();
    this.need.emit({ from: range.start, to: range.end });
  }

  private rowAt(): GridRow | null {
    return this.rows()[this.at().row] ?? null;
  }

  private propertyAt(): Property | null {
    return this.columns()[this.at().column - 1] ?? null;
  }

  private textAt(): string {
    const [row, property] = [this.rowAt(), this.propertyAt()];
    if (!row) return '';
    if (!property) return row.file.path;
    if (!reaches(property, row.file.kind, row.file.class)) return '';
    const cell = judge(this.heldOf(row, property), property, this.standIns());
    return cell.state === 'value' ? editText(cell.value, property) : cell.state === 'blank' ? '' : cell.text;
  }

  protected choose(row: number, column: number): void {
    if (this.editing() !== null && (row !== this.at().row || column !== this.at().column)) this.commit();
    this.at.set({ row, column });
    const [chosenRow, property] = [this.rowAt(), this.propertyAt()];
    this.chosen.emit(
      chosenRow && {
        row: chosenRow,
        property,
        held: property ? this.heldOf(chosenRow, property) : null,
        shown: property ? this.cellOf(chosenRow, property) : null,
        pending: property ? this.pendingOf(chosenRow, property) : null,
      },
    );
  }

  private move(rows: number, columns: number): void {
    const row = Math.max(0, Math.min(this.rows().length - 1, this.at().row + rows));
    const column = Math.max(0, Math.min(this.columns().length, this.at().column + columns));
    this.choose(row, column);
    const frame = this.frame().nativeElement;
    const top = row * ROW;
    const visible = frame.clientHeight - ROW;
    if (top < frame.scrollTop) frame.scrollTop = top;
    else if (top + ROW > frame.scrollTop + visible) frame.scrollTop = top + ROW - visible;
    if (column > 0) {
      const left = this.widths()
        .slice(1, column)
        .reduce((sum, width) => sum + width, 0);
      const room = frame.clientWidth - this.widths()[0]!;
      if (left < frame.scrollLeft) frame.scrollLeft = left;
      else if (left + this.widths()[column]! > frame.scrollLeft + room) frame.scrollLeft = left + this.widths()[column]! - room;
    }
  }

  private editable(): boolean {
    const [row, property] = [this.rowAt(), this.propertyAt()];
    return (
      this.mayEdit() &&
      row !== null &&
      property !== null &&
      reaches(property, row.file.kind, row.file.class) &&
      this.closedBy(row, property) === null &&
      row.file.lock === null &&
      row.file.problem === null
    );
  }

  /** Opens the editor: with the cell's own text, or with what was typed. */
  protected edit(text: string | null): void {
    if (!this.editable()) return;
    this.editing.set(text ?? this.textAt());
    setTimeout(() => {
      const editor = this.host.nativeElement.querySelector<HTMLInputElement | HTMLSelectElement>('.editor');
      editor?.focus();
      if (!(editor instanceof HTMLInputElement)) return;
      if (text === null) editor.select();
      else editor.setSelectionRange(text.length, text.length);
    });
  }

  protected typed(event: Event): void {
    this.editing.set((event.target as HTMLInputElement).value);
  }

  /** Takes the editor's value. False when it breaks the schema: the editor stays open then. */
  private commit(): boolean {
    const editor = this.host.nativeElement.querySelector<HTMLInputElement | HTMLSelectElement>('.editor');
    const [row, property] = [this.rowAt(), this.propertyAt()];
    if (this.editing() === null || !row || !property) return true;
    const text = editor?.value ?? this.editing()!;
    this.editing.set(text);
    if (this.editError()) return false;
    this.editing.set(null);
    if (text !== this.textAt()) this.propose.emit([{ file: row.file.id, property: property.id, text }]);
    return true;
  }

  protected leave(): void {
    if (this.editing() === null) return;
    // What breaks the schema is not taken along when the cell is left.
    if (!this.commit()) this.editing.set(null);
  }

  protected editorKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const step = { Enter: [event.shiftKey ? -1 : 1, 0], Tab: [0, event.shiftKey ? -1 : 1] }[event.key];
    if (step) {
      event.preventDefault();
      if (!this.commit()) return;
      this.frame().nativeElement.focus();
      this.move(step[0]!, step[1]!);
    } else if (event.key === 'Escape') {
      event.preventDefault();
      this.editing.set(null);
      this.frame().nativeElement.focus();
    }
  }

  protected key(event: KeyboardEvent): void {
    if (this.editing() !== null) {
      this.keyBeforeEditor(event);
      return;
    }
    const page = Math.max(1, Math.floor(this.frame().nativeElement.clientHeight / ROW) - 2);
    const steps: Readonly<Record<string, readonly [number, number]>> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowRight: [0, 1],
      ArrowLeft: [0, -1],
      PageDown: [page, 0],
      PageUp: [-page, 0],
      Home: event.ctrlKey ? [-Infinity, -Infinity] : [0, -Infinity],
      End: event.ctrlKey ? [Infinity, Infinity] : [0, Infinity],
    };
    const step = steps[event.key];
    if (step) this.move(...step);
    else if (event.key === 'Enter' && !event.ctrlKey) this.edit(null);
    else if (event.key === 'F2') this.edit(null);
    else if (event.key === 'Delete' && this.editable()) this.propose.emit([{ file: this.rowAt()!.file.id, property: this.propertyAt()!.id, text: '' }]);
    else if (event.ctrlKey && event.key === 'z') this.undo.emit();
    else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey && event.key !== '?' && this.editable()) this.edit(event.key);
    else return;
    event.preventDefault();
  }

  /** Keys that come before the opened editor has the focus: fast typing loses nothing. */
  private keyBeforeEditor(event: KeyboardEvent): void {
    if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      this.editing.update((text) => `${text ?? ''}${event.key}`);
      event.preventDefault();
    } else this.editorKey(event);
  }

  protected copy(event: ClipboardEvent): void {
    if (this.editing() !== null) return;
    event.clipboardData?.setData('text/plain', this.textAt());
    event.preventDefault();
  }

  /** Takes a block from a spreadsheet program, from the chosen cell on. It is checked and taken as a whole. */
  protected paste(event: ClipboardEvent): void {
    if (this.editing() !== null || !this.mayEdit()) return;
    event.preventDefault();
    const lines = (event.clipboardData?.getData('text/plain') ?? '').replace(/\r?\n$/, '').split(/\r?\n/);
    const { row, column } = this.at();
    if (column === 0) return;
    this.propose.emit(
      lines.flatMap((line, r) =>
        line.split('\t').flatMap((text, c): GridEdit[] => {
          const [target, property] = [this.rows()[row + r], this.columns()[column - 1 + c]];
          return target && property && this.closedBy(target, property) === null ? [{ file: target.file.id, property: property.id, text }] : [];
        }),
      ),
    );
  }
}
