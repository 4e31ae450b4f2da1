import { Signal, computed, inject, linkedSignal } from '@angular/core';
import { sameDefinition } from '@rule/core/schema';
import { Unsaved } from './unsaved';

interface Held<T> {
  readonly key: unknown;
  readonly base: T;
  readonly value: T;
}

/** A working copy. */
export interface Working<T> {
  readonly value: Signal<T>;
  /** Whether it differs from its source. */
  readonly changed: Signal<boolean>;
  set(value: T): void;
  update(work: (value: T) => T): void;
  /** Marks it as saved. */
  saved(): void;
  /** Resets to the server's state. */
  reset(): void;
}

/**
 * A working copy of server data. It follows the server until edited; edits survive reloads until saved, reset, or another key is edited.
 * @param source edited data with its identifying key
 * @param title name used in the unsaved-edits question
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
