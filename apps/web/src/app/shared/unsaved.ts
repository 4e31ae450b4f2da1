import { DestroyRef, Injectable, inject, signal } from '@angular/core';
import { CanDeactivateFn, Router } from '@angular/router';
import { Observable, Subject, of } from 'rxjs';

/** Said to the router where what is typed goes along: nobody is asked. */
export const GOES_ALONG = 'what is typed goes along';

/** What is typed in editors and saved nowhere yet. Whoever leaves it, by a link, a key or by closing the page, is asked first. */
@Injectable({ providedIn: 'root' })
export class Unsaved {
  private readonly watched = new Set<() => string | null>();
  /** What would be lost, while someone is asked about it. */
  readonly asking = signal<readonly string[] | null>(null);
  private answer = new Subject<boolean>();

  constructor() {
    const closing = (event: BeforeUnloadEvent) => {
      if (this.what().length > 0) event.preventDefault();
    };
    addEventListener('beforeunload', closing);
    inject(DestroyRef).onDestroy(() => removeEventListener('beforeunload', closing));
  }

  /** Watches an editor until the component or service that calls this goes. @param what says what is not saved, `null` when nothing is */
  watch(what: () => string | null): void {
    this.watched.add(what);
    inject(DestroyRef).onDestroy(() => this.watched.delete(what));
  }

  /** What is not saved now, in words. */
  what(): string[] {
    return [...this.watched].flatMap((what) => what() ?? []);
  }

  /** Whether what is typed may be left; asks where something is. */
  leave(): Observable<boolean> {
    const what = this.what();
    if (what.length === 0) return of(true);
    // A question that is open is answered by the newer one.
    this.answer.next(false);
    this.answer.complete();
    this.answer = new Subject();
    this.asking.set(what);
    return this.answer;
  }

  /** Answers the question. */
  decide(leave: boolean): void {
    this.asking.set(null);
    const { answer } = this;
    answer.next(leave);
    answer.complete();
  }
}

/** Keeps whoever has typed something from leaving it without being asked. */
export const leavesNothing: CanDeactivateFn<unknown> = () => inject(Router).getCurrentNavigation()?.extras.info === GOES_ALONG || inject(Unsaved).leave();
