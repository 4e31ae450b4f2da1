import { ChangeDetectionStrategy, Component, effect, inject, input, output, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { Dropped, RuleColumn, RuleProgress, RuleTable, RuleTakeFile } from '../kit';
import { Count, jobsFeature } from '../shared';
import { UploadsStore } from './uploads.store';

/** Uploads of files, folders or zip archives, with a result per file. */
@Component({
  selector: 'rule-uploads',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [UploadsStore],
  imports: [RuleProgress, RuleColumn, RuleTable, RuleTakeFile, ButtonModule, Count],
  template: `
    <section class="card" aria-label="Upload">
      <rule-take-file
        class="drop"
        label="Choose files …"
        fieldLabel="Files or a zip archive to upload"
        folders="Folder to upload"
        multiple
        [disabled]="store.busy()"
        (given)="send($event)"
      >
        <p>{{ store.busy() ? 'On their way …' : 'Drop files, folders or a zip archive here, or' }}</p>
        @if (store.busy()) {
          <p-button severity="secondary" label="Cancel" (onClick)="cancel()" />
        }
      </rule-take-file>
      @if (store.sent().length) {
        <p role="status">
          {{ store.ended() }} of {{ store.sent().length | count: 'file' }} sent{{ store.busy() ? ', ' + store.percent() + ' %' : '' }}.
          @for (entry of store.summary(); track entry.outcome) {
            <span class="chip" [class.bad]="entry.outcome === 'refused'" [class.good]="entry.outcome === 'added'">{{ entry.count }} {{ entry.outcome }}</span
            >&ngsp;
          }
        </p>
        <rule-progress label="Upload" [done]="store.bytesSent()" [of]="store.bytes()" />
        <rule-table label="Files of the upload" [rows]="store.listed()" key="path">
          <ng-container *ruleColumn="let entry of store.listed(); look: 'mono'">{{ entry.path }}</ng-container>
          <ng-container *ruleColumn="let entry of store.listed()">
            <span [class.bad]="entry.outcome === 'refused'">{{ entry.outcome }}</span>
          </ng-container>
          <ng-container *ruleColumn="let entry of store.listed()">{{ entry.message ?? '' }}</ng-container>
        </rule-table>
        @if (store.sent().length > store.listed().length) {
          <p class="soft">and {{ store.sent().length - store.listed().length }} more</p>
        }
      }
    </section>
  `,
  styles: `
    .drop {
      padding: 14px 16px;
      border: 1px dashed var(--line);
      margin-bottom: 12px;
    }
    p {
      margin: 0 0 8px;
    }
  `,
})
export class Uploads {
  protected readonly store = inject(UploadsStore);
  readonly library = input.required<number>();
  /** All files are sent; scanning follows. */
  readonly arrived = output();
  private readonly jobsEnded = inject(Store).selectSignal(jobsFeature.selectEndedCount);

  constructor() {
    effect(() => {
      this.jobsEnded();
      untracked(() => this.store.look());
    });
  }

  protected send(files: readonly Dropped[]): void {
    void this.store.send(this.library(), [...files], () => this.arrived.emit());
  }

  protected cancel(): void {
    this.store.cancel();
    this.arrived.emit();
  }
}
