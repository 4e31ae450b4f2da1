import { setTimeout as pause } from 'node:timers/promises';

/** Maximum wait, far above what is needed. */
const LONGEST_MS = 200_000;

/**
 * Polls until a condition holds; a throwing poll counts as "not yet".
 * @param what names it in the error
 * @param said adds details
 * @throws Error on time-out
 */
export async function until(what: string, isSo: () => Promise<boolean>, said: () => string = () => ''): Promise<void> {
  for (const last = Date.now() + LONGEST_MS; Date.now() < last; await pause(25)) if (await isSo().catch(() => false)) return;
  throw new Error(`${what} did not come about:\n${said()}`);
}
