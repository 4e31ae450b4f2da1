import { inject, signal } from '@angular/core';
import { Kind } from '@rule/core/schema';
import { Subject, catchError, debounceTime, of, switchMap } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Api } from './api';
import { Notices } from './notices';

/** Maximum suggestions; more by typing. */
const OFFERED = 200;
const PAUSE_MS = 200;

/** File search for selection fields, on the server. Create in an injection context. */
export class FileChoices {
  private readonly api = inject(Api);
  private readonly notices = inject(Notices);
  private readonly asked = new Subject<string>();
  private readonly state = signal<readonly { readonly id: number; readonly path: string; readonly kind: Kind }[]>([]);
  readonly files = this.state.asReadonly();

  /** @param kinds selectable kinds */
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

  /** Searches by path or value; without text, lists the first files. */
  look(text: string | null | undefined): void {
    this.asked.next((text ?? '').trim());
  }
}
