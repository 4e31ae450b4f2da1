import { describe, expect, it } from '@jest/globals';
import { Clause } from '@rule/contract';
import { ValueType } from '@rule/core/values';
import { Stage } from '../../test/stage';
import { Clauses, operatorsFor } from './clauses';

const clauses: Clause[] = [
  { subject: 'file name', operator: 'contains', text: 'drum' },
  { subject: 'value', operator: 'is filled', text: '', name: 'Supplier' },
];
const staged = async (
  given: readonly Clause[] = clauses,
  typeOf?: (name: string) => ValueType | null,
): Promise<{ stage: Stage; changes: (readonly Clause[])[] }> => {
  const stage = new Stage({});
  await stage.show(Clauses, { clauses: given, names: ['Supplier', 'Mass'], ...(typeOf ? { typeOf } : {}) });
  const changes: (readonly Clause[])[] = [];
  (stage.fixture.componentInstance as Clauses).changed.subscribe((next) => changes.push(next));
  return { stage, changes };
};

describe('conditions on files', () => {
  it('offer the comparisons that make sense for the type of the values', () => {
    expect(operatorsFor('kind', null)).toEqual(['is', 'is not']);
    expect(operatorsFor('folder', null)).toContain('starts with');
    expect(operatorsFor('value', 'number')).toContain('≥');
    expect(operatorsFor('value', 'number')).not.toContain('contains');
    expect(operatorsFor('value', 'text')).toContain('contains');
    expect(operatorsFor('value', 'yesno')).toEqual(['is', 'is not', 'is filled', 'is blank', 'is a stand-in']);
    expect(operatorsFor('value', 'date')).toContain('<');
  });
  it('are on record fields where records are known, with their names at hand', async () => {
    const { stage, changes } = await staged();
    expect(stage.list('Condition 1: what').texts).not.toContain('record field');
    stage.fixture.componentRef.setInput('recordFields', ['Title', 'Number']);
    await stage.settled();
    await stage.select('Condition 1: what', 'record field');
    expect(changes.at(-1)![0]).toMatchObject({ subject: 'record field', name: '' });
    stage.fixture.componentRef.setInput('clauses', changes.at(-1)!);
    await stage.settled();
    const list = stage.page.querySelector(`#${stage.field('Condition 1: record field').getAttribute('list')!}`)!;
    expect([...list.querySelectorAll('option')].map((option) => option.value)).toEqual(['Title', 'Number']);
    expect(operatorsFor('record field', null)).not.toContain('is a stand-in');
  });
  it('one that asks whether a value is filled has no text to type', async () => {
    const { stage } = await staged();
    expect(stage.field('Condition 1: text').value).toBe('drum');
    expect(() => stage.field('Condition 2: text')).toThrow();
    expect(stage.field('Condition 2: written name').value).toBe('Supplier');
  });
  it('another subject begins anew: what was compared before means nothing for it', async () => {
    const { stage, changes } = await staged();
    await stage.select('Condition 1: what', 'kind');
    expect(changes.at(-1)).toEqual([{ subject: 'kind', operator: 'is', text: 'part' }, clauses[1]]);
    await stage.select('Condition 1: what', 'field');
    expect(changes.at(-1)![0]).toMatchObject({ subject: 'field', name: '', text: '' });
  });
  it('are edited, added and removed without touching the others', async () => {
    const { stage, changes } = await staged();
    await stage.select('Condition 1: comparison', 'starts with');
    expect(changes.at(-1)).toEqual([{ ...clauses[0], operator: 'starts with' }, clauses[1]]);
    await stage.type('Condition 1: text', 'hopper');
    expect(changes.at(-1)![0]!.text).toBe('hopper');
    await stage.type('Condition 2: written name', 'Mass');
    expect(changes.at(-1)![1]!.name).toBe('Mass');
    await stage.click('Remove condition 1');
    expect(changes.at(-1)).toEqual([clauses[1]]);
    await stage.click('Add a condition');
    expect(changes.at(-1)).toEqual([...clauses, { subject: 'file name', operator: 'contains', text: '' }]);
  });
  it('a comparison that does not fit the type any more stays to be seen', async () => {
    const { stage } = await staged([{ subject: 'value', operator: 'contains', text: '5', name: 'Mass' }], () => 'number');
    const offered = stage.list('Condition 1: comparison').texts;
    expect([offered.at(-1), offered.includes('≤'), stage.list('Condition 1: comparison').text]).toEqual(['contains', true, 'contains']);
  });
  it('a date says how it is typed', async () => {
    const { stage } = await staged([{ subject: 'value', operator: '<', text: '', name: 'Released on' }], () => 'date');
    expect(stage.field('Condition 1: text').placeholder).toBe('year-month-day');
  });
});
