import { Db } from './db';

/** Maximum age of an answer in milliseconds; delays other servers' changes. */
const LONGEST = 5000;
/** Maximum age during a scan, which writes batch after batch. */
const BETWEEN_BATCHES = 5000;
/** Maximum cached answers. */
const MOST = 200;

interface Kept {
  readonly written: number;
  readonly read: number;
  readonly at: number;
  readonly answer: Promise<unknown>;
}

/**
 * Caches answers that many users request and few writes change. Concurrent requests share one computation; relevant writes of this server
 * invalidate it.
 */
export class Memo {
  private readonly kept = new Map<string, Kept>();

  constructor(private readonly db: Db) {}

  get<T>(key: string, work: () => Promise<T>): Promise<T> {
    const { written, read } = this.db.facts;
    const before = this.kept.get(key);
    const age = before ? Date.now() - before.at : Infinity;
    if (before?.written === written && age < LONGEST && (before.read === read || age < BETWEEN_BATCHES)) return before.answer as Promise<T>;
    const answer = work();
    const kept: Kept = { written, read, at: Date.now(), answer };
    this.kept.delete(key);
    this.kept.set(key, kept);
    if (this.kept.size > MOST) this.kept.delete(this.kept.keys().next().value!);
    answer.catch(() => {
      if (this.kept.get(key) === kept) this.kept.delete(key);
    });
    return answer;
  }
}
