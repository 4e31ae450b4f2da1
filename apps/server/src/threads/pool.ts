import { Piscina } from 'piscina';
import type { Tasks } from './worker';

/** Runs CPU work in worker threads, by task name. */
export class WorkPool {
  private readonly pool: Piscina;

  /** @param worker path of the bundled worker; `data` goes to every worker thread */
  constructor(
    worker: string,
    data: { readonly databaseUrl: string; readonly storeRoot: string },
    threads = 2,
    warn: (problem: unknown) => void = () => undefined,
  ) {
    // A thread that waits for the database takes up a second task meanwhile.
    this.pool = new Piscina({
      filename: worker,
      workerData: data,
      minThreads: 1,
      maxThreads: threads,
      concurrentTasksPerWorker: 2,
      // A thread that has read files reads the next ones a third faster: its code is compiled for them.
      idleTimeout: 600_000,
      execArgv: [],
    });
    // A thread that ends without a task is begun anew with the next one.
    this.pool.on('error', warn);
  }

  run<K extends keyof Tasks>(name: K, input: Parameters<Tasks[K]>[0], signal?: AbortSignal): ReturnType<Tasks[K]> {
    return this.pool.run(input, { name, ...(signal ? { signal } : {}) }) as ReturnType<Tasks[K]>;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
