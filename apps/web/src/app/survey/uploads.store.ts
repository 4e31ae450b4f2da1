import { HttpEvent, HttpEventType } from '@angular/common/http';
import { computed, inject } from '@angular/core';
import { JobRow, JobStarted, UploadOutcome } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Observable, Subscription } from 'rxjs';
import { Api, JobsActions, goesOn, problemOf } from '../shared';
import { Dropped } from '../kit';

/** Results listed. */
const LISTED = 200;

/** A file or archive with what became of it. */
export interface Sent {
  readonly path: string;
  readonly outcome: UploadOutcome['outcome'] | 'waiting' | 'sending' | 'unpacking' | 'unpacked' | 'given up';
  readonly message: string | null;
}

interface State {
  readonly sent: readonly Sent[];
  readonly busy: boolean;
  readonly bytes: number;
  readonly bytesSent: number;
  /** Archives being unpacked, by job. */
  readonly archives: readonly { readonly job: number; readonly path: string }[];
}

/** Uploads files and archives, one after the other, with a result per file. */
export const UploadsStore = signalStore(
  withState<State>({ sent: [], busy: false, bytes: 1, bytesSent: 0, archives: [] }),
  withComputed(({ sent, bytes, bytesSent }) => ({
    percent: computed(() => Math.round((100 * bytesSent()) / bytes())),
    ended: computed(() => sent().filter((entry) => entry.outcome !== 'waiting' && entry.outcome !== 'sending').length),
    /** Errors first. */
    listed: computed(() => [...sent()].sort((a, b) => Number(b.outcome === 'refused') - Number(a.outcome === 'refused')).slice(0, LISTED)),
    summary: computed(() => {
      const counts = new Map<Sent['outcome'], number>();
      for (const entry of sent()) counts.set(entry.outcome, (counts.get(entry.outcome) ?? 0) + 1);
      return [...counts].map(([outcome, count]) => ({ outcome, count }));
    }),
  })),
  withMethods((store, api = inject(Api), actions = inject(Store)) => {
    let sending: Subscription | undefined;
    let cancelled = false;
    // Asked again after every wait, as the user may have cancelled.
    const stopped = () => cancelled;
    const mark = (at: number, outcome: Sent['outcome'], message: string | null) =>
      patchState(store, { sent: store.sent().map((entry, i) => (i === at ? { ...entry, outcome, message } : entry)) });

    /** Replaces an archive by its files' results. */
    const unpacked = (path: string, job: JobRow) => {
      if (goesOn(job)) return;
      const outcomes = (job.result as { outcomes?: UploadOutcome[] } | null)?.outcomes ?? [];
      const whole: Sent = { path, outcome: job.state === 'done' ? 'unpacked' : job.state === 'cancelled' ? 'given up' : 'refused', message: job.message };
      patchState(store, {
        archives: store.archives().filter((archive) => archive.job !== job.id),
        sent: store.sent().flatMap((entry) => (entry.path === path && entry.outcome === 'unpacking' ? [whole, ...outcomes] : [entry])),
      });
    };

    const sendOne = (at: number, library: number, archive: boolean, { path, file }: Dropped, before: number): Promise<void> =>
      new Promise((done) => {
        const events: Observable<HttpEvent<UploadOutcome | JobStarted>> = archive
          ? api.uploadArchive(library, path, file)
          : api.uploadFile(library, path, file);
        sending = events.subscribe({
          next: (event) => {
            if (event.type === HttpEventType.UploadProgress) patchState(store, { bytesSent: before + event.loaded });
            if (event.type !== HttpEventType.Response || !event.body) return;
            if ('job' in event.body) {
              const { job } = event.body;
              actions.dispatch(JobsActions.started(event.body));
              patchState(store, { archives: [...store.archives(), { job, path }] });
              mark(at, 'unpacking', 'The result for each file is shown here after unpacking.');
            } else mark(at, event.body.outcome, event.body.message);
          },
          error: (failure: unknown) => {
            mark(at, 'refused', problemOf(failure).detail);
            done();
          },
          complete: done,
        });
        sending.add(done);
      });

    return {
      /** Looks whether archives are unpacked. */
      look(): void {
        for (const { job, path } of store.archives()) api.job(job).subscribe({ next: (row) => unpacked(path, row), error: () => undefined });
      },
      /** @param arrived called when all are sent, unless archives alone were */
      async send(library: number, list: readonly Dropped[], arrived: () => void): Promise<void> {
        if (list.length === 0) return;
        cancelled = false;
        const bytes = list.reduce((sum, { file }) => sum + file.size, 0);
        patchState(store, {
          busy: true,
          sent: list.map(({ path }) => ({ path, outcome: 'waiting', message: null })),
          bytes: Math.max(1, bytes),
          bytesSent: 0,
        });
        let before = 0;
        let plain = 0;
        for (const [i, dropped] of list.entries()) {
          if (stopped()) return;
          const archive = /\.zip$/i.test(dropped.path);
          mark(i, 'sending', null);
          await sendOne(i, library, archive, dropped, before);
          before += dropped.file.size;
          if (!archive) plain++;
        }
        if (stopped()) return;
        patchState(store, { busy: false });
        if (plain) arrived();
      },
      /** What has not gone is given up. */
      cancel(): void {
        cancelled = true;
        sending?.unsubscribe();
        patchState(store, {
          busy: false,
          sent: store.sent().map((entry) => (entry.outcome === 'waiting' || entry.outcome === 'sending' ? { ...entry, outcome: 'given up' } : entry)),
        });
      },
    };
  }),
);
