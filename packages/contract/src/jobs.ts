/** What long work is about. */
export type JobKind = 'survey' | 'upload' | 'geometry' | 'apply' | 'table' | 'take-back' | 'try' | 'check-in' | 'records';

/** Long work: what it does, how far it is, and how it ended. */
export interface JobRow {
  readonly id: number;
  readonly kind: JobKind;
  readonly title: string;
  readonly by: string;
  readonly state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';
  /** What is being done right now. */
  readonly step: string;
  readonly done: number;
  /** 0 while the amount of work is not known. */
  readonly total: number;
  readonly startedAt: string | null;
  readonly endedAt: string | null;
  /** Seconds that the rest will take, judged by what was done. */
  readonly secondsLeft: number | null;
  readonly message: string | null;
  /** What came of it, by kind of work. */
  readonly result: unknown;
  readonly errors: number;
}

/** What went wrong with one file of a job. */
export interface JobError {
  readonly path: string;
  readonly message: string;
}

/** The number of a job that was begun. */
export interface JobStarted {
  readonly job: number;
}
