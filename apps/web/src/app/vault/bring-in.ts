import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { Newcomer, VaultRunResult } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { RuleCheck, RuleColumn, RuleTable, RuleWaiting } from '../kit';
import { Count, FileLink } from '../shared';
import { RunResult } from './run-result';

/** Files not yet in the vault, with their initial records. */
@Component({
  selector: 'rule-bring-in',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, RuleCheck, Count, FileLink, RunResult],
  template: `
    <div class="head">
      <div>
        <h1>Bring files in</h1>
        <p>
          Files of the working copy{{ folder() ? ' in ' + folder() : '' }} that are not in the vault. Their class follows the rules of the company, their record
          is filled through the links.
        </p>
      </div>
      @if (editable()) {
        <div class="actions">
          <p-button
            [label]="'Bring in ' + (chosen().length | count: 'file')"
            [disabled]="chosen().length === 0 || running()"
            [loading]="running()"
            (onClick)="started.emit(chosen())"
          />
        </div>
      }
    </div>
    @if (result(); as r) {
      <rule-run-result [result]="r" [editable]="false" />
    }
    @if (rows(); as list) {
      <ng-template #choosing><rule-check ariaLabel="Choose all that can be brought in" [checked]="all()" (flip)="chooseAll($event)" /></ng-template>
      <rule-table class="card" label="Files that are not in the vault" [rows]="list" key="file" virtual height="66vh" empty="Every file here is in the vault.">
        <ng-container *ruleColumn="let row of list; head: choosing; width: '36px'; look: 'box'">
          @if (!row.problem) {
            <rule-check [ariaLabel]="'Choose ' + row.path" [checked]="picked().has(row.file)" (flip)="choose(row.file, $event)" />
          }
        </ng-container>
        <ng-container *ruleColumn="let row of list; name: 'File'; by: 'path'; width: 'minmax(180px, 1.2fr)'">
          <rule-file [id]="row.file" [path]="row.path" />
        </ng-container>
        <ng-container *ruleColumn="let row of list; name: 'Kind'; by: 'kind'; width: '90px'">{{ row.kind }}</ng-container>
        <ng-container *ruleColumn="let row of list; name: 'Class'; by: 'className'; width: '110px'">{{ row.className ?? '' }}</ng-container>
        <ng-container *ruleColumn="let row of list; name: 'Record'; tip: recordWords; width: 'minmax(200px, 2fr)'">{{ recordWords(row) }}</ng-container>
        <ng-container *ruleColumn="let row of list; name: 'Problem'; by: 'problem'; tip: 'problem'; look: 'bad'; width: 'minmax(90px, 1fr)'">
          {{ row.problem }}
        </ng-container>
      </rule-table>
    } @else {
      <rule-waiting />
    }
  `,
})
export class BringIn {
  readonly rows = input.required<readonly Newcomer[] | null>();
  readonly folder = input<string>('');
  readonly result = input<VaultRunResult | null>(null);
  readonly running = input(false);
  readonly editable = input(false);
  readonly started = output<readonly number[]>();

  protected readonly picked = signal<ReadonlySet<number>>(new Set());
  private readonly ready = computed(() => (this.rows() ?? []).filter((row) => row.problem === null).map((row) => row.file));
  protected readonly chosen = computed(() => this.ready().filter((file) => this.picked().has(file)));
  protected readonly all = computed(() => this.ready().length > 0 && this.chosen().length === this.ready().length);

  protected readonly recordWords = (row: Newcomer): string =>
    Object.entries(row.record)
      .map(([field, value]) => `${field} ${value}`)
      .join(' · ');
  protected choose(file: number, on: boolean): void {
    const picked = new Set(this.picked());
    if (on) picked.add(file);
    else picked.delete(file);
    this.picked.set(picked);
  }
  protected chooseAll(on: boolean): void {
    this.picked.set(new Set(on ? this.ready() : []));
  }
}
