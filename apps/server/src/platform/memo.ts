import { Db } from './db';

/** How long an answer is good for at most, in milliseconds: what another server has written shows after so long. */
const LONGEST = 5000;
/** How long an answer is good for while a survey writes batch after batch. */
const BETWEEN_BATCHES = 5000;
/** Answers that are kept. */
const MOST = 200;

interface Kept {
  readonly written: number;
  readonly read: number;
  readonly at: number;
  readonly answer: Promise<unknown>;
}

/**
 * Answers that many people ask for and few writings change. An answer is worked out once for all who ask meanwhile, and again as soon as this
 * server has written something that it may depend on.
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
