import { DestroyRef, Injectable, inject, signal } from '@angular/core';
import { CanDeactivateFn, Router } from '@angular/router';
import { Observable, Subject, of } from 'rxjs';

/** Router state meaning that edits are carried along. */
export const GOES_ALONG = 'what is typed goes along';

/** Unsaved edits. Leaving them by link, key or closing the page asks first. */
@Injectable({ providedIn: 'root' })
export class Unsaved {
  private readonly watched = new Set<() => string | null>();
  /** The edits in question while the user is asked. */
  readonly asking = signal<readonly string[] | null>(null);
  private answer = new Subject<boolean>();

  constructor() {
    const closing = (event: BeforeUnloadEvent) => {
      if (this.what().length > 0) event.preventDefault();
    };
    addEventListener('beforeunload', closing);
    inject(DestroyRef).onDestroy(() => removeEventListener('beforeunload', closing));
  }

  /**
   * Registers an editor until its owner is destroyed.
   * @param what describes unsaved edits; `null` if there are none
   */
  watch(what: () => string | null): void {
    this.watched.add(what);
    inject(DestroyRef).onDestroy(() => this.watched.delete(what));
  }

  /** Current unsaved edits in words. */
  what(): string[] {
    return [...this.watched].flatMap((what) => what() ?? []);
  }

  /** Whether edits may be left; asks if there are any. */
  leave(): Observable<boolean> {
    const what = this.what();
    if (what.length === 0) return of(true);
    // A newer question answers an open one.
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

/** Guards unsaved edits. */
export const leavesNothing: CanDeactivateFn<unknown> = () => inject(Router).getCurrentNavigation()?.extras.info === GOES_ALONG || inject(Unsaved).leave();
