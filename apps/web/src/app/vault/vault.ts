import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { LinkRow, LinkValues, VaultFile, VaultState } from '@rule/contract';
import { KINDS, Kind, slotOf } from '@rule/core/schema';
import { CLASHES, Link, PASSES } from '@rule/core/vault';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { DialogModule } from 'primeng/dialog';
import { SelectModule } from 'primeng/select';
import {
  Api,
  Bench,
  CatalogueActions,
  catalogueFeature,
  ExactName,
  FileLink,
  IndexEntry,
  IndexList,
  IndexRow,
  Notices,
  problemOf,
  sessionFeature,
  TrayActions,
  trayFeature,
} from '../shared';

const ACTIONS: Readonly<Record<LinkValues['decision']['action'], string>> = {
  equal: 'nothing',
  in: 'file → record',
  out: 'record → file',
  ask: 'asks you',
  stays: 'stays apart',
};

/** The vault: links between record fields and files, its own link table, and check-in of single files. */
@Component({
  selector: 'rule-vault-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FileLink, Bench, ButtonModule, DialogModule, ExactName, FormsModule, IndexList, IndexRow, SelectModule],
  template: `
    <rule-bench label="Vault">
      <div bench="index">
        <h3>Look at</h3>
        <rule-index-row text="Links" [end]="state()?.links?.length ?? ''" [on]="!file() && look() === 'links'" (choose)="go({ look: null, file: null })" />
        <rule-index-row
          text="The vault's own table"
          [end]="odd() ? odd() + ' differ' : 'exact'"
          [tone]="odd() ? 'bad' : ''"
          [on]="!file() && look() === 'table'"
          (choose)="go({ look: 'table', file: null })"
        />
        <h3>Files in the vault</h3>
        <rule-index-list [entries]="fileEntries()" [chosen]="fileId()" (choose)="go({ file: $event })" />
      </div>

      @if (state()?.problem; as text) {
        <p class="note bad" role="alert">{{ text }} Nothing was changed. <button type="button" class="link" (click)="load()">Ask again</button></p>
      }
      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (fileId() !== null) {
        @if (record(); as r) {
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
                  [loading]="busy()"
                  [disabled]="r.state === 'released' || !!r.checkedOutBy || undecided() > 0"
                  (onClick)="checkIn()"
                />
              </div>
            }
          </div>
          @if (report(); as text) {
            <p class="note" role="status">{{ text }}</p>
          }
          @if (r.state === 'released') {
            <p class="note">The file is released. Released files take no new version; set the state back in the vault first.</p>
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
                          take {{ v.file }}</label
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
                          take {{ v.record }}</label
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
                    <td colspan="6" class="soft">No record field is linked for a {{ r.file.kind }}.</td>
                  </tr>
                }
              </tbody>
            </table>
          </div>
        }
      } @else if (look() === 'table') {
        <div class="head">
          <div>
            <h1>The vault's own link table</h1>
            <p>Which name the vault itself looks for in files, compared exactly with the schema. Rule reads this table and does not write it.</p>
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
              @for (finding of state()?.table ?? []; track $index) {
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
      } @else if (state(); as s) {
        <div class="head">
          <div>
            <h1>Links</h1>
            <p>Where each record field is kept in each kind of file, and how values pass between the two.</p>
          </div>
          @if (mayAdminister()) {
            <div class="actions"><p-button label="Add a link" (onClick)="open(null)" [disabled]="!!s.problem" /></div>
          }
        </div>
        <div class="card wide">
          <table class="list">
            <thead>
              <tr>
                <th>Record field</th>
                <th>Kind</th>
                <th>Address in the file</th>
                <th>In: file → record</th>
                <th>Out: record → file</th>
                <th>On clash</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              @for (link of s.links; track link.id) {
                <tr>
                  <td>{{ link.field }}</td>
                  <td>{{ link.kind }}</td>
                  <td>
                    <rule-exact-name [name]="link.name" />
                    @if (!known(link)) {
                      <span class="chip bad">not in the schema</span>
                    }
                  </td>
                  <td>{{ link.in }}</td>
                  <td>{{ link.out }}</td>
                  <td>{{ link.onClash }}</td>
                  <td class="num">
                    @if (mayAdminister()) {
                      <button type="button" class="link" [attr.aria-label]="'Change the link of ' + link.field + ' for a ' + link.kind" (click)="open(link)">
                        change
                      </button>
                    }
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="7" class="soft">No record field is linked yet.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (odd() && !fileId()) {
          @for (finding of state()?.table ?? []; track $index) {
            @if (finding.state !== 'exact') {
              <h2>{{ finding.row.field }}, {{ finding.row.kind }}</h2>
              <p class="note bad">The vault {{ finding.message }}.</p>
            }
          }
          <p class="soft">
            Rule's own links point at written names of the schema and cannot be misspelled; the vault's own table can. Until it is corrected there, checking in
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
      [header]="editedId() === null ? 'Add a link' : 'Change a link'"
      [modal]="true"
      [visible]="edited() !== null"
      (visibleChange)="edited.set(null)"
      [style]="{ width: '480px' }"
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
              [options]="names(link.kind)"
              [ngModel]="link.name"
              (ngModelChange)="set({ name: $event })"
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
          @if (linkProblem(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          <div class="actions">
            <p-button type="submit" label="Save" [disabled]="!link.field || !link.name" />
            @if (editedId() !== null) {
              <p-button type="button" severity="secondary" label="Remove this link and its agreed values" (onClick)="remove()" />
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
    .three {
      display: grid;
      grid-template-columns: 1fr 1fr 1.3fr;
      gap: 0 12px;
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
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly file = input<string>();
  readonly look = input('links', { transform: (text: string | undefined) => text ?? 'links' });

  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly state = signal<VaultState | null>(null);
  protected readonly record = signal<VaultFile | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly report = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly settled = signal<Record<string, 'file' | 'record'>>({});
  protected readonly edited = signal<Link | null>(null);
  protected readonly editedId = signal<number | null>(null);
  protected readonly linkProblem = signal<string | null>(null);
  protected readonly kinds = [...KINDS];
  protected readonly passes = [...PASSES];
  protected readonly clashes = [...CLASHES];
  protected readonly fields = computed(() => [...(this.state()?.fields ?? [])]);
  protected readonly fileId = computed(() => (this.file() ? Number(this.file()) : null));
  protected readonly fileEntries = computed<IndexEntry[]>(() =>
    (this.state()?.files ?? []).map((row) => ({
      id: row.file,
      text: fileName(row.path),
      end: row.state === 'released' ? 'released' : row.checkedOutBy ? 'out' : `v${row.version}`,
    })),
  );
  protected readonly odd = computed(() => this.state()?.table.filter((finding) => finding.state !== 'exact').length ?? 0);
  protected readonly undecided = computed(() => this.record()?.values.filter((v) => v.decision.action === 'ask' && !this.settled()[v.link.id]).length ?? 0);
  protected readonly checkInLabel = computed(() => {
    const values = this.record()?.values ?? [];
    const count = (action: string) => values.filter((v) => v.decision.action === action).length;
    return this.undecided() ? `Decide ${this.undecided()} first` : `Check in (${count('in')} in, ${count('out')} out)`;
  });

  constructor() {
    this.load();
    effect((onCleanup) => {
      const id = this.fileId();
      this.applied();
      untracked(() => {
        this.error.set(null);
        this.settled.set({});
        if (this.record()?.file.id !== id) {
          this.record.set(null);
          this.report.set(null);
        }
      });
      if (id === null) return;
      const subscription = this.api
        .record(id)
        .subscribe({ next: (record) => this.record.set(record), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
      onCleanup(() => subscription.unsubscribe());
    });
  }

  protected load(): void {
    this.api.vault().subscribe({ next: (state) => this.state.set(state), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
  }

  protected actionName(v: LinkValues): string {
    return ACTIONS[v.decision.action];
  }
  protected known(link: LinkRow): boolean {
    return this.properties().some((property) => slotOf(property).place === link.place && slotOf(property).name === link.name);
  }
  protected names(kind: Kind): string[] {
    return this.properties()
      .filter((property) => property.kinds.includes(kind) && property.feed === 'typed')
      .map((property) => property.writtenName);
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected settle(v: LinkValues, side: 'file' | 'record'): void {
    this.settled.update((settled) => ({ ...settled, [v.link.id]: side }));
  }

  protected checkIn(): void {
    const id = this.fileId()!;
    this.busy.set(true);
    this.report.set(null);
    this.api.checkIn(id, { settled: this.settled() }).subscribe({
      next: (report) => {
        this.busy.set(false);
        this.report.set(
          `Checked in as version ${report.version}: ${report.recordChanges} record fields and ${report.fileChanges} file values changed${report.changeSet ? `, change set ${report.changeSet}` : ''}.`,
        );
        this.load();
        this.settled.set({});
        this.api.record(id).subscribe({ next: (record) => this.record.set(record), error: this.notices.failed });
        this.store.dispatch(CatalogueActions.recount());
        this.store.dispatch(TrayActions.load());
      },
      error: (failure: unknown) => {
        this.busy.set(false);
        this.error.set(problemOf(failure).detail);
      },
    });
  }

  protected open(link: LinkRow | null): void {
    this.linkProblem.set(null);
    this.editedId.set(link?.id ?? null);
    if (link) {
      const { field, kind, place, name } = link;
      this.edited.set({ field, kind, place, name, in: link.in, out: link.out, onClash: link.onClash });
    } else this.edited.set({ field: '', kind: 'part', place: 'property', name: '', in: 'always', out: 'never', onClash: 'ask' });
  }
  protected set(change: Partial<Link>): void {
    this.edited.update((link) => link && { ...link, ...change });
  }
  protected setKind(kind: Kind): void {
    this.edited.update((link) => link && { ...link, kind, name: this.names(kind).includes(link.name) ? link.name : '' });
  }
  protected save(): void {
    this.api.saveLink(this.editedId(), this.edited()!).subscribe({
      next: () => {
        this.edited.set(null);
        this.load();
      },
      error: (failure: unknown) => this.linkProblem.set(problemOf(failure).detail),
    });
  }
  protected remove(): void {
    this.api.removeLink(this.editedId()!).subscribe({
      next: () => {
        this.edited.set(null);
        this.load();
      },
      error: (failure: unknown) => this.linkProblem.set(problemOf(failure).detail),
    });
  }
}
