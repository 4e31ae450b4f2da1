import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { CellReason } from '@rule/contract';
import { Subscription } from 'rxjs';
import { Api, plainHeld, problemOf, showInstant } from '../shared';

/** Why a cell has its value: author, rule, inheritance, staleness, violations. */
@Component({
  selector: 'rule-why',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (reason(); as r) {
      <h2>Why it is so</h2>
      <p>
        @switch (r.origin) {
          @case ('ruled') {
            Computed by its rule{{ r.failure ? ', which fails: ' + r.failure : '' }}.
          }
          @case ('inherited') {
            Inherited{{ r.from ? ' from ' + r.from : '' }}.
          }
          @case ('model') {
            Taken from the model.
          }
          @case ('sheet') {
            Taken from the sheet.
          }
          @case ('another name') {
            Found under <span class="mono">{{ r.otherName }}</span>; programs that look for the written name do not find it.
          }
          @case ('nowhere') {
            The file has no value.
          }
          @default {
            The file has it.
          }
        }
        @if (r.changed; as c) {
          Last changed through Rule by {{ c.by }}, {{ when(c.at) }}{{ c.title ? ' (' + c.title + ')' : '' }}{{ c.before ? '; before: ' + c.before : '' }}.
        } @else if (r.origin === 'held' && r.savedBy) {
          Written before Rule; the file was last saved by {{ r.savedBy }}.
        }
      </p>
      @if (r.stale) {
        <p class="note">Stale: the file holds {{ show(r.held) }}, and should hold {{ show(r.wanted) }}.</p>
      }
      @if (r.rule) {
        <ol class="steps" aria-label="What each part of the rule came to">
          @for (step of r.steps; track $index) {
            <li [style.margin-left.px]="12 * step.depth">
              <code>{{ step.text }}</code> = <b class="mono">{{ step.values.join(', ') }}</b>
            </li>
          }
        </ol>
      }
    } @else if (failure()) {
      <p class="soft">{{ failure() }}</p>
    }
  `,
  styles: `
    .steps {
      list-style: none;
      margin: 0 0 10px;
      padding: 0;
    }
    .steps li {
      overflow-wrap: anywhere;
    }
  `,
})
export class Why {
  private readonly api = inject(Api);
  readonly file = input.required<number>();
  readonly property = input.required<number>();
  protected readonly reason = signal<CellReason | null>(null);
  protected readonly failure = signal<string | null>(null);
  protected readonly show = plainHeld;
  protected readonly when = showInstant;
  private asking = new Subscription();

  constructor() {
    effect((onCleanup) => {
      const [file, property] = [this.file(), this.property()];
      untracked(() => {
        this.asking.unsubscribe();
        // Debounced, so moving with arrow keys requests nothing.
        const timer = setTimeout(() => {
          this.asking = this.api.why(file, property).subscribe({
            next: (reason) => {
              this.failure.set(null);
              this.reason.set(reason);
            },
            error: (error: unknown) => {
              this.reason.set(null);
              this.failure.set(problemOf(error).detail);
            },
          });
        }, 200);
        onCleanup(() => clearTimeout(timer));
      });
    });
  }
}
