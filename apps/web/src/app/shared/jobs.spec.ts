import { describe, expect, it } from '@jest/globals';
import { JobRow } from '@rule/contract';
import { JobsActions, goesOn, jobsFeature } from './jobs.state';

const job = (id: number, state: JobRow['state']): JobRow => ({
  id,
  kind: 'survey',
  title: `Job ${id}`,
  by: '',
  state,
  step: '',
  done: 0,
  total: 0,
  startedAt: null,
  endedAt: null,
  secondsLeft: null,
  message: null,
  result: null,
  errors: 0,
});

describe('long work', () => {
  const { reducer } = jobsFeature;
  const start = reducer(undefined, { type: 'start' });
  it('is listened to only while something goes on', () => {
    expect(start.listening).toBe(false);
    expect(reducer(start, JobsActions.loaded({ jobs: [job(1, 'done')] })).listening).toBe(false);
    const listening = reducer(start, JobsActions.loaded({ jobs: [job(1, 'done'), job(2, 'running')] }));
    expect(listening.listening).toBe(true);
    expect(reducer(listening, JobsActions.silent()).listening).toBe(false);
    expect(reducer(start, JobsActions.started({ job: 3 }))).toMatchObject({ listening: true, awaited: [3] });
  });
  it('lists the youngest first, and counts what has ended', () => {
    let state = reducer(start, JobsActions.loaded({ jobs: [job(1, 'done'), job(2, 'running')] }));
    state = reducer(state, JobsActions.changed({ job: job(3, 'waiting') }));
    const root = { [jobsFeature.name]: state };
    expect(jobsFeature.selectAllJobs(root).map((row) => row.id)).toEqual([3, 2, 1]);
    expect(jobsFeature.selectGoingOn(root).map((row) => row.id)).toEqual([3, 2]);
    const ended = reducer({ ...state, awaited: [2] }, JobsActions.ended({ job: job(2, 'done') }));
    expect([ended.endedCount, ended.awaited]).toEqual([1, []]);
  });
  it('one that has ended does not go on again, whatever overtakes what', () => {
    const ended = reducer(start, JobsActions.changed({ job: job(2, 'done') }));
    // An answer in flight when the job ended, and a late event.
    for (const late of [JobsActions.loaded({ jobs: [job(2, 'running')] }), JobsActions.changed({ job: job(2, 'running') })]) {
      const state = reducer(ended, late);
      expect([jobsFeature.selectGoingOn({ [jobsFeature.name]: state }), state.listening]).toEqual([[], false]);
    }
  });
  it('goes on while it waits or runs', () =>
    expect((['waiting', 'running', 'done', 'failed', 'cancelled'] as const).filter((state) => goesOn(job(1, state)))).toEqual(['waiting', 'running']));
});
