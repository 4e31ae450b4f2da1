import { describe, expect, it } from '@jest/globals';
import { ChoiceListRow, ListPreview } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { ChoiceLists } from './lists';
import { SchemaStore } from './schema.store';

const choice = (value: string, columns: Record<string, string> = {}, retired = false, replacedBy: string | null = null) => ({
  value,
  columns,
  retired,
  replacedBy,
});
const materials: ChoiceListRow = {
  id: 3,
  name: 'Materials',
  columns: ['Density'],
  goesWith: null,
  choices: [choice('S235JR', { Density: '7850' }), choice('St 37', {}, true, 'S235JR'), choice('EN AW-5754', { Density: '2660' })],
  source: { type: 'file', path: '/srv/materials.csv', sheet: null },
  loadedAt: '2026-11-20T08:00:00Z',
  lookedAt: '2026-11-25T08:00:00Z',
  differs: 2,
  trouble: null,
  usedBy: ['Material'],
};
const preview: ListPreview = {
  token: 'abc',
  problems: [],
  added: [choice('S355J2', { Density: '7850' })],
  changed: [{ value: 'EN AW-5754', column: 'Density', before: '2660', after: '2670' }],
  gone: ['S235JR'],
  back: [],
  same: 1,
};

const staged = async (
  id: string | undefined,
  more: object = {},
  lists: readonly ChoiceListRow[] = [materials],
  role = 'administrator',
): Promise<{ stage: Stage; picked: string[] }> => {
  const stage = new Stage(
    {
      choiceLists: lists,
      saveChoiceList: (_: unknown, draft: object) => ({ ...materials, ...draft, id: 9 }),
      setListSource: {},
      previewList: preview,
      loadList: {},
      replaceRetired: { lines: 4 },
      removeChoiceList: {},
      ...more,
    },
    { role, providers: [SchemaStore] },
  );
  await stage.show(ChoiceLists, id === undefined ? {} : { id });
  stage.fixture.componentRef.injector.get(SchemaStore).reloadLists();
  const picked: string[] = [];
  (stage.fixture.componentInstance as ChoiceLists).picked.subscribe((each) => picked.push(each));
  await stage.settled();
  return { stage, picked };
};

describe('choice lists', () => {
  it('say who uses them, when they were loaded, and whether their source has moved on', async () => {
    const { stage } = await staged('3');
    expect(stage.text('.head')).toMatch(/3 choices, used by Material\. Loaded .* 2 choices differ from the source since/);
    expect(stage.button('Remove').disabled).toBe(true);
  });
  it('a source that cannot be reached is said', async () => {
    const { stage } = await staged('3', {}, [{ ...materials, trouble: '/srv/materials.csv is not there.', usedBy: [] }]);
    expect(stage.text('.head')).toContain('3 choices, not used yet. Loaded');
    expect(stage.text('.head')).toContain('Its source could not be read: /srv/materials.csv is not there.');
    expect(stage.button('Remove').disabled).toBe(false);
  });

  it('a new list: columns from a line of words, twice named once; a choice without a value is pointed out', async () => {
    const { stage, picked } = await staged('new');
    await stage.type('Name', 'Finishes');
    const columns = stage.field('Columns beside the value, separated by commas');
    columns.value = ' Short , Goes with,Short,';
    columns.dispatchEvent(new Event('input'));
    columns.dispatchEvent(new Event('blur'));
    await stage.settled();
    await stage.click('Add a choice');
    expect([stage.page.querySelector('[role=alert]') !== null, stage.button('Save').disabled]).toEqual([true, true]);
    await stage.type('Value 1', 'brushed');
    await stage.type('Short of brushed', 'BR');
    await stage.select('Parent column', 'Goes with');
    await stage.click('Save');
    expect(stage.last('saveChoiceList')).toEqual([
      null,
      { name: 'Finishes', columns: ['Short', 'Goes with'], goesWith: 'Goes with', choices: [choice('brushed', { Short: 'BR' })] },
    ]);
    expect([picked, stage.said]).toEqual([['9'], ['Finishes is saved.']]);
  });

  it('a choice is retired in favour of another, and the values that hold it go to the tray', async () => {
    const { stage } = await staged('3');
    await stage.tick('EN AW-5754 is retired', true);
    const offered = stage.list('EN AW-5754 is replaced by').texts;
    expect(offered).toEqual(['nothing', 'S235JR']);
    await stage.select('EN AW-5754 is replaced by', 'S235JR');
    expect(stage.button('Put the replacements in the tray').disabled).toBe(true);
    await stage.click('Save');
    expect((stage.last('saveChoiceList')![1] as ChoiceListRow).choices[2]).toEqual(choice('EN AW-5754', { Density: '2660' }, true, 'S235JR'));
  });
  it('what is typed stays when the source is saved or the list is read anew; what differs from it is not loaded over it', async () => {
    let looked = 0;
    const { stage } = await staged('3', { choiceLists: () => [{ ...materials, lookedAt: `2026-11-25T08:00:0${looked++}Z` }] });
    await stage.tick('EN AW-5754 is retired', true);
    await stage.click('Save the source');
    expect([stage.field('EN AW-5754 is retired').checked, stage.button('Save').disabled]).toEqual([true, false]);
  });
  it('replacements that are saved go to the tray at once', async () => {
    const { stage } = await staged('3');
    await stage.click('Put the replacements in the tray');
    expect([stage.last('replaceRetired'), stage.said, stage.actions.some((action) => action.type === '[Tray] Load')]).toEqual([
      [3],
      ['4 values added to your tray.'],
      true,
    ]);
  });

  it('is compared with its source, shows what would change, and is loaded as it was shown', async () => {
    const { stage } = await staged('3');
    await stage.click('Compare with the source');
    const said = stage.text('.note[role=status]');
    expect(said).toContain('1 new, 1 changed, 1 gone (they will be retired), 0 back, 1 the same.');
    expect(said).toContain('EN AW-5754, Density: 2660 becomes 2670');
    await stage.click('Load');
    expect([stage.last('previewList'), stage.last('loadList'), stage.said]).toEqual([[3, null], [3, 'abc', null], ['Materials is loaded.']]);
  });
  it('a source with problems is not loaded', async () => {
    const { stage } = await staged('3', { previewList: { ...preview, problems: ['Row 4: S355J2 stands twice.'] } });
    await stage.click('Compare with the source');
    expect([stage.text('.note .bad'), stage.button('Load').disabled]).toEqual(['Row 4: S355J2 stands twice.', true]);
  });

  it('takes a source: a file with a sheet, a query, or none', async () => {
    const { stage } = await staged('3');
    expect(stage.field('Path on the server').value).toBe('/srv/materials.csv');
    await stage.type('Sheet, if not the first', 'Steel');
    await stage.click('Save the source');
    expect(stage.last('setListSource')).toEqual([3, { type: 'file', path: '/srv/materials.csv', sheet: 'Steel' }]);
    await stage.select('Synchronised from', 'a database table');
    await stage.type('Address (PostgreSQL)', 'postgres://reader@127.0.0.1/erp');
    await stage.type('Query: the first column is the value', 'SELECT code FROM materials');
    await stage.click('Save the source');
    expect(stage.last('setListSource')).toEqual([3, { type: 'database', url: 'postgres://reader@127.0.0.1/erp', query: 'SELECT code FROM materials' }]);
    await stage.select('Synchronised from', 'nothing');
    await stage.click('Save the source');
    expect(stage.last('setListSource')).toEqual([3, null]);
  });

  it('what the server refuses is said and what was typed stays', async () => {
    const { stage } = await staged('3', { saveChoiceList: throwError(() => new Error('Materials is used by Material.')) });
    await stage.type('Name', 'Stock');
    await stage.click('Save');
    expect([stage.said, stage.field('Name').value]).toEqual([['Error: Materials is used by Material.'], 'Stock']);
  });

  it('an editor sees a list and changes nothing', async () => {
    const { stage } = await staged('3', {}, [materials], 'editor');
    expect([...stage.page.querySelectorAll<HTMLInputElement>('input, select')].every((input) => input.disabled)).toBe(true);
    expect(stage.page.querySelector('#source')).toBeNull();
  });
});
