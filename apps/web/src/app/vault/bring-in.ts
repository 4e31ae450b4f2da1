import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { Newcomer, VaultRunResult } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { RuleWaiting, RuleCheck } from '../kit';
import { Count, FileLink } from '../shared';
import { RunResult } from './run-result';

/** Files not yet in the vault, with their initial records. */
@Component({
  selector: 'rule-bring-in',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleWaiting, ButtonModule, RuleCheck, Count, FileLink, RunResult],
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
      <div class="card wide">
        <table class="list" aria-label="Files that are not in the vault">
          <thead>
            <tr>
              <th><rule-check ariaLabel="Choose all that can be brought in" [checked]="all()" (flip)="chooseAll($event)" /></th>
              <th>File</th>
              <th>Kind</th>
              <th>Class</th>
              <th>Record</th>
            </tr>
          </thead>
          <tbody>
            @for (row of list.slice(0, 500); track row.file) {
              <tr>
                <td>
                  @if (!row.problem) {
                    <rule-check [ariaLabel]="'Choose ' + row.path" [checked]="picked().has(row.file)" (flip)="choose(row.file, $event)" />
                  }
                </td>
                <td><rule-file [id]="row.file" [path]="row.path" /></td>
                <td>{{ row.kind }}</td>
                <td>{{ row.className ?? '' }}</td>
                <td>
                  {{ recordWords(row) }}
                  @if (row.problem) {
                    <small class="bad">{{ row.problem }}</small>
                  }
                </td>
              </tr>
            } @empty {
              <tr>
                <td colspan="5" class="soft">Every file here is in the vault.</td>
              </tr>
            }
          </tbody>
        </table>
      </div>
      @if (list.length > 500) {
        <p class="soft">{{ list.length - 500 }} more; choose a folder to see fewer.</p>
      }
    } @else {
      <rule-waiting />
    }
  `,
  styles: `
    .wide {
      overflow: auto;
      max-height: 66vh;
    }
    small {
      display: block;
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

  protected recordWords(row: Newcomer): string {
    return Object.entries(row.record)
      .map(([field, value]) => `${field} ${value}`)
      .join(' · ');
  }
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
