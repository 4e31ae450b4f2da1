import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { VaultRunFile, VaultRunResult } from '@rule/contract';
import { Count, FileLink } from '../shared';

/** Result of a run, with reasons for skipped files. */
@Component({
  selector: 'rule-run-result',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, FileLink],
  template: `
    <section class="card result" aria-label="Last run">
      <p>
        <b>{{ result().kind }}, {{ result().rows.length | count: 'file' }}</b
        >: {{ countOf('done') }} done, {{ countOf('nothing to do') }} with nothing to do, {{ countOf('left out') }} left out.
        @if (leftOut().length && editable()) {
          <button type="button" class="link" (click)="retried.emit(result())">Retry {{ leftOut().length | count: 'file' }}</button>
        }
      </p>
      <ul>
        @for (row of leftOut(); track row.file) {
          <li><rule-file [id]="row.file" [path]="row.path" /> {{ row.message }}</li>
        }
      </ul>
    </section>
  `,
  styles: `
    .result {
      padding: 10px 14px;
      margin-bottom: 12px;
      max-height: 22vh;
      overflow: auto;
    }
    p,
    ul {
      margin: 0;
    }
  `,
})
export class RunResult {
  readonly result = input.required<VaultRunResult>();
  readonly editable = input(false);
  readonly retried = output<VaultRunResult>();
  protected readonly leftOut = computed(() => this.result().rows.filter((row) => row.outcome === 'left out'));
  protected countOf = (outcome: VaultRunFile['outcome']) => this.result().rows.filter((row) => row.outcome === outcome).length;
}
