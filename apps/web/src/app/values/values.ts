import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { FileDetails } from '@rule/contract';
import { Kind, KINDS, whyNotTyped } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { InputTextModule } from 'primeng/inputtext';
import { Api, Bench, catalogueFeature, ExactName, FileLink, IndexRow, Notices, plainHeld, sessionFeature, TrayActions, trayFeature, Way } from '../shared';
import { ChosenCell, GridEdit, ValuesGrid } from './grid';
import { ValuesStore } from './values.store';

/** The grid of files × properties with its filters, and what stands behind the chosen cell. */
@Component({
  selector: 'rule-values-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FileLink, Bench, ExactName, FormsModule, IndexRow, InputTextModule, ValuesGrid, Way],
  providers: [ValuesStore],
  template: `
    <rule-bench label="Values">
      <div bench="index">
        <div class="find">
          <input
            pInputText
            placeholder="Find files by any value"
            aria-label="Find files by any value"
            [ngModel]="search()"
            (ngModelChange)="searched($event)"
          />
        </div>
        <h3>Kinds</h3>
        <rule-index-row text="All files" [end]="all()" [on]="!kind() && !folder()" (choose)="go({ kind: null, folder: null })" />
        @for (row of grid.kinds(); track row.kind) {
          <rule-index-row
            [text]="plural(row.kind)"
            [end]="row.files"
            [on]="kind() === row.kind"
            (choose)="go({ kind: kind() === row.kind ? null : row.kind })"
          />
        }
        <h3>Folders</h3>
        @for (row of grid.folders(); track row.folder) {
          <rule-index-row
            [text]="leaf(row.folder)"
            [depth]="depth(row.folder)"
            [end]="row.files"
            [on]="folder() === row.folder"
            (choose)="go({ folder: folder() === row.folder ? null : row.folder })"
          />
        }
      </div>

      <div class="page">
        <div class="head">
          <div>
            <h1>{{ title() }}</h1>
            <p>
              {{ grid.total() ?? '…' }} files, {{ columns().length }} properties.
              @if (mayEdit()) {
                Type into a cell; what you change waits in the tray.
              } @else {
                You may look but not change values.
              }
            </p>
          </div>
          <div class="actions">
            @if (folder()) {
              <button type="button" class="chip plain" (click)="go({ folder: null })">folder: {{ folder() }} ×</button>
            }
            @if (search()) {
              <button type="button" class="chip plain" (click)="go({ search: null })">holds: {{ search() }} ×</button>
            }
          </div>
        </div>
        @if (grid.error(); as text) {
          <p class="note bad" role="alert">{{ text }}</p>
        }
        @if (grid.total() === 0) {
          <p class="note">{{ search() || kind() || folder() ? 'No file answers to this filter.' : 'No file is known yet. Register a library in Survey.' }}</p>
        } @else {
          <div class="grid">
            <rule-values-grid
              [rows]="grid.rows()"
              [columns]="columns()"
              [standIns]="standIns()"
              [pending]="pending()"
              [mayEdit]="mayEdit()"
              [sorted]="sort()"
              [descending]="descending()"
              (sort)="sortBy($event)"
              (need)="grid.ensure($event.from, $event.to)"
              (propose)="propose($event)"
              (undo)="undo()"
              (chosen)="choose($event)"
            />
          </div>
        }
      </div>

      <div bench="inspector">
        @if (cell(); as c) {
          <h2>{{ c.row.file.name }}</h2>
          <p class="soft path"><rule-file [id]="c.row.file.id" [path]="c.row.file.path" /></p>
          @if (c.row.file.problem) {
            <p class="note bad">{{ c.row.file.problem }}</p>
          }
          @if (c.row.file.lock) {
            <p class="note">The file {{ c.row.file.lock }}. Nothing can be written into it.</p>
          }
          @if (c.property; as property) {
            <dl>
              <dt>{{ property.caption }}</dt>
              <dd>
                @if (c.shown?.kind === 'not-reached') {
                  <span class="soft">does not apply to a {{ c.row.file.kind }}</span>
                } @else {
                  <span class="mono">{{ show(c.held) }}</span>
                }
              </dd>
              @if (c.pending) {
                <dt>In the file</dt>
                <dd class="mono">{{ show(c.pending.current) }}</dd>
              }
            </dl>
            @for (violation of c.shown?.violations ?? []; track violation.code) {
              <p class="note bad">{{ property.caption }} {{ violation.message }}.</p>
            }
            @if (whyNotTyped(property, c.row.file.kind); as reason) {
              <p class="soft">{{ property.caption }} {{ reason }}.</p>
            }
            @if (property.feed === 'ruled') {
              <p class="mono rule">{{ property.rule }}</p>
            }
            @if (property.help) {
              <p class="soft">{{ property.help }}</p>
            }
            <rule-way [property]="property.id" />
          } @else if (details(); as d) {
            @for (note of d.notes; track $index) {
              <p class="note bad">{{ note }}</p>
            }
            @if (d.model) {
              <p class="soft">
                @switch (d.model.state) {
                  @case ('matched') {
                    Shows <rule-file [id]="d.model.file" [path]="d.paths[d.model.file] ?? ''" />, by {{ d.model.by }}.
                  }
                  @case ('ambiguous') {
                    <span class="bad">{{ d.model.candidates.length }} files could be its model. Settle it in Title blocks.</span>
                  }
                  @default {
                    <span class="bad">The model that it shows is not in the library.</span>
                  }
                }
              </p>
            }
            @for (holder of d.holders; track holder.key) {
              @if (holder.values.length) {
                <h3 class="level">{{ holder.level }} {{ holder.level === 'document' ? '' : holder.label }}</h3>
                <dl>
                  @for (value of holder.values; track value.place + value.name) {
                    <dt><rule-exact-name [name]="value.name" /></dt>
                    <dd class="mono">{{ show(value.held) }}</dd>
                  }
                </dl>
              }
            }
          }
        } @else {
          <p class="soft">
            Choose a cell to see what the file holds, what is wrong with it, and the property's way. Choose a file name to see all that the file holds.
          </p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .find {
      padding: 0 26px 4px 14px;
    }
    .find input {
      width: 100%;
    }
    .page {
      display: flex;
      flex-direction: column;
      height: 100%;
    }
    .grid {
      flex: 1;
      min-height: 0;
    }
    .path {
      margin: -4px 0 10px;
      overflow-wrap: anywhere;
    }
    dl {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 3px 10px;
      margin: 0 0 10px;
    }
    dt {
      color: var(--soft);
      overflow: hidden;
      text-overflow: ellipsis;
    }
    dd {
      margin: 0;
      overflow-wrap: anywhere;
    }
    .level {
      margin: 10px 0 4px;
    }
    button.chip {
      padding: 1px 8px;
    }
  `,
})
export class ValuesStation {
  protected readonly grid = inject(ValuesStore);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly folder = input<string>();
  readonly kind = input<Kind>();
  readonly search = input<string>();
  readonly sort = input('file', { transform: (text: string | undefined) => text ?? 'file' });
  readonly desc = input<string>();
  protected readonly descending = computed(() => this.desc() === '1');

  private readonly active = this.store.selectSignal(catalogueFeature.selectActive);
  protected readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly pending = this.store.selectSignal(trayFeature.selectByCell);
  protected readonly whyNotTyped = whyNotTyped;
  private readonly lines = this.store.selectSignal(trayFeature.selectLines);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  /** With a kind chosen, only the properties that apply to it. */
  protected readonly columns = computed(() => this.active().filter((property) => !this.kind() || property.kinds.includes(this.kind()!)));
  protected readonly all = computed(() => this.grid.kinds().reduce((sum, row) => sum + row.files, 0));
  protected readonly title = computed(() => (this.kind() ? `All ${this.plural(this.kind()!).toLowerCase()}` : 'All files'));
  protected readonly cell = signal<ChosenCell | null>(null);
  protected readonly details = signal<FileDetails | null>(null);
  protected readonly show = plainHeld;
  private searchTimer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    this.grid.loadFilters();
    effect(() => {
      const query = {
        folder: this.folder(),
        kind: KINDS.find((kind) => kind === this.kind()),
        search: this.search(),
        sort: this.sort(),
        descending: this.descending(),
      };
      this.applied();
      untracked(() =>
        this.grid.load(
          Object.fromEntries(Object.entries(query).filter(([, value]) => value !== undefined)) as unknown as typeof query & {
            folder: string;
            kind: Kind;
            search: string;
          },
        ),
      );
    });
  }

  protected plural(kind: string): string {
    return { part: 'Parts', assembly: 'Assemblies', drawing: 'Drawings', other: 'Other files' }[kind] ?? kind;
  }
  protected leaf(folder: string): string {
    return folder === '' ? 'top folder' : folder.slice(folder.lastIndexOf('/') + 1);
  }
  protected depth(folder: string): number {
    return folder.split('/').length - 1;
  }

  protected go(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected searched(text: string): void {
    clearTimeout(this.searchTimer);
    this.searchTimer = setTimeout(() => this.go({ search: text.trim() || null }), 250);
  }

  protected sortBy(column: string): void {
    this.go({ sort: column, desc: this.sort() === column && !this.descending() ? '1' : null });
  }

  protected propose(values: GridEdit[]): void {
    if (values.length) this.store.dispatch(TrayActions.propose({ values, reason: 'typed in the grid' }));
  }

  /** Gives the youngest pending line up. */
  protected undo(): void {
    const last = this.lines()
      .filter((line) => !line.follows)
      .at(-1);
    if (last) this.store.dispatch(TrayActions.drop({ lines: [last.id] }));
    else this.notices.done('Nothing is pending. Applied changes are undone in History.');
  }

  protected choose(cell: ChosenCell | null): void {
    this.cell.set(cell);
    if (!cell || cell.property) return;
    this.details.set(null);
    this.api.file(cell.row.file.id).subscribe({ next: (details) => this.details.set(details), error: this.notices.failed });
  }
}
