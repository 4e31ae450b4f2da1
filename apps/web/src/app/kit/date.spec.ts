import { describe, expect, it } from '@jest/globals';
import { Stage } from '../../test/stage';
import { RuleDate } from './date';

const staged = async (value: string): Promise<{ stage: Stage; chosen: string[] }> => {
  const stage = new Stage({});
  await stage.show(RuleDate, { label: 'Choose a date of issue', value });
  const chosen: string[] = [];
  (stage.fixture.componentInstance as RuleDate).chosen.subscribe((day) => chosen.push(day));
  await stage.click('Choose a date of issue');
  await stage.rested();
  return { stage, chosen };
};
const calendar = () => document.querySelector('.p-datepicker')!;
const days = () => [...calendar().querySelectorAll<HTMLElement>('td:not(.p-datepicker-other-month) .p-datepicker-day')];

describe('the calendar', () => {
  it('opens at the date, with weeks from Monday (ISO 8601), and gives the chosen day', async () => {
    const { stage, chosen } = await staged('2028-02-10');
    const said = calendar().textContent.replace(/\s+/g, ' ');
    expect([said.includes('February'), said.includes('2028'), said.indexOf('Mo') < said.indexOf('Su')]).toEqual([true, true, true]);
    // A leap year, whose 29 February is a Tuesday.
    expect(days()).toHaveLength(29);
    expect(days()[28]!.closest('tr')!.children[1]!.textContent.trim()).toBe('29');
    days()[28]!.click();
    await stage.rested();
    expect(chosen).toEqual(['2028-02-29']);
    expect(stage.button('Choose a date of issue').getAttribute('aria-expanded')).toBe('false');
  });

  it.each(['29.02.28', '', '0026-12-01'])('opens at today for %j', async (text) => {
    await staged(text);
    expect(calendar().textContent).toContain(`${new Date().getFullYear()}`);
  });
});
