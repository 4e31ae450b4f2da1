import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { BomLayout, BomLayoutDraft, BomTableRow } from '@rule/contract';
import { BomContent, plainContent } from '@rule/core/bom';
import { fileName } from '@rule/core/files';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ConfirmationService } from 'primeng/api';
import { ButtonModule } from 'primeng/button';
import { CheckboxModule } from 'primeng/checkbox';
import { ConfirmDialogModule } from 'primeng/confirmdialog';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';
import { Bench, catalogueFeature, IndexEntry, IndexList, IndexRow, Notices, saveBlob, sessionFeature, trayFeature, Unsaved, Way } from '../shared';
import { BomComparisonView } from './comparison';
import { BomGrid } from './bom-grid';
import { BomRowView } from './bom-row';
import { BomStore } from './bom.store';
import { DrawnLists } from './drawn-lists';
import { BomLayoutForm } from './layout-form';

/** Number of assemblies from which a search field is shown. */
const MANY = 30;

/** The open strip above the list. */
type Strip = 'layout' | 'save as' | 'keep' | 'compare' | null;

/** The BOM station: from structure to lists with permanent item numbers. */
@Component({
  selector: 'rule-bom-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [BomStore, ConfirmationService],
  imports: [
    Bench,
    BomComparisonView,
    BomGrid,
    BomLayoutForm,
    BomRowView,
    ButtonModule,
    CheckboxModule,
    ConfirmDialogModule,
    DrawnLists,
    FormsModule,
    IndexList,
    IndexRow,
    InputTextModule,
    RouterLink,
    SelectModule,
    Way,
  ],
  template: `
    <rule-bench label="BOM">
      <div bench="index">
        <h3>Assemblies</h3>
        @if (assemblies().length > many) {
          <input class="find" pInputText pSize="small" type="search" placeholder="Find an assembly" aria-label="Find an assembly" [(ngModel)]="sought" />
        }
        <rule-index-list [entries]="found()" [chosen]="store.assembly()" (choose)="go({ assembly: $event, item: null, root: null, kept: null })" />
        @if (roots().length > 1) {
          <h3>Products in this file</h3>
          @for (root of roots(); track root.product) {
            <rule-index-row
              [text]="root.label"
              [on]="root.product === (store.table()?.root ?? roots()[0]!.product)"
              (choose)="go({ root: root.product, item: null })"
            />
          }
        }
        <h3>Layouts</h3>
        @for (row of store.layouts(); track row.id) {
          <rule-index-row
            [text]="row.name"
            [end]="row.shared ? row.content.structure : 'only you'"
            [on]="row.id === store.layout()?.id"
            (choose)="go({ layout: row.id, item: null, kept: null })"
          />
        }
        <h3>Kept</h3>
        @for (row of keptHere(); track row.id) {
          <rule-index-row [text]="row.title" [end]="dayOf(row.at)" [on]="'' + row.id === keptAsked()" (choose)="go({ kept: row.id, item: null })" />
        } @empty {
          <p class="hint">Keep a list to compare it with later ones.</p>
        }
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.keptView(); as kept) {
        <div class="head">
          <div>
            <h1>{{ kept.title }}</h1>
            <p>
              {{ kept.path }}, kept on {{ dayOf(kept.at) }} by {{ kept.by }}{{ kept.edition ? ', edition ' + kept.edition : ''
              }}{{ kept.layout ? ', layout ' + kept.layout : '' }}.
            </p>
          </div>
          <div class="actions">
            <p-button severity="secondary" label="Compare with now" (onClick)="compareKept(kept.id)" />
            <p-button severity="secondary" label="Send out as XLSX" (onClick)="store.sendKept(kept.id, 'xlsx')" />
            <p-button severity="secondary" label="CSV" ariaLabel="Send out as CSV" (onClick)="store.sendKept(kept.id, 'csv')" />
            @if (mayEdit()) {
              <p-button [text]="true" label="Remove" (onClick)="removeKept(kept.id)" />
            }
          </div>
        </div>
        <div class="card rows">
          <table class="list">
            <thead>
              <tr>
                @for (header of kept.headers; track $index) {
                  <th>{{ header }}</th>
                }
              </tr>
            </thead>
            <tbody>
              @for (line of kept.lines; track $index) {
                <tr>
                  @for (cell of line.cells; track $index; let i = $index) {
                    <td [style.padding-left.px]="i === 0 ? 10 + 14 * (line.level - 1) : null">{{ cell }}</td>
                  }
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else if (store.table(); as t) {
        <div class="head">
          <div>
            <h1>{{ t.assembly.name }}</h1>
            <p>{{ standing() }}</p>
          </div>
          <div class="actions">
            @if (store.changed()) {
              @if (mayChange()) {
                <p-button label="Save layout" (onClick)="saveLayout()" />
              }
              <p-button severity="secondary" label="Save as" (onClick)="strip.set('save as')" />
              <p-button [text]="true" label="Discard changes" (onClick)="store.discard()" />
            }
            <p-button severity="secondary" [label]="strip() === 'layout' ? 'Close set-up' : 'Set up'" (onClick)="toggle('layout')" />
            <p-button severity="secondary" [label]="drawnShown() ? 'Rows' : 'On drawings'" (onClick)="go({ look: drawnShown() ? null : 'drawings' })" />
            <p-button severity="secondary" label="Compare" (onClick)="toggle('compare')" />
            @if (mayEdit()) {
              <p-button severity="secondary" label="Keep" (onClick)="toggle('keep')" />
            }
            <p-button severity="secondary" label="Send out as XLSX" (onClick)="store.send('xlsx')" />
            <p-button severity="secondary" label="CSV" ariaLabel="Send out as CSV" (onClick)="store.send('csv')" />
          </div>
        </div>
        @switch (strip()) {
          @case ('layout') {
            <rule-bom-layout-form [content]="store.content()" [properties]="properties()" [classes]="store.classes()" (changed)="store.change($event)" />
            <div class="actions strip">
              @if (mayEdit() && store.layout() && !store.changed()) {
                <button type="button" class="link" (click)="store.renumber(false)">Renumber in this order</button>
              }
              <button type="button" class="link" (click)="strip.set('save as')">Duplicate layout</button>
              @if (mayChange()) {
                <button type="button" class="link" (click)="renameLayout()">Rename or share</button>
                <button type="button" class="link" (click)="removeLayout()">Remove layout</button>
                <button type="button" class="link" (click)="exportLayout()">Export layout</button>
              }
              <label class="take link"
                >Import layout<input type="file" accept=".json,application/json" class="visually-hidden" (change)="importLayout($event)"
              /></label>
            </div>
          }
          @case ('save as') {
            <form class="strip field-row" (submit)="saveAs(); $event.preventDefault()">
              <label class="field"><span>Name</span><input pInputText name="name" [(ngModel)]="name" /></label>
              <label class="field wide"><span>Purpose</span><input pInputText name="purpose" [(ngModel)]="purpose" /></label>
              @if (mayAdminister()) {
                <div class="tick">
                  <p-checkbox inputId="bom-shared" name="shared" [binary]="true" [(ngModel)]="shared" /><label for="bom-shared">shared with everybody</label>
                </div>
              }
              <p-button type="submit" [label]="renaming ? 'Save' : 'Save as new layout'" [disabled]="!name.trim()" />
              <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
            </form>
          }
          @case ('keep') {
            <form class="strip field-row" (submit)="keep(); $event.preventDefault()">
              <label class="field wide"><span>Title</span><input pInputText name="title" [(ngModel)]="name" placeholder="Released with order 4711" /></label>
              <p-button type="submit" label="Keep this list" [disabled]="!name.trim()" />
              <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
            </form>
          }
          @case ('compare') {
            <div class="strip field-row">
              <div class="field wide">
                <span id="bom-compare">Compare with</span>
                <p-select
                  appendTo="body"
                  ariaLabelledBy="bom-compare"
                  [options]="sides()"
                  optionLabel="label"
                  optionValue="value"
                  [filter]="true"
                  placeholder="A kept list or another assembly"
                  [ngModel]="null"
                  (ngModelChange)="store.compare($event); strip.set(null)"
                />
              </div>
              <p-button [text]="true" label="Cancel" (onClick)="strip.set(null)" />
            </div>
          }
        }
        @if (store.renumbered(); as r) {
          <div class="note">
            <p>{{ changesText() }}</p>
            <p>
              @for (change of r.changes.slice(0, 12); track change.row) {
                <span class="chip">{{ change.label }}: {{ change.before ?? '–' }} → {{ change.after }}</span>
              }
              {{ r.changes.length > 12 ? 'and ' + (r.changes.length - 12) + ' more' : '' }}
            </p>
            <p-button label="Renumber" (onClick)="store.renumber(true)" />
            <p-button [text]="true" label="Cancel" (onClick)="store.forgetRenumbering()" />
          </div>
        }
        @if (store.comparison(); as comparison) {
          <rule-bom-comparison [comparison]="comparison" (closed)="store.forgetComparison()" />
        }
        @for (entry of t.twice; track entry.caption) {
          <p class="note">
            {{ entry.caption }} reaches {{ rowsOf(entry.rows) }} from two places: from the part file and from the occurrence, with different values. The
            occurrence leads.
          </p>
        }
        @if (drawnShown()) {
          <rule-drawn-lists
            [content]="store.content()"
            [view]="store.drawn()"
            [blocks]="store.blocks()"
            [properties]="properties()"
            [rows]="rowChoices()"
            [editable]="mayEdit()"
            (changed)="changeDrawn($event)"
            (put)="store.putDrawn($event)"
            (marked)="store.setMark($event)"
            (placed)="store.placeMarks($event)"
          />
        } @else if (t.rows.length) {
          <div class="actions folds">
            @if (opens()) {
              <button type="button" class="link" (click)="foldAll()">{{ folded().size ? 'Unfold all' : 'Fold all' }}</button>
            }
            <a [routerLink]="['/values']" [queryParams]="{ fill: 'assembly:' + t.assembly.id }">Fill in its parts</a>
            <a [routerLink]="['/values']" [queryParams]="{ fill: 'assembly-deep:' + t.assembly.id }">Fill in parts at all levels</a>
          </div>
          <rule-bom-grid
            [table]="t"
            [content]="store.content()"
            [properties]="properties()"
            [typed]="store.typed()"
            [editable]="mayEdit() && whole()"
            [numberable]="mayNumber() && whole()"
            [chosen]="item() ?? null"
            [(folded)]="folded"
            (chosenChange)="go({ item: $event })"
            (arranged)="store.change($event)"
            (valued)="store.type($event.row.id, $event.property, $event.text)"
            (numbered)="store.number($event.row.id, $event.number)"
            (valuesRemoved)="removeValues($event)"
            (columnRemoved)="notices.done('Column ' + $event + ' removed from this layout. Nothing is removed from files.')"
          />
        } @else {
          <p class="note">This assembly has no parts{{ t.leftOut ? ' except those the layout leaves out' : '' }}.</p>
        }
      } @else if (store.assemblies()?.length === 0) {
        <h1>Bill of materials</h1>
        <p class="note">No assemblies in the library. STEP files that contain other products are assemblies.</p>
      } @else {
        <h1>Bill of materials</h1>
        @if (!store.error()) {
          <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
        }
      }

      <div bench="inspector">
        @if (!store.keptView() && store.table(); as t) {
          @if (chosen(); as row) {
            <rule-bom-row
              [row]="row"
              [table]="t"
              [members]="store.members()?.row === row.id ? store.members()!.list : null"
              [used]="store.used()"
              [editable]="mayEdit() && whole()"
              [numberable]="mayNumber() && whole()"
              (settled)="settle(row, $event)"
              (numbered)="store.number(row.id, $event)"
              (opened)="store.openRow(row.id)"
              (asked)="store.lookUsed($event)"
            />
          } @else {
            <h2>{{ store.layout()?.name ?? 'No layout' }}</h2>
            <p class="soft">{{ store.layout()?.purpose }}</p>
            <p class="soft">Select a row for its part file, occurrences and where it is used. Enter or F2 edits a cell; headings have a menu.</p>
            @if (whole() && firstProperty(); as property) {
              <rule-way [property]="property" />
            }
          }
        }
      </div>
    </rule-bench>
    <p-confirmdialog />
  `,
  styles: `
    .hint {
      padding: 6px 18px 0;
      color: var(--soft);
      font-size: 12px;
    }
    .find {
      width: calc(100% - 36px);
      margin: 0 18px 6px;
    }
    .rows {
      overflow: auto;
    }
    .folds {
      margin-bottom: 6px;
      gap: 16px;
    }
    .strip {
      margin-bottom: 12px;
    }
    .field-row {
      display: flex;
      gap: 12px;
      align-items: end;
    }
    .field-row .field {
      margin: 0;
    }
    .field-row .wide {
      flex: 1;
      max-width: 520px;
    }
    .field-row p-select {
      width: 100%;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      height: 32px;
    }
    .take {
      color: var(--verdigris);
      font-weight: 600;
      cursor: pointer;
    }
    .take:focus-within {
      outline: 2px solid var(--brass);
    }
    .note .chip {
      margin: 0 6px 4px 0;
    }
  `,
})
export class BomStation {
  protected readonly store = inject(BomStore);
  protected readonly notices = inject(Notices);
  private readonly global = inject(Store);
  private readonly router = inject(Router);
  private readonly confirm = inject(ConfirmationService);
  readonly assemblyAsked = input<string | undefined>(undefined, { alias: 'assembly' });
  readonly layoutAsked = input<string | undefined>(undefined, { alias: 'layout' });
  readonly root = input<string>();
  readonly item = input<string>();
  readonly look = input<string>();
  readonly keptAsked = input<string | undefined>(undefined, { alias: 'kept' });

  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly pending = this.global.selectSignal(trayFeature.selectCounts);
  protected readonly properties = this.global.selectSignal(catalogueFeature.selectActive);
  protected readonly strip = signal<Strip>(null);
  protected readonly folded = signal<ReadonlySet<string>>(new Set());
  protected name = '';
  protected purpose = '';
  protected shared = false;
  /** Whether the name strip concerns the displayed layout. */
  protected renaming = false;

  protected readonly drawnShown = computed(() => this.look() === 'drawings');
  protected readonly rowChoices = computed(() => (this.store.table()?.rows ?? []).map((row) => ({ id: row.id, text: `${row.item} ${row.label}` })));

  protected readonly mayChange = computed(() => {
    const layout = this.store.layout();
    return layout !== null && (layout.mine || this.mayAdminister());
  });
  protected readonly mayNumber = computed(() => this.mayEdit() && this.store.layout() !== null && !this.store.changed());
  /** Long lists show their first rows before the others. */
  protected readonly whole = computed(() => this.store.following() === null);
  protected readonly chosen = computed(() => this.store.table()?.rows.find((row) => row.id === this.item()) ?? null);
  protected readonly opens = computed(() => this.store.table()?.rows.some((row) => row.open) ?? false);
  protected readonly keptHere = computed(() => this.store.kept().filter((row) => row.assembly === this.store.assembly()));
  protected readonly sides = computed(() => [
    ...this.store.kept().map((row) => ({ label: `${row.title} (kept ${this.dayOf(row.at)})`, value: { kept: row.id } })),
    ...(this.store.assemblies() ?? []).filter((row) => row.id !== this.store.assembly()).map((row) => ({ label: row.path, value: { assembly: row.id } })),
  ]);
  protected readonly firstProperty = computed(() => {
    const of = this.store
      .content()
      .columns.map((column) => column.of)
      .find((entry) => 'property' in entry);
    return of && 'property' in of ? of.property : null;
  });
  protected readonly standing = computed(() => {
    const t = this.store.table()!;
    const following = this.store.following();
    const missing = t.rows.reduce((sum, row) => sum + row.cells.filter((cell) => cell.state === 'missing').length, 0);
    const structure = this.store.content().structure;
    return [
      `${structure[0]!.toUpperCase()}${structure.slice(1)}: ${count(following ?? t.rows.length, 'row')}, ${count(t.pieces, 'piece')}.`,
      ...(following ? [`The first ${t.rows.length} are shown, the others follow.`] : []),
      ...(missing && !following ? [`${count(missing, 'required value is', 'required values are')} missing.`] : []),
      ...(t.leftOut ? [`${count(t.leftOut, 'piece is', 'pieces are')} left out by class.`] : []),
      ...(this.store.changed() ? ['Layout changed, not saved.'] : []),
    ].join(' ');
  });
  protected readonly changesText = computed(() => `${count(this.store.renumbered()?.changes.length ?? 0, 'item number would', 'item numbers would')} change.`);

  constructor() {
    inject(Unsaved).watch(() => (this.store.changed() && this.mayChange() ? `the layout ${this.store.layout()!.name}` : null));
    this.store.load();
    effect(() => {
      const assemblies = this.store.assemblies();
      const [asked, layoutAsked, root, layouts] = [this.assemblyAsked(), this.layoutAsked(), this.root() ?? null, this.store.layouts()];
      if (!assemblies) return;
      const assembly = asked ? Number(asked) : ((assemblies.find((row) => row.unmatched) ?? assemblies[0])?.id ?? null);
      const layout = layouts.find((row) => row.id === Number(layoutAsked)) ?? layouts[0] ?? null;
      untracked(() => this.store.choose(assembly, layout, root));
    });
    effect(() => {
      const wanted = this.drawnShown() && this.store.table() !== null;
      // Applying or discarding changes drawn lists.
      this.applied();
      this.pending();
      untracked(() => {
        if (!wanted) return;
        if (this.store.blocks().length === 0) this.store.loadBlocks();
        this.store.showDrawn();
      });
    });
    effect(() => {
      const kept = this.keptAsked();
      untracked(() => this.store.openKept(kept ? Number(kept) : null));
    });
    effect(() => {
      // Where-used is loaded per row.
      this.item();
      untracked(() => this.store.lookUsed(null));
    });
    let seen = this.applied();
    effect(() => {
      const now = this.applied();
      if (now === seen) return;
      seen = now;
      untracked(() => {
        this.store.forgetTyped();
        this.store.show();
      });
    });
    effect(() => {
      if (this.pending().lines === 0) untracked(() => this.store.forgetTyped());
    });
  }

  /** Assemblies by name, with folder if ambiguous. */
  protected readonly assemblies = computed((): IndexEntry[] => {
    const rows = this.store.assemblies() ?? [];
    const times = new Map<string, number>();
    for (const { path } of rows) times.set(fileName(path), (times.get(fileName(path)) ?? 0) + 1);
    return rows.map(({ id, path, unmatched }) => ({
      id,
      text: times.get(fileName(path))! > 1 ? path : fileName(path),
      end: unmatched ? `${unmatched} unmatched` : '',
      tone: 'bad',
    }));
  });
  protected readonly many = MANY;
  protected readonly sought = signal('');
  protected readonly found = computed(() => {
    const sought = this.sought().trim().toLowerCase();
    return sought === '' ? this.assemblies() : this.assemblies().filter(({ text }) => text.toLowerCase().includes(sought));
  });
  protected readonly roots = computed(() => this.store.assemblies()?.find((row) => row.id === this.store.assembly())?.roots ?? []);
  protected dayOf = (at: string) => at.slice(0, 10);
  protected rowsOf = (rows: number) => count(rows, 'row');
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  protected toggle(strip: Exclude<Strip, null>): void {
    this.name = '';
    this.renaming = false;
    this.strip.set(this.strip() === strip ? null : strip);
  }
  protected foldAll(): void {
    this.folded.set(
      this.folded().size
        ? new Set()
        : new Set(
            this.store
              .table()!
              .rows.filter((row) => row.open)
              .map((row) => row.id),
          ),
    );
  }

  private draftOf(layout: BomLayout): BomLayoutDraft {
    return { name: layout.name, purpose: layout.purpose, shared: layout.shared, content: this.store.content() };
  }
  protected saveLayout(): void {
    this.store.save(this.draftOf(this.store.layout()!));
  }
  protected renameLayout(): void {
    const { name, purpose, shared } = this.store.layout()!;
    [this.name, this.purpose, this.shared, this.renaming] = [name, purpose, shared, true];
    this.strip.set('save as');
  }
  protected saveAs(): void {
    const draft: BomLayoutDraft = { name: this.name.trim(), purpose: this.purpose.trim(), shared: this.shared, content: this.store.content() };
    if (!draft.name) return;
    if (this.renaming) this.store.save(draft, () => this.strip.set(null));
    else
      this.store.saveAs(draft, (id) => {
        this.strip.set(null);
        this.go({ layout: id });
      });
  }
  protected removeLayout(): void {
    const { id, name } = this.store.layout()!;
    this.confirm.confirm({
      header: `Remove layout ${name}?`,
      message: 'The item numbers kept with it are removed too.',
      acceptLabel: 'Remove layout',
      rejectLabel: 'Keep it',
      accept: () => this.store.removeLayout(id, () => this.go({ layout: null })),
    });
  }
  protected exportLayout(): void {
    const { name, purpose } = this.store.layout()!;
    const captions = new Map(this.properties().map((property) => [property.id, property.writtenName]));
    const text = JSON.stringify({ rule: 1, bomLayout: { name, purpose, content: this.store.content(), properties: Object.fromEntries(captions) } }, null, 2);
    saveBlob({ name: `BOM layout ${name}.json`, blob: new Blob([`${text}\n`], { type: 'application/json' }) });
  }
  protected async importLayout(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    try {
      const { bomLayout } = JSON.parse(await file.text()) as {
        bomLayout?: { name: string; purpose: string; content: BomContent; properties: Record<string, string> };
      };
      if (!bomLayout?.content) throw new Error('no layout');
      const { content, lost } = withNumbersOf(bomLayout.content, bomLayout.properties, this.properties());
      this.store.change(content);
      [this.name, this.purpose, this.shared, this.renaming] = [bomLayout.name, bomLayout.purpose, false, false];
      this.strip.set('save as');
      if (lost.length) this.notices.error(`Left out, because they are not in the schema: ${lost.join(', ')}.`);
    } catch {
      this.notices.error(`${file.name} is not an exported BOM layout.`);
    }
  }

  protected keep(): void {
    const title = this.name.trim();
    if (title) this.store.keep(title, () => this.strip.set(null));
  }
  protected compareKept(kept: number): void {
    this.go({ kept: null });
    this.store.compare({ kept });
  }
  protected removeKept(id: number): void {
    this.confirm.confirm({
      header: 'Remove this kept list?',
      message: 'It cannot be compared with any more.',
      acceptLabel: 'Remove list',
      rejectLabel: 'Keep it',
      accept: () => this.store.removeKept(id, () => this.go({ kept: null })),
    });
  }
  protected removeValues(property: number): void {
    const caption = this.properties().find((row) => row.id === property)?.caption ?? '';
    this.confirm.confirm({
      header: `Remove ${caption} from files?`,
      message: `Removing every value of ${caption} in this list is added to your tray. Files change when you apply it.`,
      acceptLabel: 'Put in the tray',
      rejectLabel: 'Cancel',
      accept: () => this.store.type(null, property, ''),
    });
  }
  /** The drawn list's set-up is part of the layout. */
  protected changeDrawn(change: Partial<BomContent>): void {
    this.store.change({ ...this.store.content(), ...change });
    this.store.showDrawn();
  }
  protected settle(row: BomTableRow, part: number | null): void {
    if (row.copyOf) this.store.settle(row.copyOf.assembly, row.copyOf.product, part);
  }
}

/** Maps an imported layout to this schema's property numbers by written name; unknown properties are dropped. */
export function withNumbersOf(
  content: BomContent,
  names: Readonly<Record<string, string>>,
  properties: readonly { readonly id: number; readonly writtenName: string }[],
): { readonly content: BomContent; readonly lost: readonly string[] } {
  const own = new Map(properties.map((property) => [property.writtenName, property.id]));
  const lost = new Set<string>();
  const numberOf = (id: number): number[] => {
    const name = names[id] ?? `property ${id}`;
    const found = own.get(name);
    if (found === undefined) lost.add(name);
    return found === undefined ? [] : [found];
  };
  const plain = plainContent([]);
  type Of = BomContent['columns'][number]['of'];
  const of = (what: Of): Of[] => ('fact' in what ? [what] : numberOf(what.property).map((property) => ({ property })));
  return {
    content: {
      ...plain,
      ...content,
      key: content.key.flatMap(numberOf),
      columns: content.columns.flatMap((column) => of(column.of).map((shown) => ({ ...column, of: shown }))),
      sort: content.sort.flatMap((entry) => of(entry.of).map((shown) => ({ ...entry, of: shown }))),
      drawn: content.drawn ? { ...content.drawn, cells: content.drawn.cells.flatMap((cell) => of(cell.of).map((shown) => ({ ...cell, of: shown }))) } : null,
      group: content.group === null ? null : (of(content.group)[0] ?? null),
      // Classes are not portable between companies.
      classes: [],
    },
    lost: [...lost],
  };
}
