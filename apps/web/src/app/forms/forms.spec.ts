import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { EntryForm, newInput } from '@rule/core/schema';
import { throwError } from 'rxjs';
import { Stage, draftView, property } from '../../test/stage';
import { GOES_ALONG, Unsaved } from '../shared';
import { FormsStation } from './forms';

const number = property(1, 'Part number', { type: 'text', kinds: ['part'], required: true });
const mass = property(2, 'Mass', { type: 'number', unit: 'kg', kinds: ['part'] });
const finish = property(3, 'Finish', { type: 'text', kinds: ['part'] });
const sheets = property(4, 'Sheets', { type: 'whole', kinds: ['drawing'] });
const form: EntryForm = {
  id: 5,
  name: 'Made parts',
  kinds: ['part'],
  classes: [],
  panels: [
    { key: 'p1', title: 'Identity', shownWhen: '', inputs: [newInput('i1', number), newInput('i2', mass)] },
    { key: 'p2', title: 'Surface', shownWhen: '', inputs: [] },
  ],
};
type Sent = { id: number | null; form: Omit<EntryForm, 'id'>; base: Omit<EntryForm, 'id'> | null };

async function staged(asked: string | undefined, { role = 'administrator', more = {} } = {}) {
  const server = { forms: [form] as readonly EntryForm[] };
  const draft = () => draftView([number, mass, finish, sheets], { forms: server.forms });
  const stage = new Stage(
    {
      draft,
      choiceLists: [],
      classes: [{ name: 'turned' }],
      saveForm: ({ id, form: laid }: Sent) => {
        const saved = { ...laid, id: id ?? 6 };
        server.forms = [...server.forms.filter((entry) => entry.id !== saved.id), saved];
        return { id: saved.id, draft: draft() };
      },
      removeForm: (id: number) => {
        server.forms = server.forms.filter((entry) => entry.id !== id);
        return draft();
      },
      orderForms: () => draft(),
      files: { total: 1, rows: [{ id: 40, path: 'parts/chute.step' }] },
      ...more,
    },
    { role, properties: [number, mass, finish, sheets] },
  );
  const gone: { params: unknown; info: unknown }[] = [];
  jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((_, extras) => {
    gone.push({ params: extras?.queryParams, info: extras?.info });
    return Promise.resolve(true);
  });
  await stage.show(FormsStation, { form: asked });
  await stage.settled();
  return { stage, server, gone };
}
const tiles = (stage: Stage) =>
  [...stage.page.querySelectorAll('section.panel')].map((panel) =>
    [...panel.querySelectorAll('.tile > span:first-child')].map((tile) => (tile.textContent ?? '').trim()),
  );
const tile = (stage: Stage, key: string) => stage.page.querySelector<HTMLElement>(`[data-input=${key}]`)!;
const press = async (stage: Stage, element: HTMLElement, key: string, held: KeyboardEventInit = {}) => {
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...held }));
  await stage.settled();
};
const pick = async (stage: Stage, text: string) => {
  [...stage.page.querySelectorAll<HTMLElement>('rule-index-row button')].find((row) => (row.textContent ?? '').includes(text))!.click();
  await stage.settled();
};

beforeEach(() => {
  // jsdom lays nothing out; the editor of expressions asks where its letters stand.
  Range.prototype.getClientRects = jest.fn(() => [] as unknown as DOMRectList);
});

describe('the Forms station', () => {
  it('a property is added to the chosen panel, moved and made broader by keys, and all of it is saved with what it was', async () => {
    const { stage, gone } = await staged('5');
    expect(tiles(stage)).toEqual([['Part number', 'Mass'], []]);
    await stage.click(/^Surface/);
    await pick(stage, 'Finish');
    expect(tiles(stage)).toEqual([['Part number', 'Mass'], ['Finish']]);
    const added = stage.page.querySelectorAll<HTMLElement>('section.panel')[1]!.querySelector<HTMLElement>('.tile')!;
    const key = added.dataset['input']!;
    await press(stage, tile(stage, key), 'ArrowUp', { altKey: true });
    expect(tiles(stage)).toEqual([['Part number', 'Mass', 'Finish'], []]);
    await press(stage, tile(stage, 'i2'), 'ArrowDown', { altKey: true });
    expect(tiles(stage)[0]).toEqual(['Part number', 'Finish', 'Mass']);
    const width = form.panels[0]!.inputs[0]!.width;
    await press(stage, tile(stage, 'i1'), 'ArrowLeft', { shiftKey: true });
    expect(TestBed.inject(Unsaved).what()).toEqual(['the form Made parts']);
    await stage.click('Save in the draft');
    const [{ id, form: laid, base }] = stage.last('saveForm') as [Sent];
    const { id: _, ...before } = form;
    void _;
    expect([id, base, laid.panels[0]!.inputs.map((entry) => [entry.property, entry.width])]).toEqual([
      5,
      before,
      [
        [1, Math.max(1, width - 1)],
        [3, expect.any(Number)],
        [2, expect.any(Number)],
      ],
    ]);
    expect([stage.said, gone, TestBed.inject(Unsaved).what()]).toEqual([
      ['The form is saved in the draft. It is in use when the draft comes into force, in Schema.'],
      [{ params: { form: 5 }, info: undefined }],
      [],
    ]);
  });

  it('offers what the form does not ask for and could, what is required first', async () => {
    const { stage } = await staged('5');
    const offered = () => [...stage.page.querySelectorAll('[cdkDropList] rule-index-row')].map((row) => (row.textContent ?? '').replace(/\s+/g, ' ').trim());
    expect(offered()).toEqual(['Finish']);
    await press(stage, tile(stage, 'i1'), 'Delete');
    expect(offered()).toEqual([expect.stringMatching(/^Part number ?required$/), 'Finish']);
    await stage.type('Find a property', 'fin');
    expect(offered()).toEqual(['Finish']);
  });

  it('a new form is no loss before something is laid out in it, and is not saved without a name', async () => {
    const { stage } = await staged('new');
    expect([TestBed.inject(Unsaved).what(), stage.button('Save in the draft').disabled]).toEqual([[], true]);
    await pick(stage, 'Finish');
    expect(TestBed.inject(Unsaved).what()).toEqual(['the form without a name']);
    expect(stage.button('Save in the draft').disabled).toBe(true);
  });

  it('a copy takes what was typed along without a question', async () => {
    const { stage, gone } = await staged('5');
    await pick(stage, 'Finish');
    await stage.click('Duplicate');
    expect(gone).toEqual([{ params: { form: 'new' }, info: GOES_ALONG }]);
    stage.fixture.componentRef.setInput('form', 'new');
    await stage.settled();
    expect([stage.text('h1'), tiles(stage)[0]]).toEqual(['Made parts, copy', ['Part number', 'Mass', 'Finish']]);
    await stage.click('Save in the draft');
    expect((stage.last('saveForm') as [Sent])[0]).toMatchObject({ id: null, base: null, form: { name: 'Made parts, copy' } });
  });

  it('what the server refuses stays on the page', async () => {
    const { stage } = await staged('5', { more: { saveForm: () => throwError(() => 'two forms have this name') } });
    await pick(stage, 'Finish');
    await stage.click('Save in the draft');
    expect([stage.said, tiles(stage)[0], stage.button('Save in the draft').disabled]).toEqual([
      ['two forms have this name'],
      ['Part number', 'Mass', 'Finish'],
      false,
    ]);
  });

  it('a form is removed, and its place is left', async () => {
    const { stage, server, gone } = await staged('5');
    await stage.click('Remove');
    expect([server.forms, gone.at(-1)]).toEqual([[], { params: { form: null }, info: GOES_ALONG }]);
  });

  it('is looked at by those who do not administer', async () => {
    const { stage } = await staged('5', { role: 'editor' });
    expect(() => stage.button('Save in the draft')).toThrow();
    await press(stage, tile(stage, 'i1'), 'Delete');
    expect(tiles(stage)[0]).toEqual(['Part number', 'Mass']);
  });
});
