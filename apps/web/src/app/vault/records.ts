import { ChangeDetectionStrategy, ChangeDetectorRef, Component, ElementRef, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { RecordEditReport, RecordEditRow, RecordPage, RecordRow, RecordsQuery } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { KINDS, Kind } from '@rule/core/schema';
import { VaultDefinition } from '@rule/core/vault';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { PaginatorModule } from 'primeng/paginator';
import { RuleChoices, RuleColumn, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count, showInstant, standingWords, afterTyping } from '../shared';

/** Page size. */
export const PAGE_SIZE = 100;

/** Record filter without paging. */
export type RecordsFilter = Omit<RecordsQuery, 'offset' | 'limit'>;

/** An unsaved typed value. */
interface Typed {
  readonly entry: number;
  readonly field: string;
  readonly before: string | null;
  readonly after: string | null;
}

const keyOf = (entry: number, field: string): string => `${entry}/${field}`;

/** Default columns: record fields without system fields. */
const MOST_SHOWN = 6;

/** Records grid: search, checked editing, undo. */
@Component({
  selector: 'rule-vault-records',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, Count, FormsModule, InputTextModule, RuleChoices, PaginatorModule, RouterLink, RuleSelect],
  template: `
    <div class="head">
      <div>
        <h1>Records</h1>
        <p>
          {{ page()?.total ?? 0 | count: 'record' }}{{ filter().folder ? ' in ' + filter().folder : '' }}, as last fetched from the vault.
          {{ editable() ? 'Press Enter on a value to change it.' : '' }}
        </p>
      </div>
      @if (editable()) {
        <div class="actions">
          @if (typed().size) {
            <p-button [label]="'Write ' + (typed().size | count: 'value')" [loading]="busy()" (onClick)="write()" />
            <p-button [text]="true" label="Discard" (onClick)="discard()" />
          } @else {
            <p-button severity="secondary" label="Bring files in" (onClick)="bring.emit()" />
            <p-button severity="secondary" label="Take a list" (onClick)="list.emit()" />
          }
        </div>
      }
    </div>
    <div class="bar">
      <label class="visually-hidden" for="r-text">Search records</label>
      <input pInputText id="r-text" type="search" placeholder="path or value" [ngModel]="filter().text ?? ''" (ngModelChange)="search($event)" />
      <rule-select
        ariaLabel="State"
        placeholder="every state"
        clear
        [options]="$any(definition().states)"
        [ngModel]="filter().state ?? null"
        (ngModelChange)="narrow({ state: $event ?? undefined })"
      />
      <rule-select
        ariaLabel="Kind"
        placeholder="every kind"
        clear
        [options]="kinds"
        [ngModel]="filter().kind ?? null"
        (ngModelChange)="narrow({ kind: $event ?? undefined })"
      />
      <rule-choices
        ariaLabel="Fields shown"
        [options]="allFields()"
        [named]="0"
        counted="{0} fields"
        [ngModel]="fields()"
        (ngModelChange)="chosen.set($event)"
      />
    </div>
    @if (report(); as r) {
      <div class="note" [class.warn]="r.left.length" role="status">
        {{ r.written | count: 'value' }} written{{ r.left.length ? ', ' + r.left.length + ' left' : '' }}.
        @if (r.edit !== null) {
          <button type="button" class="link" (click)="undo.emit(r.edit)">Undo</button>
        }
        @if (r.left.length) {
          <ul>
            @for (left of r.left.slice(0, 20); track $index) {
              <li>{{ left.path }}, {{ left.field }}: {{ left.reason }}</li>
            }
            @if (r.left.length > 20) {
              <li>and {{ r.left.length - 20 }} more</li>
            }
          </ul>
        }
      </div>
    }
    @if (page(); as p) {
      <div class="card wide">
        <rule-table label="Records" [rows]="p.rows" key="entry" empty="No record matches." class="pinned">
          <ng-container *ruleColumn="let row of p.rows; name: 'File'; look: 'cut'">
            @if (row.file !== null) {
              <a [routerLink]="[]" [queryParams]="{ file: row.file }" queryParamsHandling="merge" [title]="row.path">{{ leaf(row.path) }}</a>
            } @else {
              <span [title]="row.path + ' is not in the library'">{{ leaf(row.path) }}</span>
            }
            <small class="soft">{{ folder(row.path) }}</small>
          </ng-container>
          <ng-container *ruleColumn="let row of p.rows; name: 'State'; look: 'cut'">
            <span [title]="standing(row)"
              >{{ row.state }}
              @if (row.checkedOutBy) {
                <small class="warn">out: {{ row.checkedOutBy }}</small>
              }
            </span>
          </ng-container>
          @for (field of fields(); track field; let c = $index) {
            <ng-container *ruleColumn="let row of p.rows; let r = index; name: field; look: 'cut'">
              @if (open() === key(row, field)) {
                <input
                  pInputText
                  class="typing"
                  [attr.aria-label]="field + ' of ' + leaf(row.path)"
                  [value]="shown(row, field)"
                  (keydown)="onKey($event, row, field, r, c)"
                  (blur)="commit(row, field, $event)"
                />
              } @else if (editable() && row.closed[field] === undefined) {
                <button
                  type="button"
                  class="plain value"
                  [class.changed]="typed().has(key(row, field))"
                  [attr.data-at]="r + '/' + c"
                  [attr.aria-label]="field + ' of ' + leaf(row.path) + ': ' + (shown(row, field) || 'blank')"
                  (click)="begin(row, field)"
                  (keydown)="move($event, row, field, r, c)"
                >
                  {{ shown(row, field) }}
                </button>
              } @else {
                <span class="shut" [title]="row.closed[field] ? field + ' ' + row.closed[field] : ''">{{ row.record[field] ?? '' }}</span>
              }
            </ng-container>
          }
        </rule-table>
      </div>
      @if (p.total > size) {
        <p-paginator [rows]="size" [totalRecords]="p.total" [first]="offset()" (onPageChange)="turned.emit($event.first ?? 0)" />
      }
    } @else {
      <rule-waiting />
    }
    @if (history().length) {
      <h2>Changes of records</h2>
      <ul class="history">
        @for (edit of history().slice(0, 10); track edit.id) {
          <li>
            {{ when(edit.at) }} {{ edit.by }}: {{ edit.title }}, {{ edit.values | count: 'value' }} in {{ edit.records | count: 'record' }}
            @if (edit.undoneAt) {
              <span class="soft">undone {{ when(edit.undoneAt) }}</span>
            } @else if (editable()) {
              <button type="button" class="link" [attr.aria-label]="'Undo ' + edit.title + ' of ' + when(edit.at)" (click)="undo.emit(edit.id)">undo</button>
            }
          </li>
        }
      </ul>
    }
  `,
  styles: `
    .bar {
      display: flex;
      gap: 8px;
      margin-bottom: 12px;
    }
    .bar input {
      width: 240px;
    }
    .wide {
      overflow: auto;
      max-height: 62vh;
    }
    rule-table small {
      display: block;
    }
    .value,
    .typing {
      display: block;
      width: 100%;
      min-width: 70px;
      min-height: 24px;
      padding: 2px 6px;
      text-align: left;
    }
    .value {
      overflow: hidden;
      text-overflow: ellipsis;
      border: 1px solid transparent;
      border-radius: 3px;
    }
    .value:hover {
      border-color: var(--line);
    }
    .changed {
      font-weight: 600;
      color: var(--brass-ink);
    }
    .shut {
      padding: 2px 7px;
      color: var(--soft);
    }
    .note ul,
    .history {
      margin: 6px 0 0;
      padding-left: 18px;
    }
    h2 {
      margin: 20px 0 4px;
    }
    .history button,
    .history .soft {
      margin-left: 8px;
    }
  `,
})
export class VaultRecords {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly changes = inject(ChangeDetectorRef);
  readonly page = input.required<RecordPage | null>();
  readonly definition = input.required<VaultDefinition>();
  readonly filter = input.required<RecordsFilter>();
  readonly offset = input(0);
  readonly report = input<RecordEditReport | null>(null);
  readonly history = input<readonly RecordEditRow[]>([]);
  readonly busy = input(false);
  readonly editable = input(false);
  readonly narrowed = output<RecordsFilter>();
  readonly turned = output<number>();
  readonly written = output<readonly Typed[]>();
  readonly undo = output<number>();
  readonly bring = output();
  readonly list = output();

  protected readonly size = PAGE_SIZE;
  protected readonly kinds = [...KINDS];
  protected readonly when = showInstant;
  protected readonly leaf = fileName;
  protected readonly standing = standingWords;
  protected readonly chosen = signal<readonly string[] | null>(null);
  protected readonly typed = signal<ReadonlyMap<string, Typed>>(new Map());
  protected readonly open = signal<string | null>(null);
  protected readonly allFields = computed(() => [
    ...this.definition()
      .fields.filter((field) => !field.retired)
      .map((field) => field.name),
    ...this.definition().systemFields,
  ]);
  protected readonly fields = computed(() => this.chosen() ?? this.allFields().slice(0, MOST_SHOWN));

  constructor() {
    // Written values are cleared; refused ones stay visible.
    effect(() => {
      const report = this.report();
      untracked(() => {
        if (!report) return;
        const rows = this.page()?.rows ?? [];
        const paths = new Map(rows.map((row) => [row.entry, row.path]));
        const left = new Set(report.left.map((entry) => `${entry.path}/${entry.field}`));
        this.typed.set(new Map([...this.typed()].filter(([, typed]) => left.has(`${paths.get(typed.entry) ?? ''}/${typed.field}`))));
      });
    });
  }

  private readonly soon = afterTyping();
  protected search(text: string): void {
    this.soon(() => this.narrow({ text: text || undefined }));
  }
  protected narrow(change: { readonly text?: string | undefined; readonly state?: string | undefined; readonly kind?: Kind | undefined }): void {
    const next = Object.entries({ ...this.filter(), ...change }).filter(([, value]) => value !== undefined);
    this.narrowed.emit(Object.fromEntries(next));
  }
  protected key = (row: RecordRow, field: string): string => keyOf(row.entry, field);
  protected folder = (path: string): string => path.slice(0, Math.max(0, path.lastIndexOf('/')));
  protected shown(row: RecordRow, field: string): string {
    const typed = this.typed().get(keyOf(row.entry, field));
    return (typed ? typed.after : row.record[field]) ?? '';
  }
  /** Opens a value for editing, synchronously. */
  protected begin(row: RecordRow, field: string): void {
    this.open.set(keyOf(row.entry, field));
    this.changes.detectChanges();
    const input = this.host.nativeElement.querySelector<HTMLInputElement>('.typing');
    input?.focus();
    input?.select();
  }
  protected commit(row: RecordRow, field: string, event: Event): void {
    if (this.open() !== keyOf(row.entry, field)) return;
    this.open.set(null);
    const after = (event.target as HTMLInputElement).value.trim();
    const before = row.record[field] ?? null;
    const typed = new Map(this.typed());
    if (after === (before ?? '')) typed.delete(keyOf(row.entry, field));
    else typed.set(keyOf(row.entry, field), { entry: row.entry, field, before, after: after === '' ? null : after });
    this.typed.set(typed);
  }
  protected onKey(event: KeyboardEvent, row: RecordRow, field: string, r: number, c: number): void {
    if (event.key === 'Enter') {
      event.preventDefault();
      this.commit(row, field, event);
      this.focus(r + 1, c);
    } else if (event.key === 'Escape') {
      event.stopPropagation();
      this.open.set(null);
      this.focus(r, c);
    }
  }
  protected move(event: KeyboardEvent, row: RecordRow, field: string, r: number, c: number): void {
    // Typing replaces the value, as in the values grid.
    if (event.key.length === 1 && event.key !== ' ' && !event.ctrlKey && !event.metaKey && !event.altKey) {
      this.begin(row, field);
      return;
    }
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
    if (!step) return;
    event.preventDefault();
    this.focus(r + step[0]!, c + step[1]!);
  }
  private focus(r: number, c: number): void {
    this.changes.detectChanges();
    this.host.nativeElement.querySelector<HTMLElement>(`[data-at="${r}/${c}"]`)?.focus();
  }
  protected write(): void {
    this.written.emit([...this.typed().values()]);
  }
  protected discard(): void {
    this.typed.set(new Map());
  }
}
