import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { VaultRunResult } from '@rule/contract';
import { Link } from '@rule/core/schema';
import { TableFinding, VaultField } from '@rule/core/vault';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Bench, ExactName, IndexRow, catalogueFeature, goesOn, jobsFeature, sessionFeature, showInstant, trayFeature } from '../shared';
import { BringIn } from './bring-in';
import { LinkEditor, newLink } from './link-editor';
import { VaultLinks } from './links';
import { RecordFields } from './record-fields';
import { Settled, VaultRecord } from './record-page';
import { RecordsFilter, VaultRecords } from './records';
import { RecordsStore } from './records.store';
import { VaultRehearsal } from './rehearsal';
import { TakeList } from './take-list';
import { VaultStore } from './vault.store';

/** The Vault station: links, record definition, records and runs. */
@Component({
  selector: 'rule-vault-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [VaultStore, RecordsStore],
  imports: [
    RuleColumn,
    RuleTable,
    RuleWaiting,
    Bench,
    BringIn,
    ButtonModule,
    ExactName,
    FormsModule,
    IndexRow,
    LinkEditor,
    RecordFields,
    RuleSelect,
    TakeList,
    VaultLinks,
    VaultRecord,
    VaultRecords,
    VaultRehearsal,
  ],
  template: `
    <rule-bench label="Vault">
      <div bench="index">
        <h3>Look at</h3>
        <rule-index-row text="Links" [end]="store.state()?.drafted?.length ?? ''" [on]="at('links')" (choose)="goTo(null)" />
        <rule-index-row
          text="Record fields"
          [end]="disagreeing() ? disagreeing() + ' differ' : ''"
          [tone]="disagreeing() ? 'bad' : ''"
          [on]="at('fields')"
          (choose)="goTo('fields')"
        />
        <rule-index-row
          text="The vault's own table"
          [end]="odd() ? odd() + ' differ' : 'exact'"
          [tone]="odd() ? 'bad' : ''"
          [on]="at('table')"
          (choose)="goTo('table')"
        />
        <rule-index-row text="Rehearsal" [on]="at('rehearsal') && !keptAsked()" (choose)="goTo('rehearsal')" />
        @for (row of store.kept(); track row.id) {
          <rule-index-row
            [text]="row.title"
            [depth]="1"
            [end]="when(row.at).slice(0, 10)"
            [on]="at('rehearsal') && keptAsked() === '' + row.id"
            (choose)="go({ look: 'rehearsal', file: null, kept: row.id })"
          />
        }
        <rule-index-row text="Records" [end]="store.state()?.files ?? ''" [on]="at('records') && !folder()" (choose)="goTo('records')" />
        @for (row of folders(); track row.path) {
          <rule-index-row
            [text]="row.name"
            [depth]="row.depth"
            [end]="row.files"
            [on]="at('records') && folder() === row.path"
            (choose)="go({ look: 'records', file: null, kept: null, folder: row.path, page: null })"
          />
        }
      </div>

      @if (store.state()?.problem; as text) {
        <p class="note bad" role="alert">
          {{ text }} {{ store.state()?.at ? 'What it said at ' + when(store.state()!.at!) + ' is shown.' : '' }}
          <button type="button" class="link" (click)="store.open()">Ask again</button>
        </p>
      } @else if (store.state()) {
        @if (!stands()) {
          <p class="note">No library is assigned to the vault yet. Choose one on the right.</p>
        }
      }
      @if (store.error(); as text) {
        <p class="note bad" role="alert">
          {{ text }}
          @if (store.newer(); as version) {
            <button type="button" class="link" (click)="checkIn(null, version)">Replace version {{ version }}</button>
          }
        </p>
      }
      @if (fileId() !== null) {
        @if (store.record(); as r) {
          <rule-vault-record
            [record]="r"
            [states]="store.state()?.definition?.states ?? []"
            [report]="store.report()"
            [busy]="store.busy()"
            [editable]="mayEdit()"
            (checkIn)="checkIn($event)"
          />
        } @else {
          <h1>Record</h1>
        }
      } @else if (look() === 'rehearsal') {
        <rule-vault-rehearsal
          [rows]="store.rehearsed()"
          [kept]="keptAsked() ? store.keptView() : null"
          [removable]="mayAdminister()"
          [result]="runResult()"
          [running]="running()"
          [editable]="mayEdit()"
          (started)="store.start($event)"
          (keeping)="keep($event)"
          (sent)="store.sendKept($event)"
          (removed)="removeKept($event)"
        />
      } @else if (look() === 'table') {
        <div class="head">
          <div>
            <h1>The vault's own link table</h1>
            <p>Names that the vault itself looks for in files, compared exactly with the schema.</p>
          </div>
          @if (mayAdminister() && odd()) {
            <div class="actions">
              @if (store.state()?.definition?.mayDefine) {
                <p-button label="Correct them in the vault" (onClick)="correct()" />
              } @else {
                <p-button severity="secondary" label="Send the list to hand over" (onClick)="records.handOver()" />
              }
            </div>
          }
        </div>
        <div class="card wide">
          <rule-table label="Rows of the link table" [rows]="store.state()?.table ?? []">
            <ng-container *ruleColumn="let finding of store.state()?.table ?? []; name: 'Record field'">{{ finding.row.field }}</ng-container>
            <ng-container *ruleColumn="let finding of store.state()?.table ?? []; name: 'Kind'">{{ finding.row.kind }}</ng-container>
            <ng-container *ruleColumn="let finding of store.state()?.table ?? []; name: 'Asks for'">
              <rule-exact-name [name]="finding.row.name" />
            </ng-container>
            <ng-container *ruleColumn="let finding of store.state()?.table ?? []; name: 'Schema'">
              <span class="chip" [class.good]="finding.state === 'exact'" [class.bad]="finding.state !== 'exact'">{{ tableWords(finding) }}</span>
            </ng-container>
            <ng-container *ruleColumn="let finding of store.state()?.table ?? []; name: 'What that means'"> The vault {{ finding.message }}. </ng-container>
          </rule-table>
        </div>
      } @else if (look() === 'fields') {
        @if (records.definition(); as view) {
          <rule-record-fields
            [view]="view"
            [properties]="properties()"
            [mayDefine]="store.state()?.definition?.mayDefine ?? false"
            [editable]="mayAdminister()"
            [problem]="records.fieldProblem()"
            (made)="makeField($event)"
            (link)="linkProperty($event)"
            (opened)="records.clearFieldProblem()"
            (changed)="changeField($event)"
            (sent)="records.handOver()"
          />
        } @else {
          <h1>Record fields</h1>
          <rule-waiting />
        }
      } @else if (look() === 'records' && store.state()) {
        <rule-vault-records
          [page]="records.page()"
          [definition]="store.state()!.definition"
          [filter]="filter()"
          [offset]="offset()"
          [report]="records.report()"
          [history]="records.history()"
          [busy]="records.busy()"
          [editable]="mayEdit()"
          (narrowed)="narrow($event)"
          (turned)="go({ page: $event })"
          (written)="records.write({ title: 'typed in records', edits: $event }, loadPage)"
          (undo)="records.undo($event, loadPage)"
          (bring)="go({ look: 'bring', page: null })"
          (list)="go({ look: 'list', page: null })"
        />
      } @else if (look() === 'bring') {
        <rule-bring-in
          [rows]="records.newcomers()"
          [folder]="folder()"
          [result]="runResult()?.kind === 'bring in' ? runResult() : null"
          [running]="running()"
          [editable]="mayEdit()"
          (started)="store.start({ kind: 'bring in', files: $event, clash: 'leave out', titleBlocks: false })"
        />
      } @else if (look() === 'list' && store.state()) {
        <rule-take-list [definition]="store.state()!.definition" (undo)="records.undo($event, loadPage)" />
      } @else if (look() === 'links' && store.state()) {
        <rule-vault-links [state]="store.state()!" [captions]="captions()" [editable]="mayAdminister()" (edit)="open($event)" />
      } @else {
        <h1>Vault</h1>
        <rule-waiting />
      }

      <div bench="inspector">
        @if (mayAdminister() && !fileId()) {
          <h2 id="v-stands">Library of the vault</h2>
          <p class="soft">Its files are matched with the vault by path. The same path in another library is a different file.</p>
          <rule-select
            [options]="libraries()"
            optionLabel="name"
            optionValue="id"
            clear
            placeholder="None"
            labelledBy="v-stands"
            [ngModel]="stands()?.id ?? null"
            (ngModelChange)="stand($event)"
          />
        }
        @if (look() === 'table' && odd() && !fileId()) {
          @for (finding of store.state()?.table ?? []; track $index) {
            @if (finding.state !== 'exact') {
              <h2>{{ finding.row.field }}, {{ finding.row.kind }}</h2>
              <p class="note bad">The vault {{ finding.message }}.</p>
            }
          }
          <p class="soft">
            Rule's own links point at properties of the schema and cannot be misspelled; the vault's own table can. Until it is corrected there, checking in
            from other programs leaves the field empty.
          </p>
        } @else {
          <h2>How values pass</h2>
          <p class="soft">
            <b>In</b> takes what the file says into the record, <b>out</b> the other way. Rule remembers for each file on which value both last agreed, so it
            knows which side has changed since. When both have, it is a clash. Where the record leads, the value cannot be typed in Rule; where the file leads,
            it cannot be typed in the record.
          </p>
          @if (steps().length) {
            <h2>Workflow of the vault</h2>
            @for (step of steps(); track step.name) {
              <p class="soft">
                <b>{{ step.name }}</b>: {{ step.from }} → {{ step.to }}{{ step.sets.length ? ', sets ' + step.sets.join(', ') : '' }}
              </p>
            }
          }
        }
      </div>
    </rule-bench>

    @if (store.state(); as s) {
      <rule-link-editor
        [link]="edited()"
        [number]="editedId()"
        [definition]="s.definition"
        [properties]="properties()"
        [classes]="store.classes()"
        [problem]="store.linkProblem()"
        (saved)="save($event)"
        (removed)="remove()"
        (closed)="edited.set(null)"
      />
    }
  `,
  styles: `
    .wide {
      overflow-x: auto;
    }
    [bench='inspector'] rule-select {
      margin-bottom: 16px;
    }
  `,
})
export class VaultStation {
  protected readonly store = inject(VaultStore);
  protected readonly records = inject(RecordsStore);
  private readonly global = inject(Store);
  private readonly router = inject(Router);
  readonly file = input<string>();
  readonly keptAsked = input<string | undefined>(undefined, { alias: 'kept' });
  readonly look = input('links', { transform: (text: string | undefined) => text ?? 'links' });
  readonly folder = input('', { transform: (text: string | undefined) => text ?? '' });
  readonly text = input<string>();
  readonly state = input<string>();
  readonly kind = input<string>();
  readonly offset = input(0, { alias: 'page', transform: (text: string | undefined) => Number(text ?? 0) || 0 });
  private readonly fieldsView = viewChild(RecordFields);

  protected readonly when = showInstant;
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly properties = this.global.selectSignal(catalogueFeature.selectActive);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly jobs = this.global.selectSignal(jobsFeature.selectAllJobs);
  /** The run started here, or the latest one. */
  private readonly run = computed(() => this.jobs().find((job) => (this.store.run() === null ? job.kind === 'check-in' : job.id === this.store.run())) ?? null);
  protected readonly running = computed(() => this.run() !== null && goesOn(this.run()!));
  protected readonly runResult = computed(() => (this.run()?.state === 'done' ? (this.run()!.result as VaultRunResult) : null));
  /** Decisions of the last attempted check-in. */
  private sent: Settled = {};
  protected readonly edited = signal<Omit<Link, 'id'> | null>(null);
  protected readonly editedId = signal<number | null>(null);
  protected readonly fileId = computed(() => (this.file() ? Number(this.file()) : null));
  /** The vault's library. */
  protected readonly stands = computed(() => this.store.state()?.libraries.find((library) => library.inVault) ?? null);
  protected readonly libraries = computed(() => [...(this.store.state()?.libraries ?? [])]);
  protected readonly captions = computed(() => new Map(this.properties().map((property) => [property.id, property.caption])));
  protected readonly odd = computed(() => this.store.state()?.table.filter((finding) => finding.state !== 'exact').length ?? 0);
  protected readonly disagreeing = computed(
    () => this.records.definition()?.rows.filter((row) => row.findings.some((finding) => finding.severity !== 'note')).length ?? 0,
  );
  protected readonly steps = computed(() => this.store.state()?.definition.steps ?? []);
  protected readonly filter = computed<RecordsFilter>(() => ({
    ...(this.folder() ? { folder: this.folder() } : {}),
    ...(this.text() ? { text: this.text()! } : {}),
    ...(this.state() ? { state: this.state()! } : {}),
    ...(this.kind() ? { kind: this.kind() as RecordsFilter['kind'] & string } : {}),
  }));
  /** Folder tree, including parents without files. */
  protected readonly folders = computed(() => {
    const own = new Map((this.store.state()?.folders ?? []).map((folder) => [folder.path, folder.files]));
    const paths = new Set<string>();
    for (const path of own.keys()) for (let at = path; at !== ''; at = at.includes('/') ? at.slice(0, at.lastIndexOf('/')) : '') paths.add(at);
    return [...paths].sort().map((path) => ({
      path,
      name: path.slice(path.lastIndexOf('/') + 1),
      depth: Math.min(6, path.split('/').length),
      files: [...own].reduce((sum, [other, files]) => sum + (other === path || other.startsWith(`${path}/`) ? files : 0), 0),
    }));
  });

  constructor() {
    this.store.open();
    this.store.loadKept();
    this.records.loadDefinition();
    this.store.loadClasses();
    effect(() => {
      const kept = this.keptAsked();
      untracked(() => this.store.openKept(kept ? Number(kept) : null));
    });
    effect(() => {
      const id = this.fileId();
      this.applied();
      untracked(() => {
        if (this.store.record()?.file.id !== id) this.store.forget();
        this.store.show(id);
      });
    });
    // Reloads the rehearsal after runs and applies.
    effect(() => {
      const asked = this.look() === 'rehearsal' && this.fileId() === null;
      this.applied();
      if (asked && !this.running()) untracked(() => this.store.rehearse());
    });
    effect(() => {
      const asked = this.look() === 'records' && this.fileId() === null;
      this.filter();
      this.offset();
      // The fresh state may differ from the displayed one.
      this.store.state();
      if (asked) untracked(() => (this.loadPage(), this.records.loadHistory()));
    });
    effect(() => {
      const asked = this.look() === 'bring' && this.fileId() === null;
      const folder = this.folder();
      if (asked && !this.running()) untracked(() => this.records.loadNewcomers(folder));
    });
  }

  protected at(look: string): boolean {
    return this.fileId() === null && (this.look() === look || (look === 'records' && ['bring', 'list'].includes(this.look())));
  }
  protected goTo(look: string | null): void {
    this.records.forgetReport();
    this.go({ look, file: null, kept: null, folder: null, page: null });
  }
  protected readonly loadPage = (): void => {
    this.records.loadPage({ ...this.filter(), offset: this.offset() });
  };
  protected narrow({ text, state, kind }: RecordsFilter): void {
    this.go({ text: text ?? null, state: state ?? null, kind: kind ?? null, page: null });
  }
  protected keep(title: string): void {
    this.store.keepRehearsal(title, (id) => this.go({ look: 'rehearsal', file: null, kept: id }));
  }
  protected removeKept(id: number): void {
    this.store.removeKept(id, () => this.go({ kept: null }));
  }
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  /** @param over a vault version knowingly replaced; earlier decisions then apply */
  protected checkIn(settled: Settled | null, over?: number): void {
    if (settled) this.sent = settled;
    this.store.checkIn({ file: this.fileId()!, settled: this.sent, ...(over === undefined ? {} : { over }) });
  }
  protected stand(library: number | null): void {
    const now = this.stands();
    if (library !== null) this.store.stand({ library, inVault: true });
    else if (now) this.store.stand({ library: now.id, inVault: false });
  }
  protected tableWords({ state, nearest }: TableFinding): string {
    if (state === 'alike') return `nearly ${nearest}`;
    return state === 'renamed' ? `now ${nearest}` : state;
  }
  protected correct(): void {
    this.records.correct(() => this.store.look());
  }

  protected open(link: Link | null): void {
    this.store.clearLinkProblem();
    this.editedId.set(link?.id ?? null);
    if (link) {
      const { id: _, ...rest } = link;
      void _;
      this.edited.set(rest);
    } else this.edited.set(newLink());
  }
  /** Prepares a link for an unlinked property, to the field with its name if there is one. */
  protected linkProperty(id: number): void {
    const property = this.properties().find((other) => other.id === id);
    if (!property) return;
    const field = this.store.state()?.definition.fields.find((other) => other.name.toLowerCase() === property.writtenName.toLowerCase());
    this.open(null);
    this.edited.set({ ...newLink(field?.name ?? ''), kinds: [...property.kinds], at: [{ property: id }] });
  }
  protected makeField(property: number): void {
    this.records.order({ property }, () => (this.store.look(), this.linkProperty(property)));
  }
  protected changeField(order: { readonly name: string; readonly field: VaultField }): void {
    this.records.order(order, () => (this.fieldsView()?.close(), this.store.look()));
  }
  protected save(link: Omit<Link, 'id'>): void {
    this.store.saveLink(this.editedId(), link, () => (this.edited.set(null), this.records.loadDefinition()));
  }
  protected remove(): void {
    this.store.removeLink(this.editedId()!, () => (this.edited.set(null), this.records.loadDefinition()));
  }
}
