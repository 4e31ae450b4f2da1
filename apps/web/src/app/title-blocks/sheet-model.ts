import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { BlockView } from '@rule/contract';
import { Store } from '@ngrx/store';
import { RuleSelect } from '../kit';
import { FileChoices, sessionFeature } from '../shared';
import { TitleBlocksStore } from './title-blocks.store';

/** The sheet's model, and how to change it. */
@Component({
  selector: 'rule-sheet-model',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RuleSelect],
  template: `
    <h2>Which model feeds this sheet?</h2>
    <p class="soft">{{ words() }}</p>
    @if (mayEdit()) {
      <rule-select
        [options]="models()"
        optionLabel="path"
        optionValue="id"
        searches
        clear
        placeholder="Choose the model"
        ariaLabel="Model"
        [ngModel]="view().model.file"
        (ngModelChange)="settle($event)"
        (opened)="candidates.look('')"
        (searched)="candidates.look($event)"
      />
    }
  `,
  styles: `
    rule-select {
      width: 100%;
    }
  `,
})
export class SheetModel {
  private readonly store = inject(TitleBlocksStore);
  protected readonly mayEdit = inject(Store).selectSignal(sessionFeature.selectMayEdit);
  readonly view = input.required<BlockView>();
  protected readonly candidates = new FileChoices(['part', 'assembly', 'other']);
  /** The current model and search results. */
  protected readonly models = computed(() => {
    const { file, path } = this.view().model;
    const found = this.candidates.files();
    const present = file !== null && path !== null && !found.some((candidate) => candidate.id === file) ? [{ id: file, path }] : [];
    return [...present, ...found];
  });
  protected readonly words = computed(() => {
    const { model, sheets } = this.view();
    if (model.settled) return "Set for this sheet only. Clear it to use the drawing's model again.";
    const whom = sheets > 1 ? ' Choosing one here sets it for this sheet only.' : ' Choosing one sets it for the drawing.';
    if (model.match.state === 'matched') return `The model that the drawing shows.${whom}`;
    return model.match.state === 'ambiguous'
      ? `More than one file could be it.${whom}`
      : `Neither the drawing's own property nor its file name leads to one.${whom}`;
  });

  protected settle(model: number | null): void {
    const { file, layout, sheets, model: fed, holder } = this.view();
    const whole = sheets <= 1 && !fed.settled;
    this.store.settle({ file: file.id, layout: whole ? null : layout, model, done: () => this.store.show({ file: file.id, holder }) });
  }
}
