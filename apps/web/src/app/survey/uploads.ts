import { HttpEvent, HttpEventType } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { JobRow, JobStarted, UploadOutcome } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { Observable, Subscription } from 'rxjs';
import { Api, Count, goesOn, JobsActions, jobsFeature, problemOf } from '../shared';
import { Dropped, droppedFiles } from './dropped';

interface Sent {
  readonly path: string;
  readonly outcome: UploadOutcome['outcome'] | 'waiting' | 'sending' | 'unpacking' | 'unpacked' | 'given up';
  readonly message: string | null;
}

/** Uploads of files, folders or zip archives, with a result per file. */
@Component({
  selector: 'rule-uploads',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count],
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
        <p-button severity="secondary" label="Choose files …" [disabled]="busy()" (onClick)="files.click()" />
        <p-button severity="secondary" label="Choose a folder …" [disabled]="busy()" (onClick)="folder.click()" />
        @if (busy()) {
          <p-button severity="secondary" label="Cancel" (onClick)="cancel()" />
        }
      </div>
      <input #files type="file" multiple class="visually-hidden" tabindex="-1" aria-label="Files or a zip archive to upload" (change)="chosen($event)" />
      <input #folder type="file" webkitdirectory class="visually-hidden" tabindex="-1" aria-label="Folder to upload" (change)="chosen($event)" />
      @if (sent().length) {
        <p role="status">
          {{ ended() }} of {{ sent().length | count: 'file' }} sent{{ busy() ? ', ' + percent() + ' %' : '' }}.
          @for (entry of summary(); track entry.outcome) {
            <span class="chip" [class.bad]="entry.outcome === 'refused'" [class.good]="entry.outcome === 'added'">{{ entry.count }} {{ entry.outcome }}</span
            >&ngsp;
          }
        </p>
        <progress [max]="bytes()" [value]="bytesSent()" aria-label="Upload"></progress>
        <table class="list">
          <tbody>
            @for (entry of listed(); track entry.path) {
              <tr>
                <td class="mono">{{ entry.path }}</td>
                <td [class.bad]="entry.outcome === 'refused'">{{ entry.outcome }}</td>
                <td>{{ entry.message ?? '' }}</td>
              </tr>
            }
          </tbody>
        </table>
        @if (sent().length > listed().length) {
          <p class="soft">and {{ sent().length - listed().length }} more</p>
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
    progress {
      width: 100%;
      accent-color: var(--verdigris);
    }
  `,
})
export class Uploads {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly library = input.required<number>();
  /** All files are sent; scanning follows. */
  readonly arrived = output();
  protected readonly over = signal(false);
  protected readonly sent = signal<readonly Sent[]>([]);
  protected readonly busy = signal(false);
  protected readonly bytes = signal(1);
  protected readonly bytesSent = signal(0);
  /** Archives being unpacked, by job. */
  private readonly archives = signal<readonly { readonly job: number; readonly path: string }[]>([]);
  private readonly jobsEnded = this.store.selectSignal(jobsFeature.selectEndedCount);
  private sending: Subscription | undefined;
  private cancelled = false;

  protected readonly percent = computed(() => Math.round((100 * this.bytesSent()) / this.bytes()));
  protected readonly ended = computed(() => this.sent().filter((entry) => entry.outcome !== 'waiting' && entry.outcome !== 'sending').length);
  /** Errors first. */
  protected readonly listed = computed(() => [...this.sent()].sort((a, b) => Number(b.outcome === 'refused') - Number(a.outcome === 'refused')).slice(0, 200));
  protected readonly summary = computed(() => {
    const counts = new Map<Sent['outcome'], number>();
    for (const entry of this.sent()) counts.set(entry.outcome, (counts.get(entry.outcome) ?? 0) + 1);
    return [...counts].map(([outcome, count]) => ({ outcome, count }));
  });

  constructor() {
    effect(() => {
      this.jobsEnded();
      for (const { job, path } of untracked(this.archives)) this.api.job(job).subscribe({ next: (row) => this.unpacked(path, row), error: () => undefined });
    });
  }

  /** Replaces an archive by its files' results. */
  private unpacked(path: string, job: JobRow): void {
    if (goesOn(job)) return;
    this.archives.update((list) => list.filter((archive) => archive.job !== job.id));
    const outcomes = (job.result as { outcomes?: UploadOutcome[] } | null)?.outcomes ?? [];
    const whole: Sent = { path, outcome: job.state === 'done' ? 'unpacked' : job.state === 'cancelled' ? 'given up' : 'refused', message: job.message };
    this.sent.update((list) => list.flatMap((entry) => (entry.path === path && entry.outcome === 'unpacking' ? [whole, ...outcomes] : [entry])));
  }

  protected dropped(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    if (event.dataTransfer && !this.busy()) void droppedFiles(event.dataTransfer).then((list) => this.send(list));
  }

  protected chosen(event: Event): void {
    const control = event.target as HTMLInputElement;
    const list = [...(control.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file }));
    control.value = '';
    void this.send(list);
  }

  protected cancel(): void {
    this.cancelled = true;
    this.sending?.unsubscribe();
    this.busy.set(false);
    this.sent.update((list) => list.map((entry) => (entry.outcome === 'waiting' || entry.outcome === 'sending' ? { ...entry, outcome: 'given up' } : entry)));
    this.arrived.emit();
  }

  private async send(list: readonly Dropped[]): Promise<void> {
    if (list.length === 0) return;
    this.cancelled = false;
    this.busy.set(true);
    this.sent.set(list.map(({ path }) => ({ path, outcome: 'waiting', message: null })));
    this.bytes.set(
      Math.max(
        1,
        list.reduce((sum, { file }) => sum + file.size, 0),
      ),
    );
    this.bytesSent.set(0);
    let before = 0;
    let plain = 0;
    for (const [i, { path, file }] of list.entries()) {
      if (this.stopped()) return;
      const archive = /\.zip$/i.test(path);
      this.mark(i, 'sending', null);
      await this.sendOne(i, archive, path, file, before);
      before += file.size;
      if (!archive) plain++;
    }
    if (this.stopped()) return;
    this.busy.set(false);
    if (plain) this.arrived.emit();
  }

  private sendOne(at: number, archive: boolean, path: string, file: File, before: number): Promise<void> {
    return new Promise((done) => {
      const events: Observable<HttpEvent<UploadOutcome | JobStarted>> = archive
        ? this.api.uploadArchive(this.library(), path, file)
        : this.api.uploadFile(this.library(), path, file);
      this.sending = events.subscribe({
        next: (event) => {
          if (event.type === HttpEventType.UploadProgress) this.bytesSent.set(before + event.loaded);
          if (event.type !== HttpEventType.Response || !event.body) return;
          if ('job' in event.body) {
            this.store.dispatch(JobsActions.started(event.body));
            const { job } = event.body;
            this.archives.update((list) => [...list, { job, path }]);
            this.mark(at, 'unpacking', 'The result for each file is shown here after unpacking.');
          } else this.mark(at, event.body.outcome, event.body.message);
        },
        error: (failure: unknown) => {
          this.mark(at, 'refused', problemOf(failure).detail);
          done();
        },
        complete: done,
      });
      this.sending.add(done);
    });
  }

  /** Checked again after every wait, as the user may have cancelled. */
  private stopped(): boolean {
    return this.cancelled;
  }

  private mark(at: number, outcome: Sent['outcome'], message: string | null): void {
    this.sent.update((list) => list.map((entry, i) => (i === at ? { ...entry, outcome, message } : entry)));
  }
}
