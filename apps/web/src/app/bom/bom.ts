import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { BomLayout, BomTable, BomTableRow } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { MultiSelectModule } from 'primeng/multiselect';
import { SelectModule } from 'primeng/select';
import {
  Api,
  Bench,
  CatalogueActions,
  catalogueFeature,
  Count,
  FileChoices,
  FileLink,
  IndexRow,
  Notices,
  plainHeld,
  problemOf,
  saveBlob,
  sessionFeature,
  showCell,
  trayFeature,
  Way,
} from '../shared';

/** The single-level BOM of an assembly, with columns from properties. */
@Component({
  selector: 'rule-bom-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, Count, FileLink, FormsModule, IndexRow, InputTextModule, MultiSelectModule, RouterLink, SelectModule, Way],
  template: `
    <rule-bench label="BOM">
      <div bench="index">
        <h3>Assemblies</h3>
        @for (row of assemblies() ?? []; track row.id) {
          <rule-index-row
            [text]="leaf(row.path)"
            [end]="row.unmatched ? row.unmatched + ' unmatched' : ''"
            tone="bad"
            [on]="row.id === assemblyId()"
            (choose)="go({ assembly: row.id, item: null })"
          />
        }
        <h3>Layouts</h3>
        @for (row of layouts(); track row.id) {
          <rule-index-row [text]="row.name" [end]="row.columns.length + ' columns'" [on]="row.id === layout()?.id" (choose)="go({ layout: row.id })" />
        }
        @if (mayAdminister()) {
          <rule-index-row text="Add a layout …" (choose)="addLayout()" />
        }
      </div>

      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (table(); as t) {
        <div class="head">
          <div>
            <h1>{{ t.assembly.name }}</h1>
            <p>
              Single-level: {{ t.rows.length }} rows, {{ pieces() }} pieces.{{
                missing() === 1 ? ' 1 required value is missing.' : missing() ? ' ' + missing() + ' required values are missing.' : ''
              }}
            </p>
          </div>
          <div class="actions">
            <a [routerLink]="['/values']" [queryParams]="{ fill: 'assembly:' + t.assembly.id }">Fill in its parts …</a>
            <a [routerLink]="['/values']" [queryParams]="{ fill: 'assembly-deep:' + t.assembly.id }">… however deep</a>
            @if (mayAdminister() && layout()) {
              <p-multiselect
                appendTo="body"
                [options]="choices()"
                optionLabel="caption"
                optionValue="id"
                [filter]="true"
                ariaLabel="Columns"
                [selectedItemsLabel]="'{0} columns'"
                [maxSelectedLabels]="0"
                [ngModel]="columnIds()"
                (ngModelChange)="setColumns($event)"
              />
            }
            <p-button severity="secondary" label="Send out as CSV" (onClick)="csv()" />
          </div>
        </div>
        <div class="card rows">
          <table class="list">
            <thead>
              <tr>
                <th class="num">Item</th>
                <th class="num">Quantity</th>
                <th>Part file</th>
                @for (property of columns(); track property.id) {
                  <th [class.num]="isNumber(property)">{{ property.caption }}{{ property.unit ? ', ' + property.unit : '' }}</th>
                }
              </tr>
            </thead>
            <tbody>
              @for (row of t.rows; track row.item) {
                <tr
                  class="pick"
                  [class.on]="row.item === chosen()?.item"
                  tabindex="0"
                  (click)="go({ item: row.item })"
                  (keydown.enter)="go({ item: row.item })"
                >
                  <td class="num">{{ row.item }}</td>
                  <td class="num">{{ row.quantity }}</td>
                  <td>
                    @switch (row.match.state) {
                      @case ('matched') {
                        <rule-file [id]="row.match.file" [path]="row.path ?? ''" [text]="leaf(row.path ?? '')" />
                      }
                      @case ('ambiguous') {
                        {{ row.label }} <span class="chip bad">{{ row.match.candidates.length }} files could be it</span>
                      }
                      @default {
                        {{ row.label }} <span class="chip bad">no part file</span>
                      }
                    }
                  </td>
                  @for (property of columns(); track property.id) {
                    @let cell = shown(row, property);
                    <td [class.num]="isNumber(property)">
                      @if (row.match.state !== 'matched') {
                        <span class="soft">?</span>
                      } @else if (cell.kind === 'placeholder') {
                        <span class="chip" [class.bad]="cell.violations.length">{{ cell.violations.length ? 'missing' : 'blank' }}</span>
                      } @else {
                        <span [class.bad]="cell.violations.length" [title]="cell.violations.length ? cell.violations[0]!.message : ''"
                          >{{ cell.text }}{{ cell.violations.length ? ' !' : '' }}</span
                        >
                      }
                      @if (row.contradictions[property.id]; as copy) {
                        <span class="chip warn" title="The assembly's own copy says something else">copy: {{ held(copy) }}</span>
                      }
                    </td>
                  }
                </tr>
              } @empty {
                <tr>
                  <td [attr.colspan]="3 + columns().length" class="soft">Nothing is placed in this assembly.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else if (assemblies()?.length === 0) {
        <p class="note">No assembly is in the library. A STEP file that places products in one another is one.</p>
      } @else if (!error()) {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (chosen(); as row) {
          <h2>Item {{ row.item }}: {{ row.label }}</h2>
          <p class="soft">Placed {{ row.quantity | count: 'time' }}.</p>
          @switch (row.match.state) {
            @case ('matched') {
              <p>Part file <rule-file [id]="row.match.file" [path]="row.path ?? ''" />, found by {{ row.match.by }}.</p>
            }
            @case ('ambiguous') {
              <p class="note bad">More than one file could be the part file. Rule does not guess.</p>
            }
            @default {
              <p class="note bad">No file of the library has this product id, this base name or is named by an external reference.</p>
            }
          }
          @if (mayEdit() && (row.match.state !== 'matched' || row.match.by === 'settled')) {
            <p-select
              appendTo="body"
              [options]="candidates()"
              optionLabel="path"
              optionValue="id"
              [filter]="true"
              [showClear]="row.match.state === 'matched'"
              (onShow)="partFiles.look('')"
              (onFilter)="partFiles.look($event.filter)"
              placeholder="Settle the part file"
              ariaLabel="Part file"
              [ngModel]="row.match.state === 'matched' ? row.match.file : null"
              (ngModelChange)="settle(row, $event)"
            />
            <p class="soft">What is settled here is remembered for every assembly with this part.</p>
          }
          @for (property of contradicting(row); track property.id) {
            <p class="note">
              {{ property.caption }}: the part file says {{ held(row.held[property.id] ?? null) }}, the assembly's own copy says
              {{ held(row.contradictions[property.id] ?? null) }}. The part file leads.
            </p>
          }
        } @else if (columns().length) {
          <p class="soft">Choose a row to see its part file and what the assembly's own copy says.</p>
          <rule-way [property]="columns()[0]!.id" />
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .rows {
      overflow: auto;
    }
    p-select {
      width: 100%;
    }
  `,
})
export class BomStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  protected readonly leaf = fileName;
  readonly assembly = input<string>();
  readonly layoutAsked = input<string | undefined>(undefined, { alias: 'layout' });
  readonly item = input<string>();

  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  private readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly assemblies = signal<{ id: number; path: string; unmatched: number }[] | null>(null);
  protected readonly layouts = signal<BomLayout[]>([]);
  protected readonly table = signal<BomTable | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly partFiles = new FileChoices(['part', 'assembly', 'other']);
  protected readonly columnIds = signal<number[]>([]);
  protected readonly held = plainHeld;
  protected readonly assemblyId = computed(() => (this.assembly() ? Number(this.assembly()) : (this.assemblies()?.at(-1)?.id ?? null)));
  protected readonly layout = computed(() => this.layouts().find((row) => row.id === Number(this.layoutAsked())) ?? this.layouts()[0] ?? null);
  protected readonly choices = computed(() => this.properties().filter((property) => property.kinds.some((kind) => kind !== 'drawing')));
  protected readonly columns = computed(() =>
    this.columnIds()
      .flatMap((id) => this.byId()[id] ?? [])
      .filter((property) => !property.retired),
  );
  protected readonly pieces = computed(() => this.table()?.rows.reduce((sum, row) => sum + row.quantity, 0) ?? 0);
  protected readonly missing = computed(
    () =>
      this.table()
        ?.rows.filter((row) => row.match.state === 'matched')
        .reduce((sum, row) => sum + this.columns().filter((property) => this.shown(row, property).violations.some((v) => v.code === 'required')).length, 0) ??
      0,
  );
  protected readonly chosen = computed(() => this.table()?.rows.find((row) => row.item === Number(this.item())) ?? null);
  /** The files that it could be or is, and then those that are found. */
  protected readonly candidates = computed(() => {
    const [match, paths] = [this.chosen()?.match, this.table()?.paths ?? {}];
    const ids = match?.state === 'ambiguous' ? match.candidates : match?.state === 'matched' ? [match.file] : [];
    const likely = ids.map((id) => ({ id, path: paths[id] ?? `file ${id}` })).sort((a, b) => a.path.localeCompare(b.path));
    return [...likely, ...this.partFiles.files().filter((file) => !ids.includes(file.id))];
  });

  constructor() {
    this.loadIndex();
    effect(() => {
      const layout = this.layout();
      untracked(() => this.columnIds.set([...(layout?.columns ?? [])]));
    });
    effect((onCleanup) => {
      const id = this.assemblyId();
      this.applied();
      this.assemblies();
      if (id === null) return;
      const subscription = this.api.bom(id).subscribe({
        next: (table) => {
          this.error.set(null);
          this.table.set(table);
        },
        error: (failure: unknown) => this.error.set(problemOf(failure).detail),
      });
      onCleanup(() => subscription.unsubscribe());
    });
  }

  private loadIndex(): void {
    this.api
      .assemblies()
      .subscribe({ next: (assemblies) => this.assemblies.set(assemblies), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
    this.api.layouts().subscribe({ next: (layouts) => this.layouts.set(layouts), error: this.notices.failed });
  }

  protected isNumber(property: Property): boolean {
    return property.type === 'number' || property.type === 'whole';
  }

  /** What a row shows for a property. A property that does not apply to the row's kind of file asks for nothing. */
  protected shown(row: BomTableRow, property: Property) {
    const isAssembly = row.path !== null && this.assemblies()?.some((assembly) => assembly.path === row.path);
    if (!property.kinds.includes(isAssembly ? 'assembly' : 'part')) return { kind: 'value' as const, text: '', violations: [] };
    return showCell(row.held[property.id] ?? null, property, this.standIns());
  }

  protected contradicting(row: BomTableRow): Property[] {
    return Object.keys(row.contradictions).flatMap((id) => this.byId()[Number(id)] ?? []);
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  /** Columns are kept as they are chosen; an answer that later choices have overtaken changes nothing. */
  protected setColumns(columns: number[]): void {
    this.columnIds.set(columns);
    const layout = this.layout();
    if (!layout) return;
    this.api.saveLayout(layout.id, { name: layout.name, columns }).subscribe({
      next: (saved) => {
        if (this.columnIds() === columns) this.layouts.update((layouts) => layouts.map((row) => (row.id === saved.id ? saved : row)));
      },
      error: this.notices.failed,
    });
  }

  protected addLayout(): void {
    const taken = new Set(this.layouts().map((layout) => layout.name));
    let n = 1;
    while (taken.has(`Layout ${n}`)) n++;
    this.api.saveLayout(null, { name: `Layout ${n}`, columns: this.columnIds() }).subscribe({
      next: (layout) => {
        this.loadIndex();
        this.go({ layout: layout.id });
      },
      error: this.notices.failed,
    });
  }

  protected settle(row: BomTableRow, part: number | null): void {
    this.api.settlePart(this.assemblyId()!, row.products[0]!, part).subscribe({
      next: () => {
        this.loadIndex();
        this.store.dispatch(CatalogueActions.recount());
      },
      error: this.notices.failed,
    });
  }

  protected csv(): void {
    this.api.bomCsv(this.assemblyId()!, this.columnIds()).subscribe({ next: saveBlob, error: this.notices.failed });
  }
}
