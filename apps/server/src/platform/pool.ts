import { Piscina } from 'piscina';

/** Tasks of worker threads, by name. Folders add theirs here; see `worker.ts`. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- the folders that have such work add to it
export interface Tasks {}

type InputOf<Name extends keyof Tasks> = Tasks[Name] extends (input: infer Input) => unknown ? Input : never;
type OutputOf<Name extends keyof Tasks> = Tasks[Name] extends (input: never) => infer Output ? Output : never;

/** Runs CPU-bound work in worker threads, by task name. */
export class WorkPool {
  private readonly pool: Piscina;

  /** @param worker path of the bundled worker; `data` goes to every worker thread */
  constructor(
    worker: string,
    data: { readonly databaseUrl: string; readonly storeRoot: string },
    threads = 2,
    warn: (problem: unknown) => void = () => undefined,
  ) {
    // A thread waiting for the database can run a second task.
    this.pool = new Piscina({
      filename: worker,
      workerData: data,
      minThreads: 1,
      maxThreads: threads,
      concurrentTasksPerWorker: 2,
      // Threads are kept: warmed-up code reads a third faster.
      idleTimeout: 600_000,
      execArgv: [],
    });
    // An idle thread that ended is restarted with the next task.
    this.pool.on('error', warn);
  }

  run<Name extends keyof Tasks>(name: Name, input: InputOf<Name>, signal?: AbortSignal): OutputOf<Name> {
    return this.pool.run(input, { name, ...(signal ? { signal } : {}) }) as OutputOf<Name>;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
