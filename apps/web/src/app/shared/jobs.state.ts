import { inject } from '@angular/core';
import { JobRow } from '@rule/contract';
import { EntityState, createEntityAdapter } from '@ngrx/entity';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store, createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { EMPTY, Observable, catchError, interval, exhaustMap, filter, fromEvent, map, mergeMap, switchMap, takeUntil, tap, withLatestFrom } from 'rxjs';
import { Api } from './api';
import { LongWork } from './long-work';
import { CatalogueActions } from './catalogue.state';
import { Notices } from './notices';
import { SessionActions } from './session.state';
import { TrayActions } from './tray.state';
import { count } from '@rule/core/words';

/** State of server jobs. */
export const JobsActions = createActionGroup({
  source: 'Jobs',
  events: {
    Load: emptyProps(),
    Loaded: props<{ jobs: readonly JobRow[] }>(),
    /** A job was started here; its progress is followed. */
    Started: props<{ job: number }>(),
    Changed: props<{ job: JobRow }>(),
    /** A running job has ended. */
    Ended: props<{ job: JobRow }>(),
    Cancel: props<{ job: number }>(),
    Silent: emptyProps(),
  },
});

interface State {
  readonly jobs: EntityState<JobRow>;
  readonly listening: boolean;
  /** Jobs started or seen running, not known to have ended. */
  readonly awaited: readonly number[];
  /** Incremented when a job ends, so views reload. */
  readonly endedCount: number;
}

const adapter = createEntityAdapter<JobRow>({ sortComparer: (a, b) => b.id - a.id });

/** Polling interval for running jobs, in milliseconds. */
const LOOK_EVERY = 15_000;

/** Whether a job is running. */
export const goesOn = (job: JobRow): boolean => job.state === 'waiting' || job.state === 'running';

/** Merges job news. Answers and events may arrive out of order; an ended job stays ended. */
const newest = (jobs: EntityState<JobRow>, news: JobRow): JobRow => {
  const known = jobs.entities[news.id];
  return known && !goesOn(known) && goesOn(news) ? known : news;
};

/** Including running jobs, whose end may come by event or answer. */
const waitedFor = (awaited: readonly number[], jobs: readonly JobRow[]): readonly number[] => {
  const more = jobs.filter((job) => goesOn(job) && !awaited.includes(job.id)).map((job) => job.id);
  return more.length ? [...awaited, ...more] : awaited;
};

export const jobsFeature = createFeature({
  name: 'jobs',
  reducer: createReducer<State>(
    { jobs: adapter.getInitialState(), listening: false, awaited: [], endedCount: 0 },
    on(JobsActions.loaded, (state, { jobs: told }) => {
      const jobs = told.map((job) => newest(state.jobs, job));
      return { ...state, jobs: adapter.setAll(jobs, state.jobs), listening: state.listening || jobs.some(goesOn), awaited: waitedFor(state.awaited, jobs) };
    }),
    on(JobsActions.started, (state, { job }) => ({ ...state, listening: true, awaited: [...state.awaited, job] })),
    on(JobsActions.changed, (state, { job }) => {
      const news = newest(state.jobs, job);
      return { ...state, jobs: adapter.upsertOne(news, state.jobs), awaited: waitedFor(state.awaited, [news]) };
    }),
    on(JobsActions.ended, (state, { job }) => ({ ...state, endedCount: state.endedCount + 1, awaited: state.awaited.filter((id) => id !== job.id) })),
    on(JobsActions.silent, (state) => ({ ...state, listening: false })),
  ),
  extraSelectors: ({ selectJobs }) => ({
    selectAllJobs: createSelector(selectJobs, adapter.getSelectors().selectAll),
    selectGoingOn: createSelector(selectJobs, (jobs) => adapter.getSelectors().selectAll(jobs).filter(goesOn)),
  }),
});

/** Job rows sent by the server; `null` on connection, to load earlier ones. */
const events = (): Observable<JobRow | null> =>
  new Observable((subscriber) => {
    const source = new EventSource('/api/jobs/events');
    source.onopen = () => subscriber.next(null);
    source.onmessage = (event) => subscriber.next(JSON.parse(event.data as string) as JobRow);
    return () => source.close();
  });

const load = (api: Api) =>
  api.jobs().pipe(
    map((jobs) => JobsActions.loaded({ jobs })),
    catchError(() => EMPTY),
  );

export const jobsEffects = {
  load: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(JobsActions.load, JobsActions.started),
        switchMap(() => load(api)),
      ),
    { functional: true },
  ),
  loadWhenSignedIn: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(SessionActions.known),
        filter(({ state }) => state.user !== null && !state.user.firstPassword),
        map(() => JobsActions.load()),
      ),
    { functional: true },
  ),
  /** Background work started by requests. */
  loadWhenBegun: createEffect((longWork = inject(LongWork)) => longWork.begun.pipe(map(() => JobsActions.load())), { functional: true }),
  /** Polling in case events are lost. */
  loadNowAndThen: createEffect(
    (store = inject(Store)) =>
      store.select(jobsFeature.selectListening).pipe(switchMap((listening) => (listening ? interval(LOOK_EVERY).pipe(map(() => JobsActions.load())) : EMPTY))),
    { functional: true },
  ),
  /** Returning to the page reloads jobs. */
  loadWhenSeen: createEffect(
    (store = inject(Store)) =>
      fromEvent(document, 'visibilitychange').pipe(
        filter(() => document.visibilityState === 'visible'),
        withLatestFrom(store.select((state: { session?: { user: unknown } }) => state.session?.user)),
        filter(([, user]) => user != null),
        map(() => JobsActions.load()),
      ),
    { functional: true },
  ),
  /** Connected only while jobs run: browsers limit connections. */
  listen: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(JobsActions.loaded, JobsActions.started),
        withLatestFrom(store.select(jobsFeature.selectListening)),
        filter(([, listening]) => listening),
        exhaustMap(() =>
          events().pipe(
            map((job) => (job ? JobsActions.changed({ job }) : JobsActions.load())),
            takeUntil(actions.pipe(ofType(JobsActions.silent))),
          ),
        ),
      ),
    { functional: true },
  ),
  /** Loads what ended before the connection. */
  missed: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(JobsActions.loaded),
        withLatestFrom(store.select(jobsFeature.selectAwaited)),
        mergeMap(([{ jobs }, awaited]) => jobs.filter((job) => awaited.includes(job.id) && !goesOn(job)).map((job) => JobsActions.changed({ job }))),
      ),
    { functional: true },
  ),
  ended: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(JobsActions.changed),
        filter(({ job }) => !goesOn(job)),
        withLatestFrom(store.select(jobsFeature.selectGoingOn)),
        mergeMap(([{ job }, others]) => [
          JobsActions.ended({ job }),
          ...(job.kind === 'apply' ? [] : [CatalogueActions.recount(), TrayActions.load()]),
          ...(others.length === 0 ? [JobsActions.silent()] : []),
        ]),
      ),
    { functional: true },
  ),
  tell: createEffect(
    (actions = inject(Actions), notices = inject(Notices)) =>
      actions.pipe(
        ofType(JobsActions.ended),
        tap(({ job }) => {
          // Applies report in the tray; geometry jobs are not announced.
          if (job.kind === 'apply' || (job.kind === 'geometry' && job.state === 'done')) return;
          if (job.state === 'failed') notices.error(`${job.title}: ${job.message ?? 'failed'}`);
          else if (job.state === 'cancelled') notices.done(`${job.title} was cancelled.`);
          else notices.done(`${job.title}: done.${job.errors ? ` ${count(job.errors, 'file has', 'files have')} something to look at.` : ''}`);
        }),
      ),
    { functional: true, dispatch: false },
  ),
  cancel: createEffect(
    (actions = inject(Actions), api = inject(Api), notices = inject(Notices)) =>
      actions.pipe(
        ofType(JobsActions.cancel),
        mergeMap(({ job }) =>
          api.cancelJob(job).pipe(
            map((row) => JobsActions.changed({ job: row })),
            catchError((error: unknown) => {
              notices.failed(error);
              return EMPTY;
            }),
          ),
        ),
      ),
    { functional: true },
  ),
};
