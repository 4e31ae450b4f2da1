import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { ScrollingModule } from '@angular/cdk/scrolling';
import { Router } from '@angular/router';
import { AppliedCheck, ChangeSetRow, LineRow } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import {
  Api,
  Bench,
  Count,
  ExactName,
  FileLink,
  IndexEntry,
  IndexList,
  LinePlace,
  Notices,
  plainHeld,
  problemOf,
  sessionFeature,
  showInstant,
  TrayActions,
  trayFeature,
} from '../shared';

/** Change sets loaded at a time. */
const PAGE = 200;

/** The History page: applied changes, and reverts. */
@Component({
  selector: 'rule-history-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, Count, ExactName, FileLink, IndexList, LinePlace, ScrollingModule],
  template: `
    <rule-bench label="History" [inspector]="false">
      <div bench="index">
        <h3>Change sets</h3>
        <rule-index-list [entries]="entries()" [chosen]="chosen()?.id ?? null" (choose)="go($event)" />
        @if (older()) {
          <button type="button" class="link" (click)="more()">Show older</button>
        }
      </div>
      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (chosen(); as set) {
        <div class="head">
          <div>
            <h1>Change set {{ set.id }}: {{ set.title }}</h1>
            <p>
              {{ set.by }}, {{ instant(set.at) }}. {{ set.lines | count: 'value' }} in {{ set.files | count: 'file' }}, {{ set.mode }}.
              <span class="chip" [class.good]="set.state === 'applied'" [class.warn]="set.state !== 'applied'">{{ stateOf(set) }}</span>
              @if (set.revertOf) {
                <span class="chip">reverts {{ set.revertOf }}</span>
              }
              @if (set.revertedBy) {
                <span class="chip brass">reverted by {{ set.revertedBy }}</span>
              }
            </p>
          </div>
          <div class="actions">
            @if (set.state !== 'put back' && set.state !== 'applying') {
              <p-button severity="secondary" label="Check against the files" [loading]="checking()" (onClick)="check(set)" />
            }
            @if (mayEdit() && set.state !== 'put back' && set.state !== 'applying' && !set.revertedBy) {
              <p-button
                severity="secondary"
                [loading]="busy()"
                [label]="'Revert ' + (set.lines | count: 'value in ' : 'values in ') + (set.files | count: 'file')"
                (onClick)="revert(set)"
              />
            }
          </div>
        </div>
        @if (set.problem) {
          <p class="note bad" role="status">
            Applying was interrupted and could not be finished so far: {{ set.problem }} Rule retries automatically; until then its files cannot be changed.
          </p>
        }
        @if (checked(); as c) {
          <div class="note" [class.bad]="c.asMeant !== c.lines" role="status">
            Read again: {{ c.asMeant }} of {{ c.lines | count: 'value is' : 'values are' }} in the files as intended.
            @for (entry of c.different; track $index) {
              <div>
                <rule-file [id]="entry.file" [path]="entry.path" />, <rule-exact-name [name]="entry.name" />: meant {{ entry.meant ?? 'nothing' }}, found
                {{ entry.found ?? 'nothing' }}
              </div>
            }
            @for (entry of c.unreadable; track $index) {
              <div><rule-file [id]="entry.file" [path]="entry.path" />: {{ entry.message }}</div>
            }
          </div>
        }
        <div class="card lines" role="table" aria-label="Lines">
          <div class="row header" role="row">
            <span role="columnheader">File</span><span role="columnheader">Where</span><span role="columnheader">Before</span
            ><span role="columnheader">After</span><span role="columnheader">Why</span>
          </div>
          <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(60vh, ' + 32 * lines().length + 'px)'">
            <div class="row" role="row" *cdkVirtualFor="let line of lines()">
              <span role="cell"><rule-file [id]="line.file" [path]="line.path" /></span>
              <span role="cell"><rule-line-place [line]="line" /></span>
              <span role="cell" class="mono">{{ held(line.base) }}</span>
              <span role="cell" class="mono">{{ held(line.proposed) }}</span>
              <span role="cell" class="soft">{{ line.message ?? line.reason }}</span>
            </div>
          </cdk-virtual-scroll-viewport>
        </div>
      } @else {
        <div class="head">
          <div>
            <h1>History</h1>
            <p>
              {{
                !sets()
                  ? ''
                  : sets()!.length
                    ? 'Choose a change set at the left.'
                    : 'Nothing has been applied yet. Every applied change set will be listed here and can be reverted.'
              }}
            </p>
          </div>
        </div>
      }
    </rule-bench>
  `,
  styles: `
    .lines {
      --columns: minmax(160px, 1.5fr) minmax(110px, 1fr) minmax(90px, 1fr) minmax(90px, 1fr) minmax(140px, 1.2fr);
    }
  `,
})
export class HistoryStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly set = input<string>();
  protected readonly checked = signal<AppliedCheck | null>(null);
  protected readonly checking = signal(false);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly sets = signal<ChangeSetRow[] | null>(null);
  protected readonly lines = signal<LineRow[]>([]);
  protected readonly error = signal<string | null>(null);
  protected readonly busy = signal(false);
  /** Whether older ones may exist. */
  protected readonly older = signal(false);
  /** The one in the URL, if older than the list. */
  private readonly named = signal<ChangeSetRow | null>(null);
  protected readonly chosen = computed(() => {
    const id = this.set() ? Number(this.set()) : null;
    if (id === null) return this.sets()?.[0] ?? null;
    return this.sets()?.find((row) => row.id === id) ?? (this.named()?.id === id ? this.named() : null);
  });
  protected readonly entries = computed<IndexEntry[]>(() =>
    (this.sets() ?? []).map((row) => ({ id: row.id, text: `${row.id} · ${row.title}`, end: row.revertedBy ? 'reverted' : showInstant(row.at).slice(5) })),
  );
  protected readonly held = plainHeld;
  protected readonly instant = showInstant;

  constructor() {
    effect((onCleanup) => {
      this.applied();
      const subscription = this.api.history({ limit: PAGE }).subscribe({
        next: (sets) => {
          this.sets.set(sets);
          this.older.set(sets.length === PAGE);
        },
        error: (failure: unknown) => this.error.set(problemOf(failure).detail),
      });
      onCleanup(() => subscription.unsubscribe());
    });
    effect((onCleanup) => {
      const id = this.set() ? Number(this.set()) : null;
      this.applied();
      if (id === null) return;
      const subscription = this.api.changeSetRow(id).subscribe({
        next: (row) => this.named.set(row),
        error: (failure: unknown) => this.error.set(problemOf(failure).detail),
      });
      onCleanup(() => subscription.unsubscribe());
    });
    effect((onCleanup) => {
      const set = this.chosen();
      untracked(() => this.checked.set(null));
      if (!set) return;
      const subscription = this.api
        .changeSet(set.id)
        .subscribe({ next: (lines) => this.lines.set(lines), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
      onCleanup(() => subscription.unsubscribe());
    });
  }

  protected more(): void {
    const before = this.sets()?.at(-1)?.id;
    if (before === undefined) return;
    this.api.history({ before, limit: PAGE }).subscribe({
      next: (sets) => {
        this.sets.update((known) => [...(known ?? []), ...sets]);
        this.older.set(sets.length === PAGE);
      },
      error: (failure: unknown) => this.error.set(problemOf(failure).detail),
    });
  }

  /** Status of sets that are being applied or recovered. */
  protected stateOf(set: ChangeSetRow): string {
    return set.state === 'applying' ? (set.problem ? 'being recovered' : 'being applied') : set.state;
  }

  protected go(set: number): void {
    void this.router.navigate([], { queryParams: { set } });
  }

  /** Re-reads the files of the change set. */
  protected check(set: ChangeSetRow): void {
    this.checking.set(true);
    this.api.checkChangeSet(set.id).subscribe({
      next: (checked) => {
        this.checking.set(false);
        this.checked.set(checked);
      },
      error: (failure: unknown) => {
        this.checking.set(false);
        this.error.set(problemOf(failure).detail);
      },
    });
  }

  protected revert(set: ChangeSetRow): void {
    this.busy.set(true);
    this.error.set(null);
    this.api.revert(set.id).subscribe({
      next: (report) => {
        this.busy.set(false);
        if (report.state === 'applied') {
          this.notices.done(`Change set ${set.id} is reverted: ${report.applied} values in ${report.files} files.`);
          this.go(report.changeSet);
        } else this.error.set(`Nothing was reverted. ${report.failures.map((failure) => `${failure.path}: ${failure.message}`).join(' ')}`);
        this.store.dispatch(TrayActions.applied({ report }));
      },
      error: (failure: unknown) => {
        this.busy.set(false);
        this.error.set(problemOf(failure).detail);
      },
    });
  }
}
