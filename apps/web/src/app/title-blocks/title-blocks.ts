import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { BlockCell, BlockCellChange, BlockView, OwnedValue } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { Binding, bindingWords } from '@rule/core/schema';
import { CELL_STATES, CELL_STATE_WORDS, CellState, CellWish } from '@rule/core/titleblocks';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleWaiting } from '../kit';
import { Bench, Count, FileLink, Notices, sessionFeature, trayFeature } from '../shared';
import { AnchorText } from './anchor-text';
import { BindSeveral } from './bind-several';
import { CellInspector } from './cell-inspector';
import { SHOWN_STATES, cellRows, markOf, shownText } from './cell-row';
import { CellTable } from './cell-table';
import { ConflictList } from './conflict-list';
import { ChangeCells } from './change-cells';
import { ExchangeBlock } from './exchange-block';
import { GiveHome, homeBinding } from './give-home';
import { SheetIndex } from './sheet-index';
import { SheetText } from './sheet-messages';
import { SheetModel } from './sheet-model';
import { SheetView } from './sheet-view';
import { TitleBlocksStore } from './title-blocks.store';

/** The Title blocks station: cells, bindings and filled sheets. */
@Component({
  selector: 'rule-title-blocks-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [TitleBlocksStore],
  imports: [
    RuleWaiting,
    AnchorText,
    Bench,
    BindSeveral,
    ButtonModule,
    CellInspector,
    CellTable,
    ConflictList,
    Count,
    ChangeCells,
    ExchangeBlock,
    FileLink,
    GiveHome,
    RouterLink,
    SheetIndex,
    SheetModel,
    SheetView,
  ],
  template: `
    <rule-bench label="Title blocks">
      <div bench="index">
        <rule-sheet-index [onBare]="onBare()" [chosenState]="chosenState()" [sheetAt]="sheetAt()" [bareAt]="bareAt()" (go)="go($event)" />
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (onBare()) {
        <div class="head">
          <div>
            <h1>Sheets without cells</h1>
            <p>
              {{
                store.bare()?.total === 0
                  ? 'There are none: every sheet has cells.'
                  : 'No block on them has attributes, and no text stands in a box with a caption.' + (mayEdit() ? ' Choose a text that shall be a cell.' : '')
              }}
            </p>
          </div>
        </div>
        @if (bareSheet(); as s) {
          <p class="sheet"><rule-file [id]="s.file" [path]="s.path" [text]="leaf(s.path)" />, {{ s.layout === 'model' ? 'model space' : s.layout }}</p>
          <div class="card">
            <rule-sheet-view
              [sheet]="s"
              [version]="applied()"
              [label]="'Sheet ' + s.layout + ' of ' + leaf(s.path)"
              [anchoring]="mayEdit()"
              [picked]="picked()?.name ?? null"
              (pick)="picked.set($event)"
            />
          </div>
        }
      } @else if (store.block(); as b) {
        <div class="head">
          <div>
            <h1>{{ b.name }}</h1>
            <p>
              {{ b.cells.length | count: 'cell' }}{{ store.unbound() ? ', ' + store.unbound() + ' not bound' : '' }},
              {{ b.placed > b.sheets ? (b.placed | count: 'label') + ' on ' : 'on ' }}{{ b.sheets | count: 'sheet' }} of {{ b.drawings | count: 'drawing' }}.
            </p>
          </div>
          @if (mayEdit()) {
            <div class="actions">
              @if (store.view()) {
                <p-button severity="secondary" [label]="anchoring() ? 'Back to cells' : 'Anchor texts'" (onClick)="anchoring.set(!anchoring())" />
              }
              @if (!changing()) {
                <p-button severity="secondary" label="Change" ariaLabel="Change the cells of this block" (onClick)="changing.set(true)" />
              }
              @if (!exchanging()) {
                <p-button severity="secondary" label="Exchange" ariaLabel="Exchange this block for another" (onClick)="exchanging.set(true)" />
              }
              @if (store.inState()('lacking'); as n) {
                <p-button severity="secondary" [label]="'Give ' + cellsOf(n) + ' that drawings lack'" (onClick)="put('lacking')" />
              }
              @if (store.inState()('would be erased'); as n) {
                <p-button severity="secondary" [label]="'Take up ' + (n | count: 'text')" (onClick)="takeUp()" />
                <p-button severity="secondary" [label]="'Empty ' + (n | count: 'text') + ' whose source is blank'" (onClick)="put('would be erased')" />
              }
              @if (store.inState()('does not fit'); as n) {
                <p-button severity="secondary" [label]="'Make ' + (n | count: 'text') + ' fit'" (onClick)="put('does not fit')" />
              }
              @if (store.inState()('stale'); as n) {
                <p-button [label]="'Put ' + cellsOf(n, 'stale ') + ' in the tray'" (onClick)="put('stale')" />
              }
            </div>
          }
        </div>
        @if (homeless(); as property) {
          <rule-give-home [property]="property" (add)="changing.set(true)" (closed)="go({ home: null })" />
        }
        @if (changing() && mayEdit()) {
          <rule-change-cells [first]="firstCell()" (changed)="housed($event)" (closed)="changing.set(false)" />
        }
        @if (exchanging() && mayEdit()) {
          <rule-exchange-block (closed)="exchanging.set(false)" />
        }
        <div class="states" role="group" aria-label="Cell states">
          @for (entry of stateCounts(); track entry.state) {
            <button type="button" class="plain chip" [class]="entry.tone" [attr.aria-pressed]="chosenState() === entry.state" (click)="toggle(entry.state)">
              {{ entry.count }} {{ entry.text }}
            </button>
          } @empty {
            <span class="soft">No cells are bound yet. Select one and enter what it shows.</span>
          }
        </div>
        @if (store.conflicts().length) {
          <rule-conflict-list [conflicts]="store.conflicts()" />
        }
        @if (store.drafted(); as n) {
          <p class="note">
            {{ n | count: 'cell shows' : 'cells show' }} something else in the draft. <a routerLink="/schema" [queryParams]="{ view: 'try' }">Try the draft</a>,
            then bring it <a routerLink="/schema" [queryParams]="{ view: 'editions' }">into force</a>; until then drawings are measured by the edition in force.
          </p>
        }
        @if (store.view(); as v) {
          <p class="sheet">
            <rule-file [id]="v.file.id" [path]="v.file.path" [text]="v.file.name" />, {{ v.layout === 'model' ? 'model space' : v.layout
            }}{{ v.sheets > 1 ? ' (sheet ' + v.number + ' of ' + v.sheets + ')' : '' }}{{ v.inside ? ', in the block ' + v.inside : ''
            }}{{ asksModel() ? ':' : '.' }}
            @if (v.model.file !== null) {
              fed by <rule-file [id]="v.model.file" [path]="v.model.path ?? ''" [text]="leaf(v.model.path ?? '')" />, {{ foundBy(v) }}.
            } @else if (v.model.match.state === 'ambiguous') {
              <span class="bad">more than one file could be its model.</span>
            } @else if (asksModel()) {
              <span class="bad">its model is not in the library.</span>
            }
            @if (mayEdit() && staleHere(); as n) {
              <button type="button" class="link" (click)="putHere()">Put the {{ cellsOf(n, 'stale ') }} of this drawing in the tray</button>
            }
          </p>
          <div class="card">
            <rule-sheet-view
              [sheet]="shownSheet()!"
              [version]="applied()"
              [label]="'Sheet ' + v.layout + ' of ' + v.file.name"
              [texts]="texts()"
              [marks]="marks()"
              [chosen]="chosen()"
              [writing]="writing()"
              [anchoring]="anchoring()"
              [picked]="picked()?.name ?? null"
              (pick)="picked.set($event)"
              (choose)="pick($event)"
              (write)="beginWriting($event)"
              (written)="write($event)"
              (stopped)="writingIn.set(null)"
            />
          </div>
          <p class="legend">
            <span class="chip brass">text</span> differs from what the drawing holds · <span class="fits">text</span> too long for its cell ·
            <span class="placeholder">text</span> a placeholder for a blank, never written
          </p>
        }
        <div class="card"><rule-cell-table [rows]="rows()" [chosen]="cell()" (choose)="go({ cell: $event })" /></div>
      } @else if (store.blocks()?.length === 0) {
        <h1>Title blocks</h1>
        <p class="note">No drawing has a title block with cells yet.</p>
      } @else {
        <h1>Title blocks</h1>
        @if (!store.error()) {
          <rule-waiting />
        }
      }

      <div bench="inspector">
        @if (onBare() && !textSheet()) {
          <p class="soft">{{ bareSheet() ? 'Editors make its texts cells.' : 'Nothing is left to anchor.' }}</p>
        } @else if (textSheet(); as sheet) {
          @if (picked(); as text) {
            <rule-anchor-text [sheet]="sheet" [text]="text" (anchored)="picked.set(null)" />
          } @else {
            <p class="soft">Choose a text on the sheet to make it a cell. Its anchor is kept in the drawing, as extended data of the text.</p>
          }
        } @else if (chosenRow(); as row) {
          <rule-cell-inspector [row]="row" [hint]="hintOf(row)" [together]="more()" (write)="beginWriting(row.tag)" />
        } @else {
          <p class="soft">Select a cell to see what it shows and why, and to bind it.</p>
          @if (mayAdminister() && store.block()) {
            <rule-bind-several />
          }
        }
        @if (!textSheet() && store.view(); as v) {
          @if (asksModel() || v.model.file !== null) {
            <rule-sheet-model [view]="v" />
          }
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .states {
      display: flex;
      flex-wrap: wrap;
      gap: 6px;
      margin: 0 0 12px;
    }
    .states button {
      cursor: pointer;
    }
    .states button[aria-pressed='true'] {
      outline: 2px solid var(--verdigris);
    }
    .sheet {
      margin: 0 0 6px;
    }
    .fits {
      border-bottom: 2px dashed var(--ochre);
    }
    .legend {
      color: var(--soft);
      margin: 6px 2px 12px;
    }
  `,
})
export class TitleBlocksStation {
  protected readonly store = inject(TitleBlocksStore);
  private readonly global = inject(Store);
  private readonly router = inject(Router);
  protected readonly leaf = fileName;
  readonly block = input<string>();
  /** The displayed sheet, as drawing number and holder key. */
  readonly sheet = input<string>();
  readonly cell = input<string>();
  readonly state = input<string>();
  /** Number of a property that is to get a cell. */
  readonly home = input<string>();
  /** Whether sheets without cells are shown. */
  readonly bare = input<string>();

  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly lines = this.global.selectSignal(trayFeature.selectLines);
  private readonly notices = inject(Notices);

  /** Whether the exchange is open; reset for another block. */
  protected readonly exchanging = linkedSignal({ source: () => this.store.block()?.family, computation: () => false });
  /** The same for changing its cells. */
  protected readonly changing = linkedSignal({ source: () => this.store.block()?.family, computation: () => false });
  /** The property of sheets that is to get a cell. */
  protected readonly homeless = computed(() =>
    this.mayAdminister() ? (this.store.properties().find((property) => String(property.id) === this.home() && property.level === 'sheet') ?? null) : null,
  );
  protected readonly firstCell = computed(() => {
    const property = this.homeless();
    return property ? { name: property.writtenName.toUpperCase().replace(/\s+/g, '_'), prompt: property.caption } : null;
  });
  protected readonly onBare = computed(() => this.bare() !== undefined);
  protected readonly bareAt = computed(() => {
    const rows = this.store.bare()?.rows ?? [];
    const at = rows.findIndex((row) => `${row.file}/${row.layout}` === this.sheet());
    return at >= 0 ? at : rows.length ? 0 : null;
  });
  protected readonly bareSheet = computed(
    () => {
      const at = this.bareAt();
      const row = at === null ? undefined : this.store.bare()?.rows[at];
      return row ? { file: row.file, path: row.path, layout: row.layout, holder: '' } : null;
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  /** Whether plain texts are chosen on the sheet instead of cells; reset for another block. */
  protected readonly anchoring = linkedSignal({ source: () => this.store.block()?.family, computation: () => false });
  /** The sheet on which texts are chosen; `null` while cells are. */
  protected readonly textSheet = computed(() => (this.onBare() ? (this.mayEdit() ? this.bareSheet() : null) : this.anchoring() ? this.shownSheet() : null));
  /** The chosen text; reset for another sheet. */
  protected readonly picked = linkedSignal<unknown, SheetText | null>({
    source: () => JSON.stringify([this.textSheet(), this.applied()]),
    computation: () => null,
  });
  protected readonly chosenState = computed(() => CELL_STATES.find((state) => state === this.state()) ?? null);
  protected readonly stateCounts = computed(() => {
    const count = this.store.inState();
    return SHOWN_STATES.map((state) => ({ state, count: count(state), text: COUNTED[state] ?? CELL_STATE_WORDS[state], tone: TONES[state] })).filter(
      (entry) => entry.count > 0,
    );
  });
  protected readonly sheetAt = computed(() => {
    const wanted = this.sheet();
    const at = this.store.rows().findIndex((row) => `${row.file}/${row.holder}` === wanted);
    return at >= 0 ? at : this.store.rows().length ? 0 : null;
  });
  protected readonly rows = computed(() => cellRows(this.store.block(), this.store.view(), (cell) => this.inWords(cell)));
  protected readonly shownSheet = computed(
    () => {
      const view = this.store.view();
      return view ? { file: view.file.id, layout: view.layout, holder: view.holder } : null;
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  /** Whether the sheet needs a model; labels in model space may not. */
  protected readonly asksModel = computed(
    () =>
      this.store.view()?.layout !== 'model' ||
      this.rows().some(({ binding, drafted }) =>
        [...(binding?.shows ?? []), ...(drafted?.shows ?? [])].some((piece) =>
          'from' in piece ? piece.from === 'model' : 'fact' in piece && piece.fact === 'model file name',
        ),
      ),
  );
  /** Drawn texts: target values, or placeholders for blanks. */
  protected readonly texts = computed(() => (this.store.view()?.cells ?? []).flatMap((cell) => shownText(this.store.view()!.holder, cell)));
  protected readonly marks = computed(() => this.rows().map(markOf));
  /** Cells selected together. */
  protected readonly more = signal<readonly string[]>([]);
  protected readonly chosen = computed(() => {
    const cell = this.cell();
    return cell === undefined ? [] : [...new Set([cell, ...this.more()])];
  });
  /** The cell being typed in. */
  protected readonly writingIn = signal<string | null>(null);
  protected readonly writing = computed(() => {
    const row = this.rows().find((candidate) => candidate.tag === this.writingIn());
    return row ? { tag: row.tag, text: row.owner ? row.owner.text : (row.stored ?? ''), hint: this.hintOf(row) } : null;
  });
  /** Stale cells of the drawing on all sheets. */
  protected readonly staleHere = computed(() => {
    const file = this.store.view()?.file.id;
    return this.store.rows().reduce((total, row) => total + (row.file === file ? (row.states.stale ?? 0) : 0), 0);
  });
  protected readonly chosenRow = computed(() => this.rows().find((row) => row.tag === this.cell()) ?? null);

  constructor() {
    effect(() => {
      this.applied();
      untracked(() => {
        this.store.load();
        this.store.loadBare();
      });
    });
    effect(() => {
      if (this.mayAdminister()) untracked(() => this.store.loadProperties());
    });
    effect(() => this.store.want({ family: this.block() ?? null, state: this.chosenState() }));
    effect(() => {
      const at = this.sheetAt();
      // Pending lines count as applied.
      this.lines();
      const row = at === null ? undefined : this.store.rows()[at];
      untracked(() => this.store.show(row ? { file: row.file, holder: row.holder } : null));
    });
  }

  private inWords(cell: BlockCell): string {
    if (cell.constant) return 'what its block says';
    return cell.drafted ? bindingWords(cell.drafted, (id) => this.store.captionOf()(id, 'a property that is not in force yet')) : 'nothing';
  }

  protected cellsOf(n: number, more = ''): string {
    return count(n, `${more}cell`);
  }
  protected foundBy({ model }: BlockView): string {
    if (model.settled) return 'settled for this sheet';
    return model.match.state === 'matched' ? (model.match.by === 'settled' ? 'settled by hand' : `found by ${model.match.by}`) : '';
  }
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  /** Bindings follow renamed cells; a cell that was added for a property becomes its home. */
  protected housed({ block, steps }: BlockCellChange): void {
    const followed = steps.flatMap((step) => {
      const row = step.do === 'name' ? this.rows().find(({ tag }) => tag === step.tag) : undefined;
      const binding = row && (row.drafted ?? row.binding);
      return binding && step.do === 'name' ? [{ ...withoutId(binding), block: binding.block === null ? null : block, cell: step.to }] : [];
    });
    if (followed.length && this.mayAdminister()) this.store.bind(followed);
    const property = this.homeless();
    const added = steps.find((step) => step.do === 'add' || step.do === 'make');
    if (!property || !added) return;
    this.store.bind([homeBinding(block, added.tag, property.id)]);
    this.notices.done(`${added.tag} holds ${property.caption} as soon as the draft is in force and the blocks are changed.`);
    this.go({ home: null });
  }
  protected toggle(state: CellState): void {
    this.go({ state: this.chosenState() === state ? null : state, sheet: null });
  }

  protected pick({ tag, more }: { readonly tag: string; readonly more: boolean }): void {
    if (more) this.more.update((tags) => (tags.includes(tag) ? tags.filter((other) => other !== tag) : [...new Set([...this.chosen(), tag])]));
    else {
      this.more.set([tag]);
      this.go({ cell: tag });
    }
  }
  /** Owner of the value typed in a cell. */
  protected hintOf({ owner, tag }: { readonly owner: OwnedValue | null; readonly tag: string }): string {
    return owner
      ? `changes ${this.store.captionOf()(owner.property)} of ${fileName(owner.of)}`
      : `${tag} shows no property: changes its text on this sheet alone`;
  }
  protected beginWriting(tag: string): void {
    const row = this.rows().find((candidate) => candidate.tag === tag);
    if (!row || !this.mayEdit()) return;
    this.go({ cell: tag });
    if (row.fixed !== null || row.constant)
      return this.notices.done(`${tag} is ${row.constant ? 'fixed in its block' : 'computed by the drawing'}: nothing is typed there.`);
    if (row.bound && !row.owner) return this.notices.done(`${tag} shows ${row.words}: change these where they are kept.`);
    if (row.owner?.closed) return this.notices.done(`${row.owner.of}: ${row.owner.closed}.`);
    this.writingIn.set(tag);
  }
  protected write(text: string): void {
    const row = this.rows().find((candidate) => candidate.tag === this.writingIn());
    const view = this.store.view();
    this.writingIn.set(null);
    if (!row || !view) return;
    this.store.write(row.owner ? { owner: row.owner, text } : { file: view.file.id, holder: view.holder, tag: row.tag, text });
  }
  protected takeUp(): void {
    this.store.takeUp({ block: this.store.block()!.family, cells: null, drawings: null });
  }
  protected put(wish: CellWish): void {
    this.store.put({ wishes: [wish], cells: null, drawings: null });
  }
  protected putHere(): void {
    this.store.put({ wishes: ['stale'], cells: null, drawings: [this.store.view()!.file.id] });
  }
}

/** A binding without its number, to be made again. */
function withoutId({ id: _, ...binding }: Binding): Omit<Binding, 'id'> {
  void _;
  return binding;
}

const TONES: Readonly<Record<CellState, string>> = {
  stale: 'brass',
  'does not fit': 'warn',
  'would be erased': 'warn',
  lacking: 'warn',
  'no model': 'bad',
  blank: '',
  computed: '',
  fixed: '',
  right: 'good',
};

/** Plural wording of states. */
const COUNTED: Readonly<Partial<Record<CellState, string>>> = { right: 'as they should be', 'does not fit': 'too long', 'no model': 'without a model' };
