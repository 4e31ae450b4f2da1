import { Component, input, output } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { afterEach, describe, expect, it, jest } from '@jest/globals';
import { Layouts, SendOutRow, TakeBackCellRow, TakeBackRow, TakeBackView, WHOLE_LIBRARY } from '@rule/contract';
import { of, throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { Way } from '../shared';
import { Deliveries } from './deliveries';
import { ExchangeStation } from './exchange';
import { LayoutEditor } from './layout-editor';
import { TableReading } from './reading';
import { TakeBackReview } from './review';

/** The station's parts have their own specs: here only their inputs count. */
@Component({ selector: 'rule-layout-editor', template: '{{ layout() }} {{ start().name }} {{ start().content.columns.length }}' })
class PlainEditor {
  readonly layout = input<number | null>(null);
  readonly start = input.required<{ name: string; content: { columns: readonly unknown[] } }>();
  readonly saved = output<number | null>();
  readonly sent = output<string>();
}
@Component({ selector: 'rule-take-back-review', template: 'review of {{ view().takeBack.name }}' })
class PlainReview {
  readonly view = input.required<TakeBackView>();
  readonly selected = input<TakeBackCellRow | null>(null);
  readonly choose = output<TakeBackCellRow>();
}
@Component({ selector: 'rule-table-reading', template: 'how to read {{ view().takeBack.name }}' })
class PlainReading {
  readonly view = input.required<TakeBackView>();
}
@Component({ selector: 'rule-way', template: 'the way of {{ property() }}' })
class PlainWay {
  readonly property = input<number | null>(null);
}
@Component({ selector: 'rule-deliveries', template: 'deliveries' })
class PlainDeliveries {}

const LAYOUTS: Layouts = {
  saved: [
    { id: 7, name: 'Purchasing', purpose: '', shared: true, content: { ...WHOLE_LIBRARY, columns: [{}, {}] } },
    { id: 8, name: 'Mine', purpose: 'what I look at', shared: false, content: WHOLE_LIBRARY },
  ],
  purposes: [
    { name: 'Purchasing', purpose: 'for buyers', shared: true, content: WHOLE_LIBRARY },
    { name: 'Translation', purpose: 'for translators', shared: true, content: WHOLE_LIBRARY },
  ],
} as unknown as Layouts;
const sendOut = (id: number, more: Partial<SendOutRow> = {}): SendOutRow =>
  ({
    id,
    name: `table ${id}.xlsx`,
    recipient: '',
    at: '2026-11-20T10:00:00Z',
    by: 'E. Varga',
    rows: 12,
    properties: 4,
    takenBackAt: null,
    closedAt: null,
    kept: true,
    ...more,
  }) as SendOutRow;
const SENT = [
  sendOut(1, { recipient: 'Hanna' }),
  sendOut(2, { takenBackAt: '2026-11-21T10:00:00Z', kept: false }),
  sendOut(3, { closedAt: '2026-11-22T10:00:00Z' }),
];
const back = (id: number, state: TakeBackRow['state'], more: Partial<TakeBackRow> = {}): TakeBackView =>
  ({
    takeBack: { id, name: `back ${id}.xlsx`, by: '', at: '2026-11-24T10:00:00Z', state, counts: null, note: null, sendOuts: [], ...more },
  }) as unknown as TakeBackView;

async function staged(inputs: Readonly<Record<string, unknown>> = {}, answers: object = {}, role = 'administrator') {
  for (const [full, plain] of [
    [LayoutEditor, PlainEditor],
    [TakeBackReview, PlainReview],
    [TableReading, PlainReading],
    [Deliveries, PlainDeliveries],
    [Way, PlainWay],
  ] as const)
    TestBed.overrideComponent(ExchangeStation, { remove: { imports: [full] }, add: { imports: [plain] } });
  const stage = new Stage(
    {
      tableLayouts: LAYOUTS,
      sendOuts: SENT,
      takeBacks: [back(4, 'asking').takeBack, back(5, 'failed').takeBack, back(6, 'compared').takeBack],
      takeBackView: (id: number) => back(id, 'compared'),
      ...answers,
    },
    { role, properties: [property(1, 'Material')] },
  );
  const router = TestBed.inject(Router);
  const went: object[] = [];
  jest.spyOn(router, 'navigate').mockImplementation((_, extras) => {
    went.push(Object.fromEntries(Object.entries(extras!.queryParams as object).filter(([, value]) => value !== null)));
    return Promise.resolve(true);
  });
  await stage.show(ExchangeStation, inputs);
  const part = <T>(plain: new () => T): T => stage.fixture.debugElement.query((node) => node.componentInstance instanceof plain).componentInstance as T;
  return { stage, went, part };
}
const file = (name: string) => new File(['x'], name);
const drop = async (stage: Stage, ...files: File[]) => {
  const event = new Event('drop', { cancelable: true });
  Object.assign(event, { dataTransfer: { files } });
  stage.page.querySelector('.drop')!.dispatchEvent(event);
  await stage.settled();
  return event;
};

afterEach(() => {
  jest.restoreAllMocks();
});

describe('the exchange station', () => {
  it('offers the layouts that are saved, and the suggestions that nobody has saved yet', async () => {
    const { stage, went } = await staged();
    expect(
      [...stage.page.querySelectorAll('.choice')].map((choice) => [choice.querySelector('b')!.textContent, choice.querySelector('span')!.textContent]),
    ).toEqual([
      ['Purchasing', '2 columns'],
      ['Mine', 'what I look at'],
      ['Translation', 'for translators'],
    ]);
    for (const choice of stage.page.querySelectorAll<HTMLButtonElement>('.choice')) choice.click();
    expect(went).toEqual([{ layout: 7 }, { layout: 8 }, { layout: 'new', start: 'Translation' }]);
  });

  it('begins a new layout with everything, or with what a suggestion holds', async () => {
    const { stage, part } = await staged({ layout: 'new' });
    expect([part(PlainEditor).layout(), part(PlainEditor).start()]).toEqual([null, { name: '', purpose: '', shared: true, content: WHOLE_LIBRARY }]);
    stage.fixture.componentRef.setInput('start', 'Translation');
    await stage.settled();
    expect(part(PlainEditor).start().name).toBe('Translation');
    stage.fixture.componentRef.setInput('layout', '7');
    await stage.settled();
    expect([part(PlainEditor).layout(), part(PlainEditor).start().name]).toEqual([7, 'Purchasing']);
  });

  it('says that a layout is gone, instead of waiting for it', async () => {
    const { stage } = await staged({ layout: '99' });
    expect(stage.text('.note')).toContain('This layout no longer exists.');
    expect(stage.page.querySelector('.skeleton')).toBeNull();
  });

  it('lists the copies that are out, and lets one be given up and hoped for again', async () => {
    const { stage } = await staged({ view: 'out' }, { closeSendOut: undefined });
    const rows = [...stage.page.querySelectorAll('tbody tr')];
    expect(
      rows.map((row) => [row.children[1]!.textContent, row.children[5]!.firstElementChild!.className, row.querySelector('button')?.textContent.trim()]),
    ).toEqual([
      ['Hanna', 'warn', 'Mark as not returning'],
      ['–', '', undefined],
      ['–', '', 'Expect it back'],
    ]);
    expect(rows.map((row) => row.querySelector('a')?.getAttribute('href'))).toEqual([
      '/api/exchange/send-outs/1/file',
      undefined,
      '/api/exchange/send-outs/3/file',
    ]);
    await stage.click('Mark as not returning');
    expect(stage.last('closeSendOut')).toEqual([1, { closed: true }]);
    await stage.click('Expect it back');
    expect(stage.last('closeSendOut')).toEqual([3, { closed: false }]);
    // Lists are reloaded each time.
    expect(stage.calls.filter((call) => call.name === 'sendOuts')).toHaveLength(3);
  });

  it('takes dropped files back one after the other, and shows the last', async () => {
    let id = 10;
    const { stage, went } = await staged({}, { takeBack: () => back(++id, 'compared') });
    expect((await drop(stage, file('a.xlsx'), file('b.csv'))).defaultPrevented).toBe(true);
    expect(stage.calls.filter((call) => call.name === 'takeBack').map((call) => (call.args[0] as File).name)).toEqual(['a.xlsx', 'b.csv']);
    expect(went).toEqual([{ back: 12 }]);
    expect(stage.button('Choose files').disabled).toBe(false);
  });

  it('goes on after a file that is refused, and says which it was', async () => {
    const { stage, went } = await staged(
      {},
      { takeBack: (each: File) => (each.name === 'photo.xlsx' ? throwError(() => new Error('no table')) : of(back(20, 'compared'))) },
    );
    await drop(stage, file('photo.xlsx'), file('b.csv'));
    expect(stage.said).toHaveLength(1);
    expect(stage.said[0]).toMatch(/^photo\.xlsx: /);
    expect(went).toEqual([{ back: 20 }]);
    await drop(stage, file('photo.xlsx'));
    expect(stage.page.querySelector('[role=alert]')).not.toBeNull();
    expect([stage.said.length, went.length]).toEqual([1, 1]);
    expect(stage.button('Choose files').disabled).toBe(false);
  });

  it('takes nothing from those who may not edit', async () => {
    const { stage } = await staged({}, { takeBack: back(1, 'compared') }, 'viewer');
    await drop(stage, file('a.xlsx'));
    expect(stage.last('takeBack')).toBeUndefined();
    expect(stage.text('.drop')).toContain('Taking back needs the role editor.');
    expect(stage.text('[aria-label=Exchange]')).not.toContain('Deliveries');
  });

  it('shows a table in whatever state it is', async () => {
    const shown = async (state: string, more: Partial<TakeBackRow> = {}) => {
      TestBed.resetTestingModule();
      const { stage } = await staged({ back: '4' }, { takeBackView: () => back(4, state as TakeBackRow['state'], more), takeBackReopen: back(4, 'asking') });
      return stage;
    };
    expect((await shown('asking')).text()).toContain('how to read back 4.xlsx');
    expect((await shown('comparing')).text('[role=status]')).toContain('You can keep working.');
    expect((await shown('compared')).text()).toContain('review of back 4.xlsx');
    const failed = await shown('failed', { note: 'No column names the files.' });
    expect(failed.text('p.bad')).toBe('No column names the files.');
    await failed.click('Read it in another way');
    expect(failed.last('takeBackReopen')).toEqual([4]);
    expect(failed.text()).toContain('how to read back 4.xlsx');
  });

  it('says of a cell what was sent out, what holds now and what came back', async () => {
    const { stage, part } = await staged({ back: '6' });
    const cell = {
      file: 1,
      path: 'parts/lid.step',
      property: 1,
      name: null,
      holder: '',
      row: 3,
      base: { text: '1.4301', form: 'text' },
      current: { text: '1.4404', form: 'text' },
      text: '',
      verdict: 'spoiled',
      proven: false,
      message: 'The cell is blank.',
    } as unknown as TakeBackCellRow;
    part(PlainReview).choose.emit(cell);
    await stage.settled();
    expect([...stage.page.querySelectorAll('dd')].slice(0, 3).map((dd) => dd.textContent.trim())).toEqual(['1.4301', '1.4404', 'blank']);
    expect(stage.text()).toContain('Material, row 3');
    expect(stage.text('rule-way')).toBe('the way of 1');
    expect(stage.text()).toContain('Nothing proves which value was meant. Take it or leave it.');
    // Another table has other cells.
    stage.fixture.componentRef.setInput('back', '5');
    await stage.settled();
    expect(stage.page.querySelectorAll('dd')).toHaveLength(0);
  });
});
