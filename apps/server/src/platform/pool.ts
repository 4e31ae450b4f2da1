import { Piscina } from 'piscina';

/** What worker threads do, by name. Whoever has such work adds it here: see `worker.ts`, which does it. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- the folders that have such work add to it
export interface Tasks {}

type InputOf<Name extends keyof Tasks> = Tasks[Name] extends (input: infer Input) => unknown ? Input : never;
type OutputOf<Name extends keyof Tasks> = Tasks[Name] extends (input: never) => infer Output ? Output : never;

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
    // A thread that ends without a task is begun again with the next one.
    this.pool.on('error', warn);
  }

  run<Name extends keyof Tasks>(name: Name, input: InputOf<Name>, signal?: AbortSignal): OutputOf<Name> {
    return this.pool.run(input, { name, ...(signal ? { signal } : {}) }) as OutputOf<Name>;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
