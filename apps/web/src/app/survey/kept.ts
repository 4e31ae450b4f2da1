import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter, SurveyComparison } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Count, ExactName, sessionFeature, showInstant } from '../shared';
import { KeptStore } from './kept.store';

type Line = SurveyComparison['names'][number];

/** Change in filled values of a name. */
export const gain = ({ then, now }: Line): number => (now?.filled ?? 0) - (then?.filled ?? 0);

/** Kept surveys, with changes since. */
@Component({
  selector: 'rule-kept-surveys',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [KeptStore],
  imports: [Count, ButtonModule, ExactName, FormsModule, InputTextModule],
  template: `
    @if (mayEdit()) {
      <form class="keep" (ngSubmit)="keep()">
        <label class="field"
          ><span>Keep the counts of {{ scope() }} as</span><input pInputText name="title" [ngModel]="title()" (ngModelChange)="title.set($event)"
        /></label>
        <p-button type="submit" label="Keep" severity="secondary" [disabled]="!title().trim()" />
      </form>
    }
    <section class="card">
      <h2>Kept surveys</h2>
      <table class="list">
        <thead>
          <tr>
            <th>Survey</th>
            <th>By</th>
            <th>When</th>
            <th class="num">Files</th>
            <th class="num">Names</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          @for (row of store.rows() ?? []; track row.id) {
            <tr [class.on]="store.comparison()?.then?.id === row.id">
              <td>{{ row.title }}</td>
              <td>{{ row.by }}</td>
              <td>{{ instant(row.at) }}</td>
              <td class="num">{{ row.files }}</td>
              <td class="num">{{ row.names }}</td>
              <td>
                <button type="button" class="link" [attr.aria-label]="'compare with today: ' + row.title" (click)="store.compare(row.id)">
                  compare with today
                </button>
              </td>
            </tr>
          } @empty {
            <tr>
              <td colspan="6" class="soft">None yet. Keep one before a clean-up to see the improvement afterwards.</td>
            </tr>
          }
        </tbody>
      </table>
      @if (store.older()) {
        <button type="button" class="link" (click)="more()">Show older</button>
      }
    </section>
    @if (store.comparison(); as c) {
      <section class="card">
        <h2>Since {{ c.then.title }}, {{ instant(c.then.at) }}</h2>
        <p>
          {{ c.then.files | count: 'file' }} then, {{ c.files }} now. {{ better() | count: 'name is' : 'names are' }} filled in more files, {{ worse() }} in
          fewer; {{ gone() | count: 'name is' : 'names are' }} gone, {{ fresh() }} new.
        </p>
        <table class="list">
          <thead>
            <tr>
              <th>Written name</th>
              <th class="num">Files then</th>
              <th class="num">now</th>
              <th class="num">Filled then</th>
              <th class="num">now</th>
              <th class="num">Stand-ins then</th>
              <th class="num">now</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (line of changed(); track line.name) {
              <tr>
                <td><rule-exact-name [name]="line.name" /></td>
                <td class="num">{{ line.then?.files ?? '–' }}</td>
                <td class="num">{{ line.now?.files ?? '–' }}</td>
                <td class="num">{{ line.then?.filled ?? '–' }}</td>
                <td class="num">{{ line.now?.filled ?? '–' }}</td>
                <td class="num">{{ line.then?.standIns ?? '–' }}</td>
                <td class="num">{{ line.now?.standIns ?? '–' }}</td>
                <td>{{ said(line) }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="8" class="soft">Nothing has changed.</td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    }
  `,
  styles: `
    .keep {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      margin-bottom: 12px;
    }
    .keep .field {
      margin: 0;
      width: 340px;
    }
  `,
})
export class KeptSurveys {
  protected readonly store = inject(KeptStore);
  readonly filter = input.required<FileFilter>();
  readonly scope = input.required<string>();
  readonly turn = input(0);
  readonly kept = output();
  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  protected readonly title = signal('');
  protected readonly instant = showInstant;

  protected readonly changed = computed(() => (this.store.comparison()?.names ?? []).filter((line) => JSON.stringify(line.then) !== JSON.stringify(line.now)));
  protected readonly better = computed(() => this.changed().filter((line) => line.then && line.now && gain(line) > 0).length);
  protected readonly worse = computed(() => this.changed().filter((line) => line.then && line.now && gain(line) < 0).length);
  protected readonly gone = computed(() => this.changed().filter((line) => !line.now).length);
  protected readonly fresh = computed(() => this.changed().filter((line) => !line.then).length);

  constructor() {
    effect(() => {
      this.turn();
      untracked(() => {
        this.store.load();
        const chosen = this.store.comparison();
        if (chosen) this.store.compare(chosen.then.id);
      });
    });
  }

  protected more(): void {
    const last = this.store.rows()?.at(-1);
    if (last) this.store.more(last.id);
  }

  protected keep(): void {
    this.store.keep(this.title().trim(), this.filter(), () => this.title.set(''));
  }

  protected said(line: Line): string {
    if (!line.now) return 'gone';
    if (!line.then) return 'new';
    const n = gain(line);
    return n > 0 ? `${n} more` : n < 0 ? `${-n} fewer` : '';
  }
}
