import { inject, signal } from '@angular/core';
import { Kind } from '@rule/core/schema';
import { Subject, catchError, debounceTime, of, switchMap } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Api } from './api';
import { Notices } from './notices';

/** Files that one answer offers; more are found by typing. */
const OFFERED = 200;
const PAUSE_MS = 200;

/**
 * Files to choose one from. The server looks for them while someone types, so that a library may be of any size.
 * Made where a component is made.
 */
export class FileChoices {
  private readonly api = inject(Api);
  private readonly notices = inject(Notices);
  private readonly asked = new Subject<string>();
  private readonly state = signal<readonly { readonly id: number; readonly path: string; readonly kind: Kind }[]>([]);
  readonly files = this.state.asReadonly();

  /** @param kinds kinds of file that may be chosen */
  constructor(kinds: readonly Kind[]) {
    this.asked
      .pipe(
        debounceTime(PAUSE_MS),
        switchMap((text) =>
          this.api.files({ ...(text ? { search: text } : {}), limit: OFFERED }).pipe(
            catchError((failure: unknown) => {
              this.notices.failed(failure);
              return of(null);
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((page) => page && this.state.set(page.rows.filter((file) => kinds.includes(file.kind)).map(({ id, path, kind }) => ({ id, path, kind }))));
  }

  /** Looks for files by part of a path or of a value; all of them, the first ones, for nothing. */
  look(text: string | null | undefined): void {
    this.asked.next((text ?? '').trim());
  }
}
