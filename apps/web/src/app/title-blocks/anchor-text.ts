import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, output, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { AnchorChange } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleSelect } from '../kit';
import { Count } from '../shared';
import { ChangeEffects } from './change-effects';
import { SheetText } from './sheet-messages';
import { ShownSheet } from './sheet-view';
import { TitleBlocksStore } from './title-blocks.store';

type Among = AnchorChange['among'];
type Where = AnchorChange['in'];
type Kind = NonNullable<AnchorChange['anchor']>['kind'];

const KINDS: readonly { readonly text: string; readonly value: Kind }[] = [
  { text: 'a cell of its sheet', value: 'cell' },
  { text: 'a label that stands alone', value: 'label' },
];
const AMONG: Readonly<Record<Among, string>> = {
  'this text': 'this text alone',
  'same place': 'texts at this place, on sheets of this size',
  'texts like it': 'texts of its layer that differ in numbers alone',
};
const CLOSED: Readonly<Record<NonNullable<SheetText['closed']>, string>> = {
  formatted: 'It has formatting of its own, which would be lost when it is written.',
  several: 'Several texts stand at this point, so none of them can be told from the others.',
};

/** Makes a plain text a cell, and with it the same text of other drawings. */
@Component({
  selector: 'rule-anchor-text',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, ChangeEffects, Count, FormsModule, InputTextModule, RuleSelect],
  template: `
    <h2>{{ text().anchor ? 'Anchored text' : 'Plain text' }}</h2>
    <p class="mono text">{{ text().text }}</p>
    @if (text().anchor; as anchor) {
      <p class="soft">{{ anchor.kind === 'cell' ? 'The cell ' + anchor.name + ' of this sheet.' : 'The label ' + anchor.name + '.' }}</p>
    }
    @if (text().closed; as why) {
      <p class="note">{{ closed[why] }}</p>
    } @else {
      <form (ngSubmit)="anchor()">
        <label>
          Name of the cell
          <input
            pInputText
            pSize="small"
            autocomplete="off"
            maxlength="60"
            placeholder="Title, Area …"
            [ngModel]="name()"
            name="name"
            (ngModelChange)="name.set($event)"
          />
        </label>
        <span id="anchor-kind">It is</span>
        <rule-select
          labelledBy="anchor-kind"
          [options]="kinds"
          optionLabel="text"
          optionValue="value"
          [ngModel]="kind()"
          name="kind"
          (ngModelChange)="kind.set($event)"
        />
        <span id="anchor-among">So are</span>
        <rule-select
          labelledBy="anchor-among"
          [options]="amongs()"
          optionLabel="text"
          optionValue="value"
          [ngModel]="among()"
          name="among"
          (ngModelChange)="among.set($event)"
        />
        @if (among() !== 'this text') {
          <span id="anchor-in">Drawings</span>
          <rule-select
            labelledBy="anchor-in"
            [options]="wheres()"
            optionLabel="text"
            optionValue="value"
            [ngModel]="where()"
            name="where"
            (ngModelChange)="where.set($event)"
          />
        }
        @if (store.anchorProblem(); as problem) {
          <p class="note bad" role="alert">{{ problem }}</p>
        }
        @if (store.anchorPlan(); as plan) {
          <p role="status">{{ plan.texts | count: 'text' }} in {{ plan.drawings | count: 'drawing' }}.</p>
          @if (among() !== 'this text' && plan.examples.length) {
            <details>
              <summary>{{ plan.examples.length < plan.texts ? 'The first ' + plan.examples.length : 'All of them' }}</summary>
              <ul>
                @for (example of plan.examples; track $index) {
                  <li>{{ leaf(example.path) }}, {{ example.layout }}: {{ example.text }}</li>
                }
              </ul>
            </details>
          }
          <rule-change-effects heading="" [lost]="[]" [left]="plan.left" />
        }
        <div class="acts">
          <p-button type="submit" size="small" [label]="label()" [disabled]="!store.anchorPlan()?.texts" [loading]="store.exchanging()" />
          @if (text().anchor) {
            <p-button type="button" size="small" severity="secondary" label="Let it go" [loading]="store.exchanging()" (onClick)="letGo()" />
          }
        </div>
      </form>
    }
  `,
  styles: `
    .text {
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    form {
      display: grid;
      gap: 6px;
    }
    rule-select,
    input {
      width: 100%;
      min-width: 0;
    }
    ul {
      margin: 4px 0 0;
      padding-left: 20px;
    }
    .acts {
      display: flex;
      gap: 8px;
      margin: 6px 0 12px;
    }
  `,
})
export class AnchorText {
  protected readonly store = inject(TitleBlocksStore);
  readonly sheet = input.required<ShownSheet>();
  readonly text = input.required<SheetText>();
  /** The texts are in the tray. */
  readonly anchored = output<void>();
  protected readonly kinds = [...KINDS];
  protected readonly closed = CLOSED;
  protected readonly leaf = fileName;
  private readonly inModel = computed(() => this.sheet().layout === 'model');
  protected readonly name = linkedSignal(() => this.text().anchor?.name ?? '');
  protected readonly kind = linkedSignal<Kind>(() => this.text().anchor?.kind ?? (this.inModel() ? 'label' : 'cell'));
  protected readonly among = linkedSignal<SheetText, Among>({ source: this.text, computation: () => 'this text' });
  protected readonly where = linkedSignal<Among, Where>({
    source: this.among,
    computation: (among) => (among === 'same place' ? 'its folder' : 'this drawing'),
  });
  protected readonly amongs = computed(() =>
    (Object.keys(AMONG) as Among[]).filter((value) => value !== 'same place' || !this.inModel()).map((value) => ({ text: AMONG[value], value })),
  );
  protected readonly wheres = computed(() => [
    { text: 'this drawing', value: 'this drawing' as const },
    { text: 'all in its folder', value: 'its folder' as const },
    { text: 'all in its library', value: 'its library' as const },
  ]);
  /** The change as filled in; `null` without a name. */
  private readonly change = computed((): AnchorChange | null => {
    const name = this.name().trim();
    if (name === '' || this.text().closed) return null;
    return { ...this.chosen(), anchor: { kind: this.kind(), name } };
  });
  protected readonly label = computed(() => {
    const plan = this.store.anchorPlan();
    return plan && plan.texts > 1 ? `Anchor ${count(plan.texts, 'text')}` : 'Anchor it';
  });

  constructor() {
    effect(() => {
      const change = this.change();
      untracked(() => this.store.planAnchors(change));
    });
  }

  private chosen(): Omit<AnchorChange, 'anchor'> {
    return { file: this.sheet().file, name: this.text().name, among: this.among(), in: this.where() };
  }
  protected anchor(): void {
    const change = this.change();
    if (change) this.store.anchorTexts(change, () => this.anchored.emit());
  }
  protected letGo(): void {
    this.store.anchorTexts({ ...this.chosen(), anchor: null }, () => this.anchored.emit());
  }
}
