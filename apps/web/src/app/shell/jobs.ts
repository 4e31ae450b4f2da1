import { ChangeDetectionStrategy, Component, ElementRef, computed, inject, signal } from '@angular/core';
import { JobRow } from '@rule/contract';
import { signalStore } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { RuleProgress } from '../kit/progress';
import { RuleTip } from '../kit/tip';
import { Count, goesOn, JobsActions, jobsFeature, sessionFeature, showInstant, withAnswer } from '../shared';

/** What a job could not do. */
const JobErrorsStore = signalStore(withAnswer((api, job: number) => api.jobErrors(job)));

/** Job progress in the header, with details on opening. */
@Component({
  selector: 'rule-jobs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [JobErrorsStore],
  imports: [RuleProgress, RuleTip, Count],
  host: { '(document:keydown.escape)': 'open.set(false)', '(document:click)': 'outside($event)' },
  template: `
    <button type="button" class="now" [class.going]="goingOn().length" [attr.aria-expanded]="open()" (click)="toggle()" [ruleTip]="title()">
      @if (goingOn()[0]; as job) {
        <span class="visually-hidden">Jobs:</span>
        <span class="bar" aria-hidden="true"><span [style.width.%]="percent(job)"></span></span>
        <span class="text" role="status">{{ job.step || 'waiting' }} {{ job.total ? job.done + ' of ' + job.total : '' }}</span>
      } @else {
        <span class="text">Jobs</span>
      }
    </button>
    @if (open()) {
      <section class="card" aria-label="Jobs">
        @for (job of jobs(); track job.id) {
          <div class="job">
            <p>
              <b>{{ job.title }}</b>
              <span class="chip" [class.good]="job.state === 'done'" [class.bad]="job.state === 'failed'" [class.brass]="on(job)">{{ job.state }}</span>
            </p>
            @if (on(job)) {
              <rule-progress [label]="job.title" [done]="job.done" [of]="job.total" />
              <p class="soft">
                {{ job.step || 'waits for its turn' }}{{ job.total ? ', ' + job.done + ' of ' + job.total : ''
                }}{{ job.secondsLeft ? ', about ' + left(job.secondsLeft) + ' left' : '' }}
                @if (mayEdit()) {
                  <button type="button" class="link" (click)="cancel(job)">Cancel</button>
                }
              </p>
            } @else {
              <p class="soft">{{ job.by ? job.by + ', ' : '' }}{{ job.endedAt ? instant(job.endedAt) : '' }} {{ job.message ?? '' }}</p>
            }
            @if (job.errors) {
              <button type="button" class="link" [attr.aria-expanded]="shown() === job.id" (click)="show(job)">
                {{ job.errors | count: 'file' }} with something to look at
              </button>
              @if (shown() === job.id) {
                @if (troubles.error(); as text) {
                  <p class="bad" role="alert">{{ text }}</p>
                }
                <ul>
                  @for (error of troubles.answer() ?? []; track $index) {
                    <li>
                      <span class="mono">{{ error.path }}</span> {{ error.message }}
                    </li>
                  }
                </ul>
              }
            }
          </div>
        } @empty {
          <p class="soft">No jobs yet. Library readings, uploads and shape measurements are listed here.</p>
        }
      </section>
    }
  `,
  styles: `
    :host {
      position: relative;
    }
    .now {
      display: grid;
      gap: 3px;
      border: 0;
      background: none;
      padding: 0;
      cursor: pointer;
      color: var(--soft);
      max-width: 112px;
      overflow: hidden;
    }
    .text {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .going {
      color: var(--ink);
      width: 112px;
    }
    .bar {
      display: block;
      height: 4px;
      background: var(--chip);
      border-radius: 2px;
      overflow: hidden;
    }
    .bar span {
      display: block;
      height: 100%;
      background: var(--verdigris);
      transition: width 160ms;
    }
    section {
      position: absolute;
      right: 0;
      top: 30px;
      width: 400px;
      max-height: 60vh;
      overflow: auto;
      z-index: 30;
      padding: 6px 16px;
      box-shadow: var(--shadow);
      border-top: 3px solid var(--brass);
      color: var(--ink);
      font:
        13px/1.4 Barlow,
        sans-serif;
    }
    .job {
      padding: 8px 0;
      border-bottom: 1px solid var(--row);
    }
    .job:last-child {
      border: 0;
    }
    p {
      margin: 0;
    }
    ul {
      margin: 4px 0;
      padding-left: 16px;
      max-height: 160px;
      overflow: auto;
    }
  `,
})
export class JobsButton {
  private readonly store = inject(Store);
  protected readonly troubles = inject(JobErrorsStore);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly jobs = this.store.selectSignal(jobsFeature.selectAllJobs);
  protected readonly goingOn = this.store.selectSignal(jobsFeature.selectGoingOn);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly open = signal(false);
  protected readonly shown = signal<number | null>(null);
  protected readonly instant = showInstant;
  protected readonly on = goesOn;
  protected readonly title = computed(() =>
    this.goingOn().length
      ? this.goingOn()
          .map((job) => job.title)
          .join(', ')
      : 'Jobs',
  );

  protected percent(job: JobRow): number {
    return job.total ? (100 * job.done) / job.total : 8;
  }

  protected left(seconds: number): string {
    return seconds < 90 ? `${seconds} s` : `${Math.round(seconds / 60)} min`;
  }

  protected toggle(): void {
    if (!this.open()) this.store.dispatch(JobsActions.load());
    this.open.set(!this.open());
  }

  protected outside(event: Event): void {
    if (this.open() && event.target instanceof Node && !this.host.nativeElement.contains(event.target)) this.open.set(false);
  }

  protected cancel(job: JobRow): void {
    this.store.dispatch(JobsActions.cancel({ job: job.id }));
  }

  protected show(job: JobRow): void {
    if (this.shown() === job.id) {
      this.shown.set(null);
      return;
    }
    this.shown.set(job.id);
    this.troubles.ask(null);
    this.troubles.ask(job.id);
  }
}
