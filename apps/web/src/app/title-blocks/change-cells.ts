import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BlockCellChange, BlockCellPlan } from '@rule/contract';
import { CellStep } from '@rule/core/files';
import { count } from '@rule/core/words';
import { ButtonModule } from 'primeng/button';
import { InputNumberModule } from 'primeng/inputnumber';
import { InputTextModule } from 'primeng/inputtext';
import { Store } from '@ngrx/store';
import { RuleSelect } from '../kit';
import { Count, sessionFeature } from '../shared';
import { ChangeEffects } from './change-effects';
import { TitleBlocksStore } from './title-blocks.store';

const KINDS: readonly { readonly text: string; readonly value: CellStep['do'] }[] = [
  { text: 'Add a cell', value: 'add' },
  { text: 'Make a text a cell', value: 'make' },
  { text: 'Rename a cell', value: 'name' },
  { text: 'Move a cell', value: 'move' },
  { text: 'Remove a cell', value: 'remove' },
];

/** What is filled in for the next change. */
interface Typed {
  readonly do: CellStep['do'];
  readonly cell: string | null;
  readonly text: number | null;
  readonly name: string;
  readonly prompt: string;
  readonly right: number;
  readonly up: number;
}
const NOTHING: Typed = { do: 'add', cell: null, text: null, name: '', prompt: '', right: 0, up: 0 };

/** Changes the cells of a block in every drawing that defines it, showing the effect first. */
@Component({
  selector: 'rule-change-cells',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, ChangeEffects, Count, FormsModule, InputNumberModule, InputTextModule, RuleSelect],
  template: `
    <section class="card" aria-labelledby="cells-title">
      <h2 id="cells-title">Change the cells of {{ store.block()?.name }}</h2>
      <p class="soft">
        The block is changed in every drawing that defines it; its lines and other texts stay. Distances are in units of the drawing.
        @if (cells().length) {
          Cells now: <span class="mono">{{ cells().join(', ') }}</span>
        }
      </p>
      <form class="bar" aria-label="Next change" (ngSubmit)="add()">
        <rule-select
          ariaLabel="Kind of change"
          [options]="kinds"
          optionLabel="text"
          optionValue="value"
          [ngModel]="typed().do"
          name="do"
          (ngModelChange)="put({ do: $event })"
        />
        @if (typed().do === 'make') {
          <rule-select
            ariaLabel="Text of the block"
            placeholder="text"
            none="The block has no plain texts."
            [options]="texts()"
            optionLabel="text"
            optionValue="value"
            [ngModel]="typed().text"
            name="text"
            (ngModelChange)="put({ text: $event })"
          />
        } @else {
          @if (typed().do === 'add') {
            <span class="soft">like</span>
          }
          <rule-select
            [ariaLabel]="typed().do === 'add' ? 'Neighbour that it is copied from' : 'Cell'"
            placeholder="cell"
            [options]="options()"
            [ngModel]="typed().cell"
            name="cell"
            (ngModelChange)="put({ cell: $event })"
          />
        }
        @if (typed().do !== 'move' && typed().do !== 'remove') {
          <label class="pair" for="cell-name"
            >{{ typed().do === 'name' ? 'new name' : 'name' }}
            <input
              pInputText
              pSize="small"
              id="cell-name"
              class="mono"
              autocomplete="off"
              [ngModel]="typed().name"
              name="name"
              (ngModelChange)="put({ name: $event })"
          /></label>
          <label class="pair" for="cell-prompt"
            >caption
            <input
              pInputText
              pSize="small"
              id="cell-prompt"
              autocomplete="off"
              [ngModel]="typed().prompt"
              name="prompt"
              (ngModelChange)="put({ prompt: $event })"
          /></label>
        }
        @if (typed().do === 'add' || typed().do === 'move') {
          <label class="pair" for="cell-right"
            >right by
            <p-inputnumber
              inputId="cell-right"
              size="small"
              [maxFractionDigits]="4"
              [ngModel]="typed().right"
              name="right"
              (ngModelChange)="put({ right: $event ?? 0 })"
          /></label>
          <label class="pair" for="cell-up"
            >up by
            <p-inputnumber inputId="cell-up" size="small" [maxFractionDigits]="4" [ngModel]="typed().up" name="up" (ngModelChange)="put({ up: $event ?? 0 })"
          /></label>
        }
        <p-button type="submit" size="small" severity="secondary" label="Add to the list" [disabled]="next() === null" />
      </form>
      @if (steps().length) {
        <ol aria-label="Changes in their order">
          @for (step of steps(); track $index) {
            <li>
              {{ inWords(step) }}
              <button type="button" class="link" [attr.aria-label]="'Leave out: ' + inWords(step)" (click)="drop($index)">leave out</button>
            </li>
          }
        </ol>
      }
      @if (store.cellProblem(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (store.cellPlan(); as plan) {
        <p role="status">
          {{ plan.sheets | count: 'sheet' }} of {{ plan.drawings | count: 'drawing' }} would change{{
            plan.definitions > 1 ? ', which define the block in ' + plan.definitions + ' ways' : ''
          }}. Cells then: <span class="mono">{{ tags(plan) }}</span>.
          {{ plan.anew ? 'Each block is placed anew where it stands; heights and places of single cells that differ from the block are reset to it.' : '' }}
        </p>
        @if (plan.bound.length) {
          <p class="note">{{ boundWords(plan) }}</p>
        }
        <rule-change-effects heading="Texts that would be lost:" [lost]="plan.lost" [left]="plan.left" />
      }
      <div class="bar">
        @if (store.cellPlan(); as plan) {
          <p-button [label]="label(plan)" [disabled]="plan.sheets === 0" [loading]="store.exchanging()" (onClick)="go()" />
        }
        <p-button [text]="true" label="Cancel" (onClick)="closed.emit()" />
      </div>
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
    .pair {
      display: inline-flex;
      gap: 8px;
      align-items: center;
      white-space: nowrap;
    }
    input.mono {
      width: 130px;
    }
    :host ::ng-deep p-inputnumber input {
      width: 84px;
    }
    ol {
      margin: 4px 0 0;
      padding-left: 20px;
    }
    section {
      margin-bottom: 12px;
    }
  `,
})
export class ChangeCells {
  protected readonly store = inject(TitleBlocksStore);
  private readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  /** What a first cell to be added is called. */
  readonly first = input<{ readonly name: string; readonly prompt: string } | null>(null);
  /** The change is in the tray. */
  readonly changed = output<BlockCellChange>();
  readonly closed = output();
  protected readonly kinds = [...KINDS];
  protected readonly typed = linkedSignal<Typed>(() => ({ ...NOTHING, ...this.first() }));
  protected readonly steps = signal<readonly CellStep[]>([]);
  protected readonly cells = computed(() => (this.store.view()?.block.cells ?? []).map((cell) => cell.tag));
  /** Cells that the next change can name: those of the block, as the changes so far leave them. */
  protected readonly options = computed((): string[] => {
    let tags: string[] = this.cells();
    for (const step of this.steps())
      if (step.do === 'add' || step.do === 'make') tags = [...tags, step.tag];
      else if (step.do === 'name') tags = tags.map((tag) => (tag === step.tag ? step.to : tag));
      else if (step.do === 'remove') tags = tags.filter((tag) => tag !== step.tag);
    return tags;
  });
  private readonly plain = computed(() => (this.store.view()?.block.shapes ?? []).flatMap((shape) => (shape.shape === 'text' ? [shape] : [])));
  protected readonly texts = computed(() => this.plain().map(({ text }, value) => ({ text, value })));
  /** The change as filled in; `null` if something is missing. */
  protected readonly next = computed((): CellStep | null => {
    const { do: kind, cell, text, name, prompt, right, up } = this.typed();
    const by = { x: right, y: up };
    if (kind === 'make') {
      const chosen = text === null ? undefined : this.plain()[text];
      return chosen && name ? { do: 'make', tag: name, prompt, text: chosen.text, at: chosen.at } : null;
    }
    if (cell === null) return null;
    if (kind === 'add') return name ? { do: 'add', tag: name, prompt, like: cell, by } : null;
    if (kind === 'name') return name ? { do: 'name', tag: cell, to: name, prompt } : null;
    if (kind === 'move') return right || up ? { do: 'move', tag: cell, by } : null;
    return { do: 'remove', tag: cell };
  });
  protected readonly change = computed((): BlockCellChange | null => {
    const block = this.store.block();
    return block && this.steps().length ? { block: block.name, steps: this.steps(), drawings: null } : null;
  });

  constructor() {
    effect(() => {
      const change = this.change();
      untracked(() => this.store.planCells(change));
    });
  }

  protected put(change: Partial<Typed>): void {
    this.typed.update((typed) => ({ ...typed, ...change }));
  }
  protected add(): void {
    const step = this.next();
    if (step === null) return;
    this.steps.update((steps) => [...steps, step]);
    this.typed.update((typed) => ({ ...NOTHING, do: typed.do }));
  }
  protected drop(at: number): void {
    this.steps.update((steps) => steps.filter((_, i) => i !== at));
  }
  protected inWords(step: CellStep): string {
    const by = ({ x, y }: { readonly x: number; readonly y: number }) =>
      [x ? `${Math.abs(x)} ${x > 0 ? 'right' : 'left'}` : '', y ? `${Math.abs(y)} ${y > 0 ? 'up' : 'down'}` : ''].filter((part) => part !== '').join(', ') ||
      'on top';
    switch (step.do) {
      case 'add':
        return `Add ${step.tag} like ${step.like}, ${by(step.by)}`;
      case 'make':
        return `Make the text “${step.text}” the cell ${step.tag}`;
      case 'name':
        return `Rename ${step.tag} to ${step.to}`;
      case 'move':
        return `Move ${step.tag} ${by(step.by)}`;
      case 'remove':
        return `Remove ${step.tag}`;
    }
  }
  /** What becomes of the bindings of cells that are renamed or go. */
  protected boundWords({ bound }: BlockCellPlan): string {
    const renamed = new Map(this.steps().flatMap((step) => (step.do === 'name' ? [[step.tag, step.to] as const] : [])));
    const follow = bound.filter((tag) => renamed.has(tag)).map((tag) => `${tag} to ${renamed.get(tag)}`);
    const left = bound.filter((tag) => !renamed.has(tag));
    return [
      follow.length && !this.mayAdminister() ? `An administrator has to bind anew what was renamed: ${follow.join(', ')}.` : '',
      follow.length && this.mayAdminister()
        ? `In the draft, the bindings follow: ${follow.join(', ')}. Bring it into force when the drawings are changed.`
        : '',
      left.length ? `The bindings of ${left.join(', ')} are left without a cell.` : '',
    ]
      .filter(Boolean)
      .join(' ');
  }
  protected tags = (plan: BlockCellPlan): string => plan.cells.map((cell) => cell.tag).join(', ');
  protected label = ({ sheets, lost }: BlockCellPlan): string => {
    const texts = lost.reduce((sum, entry) => sum + entry.texts, 0);
    return `Change on ${count(sheets, 'sheet')}${texts ? ` and lose ${count(texts, 'text')}` : ''}`;
  };
  protected go(): void {
    const change = this.change();
    if (!change) return;
    this.store.changeCells(change, () => {
      this.changed.emit(change);
      this.closed.emit();
    });
  }
}
