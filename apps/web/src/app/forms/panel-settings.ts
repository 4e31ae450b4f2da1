import { ChangeDetectionStrategy, Component, booleanAttribute, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FormPanel, PANEL_COLUMNS, Property, columnsOf } from '@rule/core/schema';
import { RuleSelect } from '../kit';
import { ConditionEditor } from './condition-editor';

/** Settings of a panel, opened in its place. */
@Component({
  selector: 'rule-panel-settings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionEditor, FormsModule, RuleSelect],
  template: `
    <label class="field">
      <span>Title</span>
      <input class="p-inputtext" [disabled]="disabled()" [value]="panel().title" (input)="edited.emit({ title: $any($event.target).value })" />
    </label>
    <div class="field">
      <span [id]="'form-columns-' + panel().key">Columns</span>
      <rule-select
        [labelledBy]="'form-columns-' + panel().key"
        [options]="columnCounts"
        [disabled]="disabled()"
        [ngModel]="columnsOf(panel())"
        (ngModelChange)="divide($event)"
      />
    </div>
    <rule-condition-editor
      title="Shown when"
      [label]="'Shown when, panel ' + panel().title"
      [properties]="properties()"
      [value]="panel().shownWhen"
      [disabled]="disabled()"
      (changed)="edited.emit({ shownWhen: $event })"
    />
    @if (!disabled()) {
      <div class="actions">
        @if (!alone()) {
          <button type="button" class="link" (click)="removed.emit()">Remove panel{{ panel().inputs.length ? ' and its inputs' : '' }}</button>
        }
        <button type="button" class="link" (click)="closed.emit()">Close settings</button>
      </div>
    }
  `,
  styles: `
    :host {
      display: block;
      border-left: 3px solid var(--brass);
      background: var(--side);
      padding: 10px 14px;
      margin-bottom: 10px;
    }
    .field {
      max-width: 420px;
    }
    input {
      width: 100%;
    }
  `,
})
export class PanelSettings {
  readonly panel = input.required<FormPanel>();
  readonly properties = input.required<readonly Property[]>();
  /** Whether it is the only panel, which cannot be removed. */
  readonly alone = input(false, { transform: booleanAttribute });
  readonly disabled = input(false, { transform: booleanAttribute });
  readonly edited = output<Partial<FormPanel>>();
  readonly removed = output();
  readonly closed = output();
  protected readonly columnsOf = columnsOf;
  protected readonly columnCounts = Array.from({ length: PANEL_COLUMNS }, (_, i) => i + 1);

  /** Inputs wider than their panel take its full width. */
  protected divide(columns: number): void {
    this.edited.emit({ columns, inputs: this.panel().inputs.map((entry) => ({ ...entry, width: Math.min(entry.width, columns) })) });
  }
}
