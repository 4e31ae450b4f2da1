import { Signal, computed, inject, linkedSignal } from '@angular/core';
import { sameDefinition } from '@rule/core/schema';
import { Unsaved } from './unsaved';

interface Held<T> {
  readonly key: unknown;
  readonly base: T;
  readonly value: T;
}

/** A copy that someone works on. */
export interface Working<T> {
  readonly value: Signal<T>;
  /** Whether it differs from what it was taken from. */
  readonly changed: Signal<boolean>;
  set(value: T): void;
  update(work: (value: T) => T): void;
  /** What was typed is saved: it differs from nothing any more. */
  saved(): void;
  /** Takes what the server holds, whatever was typed. */
  reset(): void;
}

/**
 * A copy of what the server holds, for an editor. It follows the server as long as nothing is typed; what is typed stays when the
 * server's side is read again, until it is saved, reset, or something of another key is edited.
 * @param source what is edited, with a key that tells one thing from another
 * @param title what it is called when someone is about to leave it unsaved
 */
export function workingCopy<T>(source: () => { readonly key: unknown; readonly value: T }, title: (value: T) => string): Working<T> {
  const held = linkedSignal<{ readonly key: unknown; readonly value: T }, Held<T>>({
    source,
    computation: ({ key, value }, previous) => {
      const before = previous?.value;
      const typed = before && before.key === key && !sameDefinition(before.value, before.base) && !sameDefinition(before.value, value);
      return typed ? before : { key, base: value, value };
    },
  });
  const value = computed(() => held().value);
  const changed = computed(() => !sameDefinition(held().value, held().base));
  inject(Unsaved).watch(() => (changed() ? title(value()) : null));
  return {
    value,
    changed,
    set: (next) => held.update((now) => ({ ...now, value: next })),
    update: (work) => held.update((now) => ({ ...now, value: work(now.value) })),
    saved: () => held.update((now) => ({ ...now, base: now.value })),
    reset: () => {
      const { key, value: now } = source();
      held.set({ key, base: now, value: now });
    },
  };
}
