import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { KeptBomView } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleTable } from '../kit';
import { BomStore } from './bom.store';

/** A list as it was kept. */
@Component({
  selector: 'rule-kept-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule],
  template: `
    @let kept = list();
    <div class="head">
      <div>
        <h1>{{ kept.title }}</h1>
        <p>
          {{ kept.path }}, kept on {{ dayOf(kept.at) }} by {{ kept.by }}{{ kept.edition ? ', edition ' + kept.edition : ''
          }}{{ kept.layout ? ', layout ' + kept.layout : '' }}.
        </p>
      </div>
      <div class="actions">
        <p-button severity="secondary" label="Compare with now" (onClick)="compared.emit()" />
        <p-button severity="secondary" label="Send out as XLSX" (onClick)="store.sendKept(kept.id, 'xlsx')" />
        <p-button severity="secondary" label="CSV" ariaLabel="Send out as CSV" (onClick)="store.sendKept(kept.id, 'csv')" />
        @if (removable()) {
          <p-button [text]="true" label="Remove" (onClick)="removed.emit()" />
        }
      </div>
    </div>
    <div class="card rows">
      <rule-table label="Lines of the kept list" [rows]="kept.lines">
        @for (header of kept.headers; track $index; let i = $index) {
          <ng-container *ruleColumn="let line of kept.lines; name: header">
            <span [style.padding-left.px]="i === 0 ? 14 * (line.level - 1) : null">{{ line.cells[i] }}</span>
          </ng-container>
        }
      </rule-table>
    </div>
  `,
  styles: `
    .rows {
      overflow: auto;
    }
  `,
})
export class KeptList {
  protected readonly store = inject(BomStore);
  readonly list = input.required<KeptBomView>();
  readonly removable = input(false);
  readonly compared = output();
  readonly removed = output();
  protected dayOf = (at: string) => at.slice(0, 10);
}
