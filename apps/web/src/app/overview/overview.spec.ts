import { Component, Directive, input, output } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { Overview } from '@rule/contract';
import { Store } from '@ngrx/store';
import { NgxEchartsDirective } from 'ngx-echarts';
import { Stage, property } from '../../test/stage';
import { CatalogueActions, Way } from '../shared';
import { OverviewStation } from './overview';

interface Bars {
  readonly yAxis: { readonly data: readonly string[] };
  readonly series: readonly { readonly name: string; readonly data: readonly { readonly value: number; readonly count: number; readonly files: number }[] }[];
  readonly tooltip: { readonly formatter: (at: object) => string };
}

@Component({ selector: 'rule-way', template: 'the way of {{ property() }}' })
class PlainWay {
  readonly property = input<number | null>(null);
}

/** jsdom has no canvas: input and text alternative suffice. */
@Directive({ selector: '[echarts]' })
class PlainChart {
  readonly options = input<Bars>();
  readonly chartClick = output<unknown>();
}

const PROPERTIES = [
  property(1, 'Part number'),
  property(2, 'Material', { caption: '<b>Material</b>' }),
  property(3, 'Made of', { caption: '<b>Material</b>' }),
  property(4, 'Customer'),
  property(5, 'Old', { retired: true }),
];
const share = (id: number, kind: string, files: number, filled: number, standIns = 0) => ({
  property: id,
  kind,
  files,
  filled,
  standIns,
  blank: files - filled - standIns,
});
const OVERVIEW = {
  files: 63,
  properties: 4,
  unread: 2,
  coverage: [share(1, 'part', 6, 6), share(1, 'drawing', 3, 0), share(2, 'part', 8, 5, 1), share(3, 'part', 0, 0), share(5, 'part', 9, 9)],
  toDo: [
    { station: 'values', count: 157, text: '157 required values are missing', view: 'to-dos' },
    { station: 'bom', count: 2, text: '2 parts in assemblies have no part file yet' },
  ],
} as unknown as Overview;

async function staged(overview: Overview | null = OVERVIEW) {
  TestBed.overrideComponent(OverviewStation, { remove: { imports: [NgxEchartsDirective, Way] }, add: { imports: [PlainChart, PlainWay] } });
  const stage = new Stage({}, { properties: PROPERTIES });
  if (overview) TestBed.inject(Store).dispatch(CatalogueActions.counted({ overview }));
  await stage.show(OverviewStation);
  const chart = () => stage.fixture.debugElement.query((node) => (node.nativeElement as HTMLElement).hasAttribute?.('echarts')).injector.get(PlainChart);
  return { stage, chart };
}

describe('the overview', () => {
  it('shows the share of files that hold each property, over all kinds it applies to, and says it in words', async () => {
    const { stage, chart } = await staged();
    const { yAxis, series } = chart().options()!;
    // The first property is at the top, the end of an axis. Properties not held by files, or retired, have no bar.
    expect(yAxis.data).toEqual(['<b>Material</b>', '<b>Material</b>', 'Part number']);
    expect(series.map(({ name, data }) => [name, data.map((bar) => bar.value)])).toEqual([
      ['filled', [0, 62.5, 66.7]],
      ['stand-in', [0, 12.5, 0]],
      ['blank', [0, 25, 33.3]],
    ]);
    expect(stage.page.querySelector('[role=img]')!.getAttribute('aria-label')).toBe(
      'Part number: 6 of 9 filled; <b>Material</b>: 5 of 8 filled; <b>Material</b>: 0 of 0 filled',
    );
    expect(stage.text('.head p')).toBe('63 files, 4 properties in the schema, 2 files could not be read');
  });

  it('takes a caption for a text, whatever it holds', async () => {
    const { chart } = await staged();
    const at = { name: '<b>Material</b>', seriesName: 'filled', data: { count: 5, files: 8 } };
    expect(chart().options()!.tooltip.formatter(at)).toBe('&#60;b&#62;Material&#60;/b&#62;: 5 of 8 files filled');
  });

  it('takes the bar that was clicked, also where another has its caption', async () => {
    const { stage, chart } = await staged();
    for (const [bar, id] of [
      [0, 3],
      [1, 2],
      [2, 1],
    ] as const) {
      chart().chartClick.emit({ name: '<b>Material</b>', dataIndex: bar });
      await stage.settled();
      expect(stage.text('rule-way')).toBe(`the way of ${id}`);
    }
    // A click beside the bars selects nothing.
    chart().chartClick.emit({});
    await stage.settled();
    expect(stage.text('rule-way')).toBe('the way of 1');
  });

  it('leads to what there is to do', async () => {
    const { stage } = await staged();
    const links = [...stage.page.querySelectorAll<HTMLAnchorElement>('.todo a')];
    expect(links.map((link) => link.getAttribute('href'))).toEqual(['/values?view=to-dos', '/bom']);
    expect(links[0]!.textContent).toBe('157157 required values are missing');
  });

  it('says where to begin when there is no file, and that nothing is open', async () => {
    const { stage } = await staged({ ...OVERVIEW, files: 0, unread: 0, coverage: [], toDo: [] });
    expect(stage.page.querySelector('.note a')!.getAttribute('href')).toBe('/survey');
    expect(stage.text('.todo')).toContain('Nothing is open.');
  });

  it('asks for its figures whenever it is opened', async () => {
    const { stage } = await staged(null);
    expect(stage.action(CatalogueActions.recount.type)).toBeDefined();
    expect(stage.page.querySelectorAll('.skeleton')).toHaveLength(3);
  });
});
