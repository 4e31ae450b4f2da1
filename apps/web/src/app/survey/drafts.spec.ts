import { describe, expect, it } from '@jest/globals';
import { FoundDraft } from '@rule/contract';
import { newDraft } from '@rule/core/schema';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { FoundDrafts } from './drafts';

const found: FoundDraft[] = [
  { found: 'Surface', files: 9, problems: [], draft: { ...newDraft('Surface'), type: 'choice', choices: ['brushed', 'polished'], kinds: ['part'] } },
  { found: 'Weight', files: 4, problems: ['Weight is nearly Mass.'], draft: { ...newDraft('Weight'), type: 'number', unit: 'lb', kinds: ['part'] } },
];
const staged = async (more: object = {}): Promise<{ stage: Stage; closed: () => number }> => {
  const stage = new Stage({ drafts: found, addProperties: { ids: [7], draft: { number: 3 } }, ...more });
  await stage.show(FoundDrafts, { names: ['Surface', 'Weight'] });
  let closed = 0;
  (stage.fixture.componentInstance as FoundDrafts).closed.subscribe(() => closed++);
  return { stage, closed: () => closed };
};
const body = () => document.body.textContent.replace(/\s+/g, ' ');

describe('properties made of names that were found', () => {
  it('come as they were judged by their values, with what speaks against them', async () => {
    const { stage } = await staged();
    expect(stage.last('drafts')).toEqual([['Surface', 'Weight']]);
    expect([stage.list('Type of Surface').text, stage.field('Choices of Surface, one per line').value]).toEqual(['choice', 'brushed\npolished']);
    expect([stage.list('Unit of Weight').text, body().includes('Weight is nearly Mass.')]).toEqual(['lb', true]);
    expect(() => stage.list('Unit of Surface')).toThrow();
  });
  it('are adjusted, and those that are ticked go into the draft together', async () => {
    const { stage, closed } = await staged();
    await stage.type('Written name for Surface', 'Finish');
    await stage.type('Caption for Surface', 'Surface finish');
    await stage.type('Choices of Surface, one per line', 'brushed\n\npolished\nraw');
    await stage.tick('Define Weight', false);
    await stage.click('Define 1 property');
    expect(stage.last('addProperties')![0]).toMatchObject([{ writtenName: 'Finish', caption: 'Surface finish', choices: ['brushed', 'polished', 'raw'] }]);
    expect([stage.said, closed()]).toEqual([['1 property is in the draft of edition 3.'], 1]);
  });
  it('another type forgets the unit, and what was wrong is judged anew', async () => {
    const { stage } = await staged();
    await stage.select('Type of Weight', 'text');
    expect(body()).not.toContain('Weight is nearly Mass.');
    await stage.type('Longest text of Weight', '12');
    await stage.click('Define 2 properties');
    expect((stage.last('addProperties')![0] as object[])[1]).toMatchObject({ type: 'text', unit: null, maxLength: 12 });
  });
  it('none is made when one is refused, and the dialog stays', async () => {
    const { stage, closed } = await staged({ addProperties: throwError(() => new Error('Weight is in the draft already.')) });
    await stage.click('Define 2 properties');
    expect([document.body.querySelector('[role=alert]')!.textContent.trim(), closed(), stage.button('Define 2 properties').disabled]).toEqual([
      'Weight is in the draft already.',
      0,
      false,
    ]);
  });
});
