import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FoundValues } from '@rule/contract';
import { Property, PropertyDraft, Violation, constraintViolations } from '@rule/core/schema';
import { HeldValue, compileStandIns, readHeld } from '@rule/core/values';
import { signalStore } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { RuleColumn, RuleTable } from '../kit';
import { catalogueFeature, Count, ExactName, withAnswer } from '../shared';
import { tidy } from './draft';

/** A value that does not fit a definition, with its file count. */
export interface Misfit {
  readonly text: string;
  readonly files: number;
  readonly message: string;
}

/** How existing values fit a definition, without rules. */
export interface Fit {
  readonly fits: number;
  readonly misfits: readonly Misfit[];
  readonly wrong: number;
  readonly standIns: number;
}

/** Checks distinct values against a definition. */
export function fitOf(values: FoundValues['values'], draft: PropertyDraft, standIns: readonly string[]): Fit {
  const property: Property = { ...tidy(draft), choices: draft.choices, id: -1, retired: false };
  const stands = compileStandIns(standIns);
  const misfits: Misfit[] = [];
  let [fits, wrong, standing] = [0, 0, 0];
  for (const { text, form, unit, files } of values) {
    if (text === '') continue;
    if (form === 'text' && stands.matches(text) && !property.choices.includes(text)) {
      standing += files;
      continue;
    }
    const held: HeldValue = unit === null || unit === undefined ? { text, form } : { text, form, unit };
    const parsed = readHeld(held, property);
    const violation: Pick<Violation, 'message'> | undefined = parsed.ok ? constraintViolations(parsed.value, property)[0] : parsed.problem;
    if (violation) {
      wrong += files;
      misfits.push({ text: unit ? `${text} ${unit}` : text, files, message: violation.message });
    } else fits += files;
  }
  return { fits, misfits: misfits.sort((a, b) => b.files - a.files), wrong, standIns: standing };
}

/** Misfits listed at first. */
const AT_FIRST = 6;

/** Values that files hold under a name. */
const HeldTodayStore = signalStore(withAnswer((api, name: string) => api.foundValues(name, {})));

/** Existing values under a property's name, checked against its unsaved definition. */
@Component({
  selector: 'rule-impact',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [HeldTodayStore],
  imports: [RuleColumn, RuleTable, Count, ExactName],
  template: `
    @if (values.answer(); as f) {
      @if (f.files) {
        <section class="card" aria-label="In files today">
          <h2>In {{ f.files | count: 'file' }} today under <rule-exact-name [name]="f.name" /></h2>
          <div class="bar" role="img" [attr.aria-label]="said()">
            @for (part of parts(); track part.name) {
              @if (part.files) {
                <span [class]="part.name" [style.flex-grow]="part.files">{{ part.files }} {{ part.label }}</span>
              }
            }
          </div>
          @if (fit().misfits.length) {
            <rule-table label="Values that do not fit" [rows]="misfits()">
              <ng-container *ruleColumn="let misfit of misfits(); look: 'mono'">{{ misfit.text }}</ng-container>
              <ng-container *ruleColumn="let misfit of misfits(); num: true">{{ misfit.files | count: 'file' }}</ng-container>
              <ng-container *ruleColumn="let misfit of misfits(); look: 'bad'">{{ misfit.message }}</ng-container>
            </rule-table>
            @if (fit().misfits.length > misfits().length) {
              <button type="button" class="link" (click)="all.set(true)">{{ fit().misfits.length - misfits().length }} more values do not fit</button>
            }
          }
        </section>
      }
    }
  `,
  styles: `
    section {
      padding: 14px 18px;
      margin-bottom: 14px;
    }
    h2 {
      margin: 0 0 10px;
    }
    .bar {
      display: flex;
      border-radius: 3px;
      overflow: hidden;
      height: 26px;
      margin-bottom: 6px;
    }
    .bar span {
      flex-basis: 0;
      min-width: 56px;
      padding: 4px 8px;
      white-space: nowrap;
      overflow: hidden;
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--on-accent);
    }
    .fits {
      background: var(--verdigris);
    }
    .wrong {
      background: var(--vermilion);
    }
    .stand-ins {
      background: var(--ochre);
    }
    .bar .blank {
      background: var(--line);
      color: var(--ink);
    }
  `,
})
export class Impact {
  protected readonly values = inject(HeldTodayStore);
  readonly property = input.required<PropertyDraft>();
  /** The name files currently hold, from the edition in force. */
  readonly name = input.required<string>();
  private readonly settings = inject(Store).selectSignal(catalogueFeature.selectSettings);
  /** Whether all misfits are listed, not only the first. */
  protected readonly all = signal(false);
  protected readonly fit = computed(() => fitOf(this.values.answer()?.values ?? [], this.property(), this.settings()?.standIns ?? []));
  protected readonly misfits = computed(() => (this.all() ? this.fit().misfits : this.fit().misfits.slice(0, AT_FIRST)));
  protected readonly parts = computed(() => {
    const { fits, wrong, standIns } = this.fit();
    return [
      { name: 'fits', label: 'fit', files: fits },
      { name: 'wrong', label: wrong === 1 ? 'does not' : 'do not', files: wrong },
      { name: 'stand-ins', label: standIns === 1 ? 'stand-in' : 'stand-ins', files: standIns },
      { name: 'blank', label: 'blank', files: this.values.answer()?.blank ?? 0 },
    ];
  });
  protected readonly said = computed(() =>
    this.parts()
      .filter((part) => part.files)
      .map((part) => `${part.files} ${part.label}`)
      .join(', '),
  );

  constructor() {
    effect(() => {
      const name = this.name();
      untracked(() => {
        this.all.set(false);
        // What another name holds is forgotten at once.
        this.values.ask(null);
        if (name !== '') this.values.ask(name);
      });
    });
  }
}
