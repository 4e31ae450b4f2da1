import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { KeptBomView } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { BomStore } from './bom.store';

/** A list as it was kept. */
@Component({
  selector: 'rule-kept-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule],
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
      <table class="list">
        <thead>
          <tr>
            @for (header of kept.headers; track $index) {
              <th>{{ header }}</th>
            }
          </tr>
        </thead>
        <tbody>
          @for (line of kept.lines; track $index) {
            <tr>
              @for (cell of line.cells; track $index; let i = $index) {
                <td [style.padding-left.px]="i === 0 ? 10 + 14 * (line.level - 1) : null">{{ cell }}</td>
              }
            </tr>
          }
        </tbody>
      </table>
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
