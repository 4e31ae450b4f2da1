import { describe, expect, it } from '@jest/globals';
import { Learned, LearnedName } from '@rule/contract';
import { PLAIN_CELL } from '@rule/core/schema';
import { CleanUp } from '@rule/core/survey';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { LearnedMappings } from './learned';

const properties = { 1: property(1, 'Material', { caption: 'Material' }), 2: property(2, 'Finish') };
const cell = (tag: string, change: object = {}) => ({
  block: 'MRW-TITLE',
  tag,
  propertyId: 1,
  source: 'model',
  form: PLAIN_CELL,
  agree: 9,
  compared: 11,
  texts: 4,
  bound: null,
  drafted: null,
  exceptionCount: 2,
  exceptions: [
    { file: 5, path: 'drawings/a.dxf', reason: 'stale', text: 'S235JR', wanted: '1.4301' },
    { file: 6, path: 'drawings/b.dxf', reason: 'blank', text: '', wanted: 'DC01' },
  ],
  ...change,
});
const name: LearnedName = {
  name: 'Matl',
  property: 1,
  files: 14,
  reasons: ['abbreviation'],
  distinct: 6,
  shared: 4,
  both: 3,
  equal: 2,
  exceptions: [{ file: 7, path: 'parts/c.step', theirs: 'S235JR', ours: 'DC01' }],
} as unknown as LearnedName;
const learned = { cells: [cell('MATL'), cell('FIN', { propertyId: 2, texts: 1, exceptionCount: 0, exceptions: [] })], names: [name] } as unknown as Learned;

async function staged(answer: unknown = learned, { role = 'administrator', more = {} } = {}) {
  const stage = new Stage({ learned: answer, bindCells: {}, ...more }, { role });
  await stage.show(LearnedMappings, { properties });
  const seen: { acts: CleanUp[]; mapped: LearnedName[] } = { acts: [], mapped: [] };
  const component = stage.fixture.componentInstance as LearnedMappings;
  component.act.subscribe((act) => seen.acts.push(act));
  component.map.subscribe((row) => seen.mapped.push(row));
  return { stage, seen };
}

describe('what the library suggests', () => {
  it('a cell is proposed with its evidence, and its exceptions with their reason', async () => {
    const { stage } = await staged();
    const exceptions = () => [...stage.page.querySelectorAll('.detail tbody tr')].map((each) => (each.textContent ?? '').replace(/\s+/g, ' ').trim());
    const row = () => [...stage.page.querySelectorAll('tbody tr')].map((each) => (each.textContent ?? '').replace(/\s+/g, ' ').trim());
    expect(row()[0]).toMatch(/MATL.*Material.*the model.*9 of 11 drawings, 4 different texts.*1 stale, 1 blank/);
    expect(row()[1]).toContain('a single text proves little');
    await stage.click('1 stale, 1 blank');
    expect(exceptions()).toEqual([
      expect.stringMatching(/a\.dxf.*stale.*shows S235JR, would show 1\.4301/),
      expect.stringMatching(/b\.dxf.*blank.*shows nothing, would show DC01/),
    ]);
    await stage.click('1 stale, 1 blank');
    expect(row()).toHaveLength(3);
  });

  it('more exceptions than are told are counted', async () => {
    const { stage } = await staged({ cells: [cell('MATL', { exceptionCount: 400 })], names: [] });
    expect(stage.button('400 exceptions').getAttribute('aria-expanded')).toBe('false');
    expect(stage.text()).toContain('No foreign name resembles a property');
  });

  it('it is bound in the draft by a click, which says so', async () => {
    let drafted: unknown = null;
    const { stage } = await staged(() => ({ cells: [cell('MATL', { drafted })], names: [] }), {
      more: { bindCells: ([binding]: [unknown]) => (drafted = binding) },
    });
    await stage.click('Bind so: MATL to Material');
    expect(stage.last('bindCells')).toEqual([[{ block: 'MRW-TITLE', cell: 'MATL', leads: false, shows: [{ property: 1, from: 'model', form: PLAIN_CELL }] }]]);
    expect(stage.said).toEqual(['In the draft, MATL of MRW-TITLE shows Material.']);
    expect(stage.text('tbody tr')).toContain('in the draft');
  });
  it('what is in force is said, and what is bound otherwise can be bound so instead', async () => {
    const bound = (of: number) => ({ id: 1, block: 'MRW-TITLE', cell: 'MATL', leads: false, shows: [{ property: of, from: 'model', form: PLAIN_CELL }] });
    const { stage } = await staged({ cells: [cell('MATL', { bound: bound(2) }), cell('FIN', { bound: bound(1) })], names: [] });
    expect(stage.button('Bind so instead: MATL to Material').disabled).toBe(false);
    expect(stage.text('.good')).toBe('in force');
  });

  it('a foreign name is explained, moved to its property or put into a mapping', async () => {
    const { stage, seen } = await staged();
    expect(stage.text('section:nth-of-type(2) tbody')).toMatch(/14 Material.*abbreviation.*4 of 6 values are under both names; both in 3 files, the same in 2/);
    await stage.click('1 say otherwise');
    expect(stage.text('section:nth-of-type(2) tbody')).toMatch(/theirs S235JR, ours DC01/);
    await stage.click('Move …: Matl');
    await stage.click('Into a mapping: Matl');
    expect([seen.acts, seen.mapped]).toEqual([[{ do: 'merge', names: ['Matl'], to: 'Material', clash: 'keep the filled one' }], [name]]);
  });

  it('an editor moves names and binds nothing, a viewer only looks', async () => {
    const { stage } = await staged(learned, { role: 'editor' });
    expect(() => stage.button('Bind so: MATL to Material')).toThrow();
    expect(stage.button('Move …: Matl').disabled).toBe(false);
  });
  it('a viewer only looks; an error is said', async () => {
    const { stage } = await staged(() => throwError(() => new Error('not now')), { role: 'viewer' });
    expect(stage.text('[role=alert]')).toBe('not now');
  });
});
