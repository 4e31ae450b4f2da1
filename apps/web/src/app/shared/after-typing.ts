import { DestroyRef, inject } from '@angular/core';

/** Pause while somebody types, in milliseconds. */
export const TYPING_MS = 250;

/**
 * Makes a function that does the last of the works given to it after a pause, and none once its component is gone; `null` calls off what
 * waits. Call in an injection context.
 */
export function afterTyping(ms = TYPING_MS): (work: (() => void) | null) => void {
  let pause: ReturnType<typeof setTimeout> | undefined;
  inject(DestroyRef).onDestroy(() => clearTimeout(pause));
  return (work) => {
    clearTimeout(pause);
    if (work) pause = setTimeout(work, ms);
  };
}
