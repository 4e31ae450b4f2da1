import { describe, expect, it } from '@jest/globals';
import { ClassRow, ClassesDraft } from '@rule/contract';
import { of, throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { Classes } from './classes';

const ROWS: ClassRow[] = [
  { id: 4, name: 'Bought', clauses: [{ subject: 'folder', operator: 'is', text: 'bought' }], statedMass: true, files: 1 },
  { id: 5, name: 'Weldment', clauses: [{ subject: 'kind', operator: 'is', text: 'assembly' }], statedMass: false, files: 6 },
];

async function staged(answer: unknown = undefined, role = 'administrator') {
  const stage = new Stage({ saveClasses: answer }, { role });
  await stage.show(Classes, { rows: ROWS, names: ['Mass'] });
  let saved = 0;
  (stage.fixture.componentInstance as Classes).saved.subscribe(() => saved++);
  return { stage, saved: () => saved, sent: () => (stage.last('saveClasses')![0] as ClassesDraft).classes };
}
const SAVE = 'Save and reclassify all files';
const sections = (stage: Stage) => [...stage.page.querySelectorAll('section')].map((section) => section.getAttribute('aria-label'));

describe('classes', () => {
  it('are tried in their order, which can be changed within its ends', async () => {
    const { stage, sent, saved } = await staged(of(undefined));
    expect(stage.text()).toContain('1 file');
    expect(stage.text()).toContain('6 files');
    expect(stage.button(SAVE).disabled).toBe(true);
    expect([stage.button('up: Bought').disabled, stage.button('down: Weldment').disabled]).toEqual([true, true]);
    await stage.click('down: Bought');
    expect(sections(stage)).toEqual(['Class Weldment', 'Class Bought']);
    await stage.click(SAVE);
    expect(sent().map(({ id, name }) => [id, name])).toEqual([
      [5, 'Weldment'],
      [4, 'Bought'],
    ]);
    expect([saved(), stage.said]).toEqual([1, ['Classes saved and all files reclassified.']]);
  });

  it('are added with a condition to begin with, named, and removed', async () => {
    const { stage, sent } = await staged(of(undefined));
    await stage.click('Add a class');
    expect(stage.text('section:last-of-type .end')).toBe('new');
    const name = [...stage.page.querySelectorAll<HTMLInputElement>('[aria-label="Name of the class"]')].at(-1)!;
    name.value = 'Sheet';
    name.dispatchEvent(new Event('input'));
    await stage.settled();
    await stage.click('Remove Bought');
    // An empty condition would match all files.
    expect(stage.button(SAVE).disabled).toBe(true);
    const text = [...stage.page.querySelectorAll<HTMLInputElement>('[aria-label$=": text"]')].at(-1)!;
    text.value = 'sheet-';
    text.dispatchEvent(new Event('input'));
    await stage.settled();
    await stage.click(SAVE);
    expect(sent()).toEqual([
      { id: 5, name: 'Weldment', clauses: ROWS[1]!.clauses, statedMass: false },
      { name: 'Sheet', clauses: [{ subject: 'file name', operator: 'starts with', text: 'sheet-' }], statedMass: false },
    ]);
  });

  it('that the server refuses stay as they were typed, with the reason', async () => {
    const { stage, saved } = await staged(throwError(() => ({ error: { title: 'Refused', detail: 'Two classes have the name Bought.' } })));
    await stage.click('Remove Weldment');
    await stage.click(SAVE);
    expect(stage.page.querySelector('[role=alert]')).not.toBeNull();
    expect([saved(), sections(stage)]).toEqual([0, ['Class Bought']]);
    expect(stage.button(SAVE).disabled).toBe(false);
  });

  it('are seen, not changed, by those who do not administer', async () => {
    const { stage } = await staged(of(undefined), 'editor');
    expect(stage.page.querySelector('fieldset')!.disabled).toBe(true);
    expect(() => stage.button(SAVE)).toThrow();
  });
});
