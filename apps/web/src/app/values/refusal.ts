import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { Refused } from './grid';

/** Why values that were typed or pasted were not taken. */
@Component({
  selector: 'rule-refusal',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="note bad" role="alert">
      <p>{{ refused().message }}</p>
      @for (cell of refused().cells.slice(0, 6); track $index) {
        <p>{{ cell.path }}, {{ cell.caption }}: {{ cell.message }}.</p>
      }
      @if (refused().cells.length > 6) {
        <p>and {{ refused().cells.length - 6 }} more; they are marked in the grid.</p>
      }
      <button type="button" class="link" (click)="closed.emit()">Close</button>
    </div>
  `,
  styles: `
    :host {
      display: block;
      max-height: 40%;
      overflow: auto;
      flex: none;
    }
    p {
      margin: 0 0 3px;
    }
  `,
})
export class Refusal {
  readonly refused = input.required<Refused>();
  readonly closed = output();
}
