import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { CELL_STATE_WORDS } from '@rule/core/titleblocks';
import { CellRow } from './cell-row';

/** Table of cells: binding, stored and target text. */
@Component({
  selector: 'rule-cell-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <table class="list">
      <thead>
        <tr>
          <th>Cell</th>
          <th>Shows</th>
          <th>On this sheet</th>
          <th>Would read</th>
          <th>On all sheets</th>
        </tr>
      </thead>
      <tbody>
        @for (row of rows(); track row.tag) {
          <tr [class.on]="row.tag === chosen()" (click)="choose.emit(row.tag)">
            <td>
              <button type="button" class="plain mono" [attr.aria-pressed]="row.tag === chosen()" [title]="row.prompt">{{ row.tag }}</button>
            </td>
            <td [title]="row.words">
              {{ row.words }}
              @if (row.inDraft) {
                <span class="chip">draft</span>
              }
            </td>
            <td class="mono" [title]="row.stored ?? ''">{{ row.stored === null ? '' : row.stored || '—' }}</td>
            <td>
              @if (row.bound; as bound) {
                @switch (bound.state) {
                  @case ('right') {
                    <span class="soft">the same</span>
                  }
                  @case ('stale') {
                    <span class="mono changed">{{ row.would }}</span>
                  }
                  @case ('does not fit') {
                    <span class="warn" [title]="row.fitWords">too long</span>&ngsp;<span class="soft">{{ row.remedy }}</span>
                  }
                  @case ('lacking') {
                    <span class="mono changed">{{ row.would || '—' }}</span>&ngsp;<span class="soft">lacking here</span>
                  }
                  @default {
                    <span class="soft" [title]="row.why">{{ row.why || words[bound.state] }}</span>
                  }
                }
              } @else if (row.constant) {
                <span class="soft">fixed in the block</span>
              } @else {
                <span class="soft">left as it is</span>
              }
            </td>
            <td class="soft">{{ row.counts }}</td>
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    :host {
      display: block;
      overflow: auto;
    }
    .changed {
      background: var(--brass-tint);
      color: var(--brass-ink);
      padding: 1px 5px;
      border-radius: 3px;
    }
    td {
      max-width: 190px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
  `,
})
export class CellTable {
  readonly rows = input.required<readonly CellRow[]>();
  readonly chosen = input<string | undefined>();
  readonly choose = output<string>();
  protected readonly words = CELL_STATE_WORDS;
}
