import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { DrawnBlock, DrawnBom, DrawnSheet, LIST_CORNERS, ListCorner } from '@rule/contract';
import { BOM_FACTS, BomColumn, BomContent, BomFact, DrawnList, LIST_GROWTHS, VIEW_EDGES, ViewEdge, suggestCells } from '@rule/core/bom';
import { Property } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { InputNumberModule } from 'primeng/inputnumber';
import { RuleCheck, RuleColumn, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { FileLink } from '../shared';

/** Facts available in row blocks. */
const SHOWN_FACTS = (Object.keys(BOM_FACTS) as BomFact[]).filter((fact) => fact !== 'picture');

const KIND_WORDS = { same: '', changed: 'changed', added: 'not drawn', removed: 'not in the BOM' } as const;

/** Start of a list: a corner, or coordinates. */
type Start = (typeof LIST_CORNERS)[number] | 'coordinates';

/** Parts lists and item marks on drawings: set-up, differences, corrections. */
@Component({
  selector: 'rule-drawn-lists',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, RuleCheck, FileLink, FormsModule, InputNumberModule, RuleSelect],
  template: `
    @let d = content().drawn;
    @if (!d || settingUp()) {
      <section class="card set-up" aria-label="How the list is drawn">
        <div class="fields">
          <div class="field">
            <span id="dl-block">Row block</span>
            <rule-select
              labelledBy="dl-block"
              placeholder="one insert of it per row"
              [options]="$any(blocks())"
              optionLabel="name"
              optionValue="name"
              [ngModel]="d?.block ?? null"
              (ngModelChange)="chooseBlock($event)"
            />
          </div>
          @if (d) {
            <div class="field">
              <span id="dl-growth">Grows</span>
              <rule-select labelledBy="dl-growth" [options]="growths" [ngModel]="d.growth" (ngModelChange)="set({ growth: $event })" />
            </div>
            <div class="field">
              <span id="dl-rows">Rows per column</span>
              <p-inputnumber
                ariaLabelledBy="dl-rows"
                placeholder="all"
                [min]="1"
                [max]="10000"
                [useGrouping]="false"
                [ngModel]="d.rowsPerColumn"
                (ngModelChange)="set({ rowsPerColumn: $event })"
              />
            </div>
            @if (d.rowsPerColumn !== null) {
              <div class="field">
                <span id="dl-side">Next column to the</span>
                <rule-select labelledBy="dl-side" [options]="sides" [ngModel]="d.side" (ngModelChange)="set({ side: $event })" />
              </div>
            }
            <div class="field">
              <span id="dl-mark">Item mark block</span>
              <rule-select
                labelledBy="dl-mark"
                placeholder="none"
                clear
                [options]="$any(blocks())"
                optionLabel="name"
                optionValue="name"
                [ngModel]="d.marks?.block ?? null"
                (ngModelChange)="chooseMark($event)"
              />
            </div>
            @if (d.marks; as marks) {
              <div class="field">
                <span id="dl-tag">Its number is in</span>
                <rule-select
                  labelledBy="dl-tag"
                  [options]="tagsOf(marks.block)"
                  [ngModel]="marks.tag"
                  (ngModelChange)="set({ marks: { block: marks.block, tag: $event } })"
                />
              </div>
            }
          }
        </div>
        @if (d) {
          <rule-table label="Cells of the row block" [rows]="tags()" [empty]="'No drawing defines ' + d.block + ' any more.'" class="cells">
            <ng-container *ruleColumn="let tag of tags(); name: 'Cell of the row block'; look: 'mono'">{{ tag }}</ng-container>
            <ng-container *ruleColumn="let tag of tags(); name: 'Shows'">
              <rule-select
                [ariaLabel]="tag + ' shows'"
                placeholder="left as it is"
                clear
                [options]="shows()"
                optionLabel="text"
                optionValue="key"
                [ngModel]="keyOfTag(d, tag)"
                (ngModelChange)="bind(d, tag, $event)"
              />
            </ng-container>
          </rule-table>
        } @else if (blocks().length === 0) {
          <p class="soft">No drawing defines a block with attributes. A parts list needs one whose attributes are the cells of a row.</p>
        }
        @if (d) {
          <div class="actions">
            <p-button severity="secondary" label="Close" (onClick)="settingUp.set(false)" />
            <p-button [text]="true" label="Remove from layout" (onClick)="changed.emit({ drawn: null })" />
          </div>
        }
      </section>
    } @else {
      <div class="actions above">
        @if (editable() && behind()) {
          <p-button
            [label]="behind() === 1 ? 'Update the list' : 'Update ' + behind() + ' lists'"
            (onClick)="put.emit({ drawing: null, sheet: null, corner: null, erase: erase() })"
          />
        }
        <button type="button" class="link" (click)="settingUp.set(true)">Edit how it is drawn</button>
        @if (erasable()) {
          <div class="tick">
            <label><rule-check [checked]="erase()" (flip)="erase.set($event)" /> Clear {{ textsOf(erasable()) }} that the BOM leaves blank</label>
          </div>
        }
      </div>
    }
    @if (d && view(); as v) {
      @for (sheet of v.sheets; track sheet.file + sheet.layout) {
        <section class="card sheet" [attr.aria-label]="'Sheet ' + sheet.layout + ' of ' + sheet.path">
          <header>
            <h3><rule-file [id]="sheet.file" [path]="sheet.path" [text]="nameOf(sheet.path)" /> · {{ sheet.layout }}</h3>
            <p [class.warn]="stateOf(sheet).lags">{{ stateOf(sheet).text }}</p>
            <div class="actions">
              @if (editable() && !sheet.lock && (sheet.defined || sheet.lent.list) && !sheet.pending) {
                @if (sheet.rows === 0) {
                  <rule-select
                    [ariaLabel]="'Where the list starts on ' + sheet.layout"
                    [options]="$any(starts)"
                    [ngModel]="start()"
                    (ngModelChange)="start.set($event)"
                  />
                  @if (start() === 'coordinates') {
                    <p-inputnumber
                      ariaLabel="x"
                      placeholder="x"
                      mode="decimal"
                      [maxFractionDigits]="3"
                      [useGrouping]="false"
                      [ngModel]="x()"
                      (ngModelChange)="x.set($event)"
                    />
                    <p-inputnumber
                      ariaLabel="y"
                      placeholder="y"
                      mode="decimal"
                      [maxFractionDigits]="3"
                      [useGrouping]="false"
                      [ngModel]="y()"
                      (ngModelChange)="y.set($event)"
                    />
                  }
                  <p-button severity="secondary" label="Place the list" [disabled]="corner() === null" (onClick)="putOne(sheet, corner())" />
                } @else if (stateOf(sheet).lags) {
                  <p-button severity="secondary" label="Update this list" (onClick)="putOne(sheet, null)" />
                }
              }
            </div>
          </header>
          @if (sheet.rows && differing(sheet).length) {
            <rule-table label="Rows that differ" [rows]="differing(sheet)">
              <ng-container *ruleColumn="let row of differing(sheet); name: 'Item'; look: 'mono'; by: 'item'">{{ row.item }}</ng-container>
              <ng-container *ruleColumn="let row of differing(sheet); name: 'Row'; by: 'label'">{{ row.label }}</ng-container>
              <ng-container *ruleColumn="let row of differing(sheet); name: 'Difference'">{{ kinds[row.kind] || 'kept text' }}</ng-container>
              <ng-container *ruleColumn="let row of differing(sheet); name: 'Drawn → BOM'">
                @if (row.kind === 'changed' || row.kind === 'same') {
                  @for (cell of row.cells; track cell.tag) {
                    <span class="chip" [class.soft]="cell.keeps"
                      >{{ v.heads[cell.tag] ?? cell.tag }}: {{ cell.now || '–' }} → {{ cell.keeps ? 'blank; the text stays' : cell.should || '–' }}</span
                    >
                  }
                }
              </ng-container>
            </rule-table>
          }
          @if (d.marks && (sheet.marks.length || sheet.marksDefined || sheet.lent.marks)) {
            <h4>Item marks</h4>
            <p class="soft">{{ marksText(sheet) }}</p>
            @if (wrongMarks(sheet); as wrong) {
              @if (wrong.length) {
                <rule-table label="Marks that are wrong" [rows]="wrong" key="holder">
                  <ng-container *ruleColumn="let mark of wrong; name: 'Mark'; look: 'mono'">{{ mark.number || 'blank' }}</ng-container>
                  <ng-container *ruleColumn="let mark of wrong; name: 'Problem'">
                    {{ mark.state === 'no row' ? 'no row has this number' : mark.label + ' is item ' + mark.should }}
                  </ng-container>
                  <ng-container *ruleColumn="let mark of wrong; name: 'Set to'">
                    @if (editable() && !sheet.lock) {
                      @if (mark.state === 'wrong number') {
                        <button type="button" class="link" (click)="marked.emit({ drawing: sheet.file, sheet: sheet.layout, holder: mark.holder, row: null })">
                          Set to {{ mark.should }}
                        </button>
                      }
                      <rule-select
                        [ariaLabel]="'Row of mark ' + mark.number"
                        placeholder="choose its row"
                        [options]="$any(rows())"
                        optionLabel="text"
                        optionValue="id"
                        [ngModel]="null"
                        (ngModelChange)="marked.emit({ drawing: sheet.file, sheet: sheet.layout, holder: mark.holder, row: $event })"
                      />
                    }
                  </ng-container>
                </rule-table>
              }
            }
            @if (editable() && !sheet.lock && !sheet.pending) {
              <div class="actions">
                @if (leftBehind(sheet); as n) {
                  <p-button
                    severity="secondary"
                    [label]="'Set ' + marksOf(n) + ' to the new numbers'"
                    (onClick)="marked.emit({ drawing: sheet.file, sheet: sheet.layout, holder: null, row: null })"
                  />
                }
                @if (sheet.without.length && (sheet.marksDefined || sheet.lent.marks)) {
                  <span [id]="'dl-edge-' + sheet.file">Place {{ marksOf(sheet.without.length) }} along an edge of the view:</span>
                  <rule-select [labelledBy]="'dl-edge-' + sheet.file" [options]="edges" [ngModel]="edge()" (ngModelChange)="edge.set($event)" />
                  @if (sheet.views > 1) {
                    <rule-select
                      [ariaLabel]="'View on ' + sheet.layout"
                      [options]="viewsOf(sheet.views)"
                      optionLabel="text"
                      optionValue="value"
                      [ngModel]="atView(sheet)"
                      (ngModelChange)="viewAt.set($event)"
                    />
                  }
                  <p-button
                    severity="secondary"
                    label="Place marks"
                    (onClick)="placed.emit({ drawing: sheet.file, sheet: sheet.layout, edge: edge(), view: atView(sheet) })"
                  />
                }
              </div>
            }
          }
        </section>
      } @empty {
        <p class="note">No drawing shows this assembly.</p>
      }
    } @else if (d) {
      <rule-waiting />
    }
  `,
  styles: `
    :host {
      display: block;
    }
    .set-up,
    .sheet {
      padding: 12px 16px;
      margin-bottom: 12px;
    }
    .fields {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
      gap: 10px 14px;
    }
    .fields rule-select,
    .cells rule-select {
      width: 100%;
    }
    .cells {
      max-width: 560px;
      margin: 10px 0;
    }
    header {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 16px;
      align-items: center;
    }
    header h3,
    header p {
      margin: 0;
    }
    header .actions {
      margin-left: auto;
    }
    h4 {
      margin: 12px 0 2px;
    }
    .above {
      margin-bottom: 12px;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
    .chip {
      margin: 0 6px 2px 0;
    }
    .actions p-inputnumber {
      width: 90px;
    }
  `,
})
export class DrawnLists {
  readonly content = input.required<BomContent>();
  /** `null` while loading. */
  readonly view = input.required<DrawnBom | null>();
  readonly blocks = input.required<readonly DrawnBlock[]>();
  readonly properties = input.required<readonly Property[]>();
  /** Rows for marks. */
  readonly rows = input.required<readonly { readonly id: string; readonly text: string }[]>();
  readonly editable = input.required<boolean>();
  readonly changed = output<Partial<BomContent>>();
  readonly put = output<{ drawing: number | null; sheet: string | null; corner: ListCorner | null; erase: boolean }>();
  readonly marked = output<{ drawing: number; sheet: string; holder: string | null; row: string | null }>();
  readonly placed = output<{ drawing: number; sheet: string; edge: ViewEdge; view: number }>();

  protected readonly kinds = KIND_WORDS;
  protected readonly growths = [...LIST_GROWTHS];
  protected readonly sides = ['left', 'right'];
  protected readonly edges = [...VIEW_EDGES];
  protected readonly starts: readonly { readonly label: string; readonly value: Start }[] = [
    ...LIST_CORNERS.map((value) => ({ value, label: value === 'title block' ? 'at the title block' : `${value} corner` })),
    { value: 'coordinates', label: 'at coordinates' },
  ];
  protected readonly settingUp = signal(false);
  protected readonly erase = signal(false);
  protected readonly start = signal<Start>('title block');
  protected readonly x = signal<number | null>(null);
  protected readonly y = signal<number | null>(null);
  protected readonly edge = signal<ViewEdge>('top');
  protected readonly viewAt = signal(0);

  protected readonly corner = computed((): ListCorner | null => {
    const start = this.start();
    if (start !== 'coordinates') return start;
    const [x, y] = [this.x(), this.y()];
    return x === null || y === null ? null : { x, y };
  });
  protected readonly shows = computed(() => [
    ...SHOWN_FACTS.map((fact) => ({ key: JSON.stringify({ fact }), text: BOM_FACTS[fact] })),
    ...this.properties().map((property) => ({ key: JSON.stringify({ property: property.id }), text: property.caption })),
  ]);
  protected readonly behind = computed(
    () => (this.view()?.sheets ?? []).filter((sheet) => !sheet.lock && !sheet.pending && sheet.rows && this.stateOf(sheet).lags).length,
  );
  protected readonly erasable = computed(() => (this.view()?.sheets ?? []).reduce((sum, sheet) => sum + sheet.erased, 0));

  protected viewsOf = (n: number) => Array.from({ length: n }, (_, i) => ({ value: i, text: `view ${i + 1}` }));
  /** The selected view, if the sheet has it. */
  protected atView = (sheet: DrawnSheet) => (this.viewAt() < sheet.views ? this.viewAt() : 0);
  protected textsOf = (n: number) => count(n, 'text');
  protected marksOf = (n: number) => count(n, 'mark');
  protected nameOf = (path: string) => path.slice(path.lastIndexOf('/') + 1);
  protected readonly tags = computed(() => this.tagsOf(this.content().drawn?.block ?? ''));
  protected tagsOf(block: string): string[] {
    return [...(this.blocks().find((row) => row.name.toLowerCase() === block.toLowerCase())?.tags ?? [])];
  }
  protected keyOfTag(list: DrawnList, tag: string): string | null {
    const cell = list.cells.find((entry) => entry.tag === tag);
    return cell ? JSON.stringify(cell.of) : null;
  }
  /** What each sheet shows otherwise than it should. */
  private readonly wrong = computed(
    () =>
      new Map(
        (this.view()?.sheets ?? []).map((sheet) => [
          sheet,
          {
            rows: sheet.differences.filter((row) => row.kind !== 'same' || row.cells.length > 0),
            marks: sheet.marks.filter((mark) => mark.state !== 'right'),
          },
        ]),
      ),
  );
  protected differing = (sheet: DrawnSheet): DrawnSheet['differences'] => this.wrong().get(sheet)!.rows;
  protected wrongMarks = (sheet: DrawnSheet): DrawnSheet['marks'] => this.wrong().get(sheet)!.marks;
  protected leftBehind = (sheet: DrawnSheet) => sheet.marks.filter((mark) => mark.state === 'wrong number').length;

  protected stateOf(sheet: DrawnSheet): { readonly text: string; readonly lags: boolean } {
    const lags = sheet.differences.some((row) => row.kind !== 'same');
    const ends = [...(sheet.lock ? [`The file ${sheet.lock}.`] : []), ...(sheet.pending ? ['Changes are pending in your tray.'] : [])];
    const { block } = this.content().drawn!;
    if (!sheet.defined && sheet.lent.list === null) return { text: `The drawing does not define ${block}.`, lags: false };
    const from = sheet.lent.list === null ? [] : [`The block ${block} will be copied from ${this.nameOf(sheet.lent.list)}.`];
    if (sheet.rows === 0) return { text: ['No list drawn yet.', ...from, ...ends].join(' '), lags: false };
    const n = sheet.differences.filter((row) => row.kind !== 'same').length;
    return { text: [`${count(sheet.rows, 'row')} drawn, ${lags ? `${count(n, 'differs', 'differ')} from the BOM` : 'up to date'}.`, ...ends].join(' '), lags };
  }
  protected marksText({ marks, without }: DrawnSheet): string {
    const wrong = marks.filter((mark) => mark.state !== 'right').length;
    return [
      `${count(marks.length, 'mark')}, ${wrong ? `${wrong} wrong` : 'all right'}.`,
      ...(without.length ? [`Without a mark: ${without.map((row) => row.item).join(', ')}.`] : []),
    ].join(' ');
  }
  protected putOne(sheet: DrawnSheet, corner: ListCorner | null): void {
    this.put.emit({ drawing: sheet.file, sheet: sheet.layout, corner, erase: this.erase() });
  }
  protected set(change: Partial<DrawnList>): void {
    const drawn = this.content().drawn;
    if (drawn) this.changed.emit({ drawn: { ...drawn, ...change } });
  }
  protected chooseBlock(block: string): void {
    const cells = suggestCells(this.tagsOf(block), this.properties());
    const old = this.content().drawn;
    this.settingUp.set(true);
    this.changed.emit({ drawn: { growth: 'up', rowsPerColumn: null, side: 'left', marks: null, ...old, block, cells } });
  }
  protected chooseMark(block: string | null): void {
    const [tag] = block === null ? [] : this.tagsOf(block);
    this.set({ marks: block === null || tag === undefined ? null : { block, tag } });
  }
  protected bind(list: DrawnList, tag: string, key: string | null): void {
    const others = list.cells.filter((cell) => cell.tag !== tag);
    this.set({ cells: key === null ? others : [...others, { tag, of: JSON.parse(key) as BomColumn['of'] }] });
  }
}
