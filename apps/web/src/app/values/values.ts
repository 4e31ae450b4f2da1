import { CdkDrag, CdkDragDrop, CdkDropList, moveItemInArray } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import {
  Clause,
  FileDetails,
  FileFilter,
  ReplacementPreview,
  GridView,
  GridViewContent,
  GroupBy,
  OPERATORS,
  FINDING_KINDS,
  clauseProblem,
  FindingKind,
  UpToDate,
} from '@rule/contract';
import { INNER_LEVELS, Kind, KINDS, Property, isHeldAt, whyNotTyped } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleCheck, RuleOption, RuleSelect } from '../kit';
import {
  Api,
  Bench,
  catalogueFeature,
  Count,
  ExactName,
  FileLink,
  IndexRow,
  Notices,
  PendingStore,
  plainHeld,
  sessionFeature,
  TrayActions,
  trayFeature,
  Way,
  lockWords,
} from '../shared';
import { choiceOf, rangesOf } from './choice';
import { FillSheet } from './fill-sheet';
import { ChosenCell, GridEdit, KIND_OF_LEVEL, LEVEL_WORDS, Refused, ValuesGrid, cellKey, holderOf, isGroup } from './grid';
import { Projects } from './projects';
import { ToDos } from './to-dos';
import { ValuesStore } from './values.store';
import { Why } from './why';

/** The Values station: grid, filters, fill-in, projects and cell details. */
@Component({
  selector: 'rule-values-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleOption,
    RuleSelect,
    Bench,
    ButtonModule,
    CdkDrag,
    CdkDropList,
    Count,
    ExactName,
    FileLink,
    FillSheet,
    FormsModule,
    IndexRow,
    InputTextModule,
    Projects,
    ToDos,
    ValuesGrid,
    Way,
    Why,
    RuleCheck,
  ],
  providers: [ValuesStore],
  template: `
    <rule-bench label="Values" [inspector]="view() === 'grid' && !choice()">
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
        <rule-index-row text="To do" [end]="toDoCount()" tone="warn" [on]="view() === 'to-do'" (choose)="go({ view: 'to-do', fill: null })" />
        <rule-index-row text="Projects and sets" [on]="view() === 'projects'" (choose)="go({ view: 'projects', fill: null })" />
        @for (kind of findingKinds; track kind) {
          <rule-index-row
            [text]="findingTexts[kind]"
            [end]="findingCounts()[kind]"
            tone="warn"
            [on]="view() === 'grid' && having() === kind"
            (choose)="go({ finding: having() === kind ? null : kind, view: null, fill: null })"
          />
        }
        <h3>Kinds</h3>
        <rule-index-row
          text="All files"
          [end]="all()"
          [on]="view() === 'grid' && !kind() && !folder()"
          (choose)="go({ kind: null, folder: null, view: null, fill: null })"
        />
        @for (row of grid.kinds(); track row.kind) {
          <rule-index-row
            [text]="plural(row.kind)"
            [end]="row.files"
            [on]="kind() === row.kind"
            (choose)="go({ kind: kind() === row.kind ? null : row.kind, view: null, fill: null })"
          />
        }
        <h3>Folders</h3>
        @for (row of grid.folders(); track row.folder) {
          <rule-index-row
            [text]="leaf(row.folder)"
            [depth]="depth(row.folder)"
            [end]="row.files"
            [on]="folder() === row.folder"
            (choose)="go({ folder: folder() === row.folder ? null : row.folder, view: null, fill: null })"
          />
        }
      </div>

      @if (choice(); as chosenFiles) {
        <rule-fill-sheet [choice]="chosenFiles" (closed)="go({ fill: null, without: null })" />
      } @else if (view() === 'to-do') {
        <rule-to-dos (fill)="go({ fill: 'files:' + ranges($event), view: null })" />
      } @else if (view() === 'projects') {
        <rule-projects [id]="item()" (picked)="go({ view: 'projects', item: $event })" />
      } @else {
        <div class="page">
          <div class="head">
            <div>
              <h1>{{ title() }}</h1>
              <p>
                {{ grid.total() ?? '…' }} {{ rowWord() }}, {{ columns().length }} properties.
                @if (!mayEdit()) {
                  You can view values but not change them.
                } @else {
                  Type in a cell; changes are collected in the tray.
                }
              </p>
            </div>
            <div class="actions">
              <button type="button" class="link" [attr.aria-expanded]="tool() === 'columns'" (click)="open('columns')">Columns</button>
              @if (grid.levels().length) {
                <label class="tool">
                  <span>Rows</span>
                  <rule-select [ngModel]="level() ?? ''" (ngModelChange)="go({ rows: $event || null, sort: null, desc: null })">
                    <rule-option value="" label="files" />
                    @for (one of grid.levels(); track one) {
                      <rule-option [value]="one" label="{{ levelWords[one][1] }}" />
                    }
                  </rule-select>
                </label>
              }
              @if (!level()) {
                <label class="tool">
                  <span>Group by</span>
                  <rule-select [ngModel]="group() ?? ''" (ngModelChange)="go({ group: $event || null })">
                    <rule-option value="" label="nothing" />
                    <rule-option value="folder" label="folder" />
                    <rule-option value="class" label="class" />
                    <rule-option value="kind" label="kind" />
                    @for (property of applying(); track property.id) {
                      <rule-option [value]="property.id" label="{{ property.caption }}" />
                    }
                  </rule-select>
                </label>
              }
              <label class="tool">
                <span>View</span>
                <rule-select acts [ngModel]="''" (ngModelChange)="useView($event)">
                  <rule-option value="" label="{{ views().length ? 'choose …' : 'none kept yet' }}" />
                  @for (kept of views(); track kept.id) {
                    <rule-option [value]="kept.id" label="{{ kept.name }}{{ kept.mine ? '' : ', by ' + kept.by }}" />
                  }
                </rule-select>
              </label>
            </div>
          </div>
          <div class="tools" role="toolbar" aria-label="The grid">
            <button pButton type="button" [disabled]="!grid.total()" (click)="fillChosen()">{{ fillText() }}</button>
            @if (mayEdit()) {
              <button type="button" class="link" title="Ctrl+D" (click)="sheet()?.fillDown()">Fill down</button>
              <button type="button" class="link" title="Ctrl+Alt+D" (click)="sheet()?.fillSeries()">Fill series</button>
              @if (!level()) {
                <button type="button" class="link" title="Ctrl+H" [attr.aria-expanded]="tool() === 'replace'" (click)="open('replace')">
                  Find and replace
                </button>
              }
              <button type="button" class="link" title="Computed values of the selection" (click)="renewSelection()">Bring up to date</button>
              <button type="button" class="link" title="Ctrl+Z" [disabled]="steps().undo === 0" (click)="undo()">Undo</button>
              <button type="button" class="link" title="Ctrl+Y" [disabled]="steps().redo === 0" (click)="redo()">Redo</button>
            }
            <span class="chips">
              @if (folder()) {
                <button type="button" class="chip plain" (click)="go({ folder: null })">folder: {{ folder() }} ×</button>
              }
              @if (having(); as kind) {
                <button type="button" class="chip plain" (click)="go({ finding: null })">{{ findingTexts[kind] }} ×</button>
                @if (kind === 'stale' && mayEdit() && grid.total()) {
                  <button type="button" class="link" (click)="renew({ filter: filterNow() })">Bring all up to date</button>
                }
              }
              @if (search()) {
                <button type="button" class="chip plain" (click)="go({ search: null })">holds: {{ search() }} ×</button>
              }
              @for (clause of clauses(); track $index; let i = $index) {
                <button type="button" class="chip plain" (click)="dropClause(i)">{{ clauseText(clause) }} ×</button>
              }
            </span>
          </div>
          @if (tool() === 'columns') {
            <section class="card panel" aria-label="Columns">
              <div class="columns" cdkDropList (cdkDropListDropped)="dropColumn($event)">
                @for (entry of columnList(); track entry.property.id; let i = $index) {
                  <div
                    class="column"
                    role="group"
                    [attr.aria-label]="entry.property.caption"
                    tabindex="-1"
                    cdkDrag
                    cdkDragLockAxis="y"
                    (keydown.alt.arrowUp)="moveColumn(i, -1, $event)"
                    (keydown.alt.arrowDown)="moveColumn(i, 1, $event)"
                  >
                    <label><rule-check [checked]="entry.on" (flip)="showColumn(entry.property.id)" /> {{ entry.property.caption }}</label>
                  </div>
                }
              </div>
              <div class="beside">
                <label class="field">
                  <span>Frozen columns beside the file</span>
                  <input pInputText type="number" min="0" max="10" [ngModel]="frozen()" (ngModelChange)="frozen.set(clampFrozen($event))" />
                </label>
                <p class="soft">Drag a column or press Alt+arrow to move it.</p>
                <div class="keep">
                  <input
                    pInputText
                    aria-label="Name for the view"
                    placeholder="name for this view"
                    [ngModel]="viewName()"
                    (ngModelChange)="viewName.set($event)"
                  />
                  <label><rule-check [checked]="viewShared()" (flip)="viewShared.set(!viewShared())" /> for everyone</label>
                  <button pButton type="button" [disabled]="!viewName().trim()" (click)="keepView()">Keep this view</button>
                </div>
                @for (kept of ownViews(); track kept.id) {
                  <p class="one">
                    {{ kept.name }}{{ kept.shared ? ', for everyone' : '' }}
                    <button type="button" class="link" [attr.aria-label]="'Remove the view ' + kept.name" (click)="removeView(kept)">Remove</button>
                  </p>
                }
                <button type="button" class="link" (click)="resetColumns()">All columns in the order of the schema</button>
              </div>
            </section>
          }
          @if (filtering(); as property) {
            <section class="card panel" aria-label="Filter by a column">
              <form class="keep" (ngSubmit)="addClause(property)">
                <b>{{ property.caption }}</b>
                <rule-select ariaLabel="Comparison" name="operator" [ngModel]="operator()" (ngModelChange)="operator.set($event)">
                  @for (one of operators; track one) {
                    <rule-option [value]="one" label="{{ one }}" />
                  }
                </rule-select>
                @if (!operator().startsWith('is f') && operator() !== 'is blank' && operator() !== 'is a stand-in') {
                  <input
                    pInputText
                    class="filter-text"
                    name="text"
                    aria-label="Text to compare with"
                    [ngModel]="operand()"
                    (ngModelChange)="operand.set($event)"
                  />
                }
                <button pButton type="submit">Filter</button>
                <button type="button" class="link" (click)="filtering.set(null)">Close</button>
              </form>
            </section>
          }
          @if (tool() === 'replace') {
            <section class="card panel" aria-label="Find and replace">
              <form class="keep" (ngSubmit)="lookFor()">
                <input
                  pInputText
                  name="find"
                  aria-label="Find"
                  placeholder="find"
                  [ngModel]="finding()"
                  (ngModelChange)="finding.set($event); found.set(null)"
                />
                <input
                  pInputText
                  name="by"
                  aria-label="Replace with"
                  placeholder="replace with"
                  [ngModel]="replacing()"
                  (ngModelChange)="replacing.set($event); found.set(null)"
                />
                <rule-select name="where" ariaLabel="Where" [ngModel]="replaceIn()" (ngModelChange)="replaceIn.set($event); found.set(null)">
                  <rule-option value="" label="in all columns" />
                  @for (property of typedColumns(); track property.id) {
                    <rule-option [value]="'' + property.id" label="in {{ property.caption }}" />
                  }
                </rule-select>
                <label><rule-check [checked]="whole()" (flip)="whole.set(!whole()); found.set(null)" /> whole value</label>
                <label><rule-check [checked]="matchCase()" (flip)="matchCase.set(!matchCase()); found.set(null)" /> match case</label>
                <button pButton type="submit" [disabled]="looking() || (finding() === '' && !whole())">{{ looking() ? 'Looking …' : 'Preview' }}</button>
                <button type="button" class="link" (click)="tool.set(null)">Close</button>
              </form>
              @if (found(); as list) {
                <p role="status">
                  {{ list.more ? 'The first ' : '' }}{{ list.values.length | count: 'value' }} found, {{ good().length }} can be replaced.{{
                    list.more ? ' Replace these, then search again.' : ''
                  }}
                  @if (good().length) {
                    <button pButton type="button" (click)="replaceAll()">Replace {{ good().length | count: 'value' }}</button>
                  }
                </p>
                <div class="found">
                  <table class="list">
                    <thead>
                      <tr>
                        <th>File</th>
                        <th>Property</th>
                        <th>Now</th>
                        <th>Then</th>
                      </tr>
                    </thead>
                    <tbody>
                      @for (entry of list.values.slice(0, 200); track entry.file + '/' + entry.property) {
                        <tr>
                          <td><rule-file [id]="entry.file" [path]="entry.path" /></td>
                          <td>{{ captionOf(entry.property) }}</td>
                          <td class="mono">{{ entry.before || '(blank)' }}</td>
                          <td class="mono" [class.bad]="entry.problem">{{ entry.problem ?? (entry.after || '(blank)') }}</td>
                        </tr>
                      }
                    </tbody>
                  </table>
                  @if (list.values.length > 200) {
                    <p class="soft">The first 200 are shown.</p>
                  }
                </div>
              }
            </section>
          }
          @if (refusal(); as r) {
            <div class="note bad refusal" role="alert">
              <p>{{ r.message }}</p>
              @for (cell of r.cells.slice(0, 6); track $index) {
                <p>{{ cell.path }}, {{ cell.caption }}: {{ cell.message }}.</p>
              }
              @if (r.cells.length > 6) {
                <p>and {{ r.cells.length - 6 }} more; they are marked in the grid.</p>
              }
              <button type="button" class="link" (click)="refusal.set(null)">Close</button>
            </div>
          }
          @if (grid.error(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          @if (grid.total() === 0) {
            <p class="note">
              {{
                search() || kind() || folder() || having() || clauses().length ? 'No files match this filter.' : 'No files yet. Register a library in Survey.'
              }}
            </p>
          } @else {
            <div class="grid">
              <rule-values-grid
                [rows]="grid.rows()"
                [columns]="columns()"
                [standIns]="standIns()"
                [pending]="pending()"
                [mayEdit]="mayEdit()"
                [role]="role()"
                [sorted]="sort()"
                [descending]="descending()"
                [frozen]="frozen()"
                [ownWidths]="widths()"
                [filtered]="filtered()"
                [marks]="marks()"
                [groupText]="groupText()"
                [bring]="bring"
                (sort)="sortBy($event)"
                (filter)="startFilter($event)"
                (toggled)="grid.toggle($event)"
                (need)="sight.set($event)"
                (propose)="propose($event)"
                (refused)="refusal.set($event)"
                (undo)="undo()"
                (redo)="redo()"
                (find)="level() ? null : open('replace')"
                (resized)="resize($event)"
                (chosen)="choose($event)"
              />
            </div>
          }
        </div>
      }

      <div bench="inspector">
        @if (cell(); as c) {
          <h2>{{ c.row.file.name }}{{ c.row.holder ? ' · ' + c.row.holder.label : '' }}</h2>
          <p class="soft path"><rule-file [id]="c.row.file.id" [path]="c.row.file.path" /></p>
          @if (c.row.file.problem) {
            <p class="note bad">{{ c.row.file.problem }}</p>
          }
          @if (c.row.file.lock) {
            <p class="note">The file {{ lockWords(c.row.file) }}. It cannot be written.</p>
          }
          @if (c.property; as property) {
            <dl>
              <dt>{{ property.caption }}</dt>
              <dd>
                @if (c.shown?.kind === 'not-reached') {
                  <span class="soft">does not apply to a {{ c.row.holder?.level ?? c.row.file.kind }}</span>
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
              <p class="note" [class.bad]="violation.code !== 'stale'">
                {{ property.caption }} {{ violation.message }}.
                @if (violation.code === 'stale' && mayEdit() && !c.row.file.lock) {
                  <button type="button" class="link" (click)="renew({ files: [c.row.file.id], properties: [property.id] })">Bring up to date</button>
                }
              </p>
            }
            @if (whyNotTyped(property, c.row.file.kind); as reason) {
              <p class="soft">{{ property.caption }} {{ reason }}.</p>
            }
            @if (property.help) {
              <p class="soft">{{ property.help }}</p>
            }
            @if (c.shown?.kind !== 'not-reached' && !c.row.file.problem && !isInside(c)) {
              <rule-why [file]="c.row.file.id" [property]="property.id" />
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
          <p class="soft">Select a cell for its value, problems and trace. Select a file name for the whole file.</p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .find {
      padding: 0 26px 8px 14px;
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
      min-height: 160px;
    }
    .tools {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 16px;
      align-items: center;
      margin-bottom: 10px;
    }
    .chips {
      display: inline-flex;
      flex-wrap: wrap;
      gap: 6px;
    }
    .tools .link:disabled {
      color: var(--faint);
      cursor: default;
    }
    .tool {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
    .tool select {
      max-width: 160px;
    }
    .panel {
      padding: 10px 14px;
      margin-bottom: 10px;
      max-height: 46%;
      overflow: auto;
      flex: none;
    }
    .panel[aria-label='Columns'] {
      display: grid;
      grid-template-columns: minmax(180px, 260px) minmax(0, 1fr);
      gap: 18px;
    }
    .column {
      padding: 2px 0;
      cursor: grab;
    }
    .keep {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 10px;
      align-items: center;
    }
    .one {
      margin: 4px 0 0;
    }
    .found {
      max-height: 220px;
      overflow: auto;
    }
    .refusal p {
      margin: 0 0 3px;
    }
    .refusal {
      max-height: 40%;
      overflow: auto;
      flex: none;
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
  protected readonly lockWords = lockWords;
  protected readonly grid = inject(ValuesStore);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly folder = input<string>();
  readonly kind = input<Kind>();
  readonly class = input<string>();
  readonly search = input<string>();
  readonly where = input<string>();
  readonly group = input<GroupBy>();
  /** Level of rows; files if absent. */
  readonly rowsAsked = input<string | undefined>(undefined, { alias: 'rows' });
  protected readonly level = computed(() => INNER_LEVELS.find((level) => level === this.rowsAsked()));
  protected readonly levelWords = LEVEL_WORDS;
  readonly fill = input<string>();
  readonly without = input<string>();
  readonly item = input<string>();
  readonly findingAsked = input<string | undefined>(undefined, { alias: 'finding' });
  readonly viewAsked = input<string | undefined>(undefined, { alias: 'view' });
  readonly sort = input('file', { transform: (text: string | undefined) => text ?? 'file' });
  readonly desc = input<string>();
  protected readonly descending = computed(() => this.desc() === '1');
  protected readonly view = computed((): 'grid' | 'to-do' | 'projects' => {
    const asked = this.viewAsked();
    return asked === 'to-do' || asked === 'projects' ? asked : 'grid';
  });

  private readonly active = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  private readonly overview = this.store.selectSignal(catalogueFeature.selectOverview);
  protected readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly user = this.store.selectSignal(sessionFeature.selectUser);
  protected readonly role = computed(() => this.user()?.role ?? 'viewer');
  private readonly waiting = inject(PendingStore);
  protected readonly pending = this.waiting.byAddress;
  protected readonly steps = this.store.selectSignal(trayFeature.selectSteps);
  protected readonly whyNotTyped = whyNotTyped;
  protected readonly operators = OPERATORS;
  protected readonly ranges = rangesOf;
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly sheet = viewChild(ValuesGrid);
  protected readonly toDoCount = computed(() => this.overview()?.toDo.find((entry) => entry.view === 'to-do')?.count ?? '');

  protected readonly clauses = computed((): readonly Clause[] => {
    try {
      const parsed = JSON.parse(this.where() ?? '[]') as unknown;
      return Array.isArray(parsed) ? (parsed as Clause[]).filter((clause) => typeof clause === 'object' && clause !== null && 'operator' in clause) : [];
    } catch {
      return [];
    }
  });
  protected readonly having = computed(() => FINDING_KINDS.find((kind) => kind === this.findingAsked()));
  protected readonly findingKinds = FINDING_KINDS;
  protected readonly findingTexts: Readonly<Record<FindingKind, string>> = { missing: 'Required and missing', stale: 'Stale', wrong: 'Breaks the schema' };
  protected readonly findingCounts = computed((): Readonly<Record<FindingKind, number | string>> => {
    const count = (kind: FindingKind) => this.overview()?.toDo.find((entry) => entry.finding === kind)?.count ?? '';
    return { missing: count('missing'), stale: count('stale'), wrong: count('wrong') };
  });
  protected readonly filterNow = computed((): FileFilter => {
    const kind = KINDS.find((one) => one === this.kind());
    const [folder, search, clauses] = [this.folder(), this.search(), this.clauses()];
    const classId = Number(this.class());
    return {
      ...(folder ? { folder } : {}),
      ...(kind ? { kind } : {}),
      ...(this.class() !== undefined && Number.isInteger(classId) ? { class: classId } : {}),
      ...(search ? { search } : {}),
      ...(this.having() ? { finding: this.having()! } : {}),
      ...(clauses.length ? { where: clauses } : {}),
    };
  });
  /** Selected files for fill-in, from the URL. */
  protected readonly choice = computed(
    () => {
      const fill = this.fill();
      return fill ? choiceOf(fill, this.filterNow(), this.without()) : null;
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );

  /** Columns for the selected kind. With holder rows, their properties come first; properties above files are not columns. */
  protected readonly applying = computed(() => {
    const level = this.level();
    const kind = level ? KIND_OF_LEVEL[level] : this.kind();
    const reached = this.active().filter((property) => !kind || property.kinds.includes(kind));
    const own = level ? reached.filter((property) => isHeldAt(property, level)) : [];
    return [...own, ...reached.filter((property) => isHeldAt(property, 'document') && !own.includes(property))];
  });
  private readonly chosenColumns = signal<readonly number[]>([]);
  protected readonly columns = computed(() => {
    const chosen = this.chosenColumns();
    const byId = new Map(this.applying().map((property) => [property.id, property]));
    const found = chosen.flatMap((id) => byId.get(id) ?? []);
    return found.length ? found : this.applying();
  });
  /** All columns, visible ones first. */
  protected readonly columnList = computed(() => {
    const shown = new Set(this.columns().map((property) => property.id));
    return [...this.columns(), ...this.applying().filter((property) => !shown.has(property.id))].map((property) => ({ property, on: shown.has(property.id) }));
  });
  protected readonly typedColumns = computed(() => this.columns().filter((property) => property.kinds.some((kind) => whyNotTyped(property, kind) === null)));
  protected readonly frozen = signal(0);
  protected readonly widths = signal<Readonly<Record<number, number>>>({});
  protected readonly tool = signal<'columns' | 'replace' | null>(null);
  protected readonly refusal = signal<Refused | null>(null);
  protected readonly marks = computed(
    () => new Map((this.refusal()?.cells ?? []).map((cell) => [cellKey(cell.file, cell.holder, cell.property), cell.message])),
  );
  protected readonly filtered = computed(() => {
    const names = new Set(this.clauses().map((clause) => clause.name));
    return new Set(
      this.columns()
        .filter((property) => names.has(property.writtenName) || (property.fileField !== null && names.has(property.fileField)))
        .map((property) => property.id),
    );
  });
  protected readonly groupText = computed(() => {
    const group = this.group();
    const property = group ? this.byId()[Number(group)] : undefined;
    return (text: string) =>
      text === ''
        ? group === 'folder'
          ? 'top folder'
          : group === 'class'
            ? 'no class'
            : `${property?.caption ?? ''}: blank`
        : property
          ? `${property.caption}: ${text}`
          : text;
  });
  protected readonly all = computed(() => this.grid.kinds().reduce((sum, row) => sum + row.files, 0));
  protected readonly title = computed(() => {
    const what = this.kind() ? this.plural(this.kind()!) : 'Files';
    return this.folder() ? `${what} in ${this.folder()}` : `All ${what.toLowerCase()}`;
  });
  protected readonly cell = signal<ChosenCell | null>(null);
  protected readonly details = signal<FileDetails | null>(null);
  protected readonly show = plainHeld;
  /** Visible rows. */
  protected readonly sight = signal({ from: 0, to: 0 });
  private filesAt(from: number, to: number): number[] {
    return this.grid
      .rows()
      .slice(from, to + 1)
      .flatMap((row) => (row !== null && !isGroup(row) ? [row.file.id] : []));
  }
  /** Loads rows with pending changes, so copies are current. */
  protected readonly bring = async (from: number, to: number): Promise<void> => {
    await this.grid.bring(from, to);
    await this.waiting.bring(this.filesAt(from, to));
  };
  private searchTimer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    this.grid.loadFilters();
    this.loadViews();
    effect(() => {
      const level = this.level();
      const query = {
        ...this.filterNow(),
        sort: this.sort(),
        descending: this.descending(),
        ...(level ? { level } : this.group() ? { group: this.group()! } : {}),
      };
      this.applied();
      untracked(() => this.grid.load(query));
    });
    effect(() => {
      const { from, to } = this.sight();
      untracked(() => this.grid.ensure(from, to));
    });
    effect(() => {
      const { from, to } = this.sight();
      this.waiting.see(this.filesAt(from, to));
    });
  }

  /** Counted name of the rows. */
  protected readonly rowWord = computed(() => {
    const level = this.level();
    const [one, many] = level ? LEVEL_WORDS[level] : (['file', 'files'] as const);
    return this.grid.total() === 1 ? one : many;
  });
  protected plural(kind: string): string {
    return { part: 'Parts', assembly: 'Assemblies', drawing: 'Drawings', other: 'Other files' }[kind] ?? kind;
  }
  protected leaf(folder: string): string {
    return folder === '' ? 'top folder' : folder.slice(folder.lastIndexOf('/') + 1);
  }
  protected depth(folder: string): number {
    return folder.split('/').length - 1;
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected searched(text: string): void {
    clearTimeout(this.searchTimer);
    this.searchTimer = setTimeout(() => this.go({ search: text.trim() || null, view: null }), 250);
  }

  protected sortBy(column: string): void {
    this.go({ sort: column, desc: this.sort() === column && !this.descending() ? '1' : null });
  }

  protected open(tool: 'columns' | 'replace'): void {
    this.tool.update((now) => (now === tool ? null : tool));
    if (this.tool()) setTimeout(() => document.querySelector<HTMLElement>('rule-values-station .panel input')?.focus());
  }

  // Fill-in with the form.
  /** Files of the range; for a single cell, all matching the filter. */
  private chosenFiles(): number[] {
    const range = this.sheet()?.range();
    if (!range || range.top === range.bottom) return [];
    const files = this.grid
      .rows()
      .slice(range.top, range.bottom + 1)
      .flatMap((item) => (item !== null && !isGroup(item) ? [item.file.id] : []));
    return [...new Set(files)];
  }
  protected readonly fillText = computed(() => {
    const range = this.sheet()?.range();
    const rows = range ? range.bottom - range.top + 1 : 1;
    if (rows > 1) return `Fill in ${rows} files …`;
    return this.cell() ? 'Fill in this file …' : 'Fill in all of these …';
  });
  protected fillChosen(): void {
    const chosen = this.chosenFiles();
    const own = this.cell()?.row.file.id;
    this.go({ fill: chosen.length ? `files:${rangesOf(chosen)}` : own ? `files:${own}` : 'filter', view: null });
  }

  // Column filters.
  protected readonly filtering = signal<Property | null>(null);
  protected readonly operator = signal<Clause['operator']>('contains');
  protected readonly operand = signal('');
  protected startFilter(property: Property): void {
    this.filtering.set(property);
    this.operand.set('');
    setTimeout(() => document.querySelector<HTMLElement>('rule-values-station .filter-text')?.focus());
  }
  protected addClause(property: Property): void {
    const subject = property.feed === 'file' && property.fileField ? ('field' as const) : ('value' as const);
    const clause: Clause = { subject, name: subject === 'field' ? property.fileField! : property.writtenName, operator: this.operator(), text: this.operand() };
    const problem = clauseProblem(clause);
    if (problem !== null) {
      this.notices.error(problem);
      return;
    }
    this.filtering.set(null);
    this.go({ where: JSON.stringify([...this.clauses(), clause]) });
  }
  protected dropClause(at: number): void {
    const left = this.clauses().filter((_, i) => i !== at);
    this.go({ where: left.length ? JSON.stringify(left) : null });
  }
  protected clauseText({ subject, name, operator, text }: Clause): string {
    const property = this.active().find((candidate) => candidate.writtenName === name);
    const what = subject === 'value' || subject === 'field' ? (property?.caption ?? name ?? '') : subject;
    return `${what} ${operator}${text && !operator.startsWith('is f') && operator !== 'is blank' ? ` ${text}` : ''}`;
  }

  // Columns and saved views.
  protected readonly views = signal<readonly GridView[]>([]);
  protected readonly ownViews = computed(() => this.views().filter((kept) => kept.mine));
  protected readonly viewName = signal('');
  protected readonly viewShared = signal(false);
  private loadViews(): void {
    this.api.gridViews().subscribe({ next: (views) => this.views.set(views), error: this.notices.failed });
  }
  protected clampFrozen(value: unknown): number {
    const n = Number(value);
    return Number.isInteger(n) ? Math.max(0, Math.min(10, n)) : 0;
  }
  protected showColumn(id: number): void {
    const shown = this.columns().map((property) => property.id);
    const next = shown.includes(id) ? shown.filter((other) => other !== id) : [...shown, id];
    if (next.length) this.chosenColumns.set(next);
  }
  private reorder(from: number, to: number): void {
    const list = this.columnList().map((entry) => entry.property.id);
    if (to < 0 || to >= list.length) return;
    const shown = new Set(this.columns().map((property) => property.id));
    moveItemInArray(list, from, to);
    this.chosenColumns.set(list.filter((id) => shown.has(id)));
  }
  protected dropColumn({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    this.reorder(previousIndex, currentIndex);
  }
  protected moveColumn(at: number, by: number, event: Event): void {
    event.preventDefault();
    this.reorder(at, at + by);
    setTimeout(() => document.querySelectorAll<HTMLElement>('rule-values-station .column input')[at + by]?.focus());
  }
  protected resetColumns(): void {
    this.chosenColumns.set([]);
    this.widths.set({});
    this.frozen.set(0);
  }
  protected resize({ property, width }: { property: number; width: number }): void {
    this.widths.update((widths) => ({ ...widths, [property]: width }));
  }
  protected keepView(): void {
    const content: GridViewContent = {
      columns: this.chosenColumns(),
      frozen: this.frozen(),
      widths: this.widths(),
      sort: this.sort(),
      descending: this.descending(),
      group: this.group() ?? null,
      level: this.level() ?? null,
      filter: this.filterNow(),
    };
    this.api.saveGridView({ name: this.viewName().trim(), shared: this.viewShared(), content }).subscribe({
      next: (views) => {
        this.views.set(views);
        this.notices.done(`The view ${this.viewName().trim()} is kept.`);
        this.viewName.set('');
      },
      error: this.notices.failed,
    });
  }
  protected useView(id: string): void {
    const kept = this.views().find((candidate) => candidate.id === Number(id));
    if (!kept) return;
    const { columns, frozen, widths, sort, descending, group, level, filter } = kept.content;
    this.chosenColumns.set(columns);
    this.frozen.set(frozen);
    this.widths.set(widths);
    this.go({
      sort: sort === 'file' ? null : sort,
      desc: descending ? '1' : null,
      group,
      rows: level ?? null,
      folder: filter.folder ?? null,
      kind: filter.kind ?? null,
      class: filter.class ?? null,
      search: filter.search ?? null,
      where: filter.where?.length ? JSON.stringify(filter.where) : null,
    });
  }
  protected removeView(kept: GridView): void {
    this.api
      .removeGridView(kept.id)
      .subscribe({ next: () => this.views.update((views) => views.filter((other) => other.id !== kept.id)), error: this.notices.failed });
  }

  // Editing and undo.
  protected propose(values: GridEdit[], reason = 'typed in the grid'): void {
    if (values.length === 0) return;
    this.refusal.set(null);
    this.store.dispatch(TrayActions.propose({ values, reason }));
  }

  /** Undoes the last step; the server keeps the steps. */
  protected undo(): void {
    if (this.steps().undo > 0) this.store.dispatch(TrayActions.undo({ again: false }));
    else this.notices.done('There is nothing to undo. Applied changes can be reverted in History.');
  }

  protected redo(): void {
    if (this.steps().redo > 0) this.store.dispatch(TrayActions.undo({ again: true }));
  }

  /** Adds updates of stale values to the tray. */
  protected renew(what: UpToDate): void {
    this.api.bringUpToDate(what).subscribe({
      next: ({ lines, barred, blanks }) => {
        const left = [barred ? `${barred} files cannot be written now` : '', blanks ? `${blanks} values would only be emptied and stay` : ''].filter(Boolean);
        this.notices.done(`${count(lines, 'value')} added to your tray.${left.length ? ` ${left.join('; ')}.` : ''}`);
        this.store.dispatch(TrayActions.load());
      },
      error: this.notices.failed,
    });
  }
  protected renewSelection(): void {
    const cells = this.sheet()?.selected();
    if (!cells || cells.files.length === 0) return;
    this.renew({ files: cells.files, ...(cells.properties.length ? { properties: cells.properties } : {}) });
  }

  // Find and replace.
  protected readonly finding = signal('');
  protected readonly replacing = signal('');
  protected readonly replaceIn = signal('');
  protected readonly whole = signal(false);
  protected readonly matchCase = signal(false);
  protected readonly looking = signal(false);
  protected readonly found = signal<ReplacementPreview | null>(null);
  protected readonly good = computed(() => (this.found()?.values ?? []).filter((entry) => entry.problem === null));

  /** Searches all files of the view, on the server. */
  protected lookFor(): void {
    const properties = this.typedColumns()
      .map((property) => property.id)
      .filter((id) => this.replaceIn() === '' || `${id}` === this.replaceIn());
    if (properties.length === 0) return;
    this.looking.set(true);
    this.api
      .findReplacements({
        filter: this.filterNow(),
        properties,
        find: this.finding(),
        by: this.replacing(),
        whole: this.whole(),
        matchCase: this.matchCase(),
      })
      .subscribe({
        next: (found) => {
          this.looking.set(false);
          this.found.set(found);
        },
        error: (failure: unknown) => {
          this.looking.set(false);
          this.notices.failed(failure);
        },
      });
  }
  protected captionOf(property: number): string {
    return this.byId()[property]?.caption ?? '';
  }
  protected replaceAll(): void {
    this.propose(
      this.good().map(({ file, property, after }) => ({ file, property, text: after })),
      `replaced ${JSON.stringify(this.finding())} by ${JSON.stringify(this.replacing())}`.slice(0, 200),
    );
    this.found.set(null);
  }

  /** Whether a cell belongs to a holder inside its file. */
  protected isInside({ row, property }: ChosenCell): boolean {
    return property !== null && holderOf(row, property) !== '';
  }
  protected choose(cell: ChosenCell | null): void {
    this.cell.set(cell);
    if (!cell || cell.property) return;
    this.details.set(null);
    this.api.file(cell.row.file.id).subscribe({ next: (details) => this.details.set(details), error: this.notices.failed });
  }
}
