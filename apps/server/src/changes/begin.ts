import { ApplyReport, ApplyStarted } from '@rule/contract';
import { Geometries } from '../geometry/geometry';
import { JobContext, Jobs } from '../jobs/jobs';
import { User } from '../users/user';

/** Longest time a request waits for files to be written, in milliseconds. After that it continues as a job. */
const PATIENCE = 2000;

/** Starts writing files for a request. */
export class Changes {
  constructor(
    private readonly jobs: Jobs,
    private readonly geometries: Geometries,
  ) {}

  /** @returns the job, and its report if it finished in time */
  async begin(user: User, title: string, work: (context: JobContext) => Promise<ApplyReport>): Promise<ApplyStarted> {
    const { job, result } = await this.jobs.begin(
      user,
      'apply',
      title,
      async (context) => {
        const report = await work(context);
        // Shapes are unchanged; they are found again by their hash.
        await this.geometries.startIfNeeded();
        return report;
      },
      PATIENCE,
    );
    return { job, report: result };
  }
}
