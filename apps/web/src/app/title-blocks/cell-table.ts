import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { CELL_STATE_WORDS } from '@rule/core/titleblocks';
import { RuleColumn, RuleTable, RuleTip } from '../kit';
import { CellRow } from './cell-row';

/** Table of cells: binding, stored and target text. */
@Component({
  selector: 'rule-cell-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleTip, RuleColumn, RuleTable],
  template: `
    <rule-table label="Cells" [rows]="rows()" key="tag" picks [chosen]="chosen() ?? null" (pick)="choose.emit($event.tag)">
      <ng-container *ruleColumn="let row of rows(); name: 'Cell'; look: 'cut'">
        <button type="button" class="plain mono" [attr.aria-pressed]="row.tag === chosen()" [ruleTip]="row.prompt">{{ row.tag }}</button>
      </ng-container>
      <ng-container *ruleColumn="let row of rows(); name: 'Shows'; look: 'cut'; tip: 'words'">
        {{ row.words }}
        @if (row.inDraft) {
          <span class="chip">draft</span>
        }
      </ng-container>
      <ng-container *ruleColumn="let row of rows(); name: 'On this sheet'; tip: 'stored'; look: 'mono cut'">
        {{ row.stored === null ? '' : row.stored || '—' }}
      </ng-container>
      <ng-container *ruleColumn="let row of rows(); name: 'Would read'; look: 'cut'">
        @if (row.bound; as bound) {
          @switch (bound.state) {
            @case ('right') {
              <span class="soft">the same</span>
            }
            @case ('stale') {
              <span class="mono changed">{{ row.would }}</span>
            }
            @case ('does not fit') {
              <span class="warn" [ruleTip]="row.fitWords">too long</span>&ngsp;<span class="soft">{{ row.remedy }}</span>
            }
            @case ('lacking') {
              <span class="mono changed">{{ row.would || '—' }}</span>&ngsp;<span class="soft">lacking here</span>
            }
            @default {
              <span class="soft" [ruleTip]="row.why">{{ row.why || words[bound.state] }}</span>
            }
          }
        } @else if (row.constant) {
          <span class="soft">fixed in the block</span>
        } @else {
          <span class="soft">left as it is</span>
        }
      </ng-container>
      <ng-container *ruleColumn="let row of rows(); name: 'On all sheets'; look: 'soft cut'">{{ row.counts }}</ng-container>
    </rule-table>
  `,
  styles: `
    :host {
      --cut: 190px;
      display: block;
      overflow: auto;
    }
    .changed {
      background: var(--brass-tint);
      color: var(--brass-ink);
      padding: 1px 5px;
      border-radius: 3px;
    }
  `,
})
export class CellTable {
  readonly rows = input.required<readonly CellRow[]>();
  readonly chosen = input<string | undefined>();
  readonly choose = output<string>();
  protected readonly words = CELL_STATE_WORDS;
}
