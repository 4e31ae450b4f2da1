import { beforeEach, describe, expect, it } from '@jest/globals';
import { Clause, FilesPage, MassRemark, OtherName, Remark, TwinRow } from '@rule/contract';
import { CleanUp } from '@rule/core/survey';
import { of, throwError } from 'rxjs';
import { Stage, foundName, giveRoom, property } from '../../test/stage';
import { FoundFiles } from './files';
import { FoundNames } from './names';
import { MassRemarks, Remarks } from './remarks';
import { rowsOf } from './survey.store';
import { Twins } from './twins';

beforeEach(giveRoom);

const rows = (stage: Stage) => [...stage.page.querySelectorAll<HTMLElement>('cdk-virtual-scroll-viewport .row')];
const cells = (row: HTMLElement) => [...row.querySelectorAll('[role=cell]')].map((cell) => cell.textContent.trim());
const press = async (stage: Stage, row: HTMLElement, key: string) => {
  const event = new KeyboardEvent('keydown', { key, cancelable: true });
  row.dispatchEvent(event);
  await stage.settled();
  return event;
};

describe('the list of names', () => {
  const NAMES = rowsOf(
    [
      foundName('Mass', { guess: { type: 'number', unit: 'kg' }, standIns: 0 }),
      foundName('Mass', { kind: 'assembly', files: 2, filled: 1, standIns: 0 }),
      foundName('material'),
      foundName('Bought', { guess: { type: 'yesno', unit: null }, level: 'body' }),
    ],
    [property(1, 'Mass'), property(2, 'Material')],
  );
  async function staged() {
    const stage = new Stage({});
    await stage.show(FoundNames, { rows: NAMES, ticked: new Set(['Bought']) });
    // Virtual rows appear in the next frame.
    await new Promise(requestAnimationFrame);
    await stage.settled();
    const list = stage.fixture.componentInstance as FoundNames;
    const ticks: string[][] = [];
    list.tick.subscribe((names) => ticks.push([...names]));
    return { stage, list, ticks };
  }

  it('says of each what the schema says, where it stands, what it looks like and how full it is', async () => {
    const { stage } = await staged();
    expect(rows(stage).map(cells)).toEqual([
      ['', 'Bought', 'not in it', 'P', 'yes/no', '4', '3', '', '1', '2', 'x · y'],
      ['', 'Mass', 'known', 'P A', 'number, kg', '6', '4', '2', '', '2', 'x · y'],
      ['', 'material', 'nearly Material', 'P', 'text', '4', '3', '', '1', '2', 'x · y'],
    ]);
    expect(rows(stage)[1]!.querySelector('[title^="part, assembly"]')!.getAttribute('title')).toBe('part, assembly; at the level document');
    expect(rows(stage)[0]!.querySelector('[title="part; at the level body"]')).not.toBeNull();
  });

  it('is chosen from by mouse and keyboard; ticks do not take a name in hand', async () => {
    const { stage, list, ticks } = await staged();
    await press(stage, rows(stage)[1]!, 'Enter');
    expect(list.selected()).toBe('Mass');
    expect(rows(stage)[1]!.getAttribute('aria-selected')).toBe('true');
    // The space key would scroll the page.
    expect((await press(stage, rows(stage)[2]!, ' ')).defaultPrevented).toBe(true);
    expect(ticks).toEqual([['Bought', 'material']]);
    stage.field('Choose Bought').click();
    expect(ticks.at(-1)).toEqual([]);
    expect(list.selected()).toBe('Mass');
    rows(stage)[0]!.click();
    expect(list.selected()).toBe('Bought');
  });

  it('is sorted by its headers, counts from the largest down, and says so', async () => {
    const { stage } = await staged();
    const first = () => cells(rows(stage)[0]!)[1];
    await stage.click('Files');
    expect(first()).toBe('Mass');
    expect(stage.text('[aria-sort=descending]')).toBe('Files ↓');
    await stage.click('Looks like');
    expect([first(), stage.text('[aria-sort=ascending]')]).toEqual(['Mass', 'Looks like ↑']);
    await stage.click('Looks like ↑');
    expect([first(), stage.text('[aria-sort=descending]')]).toEqual(['Bought', 'Looks like ↓']);
  });

  it('says that no name answers', async () => {
    const { stage } = await staged();
    stage.fixture.componentRef.setInput('text', 'nothing like it');
    await stage.settled();
    expect(stage.text('.none')).toBe('No names match.');
  });
});

describe('twins', () => {
  const GROUP: TwinRow = {
    reasons: ['abbreviation'],
    names: [
      { name: 'Material', files: 9, filled: 8, property: 2 },
      { name: 'Matl', files: 4, filled: 4, property: null },
      { name: 'Mat.', files: 1, filled: 0, property: null },
      { name: 'Werkstoff', files: 0, filled: 0, property: null },
    ],
    clashes: 2,
  };
  const OTHER: OtherName = { property: 2, name: 'MATERIAL', files: 3, differs: 'case' };
  async function staged(twins: readonly TwinRow[] | null = [GROUP], others: readonly OtherName[] | null = [OTHER]) {
    const stage = new Stage({});
    await stage.show(Twins, { rows: twins, others, properties: { 2: property(2, 'Material') } });
    const component = stage.fixture.componentInstance as Twins;
    const seen = { acts: [] as CleanUp[], picked: [] as string[], contradictions: [] as (readonly string[])[] };
    component.act.subscribe((act) => seen.acts.push(act));
    component.pick.subscribe((name) => seen.picked.push(name));
    component.contradictions.subscribe((names) => seen.contradictions.push(names));
    return { stage, seen };
  }
  const check = async (stage: Stage, name: string) => {
    stage.field(name).click();
    await stage.settled();
  };

  it('are merged into the one that is kept: all that stand somewhere and belong to the group', async () => {
    const { stage, seen } = await staged();
    expect(stage.text('.warn')).toBe('2 places hold two of them with different values');
    await stage.click('Merge …');
    expect(seen.acts.at(-1)).toEqual({ do: 'merge', names: ['Matl', 'Mat.'], to: 'Material', clash: 'keep the filled one' });
    await check(stage, 'Keep Matl');
    await check(stage, 'Mat. belongs to the group');
    await stage.click('Merge …');
    expect(seen.acts.at(-1)).toEqual({ do: 'merge', names: ['Material'], to: 'Matl', clash: 'keep the filled one' });
  });

  it('cannot be merged when nothing is left but what is kept', async () => {
    const { stage } = await staged();
    await check(stage, 'Matl belongs to the group');
    await check(stage, 'Mat. belongs to the group');
    expect(stage.button('Merge …').disabled).toBe(true);
    expect(stage.field('Material belongs to the group').disabled).toBe(true);
    await check(stage, 'Mat. belongs to the group');
    expect(stage.button('Merge …').disabled).toBe(false);
  });

  it('lead to their files and to each name; values under another name move to the property', async () => {
    const { stage, seen } = await staged();
    await stage.click('files');
    expect(seen.contradictions).toEqual([['Material', 'Matl', 'Mat.', 'Werkstoff']]);
    await stage.click('Matl');
    await stage.click('MATERIAL');
    expect(seen.picked).toEqual(['Matl', 'MATERIAL']);
    await stage.click('Move the values there …');
    expect(seen.acts).toEqual([{ do: 'merge', names: ['MATERIAL'], to: 'Material', clash: 'keep the filled one' }]);
    expect(stage.text()).toContain('3 filled differs in case');
  });

  it('say that there are none, and wait while they are looked for', async () => {
    const none = await staged([], []);
    expect(none.stage.text('.note')).toContain('No similar names');
    none.stage.fixture.componentRef.setInput('rows', null);
    await none.stage.settled();
    expect(none.stage.page.querySelectorAll('.skeleton')).toHaveLength(3);
  });
});

describe('files by any value', () => {
  const page = (total: number, names: readonly string[]): FilesPage =>
    ({
      total,
      rows: names.map((name, i) => ({ id: i + 1, path: `parts/${name}`, kind: 'part', class: i ? null : 'Bought', values: i ? [] : ['1.4301', '1.4404'] })),
    }) as unknown as FilesPage;
  const WHERE: Clause[] = [
    { subject: 'kind', operator: 'is', text: 'part' },
    { subject: 'value', name: 'Material', operator: 'is blank' },
  ];
  async function staged(answer: unknown, filter: object = { where: WHERE }) {
    const stage = new Stage({ files: answer });
    await stage.show(FoundFiles, { filter, name: 'Material', names: ['Mass', 'Material'] });
    const component = stage.fixture.componentInstance as FoundFiles;
    const seen = { where: [] as (readonly Clause[])[], names: [] as string[] };
    component.where.subscribe((clauses) => seen.where.push(clauses));
    component.nameChange.subscribe((name) => seen.names.push(name));
    return { stage, seen };
  }

  it('stand with the values of a name', async () => {
    const { stage, seen } = await staged(page(2, ['lid.step', 'drum.step']));
    expect(stage.last('files')).toEqual([{ where: WHERE, offset: 0, limit: 200, name: 'Material' }]);
    expect(stage.text('[role=status]')).toBe('2 files');
    expect(rows(stage).map(cells)).toEqual([
      ['parts/lid.step', 'part', 'Bought', '1.4301 · 1.4404'],
      ['parts/drum.step', 'part', '', ''],
    ]);
    await stage.select('Show the value of', 'Mass');
    expect(seen.names).toEqual(['Mass']);
  });

  it('are limited by the state of that value, the other conditions left alone', async () => {
    const { stage, seen } = await staged(page(0, []));
    expect(stage.text('.note')).toBe('No files match.');
    expect(stage.button('is blank').getAttribute('aria-pressed')).toBe('true');
    await stage.click('is a stand-in');
    expect(seen.where.at(-1)).toEqual([WHERE[0], { subject: 'value', name: 'Material', operator: 'is a stand-in' }]);
    await stage.click('all');
    expect(seen.where.at(-1)).toEqual([WHERE[0]]);
  });

  it('say when they cannot be asked for, and are asked for again', async () => {
    let broken = true;
    const { stage } = await staged(() => (broken ? throwError(() => new Error('The server is away.')) : of(page(1, ['lid.step']))));
    expect(stage.text('[role=status]')).toBe('The files could not be loaded.');
    expect(stage.said).toHaveLength(1);
    broken = false;
    stage.fixture.componentRef.setInput('turn', 1);
    await stage.settled();
    expect(stage.text('[role=status]')).toBe('1 file');
  });
});

describe('remarks', () => {
  const remark = (file: number, about: Remark['about'], message: string): Remark => ({ file, path: `parts/${file}.step`, about, message });
  const REMARKS = [
    remark(1, 'cannot be read', 'A text is not closed.'),
    remark(2, 'same name', 'Stands in b too.'),
    remark(3, 'same name', 'Stands in a too.'),
  ];

  it('are told apart by what they are about', async () => {
    const stage = new Stage({ remarks: REMARKS });
    await stage.show(Remarks);
    expect([...stage.page.querySelectorAll('[role=group] button')].map((button) => button.textContent.replace(/\s+/g, ' ').trim())).toEqual([
      'all 3',
      'cannot be read 1',
      'same name 2',
    ]);
    await stage.click('same name 2');
    expect(rows(stage).map((row) => cells(row)[2])).toEqual(['Stands in b too.', 'Stands in a too.']);
  });

  it('are all shown again where nothing is left of what was looked at', async () => {
    let list = REMARKS;
    const stage = new Stage({ remarks: () => list });
    await stage.show(Remarks);
    await stage.click('cannot be read 1');
    list = REMARKS.slice(1);
    stage.fixture.componentRef.setInput('turn', 1);
    await stage.settled();
    expect(rows(stage)).toHaveLength(2);
    expect(stage.button('all 2').getAttribute('aria-pressed')).toBe('true');
    list = [];
    stage.fixture.componentRef.setInput('turn', 2);
    await stage.settled();
    expect(stage.text('.note')).toBe('All files were read without remarks.');
  });

  it.each([
    ['remarks', Remarks],
    ['masses', MassRemarks],
  ])('forget a failure of %s when they come the next time', async (method, component) => {
    let broken = true;
    const stage = new Stage({ [method]: () => (broken ? throwError(() => new Error('away')) : of([])) });
    await stage.show(component);
    expect(stage.page.querySelector('[role=alert]')).not.toBeNull();
    broken = false;
    stage.fixture.componentRef.setInput('turn', 1);
    await stage.settled();
    expect(stage.page.querySelector('[role=alert]')).toBeNull();
  });

  it('on masses show both figures and how far they are apart; on materials what model and property say', async () => {
    const row = (file: number, mass: Partial<MassRemark['mass']>, more: Partial<MassRemark> = {}): MassRemark =>
      ({
        file,
        path: `${file}.step`,
        mass: { state: 'fits', written: 1, computed: 1, ...mass },
        modelMaterial: null,
        property: null,
        material: 'agree',
        ...more,
      }) as MassRemark;
    const stage = new Stage({
      masses: [
        row(1, { state: 'stale', written: 1.1, computed: 1 }),
        row(2, {}, { modelMaterial: 'S235JR', property: '1.4301', material: 'differ' }),
        row(3, {}, { modelMaterial: 'S235JR', property: 'S235JR' }),
      ],
    });
    await stage.show(MassRemarks);
    const table = (n: number) =>
      [...stage.page.querySelectorAll('table')[n]!.querySelectorAll('tbody tr')].map((tr) => [...tr.children].map((td) => td.textContent.trim()));
    expect(table(0)).toEqual([['1.step', '1.1 kg (2.425 lb)', '1 kg (2.205 lb)', '10.0 %']]);
    expect(table(1)).toEqual([['2.step', 'S235JR', '1.4301', 'differ']]);
  });
});
