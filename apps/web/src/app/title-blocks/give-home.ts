import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Binding, PLAIN_CELL, Property } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { RuleSelect } from '../kit';
import { TitleBlocksStore } from './title-blocks.store';

/** The binding by which a cell holds the values of a property that are typed on sheets. */
export const homeBinding = (block: string, cell: string, property: number): Omit<Binding, 'id'> => ({
  block,
  cell,
  leads: true,
  shows: [{ property, from: 'sheet', form: PLAIN_CELL }],
});

/** Gives a property of sheets the cell that holds it: one that the block has, or a new one. */
@Component({
  selector: 'rule-give-home',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, RuleSelect],
  template: `
    <section class="card" aria-labelledby="home-title">
      <h2 id="home-title">A cell for {{ property().caption }}</h2>
      <p class="soft">Its values are typed sheet by sheet. A cell of the title block holds them: without one, they cannot be kept.</p>
      <div class="bar">
        <rule-select
          ariaLabel="Cell that is not bound"
          placeholder="a cell of the block"
          none="Every cell of this block shows something."
          [options]="free()"
          [ngModel]="cell()"
          (ngModelChange)="cell.set($event)"
        />
        <p-button size="small" label="Make it the home" [disabled]="cell() === null" (onClick)="bind()" />
        @if (mayAdd()) {
          <span class="soft">or</span>
          <p-button size="small" severity="secondary" [label]="'Add a cell to ' + store.block()?.name" (onClick)="add.emit()" />
        }
        <p-button size="small" [text]="true" label="Later" (onClick)="closed.emit()" />
      </div>
    </section>
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      margin: 8px 0 0;
    }
    section {
      margin-bottom: 12px;
    }
  `,
})
export class GiveHome {
  protected readonly store = inject(TitleBlocksStore);
  readonly property = input.required<Property>();
  /** A cell is to be added to the block. */
  readonly add = output<void>();
  readonly closed = output<void>();
  /** Cells of the block that show nothing yet. */
  protected readonly free = computed(() => (this.store.block()?.cells ?? []).filter((cell) => !cell.drafted && !cell.constant).map((cell) => cell.tag));
  protected readonly cell = linkedSignal<string[], string | null>({ source: this.free, computation: () => null });
  /** Whether the block is a real one: plain texts have no definition. */
  protected readonly mayAdd = computed(() => this.store.view()?.block.cells.every((cell) => !cell.plain) ?? false);

  protected bind(): void {
    const cell = this.cell();
    if (cell === null) return;
    this.store.bind([homeBinding(this.store.block()!.name, cell, this.property().id)]);
    this.closed.emit();
  }
}
