import { Directive, input } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { beforeEach, describe, expect, it } from '@jest/globals';
import { FoundValues } from '@rule/contract';
import { CleanUp, ValueCount, pictureOf } from '@rule/core/survey';
import { NgxEchartsDirective } from 'ngx-echarts';
import { Subject, throwError } from 'rxjs';
import { Stage, giveRoom } from '../../test/stage';
import { ValuesOf, barsOf } from './values-of';

const value = (text: string, files: number, change: Partial<ValueCount> = {}): ValueCount => ({
  text,
  form: 'text',
  unit: null,
  files,
  standIn: false,
  ...change,
});

/** Found values from the server, with the core's profile. */
const foundOf = (name: string, values: readonly ValueCount[], change: Partial<FoundValues> = {}): FoundValues => ({
  name,
  picture: pictureOf(values, []),
  values,
  distinct: values.length,
  files: values.reduce((sum, each) => sum + each.files, 0),
  blank: 3,
  standIns: 1,
  leftIn: [],
  ...change,
});
const MATERIALS = foundOf('Matl', [
  value('1.4301', 12),
  value('S235JR', 9),
  value('s235jr', 4),
  value('S235JR ', 1),
  value('-', 1, { standIn: true }),
  value('Ash, oiled', 1),
]);

/** jsdom has no canvas: the input suffices. */
@Directive({ selector: '[echarts]' })
class PlainChart {
  readonly options = input<unknown>();
}

async function staged(answer: unknown, inputs: object = {}) {
  TestBed.overrideComponent(ValuesOf, {
    remove: { imports: [NgxEchartsDirective] },
    add: { imports: [PlainChart] },
  });
  const stage = new Stage({ foundValues: answer });
  await stage.show(ValuesOf, { name: 'Matl', names: ['Matl', 'Mass'], filter: { folder: 'parts' }, ...inputs });
  const seen: { acts: CleanUp[]; files: string[]; names: string[] } = { acts: [], files: [], names: [] };
  const component = stage.fixture.componentInstance as ValuesOf;
  component.act.subscribe((act) => seen.acts.push(act));
  component.files.subscribe((text) => seen.files.push(text));
  component.nameChange.subscribe((name) => seen.names.push(name));
  return { stage, seen };
}
const rows = (stage: Stage) => [...stage.page.querySelectorAll('cdk-virtual-scroll-viewport .row')];

beforeEach(giveRoom);

describe('the values of one name', () => {
  it('are counted, drawn, and said to those who do not see the chart', async () => {
    const { stage } = await staged(MATERIALS);
    expect(stage.last('foundValues')).toEqual(['Matl', { folder: 'parts' }]);
    expect(stage.text('p.soft')).toBe('In 28 files: 6 different values, 3 empty, 1 with a stand-in.');
    expect(stage.page.querySelector('[role=img]')!.getAttribute('aria-label')).toBe('1.4301: 12; S235JR: 9; s235jr: 4; S235JR : 1; -: 1; Ash, oiled: 1');
  });

  it('that probably mean the same are made one, blanks seen as dots', async () => {
    const { stage, seen } = await staged(MATERIALS);
    expect([...stage.page.querySelectorAll('.chip.mono')].map((chip) => chip.textContent)).toEqual(['S235JR', 's235jr', 'S235JR·']);
    await stage.click('Make them one …: S235JR');
    expect(seen.acts).toEqual([{ do: 'replace', name: 'Matl', values: ['S235JR', 's235jr', 'S235JR '], by: 'S235JR' }]);
  });

  it('are narrowed, ticked and replaced together; files that hold one are asked for', async () => {
    const { stage, seen } = await staged(MATERIALS);
    expect(rows(stage)).toHaveLength(6);
    await stage.type('Narrow the list of values', 'S235');
    expect(rows(stage)).toHaveLength(3);
    await stage.tick('Choose s235jr', true);
    await stage.tick('Choose S235JR', true);
    await stage.click('Replace 2 by one …');
    expect(seen.acts).toEqual([{ do: 'replace', name: 'Matl', values: ['s235jr', 'S235JR'], by: 's235jr' }]);
    await stage.tick('Choose s235jr', false);
    expect(stage.button('Replace 1 by one …').disabled).toBe(false);
    await stage.click('files');
    expect(seen.files).toEqual(['S235JR']);
  });

  it('another name is asked for; until its values are there nothing is done to it', async () => {
    const waiting = new Subject<FoundValues>();
    const { stage, seen } = await staged((name: string) => (name === 'Matl' ? MATERIALS : waiting));
    await stage.select('Written name', 'Mass');
    expect(seen.names).toEqual(['Mass']);
    stage.fixture.componentRef.setInput('name', 'Mass');
    await stage.settled();
    await stage.click('Make them one …: S235JR');
    expect(seen.acts).toEqual([expect.objectContaining({ name: 'Matl' })]);
    waiting.next(foundOf('Mass', [value('0.4', 2)]));
    await stage.settled();
    expect(stage.text('p.soft')).toMatch(/^In 2 files: 1 different value/);
  });

  it('what stands out is said: types, units, forms, what cannot be read', async () => {
    const many = Array.from({ length: 20 }, (_, n) => value(String(n + 1), 2, { form: 'measure', unit: 'kg' }));
    const { stage, seen } = await staged(foundOf('Mass', [...many, value('2.2', 1, { form: 'measure', unit: 'lb' }), value('heavy', 1)]), { name: 'Mass' });
    const said = stage.text('.columns');
    expect(said).toContain('Mixed types:');
    expect(said).toMatch(/Several units: kg in 40, ?lb in 1\./);
    expect(said).toContain('Not a number, where nearly all are:');
    await stage.click('Convert …');
    await stage.click('heavy');
    await stage.click('replace …');
    expect([seen.acts, seen.files]).toEqual([
      [
        { do: 'convert', name: 'Mass', unit: 'kg' },
        { do: 'replace', name: 'Mass', values: ['heavy'], by: 'heavy' },
      ],
      ['heavy'],
    ]);
  });

  it('of very many the most frequent are listed, and that is said', async () => {
    const { stage } = await staged(foundOf('Matl', [value('a', 1)], { distinct: 90_000, leftIn: [{ text: 'TBD', files: 7 }] }));
    expect(stage.text()).toContain('The 1 most frequent of 90000 are listed and looked at.');
    expect(stage.text('.columns')).toMatch(/Defaults left in:TBD 7×/);
  });
  it('an error is said', async () => {
    const { stage } = await staged(() => throwError(() => new Error('The database does not answer.')));
    expect(stage.text('[role=alert]')).toBe('The database does not answer.');
  });
});

describe('bars', () => {
  it('of numbers are bins of one width in one unit; every file is in one of them', () => {
    const numbers = Array.from({ length: 30 }, (_, n) => value(String(n), 1, { form: 'measure', unit: 'kg' }));
    const bars = barsOf([...numbers, value('2.2046226218', 5, { form: 'measure', unit: 'lb' })]);
    expect([bars.length, bars[0]!.label, bars.reduce((sum, bar) => sum + bar.files, 0)]).toEqual([12, '0 – 2.42 kg', 35]);
    // 2.2046226218 lb are a kilogram (international yard and pound agreement of 1959: 0.45359237 kg).
    expect(bars[0]!.files).toBe(3 + 5);
  });
  it('of other values are the most frequent and the rest', () => {
    const bars = barsOf(Array.from({ length: 20 }, (_, n) => value(`text ${n}`, 20 - n)));
    expect([bars.length, bars[0], bars.at(-1)]).toEqual([
      15,
      { label: 'text 0', files: 20, standIn: false },
      { label: '6 others', files: 6 + 5 + 4 + 3 + 2 + 1, standIn: false },
    ]);
  });
});
