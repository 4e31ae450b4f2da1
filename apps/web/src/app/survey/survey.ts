import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Clause, LearnedName, Library } from '@rule/contract';
import { KINDS, compareNames } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { ValueType } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { InputTextModule } from 'primeng/inputtext';
import { RuleRadio } from '../kit';
import {
  Api,
  Bench,
  CatalogueActions,
  catalogueFeature,
  ExactName,
  IndexRow,
  JobsActions,
  jobsFeature,
  Notices,
  problemOf,
  saveBlob,
  sessionFeature,
  showInstant,
  trayFeature,
  Way,
  Count,
} from '../shared';
import { Classes } from './classes';
import { CleanUpDialog } from './clean-up';
import { CoverageCell, CoverageMap } from './coverage';
import { FoundDrafts } from './drafts';
import { FoundFiles } from './files';
import { ForeignNames } from './foreign';
import { clauseText, filterOf, isEverything } from './filter';
import { KeptSurveys } from './kept';
import { LearnedMappings } from './learned';
import { FoundNames } from './names';
import { MassRemarks, Remarks } from './remarks';
import { NameRow, SurveyStore } from './survey.store';
import { Twins } from './twins';
import { Uploads } from './uploads';
import { ValuesOf } from './values-of';

const PLURAL: Readonly<Record<string, string>> = { part: 'Parts', assembly: 'Assemblies', drawing: 'Drawings', other: 'Other files' };

/** The Survey station: what files hold, and clean-ups. */
@Component({
  selector: 'rule-survey-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    Count,
    Bench,
    ButtonModule,
    Classes,
    CleanUpDialog,
    CoverageMap,
    DialogModule,
    ExactName,
    FormsModule,
    ForeignNames,
    FoundDrafts,
    FoundFiles,
    FoundNames,
    IndexRow,
    InputTextModule,
    KeptSurveys,
    LearnedMappings,
    MassRemarks,
    Remarks,
    RouterLink,
    Twins,
    Uploads,
    ValuesOf,
    Way,
    RuleRadio,
  ],
  providers: [SurveyStore],
  template: `
    <rule-bench label="Survey">
      <div bench="index">
        <h3>Libraries</h3>
        @for (row of survey()?.libraries ?? []; track row.id) {
          <rule-index-row
            [text]="row.name"
            [end]="row.files + ' files'"
            [on]="look() === 'library' && libraryNumber() === row.id"
            (choose)="go({ look: 'library', library: row.id })"
          />
        }
        @if (mayAdminister()) {
          <rule-index-row text="Add library" (choose)="adding.set(true)" />
        }
        <h3>Look at</h3>
        <rule-index-row text="Names" [end]="found.rows().length" [on]="look() === 'names'" (choose)="go({ look: null })" />
        <rule-index-row
          text="Strays"
          [end]="found.strays().length"
          [tone]="found.strays().length ? 'warn' : ''"
          [on]="look() === 'strays'"
          (choose)="go({ look: 'strays' })"
        />
        <rule-index-row
          text="Stand-ins"
          [end]="standIns()"
          [tone]="standIns() ? 'warn' : ''"
          [on]="look() === 'stand-ins'"
          (choose)="go({ look: 'stand-ins' })"
        />
        <rule-index-row text="Coverage" [on]="look() === 'coverage'" (choose)="go({ look: 'coverage' })" />
        <rule-index-row
          text="Twins"
          [end]="found.twins()?.length ?? ''"
          [tone]="found.twins()?.length ? 'warn' : ''"
          [on]="look() === 'twins'"
          (choose)="go({ look: 'twins' })"
        />
        <rule-index-row text="Values of a name" [on]="look() === 'values'" (choose)="go({ look: 'values', name: name() ?? found.rows()[0]?.name ?? null })" />
        <rule-index-row text="Files by any value" [on]="look() === 'files'" (choose)="go({ look: 'files' })" />
        <rule-index-row
          text="Remarks on files"
          [end]="survey()?.remarks ?? 0"
          [tone]="survey()?.remarks ? 'warn' : ''"
          [on]="look() === 'remarks'"
          (choose)="go({ look: 'remarks' })"
        />
        <rule-index-row text="Learned mappings" [on]="look() === 'learned'" (choose)="go({ look: 'learned' })" />
        <rule-index-row text="Foreign names" [on]="look() === 'foreign'" (choose)="go({ look: 'foreign' })" />
        <rule-index-row text="Masses and materials" [on]="look() === 'masses'" (choose)="go({ look: 'masses' })" />
        <rule-index-row text="Earlier surveys" [on]="look() === 'kept'" (choose)="go({ look: 'kept' })" />
        <rule-index-row text="Classes" [end]="survey()?.classes?.length ?? ''" [on]="look() === 'classes'" (choose)="go({ look: 'classes' })" />
        <h3>Limit to a kind</h3>
        @for (row of kinds; track row) {
          <rule-index-row [text]="plural(row)" [on]="kind() === row" (choose)="limit({ kind: kind() === row ? null : row })" />
        }
        @if (survey()?.classes?.length) {
          <h3>Limit to a class</h3>
          @for (row of survey()!.classes; track row.id) {
            <rule-index-row
              [text]="row.name"
              [end]="row.files"
              [on]="filter().class === row.id"
              (choose)="limit({ class: filter().class === row.id ? null : row.id })"
            />
          }
        }
        <h3>Limit to a folder</h3>
        @for (row of survey()?.folders ?? []; track row.library + row.folder) {
          <rule-index-row
            [text]="row.folder ? leaf(row.folder) : 'top folder'"
            [depth]="depth(row.folder)"
            [end]="row.files"
            [on]="filter().folder === row.folder && filter().library === row.library"
            (choose)="toFolder(row.library, row.folder)"
          />
        }
      </div>

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
            <p-button severity="secondary" label="Read again" [disabled]="!survey()?.libraries?.length" (onClick)="rescan(null)" />
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
            <button type="button" class="chip plain" [title]="'Remove the limit ' + entry.text" (click)="limit(entry.without)">{{ entry.text }} ×</button>
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
                <section class="card">
                  <dl class="facts">
                    <dt>{{ row.kind === 'upload' ? 'Uploaded files' : 'Folder on the server' }}</dt>
                    <dd class="mono">{{ row.kind === 'upload' ? 'kept with the data of Rule' : row.root }}</dd>
                    <dt>Files</dt>
                    <dd>{{ row.files }}, of which {{ row.unread }} could not be read</dd>
                    <dt>Last read</dt>
                    <dd>{{ row.surveyedAt ? instant(row.surveyedAt) : 'never' }}</dd>
                  </dl>
                  @if (mayEdit()) {
                    <p-button severity="secondary" size="small" label="Read this library again" (onClick)="rescan(row.id)" />
                  }
                </section>
                @if (row.kind === 'upload' && mayEdit()) {
                  <rule-uploads [library]="row.id" (arrived)="rescan(row.id)" />
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
                <div class="ticks" role="region" aria-label="With the chosen names">
                  <b>{{ ticked().size }} chosen</b>
                  @if (mayAdminister()) {
                    <p-button size="small" label="Make properties …" (onClick)="drafting.set(tickedList())" />
                  }
                  <p-button
                    size="small"
                    severity="secondary"
                    [label]="ticked().size === 1 ? 'Rename …' : 'Merge …'"
                    (onClick)="
                      act({
                        do: 'merge',
                        names: ticked().size === 1 ? tickedList() : tickedList().slice(1),
                        to: tickedList()[0]!,
                        clash: 'keep the filled one',
                      })
                    "
                  />
                  @if (ticked().size > 1) {
                    <p-button
                      size="small"
                      severity="secondary"
                      label="Join …"
                      (onClick)="act({ do: 'join', names: tickedList(), separator: ' ', to: tickedList()[0]! })"
                    />
                  }
                  <p-button size="small" severity="secondary" label="Remove …" (onClick)="act({ do: 'remove', names: tickedList() })" />
                  <button type="button" class="link" (click)="ticked.set(none)">let go</button>
                </div>
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
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (chosen(); as row) {
          <h2><rule-exact-name [name]="row.name" /></h2>
          @for (part of row.parts; track part.kind + part.level) {
            <p class="soft">
              {{ part.level === 'document' ? 'Document property' : 'Value at the level ' + part.level }} of {{ part.files | count: part.kind + ' file' }}:
              {{ part.filled }} filled, {{ part.standIns }} with a stand-in, {{ part.files - part.filled - part.standIns }} empty;
              {{ part.distinct | count: 'different text' }}.
            </p>
          }
          @if (row.status === 'alike') {
            <p class="note bad">
              The schema has {{ row.property!.writtenName }}. They differ only in {{ difference(row) }}: programs that compare exactly treat them as two
              properties.
            </p>
          }
          <p class="links">
            <button type="button" class="link" (click)="go({ look: 'values', name: row.name })">Its values</button>
            <button type="button" class="link" (click)="openFiles(row.name)">Its files</button>
          </p>
          @if (row.status === 'stray' && mayAdminister()) {
            <p-button label="Define it in the schema" (onClick)="define(row)" />
          }
          @if (mayEdit()) {
            <h2 class="clean">Clean up</h2>
            <div class="clean">
              <button
                type="button"
                class="link"
                (click)="act({ do: 'merge', names: [row.name], to: row.property?.writtenName ?? row.name, clash: 'keep the filled one' })"
              >
                {{ row.status === 'alike' ? 'Move to ' + row.property!.writtenName + ' …' : 'Rename, or move to another name …' }}
              </button>
              <button type="button" class="link" (click)="act({ do: 'trim', name: row.name })">Trim blanks …</button>
              <button type="button" class="link" (click)="act({ do: 'case', name: row.name, style: 'upper' })">Change the letter case …</button>
              <button type="button" class="link" (click)="act({ do: 'split', name: row.name, separator: ', ', into: [row.name, row.name + ' 2'] })">
                Split its values …
              </button>
              <button type="button" class="link" (click)="act({ do: 'convert', name: row.name, unit: row.guess.unit ?? 'mm' })">Convert to a unit …</button>
              <button type="button" class="link" (click)="act({ do: 'remove', names: [row.name] })">Remove …</button>
            </div>
          }
          @if (row.status === 'known' || row.status === 'retired') {
            <rule-way [property]="row.property!.id" />
          }
          <p>
            <a [routerLink]="['/values']" [queryParams]="{ kind: row.kinds[0] }">Open the {{ row.kinds[0] }} files in Values</a>
          </p>
        } @else {
          <p class="soft">Select a name to see how it is used and to clean it up. Tick several to merge them or to define properties.</p>
        }
      </div>
    </rule-bench>

    <rule-clean-up [action]="action()" [filter]="filter()" [scope]="'Over ' + scopeText() + '.'" [known]="writtenNames()" (closed)="action.set(null)" />
    <rule-found-drafts [names]="drafting()" (closed)="drafting.set([]); ticked.set(none)" />

    <p-dialog
      closeAriaLabel="Close"
      header="Add a library"
      [modal]="true"
      [visible]="adding()"
      (visibleChange)="adding.set($event)"
      [style]="{ width: '460px' }"
    >
      <form (ngSubmit)="add()">
        <label class="field"
          ><span>Name of the library</span><input pInputText name="name" [ngModel]="newName()" (ngModelChange)="newName.set($event)"
        /></label>
        <div class="field" role="radiogroup" aria-label="Where its files are">
          <label
            ><rule-radio name="kind" [checked]="newKind() === 'folder'" (choose)="newKind.set('folder')" /> a folder on the server, read where it stands</label
          ><br /><label><rule-radio name="kind" [checked]="newKind() === 'upload'" (choose)="newKind.set('upload')" /> uploaded files</label>
        </div>
        @if (newKind() === 'folder') {
          <label class="field"
            ><span>Folder on the server</span><input pInputText name="path" class="mono" [ngModel]="path()" (ngModelChange)="path.set($event)" /><small
              >All files in it and below it are read; reading changes nothing.</small
            ></label
          >
        }
        @if (addError(); as text) {
          <p class="note bad" role="alert">{{ text }}</p>
        }
        <p-button
          type="submit"
          [label]="newKind() === 'folder' ? 'Register and read' : 'Begin the library'"
          [disabled]="!newName().trim() || (newKind() === 'folder' && !path().trim())"
          [loading]="busy()"
        />
      </form>
    </p-dialog>
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
    .ticks {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      margin-bottom: 10px;
    }
    .links {
      display: flex;
      gap: 14px;
    }
    .clean {
      display: grid;
      gap: 4px;
      margin: 12px 0;
      justify-items: start;
    }
    h2.clean {
      margin: 14px 0 4px;
    }
  `,
})
export class SurveyStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  protected readonly found = inject(SurveyStore);
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
  protected readonly busy = signal(false);
  protected readonly adding = signal(false);
  protected readonly addError = signal<string | null>(null);
  protected readonly newName = signal('');
  protected readonly newKind = signal<Library['kind']>('folder');
  protected readonly path = signal('');
  protected readonly narrow = signal('');
  /** These views always cover all libraries. */
  protected readonly isLimited = computed(() => !['library', 'twins', 'learned', 'remarks', 'masses', 'classes'].includes(this.look()));
  protected readonly namesListed = computed(() => ['names', 'strays', 'stand-ins'].includes(this.look()));
  protected readonly instant = showInstant;
  protected readonly kinds = KINDS;
  private searchTimer: ReturnType<typeof setTimeout> | undefined;

  protected readonly libraryNumber = computed(() => Number(this.library()));
  protected readonly libraryShown = computed(() => this.survey()?.libraries.find((row) => row.id === this.libraryNumber()));
  protected readonly names = computed(() => this.found.rows().map((row) => row.name));
  protected readonly recordFields = computed(() => this.survey()?.recordFields ?? []);
  protected readonly writtenNames = computed(() => this.properties().map((property) => property.writtenName));
  protected readonly chosen = computed<NameRow | undefined>(() => this.found.rows().find((row) => row.name === this.selected()));
  protected readonly standIns = computed(() => this.found.rows().reduce((sum, row) => sum + row.standIns, 0));
  protected readonly namesShown = computed(() => ['names', 'strays', 'stand-ins', 'coverage'].includes(this.look()));
  protected readonly shown = computed(() => {
    if (this.look() === 'strays') return this.found.strays();
    if (this.look() === 'stand-ins') return this.found.rows().filter((row) => row.standIns > 0);
    return this.found.rows();
  });
  protected readonly typeOf = (name: string): ValueType | null => this.found.rows().find((row) => row.name === name)?.guess.type ?? null;

  protected readonly title = computed(() => {
    switch (this.look()) {
      case 'strays':
        return 'Names outside the schema';
      case 'stand-ins':
        return 'Names with stand-ins';
      case 'coverage':
        return 'How far names are filled';
      case 'twins':
        return 'Names that probably mean the same';
      case 'values':
        return 'Values of a name';
      case 'learned':
        return 'What the library suggests';
      case 'foreign':
        return 'Foreign names';
      case 'files':
        return 'Files by any value';
      case 'remarks':
        return 'Remarks on files';
      case 'masses':
        return 'Masses and materials';
      case 'kept':
        return 'What got better';
      case 'classes':
        return 'Classes';
      case 'library':
        return this.libraryShown()?.name ?? 'Library';
      default:
        return `What ${this.survey()?.files ?? '…'} files hold`;
    }
  });
  protected readonly said = computed(() => {
    switch (this.look()) {
      case 'twins':
        return 'Suggestions with reasons. Nothing is merged until you confirm.';
      case 'learned':
        return 'Bindings and name meanings learned from the files, with the evidence for and against each.';
      case 'foreign':
        return "What another company's names mean in your schema. Nothing is written until you apply it.";
      case 'remarks':
        return 'Files that cannot be read, notes from reading, and duplicate names and contents.';
      case 'masses':
        return 'Masses in files compared with geometry, and materials in models compared with the property.';
      case 'classes':
        return "The company's own subdivision of files. Survey can be limited to a class, and coverage shown by class.";
      case 'kept':
        return "Earlier counts compared with today's, over the same files.";
      case 'files':
        return 'All conditions must be met. Numbers and dates are compared by size.';
      case 'library':
        return '';
      default: {
        const unread = this.survey()?.libraries.reduce((sum, row) => sum + row.unread, 0) ?? 0;
        return `Properties by their exact written name, at every level. ${unread === 0 ? 'Every file could be read.' : `${count(unread, 'file')} could not be read.`}`;
      }
    }
  });

  /** Active filters, each removable. */
  protected readonly limits = computed((): { text: string; without: Record<string, string | null> }[] => {
    const filter = this.filter();
    const library = this.survey()?.libraries.find((row) => row.id === filter.library)?.name;
    const className = this.survey()?.classes.find((row) => row.id === filter.class)?.name ?? 'none';
    const rest = (at: number) => JSON.stringify(filter.where!.filter((_, i) => i !== at));
    return [
      ...(filter.library === undefined || filter.folder !== undefined ? [] : [{ text: `library ${library ?? filter.library}`, without: { library: null } }]),
      ...(filter.folder === undefined ? [] : [{ text: `folder ${filter.folder}`, without: { folder: null, library: null } }]),
      ...(filter.kind === undefined ? [] : [{ text: `kind ${filter.kind}`, without: { kind: null } }]),
      ...(filter.class === undefined ? [] : [{ text: `class ${className}`, without: { class: null } }]),
      ...(filter.search === undefined ? [] : [{ text: `holds ${filter.search}`, without: { q: null } }]),
      ...(filter.where ?? []).map((clause, at) => ({ text: clauseText(clause), without: { where: filter.where!.length > 1 ? rest(at) : null } })),
    ];
  });
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

  protected plural(kind: string): string {
    return PLURAL[kind] ?? kind;
  }
  protected leaf(folder: string): string {
    return folder.slice(folder.lastIndexOf('/') + 1);
  }
  protected depth(folder: string): number {
    return folder.split('/').length - 1;
  }

  /** Changes the view, keeping filters. */
  protected go(queryParams: Record<string, string | number | null>): void {
    this.ticked.set(this.none);
    if (queryParams['look'] !== 'foreign') this.suggested.set(null);
    const left = this.look() === 'library' ? { library: null } : {};
    void this.router.navigate([], { queryParams: { name: null, ...left, ...queryParams }, queryParamsHandling: 'merge' });
  }

  /** Changes filters, keeping the view. */
  protected limit(queryParams: Record<string, string | number | null>): void {
    this.ticked.set(this.none);
    const left = this.look() === 'library' ? { look: null, library: null } : {};
    void this.router.navigate([], { queryParams: { ...left, ...queryParams }, queryParamsHandling: 'merge' });
  }

  protected toFolder(library: number, folder: string): void {
    const on = this.filter().folder === folder && this.filter().library === library;
    this.limit({ folder: on ? null : folder, library: on ? null : library });
  }

  protected searched(text: string): void {
    clearTimeout(this.searchTimer);
    this.searchTimer = setTimeout(() => this.limit({ q: text.trim() || null }), 300);
  }

  protected setWhere(clauses: readonly Clause[]): void {
    this.limit({ where: clauses.length ? JSON.stringify(clauses) : null });
  }

  protected openFiles(name: string, more: Record<string, string | number | null> = {}, operator: Clause['operator'] = 'is filled', text?: string): void {
    this.openMatching({ subject: 'value', name, operator, ...(text === undefined ? {} : { text }) }, name, more);
  }
  private openMatching(clause: Clause, shown: string | null, more: Record<string, string | number | null>): void {
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

  protected difference(row: NameRow): string {
    return compareNames(row.name, row.property!.writtenName);
  }

  protected define(row: NameRow): void {
    void this.router.navigate(['/schema'], { queryParams: { define: row.name, kinds: row.kinds.join(',') } });
  }

  protected sendOut(format: 'xlsx' | 'csv'): void {
    this.api
      .surveyTable({ format, filter: this.filter(), names: this.look() === 'names' || this.look() === 'coverage' ? [] : this.shown().map((row) => row.name) })
      .subscribe({
        next: saveBlob,
        error: this.notices.failed,
      });
  }

  protected rescan(library: number | null): void {
    this.api.rescan(library).subscribe({ next: (started) => this.store.dispatch(JobsActions.started(started)), error: this.notices.failed });
  }

  protected add(): void {
    this.busy.set(true);
    this.addError.set(null);
    const failed = (failure: unknown) => {
      this.busy.set(false);
      this.addError.set(problemOf(failure).detail);
    };
    const ready = () => {
      this.busy.set(false);
      this.adding.set(false);
      this.newName.set('');
      this.path.set('');
      this.store.dispatch(CatalogueActions.recount());
      this.reload();
    };
    if (this.newKind() === 'upload')
      this.api.addUpload(this.newName().trim()).subscribe({
        next: ({ library }) => {
          ready();
          this.go({ look: 'library', library });
        },
        error: failed,
      });
    else
      this.api.addLibrary({ name: this.newName().trim(), path: this.path().trim() }).subscribe({
        next: (started) => {
          this.store.dispatch(JobsActions.started(started));
          ready();
        },
        error: failed,
      });
  }
}
