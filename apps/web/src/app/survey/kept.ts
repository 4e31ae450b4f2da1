import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter, SurveyComparison } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleTable } from '../kit';
import { Count, ExactName, sessionFeature, showInstant } from '../shared';
import { KeptStore } from './kept.store';

type Line = SurveyComparison['names'][number];

/** Change in filled values of a name. */
export const gain = ({ then, now }: Line): number => (now?.filled ?? 0) - (then?.filled ?? 0);

/** Kept surveys, with changes since. */
@Component({
  selector: 'rule-kept-surveys',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [KeptStore],
  imports: [RuleColumn, RuleTable, Count, ButtonModule, ExactName, FormsModule, InputTextModule],
  template: `
    @if (mayEdit()) {
      <form class="keep" (ngSubmit)="keep()">
        <label class="field"
          ><span>Keep the counts of {{ scope() }} as</span><input pInputText name="title" [ngModel]="title()" (ngModelChange)="title.set($event)"
        /></label>
        <p-button type="submit" label="Keep" severity="secondary" [disabled]="!title().trim()" />
      </form>
    }
    <section class="card">
      <h2>Kept surveys</h2>
      <rule-table
        label="Kept surveys"
        [rows]="store.rows() ?? []"
        key="id"
        empty="None yet. Keep one before a clean-up to see the improvement afterwards."
        [chosen]="store.comparison()?.then?.id ?? null"
      >
        <ng-container *ruleColumn="let row of store.rows() ?? []; name: 'Survey'; by: 'title'">{{ row.title }}</ng-container>
        <ng-container *ruleColumn="let row of store.rows() ?? []; name: 'By'; by: 'by'">{{ row.by }}</ng-container>
        <ng-container *ruleColumn="let row of store.rows() ?? []; name: 'When'">{{ instant(row.at) }}</ng-container>
        <ng-container *ruleColumn="let row of store.rows() ?? []; name: 'Files'; num: true; by: 'files'">{{ row.files }}</ng-container>
        <ng-container *ruleColumn="let row of store.rows() ?? []; name: 'Names'; num: true; by: 'names'">{{ row.names }}</ng-container>
        <ng-container *ruleColumn="let row of store.rows() ?? []; said: 'Actions'">
          <button type="button" class="link" [attr.aria-label]="'compare with today: ' + row.title" (click)="store.compare(row.id)">compare with today</button>
        </ng-container>
      </rule-table>
      @if (store.older()) {
        <button type="button" class="link" (click)="more()">Show older</button>
      }
    </section>
    @if (store.comparison(); as c) {
      <section class="card">
        <h2>Since {{ c.then.title }}, {{ instant(c.then.at) }}</h2>
        <p>
          {{ c.then.files | count: 'file' }} then, {{ c.files }} now. {{ better() | count: 'name is' : 'names are' }} filled in more files, {{ worse() }} in
          fewer; {{ gone() | count: 'name is' : 'names are' }} gone, {{ fresh() }} new.
        </p>
        <rule-table label="Names that changed" [rows]="changed()" key="name" empty="Nothing has changed.">
          <ng-container *ruleColumn="let line of changed(); name: 'Written name'; by: 'name'">
            <rule-exact-name [name]="line.name" />
          </ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'Files then'; num: true">{{ line.then?.files ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'now'; num: true">{{ line.now?.files ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'Filled then'; num: true">{{ line.then?.filled ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'now'; num: true">{{ line.now?.filled ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'Stand-ins then'; num: true">{{ line.then?.standIns ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed(); name: 'now'; num: true">{{ line.now?.standIns ?? '–' }}</ng-container>
          <ng-container *ruleColumn="let line of changed()">{{ said(line) }}</ng-container>
        </rule-table>
      </section>
    }
  `,
  styles: `
    .keep {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      margin-bottom: 12px;
    }
    .keep .field {
      margin: 0;
      width: 340px;
    }
  `,
})
export class KeptSurveys {
  protected readonly store = inject(KeptStore);
  readonly filter = input.required<FileFilter>();
  readonly scope = input.required<string>();
  readonly turn = input(0);
  readonly kept = output();
  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly title = signal('');
  protected readonly instant = showInstant;

  protected readonly changed = computed(() => (this.store.comparison()?.names ?? []).filter((line) => JSON.stringify(line.then) !== JSON.stringify(line.now)));
  protected readonly better = computed(() => this.changed().filter((line) => line.then && line.now && gain(line) > 0).length);
  protected readonly worse = computed(() => this.changed().filter((line) => line.then && line.now && gain(line) < 0).length);
  protected readonly gone = computed(() => this.changed().filter((line) => !line.now).length);
  protected readonly fresh = computed(() => this.changed().filter((line) => !line.then).length);

  constructor() {
    effect(() => {
      this.turn();
      untracked(() => {
        this.store.load();
        const chosen = this.store.comparison();
        if (chosen) this.store.compare(chosen.then.id);
      });
    });
  }

  protected more(): void {
    const last = this.store.rows()?.at(-1);
    if (last) this.store.more(last.id);
  }

  protected keep(): void {
    this.store.keep(this.title().trim(), this.filter(), () => this.title.set(''));
  }

  protected said(line: Line): string {
    if (!line.now) return 'gone';
    if (!line.then) return 'new';
    const n = gain(line);
    return n > 0 ? `${n} more` : n < 0 ? `${-n} fewer` : '';
  }
}
