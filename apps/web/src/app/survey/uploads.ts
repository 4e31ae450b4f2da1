import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleProgress, RuleTable } from '../kit';
import { Count, jobsFeature } from '../shared';
import { droppedFiles } from './dropped';
import { UploadsStore } from './uploads.store';

/** Uploads of files, folders or zip archives, with a result per file. */
@Component({
  selector: 'rule-uploads',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [UploadsStore],
  imports: [RuleProgress, RuleColumn, RuleTable, ButtonModule, Count],
  template: `
    <section
      class="card drop"
      [class.over]="over()"
      aria-label="Upload"
      (dragover)="$event.preventDefault(); over.set(true)"
      (dragleave)="over.set(false)"
      (drop)="dropped($event)"
    >
      <p>Drop files, folders or a zip archive here, or</p>
      <div class="actions">
        <p-button severity="secondary" label="Choose files …" [disabled]="store.busy()" (onClick)="files.click()" />
        <p-button severity="secondary" label="Choose a folder …" [disabled]="store.busy()" (onClick)="folder.click()" />
        @if (store.busy()) {
          <p-button severity="secondary" label="Cancel" (onClick)="cancel()" />
        }
      </div>
      <input #files type="file" multiple class="visually-hidden" tabindex="-1" aria-label="Files or a zip archive to upload" (change)="chosen($event)" />
      <input #folder type="file" webkitdirectory class="visually-hidden" tabindex="-1" aria-label="Folder to upload" (change)="chosen($event)" />
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
      border-style: dashed;
      padding: 18px;
    }
    .over {
      border-color: var(--verdigris);
      background: var(--verdigris-tint);
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
  protected readonly over = signal(false);
  private readonly jobsEnded = inject(Store).selectSignal(jobsFeature.selectEndedCount);

  constructor() {
    effect(() => {
      this.jobsEnded();
      untracked(() => this.store.look());
    });
  }

  protected dropped(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    if (event.dataTransfer && !this.store.busy())
      void droppedFiles(event.dataTransfer).then((list) => this.store.send(this.library(), list, () => this.arrived.emit()));
  }

  protected chosen(event: Event): void {
    const control = event.target as HTMLInputElement;
    const list = [...(control.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file }));
    control.value = '';
    void this.store.send(this.library(), list, () => this.arrived.emit());
  }

  protected cancel(): void {
    this.store.cancel();
    this.arrived.emit();
  }
}
