import type { SessionData, Store } from 'express-session';

/** Sessions remembered at most; more than any company has people at work. */
const MOST_KEPT = 10_000;

/**
 * Makes a session store extend the life of a session once per interval instead of with every answer, which would wait for the database and
 * write. A session that is not used ends that much earlier at most.
 * @param every in milliseconds
 */
export function touchSeldom(store: Store, every: number, now: () => number = Date.now): void {
  const touch = store.touch?.bind(store);
  if (!touch) return;
  const last = new Map<string, number>();
  store.touch = (sid: string, session: SessionData, done?: () => void) => {
    if (now() - (last.get(sid) ?? -Infinity) < every) {
      done?.();
      return;
    }
    if (last.size >= MOST_KEPT) last.clear();
    last.set(sid, now());
    touch(sid, session, done);
  };
}
