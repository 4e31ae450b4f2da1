import { ApplyReport, ApplyStarted } from '@rule/contract';
import { Geometries } from '../geometry/geometry';
import { JobContext, Jobs } from '../jobs/jobs';
import { User } from '../users/user';

/** Most that a request waits for files to be written, in milliseconds. What takes longer goes on as a job that tells how far it is. */
const PATIENCE = 2000;

/** Begins writing files on behalf of a request. */
export class Changes {
  constructor(
    private readonly jobs: Jobs,
    private readonly geometries: Geometries,
  ) {}

  /** @returns the job, and what came of it where that is known soon */
  async begin(user: User, title: string, work: (context: JobContext) => Promise<ApplyReport>): Promise<ApplyStarted> {
    const { job, result } = await this.jobs.begin(
      user,
      'apply',
      title,
      async (context) => {
        const report = await work(context);
        // The shapes in the files are as they were: they are known again by their own hash.
        await this.geometries.startIfNeeded();
        return report;
      },
      PATIENCE,
    );
    return { job, report: result };
  }
}
