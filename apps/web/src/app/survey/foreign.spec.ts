import { describe, expect, it } from '@jest/globals';
import { ForeignMapping, ForeignPreview, ForeignRequest } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { ForeignNames, pairsOf, plainConversion } from './foreign';

const properties = [
  property(1, 'Material', { caption: 'Material' }),
  property(2, 'Mass', { caption: 'Mass', type: 'number', unit: 'kg' }),
  property(3, 'Label', { caption: 'Label', feed: 'ruled', rule: 'Material' }),
  property(4, 'Old', { caption: 'Old', retired: true }),
];
const preview: ForeignPreview = {
  rows: [{ from: 'Wt', to: 2, values: 5, arrive: 3, same: 1, blank: 0, refused: 1, kept: 0 }],
  lines: 6,
  files: 3,
  sample: [{ file: 7, path: 'F5-010.stp', from: 'Wt', to: 2, theirs: '2.2', before: null, after: '0.998' }],
  refused: [{ file: 8, path: 'F5-020.stp', from: 'Wt', theirs: 'heavy', message: 'is not a number' }],
  skipped: [],
  unmapped: [{ name: 'Fin', files: 4, filled: 3 }],
};
const mapping: ForeignMapping = { id: 6, name: 'Ferrow', rows: [{ from: 'Matl', to: 1, convert: { do: 'as it is' }, where: [] }] } as unknown as ForeignMapping;

const staged = async (more: object = {}, inputs: object = {}, role = 'editor'): Promise<Stage> => {
  const stage = new Stage(
    { foreign: [mapping], previewForeign: preview, foreignTray: { lines: 6 }, saveForeign: { ...mapping, id: 9 }, removeForeign: {}, ...more },
    { role },
  );
  await stage.show(ForeignNames, { properties, strays: ['Wt', 'Fin'], names: ['Material'], filter: { folder: 'DR-5' }, ...inputs });
  return stage;
};
const wait = async (stage: Stage) => {
  await stage.rested();
};
const asked = (stage: Stage, name = 'previewForeign') => stage.last(name)![0] as ForeignRequest;

describe('foreign names', () => {
  it('words are pairs, one a line; a line without a sign is none', () => {
    expect(pairsOf('steel = S235JR\nno pair\nstainless=1.4301')).toEqual([
      { theirs: 'steel', ours: 'S235JR' },
      { theirs: 'stainless', ours: '1.4301' },
    ]);
    expect([plainConversion('from unit', 'kg'), plainConversion('from unit', null), plainConversion('words', null)]).toEqual([
      { do: 'from unit', unit: 'kg' },
      { do: 'from unit', unit: 'mm' },
      { do: 'words', pairs: [], others: 'keep' },
    ]);
  });

  it('a row says what would arrive before anything is written; computed and retired properties are no aim', async () => {
    const stage = await staged();
    await stage.click('Add a row');
    expect(stage.last('previewForeign')).toBeUndefined();
    expect(stage.list('Our property 1').texts).toEqual(['Material', 'Mass']);
    await stage.type('Their name 1', 'Wt');
    await stage.select('Our property 1', 'Mass');
    await stage.select('Conversion 1', 'from unit');
    await stage.select('Unit of Wt', 'lb');
    await wait(stage);
    expect(asked(stage)).toEqual({
      rows: [{ from: 'Wt', to: 2, convert: { do: 'from unit', unit: 'lb' }, where: [] }],
      filter: { folder: 'DR-5' },
      clash: 'keep ours',
      keep: false,
    });
    expect(stage.text('tbody tr')).toContain('5 values: 3 arrive, 1 are there , 1 refused');
    expect(stage.text('[role=status]')).toBe('3 values would arrive in 3 files. 1 would be refused, 1 name stays unmapped.');
    expect(stage.text('[aria-label="What would arrive"]')).toContain('heavyis not a number');
  });

  it('clashes, what stays in the files, and conditions go along; then it goes to the tray', async () => {
    const stage = await staged({}, { suggested: { name: 'Wt', property: 2 } });
    await wait(stage);
    await stage.select('Where ours holds another value', 'take theirs');
    await stage.tick('leave their names in the files', true);
    await stage.click('always');
    await stage.click('Add a condition');
    await wait(stage);
    expect(asked(stage)).toMatchObject({ clash: 'take theirs', keep: true, rows: [{ from: 'Wt', to: 2, where: [{ subject: 'file name' }] }] });
    await stage.click('Put 6 lines in the tray');
    expect([asked(stage, 'foreignTray'), stage.said]).toEqual([
      asked(stage),
      ['6 values added to the tray. After applying, History can check them against the files.'],
    ]);
  });

  it('an unmapped name becomes a row at a click', async () => {
    const stage = await staged({}, { suggested: { name: 'Wt', property: 2 } });
    await wait(stage);
    stage.page.querySelector<HTMLButtonElement>('.names button')!.click();
    await stage.settled();
    expect(stage.field('Their name 2').value).toBe('Fin');
    await stage.click('Remove row 1');
    expect(stage.field('Their name 1').value).toBe('Fin');
  });

  it('a mapping is kept under a name, used again and removed', async () => {
    const stage = await staged();
    await stage.select('Mapping', 'Ferrow');
    expect([stage.field('Their name 1').value, stage.field('kept as').value]).toEqual(['Matl', 'Ferrow']);
    await stage.type('kept as', ' Ferrow 2 ');
    await stage.click('Keep');
    expect([stage.last('saveForeign'), stage.said]).toEqual([[6, { name: 'Ferrow 2', rows: mapping.rows }], ['The mapping Ferrow is kept.']]);
    await stage.click('Remove');
    expect(stage.last('removeForeign')).toEqual([9]);
    expect(() => stage.field('Their name 1')).toThrow();
  });

  it('keeps the mapping that is being built while one looks elsewhere for what belongs in it', async () => {
    const stage = await staged({}, { suggested: { name: 'Matl', property: 1 } });
    await wait(stage);
    stage.fixture.destroy();
    // The station returns with the next name sent to mapping.
    await stage.show(ForeignNames, { properties, strays: ['Wt', 'Fin'], names: ['Material'], filter: {}, suggested: { name: 'Desc', property: 1 } });
    await wait(stage);
    expect([stage.field('Their name 1').value, stage.field('Their name 2').value]).toEqual(['Matl', 'Desc']);
  });

  it('says why it cannot be looked at', async () => {
    const stage = await staged({ previewForeign: throwError(() => new Error('Material is retired.')) }, { suggested: { name: 'Matl', property: 1 } });
    await wait(stage);
    expect(stage.text('[role=alert]')).toBe('Material is retired.');
  });
});
