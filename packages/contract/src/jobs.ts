/** Kinds of jobs. */
export type JobKind = 'survey' | 'upload' | 'geometry' | 'apply' | 'table' | 'take-back' | 'try' | 'check-in' | 'records';

/** A job with progress and outcome. */
export interface JobRow {
  readonly id: number;
  readonly kind: JobKind;
  readonly title: string;
  readonly by: string;
  readonly state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';
  /** Current step. */
  readonly step: string;
  readonly done: number;
  /** 0 while unknown. */
  readonly total: number;
  readonly startedAt: string | null;
  readonly endedAt: string | null;
  /** Estimated remaining seconds. */
  readonly secondsLeft: number | null;
  readonly message: string | null;
  /** Result, by kind. */
  readonly result: unknown;
  readonly errors: number;
}

/** An error about one file. */
export interface JobError {
  readonly path: string;
  readonly message: string;
}

/** The number of a started job. */
export interface JobStarted {
  readonly job: number;
}
