import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { COVERAGE_BY, COVERAGE_OF, CoverageBy, CoverageOf, FileFilter } from '@rule/contract';
import { count } from '@rule/core/words';
import type { EChartsCoreOption } from 'echarts/core';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { asHtml, chartBase, echarts, themeColour } from '../charts';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { ExactName } from '../shared';
import { CoverageStore } from './answers.store';

/** A cell of the map: a name or record field for one kind, class, folder or level. */
export interface CoverageCell {
  readonly of: CoverageOf;
  readonly name: string;
  readonly by: CoverageBy;
  readonly key: string;
}

const ORDERS = ['by name', 'fullest first', 'emptiest first', 'most files first'] as const;
type Order = (typeof ORDERS)[number];

/** Coverage as heat map or table; cells lead to files. */
@Component({
  selector: 'rule-coverage',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleWaiting, RuleOption, RuleSelect, ExactName, FormsModule, NgxEchartsDirective, RuleCheck],
  providers: [CoverageStore, provideEchartsCore({ echarts })],
  template: `
    <div class="bar">
      @if (records()) {
        <label
          >Coverage of
          <rule-select name="of" [ngModel]="of()" (ngModelChange)="choose($event)">
            @for (choice of ofs; track choice) {
              <rule-option [value]="choice" label="{{ choice }}" />
            }</rule-select
        ></label>
      }
      <label
        >By
        <rule-select name="by" [ngModel]="by()" (ngModelChange)="by.set($event)">
          @for (choice of bys(); track choice) {
            <rule-option [value]="choice" label="{{ choice }}" />
          }</rule-select
      ></label>
      <label
        >Order
        <rule-select name="order" [ngModel]="order()" (ngModelChange)="order.set($event)">
          @for (choice of orders; track choice) {
            <rule-option [value]="choice" label="{{ choice }}" />
          }</rule-select
      ></label>
      <label
        >of
        <rule-select name="column" [ngModel]="column()" (ngModelChange)="column.set($event)">
          <rule-option value="" label="all columns" />
          @for (entry of store.answer()?.columns ?? []; track entry.key) {
            <rule-option [value]="entry.key" label="{{ entry.label }}" />
          }</rule-select
      ></label>
      <label><rule-check [checked]="asTable()" (flip)="asTable.set($event)" /> as a table</label>
    </div>
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (store.answer(); as c) {
      @if (rows().length === 0 || c.columns.length === 0) {
        <p class="note">{{ of() === 'names' ? 'No file here has properties.' : 'No file here has a record in the vault.' }}</p>
      } @else if (asTable()) {
        <div class="card scroll">
          <rule-table label="Coverage" [rows]="rows()" key="name">
            <ng-container *ruleColumn="let row of rows(); name: of() === 'names' ? 'Written name' : 'Record field'; by: 'name'">
              <rule-exact-name [name]="row.name" />
            </ng-container>
            @for (entry of c.columns; track entry.key; let i = $index) {
              <ng-container *ruleColumn="let row of rows(); name: entry.label + ' (' + entry.files + ')'; num: true">
                <button
                  type="button"
                  class="link"
                  [attr.aria-label]="row.name + ', ' + entry.label + ': ' + row.cells[i]!.filled + ' of ' + entry.files + ' filled'"
                  (click)="open.emit({ of: of(), name: row.name, by: by(), key: entry.key })"
                >
                  {{ percent(row.cells[i]!.filled, entry.files) }}
                </button>
              </ng-container>
            }
          </rule-table>
        </div>
      } @else {
        <div
          class="card map"
          echarts
          [options]="chart()"
          [style.height.px]="height()"
          (chartClick)="clicked($event)"
          role="img"
          [attr.aria-label]="summary()"
        ></div>
      }
      <p class="soft">
        {{
          of() === 'names' ? 'A file counts as filled when it has a value that is not a stand-in.' : 'Only files that have a record in the vault are counted.'
        }}
        Click a field to see its files.
      </p>
    } @else {
      <rule-waiting />
    }
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      gap: 16px;
      align-items: center;
      margin-bottom: 12px;
    }
    .map {
      min-height: 120px;
    }
    .scroll {
      overflow: auto;
      max-height: 66vh;
    }
  `,
})
export class CoverageMap {
  protected readonly store = inject(CoverageStore);
  readonly filter = input.required<FileFilter>();
  /** Incremented when files may have changed. */
  readonly turn = input(0);
  /** Whether files have vault records. */
  readonly records = input(false);
  readonly open = output<CoverageCell>();
  protected readonly ofs = COVERAGE_OF;
  protected readonly of = signal<CoverageOf>('names');
  protected readonly bys = computed(() => COVERAGE_BY.filter((by) => this.of() === 'names' || by !== 'level'));
  protected readonly orders = ORDERS;
  protected readonly by = signal<CoverageBy>('kind');
  protected readonly order = signal<Order>('by name');
  protected readonly column = signal('');
  protected readonly asTable = signal(false);

  constructor() {
    effect(() => {
      const [of, by, filter] = [this.of(), this.by(), this.filter()];
      this.turn();
      untracked(() => {
        this.column.set('');
        this.store.ask({ of, by, filter });
      });
    });
  }

  protected choose(of: CoverageOf): void {
    if (of !== 'names' && this.by() === 'level') this.by.set('kind');
    this.of.set(of);
  }

  protected readonly rows = computed(() => {
    const coverage = this.store.answer();
    if (!coverage) return [];
    const at = coverage.columns.findIndex((entry) => entry.key === this.column());
    const seen = coverage.columns.flatMap((_, i) => (at < 0 || i === at ? [i] : []));
    const files = seen.reduce((sum, i) => sum + coverage.columns[i]!.files, 0) || 1;
    const measured = coverage.rows.map((row) => ({
      row,
      filled: seen.reduce((sum, i) => sum + row.cells[i]!.filled, 0) / files,
      files: seen.reduce((sum, i) => sum + row.cells[i]!.files, 0),
    }));
    const order = this.order();
    if (order === 'fullest first') measured.sort((a, b) => b.filled - a.filled);
    if (order === 'emptiest first') measured.sort((a, b) => a.filled - b.filled);
    if (order === 'most files first') measured.sort((a, b) => b.files - a.files);
    return measured.map(({ row }) => row);
  });
  /** Visible rows; the rest scrolls. */
  protected readonly height = computed(() => 60 + 24 * Math.min(this.rows().length, 20));
  protected readonly summary = computed(
    () => `${count(this.rows().length, this.of() === 'names' ? 'name' : 'record field')} by ${this.by()}. The table has the same figures.`,
  );

  protected percent(filled: number, files: number): string {
    return files === 0 ? '–' : `${Math.round((100 * filled) / files)} %`;
  }

  protected readonly chart = computed<EChartsCoreOption>(() => {
    const columns = this.store.answer()?.columns ?? [];
    const rows = this.rows();
    const label = (name: string) => name.replace(/^ +| +$/g, (blanks) => '·'.repeat(blanks.length));
    const base = chartBase();
    return {
      ...base,
      grid: { left: 190, right: rows.length > 20 ? 44 : 20, top: 34, bottom: 12 },
      tooltip: {
        ...base.tooltip,
        formatter: ({ data }: { data: { value: [number, number, number] } }) => {
          const [x, y] = data.value;
          const cell = rows[y]!.cells[x]!;
          return `${asHtml(label(rows[y]!.name))}, ${asHtml(columns[x]!.label)}<br>${cell.filled} of ${columns[x]!.files} filled${cell.standIns ? `, ${cell.standIns} stand-ins` : ''}`;
        },
      },
      xAxis: {
        type: 'category',
        position: 'top',
        data: columns.map((entry) => entry.label),
        axisTick: { show: false },
        axisLine: { show: false },
        axisLabel: { color: themeColour('--ink'), interval: 0, width: Math.max(46, 560 / Math.max(1, columns.length)), overflow: 'truncate' },
      },
      yAxis: {
        type: 'category',
        inverse: true,
        data: rows.map((row) => label(row.name)),
        axisTick: { show: false },
        axisLine: { show: false },
        axisLabel: { color: themeColour('--ink'), width: 176, overflow: 'truncate' },
      },
      dataZoom:
        rows.length > 20
          ? [
              {
                type: 'slider',
                yAxisIndex: 0,
                startValue: 0,
                endValue: 19,
                width: 12,
                right: 12,
                showDetail: false,
                borderColor: 'transparent',
                fillerColor: themeColour('--brass-tint'),
              },
              { type: 'inside', yAxisIndex: 0, zoomOnMouseWheel: false, moveOnMouseWheel: true },
            ]
          : [],
      visualMap: {
        show: false,
        min: 0,
        max: 100,
        inRange: { color: [themeColour('--panel'), themeColour('--verdigris')], colorAlpha: [1, 0.75] },
      },
      series: [
        {
          type: 'heatmap',
          data: rows.flatMap((row, y) =>
            row.cells.map((cell, x) => ({
              value: [x, y, columns[x]!.files === 0 ? 0 : Math.round((100 * cell.filled) / columns[x]!.files)],
              itemStyle: { borderColor: themeColour('--vellum'), borderWidth: 2 },
            })),
          ),
          label: {
            show: columns.length <= 14,
            color: themeColour('--ink'),
            formatter: ({ data }: { data: { value: [number, number, number] } }) => {
              const cell = rows[data.value[1]]!.cells[data.value[0]]!;
              return cell.files === 0 ? '' : `${data.value[2]} %${cell.standIns ? ' *' : ''}`;
            },
          },
        },
      ],
    };
  });

  protected clicked(event: unknown): void {
    const [x, y] = (event as { data?: { value?: [number, number, number] } }).data?.value ?? [];
    const [row, column] = [this.rows()[y ?? -1], this.store.answer()?.columns[x ?? -1]];
    if (row && column) this.open.emit({ of: this.of(), name: row.name, by: this.by(), key: column.key });
  }
}
