import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { TakenUpAnswer } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { RuleColumn, RuleTable } from '../kit';
import { Count, FileLink } from '../shared';

/** Texts that could not be taken up, with reasons. */
@Component({
  selector: 'rule-conflict-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, Count, FileLink],
  template: `
    <section class="card">
      <h2>{{ conflicts().length | count: 'text' }} not taken up</h2>
      <rule-table label="Conflicts" [rows]="conflicts()">
        <ng-container *ruleColumn="let row of conflicts(); name: 'Drawing'; by: 'path'">
          <rule-file [id]="row.file" [path]="row.path" [text]="leaf(row.path)" />
        </ng-container>
        <ng-container *ruleColumn="let row of conflicts(); name: 'Cell'; look: 'mono'; by: 'tag'">{{ row.tag }}</ng-container>
        <ng-container *ruleColumn="let row of conflicts(); name: 'Text'; look: 'mono'; by: 'text'">{{ row.text }}</ng-container>
        <ng-container *ruleColumn="let row of conflicts(); name: 'Why'; by: 'why'">{{ row.why }}</ng-container>
      </rule-table>
    </section>
  `,
})
export class ConflictList {
  readonly conflicts = input.required<TakenUpAnswer['conflicts']>();
  protected readonly leaf = fileName;
}
