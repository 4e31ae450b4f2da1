import { Directive, input, output } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { Coverage } from '@rule/contract';
import { NgxEchartsDirective } from 'ngx-echarts';
import { of, throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { CoverageCell, CoverageMap } from './coverage';

/** jsdom has no canvas: input and text alternative suffice. */
@Directive({ selector: '[echarts]', exportAs: 'chart' })
class PlainChart {
  readonly options = input<{
    series: { data: { value: number[] }[]; label: { formatter: (at: object) => string } }[];
    tooltip: { formatter: (at: object) => string };
  }>();
  readonly chartClick = output<unknown>();
}

const cell = (files: number, filled: number, standIns = 0) => ({ files, filled, standIns });
const COVERAGE: Coverage = {
  columns: [
    { key: 'part', label: 'part', files: 10 },
    { key: 'drawing', label: 'drawing', files: 4 },
    { key: 'other', label: 'other', files: 0 },
  ],
  rows: [
    { name: ' Mass', cells: [cell(10, 9), cell(0, 0), cell(0, 0)] },
    { name: 'A < B', cells: [cell(4, 2, 2), cell(4, 4), cell(0, 0)] },
    { name: 'Title', cells: [cell(1, 0, 1), cell(4, 3), cell(0, 0)] },
  ],
};

async function staged(answer: unknown = COVERAGE) {
  TestBed.overrideComponent(CoverageMap, { remove: { imports: [NgxEchartsDirective] }, add: { imports: [PlainChart] } });
  const stage = new Stage({ coverage: answer });
  await stage.show(CoverageMap, { filter: { folder: 'parts' } });
  const opened: CoverageCell[] = [];
  (stage.fixture.componentInstance as CoverageMap).open.subscribe((at) => opened.push(at));
  return { stage, opened };
}
const chart = (stage: Stage) => stage.fixture.debugElement.query((node) => node.nativeElement === stage.page.querySelector('.map')).injector.get(PlainChart);
const names = (stage: Stage) => [...stage.page.querySelectorAll('tbody td:first-child')].map((td) => td.textContent.trim());

describe('coverage', () => {
  it('is a map with a share in every field that files can fill, and its figures in words', async () => {
    const { stage } = await staged();
    expect(stage.last('coverage')).toEqual(['names', 'kind', { folder: 'parts' }]);
    const { series, tooltip } = chart(stage).options()!;
    expect(series[0]!.data.map((point) => point.value)).toEqual([
      [0, 0, 90],
      [1, 0, 0],
      [2, 0, 0],
      [0, 1, 20],
      [1, 1, 100],
      [2, 1, 0],
      [0, 2, 0],
      [1, 2, 75],
      [2, 2, 0],
    ]);
    const label = (value: number[]) => series[0]!.label.formatter({ data: { value } });
    // Empty where no file has the name; a star means stand-ins are excluded.
    expect([label([0, 0, 90]), label([1, 0, 0]), label([0, 1, 20])]).toEqual(['90 %', '', '20 % *']);
    expect(tooltip.formatter({ data: { value: [0, 1, 20] } })).toBe('A &#60; B, part<br>2 of 10 filled, 2 stand-ins');
    expect(tooltip.formatter({ data: { value: [0, 0, 90] } })).toBe('·Mass, part<br>9 of 10 filled');
    expect(stage.page.querySelector('.map')!.getAttribute('aria-label')).toBe('3 names by kind. The table has the same figures.');
  });

  it('leads from a field of the map to its files', async () => {
    const { stage, opened } = await staged();
    chart(stage).chartClick.emit({ data: { value: [1, 2, 75] } });
    // A click beside the fields selects nothing.
    chart(stage).chartClick.emit({});
    expect(opened).toEqual([{ of: 'names', name: 'Title', by: 'kind', key: 'drawing' }]);
  });

  it('is a table for those who prefer one, from which every share leads to its files', async () => {
    const { stage, opened } = await staged();
    await stage.tick('as a table', true);
    expect([...stage.page.querySelectorAll('th')].map((th) => th.textContent.trim())).toEqual(['Written name', 'part (10)', 'drawing (4)', 'other (0)']);
    expect([...stage.page.querySelectorAll('tbody tr')[1]!.querySelectorAll('button')].map((button) => button.textContent.trim())).toEqual([
      '20 %',
      '100 %',
      '–',
    ]);
    await stage.click('A < B, drawing: 4 of 4 filled');
    expect(opened).toEqual([{ of: 'names', name: 'A < B', by: 'kind', key: 'drawing' }]);
  });

  it('is ordered over all columns or by one of them', async () => {
    const { stage } = await staged();
    await stage.tick('as a table', true);
    // Blanks are visible, and those at the ends are mentioned.
    const [MASS, AB] = ['·Mass with a space at the start', 'A·<·B'];
    expect(names(stage)).toEqual([MASS, AB, 'Title']);
    await stage.select('Order', 'emptiest first');
    expect(names(stage)).toEqual(['Title', AB, MASS]);
    await stage.select('Order', 'fullest first');
    await stage.select('of', 'drawing');
    expect(names(stage)).toEqual([AB, 'Title', MASS]);
    await stage.select('of', 'part');
    await stage.select('Order', 'most files first');
    expect(names(stage)).toEqual([MASS, AB, 'Title']);
  });

  it('is asked for anew by another division and other files, which forgets the column', async () => {
    const { stage } = await staged();
    await stage.select('of', 'drawing');
    await stage.select('By', 'folder');
    expect(stage.last('coverage')).toEqual(['names', 'folder', { folder: 'parts' }]);
    expect(stage.list('of').text).toBe('all columns');
    stage.fixture.componentRef.setInput('filter', {});
    await stage.settled();
    expect(stage.last('coverage')).toEqual(['names', 'folder', {}]);
  });

  it('is of record fields too where a vault keeps records, by all but levels', async () => {
    const { stage, opened } = await staged();
    expect(() => stage.field('Coverage of')).toThrow();
    stage.fixture.componentRef.setInput('records', true);
    await stage.settled();
    await stage.select('By', 'level');
    await stage.select('Coverage of', 'record fields');
    expect(stage.last('coverage')).toEqual(['record fields', 'kind', { folder: 'parts' }]);
    expect(stage.list('By').texts).toEqual(['kind', 'class', 'folder']);
    chart(stage).chartClick.emit({ data: { value: [1, 2, 75] } });
    expect(opened).toEqual([{ of: 'record fields', name: 'Title', by: 'kind', key: 'drawing' }]);
    expect(stage.page.querySelector('.map')!.getAttribute('aria-label')).toMatch(/^3 record fields by kind/);
  });

  it('says what failed, and that nothing is there', async () => {
    let answer = throwError(() => new Error('away')) as unknown;
    const { stage } = await staged(() => answer);
    expect(stage.page.querySelector('[role=alert]')).not.toBeNull();
    answer = of({ columns: COVERAGE.columns, rows: [] });
    stage.fixture.componentRef.setInput('turn', 1);
    await stage.settled();
    expect(stage.page.querySelector('[role=alert]')).toBeNull();
    expect(stage.text('.note')).toBe('No file here has properties.');
  });
});
