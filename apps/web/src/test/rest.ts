/** Waits until a page is idle, instead of fixed delays: counts pending timers and frames. */

/** Longer timers, such as polling, do not count. */
const SOON_MS = 1000;
const LIMIT_MS = 60_000;

const waiting = new Set<unknown>();
const plain = globalThis.setTimeout.bind(globalThis);

type Ask = (work: (...args: unknown[]) => void, delay?: number, ...args: unknown[]) => unknown;

function counted(ask: Ask, givesUp: (id: never) => void): [Ask, (id: unknown) => void] {
  return [
    (work, delay, ...args) => {
      const id = ask((...given) => {
        waiting.delete(id);
        work(...given);
      }, delay, ...args);
      if ((delay ?? 0) <= SOON_MS) waiting.add(id);
      return id;
    },
    (id) => {
      waiting.delete(id);
      givesUp(id as never);
    },
  ]; // prettier-ignore
}

/** Starts counting timers and frames. */
export function countTimers(): void {
  const page = globalThis as unknown as Record<string, unknown>;
  for (const [ask, givesUp] of [
    ['setTimeout', 'clearTimeout'],
    ['setInterval', 'clearInterval'],
    ['requestAnimationFrame', 'cancelAnimationFrame'],
  ] as const) {
    const own = page[ask] as Ask;
    [page[ask], page[givesUp]] = counted(own.bind(globalThis), (page[givesUp] as (id: never) => void).bind(globalThis));
  }
}

/**
 * Waits until nothing is pending.
 * @param settle updates the page
 */
export async function rested(settle: () => Promise<void>): Promise<void> {
  const began = Date.now();
  for (let quiet = 0; quiet < 2; quiet = waiting.size === 0 ? quiet + 1 : 0) {
    if (Date.now() - began > LIMIT_MS) throw new Error(`The page does not come to rest: ${waiting.size} timers are due.`);
    await new Promise((done) => plain(done, 1));
    await settle();
  }
}
