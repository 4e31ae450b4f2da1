import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { TakenUpAnswer } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { Count, FileLink } from '../shared';

/** Texts that could not be taken up, with reasons. */
@Component({
  selector: 'rule-conflict-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, FileLink],
  template: `
    <section class="card">
      <h2>{{ conflicts().length | count: 'text' }} not taken up</h2>
      <table class="list">
        <thead>
          <tr>
            <th>Drawing</th>
            <th>Cell</th>
            <th>Text</th>
            <th>Why</th>
          </tr>
        </thead>
        <tbody>
          @for (row of conflicts(); track $index) {
            <tr>
              <td><rule-file [id]="row.file" [path]="row.path" [text]="leaf(row.path)" /></td>
              <td class="mono">{{ row.tag }}</td>
              <td class="mono">{{ row.text }}</td>
              <td>{{ row.why }}</td>
            </tr>
          }
        </tbody>
      </table>
    </section>
  `,
})
export class ConflictList {
  readonly conflicts = input.required<TakenUpAnswer['conflicts']>();
  protected readonly leaf = fileName;
}
