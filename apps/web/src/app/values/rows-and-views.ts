import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { GroupBy } from '@rule/contract';
import { InnerLevel, Property } from '@rule/core/schema';
import { RuleOption, RuleSelect } from '../kit';
import { ColumnsStore } from './columns.store';
import { LEVEL_WORDS } from './grid';

/** What the rows of the grid are and how they are grouped, and the views that were kept. */
@Component({
  selector: 'rule-rows-and-views',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RuleOption, RuleSelect],
  template: `
    @if (levels().length) {
      <label class="tool">
        <span>Rows</span>
        <rule-select [ngModel]="level() ?? ''" (ngModelChange)="go.emit({ rows: $event || null, sort: null, desc: null })">
          <rule-option value="" label="files" />
          @for (one of levels(); track one) {
            <rule-option [value]="one" label="{{ levelWords[one][1] }}" />
          }
        </rule-select>
      </label>
    }
    @if (!level()) {
      <label class="tool">
        <span>Group by</span>
        <rule-select [ngModel]="group() ?? ''" (ngModelChange)="go.emit({ group: $event || null })">
          <rule-option value="" label="nothing" />
          <rule-option value="folder" label="folder" />
          <rule-option value="class" label="class" />
          <rule-option value="kind" label="kind" />
          @for (property of properties(); track property.id) {
            <rule-option [value]="property.id" label="{{ property.caption }}" />
          }
        </rule-select>
      </label>
    }
    <label class="tool">
      <span>View</span>
      <rule-select acts [ngModel]="''" (ngModelChange)="useView($event)">
        <rule-option value="" label="{{ columns.views().length ? 'choose …' : 'none kept yet' }}" />
        @for (kept of columns.views(); track kept.id) {
          <rule-option [value]="kept.id" label="{{ kept.name }}{{ kept.mine ? '' : ', by ' + kept.by }}" />
        }
      </rule-select>
    </label>
  `,
  styles: `
    :host {
      display: contents;
    }
    .tool {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
  `,
})
export class RowsAndViews {
  protected readonly columns = inject(ColumnsStore);
  /** Levels that rows can be of, beside files. */
  readonly levels = input.required<readonly InnerLevel[]>();
  readonly level = input<InnerLevel | undefined>();
  readonly group = input<GroupBy | undefined>();
  /** Properties by which rows can be grouped. */
  readonly properties = input.required<readonly Property[]>();
  /** Changes of the address. */
  readonly go = output<Record<string, string | number | null>>();
  protected readonly levelWords = LEVEL_WORDS;

  protected useView(id: string): void {
    const kept = this.columns.views().find((candidate) => candidate.id === Number(id));
    if (!kept) return;
    const { sort, descending, group, level, filter } = kept.content;
    this.columns.use(kept.content);
    this.go.emit({
      sort: sort === 'file' ? null : sort,
      desc: descending ? '1' : null,
      group,
      rows: level ?? null,
      folder: filter.folder ?? null,
      kind: filter.kind ?? null,
      class: filter.class ?? null,
      search: filter.search ?? null,
      where: filter.where?.length ? JSON.stringify(filter.where) : null,
    });
  }
}
