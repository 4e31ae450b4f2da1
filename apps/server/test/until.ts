import { setTimeout as pause } from 'node:timers/promises';

/** Longest time in which something has to come about; far more than it needs, so that a busy machine does not fail. */
const LONGEST_MS = 200_000;

/**
 * Asks again and again until something is so; a question that fails counts as "not yet".
 * @param what names it in the error; @param said adds what else is known then
 * @throws Error where it never comes about
 */
export async function until(what: string, isSo: () => Promise<boolean>, said: () => string = () => ''): Promise<void> {
  for (const last = Date.now() + LONGEST_MS; Date.now() < last; await pause(25)) if (await isSo().catch(() => false)) return;
  throw new Error(`${what} did not come about:\n${said()}`);
}
