import { describe, expect, it } from '@jest/globals';
import { Stage } from '../../test/stage';
import { RuleSelect } from './select';

const SIZES = [
  { code: 'a4', words: 'A4, upright' },
  { code: 'a3', words: 'A3' },
];
const staged = async (inputs: object): Promise<{ stage: Stage; list: RuleSelect; told: unknown[] }> => {
  const stage = new Stage({});
  await stage.show(RuleSelect, { ariaLabel: 'Size', ...inputs });
  const list = stage.fixture.componentInstance as RuleSelect;
  const told: unknown[] = [];
  list.registerOnChange((value) => told.push(value));
  return { stage, list, told };
};
const label = (stage: Stage) => stage.text('[role=combobox]');

describe('the list to choose from', () => {
  it('takes its choices as texts or as objects, of which it says and gives one field each', async () => {
    const { stage, list, told } = await staged({ options: SIZES, optionLabel: 'words', optionValue: 'code' });
    expect([list.name, list.texts, list.values]).toEqual(['Size', ['A4, upright', 'A3'], ['a4', 'a3']]);
    list.writeValue('a3');
    await stage.settled();
    expect([list.text, label(stage)]).toEqual(['A3', 'A3']);
    list.choose(0);
    expect(told).toEqual(['a4']);
    stage.fixture.componentRef.setInput('optionLabel', null);
    stage.fixture.componentRef.setInput('optionValue', null);
    stage.fixture.componentRef.setInput('options', [100, 125]);
    list.writeValue('125');
    await stage.settled();
    expect([list.texts, list.text]).toEqual([['100', '125'], '125']);
  });

  it('can be left without a choice again, where that is a choice', async () => {
    const { stage, list, told } = await staged({ options: ['A4'], clear: true, placeholder: 'any' });
    list.writeValue('A4');
    await stage.settled();
    list.choose(null);
    await stage.settled();
    expect([told, label(stage)]).toEqual([[null], 'any']);
  });

  it('keeps a text that is none of the choices, where texts may be typed', async () => {
    const { stage, list, told } = await staged({ options: ['A4'], editable: true });
    list.choose('A0');
    await stage.settled();
    expect([told, stage.page.querySelector('input')!.value, list.text]).toEqual([['A0'], 'A0', null]);
  });

  it('shows nothing for what it does not offer', async () => {
    const { stage, list } = await staged({ options: ['A4'], placeholder: 'any' });
    list.writeValue('A0');
    await stage.settled();
    expect(label(stage)).toBe('any');
  });
});
