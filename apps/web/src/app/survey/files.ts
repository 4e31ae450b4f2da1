import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, input, linkedSignal, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, FileFilter, clauseProblem } from '@rule/contract';
import { ValueType } from '@rule/core/values';
import { count } from '@rule/core/words';
import { RuleOption, RuleSelect } from '../kit';
import { FileLink, afterTyping } from '../shared';
import { Clauses } from '../clauses';
import { FilePager } from './pager.store';

const STATES = ['all', 'is filled', 'is blank', 'is a stand-in'] as const;
type State = (typeof STATES)[number];

/** Files by conditions, with the value of one name. */
@Component({
  selector: 'rule-found-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, Clauses, FileLink, FormsModule, ScrollingModule],
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
      <div class="card lines" role="table" aria-label="Files">
        <div class="row header" role="row">
          <span role="columnheader">File</span><span role="columnheader">Kind</span><span role="columnheader">Class</span
          ><span role="columnheader">{{ name() || '' }}</span>
        </div>
        <cdk-virtual-scroll-viewport
          itemSize="32"
          role="rowgroup"
          [style.height]="'min(48vh, ' + 32 * pager.rows().length + 'px)'"
          (scrolledIndexChange)="pager.reached($event + 30)"
        >
          <div class="row" role="row" *cdkVirtualFor="let row of pager.rows()">
            <span role="cell"><rule-file [id]="row.id" [path]="row.path" /></span>
            <span role="cell">{{ row.kind }}</span>
            <span role="cell">{{ row.class ?? '' }}</span>
            <span role="cell" class="mono" [title]="row.values.join(' · ')">{{ row.values.join(' · ') }}</span>
          </div>
        </cdk-virtual-scroll-viewport>
      </div>
    } @else if (pager.total() === 0) {
      <p class="note">No files match.</p>
    }
  `,
  styles: `
    .lines {
      --columns: minmax(240px, 3fr) 90px minmax(80px, 1fr) minmax(120px, 2fr);
    }
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
