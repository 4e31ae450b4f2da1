import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Clause, LearnedName } from '@rule/contract';
import { CleanUp } from '@rule/core/survey';
import { ValueType } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleTip, RuleWaiting } from '../kit';
import { Bench, JobsActions, catalogueFeature, jobsFeature, sessionFeature, trayFeature, afterTyping } from '../shared';
import { AddLibrary } from './add-library';
import { ChosenName } from './chosen-name';
import { Classes } from './classes';
import { CleanUpDialog } from './clean-up';
import { CoverageCell, CoverageMap } from './coverage';
import { FoundDrafts } from './drafts';
import { FoundFiles } from './files';
import { filterOf, isEverything, limitsOf } from './filter';
import { ForeignNames } from './foreign';
import { KeptSurveys } from './kept';
import { LibraryFacts } from './library-facts';
import { LearnedMappings } from './learned';
import { LibrariesStore } from './libraries.store';
import { LOOKS } from './looks';
import { FoundNames } from './names';
import { MassRemarks, Remarks } from './remarks';
import { SurveyIndex, Wanted } from './survey-index';
import { NameRow, SurveyStore } from './survey.store';
import { Twins } from './twins';
import { Uploads } from './uploads';
import { WithChosen } from './with-chosen';
import { ValuesOf } from './values-of';

/** The Survey station: what files hold, and clean-ups. */
@Component({
  selector: 'rule-survey-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleTip,
    RuleWaiting,
    AddLibrary,
    Bench,
    ButtonModule,
    ChosenName,
    Classes,
    CleanUpDialog,
    CoverageMap,
    ForeignNames,
    FormsModule,
    FoundDrafts,
    FoundFiles,
    FoundNames,
    InputTextModule,
    KeptSurveys,
    LearnedMappings,
    LibraryFacts,
    MassRemarks,
    Remarks,
    SurveyIndex,
    Twins,
    Uploads,
    ValuesOf,
    WithChosen,
  ],
  providers: [LibrariesStore, SurveyStore],
  template: `
    <rule-bench label="Survey">
      <rule-survey-index
        bench="index"
        [look]="look()"
        [library]="libraryNumber()"
        [name]="name()"
        [kind]="kind()"
        [filter]="filter()"
        [mayAdminister]="mayAdminister()"
        (go)="go($event)"
        (limit)="limit($event)"
        (add)="adding.set(true)"
      />

      <div class="head">
        <div>
          <h1>{{ title() }}</h1>
          <p>{{ said() }}</p>
        </div>
        <div class="actions">
          @if (namesShown()) {
            <p-button severity="secondary" label="Send out XLSX" [disabled]="!survey()?.files" (onClick)="sendOut('xlsx')" />
            <p-button severity="secondary" label="CSV" [disabled]="!survey()?.files" (onClick)="sendOut('csv')" />
          }
          @if (mayEdit()) {
            <p-button severity="secondary" label="Read again" [disabled]="!survey()?.libraries?.length" (onClick)="libraries.rescan(null)" />
          }
        </div>
      </div>
      @if (isLimited()) {
        <div class="limits">
          <input pInputText placeholder="Limit to files that hold …" aria-label="Limit to files that hold" [ngModel]="q()" (ngModelChange)="searched($event)" />
          @if (namesListed()) {
            <input
              pInputText
              placeholder="Narrow the list of names"
              aria-label="Narrow the list of names"
              [ngModel]="narrow()"
              (ngModelChange)="narrow.set($event)"
            />
          }
          @for (entry of limits(); track entry.text) {
            <button type="button" class="chip plain" [ruleTip]="'Remove the limit ' + entry.text" (click)="limit(entry.without)">{{ entry.text }} ×</button>
          }
        </div>
      }
      @if (found.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (survey(); as s) {
        @if (s.libraries.length === 0) {
          <p class="note">
            No library yet. A library is a folder on the server, or files that you upload here: STEP parts and assemblies, DXF drawings, office documents,
            scans. An administrator adds it at the left.
          </p>
        } @else {
          @switch (look()) {
            @case ('library') {
              @if (libraryShown(); as row) {
                <rule-library-facts [row]="row" (again)="libraries.rescan(row.id)" />
                @if (row.kind === 'upload' && mayEdit()) {
                  <rule-uploads [library]="row.id" (arrived)="libraries.rescan(row.id)" />
                }
              }
            }
            @case ('coverage') {
              <rule-coverage [filter]="filter()" [turn]="turn()" [records]="recordFields().length > 0" (open)="openCell($event)" />
            }
            @case ('twins') {
              @if (found.twins() || !found.error()) {
                <rule-twins
                  [rows]="found.twins()"
                  [others]="found.others()"
                  [properties]="byId()"
                  (act)="act($event)"
                  (pick)="selected.set($event)"
                  (contradictions)="openContradictions($event)"
                />
              }
            }
            @case ('learned') {
              <rule-learned [properties]="byId()" [turn]="turn()" (act)="act($event)" (map)="mapName($event)" />
            }
            @case ('foreign') {
              <rule-foreign
                [properties]="properties()"
                [strays]="strayNames()"
                [names]="names()"
                [filter]="filter()"
                [turn]="turn()"
                [suggested]="suggested()"
              />
            }
            @case ('values') {
              @if (name(); as chosen) {
                <rule-values-of
                  [name]="chosen"
                  [names]="names()"
                  [filter]="filter()"
                  [turn]="turn()"
                  (nameChange)="go({ look: 'values', name: $event })"
                  (act)="act($event)"
                  (files)="openValue(chosen, $event)"
                />
              }
            }
            @case ('files') {
              <rule-found-files
                [filter]="filter()"
                [turn]="turn()"
                [name]="name() ?? ''"
                [names]="names()"
                [recordFields]="recordFields()"
                [typeOf]="typeOf"
                (nameChange)="go({ look: 'files', name: $event || null })"
                (where)="setWhere($event)"
              />
            }
            @case ('remarks') {
              <rule-remarks [turn]="turn()" />
            }
            @case ('masses') {
              <rule-mass-remarks [turn]="turn()" />
            }
            @case ('kept') {
              <rule-kept-surveys [filter]="filter()" [scope]="scopeText()" [turn]="turn()" />
            }
            @case ('classes') {
              <rule-classes [rows]="s.classes" [names]="names()" (saved)="reload()" />
            }
            @default {
              @if (ticked().size) {
                <rule-with-chosen [names]="tickedList()" (act)="act($event)" (define)="drafting.set(tickedList())" (letGo)="ticked.set(none)" />
              }
              <rule-found-names
                [rows]="shown()"
                [text]="narrow()"
                [none]="look() === 'names' ? 'No file here has properties.' : 'None.'"
                [selected]="selected()"
                (selectedChange)="selected.set($event)"
                [ticked]="ticked()"
                (tick)="ticked.set($event)"
              />
            }
          }
        }
      } @else if (!found.error()) {
        <rule-waiting />
      }

      <div bench="inspector">
        <rule-chosen-name
          [row]="chosen()"
          [mayEdit]="mayEdit()"
          [mayAdminister]="mayAdminister()"
          (act)="act($event)"
          (values)="go({ look: 'values', name: $event })"
          (files)="openFiles($event)"
        />
      </div>
    </rule-bench>

    <rule-clean-up [action]="action()" [filter]="filter()" [scope]="'Over ' + scopeText() + '.'" [known]="writtenNames()" (closed)="action.set(null)" />
    <rule-found-drafts [names]="drafting()" (closed)="drafting.set([]); ticked.set(none)" />

    <rule-add-library [(open)]="adding" (added)="added($event)" />
  `,
  styles: `
    .limits {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      margin-bottom: 12px;
    }
    .limits input {
      width: 220px;
    }
    button.chip {
      padding: 1px 8px;
    }
  `,
})
export class SurveyStation {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly found = inject(SurveyStore);
  protected readonly libraries = inject(LibrariesStore);
  protected readonly properties = this.store.selectSignal(catalogueFeature.selectAll);
  protected readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  private readonly ended = this.store.selectSignal(jobsFeature.selectEndedCount);

  readonly look = input('names', { transform: (text: string | undefined) => text ?? 'names' });
  readonly name = input<string>();
  readonly library = input<string>();
  readonly folder = input<string>();
  readonly kind = input<string>();
  readonly class = input<string>();
  readonly q = input<string>();
  readonly where = input<string>();

  /** Compared by value, so changing views reloads nothing. */
  protected readonly filter = computed(
    () =>
      filterOf({
        // In the library view this is the displayed library.
        library: this.look() === 'library' ? undefined : this.library(),
        folder: this.folder(),
        kind: this.kind(),
        class: this.class(),
        q: this.q(),
        where: this.where(),
      }),
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );
  /** Incremented when files may have changed. */
  protected readonly turn = computed(() => this.applied() + this.ended() + this.again());
  private readonly again = signal(0);
  protected readonly survey = this.found.survey;
  protected readonly selected = signal<string | null>(null);
  protected readonly none: ReadonlySet<string> = new Set();
  protected readonly ticked = signal<ReadonlySet<string>>(this.none);
  protected readonly tickedList = computed(() => [...this.ticked()]);
  protected readonly action = signal<CleanUp | null>(null);
  protected readonly suggested = signal<{ name: string; property: number } | null>(null);
  protected readonly strayNames = computed(() => this.found.strays().map((row) => row.name));
  protected readonly drafting = signal<readonly string[]>([]);
  protected readonly adding = signal(false);
  protected readonly narrow = signal('');
  /** These views always cover all libraries. */
  protected readonly isLimited = computed(() => !['library', 'twins', 'learned', 'remarks', 'masses', 'classes'].includes(this.look()));
  protected readonly namesListed = computed(() => ['names', 'strays', 'stand-ins'].includes(this.look()));
  private readonly soon = afterTyping();

  protected readonly libraryNumber = computed(() => Number(this.library()));
  protected readonly libraryShown = computed(() => this.survey()?.libraries.find((row) => row.id === this.libraryNumber()));
  protected readonly names = computed(() => this.found.rows().map((row) => row.name));
  protected readonly recordFields = computed(() => this.survey()?.recordFields ?? []);
  protected readonly writtenNames = computed(() => this.properties().map((property) => property.writtenName));
  protected readonly chosen = computed<NameRow | undefined>(() => this.found.rows().find((row) => row.name === this.selected()));
  protected readonly namesShown = computed(() => ['names', 'strays', 'stand-ins', 'coverage'].includes(this.look()));
  protected readonly shown = computed(() => {
    if (this.look() === 'strays') return this.found.strays();
    if (this.look() === 'stand-ins') return this.found.rows().filter((row) => row.standIns > 0);
    return this.found.rows();
  });
  protected readonly typeOf = (name: string): ValueType | null => this.found.rows().find((row) => row.name === name)?.guess.type ?? null;

  protected readonly title = computed(() =>
    this.look() === 'library' ? (this.libraryShown()?.name ?? 'Library') : (LOOKS[this.look()]?.title ?? `What ${this.survey()?.files ?? '…'} files hold`),
  );
  protected readonly said = computed(() => {
    const said = LOOKS[this.look()]?.said;
    if (said !== undefined) return said;
    const unread = this.survey()?.libraries.reduce((sum, row) => sum + row.unread, 0) ?? 0;
    return `Properties by their exact written name, at every level. ${unread === 0 ? 'Every file could be read.' : `${count(unread, 'file')} could not be read.`}`;
  });

  /** Active filters, each removable. */
  protected readonly limits = computed(() => limitsOf(this.filter(), this.survey()));
  protected readonly scopeText = computed(() => {
    const n = this.survey()?.files ?? 0;
    const files = `${count(n, 'file')}`;
    return isEverything(this.filter())
      ? `all ${files}`
      : `the ${files} of: ${this.limits()
          .map((entry) => entry.text)
          .join(', ')}`;
  });

  constructor() {
    effect(() => {
      const filter = this.filter();
      this.turn();
      untracked(() => {
        this.found.load(filter);
        this.found.loadTwins();
        this.found.loadOthers();
      });
    });
    this.store.dispatch(JobsActions.load());
  }

  protected reload(): void {
    this.again.update((n) => n + 1);
  }

  /** Changes the view, keeping filters. */
  protected go(queryParams: Wanted): void {
    this.ticked.set(this.none);
    if (queryParams['look'] !== 'foreign') this.suggested.set(null);
    const left = this.look() === 'library' ? { library: null } : {};
    void this.router.navigate([], { queryParams: { name: null, ...left, ...queryParams }, queryParamsHandling: 'merge' });
  }

  /** Changes filters, keeping the view. */
  protected limit(queryParams: Wanted): void {
    this.ticked.set(this.none);
    const left = this.look() === 'library' ? { look: null, library: null } : {};
    void this.router.navigate([], { queryParams: { ...left, ...queryParams }, queryParamsHandling: 'merge' });
  }

  protected searched(text: string): void {
    this.soon(() => this.limit({ q: text.trim() || null }));
  }

  protected setWhere(clauses: readonly Clause[]): void {
    this.limit({ where: clauses.length ? JSON.stringify(clauses) : null });
  }

  protected openFiles(name: string, more: Record<string, string | number | null> = {}, operator: Clause['operator'] = 'is filled', text?: string): void {
    this.openMatching({ subject: 'value', name, operator, ...(text === undefined ? {} : { text }) }, name, more);
  }
  private openMatching(clause: Clause, shown: string | null, more: Wanted): void {
    const others = (this.filter().where ?? []).filter((other) => other.name !== clause.name || other.subject !== clause.subject);
    this.go({ look: 'files', name: shown, where: JSON.stringify([...others, clause]), ...more });
  }
  protected openValue(name: string, text: string): void {
    this.openFiles(name, {}, 'is', text);
  }

  protected openCell({ of, name, by, key }: CoverageCell): void {
    const more: Record<string, string | number | null> =
      by === 'kind'
        ? { kind: key }
        : by === 'class'
          ? { class: Number(key) }
          : by === 'folder'
            ? { library: Number(key.split(':')[0]), folder: key.slice(key.indexOf(':') + 1) || null }
            : {};
    if (of === 'names') this.openFiles(name, more);
    else this.openMatching({ subject: 'record field', name, operator: 'is filled' }, null, more);
  }

  protected openContradictions(names: readonly string[]): void {
    const where: Clause[] = names.slice(0, 2).map((name) => ({ subject: 'value', name, operator: 'is filled' }));
    this.go({ look: 'files', name: names[0] ?? null, where: JSON.stringify(where) });
  }

  protected mapName({ name, property }: LearnedName): void {
    this.suggested.set({ name, property });
    this.go({ look: 'foreign' });
  }

  protected act(action: CleanUp): void {
    this.action.set(action);
  }

  protected sendOut(format: 'xlsx' | 'csv'): void {
    const names = this.look() === 'names' || this.look() === 'coverage' ? [] : this.shown().map((row) => row.name);
    this.libraries.sendOut({ format, filter: this.filter(), names });
  }

  protected added(library: number | null): void {
    this.reload();
    if (library !== null) this.go({ look: 'library', library });
  }
}
