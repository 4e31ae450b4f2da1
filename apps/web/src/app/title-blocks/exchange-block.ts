import { ChangeDetectionStrategy, Component, computed, effect, inject, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BlockExchange, BlockExchangePlan } from '@rule/contract';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count } from '../shared';
import { ChangeEffects } from './change-effects';
import { TitleBlocksStore } from './title-blocks.store';

/** How a source cell was matched, in words. */
const FOUND_BY: Readonly<Record<NonNullable<BlockExchangePlan['cells'][number]['by']>, string>> = {
  binding: 'both show the same',
  name: 'same name',
  caption: 'same caption',
};

/** Exchanges the block for another, cell by cell, showing losses first. */
@Component({
  selector: 'rule-exchange-block',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, ButtonModule, ChangeEffects, Count, FormsModule, RuleSelect],
  template: `
    <section class="card" aria-labelledby="exchange-title">
      <h2 id="exchange-title">Exchange {{ store.block()?.name }} for another block</h2>
      <div class="bar">
        <span id="exchange-to" class="soft">New block</span>
        <rule-select
          labelledBy="exchange-to"
          placeholder="choose a block"
          [options]="blocks()"
          optionLabel="name"
          optionValue="name"
          [ngModel]="to()"
          (ngModelChange)="to.set($event); chosen.set(null)"
        />
        <span id="exchange-where" class="soft">In</span>
        <rule-select
          labelledBy="exchange-where"
          [options]="places()"
          optionLabel="text"
          optionValue="value"
          [ngModel]="here()"
          (ngModelChange)="here.set($event)"
        />
      </div>
      @if (store.exchangeProblem(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.exchange(); as plan) {
        <p>
          {{ plan.sheets | count: 'sheet' }} would get the new block, its lower right corner where the old one's is.
          {{ plan.lender ? 'Drawings that lack it get it from ' + plan.lender + '.' : '' }}
        </p>
        <rule-table label="Cells of the new block" [rows]="plan.cells" key="tag">
          <ng-container *ruleColumn="let cell of plan.cells; name: 'Cell of ' + to(); look: 'mono'">
            {{ cell.tag }} {{ cell.prompt && cell.prompt !== cell.tag ? '(' + cell.prompt + ')' : '' }}
          </ng-container>
          <ng-container *ruleColumn="let cell of plan.cells; name: 'Text from'">
            <rule-select
              [ariaLabel]="'Text of ' + cell.tag"
              [options]="sources()"
              optionLabel="text"
              optionValue="value"
              [ngModel]="cell.from"
              (ngModelChange)="take(cell.tag, $event)"
            />
          </ng-container>
          <ng-container *ruleColumn="let cell of plan.cells; name: 'Found by'; look: 'soft'">
            {{ cell.by ? found(cell.by) : cell.from ? 'chosen' : 'stays blank' }}
          </ng-container>
        </rule-table>
        <rule-change-effects heading="Texts that no cell of the new block takes would be lost:" [lost]="plan.lost" [left]="plan.left" />
        <div class="bar">
          <p-button [label]="label(plan)" [disabled]="plan.sheets === 0" [loading]="store.exchanging()" (onClick)="store.exchangeBlock(request()!, done)" />
          <p-button [text]="true" label="Cancel" (onClick)="closed.emit()" />
        </div>
      } @else if (to() && !store.exchangeProblem()) {
        <rule-waiting />
      } @else {
        <p-button [text]="true" label="Cancel" (onClick)="closed.emit()" />
      }
    </section>
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      margin: 8px 0;
    }
    section {
      margin-bottom: 12px;
    }
  `,
})
export class ExchangeBlock {
  protected readonly store = inject(TitleBlocksStore);
  readonly closed = output();
  protected readonly to = signal<string | null>(null);
  protected readonly here = signal(false);
  /** Manually chosen sources of texts. */
  protected readonly chosen = signal<Readonly<Record<string, string | null>> | null>(null);
  protected readonly blocks = computed(() => this.store.known().filter((block) => block.name.trim().toLowerCase() !== this.store.block()?.family));
  protected readonly places = computed(() => [
    { text: 'all drawings', value: false },
    ...(this.store.view() ? [{ text: `this drawing only`, value: true }] : []),
  ]);
  protected readonly sources = computed(() => [
    { text: 'stays blank', value: null },
    ...(this.store.exchange()?.from ?? []).map(({ tag, texts }) => ({ text: `${tag} (${count(texts, 'text')})`, value: tag })),
  ]);
  protected readonly request = computed((): BlockExchange | null => {
    const [to, block, view] = [this.to(), this.store.block(), this.store.view()];
    if (to === null || !block) return null;
    const cells = this.chosen();
    return { from: block.family, to, drawings: this.here() && view ? [view.file.id] : null, ...(cells ? { cells } : {}) };
  });

  constructor() {
    this.store.loadKnown();
    effect(() => {
      const request = this.request();
      untracked(() => this.store.planExchange(request));
    });
  }

  protected found = (by: keyof typeof FOUND_BY): string => FOUND_BY[by];
  protected take(tag: string, from: string | null): void {
    const plan = this.store.exchange();
    if (!plan) return;
    // Each text goes to one cell only.
    this.chosen.set(Object.fromEntries(plan.cells.map((cell) => [cell.tag, cell.tag === tag ? from : cell.from === from ? null : cell.from])));
  }
  protected label = ({ sheets, lost }: BlockExchangePlan): string => {
    const texts = lost.reduce((sum, entry) => sum + entry.texts, 0);
    return `Exchange on ${count(sheets, 'sheet')}${texts ? ` and lose ${count(texts, 'text')}` : ''}`;
  };
  protected readonly done = (): void => this.closed.emit();
}
