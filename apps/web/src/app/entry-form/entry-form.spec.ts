import { beforeEach, describe, expect, it } from '@jest/globals';
import { Component, signal } from '@angular/core';
import { By } from '@angular/platform-browser';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { FillView, InputView, RowView } from '@rule/core/forms';
import { Property, newDraft, newInput } from '@rule/core/schema';
import { RuleSelect } from '../kit';
import { EntryFormView, FieldEdit, Suggestions } from './entry-form';

const property = (id: number, writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...more });
const row = (more: Partial<RowView> = {}): RowView => ({
  id: '',
  label: '',
  targets: 1,
  text: '',
  state: 'blank',
  values: [],
  distinct: 1,
  fallback: null,
  typed: null,
  wrong: [],
  changes: 0,
  refused: false,
  ...more,
});
const entry = (of: Property, rows: RowView[], more: Partial<InputView> = {}): InputView => ({
  key: `s/i${of.id}`,
  input: newInput(`i${of.id}`, of),
  property: of,
  caption: of.caption,
  help: of.help,
  shownFor: 1,
  of: 1,
  required: false,
  closed: [],
  open: true,
  drawable: [],
  missing: 0,
  rows,
  ...more,
});

@Component({
  imports: [EntryFormView],
  template: `<rule-entry-form
    [view]="view()"
    [suggestions]="suggestions"
    (edited)="edits.push($event)"
    (drawn)="drawn = drawn + 1"
    (handed)="handed.push($event)"
  />`,
})
class Host {
  view = signal<FillView>({ panels: [], values: [], files: 0, refused: 0, leftovers: [] });
  suggestions: Suggestions = { atHand: new Map([[1, ['Cover']]]), narrowed: (id) => (id === 3 ? ['brushed'] : null) };
  edits: FieldEdit[] = [];
  drawn = 0;
  handed: unknown[] = [];
}

describe('an entry form', () => {
  let fixture: ComponentFixture<Host>;
  let host: Host;
  const element = () => fixture.nativeElement as HTMLElement;
  const show = async (...inputs: InputView[]) => {
    host.view.set({ ...host.view(), panels: [{ section: 's', panel: { key: 'p', title: 'Identity', shownWhen: '', inputs: [] }, inputs }] });
    await fixture.whenStable();
  };
  const named = <T extends HTMLElement>(name: string): T => element().querySelector<T>(`[aria-label="${name}"]`)!;
  const type = (field: HTMLInputElement | HTMLTextAreaElement, text: string, event = 'input') => {
    field.value = text;
    field.dispatchEvent(new Event(event, { bubbles: true }));
  };
  beforeEach(async () => {
    fixture = TestBed.createComponent(Host);
    host = fixture.componentInstance;
    await fixture.whenStable();
  });

  it('says that it has nothing to ask', () => expect(element().textContent).toContain('has no inputs'));

  it('tells what is typed, where, and when it is taken back', async () => {
    const title = property(1, 'Title', { help: 'what it is' });
    await show(entry(title, [row({ typed: 'Plate', changes: 3 })], { required: true }));
    expect(element().textContent).toContain('required');
    expect(element().textContent).toContain('3 values change');
    type(named<HTMLInputElement>('Title'), 'Cover');
    named('leave Title as it is').click();
    expect(host.edits).toEqual([
      { section: 's', input: 'i1', row: '', text: 'Cover' },
      { section: 's', input: 'i1', row: '', text: null },
    ]);
    expect([...element().querySelectorAll('datalist option')].map((option) => (option as HTMLOptionElement).value)).toEqual(['Cover']);
  });

  it('shows values that differ with their counts, and never as a value', async () => {
    const title = property(2, 'Title');
    await show(
      entry(
        title,
        [
          row({
            state: 'mixed',
            distinct: 3,
            values: [
              { text: 'A', count: 4 },
              { text: '', count: 2 },
            ],
          }),
        ],
        { shownFor: 6, of: 8, missing: 2 },
      ),
    );
    const field = named<HTMLInputElement>('Title');
    expect([field.value, field.placeholder]).toEqual(['', '3 different values']);
    for (const text of ['A ×4, blank ×2 and 1 more', 'for 6 of 8', 'missing in 2']) expect(element().textContent).toContain(text);
  });

  it('offers the choices that go with the others, and keeps one that does not', async () => {
    const finish = property(3, 'Finish', { type: 'choice', choices: ['brushed', 'painted'] });
    await show(entry(finish, [row({ state: 'same', text: 'painted' })]));
    const list = fixture.debugElement.query(By.directive(RuleSelect)).componentInstance as RuleSelect;
    expect([list.name, list.texts, list.text]).toEqual(['Finish', ['(blank)', 'brushed', 'painted'], 'painted']);
    list.choose(1);
    expect(host.edits.at(-1)).toMatchObject({ text: 'brushed' });
  });

  it('shows a tick, option buttons, a long text and a number with its unit', async () => {
    const food = property(4, 'Food contact', { type: 'yesno', words: ['ja', 'nein'] });
    const making = property(5, 'Making', { type: 'choice', choices: ['made', 'bought'] });
    const note = property(6, 'Note', { type: 'longtext' });
    const mass = property(7, 'Mass', { type: 'number', unit: 'kg' });
    await show(
      entry(food, [row({ state: 'mixed', distinct: 2 })]),
      { ...entry(making, [row({ state: 'same', text: 'made' })]), input: { ...newInput('i5', making), look: 'option buttons' } },
      entry(note, [row()]),
      entry(mass, [row()]),
    );
    const tick = named<HTMLInputElement>('Food contact');
    expect(tick.indeterminate).toBe(true);
    tick.checked = true;
    tick.dispatchEvent(new Event('change', { bubbles: true }));
    const [made, bought] = [...element().querySelectorAll<HTMLInputElement>('input[type=radio]')];
    expect([made!.checked, bought!.checked]).toEqual([true, false]);
    bought!.dispatchEvent(new Event('change', { bubbles: true }));
    type(named<HTMLTextAreaElement>('Note'), 'two\\nlines');
    expect(host.edits.map((edit) => edit.text)).toEqual(['ja', 'bought', 'two\\nlines']);
    expect(element().textContent).toContain('in kg');
  });

  it('says why nothing can be typed, and takes nothing', async () => {
    await show(
      entry(property(8, 'Label'), [row({ state: 'same', text: 'X/A' })], {
        open: false,
        closed: [{ reason: 'is computed by a rule and is read-only', count: 1 }],
      }),
    );
    expect(named<HTMLInputElement>('Label').disabled).toBe(true);
    expect(element().textContent).toContain('Label is computed by a rule and is read-only.');
  });

  it('has a field for each holder, named after it', async () => {
    const torque = property(9, 'Torque', { level: 'occurrence' });
    await show(
      entry(
        torque,
        [
          row({ id: '', label: 'all 2', targets: 2, state: 'mixed', distinct: 2 }),
          row({ id: 'o1', label: 'bearing', text: '20', state: 'same' }),
          row({ id: 'o2', label: 'bearing' }),
        ],
        { shownFor: 2, of: 2 },
      ),
    );
    expect([...element().querySelectorAll('input')].map((field) => field.getAttribute('aria-label'))).toEqual([
      'Torque, all 2',
      'Torque, bearing',
      'Torque, bearing',
    ]);
    type([...element().querySelectorAll('input')][2]!, '24');
    expect(host.edits).toEqual([{ section: 's', input: 'i9', row: 'o2', text: '24' }]);
  });

  it('names what is wrong beside the field, keeps values at hand, and draws numbers', async () => {
    const title = property(1, 'Title', { maxLength: 4 });
    const number = property(10, 'Number', { feed: 'counted', series: 'parts' });
    await show(
      entry(title, [row({ typed: 'Plate', wrong: ['may have 4 characters, has 5'], refused: true })]),
      entry(number, [row()], { open: false, drawable: [4] }),
    );
    expect(element().querySelector('[role=alert]')!.textContent).toContain('Title may have 4 characters, has 5.');
    expect(named('Title').getAttribute('aria-invalid')).toBe('true');
    [...element().querySelectorAll('button')].find((button) => button.textContent.includes('draw the next'))!.click();
    expect(host.drawn).toBe(1);
    await show(entry(title, [row({ typed: 'Cap' })]));
    [...element().querySelectorAll('button')].find((button) => button.textContent.includes('keep at hand'))!.click();
    expect(host.handed).toEqual([{ property: 1, text: 'Cap', on: true }]);
  });
});
