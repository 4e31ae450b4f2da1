import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { BlockCell, BlockView, OwnedValue } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { Binding, bindingWords, familyOf, newDraft, sameDefinition } from '@rule/core/schema';
import { BoundCell, CELL_STATES, CellFit, CELL_STATE_WORDS, CellState, CellWish, remedyWords, tooLong } from '@rule/core/titleblocks';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { SelectModule } from 'primeng/select';
import { Bench, catalogueFeature, Count, FileChoices, FileLink, IndexEntry, IndexList, IndexRow, Notices, sessionFeature, trayFeature, Way } from '../shared';
import { BindingEditor, LackingProperty } from './binding-editor';
import { ShownText } from './painter';
import { CellMark, SheetView } from './sheet-view';
import { LearnedCell, TitleBlocksStore } from './title-blocks.store';

/** States in the order in which somebody wants to know of them. */
const SHOWN_STATES: readonly CellState[] = ['stale', 'does not fit', 'would be erased', 'lacking', 'no model', 'blank', 'computed', 'fixed', 'right'];

/** Title blocks: their cells, what each is bound to, and every sheet's block filled. */
@Component({
  selector: 'rule-title-blocks-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [TitleBlocksStore],
  imports: [Bench, BindingEditor, ButtonModule, Count, FileLink, FormsModule, IndexList, IndexRow, RouterLink, SelectModule, SheetView, Way],
  template: `
    <rule-bench label="Title blocks">
      <div bench="index">
        <h3>Title blocks</h3>
        @for (row of store.blocks() ?? []; track row.family) {
          <rule-index-row
            [text]="row.name"
            [end]="row.sheets | count: 'sheet'"
            [on]="row.family === store.block()?.family"
            (choose)="go({ block: row.family, sheet: null, cell: null, state: null })"
          />
        }
        @if (store.block()) {
          <h3>{{ chosenState() ? 'Sheets with a cell that ' + clause(chosenState()!) : 'Sheets with this block' }}</h3>
          <rule-index-list [entries]="sheetEntries()" [chosen]="sheetAt()" (choose)="goSheet($event)" />
          @if (store.sheets(); as page) {
            @if (page.total > page.rows.length) {
              <p class="soft rest">{{ page.total - page.rows.length }} more; choose a state to see fewer.</p>
            } @else if (page.total === 0) {
              <p class="soft rest">None.</p>
            }
          }
        }
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.block(); as b) {
        <div class="head">
          <div>
            <h1>{{ b.name }}</h1>
            <p>
              {{ b.cells.length | count: 'cell' }}{{ store.unbound() ? ', ' + store.unbound() + ' bound to nothing' : '' }}, on
              {{ b.sheets | count: 'sheet' }} of {{ b.drawings | count: 'drawing' }}.
            </p>
          </div>
          @if (mayEdit()) {
            <div class="actions">
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
        <div class="states" role="group" aria-label="How the cells stand">
          @for (entry of stateCounts(); track entry.state) {
            <button type="button" class="plain chip" [class]="entry.tone" [attr.aria-pressed]="chosenState() === entry.state" (click)="toggle(entry.state)">
              {{ entry.count }} {{ entry.text }}
            </button>
          } @empty {
            <span class="soft">No cell is bound yet. Choose one and say what it shows.</span>
          }
        </div>
        @if (store.conflicts().length) {
          <section class="card conflicts">
            <h2>{{ store.conflicts().length | count: 'text' }} not taken up</h2>
            <table class="list">
              <thead>
                <tr>
                  <th>Drawing</th>
                  <th>Cell</th>
                  <th>Text</th>
                  <th>Why</th>
                </tr>
              </thead>
              <tbody>
                @for (row of store.conflicts(); track $index) {
                  <tr>
                    <td><rule-file [id]="row.file" [path]="row.path" [text]="leaf(row.path)" /></td>
                    <td class="mono">{{ row.tag }}</td>
                    <td class="mono">{{ row.text }}</td>
                    <td>{{ row.why }}</td>
                  </tr>
                }
              </tbody>
            </table>
          </section>
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
            }}{{ v.sheets > 1 ? ' (sheet ' + v.number + ' of ' + v.sheets + ')' : '' }}{{ v.inside ? ', in the block ' + v.inside : '' }}:
            @if (v.model.file !== null) {
              fed by <rule-file [id]="v.model.file" [path]="v.model.path ?? ''" [text]="leaf(v.model.path ?? '')" />, {{ foundBy(v) }}.
            } @else if (v.model.match.state === 'ambiguous') {
              <span class="bad">more than one file could be its model.</span>
            } @else {
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
        <div class="card cells">
          <table class="list">
            <thead>
              <tr>
                <th>Cell</th>
                <th>Shows</th>
                <th>On this sheet</th>
                <th>Would read</th>
                <th>On all sheets</th>
              </tr>
            </thead>
            <tbody>
              @for (row of rows(); track row.tag) {
                <tr [class.on]="row.tag === cell()" (click)="go({ cell: row.tag })">
                  <td>
                    <button type="button" class="plain mono" [attr.aria-pressed]="row.tag === cell()" [title]="row.prompt">{{ row.tag }}</button>
                  </td>
                  <td [title]="row.words">
                    {{ row.words }}
                    @if (row.inDraft) {
                      <span class="chip">draft</span>
                    }
                  </td>
                  <td class="mono" [title]="row.stored ?? ''">{{ row.stored === null ? '' : row.stored || '—' }}</td>
                  <td>
                    @if (row.bound; as bound) {
                      @switch (bound.state) {
                        @case ('right') {
                          <span class="soft">the same</span>
                        }
                        @case ('stale') {
                          <span class="mono changed">{{ row.would }}</span>
                        }
                        @case ('does not fit') {
                          <span class="warn" [title]="row.fitWords">too long</span> <span class="soft">{{ row.remedy }}</span>
                        }
                        @case ('lacking') {
                          <span class="mono changed">{{ row.would || '—' }}</span> <span class="soft">lacking here</span>
                        }
                        @default {
                          <span class="soft" [title]="row.why">{{ row.why || words[bound.state] }}</span>
                        }
                      }
                    } @else if (row.constant) {
                      <span class="soft">fixed in the block</span>
                    } @else {
                      <span class="soft">left as it is</span>
                    }
                  </td>
                  <td class="soft">{{ row.counts }}</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else if (store.blocks()?.length === 0) {
        <p class="note">No drawing has a block with attributes. Rule lists the blocks that it finds when it reads DXF drawings.</p>
      } @else if (!store.error()) {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (chosenRow(); as row) {
          <h2>Cell {{ row.tag }}</h2>
          <p class="soft">{{ row.prompt }}</p>
          @if (row.bound; as bound) {
            @switch (bound.state) {
              @case ('right') {
                <p class="good">The sheet shows what it should.</p>
              }
              @case ('stale') {
                <p class="note">The sheet shows {{ row.stored || 'nothing' }}; it should show {{ row.would }}.</p>
              }
              @case ('does not fit') {
                <p class="note">The text is longer than its cell.</p>
              }
              @case ('would be erased') {
                <p class="note">
                  The sheet shows {{ row.stored }}, and its source has nothing to show: {{ row.why }}. The text stays until somebody empties it.
                </p>
              }
              @case ('lacking') {
                <p class="note">The block has this cell, and the drawing not yet. It can be given to it.</p>
              }
              @case ('fixed') {
                <p class="note">Its text stands in the block, and is the same on every sheet. It is never written.</p>
              }
              @case ('computed') {
                <p class="note">The drawing computes this text itself ({{ row.fixed }}). It is never written over.</p>
              }
              @default {
                <p class="note bad">Empty: {{ row.why }}.</p>
              }
            }
          }
          @if (mayEdit() && store.view() && (row.owner || !row.bound) && !row.constant) {
            @if (row.owner?.closed; as why) {
              <p class="soft">It cannot be typed here: {{ row.owner!.of }}, {{ why }}.</p>
            } @else {
              <p>
                <button type="button" class="link" (click)="beginWriting(row.tag)">Type here</button>&ngsp;<span class="soft">{{ hintOf(row) }}</span>
              </p>
            }
          }
          @if (row.fitWords) {
            <p [class]="row.tooLong ? 'warn' : 'soft'">{{ row.fitWords }}</p>
            @if (row.tooLong && mayEdit()) {
              @if (row.remedy) {
                <button type="button" class="link" (click)="makeFit(row.tag)">Make it fit here: {{ row.remedy }}</button>
              } @else {
                <p class="soft">No remedy of this cell makes it fit. Allow another one below, or shorten the value.</p>
              }
            }
          }
          @if (mayAdminister() && !row.constant) {
            <h2>What it shows</h2>
            @if (learnedHere(); as found) {
              <p class="note">
                {{ found.agree }} of {{ found.compared }} drawings show {{ captionOf(found.propertyId) }} of the {{ found.source }} here.
                <button type="button" class="link" (click)="bindLearned([found])">Bind it so</button>
              </p>
            }
            <rule-binding-editor
              [cell]="row"
              [block]="store.block()!.name"
              [properties]="store.properties()"
              (bind)="bind([$event])"
              (define)="define($event)"
            />
            @if (more().length > 1) {
              <p class="soft">
                {{ more().length | count: 'cell' }} selected.
                <button type="button" class="link" (click)="bindAll(row)">Bind all of them like {{ row.tag }}</button>
              </p>
            }
          } @else if (!row.constant) {
            <p>Shows {{ row.words }}.</p>
          }
          <rule-way [property]="row.property" />
        } @else {
          <p class="soft">Select a cell on the sheet or in the list to see why it reads as it does, and to say what it shows.</p>
          @if (mayAdminister() && store.block()) {
            <h2>Bind several cells</h2>
            @if (store.learned() === null) {
              <p-button size="small" severity="secondary" label="Learn from drawings" [loading]="store.learning()" (onClick)="store.learn()" />
              <p class="soft">Rule compares what the cells hold with the values of drawings and models.</p>
            } @else {
              @for (found of learned(); track found.tag) {
                <p>
                  <span class="mono">{{ found.tag }}</span> shows {{ captionOf(found.propertyId) }} of the {{ found.source }}
                  <span class="soft">({{ found.agree }} of {{ found.compared }} drawings)</span>
                </p>
              } @empty {
                <p class="soft">The drawings say nothing about cells that are not bound yet.</p>
              }
              @if (learned().length) {
                <p-button size="small" [label]="'Bind ' + (learned().length | count: 'cell')" (onClick)="bindLearned(learned())" />
              }
            }
            @if (others().length) {
              <p class="copy">
                <p-select
                  size="small"
                  [options]="others()"
                  optionLabel="name"
                  optionValue="family"
                  placeholder="Copy bindings from …"
                  ariaLabel="Block to copy bindings from"
                  [ngModel]="null"
                  (ngModelChange)="copyFrom($event)"
                />
              </p>
            }
          }
        }
        @if (store.view(); as v) {
          <h2>Which model feeds this sheet?</h2>
          <p class="soft">{{ modelWords(v) }}</p>
          @if (mayEdit()) {
            <p-select
              [options]="models()"
              optionLabel="path"
              optionValue="id"
              [filter]="true"
              [showClear]="true"
              placeholder="Choose the model"
              ariaLabel="Model"
              [ngModel]="v.model.file"
              (ngModelChange)="settle($event)"
              (onShow)="candidates.look('')"
              (onFilter)="candidates.look($event.filter)"
            />
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
    .rest {
      padding: 4px 18px;
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
    .cells {
      overflow: auto;
    }
    .changed {
      background: var(--brass-tint);
      color: var(--brass-ink);
      padding: 1px 5px;
      border-radius: 3px;
    }
    td {
      max-width: 190px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    p-select {
      width: 100%;
    }
  `,
})
export class TitleBlocksStation {
  protected readonly store = inject(TitleBlocksStore);
  private readonly global = inject(Store);
  private readonly router = inject(Router);
  protected readonly leaf = fileName;
  protected readonly words = CELL_STATE_WORDS;
  readonly block = input<string>();
  /** The sheet that is shown, as its drawing's number and the key of its block. */
  readonly sheet = input<string>();
  readonly cell = input<string>();
  readonly state = input<string>();

  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly properties = this.global.selectSignal(catalogueFeature.selectActive);
  protected readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly lines = this.global.selectSignal(trayFeature.selectLines);
  private readonly notices = inject(Notices);
  protected readonly candidates = new FileChoices(['part', 'assembly', 'other']);

  protected readonly chosenState = computed(() => CELL_STATES.find((state) => state === this.state()) ?? null);
  /** The model that feeds the sheet, and those that are found. */
  protected readonly models = computed(() => {
    const { file, path } = this.store.view()?.model ?? { file: null, path: null };
    const found = this.candidates.files();
    const present = file !== null && path !== null && !found.some((candidate) => candidate.id === file) ? [{ id: file, path }] : [];
    return [...present, ...found];
  });
  protected readonly stateCounts = computed(() => {
    const count = this.store.inState();
    return SHOWN_STATES.map((state) => ({ state, count: count(state), text: COUNTED[state] ?? CELL_STATE_WORDS[state], tone: TONES[state] })).filter(
      (entry) => entry.count > 0,
    );
  });
  protected readonly sheetEntries = computed<IndexEntry[]>(() =>
    this.store.rows().map(({ path, layout, sheets, states, lock }, id) => {
      const [odd] = SHOWN_STATES.filter((state) => state !== 'right' && state !== 'blank' && state !== 'fixed' && state !== 'computed' && states[state]);
      return {
        id,
        text: sheets > 1 ? `${fileName(path)} · ${layout}` : fileName(path),
        end: odd ? `${states[odd]} ${SHORT[odd] ?? odd}` : lock ? 'locked' : '',
        tone: odd ? 'warn' : '',
      };
    }),
  );
  protected readonly sheetAt = computed(() => {
    const wanted = this.sheet();
    const at = this.store.rows().findIndex((row) => `${row.file}/${row.holder}` === wanted);
    return at >= 0 ? at : this.store.rows().length ? 0 : null;
  });
  private readonly captions = computed(() => new Map([...this.store.properties(), ...this.properties()].map((property) => [property.id, property.caption])));
  protected readonly rows = computed(() =>
    (this.store.block()?.cells ?? []).map((cell) => {
      const shown = this.store.view()?.cells.find((candidate) => candidate.tag === cell.tag);
      const bound = shown?.bound ?? null;
      const piece = (cell.drafted ?? cell.binding)?.shows.find((candidate) => 'property' in candidate);
      return {
        ...cell,
        stored: shown?.stored ?? null,
        fixed: shown?.fixed ?? null,
        bound,
        would: bound?.shown.state === 'value' ? bound.shown.text : '',
        owner: shown?.owner ?? null,
        why: bound && bound.shown.state !== 'value' ? bound.shown.why : '',
        tooLong: tooLong(bound?.fit ?? null),
        fitWords: bound?.fit ? fitWords(bound.fit) : '',
        remedy: bound?.fit ? remedyWords(bound.fit) : '',
        words: this.inWords(cell),
        inDraft: !sameDefinition(cell.binding, cell.drafted),
        property: piece && 'property' in piece ? piece.property : null,
        counts: SHOWN_STATES.flatMap((state) => (cell.states[state] ? [`${cell.states[state]} ${SHORT[state] ?? state}`] : [])).join(' · '),
      };
    }),
  );
  protected readonly shownSheet = computed(
    () => {
      const view = this.store.view();
      return view ? { file: view.file.id, layout: view.layout, holder: view.holder } : null;
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  /** What cells are drawn with: what they would show, or a placeholder where they are blank. */
  protected readonly texts = computed(() => (this.store.view()?.cells ?? []).flatMap((cell) => shownText(this.store.view()!.holder, cell)));
  protected readonly marks = computed(() => this.rows().map((row): CellMark => ({ tag: row.tag, label: labelOf(row), tone: markOf(row.bound) })));
  /** Cells that are chosen together. */
  protected readonly more = signal<readonly string[]>([]);
  protected readonly chosen = computed(() => {
    const cell = this.cell();
    return cell === undefined ? [] : [...new Set([cell, ...this.more()])];
  });
  /** The cell that somebody writes in. */
  protected readonly writingIn = signal<string | null>(null);
  protected readonly writing = computed(() => {
    const row = this.rows().find((candidate) => candidate.tag === this.writingIn());
    return row ? { tag: row.tag, text: row.owner ? row.owner.text : (row.stored ?? ''), hint: this.hintOf(row) } : null;
  });
  /** What the drawings say of cells of this block that the draft binds to nothing. */
  protected readonly learned = computed(() => {
    const block = this.store.block();
    const free = new Set((block?.cells ?? []).filter((cell) => !cell.constant && !cell.drafted).map((cell) => cell.tag));
    return (this.store.learned() ?? []).filter((found) => familyOf(found.block) === block?.family && free.has(found.tag));
  });
  protected readonly learnedHere = computed(() => this.learned().find((found) => found.tag === this.cell()) ?? null);
  /** Other blocks that have bound cells. */
  protected readonly others = computed(() =>
    (this.store.blocks() ?? []).filter((row) => row.family !== this.store.block()?.family && row.cells.some((cell) => cell.drafted)),
  );
  /** Stale cells of the drawing that is shown, on all of its sheets. */
  protected readonly staleHere = computed(() => {
    const file = this.store.view()?.file.id;
    return this.store.rows().reduce((total, row) => total + (row.file === file ? (row.states.stale ?? 0) : 0), 0);
  });
  protected readonly chosenRow = computed(() => this.rows().find((row) => row.tag === this.cell()) ?? null);

  constructor() {
    effect(() => {
      this.applied();
      untracked(() => this.store.load());
    });
    effect(() => {
      if (this.mayAdminister()) untracked(() => this.store.loadProperties());
    });
    effect(() => this.store.want({ family: this.block() ?? null, state: this.chosenState() }));
    effect(() => {
      const at = this.sheetAt();
      // Pending lines show in the picture as if they were applied.
      this.lines();
      const row = at === null ? undefined : this.store.rows()[at];
      untracked(() => this.store.show(row ? { file: row.file, holder: row.holder } : null));
    });
  }

  private inWords(cell: BlockCell): string {
    if (cell.constant) return 'what its block says';
    return cell.drafted ? bindingWords(cell.drafted, (id) => this.captions().get(id) ?? 'a property that is not in force yet') : 'nothing';
  }

  protected cellsOf(n: number, more = ''): string {
    return n === 1 ? `1 ${more}cell` : `${n} ${more}cells`;
  }
  /** A state as a clause: a cell that is stale, that shows what it should. */
  protected clause(state: CellState): string {
    return state === 'right' || state === 'would be erased' ? CELL_STATE_WORDS[state] : state === 'no model' ? 'has no model' : `is ${CELL_STATE_WORDS[state]}`;
  }
  protected foundBy({ model }: BlockView): string {
    if (model.settled) return 'settled for this sheet';
    return model.match.state === 'matched' ? (model.match.by === 'settled' ? 'settled by hand' : `found by ${model.match.by}`) : '';
  }
  protected modelWords({ model, sheets }: BlockView): string {
    if (model.settled) return 'It was settled for this sheet alone. Clear it to take the model of the drawing again.';
    const whom = sheets > 1 ? ' Choosing one here settles it for this sheet alone.' : ' Choosing one settles it for the drawing.';
    if (model.match.state === 'matched') return `The model that the drawing shows.${whom}`;
    return model.match.state === 'ambiguous'
      ? `More than one file could be it.${whom}`
      : `Neither the drawing's own property nor its file name leads to one.${whom}`;
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  protected goSheet(at: number): void {
    const { file, holder } = this.store.rows()[at]!;
    this.go({ sheet: `${file}/${holder}` });
  }
  protected toggle(state: CellState): void {
    this.go({ state: this.chosenState() === state ? null : state, sheet: null });
  }

  protected bind(bindings: readonly Omit<Binding, 'id'>[]): void {
    this.store.bind({ bindings, done: () => undefined });
  }
  /** Binds all chosen cells as one of them is. */
  protected bindAll({ drafted, tag }: BlockCell): void {
    if (!drafted) return;
    const { id: _, ...binding } = drafted;
    void _;
    this.bind(
      this.more()
        .filter((other) => other !== tag)
        .map((cell) => ({ ...binding, cell, block: this.store.block()!.name, leads: false })),
    );
  }
  protected bindLearned(cells: readonly LearnedCell[]): void {
    this.bind(
      cells.map(({ tag, propertyId, source, form }) => ({
        block: this.store.block()!.name,
        cell: tag,
        leads: false,
        shows: [{ property: propertyId, from: source, form }],
      })),
    );
  }
  /** Binds cells that are bound to nothing as cells of the same name in another block are. */
  protected copyFrom(family: string): void {
    const from = this.store.blocks()?.find((row) => row.family === family);
    const free = (this.store.block()?.cells ?? []).filter((cell) => !cell.constant && !cell.drafted);
    const bindings = free.flatMap(({ tag }) => {
      const like = from?.cells.find((cell) => cell.tag.toLowerCase() === tag.toLowerCase())?.drafted;
      if (!like) return [];
      const { id: _, ...binding } = like;
      void _;
      return [{ ...binding, cell: tag, block: this.store.block()!.name }];
    });
    if (bindings.length) this.bind(bindings);
    else this.notices.done(`${from?.name ?? 'The block'} has no bound cell that is unbound here.`);
  }
  protected define({ name, level }: LackingProperty): void {
    const kinds = level === 'model' ? (['part', 'assembly'] as const) : (['drawing'] as const);
    this.store.define({
      property: { ...newDraft(name), kinds, level: level === 'sheet' ? 'sheet' : 'document' },
      done: () => this.notices.done(`${name} defined in the draft. Press Enter to bind the cell to it.`),
    });
  }
  protected captionOf(id: number): string {
    return this.captions().get(id) ?? 'a property';
  }

  protected pick({ tag, more }: { readonly tag: string; readonly more: boolean }): void {
    if (more) this.more.update((tags) => (tags.includes(tag) ? tags.filter((other) => other !== tag) : [...new Set([...this.chosen(), tag])]));
    else {
      this.more.set([tag]);
      this.go({ cell: tag });
    }
  }
  /** Whose value typing in a cell changes. */
  protected hintOf({ owner, tag }: { readonly owner: OwnedValue | null; readonly tag: string }): string {
    return owner ? `changes ${this.captionOf(owner.property)} of ${fileName(owner.of)}` : `${tag} shows no property: changes its text on this sheet alone`;
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
  protected makeFit(tag: string): void {
    this.store.put({ wishes: ['does not fit'], cells: [tag], drawings: [this.store.view()!.file.id] });
  }
  protected putHere(): void {
    this.store.put({ wishes: ['stale'], cells: null, drawings: [this.store.view()!.file.id] });
  }
  protected settle(model: number | null): void {
    const { file, layout, sheets, model: fed, holder } = this.store.view()!;
    const whole = sheets <= 1 && !fed.settled;
    this.store.settle({ file: file.id, layout: whole ? null : layout, model, done: () => this.store.show({ file: file.id, holder }) });
  }
}

/** How a cell is drawn where that is not what it holds. */
function shownText(holder: string, { tag, stored, bound }: BlockView['cells'][number]): ShownText[] {
  if (bound?.fixed !== null || stored === null) return [];
  const { fit } = bound;
  const lettering = fit ? { higher: fit.height / fit.held.height, wider: fit.widthFactor / fit.held.widthFactor } : { higher: 1, wider: 1 };
  if (bound.shown.state !== 'value')
    return stored.trim() === '' && bound.shown.placeholder ? [{ holder, tag, text: `‹${bound.shown.placeholder}›`, tone: 'placeholder', ...lettering }] : [];
  const text = bound.state === 'right' ? stored : bound.shown.text;
  const tone = tooLong(bound.fit) ? 'too long' : bound.state === 'stale' ? 'changed' : 'kept';
  return [{ holder, tag, text, tone, ...lettering }];
}

/** What is read out of a cell: its text, and what is the matter with it. */
function labelOf({
  tag,
  would,
  stored,
  bound,
}: {
  readonly tag: string;
  readonly would: string;
  readonly stored: string | null;
  readonly bound: BoundCell | null;
}): string {
  const text = would || stored || '';
  const placeholder = text === '' && bound && bound.shown.state !== 'value' ? bound.shown.placeholder : '';
  const matter = bound && bound.state !== 'right' && bound.state !== 'blank' ? CELL_STATE_WORDS[bound.state] : '';
  return [`Cell ${tag}: ${text || 'blank'}`, placeholder ? `placeholder ${placeholder}` : '', matter].filter(Boolean).join(', ');
}

/** How a text fits, in words. */
function fitWords({ ratio, needs, has, perUnit, unit, exact, font }: CellFit): string {
  if (ratio === null || has === null) return '';
  const tell = (n: number) => (unit === 'in' ? `${Number((n * perUnit).toPrecision(3))}"` : `${Number((n * perUnit).toPrecision(3))} mm`);
  return `${ratio > 1.001 ? 'Too long: it' : 'It'} takes ${tell(needs)} of ${tell(has)}${exact ? '' : `, measured with a font near to ${font}`}.`;
}

const markOf = (bound: BoundCell | null): CellMark['tone'] =>
  !bound
    ? ''
    : tooLong(bound.fit)
      ? 'too-long'
      : bound.state === 'stale'
        ? 'stale'
        : bound.state === 'lacking'
          ? 'lacking'
          : bound.state === 'no model'
            ? 'bad'
            : '';

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

/** States of many cells, where the words for one do not fit. */
const COUNTED: Readonly<Partial<Record<CellState, string>>> = { right: 'as they should be', 'does not fit': 'too long', 'no model': 'without a model' };

/** States in a word, for narrow places. */
const SHORT: Readonly<Partial<Record<CellState, string>>> = {
  right: 'right',
  'does not fit': 'too long',
  'would be erased': 'to empty',
  fixed: 'fixed',
  computed: 'computed',
};
