import { describe, expect, it } from '@jest/globals';
import { TestBed } from '@angular/core/testing';
import { Clause } from '@rule/contract';
import { Property, newDraft } from '@rule/core/schema';
import { Subject, of, throwError } from 'rxjs';
import { By } from '@angular/platform-browser';
import { Clauses, operatorsFor } from '../clauses';
import { RuleSelect } from '../kit';
import { titleOf } from './clean-up';
import { clauseText, clausesOf, filterOf, isEverything } from './filter';
import { pairsOf, plainConversion } from './foreign';
import { gain } from './kept';
import { Stage, foundName, giveRoom } from '../../test/stage';
import { FoundNames } from './names';
import { Pager } from './pager.store';
import { showMass } from './remarks';
import { rowsOf } from './survey.store';
import { barsOf } from './values-of';

const property = (writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id: 1, retired: false, ...more });

describe('the filter in the address', () => {
  const where: Clause[] = [{ subject: 'value', name: 'Mass', operator: '>', text: '2' }];
  it('holds what the address says and nothing else', () => {
    expect(filterOf({ kind: 'part', folder: 'a/b', class: '0', library: '3', q: 'x', where: JSON.stringify(where) })).toEqual({
      kind: 'part',
      folder: 'a/b',
      class: 0,
      library: 3,
      search: 'x',
      where,
    });
    expect(filterOf({ kind: 'spaceship', library: 'x', where: '{' })).toEqual({});
    expect(isEverything(filterOf({}))).toBe(true);
    expect(clausesOf('"text"')).toEqual([]);
  });
  it('is said in words', () => {
    expect(clauseText(where[0]!)).toBe('Mass > 2');
    expect(clauseText({ subject: 'value', name: 'Mass', operator: 'is blank' })).toBe('Mass is blank');
    expect(clauseText({ subject: 'folder', operator: 'is', text: 'a' })).toBe('folder is a');
  });
  it('offers the comparisons that the type of a value allows', () => {
    expect(operatorsFor('kind', null)).toEqual(['is', 'is not']);
    expect(operatorsFor('value', 'number')).toEqual(expect.arrayContaining(['<', 'is blank']));
    expect(operatorsFor('value', 'number')).not.toContain('contains');
    expect(operatorsFor('value', 'text')).not.toContain('<');
    expect(operatorsFor('value', 'date')).toContain('≥');
  });
});

describe('names', () => {
  it('become one row each, with what the schema says', () => {
    const rows = rowsOf(
      [
        foundName('Mass'),
        foundName('Mass', { kind: 'assembly', files: 1, filled: 1, standIns: 0 }),
        foundName('Material '),
        foundName('Colour'),
        foundName('Old'),
      ],
      [property('Mass'), property('Material'), property('Old', { retired: true })],
    );
    expect(rows.map(({ name, status, files, filled, empty, standIns }) => [name, status, files, filled, empty, standIns])).toEqual([
      ['Mass', 'known', 5, 4, 0, 1],
      ['Material ', 'alike', 4, 3, 0, 1],
      ['Colour', 'stray', 4, 3, 0, 1],
      ['Old', 'retired', 4, 3, 0, 1],
    ]);
    expect(rows[0]!.kinds).toEqual(['part', 'assembly']);
  });

  it('are sorted by any column and narrowed by text', async () => {
    giveRoom();
    const stage = new Stage({});
    const found = [foundName('Alpha', { files: 1 }), foundName('Beta', { files: 9 }), foundName('Gamma', { files: 5 })];
    await stage.show(FoundNames, { rows: rowsOf(found, []), ticked: new Set() });
    const names = () => [...stage.page.querySelectorAll('[role=cell]:nth-child(2)')].map((cell) => cell.textContent.trim());
    await stage.rested();
    expect(names()).toEqual(['Alpha', 'Beta', 'Gamma']);
    await stage.click('Files');
    await stage.rested();
    expect(names()).toEqual(['Beta', 'Gamma', 'Alpha']);
    await stage.click('Files ↓');
    await stage.rested();
    expect(names()).toEqual(['Alpha', 'Gamma', 'Beta']);
    stage.fixture.componentRef.setInput('text', 'mm');
    await stage.rested();
    expect(names()).toEqual(['Gamma']);
    expect(stage.text('[aria-sort=ascending]')).toContain('Files');
  });
});

describe('conditions', () => {
  it('are added, changed and removed without touching the others', async () => {
    const fixture = TestBed.createComponent(Clauses);
    const clauses: Clause[] = [
      { subject: 'kind', operator: 'is', text: 'part' },
      { subject: 'value', name: 'Mass', operator: '>', text: '2' },
    ];
    fixture.componentRef.setInput('clauses', clauses);
    fixture.componentRef.setInput('names', ['Mass']);
    const said: (readonly Clause[])[] = [];
    fixture.componentInstance.changed.subscribe((list) => said.push(list));
    await fixture.whenStable();
    const element = fixture.nativeElement as HTMLElement;
    const button = (text: string) => [...element.querySelectorAll('button')].find((candidate) => candidate.textContent?.trim() === text)!;
    button('Add a condition').click();
    expect(said.at(-1)).toEqual([...clauses, { subject: 'file name', operator: 'contains', text: '' }]);
    element.querySelector<HTMLButtonElement>('[aria-label="Remove condition 1"]')!.click();
    expect(said.at(-1)).toEqual([clauses[1]]);
    const lists = fixture.debugElement.queryAll(By.directive(RuleSelect)).map((each) => each.componentInstance as RuleSelect);
    const kind = lists.find((list) => list.name === 'Condition 1: kind')!;
    kind.choose(kind.texts.indexOf('drawing'));
    expect(said.at(-1)).toEqual([{ subject: 'kind', operator: 'is', text: 'drawing' }, clauses[1]]);
  });
});

describe('a list read page by page', () => {
  const page = (offset: number, total: number) => ({ total, rows: Array.from({ length: Math.min(200, total - offset) }, (_, i) => offset + i) });
  it('reads on near its end, once at a time, and stops when all is there', () => {
    const asked: number[] = [];
    const pager = new Pager<number>(() => undefined);
    pager.from((offset) => {
      asked.push(offset);
      return of(page(offset, 450));
    });
    expect([pager.total(), pager.rows().length]).toEqual([450, 200]);
    pager.reached(10);
    expect(asked).toEqual([0]);
    for (const row of [150, 350, 449, 449]) pager.reached(row);
    expect(asked).toEqual([0, 200, 400]);
    expect(pager.rows()).toEqual(Array.from({ length: 450 }, (_, i) => i));
  });
  it('forgets a page of an earlier question, and says what failed', () => {
    const failures: unknown[] = [];
    const pager = new Pager<number>((error) => failures.push(error));
    const late = new Subject<{ total: number; rows: number[] }>();
    pager.from(() => late);
    pager.from((offset) => of(page(offset, 3)));
    late.next({ total: 9, rows: [7] });
    expect(pager.rows()).toEqual([0, 1, 2]);
    pager.from(() => throwError(() => new Error('no')));
    expect(failures).toHaveLength(1);
  });
});

describe('what is shown', () => {
  it('bars over bins of numbers, over the most frequent texts otherwise', () => {
    const numbers = Array.from({ length: 40 }, (_, i) => ({ text: String(i), form: 'real' as const, unit: null, files: 2, standIn: false }));
    const bars = barsOf(numbers);
    expect(bars).toHaveLength(12);
    expect(bars.reduce((sum, bar) => sum + bar.files, 0)).toBe(80);
    const texts = Array.from({ length: 20 }, (_, i) => ({ text: `value ${i}`, form: 'text' as const, unit: null, files: 20 - i, standIn: i === 0 }));
    const top = barsOf(texts);
    expect(top[0]).toEqual({ label: 'value 0', files: 20, standIn: true });
    expect(top.at(-1)).toEqual({ label: '6 others', files: 21, standIn: false });
    expect(barsOf([])).toEqual([]);
  });
  it('masses in kilograms and pounds', () => {
    expect(showMass(0.45359237)).toBe('0.4536 kg (1 lb)');
    expect(showMass(null)).toBe('—');
  });
  it('the title of every clean-up', () => {
    expect(titleOf({ do: 'merge', names: ['A'], to: 'B', clash: 'ask' })).toBe('Rename A');
    expect(titleOf({ do: 'merge', names: ['A', 'C'], to: 'B', clash: 'ask' })).toBe('Merge 2 names into one');
    expect(titleOf({ do: 'replace', name: 'A', values: ['x', 'y'], by: 'x' })).toBe('Replace 2 values of A by one');
    expect(titleOf({ do: 'remove', names: ['A', 'B'] })).toBe('Remove 2 names');
  });
  it('foreign words and plain conversions', () => {
    expect(pairsOf('MS = S235JR\n\nno pair\nSS=1.4301')).toEqual([
      { theirs: 'MS', ours: 'S235JR' },
      { theirs: 'SS', ours: '1.4301' },
    ]);
    expect(plainConversion('from unit', 'kg')).toEqual({ do: 'from unit', unit: 'kg' });
    expect(plainConversion('words', null)).toEqual({ do: 'words', pairs: [], others: 'keep' });
  });
  it('what got better', () => {
    expect(gain({ name: 'A', then: null, now: { files: 2, filled: 2, standIns: 0 } })).toBe(2);
    expect(gain({ name: 'A', then: { files: 2, filled: 2, standIns: 0 }, now: null })).toBe(-2);
  });
});
