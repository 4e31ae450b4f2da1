import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { BlockCell } from '@rule/contract';
import { newDraft } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { Count, Notices, sessionFeature, Way } from '../shared';
import { BindingEditor, LackingProperty } from './binding-editor';
import { CellRow } from './cell-row';
import { TitleBlocksStore } from './title-blocks.store';

/** Details of a cell: reason, fit, binding, and the way of its property. */
@Component({
  selector: 'rule-cell-inspector',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [BindingEditor, Count, Way],
  template: `
    @let cell = row();
    <h2>Cell {{ cell.tag }}</h2>
    <p class="soft">{{ cell.prompt }}</p>
    @if (cell.bound; as bound) {
      @switch (bound.state) {
        @case ('right') {
          <p class="good">The sheet shows what it should.</p>
        }
        @case ('stale') {
          <p class="note">The sheet shows {{ cell.stored || 'nothing' }}; it should show {{ cell.would }}.</p>
        }
        @case ('does not fit') {
          <p class="note">The text is longer than its cell.</p>
        }
        @case ('would be erased') {
          <p class="note">The sheet shows {{ cell.stored }}, but {{ cell.why }}. The text stays until someone clears it.</p>
        }
        @case ('lacking') {
          <p class="note">The block has this cell, but the drawing does not yet. It can be added.</p>
        }
        @case ('fixed') {
          <p class="note">Fixed in the block: the same text on every sheet. Never written.</p>
        }
        @case ('computed') {
          <p class="note">Computed by the drawing ({{ cell.fixed }}). Never overwritten.</p>
        }
        @default {
          <p class="note bad">Empty: {{ cell.why }}.</p>
        }
      }
    }
    @if (mayEdit() && store.view() && (cell.owner || !cell.bound) && !cell.constant) {
      @if (cell.owner?.closed; as why) {
        <p class="soft">It cannot be typed here: {{ cell.owner!.of }}, {{ why }}.</p>
      } @else {
        <p>
          <button type="button" class="link" (click)="write.emit()">Edit this text</button>&ngsp;<span class="soft">{{ hint() }}</span>
        </p>
      }
    }
    @if (cell.fitWords) {
      <p [class]="cell.tooLong ? 'warn' : 'soft'">{{ cell.fitWords }}</p>
      @if (cell.tooLong && mayEdit()) {
        @if (cell.remedy) {
          <button type="button" class="link" (click)="makeFit()">Make it fit here: {{ cell.remedy }}</button>
        } @else {
          <p class="soft">No remedy of this cell makes it fit. Allow another one below, or shorten the value.</p>
        }
      }
    }
    @if (mayAdminister() && !cell.constant) {
      <h2>What it shows</h2>
      @if (learned(); as found) {
        <p class="note">
          {{ found.agree }} of {{ found.compared }} drawings show {{ store.captionOf()(found.propertyId) }} of the {{ found.source }} here.
          <button type="button" class="link" (click)="store.bindLearned([found])">Bind it so</button>
        </p>
      }
      <rule-binding-editor
        [cell]="cell"
        [block]="store.block()!.name"
        [properties]="store.properties()"
        (bind)="store.bind([$event])"
        (define)="define($event)"
      />
      @if (together().length > 1) {
        <p class="soft">
          {{ together().length | count: 'cell' }} selected.
          <button type="button" class="link" (click)="bindAll(cell)">Bind all of them like {{ cell.tag }}</button>
        </p>
      }
    } @else if (!cell.constant) {
      <p>Shows {{ cell.words }}.</p>
    }
    <rule-way [property]="cell.property" />
  `,
  styles: `
    .link {
      text-align: left;
    }
  `,
})
export class CellInspector {
  protected readonly store = inject(TitleBlocksStore);
  private readonly notices = inject(Notices);
  private readonly global = inject(Store);
  protected readonly mayEdit = this.global.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  readonly row = input.required<CellRow>();
  /** Owner of the value typed here. */
  readonly hint = input.required<string>();
  /** Cells selected together. */
  readonly together = input<readonly string[]>([]);
  /** Requests typing in the cell. */
  readonly write = output<void>();
  protected readonly learned = computed(() => this.store.learnedHere().find((found) => found.tag === this.row().tag) ?? null);

  protected makeFit(): void {
    this.store.put({ wishes: ['does not fit'], cells: [this.row().tag], drawings: [this.store.view()!.file.id] });
  }
  protected define({ name, level }: LackingProperty): void {
    const kinds = level === 'model' ? (['part', 'assembly'] as const) : (['drawing'] as const);
    this.store.define({
      property: { ...newDraft(name), kinds, level: level === 'sheet' ? 'sheet' : 'document' },
      done: () => this.notices.done(`${name} defined in the draft. Press Enter to bind the cell to it.`),
    });
  }
  /** Binds all selected cells alike. */
  protected bindAll({ drafted, tag }: BlockCell): void {
    if (!drafted) return;
    const { id: _, ...binding } = drafted;
    void _;
    const block = this.store.block()!.name;
    this.store.bind(
      this.together()
        .filter((other) => other !== tag)
        .map((cell) => ({ ...binding, cell, block, leads: false })),
    );
  }
}
