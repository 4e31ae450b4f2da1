import { ChangeDetectionStrategy, Component, computed, effect, input, linkedSignal, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, FileFilter, clauseProblem } from '@rule/contract';
import { ValueType } from '@rule/core/values';
import { count } from '@rule/core/words';
import { RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { FileLink, afterTyping } from '../shared';
import { Clauses } from '../clauses';
import { FilePager } from './pager.store';

const STATES = ['all', 'is filled', 'is blank', 'is a stand-in'] as const;
type State = (typeof STATES)[number];

/** Files by conditions, with the value of one name. */
@Component({
  selector: 'rule-found-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, Clauses, FileLink, FormsModule],
  template: `
    <section class="card">
      <h2>Conditions</h2>
      <rule-clauses [clauses]="written()" [names]="names()" [recordFields]="recordFields()" [typeOf]="typeOf()" (changed)="write($event)" />
      <div class="show">
        <label
          >Show the value of
          <rule-select name="shown" [ngModel]="name()" (ngModelChange)="nameChange.emit($event)">
            <rule-option value="" label="no name" />
            @for (choice of names(); track choice) {
              <rule-option [value]="choice" label="{{ choice }}" />
            }</rule-select
        ></label>
        @if (name()) {
          <span role="group" aria-label="Which files">
            @for (state of states; track state) {
              <button type="button" class="chip plain" [class.brass]="state === stateNow()" [attr.aria-pressed]="state === stateNow()" (click)="pick(state)">
                {{ state }}</button>&ngsp;
            }
          </span>
        }
      </div>
    </section>
    <p class="soft" role="status">{{ said() }}</p>
    @if (pager.rows().length) {
      <rule-table class="card" label="Files" [rows]="pager.rows()" key="id" virtual height="48vh" (reached)="pager.reached($event + 30)">
        <ng-container *ruleColumn="let row of pager.rows(); name: 'File'; width: 'minmax(240px, 3fr)'">
          <rule-file [id]="row.id" [path]="row.path" />
        </ng-container>
        <ng-container *ruleColumn="let row of pager.rows(); name: 'Kind'; width: '90px'">{{ row.kind }}</ng-container>
        <ng-container *ruleColumn="let row of pager.rows(); name: 'Class'">{{ row.class ?? '' }}</ng-container>
        <ng-container *ruleColumn="let row of pager.rows(); name: name(); look: 'mono'; tip: valuesOf; width: 'minmax(120px, 2fr)'">
          {{ valuesOf(row) }}
        </ng-container>
      </rule-table>
    } @else if (pager.total() === 0) {
      <p class="note">No files match.</p>
    }
  `,
  styles: `
    .show {
      display: flex;
      flex-wrap: wrap;
      gap: 14px;
      align-items: center;
      margin-top: 10px;
    }
    button.chip {
      padding: 1px 8px;
    }
  `,
})
export class FoundFiles {
  readonly filter = input.required<FileFilter>();
  readonly turn = input(0);
  /** The displayed name; empty for none. */
  readonly name = input('');
  readonly names = input.required<readonly string[]>();
  readonly recordFields = input<readonly string[]>([]);
  readonly typeOf = input<(name: string) => ValueType | null>(() => null);
  readonly nameChange = output<string>();
  readonly where = output<readonly Clause[]>();
  /** Conditions being edited; complete ones form the filter. */
  protected readonly written = linkedSignal<readonly Clause[]>(() => this.filter().where ?? [], { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) });
  private readonly soon = afterTyping();
  protected readonly states = STATES;
  protected readonly pager = new FilePager();

  protected readonly valuesOf = (row: { readonly values: readonly string[] }): string => row.values.join(' · ');

  protected readonly stateNow = computed<State>(() => {
    const own = (this.filter().where ?? []).find((clause) => this.isState(clause));
    return STATES.find((state) => state === own?.operator) ?? 'all';
  });

  protected readonly said = computed(() => {
    const total = this.pager.total();
    if (total === null) return this.pager.failing() ? 'The files could not be loaded.' : 'Looking …';
    const counted = count(total, 'file');
    return this.pager.failing() ? `${counted}; not all could be loaded. Scroll to try again.` : counted;
  });

  constructor() {
    effect(() => {
      const [filter, name] = [this.filter(), this.name()];
      this.turn();
      untracked(() => this.pager.find(filter, name));
    });
  }

  protected write(clauses: readonly Clause[]): void {
    this.written.set(clauses);
    const whole = clauses.filter((clause) => clauseProblem(clause) === null);
    const other = JSON.stringify(whole) !== JSON.stringify(this.filter().where ?? []);
    this.soon(other ? () => this.where.emit(whole) : null);
  }

  private isState = (clause: Clause): boolean => clause.subject === 'value' && clause.name === this.name() && STATES.includes(clause.operator as State);

  protected pick(state: State): void {
    const others = (this.filter().where ?? []).filter((clause) => !this.isState(clause));
    this.where.emit(state === 'all' ? others : [...others, { subject: 'value', name: this.name(), operator: state }]);
  }
}
