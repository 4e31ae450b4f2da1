import { describe, expect, it } from '@jest/globals';
import { SurveyComparison, SurveyRow } from '@rule/contract';
import { Stage } from '../../test/stage';
import { KeptSurveys } from './kept';

const row: SurveyRow = { id: 3, title: 'before cleaning', by: 'E. Varga', at: '2026-11-20T08:00:00Z', files: 60, names: 41 } as unknown as SurveyRow;
const counts = (files: number, filled: number, standIns = 0) => ({ files, filled, standIns });
const comparison: SurveyComparison = {
  then: row,
  files: 63,
  names: [
    { name: 'Material', then: counts(40, 30, 4), now: counts(44, 38, 1) },
    { name: 'Finish', then: counts(20, 12), now: counts(20, 10) },
    { name: 'Matl', then: counts(6, 6), now: null },
    { name: 'Surface', then: null, now: counts(3, 3) },
    { name: 'Mass', then: counts(9, 9), now: counts(9, 9) },
  ],
};

const staged = async (role = 'editor'): Promise<Stage> => {
  const stage = new Stage({ surveys: [row], keepSurvey: row, compareSurvey: comparison }, { role });
  await stage.show(KeptSurveys, { filter: { folder: 'DR-5' }, scope: 'the files in DR-5' });
  return stage;
};

describe('kept surveys', () => {
  it('are kept under a name, of what is looked at', async () => {
    const stage = await staged();
    expect(stage.button('Keep').disabled).toBe(true);
    await stage.type('Keep the counts of the files in DR-5 as', ' before merging ');
    await stage.click('Keep');
    expect([stage.last('keepSurvey'), stage.field('Keep the counts of the files in DR-5 as').value]).toEqual([['before merging', { folder: 'DR-5' }], '']);
    expect(stage.calls.filter((call) => call.name === 'surveys').length).toBe(2);
  });
  it('are compared with today: what got better, what got worse, what is gone and what is new', async () => {
    const stage = await staged();
    await stage.click('compare with today: before cleaning');
    expect(stage.text()).toContain('60 files then, 63 now. 1 name is filled in more files, 1 in fewer; 1 name is gone, 1 new.');
    const lines = [...stage.page.querySelectorAll('section:last-of-type tbody tr')].map((line) =>
      [...line.querySelectorAll('td')].map((cell) => cell.textContent.trim()),
    );
    expect(lines).toEqual([
      ['Material', '40', '44', '30', '38', '4', '1', '8 more'],
      ['Finish', '20', '20', '12', '10', '0', '0', '2 fewer'],
      ['Matl', '6', '–', '6', '–', '0', '–', 'gone'],
      ['Surface', '–', '3', '–', '3', '–', '0', 'new'],
    ]);
  });
  it('are compared anew when the files have changed meanwhile', async () => {
    const stage = await staged();
    await stage.click('compare with today: before cleaning');
    stage.fixture.componentRef.setInput('turn', 1);
    await stage.settled();
    expect(stage.calls.filter((call) => call.name === 'compareSurvey').length).toBe(2);
  });
  it('a viewer compares and keeps nothing', async () => {
    const stage = await staged('viewer');
    expect(() => stage.button('Keep')).toThrow();
    expect(stage.button('compare with today: before cleaning').disabled).toBe(false);
  });
});
