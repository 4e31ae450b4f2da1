import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ButtonModule } from 'primeng/button';
import { RuleSelect } from '../kit';
import { Count, Notices } from '../shared';
import { TitleBlocksStore } from './title-blocks.store';

/** Binds several cells, learned from drawings or copied from another block. */
@Component({
  selector: 'rule-bind-several',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, Count, FormsModule, RuleSelect],
  template: `
    <h2>Bind several cells</h2>
    @if (store.learned() === null) {
      <p-button size="small" severity="secondary" label="Learn from drawings" [loading]="store.learning()" (onClick)="store.learn()" />
      <p class="soft">Rule compares what the cells hold with the values of drawings and models.</p>
    } @else {
      @for (found of store.learnedHere(); track found.tag) {
        <p>
          <span class="mono">{{ found.tag }}</span> shows {{ store.captionOf()(found.propertyId) }} of the {{ found.source }}
          <span class="soft">({{ found.agree }} of {{ found.compared }} drawings)</span>
        </p>
      } @empty {
        <p class="soft">The drawings give no evidence for unbound cells.</p>
      }
      @if (store.learnedHere().length; as n) {
        <p-button size="small" [label]="'Bind ' + (n | count: 'cell')" (onClick)="store.bindLearned(store.learnedHere())" />
      }
    }
    @if (others().length) {
      <p>
        <rule-select
          [options]="others()"
          optionLabel="name"
          optionValue="family"
          placeholder="Copy bindings from …"
          ariaLabel="Block to copy bindings from"
          [ngModel]="null"
          (ngModelChange)="copyFrom($event)"
        />
      </p>
    }
  `,
  styles: `
    rule-select {
      width: 100%;
    }
  `,
})
export class BindSeveral {
  protected readonly store = inject(TitleBlocksStore);
  private readonly notices = inject(Notices);
  /** Other blocks with bindings. */
  protected readonly others = computed(() =>
    (this.store.blocks() ?? []).filter((row) => row.family !== this.store.block()?.family && row.cells.some((cell) => cell.drafted)),
  );

  /** Binds unbound cells like those of the same name in another block. */
  protected copyFrom(family: string): void {
    const from = this.store.blocks()?.find((row) => row.family === family);
    const block = this.store.block();
    const free = (block?.cells ?? []).filter((cell) => !cell.constant && !cell.drafted);
    const bindings = free.flatMap(({ tag }) => {
      const like = from?.cells.find((cell) => cell.tag.toLowerCase() === tag.toLowerCase())?.drafted;
      if (!like) return [];
      const { id: _, ...binding } = like;
      void _;
      return [{ ...binding, cell: tag, block: block!.name }];
    });
    if (bindings.length) this.store.bind(bindings);
    else this.notices.done(`${from?.name ?? 'The block'} has no bound cell that is unbound here.`);
  }
}
