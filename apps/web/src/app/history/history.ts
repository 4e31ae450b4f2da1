import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { ScrollingModule } from '@angular/cdk/scrolling';
import { Router } from '@angular/router';
import { ChangeSetRow } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { Bench, Count, ExactName, FileLink, IndexEntry, IndexList, LinePlace, plainHeld, sessionFeature, showInstant, trayFeature } from '../shared';
import { HistoryStore } from './history.store';

/** The History page: applied changes, and reverts. */
@Component({
  selector: 'rule-history-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, Count, ExactName, FileLink, IndexList, LinePlace, ScrollingModule],
  providers: [HistoryStore],
  template: `
    <rule-bench label="History" [inspector]="false">
      <div bench="index">
        <h3>Change sets</h3>
        <rule-index-list [entries]="entries()" [chosen]="history.chosen()?.id ?? null" (choose)="go($event)" />
        @if (history.older()) {
          <button type="button" class="link" (click)="history.more(history.sets()!.at(-1)!.id)">Show older</button>
        }
      </div>
      @if (history.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (history.chosen(); as set) {
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
              <p-button severity="secondary" label="Check against the files" [loading]="history.checking()" (onClick)="history.check(set.id)" />
            }
            @if (mayEdit() && set.state !== 'put back' && set.state !== 'applying' && !set.revertedBy) {
              <p-button
                severity="secondary"
                [loading]="history.busy()"
                [label]="'Revert ' + (set.lines | count: 'value in ' : 'values in ') + (set.files | count: 'file')"
                (onClick)="history.revert(set.id, goTo)"
              />
            }
          </div>
        </div>
        @if (set.problem) {
          <p class="note bad" role="status">
            Applying was interrupted and could not be finished so far: {{ set.problem }} Rule retries automatically; until then its files cannot be changed.
          </p>
        }
        @if (history.checked(); as c) {
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
          <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(60vh, ' + 32 * history.lines().length + 'px)'">
            <div class="row" role="row" *cdkVirtualFor="let line of history.lines()">
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
                !history.sets()
                  ? ''
                  : history.sets()!.length
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
  protected readonly history = inject(HistoryStore);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  readonly set = input<string>();
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly entries = computed<IndexEntry[]>(() =>
    (this.history.sets() ?? []).map((row) => ({
      id: row.id,
      text: `${row.id} · ${row.title}`,
      end: row.revertedBy ? 'reverted' : showInstant(row.at).slice(5),
    })),
  );
  protected readonly held = plainHeld;
  protected readonly instant = showInstant;
  protected readonly goTo = (set: number): void => this.go(set);

  constructor() {
    effect(() => {
      this.applied();
      untracked(() => this.history.load());
    });
    effect(() => {
      this.applied();
      const id = this.set() ? Number(this.set()) : null;
      untracked(() => this.history.ask(id));
    });
    this.history.loadLines(this.history.chosen);
  }

  /** Status of sets that are being applied or recovered. */
  protected stateOf(set: ChangeSetRow): string {
    return set.state === 'applying' ? (set.problem ? 'being recovered' : 'being applied') : set.state;
  }

  protected go(set: number): void {
    void this.router.navigate([], { queryParams: { set } });
  }
}
