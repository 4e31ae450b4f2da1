import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FileFilter } from '@rule/contract';
import { CleanUp, ValueCount, readQuantity } from '@rule/core/survey';
import { convert, findUnit, plainNumber } from '@rule/core/values';
import type { EChartsCoreOption } from 'echarts/core';
import { NgxEchartsDirective, provideEchartsCore } from 'ngx-echarts';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { chartBase, echarts, themeColour } from '../charts';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable, RuleWaiting } from '../kit';
import { Count, ExactName } from '../shared';
import { FoundValuesStore } from './answers.store';

const BINS = 12;
const TOP = 14;

/** A histogram bar. */
export interface Bar {
  readonly label: string;
  readonly files: number;
  readonly standIn: boolean;
}

/** Bars: equal bins for numbers; otherwise the most frequent values and a rest. */
export function barsOf(values: readonly ValueCount[]): Bar[] {
  const real = values.filter((value) => value.text !== '' && !value.standIn);
  const unit = real.find((value) => value.unit)?.unit ?? null;
  const numbers = real.flatMap((value) => {
    const quantity = value.form === 'text' ? readQuantity(value.text) : { number: value.text, unit: value.unit };
    if (!quantity || !Number.isFinite(Number(quantity.number))) return [];
    const n = Number(quantity.number);
    const same = quantity.unit && unit && findUnit(quantity.unit)?.quantity === findUnit(unit)?.quantity;
    return [{ n: same ? convert(n, quantity.unit, unit) : n, files: value.files }];
  });
  if (numbers.length > TOP && numbers.length >= 0.8 * real.length) {
    const [low, high] = [Math.min(...numbers.map((entry) => entry.n)), Math.max(...numbers.map((entry) => entry.n))];
    const width = (high - low) / BINS || 1;
    const bars = Array.from({ length: BINS }, (_, i) => ({
      label: `${plainNumber(Number((low + i * width).toPrecision(3)))} – ${plainNumber(Number((low + (i + 1) * width).toPrecision(3)))}${unit ? ` ${unit}` : ''}`,
      files: 0,
      standIn: false,
    }));
    for (const { n, files } of numbers) bars[Math.min(BINS - 1, Math.floor((n - low) / width))]!.files += files;
    return bars;
  }
  const listed = [...values].filter((value) => value.text !== '').sort((a, b) => b.files - a.files);
  const bars = listed.slice(0, TOP).map(({ text, unit: own, files, standIn }) => ({ label: own ? `${text} ${own}` : text, files, standIn }));
  const rest = listed.slice(TOP).reduce((sum, value) => sum + value.files, 0);
  return rest ? [...bars, { label: `${listed.length - TOP} others`, files: rest, standIn: false }] : bars;
}

/** Values of one name: frequency, probable synonyms, outliers. */
@Component({
  selector: 'rule-values-of',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleColumn,
    RuleTable,
    RuleWaiting,
    RuleOption,
    RuleSelect,
    ButtonModule,
    Count,
    ExactName,
    FormsModule,
    InputTextModule,
    NgxEchartsDirective,
    RuleCheck,
  ],
  providers: [FoundValuesStore, provideEchartsCore({ echarts })],
  template: `
    <label class="field pick"
      ><span>Written name</span
      ><rule-select name="name" [ngModel]="name()" (ngModelChange)="nameChange.emit($event)">
        @for (choice of names(); track choice) {
          <rule-option [value]="choice" label="{{ choice }}" />
        }</rule-select
    ></label>
    @if (store.error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else if (store.answer(); as f) {
      <p class="soft">In {{ f.files | count: 'file' }}: {{ f.distinct | count: 'different value' }}, {{ f.blank }} empty, {{ f.standIns }} with a stand-in.</p>
      <div class="columns">
        <section class="card">
          <h2>How often</h2>
          @if (bars().length) {
            <div echarts [options]="chart()" [style.height.px]="24 + 22 * bars().length" role="img" [attr.aria-label]="summary()"></div>
          } @else {
            <p class="soft">No file has a value.</p>
          }
        </section>
        <section class="card">
          <h2>What stands out</h2>
          @if (nothing()) {
            <p class="soft">No mixed types or units, unusual forms, stand-ins or defaults.</p>
          }
          @if (mixed(); as text) {
            <p><b>Mixed types:</b> {{ text }}.</p>
          }
          @if (f.picture.units.length > 1) {
            <p>
              <b>Several units:</b>
              @for (unit of f.picture.units; track unit.unit) {
                {{ unit.unit || 'none' }} in {{ unit.files }}{{ $last ? '.' : ', ' }}
              }
              <button
                type="button"
                class="link"
                (click)="act.emit({ do: 'convert', name: f.name, unit: f.picture.units[0]!.unit || f.picture.units[1]!.unit })"
              >
                Convert …
              </button>
            </p>
          }
          @if (f.picture.unreadable.length) {
            <p>
              <b>Not a {{ f.picture.unreadable[0]!.wanted }}, where nearly all are:</b>
            </p>
            <ul>
              @for (entry of f.picture.unreadable; track entry.text) {
                <li>
                  <button type="button" class="link mono" (click)="files.emit(entry.text)">{{ entry.text }}</button> {{ entry.files }}×
                  <button type="button" class="link" (click)="replace([entry.text], entry.text)">replace …</button>
                </li>
              }
            </ul>
          }
          @if (f.picture.outliers.length) {
            <p><b>Of an unusual form</b> (most read {{ f.picture.patterns[0]?.pattern }}):</p>
            <ul>
              @for (entry of f.picture.outliers.slice(0, 30); track entry.text) {
                <li>
                  <button type="button" class="link mono" (click)="files.emit(entry.text)">{{ entry.text }}</button> {{ entry.files }}×
                  <button type="button" class="link" (click)="replace([entry.text], entry.text)">replace …</button>
                </li>
              }
            </ul>
          }
          @if (f.leftIn.length) {
            <p><b>Defaults left in:</b></p>
            <ul>
              @for (entry of f.leftIn; track entry.text) {
                <li>
                  <button type="button" class="link mono" (click)="files.emit(entry.text)">{{ entry.text }}</button> {{ entry.files }}×
                </li>
              }
            </ul>
          }
        </section>
      </div>
      @if (f.picture.clusters.length) {
        <section class="card">
          <h2>Values that probably mean the same</h2>
          <rule-table label="Values written differently" [rows]="f.picture.clusters" key="to">
            <ng-container *ruleColumn="let cluster of f.picture.clusters; name: 'Values'">
              @for (value of cluster.values; track value) {
                <span class="chip mono" [class.good]="value === cluster.to">{{ dots(value) }}</span>&ngsp;
              }
            </ng-container>
            <ng-container *ruleColumn="let cluster of f.picture.clusters; name: 'Why'">
              {{ cluster.reason }}
              @if (cluster.careful) {
                <span class="warn">contains digits: check it</span>
              }
            </ng-container>
            <ng-container *ruleColumn="let cluster of f.picture.clusters; name: 'Files'; num: true; by: 'files'">{{ cluster.files }}</ng-container>
            <ng-container *ruleColumn="let cluster of f.picture.clusters; said: 'Actions'">
              <button type="button" class="link" [attr.aria-label]="'Make them one …: ' + cluster.to" (click)="replace(cluster.values, cluster.to)">
                Make them one …
              </button>
            </ng-container>
          </rule-table>
        </section>
      }
      <section class="card">
        <div class="top">
          <h2>All values</h2>
          <input pInputText placeholder="Narrow the list" aria-label="Narrow the list of values" [ngModel]="text()" (ngModelChange)="text.set($event)" />
          <p-button
            severity="secondary"
            size="small"
            [label]="'Replace ' + ticked().size + ' by one …'"
            [disabled]="!ticked().size"
            (onClick)="replace([...ticked()], [...ticked()][0]!)"
          />
        </div>
        @if (f.distinct > f.values.length) {
          <p class="soft">The {{ f.values.length }} most frequent of {{ f.distinct }} are listed and looked at.</p>
        }
        <rule-table label="Values" [rows]="listed()" key="text" virtual height="38vh">
          <ng-container *ruleColumn="let value of listed(); said: 'Chosen'; width: '30px'; look: 'box'">
            <rule-check [ariaLabel]="'Choose ' + value.text" [checked]="ticked().has(value.text)" (flip)="tick(value.text)" />
          </ng-container>
          <ng-container *ruleColumn="let value of listed(); name: 'Value'; by: 'text'; tip: 'text'; look: 'mono'; width: 'minmax(160px, 3fr)'">
            <rule-exact-name [name]="value.text" /> {{ value.unit ?? '' }}
          </ng-container>
          <ng-container *ruleColumn="let value of listed(); name: 'Files'; by: 'files'; num: true; width: '60px'">{{ value.files }}</ng-container>
          <ng-container *ruleColumn="let value of listed(); said: 'Its files'; width: 'minmax(120px, 1fr)'">
            @if (value.standIn) {
              <span class="chip warn">stand-in</span>&ngsp;
            }
            <button type="button" class="link" (click)="files.emit(value.text)">files</button>
          </ng-container>
        </rule-table>
      </section>
    } @else {
      <rule-waiting />
    }
  `,
  styles: `
    .pick {
      max-width: 360px;
    }
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr);
      gap: 14px;
      align-items: start;
    }
    ul {
      margin: 2px 0 8px;
      padding-left: 18px;
      max-height: 150px;
      overflow: auto;
    }
    section p {
      margin: 2px 0;
    }
    .top {
      display: flex;
      gap: 12px;
      align-items: center;
    }
    .top h2 {
      margin: 0;
    }
  `,
})
export class ValuesOf {
  protected readonly store = inject(FoundValuesStore);
  readonly name = input.required<string>();
  readonly names = input.required<readonly string[]>();
  readonly filter = input.required<FileFilter>();
  readonly turn = input(0);
  readonly nameChange = output<string>();
  readonly act = output<CleanUp>();
  /** Requests files holding a value. */
  readonly files = output<string>();
  protected readonly ticked = signal<ReadonlySet<string>>(new Set());
  protected readonly text = signal('');

  constructor() {
    effect(() => {
      const [name, filter] = [this.name(), this.filter()];
      this.turn();
      untracked(() => {
        this.ticked.set(new Set());
        this.store.ask({ name, filter });
      });
    });
  }

  protected readonly mixed = computed(() => {
    const entries = Object.entries(this.store.answer()?.picture.byType ?? {}).filter(([, files]) => files > 0);
    return entries.length < 2 ? '' : entries.map(([type, files]) => `${type} in ${files}`).join(', ');
  });
  protected readonly nothing = computed(() => {
    const found = this.store.answer();
    return (
      found && !this.mixed() && found.picture.units.length < 2 && !found.picture.unreadable.length && !found.picture.outliers.length && !found.leftIn.length
    );
  });
  protected readonly listed = computed(() => {
    const wanted = this.text().toLowerCase();
    return (this.store.answer()?.values ?? []).filter((value) => value.text.toLowerCase().includes(wanted));
  });
  protected readonly bars = computed(() => barsOf(this.store.answer()?.values ?? []));
  protected readonly summary = computed(() =>
    this.bars()
      .map((bar) => `${bar.label}: ${bar.files}`)
      .join('; '),
  );
  protected readonly chart = computed<EChartsCoreOption>(() => {
    const bars = this.bars();
    return {
      ...chartBase(),
      grid: { left: 150, right: 40, top: 4, bottom: 4 },
      xAxis: { type: 'value', show: false },
      yAxis: {
        type: 'category',
        inverse: true,
        data: bars.map((bar) => this.dots(bar.label)),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: themeColour('--ink') } },
        axisLabel: { color: themeColour('--ink'), width: 138, overflow: 'truncate' },
      },
      series: [
        {
          type: 'bar',
          barWidth: 13,
          data: bars.map((bar) => ({ value: bar.files, itemStyle: { color: themeColour(bar.standIn ? '--brass' : '--verdigris') } })),
          label: { show: true, position: 'right', color: themeColour('--soft') },
        },
      ],
    };
  });

  /** Marks leading, trailing and double spaces as dots. */
  protected dots(text: string): string {
    return text.replace(/^ +| +$| {2,}/g, (blanks) => '·'.repeat(blanks.length));
  }
  protected tick(text: string): void {
    const next = new Set(this.ticked());
    if (!next.delete(text)) next.add(text);
    this.ticked.set(next);
  }
  protected replace(values: readonly string[], by: string): void {
    // The name of the displayed values; another may be loading.
    this.act.emit({ do: 'replace', name: this.store.answer()!.name, values: [...values], by });
  }
}
