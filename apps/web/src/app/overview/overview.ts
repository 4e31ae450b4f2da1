import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { EChartsCoreOption } from 'echarts/core';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { asHtml, chartBase, echarts, themeColour } from '../charts';
import { RuleWaiting } from '../kit/waiting';
import { RuleSelect } from '../kit/select';
import { Bench, CatalogueActions, catalogueFeature, Count, Way } from '../shared';

/** The Overview station: completeness and open tasks. */
@Component({
  selector: 'rule-overview-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleWaiting, Bench, Count, FormsModule, NgxEchartsDirective, RouterLink, RuleSelect, Way],
  providers: [provideEchartsCore({ echarts })],
  template: `
    <rule-bench label="Overview" [index]="false">
      @if (overview(); as o) {
        <div class="head">
          <div>
            <h1>Progress</h1>
            <p>
              {{ o.files | count: 'file' }}, {{ o.properties | count: 'property' }} in the schema{{
                o.unread ? ', ' + (o.unread | count: 'file') + ' could not be read' : ''
              }}
            </p>
          </div>
        </div>
        @if (o.files === 0) {
          <p class="note">No files yet. <a routerLink="/survey">Register a library in Survey</a>: a folder on the server that holds STEP and DXF files.</p>
        }
        <div class="columns">
          <section class="card chart">
            <h2>Share of files that hold a value, by property</h2>
            <p class="soft">Of the files that a property applies to. Click a bar to trace the property.</p>
            <div echarts [options]="chart()" [style.height.px]="height()" (chartClick)="chosen($event)" role="img" [attr.aria-label]="summary()"></div>
          </section>
          <section class="card todo">
            <h2>To do</h2>
            @for (item of o.toDo; track item.text) {
              <a [routerLink]="['/', item.station]" [queryParams]="{ view: item.view, finding: item.finding }"
                ><b>{{ item.count }}</b
                ><span>{{ item.text }}</span></a
              >
            } @empty {
              <p class="soft">Nothing is open.</p>
            }
          </section>
        </div>
      } @else {
        <h1>Progress</h1>
        <rule-waiting />
      }
      <div bench="inspector">
        <div class="field">
          <span id="o-property">Property</span>
          <rule-select
            labelledBy="o-property"
            [options]="choices()"
            optionLabel="label"
            optionValue="value"
            placeholder="choose one here or in the chart"
            [ngModel]="property()"
            (ngModelChange)="property.set($event)"
          />
        </div>
        @if (property() !== null) {
          <rule-way [property]="property()" />
        } @else {
          <p class="soft">The trace of a property shows where it is defined, which files hold it, and which cells, columns and fields use it.</p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1.7fr) minmax(220px, 1fr);
      gap: 16px;
      align-items: start;
    }
    section {
      padding: 14px 16px;
    }
    .chart p {
      margin: -4px 0 4px;
    }
    .todo a {
      display: grid;
      grid-template-columns: 40px 1fr;
      gap: 10px;
      padding: 7px 0;
      border-top: 1px solid var(--row);
      color: var(--ink);
      text-decoration: none;
      align-items: baseline;
    }
    .todo a:hover span {
      text-decoration: underline;
    }
    .todo b {
      font:
        600 18px 'Barlow Semi Condensed',
        sans-serif;
      text-align: right;
      color: var(--brass-ink);
    }
  `,
})
export class OverviewStation {
  private readonly store = inject(Store);
  protected readonly overview = this.store.selectSignal(catalogueFeature.selectOverview);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  protected readonly property = signal<number | null>(null);
  protected readonly choices = computed(() => this.properties().map(({ id, caption }) => ({ value: id, label: caption })));

  /** Filled, stand-in and blank shares over all kinds of a property. Properties above or inside files have none. */
  private readonly rows = computed(() =>
    this.properties().flatMap((property) => {
      const entries = (this.overview()?.coverage ?? []).filter((entry) => entry.property === property.id);
      if (entries.length === 0) return [];
      const sum = (key: 'files' | 'filled' | 'standIns' | 'blank') => entries.reduce((total, entry) => total + entry[key], 0);
      return [{ property, files: sum('files'), filled: sum('filled'), standIns: sum('standIns'), blank: sum('blank') }];
    }),
  );
  protected readonly height = computed(() => 40 + 26 * this.rows().length);
  protected readonly summary = computed(() =>
    this.rows()
      .map((row) => `${row.property.caption}: ${row.filled} of ${row.files} filled`)
      .join('; '),
  );
  protected readonly chart = computed<EChartsCoreOption>(() => {
    const rows = [...this.rows()].reverse();
    const share = (n: number, of: number) => (of === 0 ? 0 : Math.round((1000 * n) / of) / 10);
    const bar = (name: string, key: 'filled' | 'standIns' | 'blank', tone: string) => ({
      name,
      type: 'bar',
      stack: 'files',
      barWidth: 14,
      itemStyle: { color: themeColour(tone) },
      data: rows.map((row) => ({ value: share(row[key], row.files), count: row[key], files: row.files })),
    });
    return {
      ...chartBase(),
      grid: { left: 118, right: 24, top: 30, bottom: 22 },
      legend: { top: 0, left: 0, textStyle: { color: themeColour('--soft') }, itemWidth: 12, itemHeight: 10 },
      tooltip: {
        ...chartBase().tooltip,
        formatter: (p: { name: string; seriesName: string; data: { count: number; files: number } }) =>
          `${asHtml(p.name)}: ${p.data.count} of ${p.data.files} files ${p.seriesName}`,
      },
      xAxis: {
        type: 'value',
        max: 100,
        axisLabel: { formatter: '{value} %', color: themeColour('--soft') },
        splitLine: { lineStyle: { color: themeColour('--row') } },
      },
      yAxis: {
        type: 'category',
        data: rows.map((row) => row.property.caption),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: themeColour('--ink') } },
        axisLabel: { color: themeColour('--ink') },
      },
      series: [bar('filled', 'filled', '--verdigris'), bar('stand-in', 'standIns', '--brass'), bar('blank', 'blank', '--line')],
    };
  });

  constructor() {
    this.store.dispatch(CatalogueActions.recount());
  }

  /** Captions may repeat, so bars are identified by index; the chart lists them bottom-up. */
  protected chosen(event: { dataIndex?: number }): void {
    const row = event.dataIndex === undefined ? undefined : this.rows().at(-1 - event.dataIndex);
    if (row) this.property.set(row.property.id);
  }
}
