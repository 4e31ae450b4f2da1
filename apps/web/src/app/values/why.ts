import { ChangeDetectionStrategy, Component, effect, inject, input, untracked } from '@angular/core';
import { signalStore } from '@ngrx/signals';
import { plainHeld, showInstant, withAnswer } from '../shared';

/** Pause while arrow keys move on, in milliseconds. */
const MOVING_MS = 200;

/** The reason of one cell's value. */
const WhyStore = signalStore(withAnswer((api, { file, property }: { readonly file: number; readonly property: number }) => api.why(file, property), MOVING_MS));

/** Why a cell has its value: author, rule, inheritance, staleness, violations. */
@Component({
  selector: 'rule-why',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [WhyStore],
  template: `
    @if (store.answer(); as r) {
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
    } @else if (store.error(); as text) {
      <p class="soft">{{ text }}</p>
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
  protected readonly store = inject(WhyStore);
  readonly file = input.required<number>();
  readonly property = input.required<number>();
  protected readonly show = plainHeld;
  protected readonly when = showInstant;

  constructor() {
    effect(() => {
      const cell = { file: this.file(), property: this.property() };
      untracked(() => this.store.ask(cell));
    });
  }
}
