import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SetSheet, WideDraft, WideView, clauseProblem } from '@rule/contract';
import { Property, checkProposed, isHeldAt, sameDefinition, whyNotTypedAbove } from '@rule/core/schema';
import { HeldValue, editText, readHeld } from '@rule/core/values';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Clauses } from '../clauses';
import { RuleColumn, RuleOption, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { catalogueFeature, Count, FileLink, Notices, PendingStore, plainHeld, sessionFeature, TrayActions, trayFeature, Unsaved } from '../shared';
import { ProjectsStore } from './projects.store';

/** Projects and drawing sets: values, files and pending inheritance. */
@Component({
  selector: 'rule-projects',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, RuleOption, RuleSelect, ButtonModule, Clauses, Count, FileLink, FormsModule, InputTextModule],
  providers: [ProjectsStore],
  template: `
    <div class="head">
      <div>
        <h1>{{ projects.view()?.level === 'company' ? 'The company' : (projects.view()?.name ?? 'Projects and sets') }}</h1>
        <p>
          @switch (projects.view()?.level) {
            @case ('project') {
              Project: all its files inherit its values.
            }
            @case ('drawing set') {
              Drawing set: values shared by all its sheets are kept here; values that differ are kept on each sheet.
            }
            @case ('company') {
              Values that every file of the company inherits.
            }
            @default {
              Values that many files inherit, kept once.
            }
          }
        </p>
      </div>
      <div class="actions">
        <label>
          <span class="visually-hidden">Project or set</span>
          <rule-select [ngModel]="id() ?? ''" (ngModelChange)="picked.emit($event || null)">
            <rule-option value="" label="all" />
            @for (row of projects.list() ?? []; track row.id) {
              <rule-option [value]="'' + row.id" label="{{ row.level === 'company' ? 'the company' : row.level + ': ' + row.name }}" />
            }
          </rule-select>
        </label>
        @if (mayAdminister()) {
          <p-button severity="secondary" label="New project …" (onClick)="begin('project')" />
          <p-button severity="secondary" label="New drawing set …" (onClick)="begin('drawing set')" />
        }
      </div>
    </div>
    @if (projects.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (draft(); as d) {
      <section class="card" aria-label="Definition">
        <h2>{{ draftId() === null ? 'New ' + d.level : 'The ' + d.level }}</h2>
        <label class="field">
          <span>Name</span>
          <input pInputText class="draft-name" [ngModel]="d.name" (ngModelChange)="draft.set({ level: d.level, name: $event, clauses: d.clauses })" />
        </label>
        <p class="soft">Rule for its files: all conditions must be met. Without conditions, add files by hand.</p>
        <rule-clauses [clauses]="d.clauses" [names]="names()" (changed)="draft.set({ level: d.level, name: d.name, clauses: $event })" />
        <div class="actions below">
          <p-button label="Save" [disabled]="!d.name.trim() || !whole()" (onClick)="save()" />
          <p-button severity="secondary" label="Leave it" (onClick)="draft.set(null)" />
        </div>
      </section>
    }
    @if (projects.list() === null && !projects.error()) {
      <rule-waiting />
    }
    @if (projects.view(); as v) {
      @if (v.level !== 'company' && mayAdminister() && !draft()) {
        <p>
          <button type="button" class="link spaced" (click)="change(v)">Change the name or the rule</button>
          <button type="button" class="link spaced" (click)="remove(v)">
            Remove; its {{ v.files | count: 'file keeps' : 'files keep' }} the current values
          </button>
        </p>
      }
      <section class="card" aria-label="Values">
        <h2>Values</h2>
        @for (property of owned(); track property.id) {
          <div class="field value">
            <span [id]="'wide-' + property.id"
              >{{ property.caption }}{{ property.unit ? ', in ' + property.unit : '' }}{{ property.level === v.level ? '' : ' · inherited by files' }}</span
            >
            @if (property.type === 'choice' && !property.open) {
              <rule-select
                [attr.aria-labelledby]="'wide-' + property.id"
                [disabled]="!mayEdit() || closed(property, v.level) !== null"
                [ngModel]="textOf(v, property)"
                (ngModelChange)="type(v, property, $event)"
              >
                <rule-option value="" label="(blank)" />
                @for (choice of property.choices; track choice) {
                  <rule-option [value]="choice" label="{{ choice }}" />
                }
              </rule-select>
            } @else {
              <input
                pInputText
                [attr.aria-labelledby]="'wide-' + property.id"
                [disabled]="!mayEdit() || closed(property, v.level) !== null"
                [placeholder]="property.placeholder"
                [ngModel]="textOf(v, property)"
                (change)="type(v, property, $any($event.target).value)"
              />
            }
            @if (wrong().get(property.id); as text) {
              <small class="bad" role="alert">{{ property.caption }} {{ text }}.</small>
            }
            @if (closed(property, v.level); as reason) {
              <small>{{ property.caption }} {{ reason }}.</small>
            }
            @if (waiting(v, property)) {
              <small class="warn">pending; now {{ show(v.held[property.id] ?? null) }}</small>
            }
          </div>
        } @empty {
          <p class="soft">
            No properties are kept here. In Schema, a property that is inherited from the {{ v.level }}, or that is held at its level, gets its value here.
          </p>
        }
        @if (mayEdit() && v.behindTotal) {
          <p-button [label]="'Add ' + (v.behindTotal | count: 'missing value' : 'missing values') + ' to the tray'" (onClick)="projects.push(v.id)" />
        }
      </section>
      @if (v.behindTotal) {
        <section class="card" aria-label="Not reached yet">
          <h2>Not reached yet: {{ v.behindTotal | count: 'value' }}</h2>
          @if (v.behindTotal > v.behind.length) {
            <p class="soft">The first {{ v.behind.length }} are listed.</p>
          }
          <rule-table label="Values that differ" [rows]="v.behind" virtual height="40vh">
            <ng-container *ruleColumn="let entry of v.behind; name: 'File'; by: 'path'; width: 'minmax(180px, 1.5fr)'">
              <rule-file [id]="entry.file" [path]="entry.path" /> {{ entry.label }}
            </ng-container>
            <ng-container *ruleColumn="let entry of v.behind; name: 'Property'">{{ captionOf(entry.property) }}</ng-container>
            <ng-container *ruleColumn="let entry of v.behind; name: 'Holds'; look: 'mono'">{{ show(entry.held) }}</ng-container>
            <ng-container *ruleColumn="let entry of v.behind; name: 'Should hold'; look: 'mono'">{{ show(entry.wanted) }}</ng-container>
            <ng-container *ruleColumn="let entry of v.behind; name: 'State'; by: 'reason'; tip: 'reason'; width: 'minmax(120px, 1fr)'">
              <span [class.warn]="entry.reason">{{ entry.reason ?? 'can be written' }}</span>
            </ng-container>
          </rule-table>
        </section>
      }
      @if (v.sheets.length && sheetProperties().length) {
        <section class="card" aria-label="Sheets">
          <h2>Sheets: own values</h2>
          <div class="wide">
            <rule-table label="Sheets" [rows]="v.sheets">
              <ng-container *ruleColumn="let sheet of v.sheets; name: 'Drawing'; by: 'path'">
                <rule-file [id]="sheet.file" [path]="sheet.path" />
              </ng-container>
              <ng-container *ruleColumn="let sheet of v.sheets; name: 'Sheet'; by: 'label'">{{ sheet.label }}</ng-container>
              @for (property of sheetProperties(); track property.id) {
                <ng-container *ruleColumn="let sheet of v.sheets; name: property.caption">
                  @if (sheet.held[property.id] === undefined) {
                    <span class="soft">no cell</span>
                  } @else if (property.feed === 'typed' && mayEdit() && !sheet.lock) {
                    <input
                      pInputText
                      [attr.aria-label]="property.caption + ' of ' + sheet.path + ', ' + sheet.label"
                      [ngModel]="pendingText(sheet, property) ?? sheet.held[property.id]!.text"
                      (change)="typeSheet(sheet, property, $any($event.target).value)"
                    />
                  } @else {
                    <span class="mono">{{ show(sheet.held[property.id]!) }}</span>
                  }
                </ng-container>
              }
            </rule-table>
          </div>
          @if (mayEdit()) {
            @for (property of defaults(); track property.id) {
              <button type="button" class="link spaced" (click)="fillSheets(v, property)">
                Fill {{ property.caption }} with {{ property.default }} where it is blank
              </button>
            }
          }
        </section>
      }
      @if (v.level !== 'company') {
        <section class="card" aria-label="Files">
          <h2>Files: {{ v.files }}</h2>
          @if (v.files > v.members.length) {
            <p class="soft">The first {{ v.members.length }} are listed.</p>
          }
          @if (mayEdit()) {
            <label class="field find">
              <span>Add a file</span>
              <input pInputText placeholder="part of its path" [ngModel]="find()" (ngModelChange)="searched($event)" />
            </label>
            @for (file of projects.found(); track file.id) {
              <button type="button" class="link spaced" (click)="member(v, file.id, true)">{{ file.path }}</button>
            }
          }
          <rule-table label="Files of the project" [rows]="members()" key="file" virtual height="40vh">
            <ng-container *ruleColumn="let file of members(); name: 'File'; by: 'path'; width: 'minmax(200px, 2fr)'">
              <rule-file [id]="file.file" [path]="file.path" />
            </ng-container>
            <ng-container *ruleColumn="let file of members(); name: 'By'; by: 'how'; look: 'soft'">
              <span [class.warn]="file.out">{{ file.how }}</span>
            </ng-container>
            <ng-container *ruleColumn="let file of members(); said: 'Actions'; width: '120px'">
              @if (mayEdit()) {
                @let back = file.out || file.how === 'by hand';
                <button
                  type="button"
                  class="link"
                  [attr.aria-label]="(back ? 'Leave to the rule: ' : 'Remove: ') + file.path"
                  (click)="member(v, file.file, back ? null : false)"
                >
                  {{ back ? 'Leave to the rule' : 'Remove' }}
                </button>
              }
            </ng-container>
          </rule-table>
        </section>
      }
    } @else if (!id() && projects.list() && !draft()) {
      <div class="card">
        <rule-table label="Projects" [rows]="projects.list() ?? []" key="id">
          <ng-container *ruleColumn="let row of projects.list() ?? []; name: 'Name'">
            <button type="button" class="link" (click)="picked.emit('' + row.id)">{{ row.level === 'company' ? 'the company' : row.name }}</button>
          </ng-container>
          <ng-container *ruleColumn="let row of projects.list() ?? []; name: 'Level'; by: 'level'">{{ row.level }}</ng-container>
          <ng-container *ruleColumn="let row of projects.list() ?? []; name: 'Files'; num: true; by: 'files'">{{ row.files }}</ng-container>
          <ng-container *ruleColumn="let row of projects.list() ?? []; name: 'By'; look: 'soft'">
            {{ row.level === 'company' ? 'all files' : row.clauses.length ? 'rule and hand' : 'hand' }}
          </ng-container>
        </rule-table>
      </div>
    }
  `,
  styles: `
    .value {
      display: inline-block;
      width: 260px;
      margin-right: 18px;
      vertical-align: top;
    }
    .below {
      margin-top: 10px;
    }
    .spaced {
      margin-right: 14px;
    }
    .find {
      max-width: 360px;
    }
    .wide {
      overflow: auto;
    }
    rule-table input {
      width: 130px;
    }
    small.warn {
      color: var(--ochre);
    }
  `,
})
export class Projects {
  protected readonly projects = inject(ProjectsStore);
  private readonly store = inject(Store);
  private readonly notices = inject(Notices);
  readonly id = input<string>();
  readonly picked = output<string | null>();
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly active = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  private readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  private readonly tray = inject(PendingStore);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly draft = signal<WideDraft | null>(null);
  protected readonly draftId = signal<number | null>(null);
  /** Initial content of the editor. */
  private begun: WideDraft | null = null;
  protected readonly wrong = signal<ReadonlyMap<number, string>>(new Map());
  protected readonly find = signal('');
  protected readonly show = plainHeld;
  protected readonly names = computed(() => this.active().map((property) => property.writtenName));
  protected readonly owned = computed(() => {
    const level = this.projects.view()?.level;
    return level ? this.active().filter((property) => isHeldAt(property, level)) : [];
  });
  /** Files of the opened project, and those removed by hand. */
  protected readonly members = computed(() => {
    const view = this.projects.view();
    if (!view) return [];
    return [...view.members.map((file) => ({ ...file, out: false })), ...view.takenOut.map((file) => ({ ...file, how: 'removed by hand', out: true }))];
  });
  protected readonly sheetProperties = computed(() => this.active().filter((property) => property.level === 'sheet'));
  protected readonly defaults = computed(() => this.sheetProperties().filter((property) => property.feed === 'typed' && property.default !== ''));

  constructor() {
    inject(Unsaved).watch(() => {
      const draft = this.draft();
      return draft === null || sameDefinition(draft, this.begun) ? null : `the ${draft.level} ${draft.name || 'without a name'}`;
    });
    effect(() => {
      const id = this.id();
      this.applied();
      untracked(() => {
        this.projects.load();
        this.projects.open(id ? Number(id) : null);
      });
    });
  }

  protected begin(level: WideDraft['level']): void {
    this.draftId.set(null);
    this.work({ level, name: '', clauses: [] });
    setTimeout(() => document.querySelector<HTMLElement>('.draft-name')?.focus());
  }
  protected change({ id, level, name, clauses }: WideView): void {
    if (level === 'company') return;
    this.draftId.set(id);
    this.work({ level, name, clauses });
  }
  private work(draft: WideDraft): void {
    this.begun = draft;
    this.draft.set(draft);
  }
  protected readonly whole = computed(() => (this.draft()?.clauses ?? []).every((clause) => clauseProblem(clause) === null));
  /** Saves the latest input; a click may precede the last update. */
  protected save(): void {
    const draft = this.draft();
    if (!draft) return;
    this.projects.save(this.draftId(), { ...draft, name: draft.name.trim() }, ({ id }) => {
      this.draft.set(null);
      if (this.id() === `${id}`) this.projects.open(id);
      this.picked.emit(`${id}`);
    });
  }
  protected remove({ id }: WideView): void {
    this.projects.remove(id, () => this.picked.emit(null));
  }
  protected searched(text: string): void {
    this.find.set(text);
    this.projects.search(text);
  }
  protected member({ id }: WideView, file: number, member: boolean | null): void {
    this.find.set('');
    this.projects.member(id, file, member);
  }

  protected captionOf(property: number): string {
    return this.byId()[property]?.caption ?? '';
  }
  protected closed(property: Property, level: WideView['level']): string | null {
    return whyNotTypedAbove(property, level);
  }
  private pending(file: number, holder: string, name: string): HeldValue | null | undefined {
    return this.tray.lines().find((line) => line.file === file && line.holder === holder && line.name === name)?.proposed;
  }
  protected waiting({ id }: WideView, property: Property): boolean {
    return this.pending(-id, '', property.writtenName) !== undefined;
  }
  protected textOf(view: WideView, property: Property): string {
    const waits = this.pending(-view.id, '', property.writtenName);
    const held = waits !== undefined ? waits : (view.held[property.id] ?? null);
    if (held === null) return '';
    const parsed = readHeld(held, property);
    return parsed.ok ? editText(parsed.value, property) : held.text;
  }
  protected pendingText({ file, holder, homes }: SetSheet, property: Property): string | null {
    const waits = this.pending(file, holder, homes[property.id] ?? property.writtenName);
    return waits === undefined ? null : (waits?.text ?? '');
  }

  protected type(view: WideView, property: Property, text: string): void {
    const check = checkProposed(text, property, this.standIns());
    this.wrong.update((wrong) => {
      const next = new Map(wrong);
      if (check.ok) next.delete(property.id);
      else next.set(property.id, check.violations.map((violation) => violation.message).join('; '));
      return next;
    });
    if (check.ok) this.store.dispatch(TrayActions.propose({ values: [{ file: -view.id, property: property.id, text }], reason: `${view.level} ${view.name}` }));
  }
  protected typeSheet({ file, holder }: WideView['sheets'][number], property: Property, text: string): void {
    this.store.dispatch(TrayActions.propose({ values: [{ file, holder, property: property.id, text }], reason: 'typed for a sheet' }));
  }
  protected fillSheets(view: WideView, property: Property): void {
    const values = view.sheets
      .filter((sheet) => sheet.held[property.id]?.text === '' && !sheet.lock)
      .map(({ file, holder }) => ({ file, holder, property: property.id, text: property.default }));
    if (values.length) this.store.dispatch(TrayActions.propose({ values, reason: `default of ${property.caption} for existing sheets` }));
    else this.notices.done('All writable sheets have a value.');
  }
}
