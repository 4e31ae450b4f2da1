import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { LinkValues, VaultRunResult } from '@rule/contract';
import { CLASHES, KINDS, Kind, Link, PASSES, isHeldAt, linkEndWords, sameDefinition } from '@rule/core/schema';
import { fileName } from '@rule/core/files';
import { Decision, LEADS, leadOf, passingOf, proofTable } from '@rule/core/vault';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { SelectModule } from 'primeng/select';
import {
  Bench,
  catalogueFeature,
  Count,
  ExactName,
  FileLink,
  goesOn,
  IndexEntry,
  IndexList,
  IndexRow,
  jobsFeature,
  sessionFeature,
  showInstant,
  trayFeature,
} from '../shared';
import { VaultRehearsal } from './rehearsal';
import { VaultStore } from './vault.store';

const ACTIONS: Readonly<Record<LinkValues['decision']['action'], string>> = {
  equal: 'nothing',
  in: 'file → record',
  out: 'record → file',
  ask: 'asks you',
  stays: 'stays apart',
};

/** Outcomes of a check-in, as people say them. */
const OUTCOMES: Readonly<Record<Decision['action'], string>> = {
  equal: 'nothing to do',
  in: 'file to record',
  out: 'record to file',
  ask: 'you are asked',
  stays: 'both stay as they are',
};

/** The vault: links between record fields and files, its own link table, and check-in of single files. */
@Component({
  selector: 'rule-vault-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [VaultStore],
  imports: [Bench, ButtonModule, Count, DialogModule, ExactName, FileLink, FormsModule, IndexList, IndexRow, RouterLink, SelectModule, VaultRehearsal],
  template: `
    <rule-bench label="Vault">
      <div bench="index">
        <h3>Look at</h3>
        <rule-index-row
          text="Links"
          [end]="store.state()?.drafted?.length ?? ''"
          [on]="!file() && look() === 'links'"
          (choose)="go({ look: null, file: null })"
        />
        <rule-index-row
          text="The vault's own table"
          [end]="odd() ? odd() + ' differ' : 'exact'"
          [tone]="odd() ? 'bad' : ''"
          [on]="!file() && look() === 'table'"
          (choose)="go({ look: 'table', file: null })"
        />
        <rule-index-row
          text="Rehearsal"
          [on]="!file() && look() === 'rehearsal' && !keptAsked()"
          (choose)="go({ look: 'rehearsal', file: null, kept: null })"
        />
        @for (row of store.kept(); track row.id) {
          <rule-index-row
            [text]="row.title"
            [depth]="1"
            [end]="when(row.at).slice(0, 10)"
            [on]="!file() && look() === 'rehearsal' && keptAsked() === '' + row.id"
            (choose)="go({ look: 'rehearsal', file: null, kept: row.id })"
          />
        }
        <h3>Files in the vault</h3>
        <rule-index-list [entries]="fileEntries()" [chosen]="fileId()" (choose)="go({ file: $event })" />
      </div>

      @if (store.state()?.problem; as text) {
        <p class="note bad" role="alert">
          {{ text }} {{ store.state()?.at ? 'What it said at ' + when(store.state()!.at!) + ' is shown.' : '' }}
          <button type="button" class="link" (click)="store.open()">Ask again</button>
        </p>
      } @else if (store.state(); as s) {
        @if (!stands()) {
          <p class="note">No library is assigned to the vault yet. Choose one on the right.</p>
        }
      }
      @if (store.error(); as text) {
        <p class="note bad" role="alert">
          {{ text }}
          @if (store.newer(); as version) {
            <button type="button" class="link" (click)="checkIn(version)">Replace version {{ version }}</button>
          }
        </p>
      }
      @if (fileId() !== null) {
        @if (store.record(); as r) {
          <div class="head">
            <div>
              <h1><rule-file [id]="r.file.id" [path]="r.file.path" [text]="r.file.name" /></h1>
              <p>
                Version {{ r.version }}, {{ r.state }}{{ r.checkedOutBy ? ', checked out by ' + r.checkedOutBy : '' }}. What the next check-in would do with
                each link.
              </p>
            </div>
            @if (mayEdit()) {
              <div class="actions">
                <p-button
                  [label]="checkInLabel()"
                  [loading]="store.busy()"
                  [disabled]="r.state === 'released' || !!r.checkedOutBy || undecided() > 0"
                  (onClick)="checkIn()"
                />
              </div>
            }
          </div>
          @if (reportText(); as text) {
            <p class="note" role="status">{{ text }}</p>
          }
          @if (r.state === 'released') {
            <p class="note">The file is released. Released files cannot be checked in; change their state in the vault first.</p>
          }
          <div class="card wide">
            <table class="list">
              <thead>
                <tr>
                  <th>Record field</th>
                  <th>Address in the file</th>
                  <th>File</th>
                  <th>Record</th>
                  <th>Last agreed</th>
                  <th>Next check-in</th>
                </tr>
              </thead>
              <tbody>
                @for (v of r.values; track v.link.id) {
                  <tr [class.on]="v.decision.action === 'ask'">
                    <td>{{ v.link.field }}</td>
                    <td><rule-exact-name [name]="v.link.name" /></td>
                    <td class="mono nowrap">{{ v.file ?? '—' }}</td>
                    <td class="mono nowrap">{{ v.record ?? '—' }}</td>
                    <td class="mono nowrap">{{ v.agreed === undefined ? 'never' : (v.agreed ?? '—') }}</td>
                    <td>
                      @if (v.decision.action === 'ask') {
                        <label
                          ><input
                            type="radio"
                            [name]="'settle-' + v.link.id"
                            value="file"
                            [checked]="settled()[v.link.id] === 'file'"
                            [disabled]="!mayEdit()"
                            (change)="settle(v, 'file')"
                          />
                          {{ takeText(v.file, v.record) }}</label
                        >
                        <label
                          ><input
                            type="radio"
                            [name]="'settle-' + v.link.id"
                            value="record"
                            [checked]="settled()[v.link.id] === 'record'"
                            [disabled]="!mayEdit()"
                            (change)="settle(v, 'record')"
                          />
                          {{ takeText(v.record, v.file) }}</label
                        >
                      } @else {
                        <span
                          class="chip"
                          [class.good]="v.decision.action === 'equal'"
                          [class.brass]="v.decision.action === 'in' || v.decision.action === 'out'"
                          [class.warn]="v.decision.action === 'stays'"
                          >{{ actionName(v) }}</span
                        >
                      }
                      <small class="soft">{{ v.decision.reason }}</small>
                    </td>
                  </tr>
                } @empty {
                  <tr>
                    <td colspan="6" class="soft">No record fields are linked for a {{ r.file.kind }}.</td>
                  </tr>
                }
              </tbody>
            </table>
          </div>
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
            <p>Names that the vault itself looks for in files, compared exactly with the schema. Rule only reads this table.</p>
          </div>
        </div>
        <div class="card wide">
          <table class="list">
            <thead>
              <tr>
                <th>Record field</th>
                <th>Kind</th>
                <th>Asks for</th>
                <th>Schema</th>
                <th>What that means</th>
              </tr>
            </thead>
            <tbody>
              @for (finding of store.state()?.table ?? []; track $index) {
                <tr>
                  <td>{{ finding.row.field }}</td>
                  <td>{{ finding.row.kind }}</td>
                  <td><rule-exact-name [name]="finding.row.name" /></td>
                  <td>
                    <span class="chip" [class.good]="finding.state === 'exact'" [class.bad]="finding.state !== 'exact'">{{
                      finding.state === 'exact' ? 'exact' : finding.state === 'alike' ? 'nearly ' + finding.nearest : 'unknown'
                    }}</span>
                  </td>
                  <td>The vault {{ finding.message }}.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else if (store.state(); as s) {
        <div class="head">
          <div>
            <h1>Links</h1>
            <p>
              Where each record field is kept in each kind of file, and in which direction values pass.
              @if (s.at) {
                The vault answered at {{ when(s.at) }}.
              }
            </p>
          </div>
          @if (mayAdminister()) {
            <div class="actions"><p-button label="Add a link" (onClick)="open(null)" [disabled]="s.fields.length === 0" /></div>
          }
        </div>
        @if (apart(); as n) {
          <p class="note">
            {{ n | count: 'link is' : 'links are' }} not in force yet. <a routerLink="/schema" [queryParams]="{ view: 'try' }">Try the draft</a>, then bring it
            <a routerLink="/schema" [queryParams]="{ view: 'editions' }">into force</a>; until then, check-ins use the edition in force.
          </p>
        }
        <div class="card wide">
          <table class="list">
            <thead>
              <tr>
                <th>Record field</th>
                <th>Kind</th>
                <th>Address in the file</th>
                <th>Leads</th>
                <th>In: file → record</th>
                <th>Out: record → file</th>
                <th>On clash</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              @for (link of links(); track link.id) {
                <tr>
                  <td>{{ link.field }}</td>
                  <td>{{ link.kind }}</td>
                  <td>
                    {{ link.words }}
                    @if (link.inDraft) {
                      <span class="chip">draft</span>
                    }
                  </td>
                  <td>{{ leadOf(link.link) ?? 'custom' }}</td>
                  <td>{{ link.in }}</td>
                  <td>{{ link.out }}</td>
                  <td>{{ link.onClash }}</td>
                  <td class="num">
                    @if (mayAdminister()) {
                      <button
                        type="button"
                        class="link"
                        [attr.aria-label]="'Change the link of ' + link.field + ' for a ' + link.kind"
                        (click)="open(link.link)"
                      >
                        change
                      </button>
                    }
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="8" class="soft">No record fields are linked yet.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else {
        <h1>Vault</h1>
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (mayAdminister() && !fileId()) {
          <h2 id="v-stands">Library of the vault</h2>
          <p class="soft">Its files are matched with the vault by path. The same path in another library is a different file.</p>
          <p-select
            [options]="libraries()"
            optionLabel="name"
            optionValue="id"
            [showClear]="true"
            placeholder="None"
            ariaLabelledBy="v-stands"
            [ngModel]="stands()?.id ?? null"
            (ngModelChange)="stand($event)"
          />
        }
        @if (odd() && !fileId()) {
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
            knows which side has changed since. When both have, it is a clash.
          </p>
        }
      </div>
    </rule-bench>

    <p-dialog
      closeAriaLabel="Close"
      [header]="editedId() === null ? 'Add a link to the draft' : 'Change a link in the draft'"
      [modal]="true"
      [visible]="edited() !== null"
      (visibleChange)="edited.set(null)"
      [style]="{ width: '560px' }"
    >
      @if (edited(); as link) {
        <form (ngSubmit)="save()">
          <div class="field">
            <span id="l-field">Record field</span
            ><p-select
              appendTo="body"
              name="field"
              ariaLabelledBy="l-field"
              [options]="fields()"
              [ngModel]="link.field"
              (ngModelChange)="set({ field: $event })"
            />
          </div>
          <div class="field">
            <span id="l-kind">Kind of file</span
            ><p-select appendTo="body" name="kind" ariaLabelledBy="l-kind" [options]="kinds" [ngModel]="link.kind" (ngModelChange)="setKind($event)" />
          </div>
          <div class="field">
            <span id="l-name">Property</span
            ><p-select
              appendTo="body"
              name="name"
              ariaLabelledBy="l-name"
              [filter]="true"
              [options]="ends(link)"
              [ngModel]="endOf(link)"
              optionLabel="label"
              optionValue="value"
              (ngModelChange)="setEnd($event)"
            />
          </div>
          <div class="field">
            <span id="l-leads">Leads</span
            ><p-select
              appendTo="body"
              name="leads"
              ariaLabelledBy="l-leads"
              [options]="leads"
              placeholder="set in detail below"
              [ngModel]="leadOf(link)"
              (ngModelChange)="set(passingOf($event))"
            />
          </div>
          <div class="three">
            <div class="field">
              <span id="l-in">In</span
              ><p-select appendTo="body" name="in" ariaLabelledBy="l-in" [options]="passes" [ngModel]="link.in" (ngModelChange)="set({ in: $event })" />
            </div>
            <div class="field">
              <span id="l-out">Out</span
              ><p-select appendTo="body" name="out" ariaLabelledBy="l-out" [options]="passes" [ngModel]="link.out" (ngModelChange)="set({ out: $event })" />
            </div>
            <div class="field">
              <span id="l-clash">On clash</span
              ><p-select
                appendTo="body"
                name="onClash"
                ariaLabelledBy="l-clash"
                [options]="clashes"
                [ngModel]="link.onClash"
                (ngModelChange)="set({ onClash: $event })"
              />
            </div>
          </div>
          <table class="list proof">
            <caption>
              What the next check-in does
            </caption>
            <thead>
              <tr>
                <th>When</th>
                <th>File</th>
                <th>Record</th>
                <th>Outcome</th>
              </tr>
            </thead>
            <tbody>
              @for (proof of proofOf(link); track proof.situation) {
                <tr [title]="proof.decision.reason">
                  <td>{{ proof.situation }}</td>
                  <td>{{ proof.file ?? '–' }}</td>
                  <td>{{ proof.record ?? '–' }}</td>
                  <td [class.warn]="proof.decision.action === 'ask'">{{ outcomes[proof.decision.action] }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (store.linkProblem(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          <div class="actions">
            <p-button type="submit" label="Save" [disabled]="!link.field || !endOf(link)" />
            @if (editedId() !== null) {
              <p-button type="button" severity="secondary" label="Remove link" (onClick)="remove()" />
            }
          </div>
        </form>
      }
    </p-dialog>
  `,
  styles: `
    .wide {
      overflow: auto;
    }
    p-select {
      width: 100%;
      margin-bottom: 12px;
    }
    form p-select {
      margin-bottom: 0;
    }
    .three {
      display: grid;
      grid-template-columns: 1fr 1fr 1.3fr;
      gap: 0 12px;
    }
    .proof {
      margin-bottom: 12px;
    }
    .proof caption {
      text-align: left;
      padding-bottom: 4px;
      color: var(--soft);
    }
    .proof td {
      height: 24px;
      padding: 2px 10px;
    }
    .nowrap {
      white-space: nowrap;
    }
    td small {
      display: block;
    }
    td label {
      margin-right: 10px;
      white-space: nowrap;
    }
  `,
})
export class VaultStation {
  protected readonly store = inject(VaultStore);
  private readonly global = inject(Store);
  private readonly router = inject(Router);
  readonly file = input<string>();
  readonly keptAsked = input<string | undefined>(undefined, { alias: 'kept' });
  readonly look = input('links', { transform: (text: string | undefined) => text ?? 'links' });

  protected readonly when = showInstant;
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  private readonly properties = this.global.selectSignal(catalogueFeature.selectActive);
  private readonly applied = this.global.selectSignal(trayFeature.selectAppliedCount);
  private readonly jobs = this.global.selectSignal(jobsFeature.selectAllJobs);
  /** The run that was started here, or else the last one that is known. */
  private readonly run = computed(() => this.jobs().find((job) => (this.store.run() === null ? job.kind === 'check-in' : job.id === this.store.run())) ?? null);
  protected readonly running = computed(() => this.run() !== null && goesOn(this.run()!));
  protected readonly runResult = computed(() => (this.run()?.state === 'done' ? (this.run()!.result as VaultRunResult) : null));
  protected readonly leads = [...LEADS];
  protected readonly leadOf = leadOf;
  protected readonly passingOf = passingOf;
  protected readonly proofOf = proofTable;
  protected readonly outcomes = OUTCOMES;
  protected readonly settled = signal<Record<string, 'file' | 'record'>>({});
  /** What was decided for the check-in that was tried last. */
  private sent: Readonly<Record<string, 'file' | 'record'>> = {};
  protected readonly edited = signal<Omit<Link, 'id'> | null>(null);
  protected readonly editedId = signal<number | null>(null);
  protected readonly kinds = [...KINDS];
  protected readonly passes = [...PASSES];
  protected readonly clashes = [...CLASHES];
  protected readonly fields = computed(() => [...(this.store.state()?.fields ?? [])]);
  protected readonly fileId = computed(() => (this.file() ? Number(this.file()) : null));
  protected readonly fileEntries = computed<IndexEntry[]>(() =>
    (this.store.state()?.files ?? []).map((row) => ({
      id: row.file,
      text: fileName(row.path),
      end: row.state === 'released' ? 'released' : row.checkedOutBy ? 'out' : `v${row.version}`,
    })),
  );
  /** The library that stands for the vault. */
  protected readonly stands = computed(() => this.store.state()?.libraries.find((library) => library.inVault) ?? null);
  protected readonly libraries = computed(() => [...(this.store.state()?.libraries ?? [])]);
  private readonly captions = computed(() => new Map(this.properties().map((property) => [property.id, property.caption])));
  /** The links of the draft, each beside what is in force. */
  protected readonly links = computed(() => {
    const inForce = new Map((this.store.state()?.links ?? []).map(({ place: _place, name: _name, ...link }) => [link.id, link]));
    return (this.store.state()?.drafted ?? []).map((link) => ({
      ...link,
      link,
      words: linkEndWords(link.at, (id) => this.captions().get(id) ?? 'a property that is not in force yet'),
      inDraft: !sameDefinition(inForce.get(link.id) ?? null, link),
    }));
  });
  /** Links that are other than those in force, or gone. */
  protected readonly apart = computed(() => {
    const drafted = new Set(this.links().map((link) => link.id));
    const gone = (this.store.state()?.links ?? []).filter((link) => !drafted.has(link.id)).length;
    return gone + this.links().filter((link) => link.inDraft).length;
  });
  protected readonly odd = computed(() => this.store.state()?.table.filter((finding) => finding.state !== 'exact').length ?? 0);
  protected readonly undecided = computed(
    () => this.store.record()?.values.filter((v) => v.decision.action === 'ask' && !this.settled()[v.link.id]).length ?? 0,
  );
  protected readonly checkInLabel = computed(() => {
    const values = this.store.record()?.values ?? [];
    const that = (action: LinkValues['decision']['action']) => values.filter((v) => v.decision.action === action).length;
    return this.undecided() ? `Decide ${this.undecided()} first` : `Check in (${that('in')} in, ${that('out')} out)`;
  });
  protected readonly reportText = computed(() => {
    const report = this.store.report();
    if (!report) return null;
    const set = report.changeSet ? `, change set ${report.changeSet}` : '';
    return `Checked in as version ${report.version}: ${count(report.recordChanges, 'record field')} and ${count(report.fileChanges, 'file value')} changed${set}.`;
  });

  constructor() {
    this.store.open();
    this.store.loadKept();
    effect(() => {
      const kept = this.keptAsked();
      untracked(() => this.store.openKept(kept ? Number(kept) : null));
    });
    effect(() => {
      const id = this.fileId();
      this.applied();
      untracked(() => {
        this.settled.set({});
        if (this.store.record()?.file.id !== id) this.store.forget();
        this.store.show(id);
      });
    });
    // A rehearsal tells what is so now: again after every run, and after what was applied.
    effect(() => {
      const asked = this.look() === 'rehearsal' && this.fileId() === null;
      this.applied();
      if (asked && !this.running()) untracked(() => this.store.rehearse());
    });
  }

  protected keep(title: string): void {
    this.store.keepRehearsal(title, (id) => this.go({ look: 'rehearsal', file: null, kept: id }));
  }
  protected removeKept(id: number): void {
    this.store.removeKept(id, () => this.go({ kept: null }));
  }
  /** What taking one side means: a blank one erases the other, and says so. */
  protected takeText(taken: string | null, other: string | null): string {
    return taken ? `take ${taken}` : `erase ${other ?? ''}`;
  }
  protected actionName(v: LinkValues): string {
    return ACTIONS[v.decision.action];
  }
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  protected settle(v: LinkValues, side: 'file' | 'record'): void {
    this.settled.update((settled) => ({ ...settled, [v.link.id]: side }));
  }
  /** @param over a version of the vault that is knowingly replaced */
  protected checkIn(over?: number): void {
    this.store.checkIn({ file: this.fileId()!, settled: over === undefined ? this.settled() : this.sent, ...(over === undefined ? {} : { over }) });
    if (over === undefined) this.sent = this.settled();
    this.settled.set({});
  }
  protected stand(library: number | null): void {
    const now = this.stands();
    if (library !== null) this.store.stand({ library, inVault: true });
    else if (now) this.store.stand({ library: now.id, inVault: false });
  }

  protected open(link: Link | null): void {
    this.store.clearLinkProblem();
    this.editedId.set(link?.id ?? null);
    if (link) {
      const { id: _, ...rest } = link;
      void _;
      this.edited.set(rest);
    } else this.edited.set({ field: '', kind: 'part', at: { place: 'property', name: '' }, in: 'always', out: 'never', onClash: 'ask' });
  }
  /** What a link can lead to in its kind of file: properties that such files hold, and the raw name that it leads to now. */
  protected ends({ kind, at }: Omit<Link, 'id'>): { readonly label: string; readonly value: string }[] {
    const held = this.properties()
      .filter((property) => property.kinds.includes(kind) && isHeldAt(property, 'document'))
      .map((property) => ({ label: property.caption, value: `p${property.id}` }));
    return 'name' in at && at.name !== '' ? [{ label: linkEndWords(at, () => ''), value: 'raw' }, ...held] : held;
  }
  protected endOf({ at }: Omit<Link, 'id'>): string | null {
    return 'property' in at ? `p${at.property}` : at.name === '' ? null : 'raw';
  }
  protected setEnd(value: string): void {
    if (value !== 'raw') this.set({ at: { property: Number(value.slice(1)) } });
  }
  protected set(change: Partial<Link>): void {
    this.edited.update((link) => link && { ...link, ...change });
  }
  protected setKind(kind: Kind): void {
    this.edited.update((link) => {
      if (!link) return link;
      const fits = this.ends({ ...link, kind }).some((end) => end.value === this.endOf(link));
      return { ...link, kind, at: fits ? link.at : { place: 'property', name: '' } };
    });
  }
  protected save(): void {
    this.store.saveLink(this.editedId(), this.edited()!, () => this.edited.set(null));
  }
  protected remove(): void {
    this.store.removeLink(this.editedId()!, () => this.edited.set(null));
  }
}
