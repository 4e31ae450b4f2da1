import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { BomLayout, BomLayoutDraft, BomTableRow } from '@rule/contract';
import { BomContent } from '@rule/core/bom';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ConfirmationService } from 'primeng/api';
import { ButtonModule } from 'primeng/button';
import { ConfirmDialogModule } from 'primeng/confirmdialog';
import { RuleWaiting } from '../kit';
import { Bench, catalogueFeature, Notices, sessionFeature, trayFeature, Unsaved, Way } from '../shared';
import { BomComparisonView } from './comparison';
import { BomGrid } from './bom-grid';
import { BomIndex } from './bom-index';
import { BomRowView } from './bom-row';
import { BomStore } from './bom.store';
import { DrawnLists } from './drawn-lists';
import { KeptList } from './kept-list';
import { BomStrips, Strip } from './strips';

/** The BOM station: from structure to lists with permanent item numbers. */
@Component({
  selector: 'rule-bom-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [BomStore, ConfirmationService],
  imports: [
    RuleWaiting,
    Bench,
    BomComparisonView,
    BomGrid,
    BomIndex,
    BomRowView,
    BomStrips,
    ButtonModule,
    ConfirmDialogModule,
    DrawnLists,
    KeptList,
    RouterLink,
    Way,
  ],
  template: `
    <rule-bench label="BOM">
      <div bench="index">
        <rule-bom-index [kept]="keptAsked()" (go)="go($event)" />
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.keptView(); as kept) {
        <rule-kept-list [list]="kept" [removable]="mayEdit()" (compared)="compareKept(kept.id)" (removed)="removeKept(kept.id)" />
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
            <p-button severity="secondary" [label]="strip() === 'layout' ? 'Close set-up' : 'Set up'" (onClick)="strips.toggle('layout')" />
            <p-button severity="secondary" [label]="drawnShown() ? 'Rows' : 'On drawings'" (onClick)="go({ look: drawnShown() ? null : 'drawings' })" />
            <p-button severity="secondary" label="Compare" (onClick)="strips.toggle('compare')" />
            @if (mayEdit()) {
              <p-button severity="secondary" label="Keep" (onClick)="strips.toggle('keep')" />
            }
            <p-button severity="secondary" label="Send out as XLSX" (onClick)="store.send('xlsx')" />
            <p-button severity="secondary" label="CSV" ariaLabel="Send out as CSV" (onClick)="store.send('csv')" />
          </div>
        </div>
        <rule-bom-strips #strips [(strip)]="strip" [mayChange]="mayChange()" [mayNumber]="mayNumber()" (go)="go($event)" />
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
          <rule-waiting />
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
    .folds {
      margin-bottom: 6px;
      gap: 16px;
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

  protected rowsOf = (rows: number) => count(rows, 'row');
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
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
