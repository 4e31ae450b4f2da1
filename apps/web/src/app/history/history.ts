import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { Router } from '@angular/router';
import { ChangeSetRow, LineRow } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleTable } from '../kit';
import { Bench, Count, ExactName, FileLink, IndexEntry, IndexList, LinePlace, plainHeld, sessionFeature, showInstant, trayFeature } from '../shared';
import { HistoryStore } from './history.store';

/** The History page: applied changes, and reverts. */
@Component({
  selector: 'rule-history-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, Bench, ButtonModule, Count, ExactName, FileLink, IndexList, LinePlace],
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
        <rule-table class="card" label="Lines" [rows]="history.lines()" virtual>
          <ng-container *ruleColumn="let line of history.lines(); name: 'File'; by: 'path'; width: 'minmax(160px, 1.5fr)'">
            <rule-file [id]="line.file" [path]="line.path" />
          </ng-container>
          <ng-container *ruleColumn="let line of history.lines(); name: 'Where'; by: 'name'; width: 'minmax(110px, 1fr)'">
            <rule-line-place [line]="line" />
          </ng-container>
          <ng-container *ruleColumn="let line of history.lines(); name: 'Before'; look: 'mono'; width: 'minmax(90px, 1fr)'">{{ held(line.base) }}</ng-container>
          <ng-container *ruleColumn="let line of history.lines(); name: 'After'; look: 'mono'; width: 'minmax(90px, 1fr)'">{{
            held(line.proposed)
          }}</ng-container>
          <ng-container *ruleColumn="let line of history.lines(); name: 'Why'; look: 'soft'; tip: why; width: 'minmax(140px, 1.2fr)'">{{
            why(line)
          }}</ng-container>
        </rule-table>
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
  styles: ``,
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

  protected readonly why = (line: LineRow): string => line.message ?? line.reason;

  /** Status of sets that are being applied or recovered. */
  protected stateOf(set: ChangeSetRow): string {
    return set.state === 'applying' ? (set.problem ? 'being recovered' : 'being applied') : set.state;
  }

  protected go(set: number): void {
    void this.router.navigate([], { queryParams: { set } });
  }
}
