import { Component, input, model } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { Overview } from '@rule/contract';
import { Store } from '@ngrx/store';
import { MessageService } from 'primeng/api';
import { Stage } from '../../test/stage';
import { CatalogueActions, SessionActions, TrayActions, Unsaved } from '../shared';
import { App } from './app';
import { JobsButton } from './jobs';
import { Palette } from './palette';
import { STATIONS, Scale } from './scale';
import { TrayBar } from './tray';

/** The shell's parts have their own specs. */
@Component({ selector: 'rule-palette', template: '{{ open() ? "the palette" : "" }}' })
class PlainPalette {
  readonly open = model(false);
}
@Component({ selector: 'rule-jobs', template: '' })
class PlainJobs {
  readonly none = input<unknown>();
}
@Component({ selector: 'rule-tray', template: 'the tray' })
class PlainTray {}

async function staged(role = 'administrator') {
  TestBed.overrideComponent(App, {
    remove: { imports: [Palette, JobsButton, TrayBar] },
    add: { imports: [PlainPalette, PlainJobs, PlainTray] },
  });
  const stage = new Stage({}, { role, providers: [MessageService] });
  await stage.show(App);
  const press = async (init: KeyboardEventInit, target: EventTarget = document.body) => {
    const event = new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...init });
    target.dispatchEvent(event);
    await stage.settled();
    return event.defaultPrevented;
  };
  return { stage, press };
}

beforeEach(() => localStorage.clear());
afterEach(() => document.documentElement.classList.remove('dark'));

describe('the shell', () => {
  it('is steered by keys, which are left alone where somebody types', async () => {
    const { stage, press } = await staged();
    expect(await press({ key: 'k', ctrlKey: true })).toBe(true);
    expect(stage.text('rule-palette')).toBe('the palette');
    expect(await press({ key: 'Enter', ctrlKey: true })).toBe(true);
    expect(stage.action(TrayActions.open.type)).toMatchObject({ open: true });
    const field = document.body.appendChild(document.createElement('input'));
    expect(await press({ key: '?' }, field)).toBe(false);
    field.remove();
    expect(document.body.textContent).not.toContain('this list');
    expect(await press({ key: '?' })).toBe(true);
    expect(document.body.textContent).toContain('this list');
    expect(await press({ key: 'x' })).toBe(false);
  });

  it('has no tray for those who may not edit, nor a key for it', async () => {
    const { stage, press } = await staged('viewer');
    expect(stage.page.querySelector('rule-tray')).toBeNull();
    expect(await press({ key: 'Enter', ctrlKey: true })).toBe(false);
    expect(stage.action(TrayActions.open.type)).toBeUndefined();
  });

  it('keeps the surface that somebody chose', async () => {
    const { stage } = await staged();
    expect(document.documentElement.classList.contains('dark')).toBe(false);
    await stage.click('Dark surface');
    expect([document.documentElement.classList.contains('dark'), localStorage.getItem('rule.surface')]).toEqual([true, 'dark']);
    expect(stage.button('Dark surface').getAttribute('aria-pressed')).toBe('true');
    TestBed.resetTestingModule();
    document.documentElement.classList.remove('dark');
    await staged();
    expect(document.documentElement.classList.contains('dark')).toBe(true);
  });

  it('follows the machine until somebody chooses', async () => {
    let change = (_: { matches: boolean }): void => undefined;
    const plain = Object.getOwnPropertyDescriptor(window, 'matchMedia')!;
    const machine = { matches: true, addEventListener: (_: string, then: typeof change) => (change = then), addListener: () => undefined };
    Object.defineProperty(window, 'matchMedia', { ...plain, value: () => machine });
    const { stage } = await staged();
    Object.defineProperty(window, 'matchMedia', plain);
    const dark = () => document.documentElement.classList.contains('dark');
    expect(dark()).toBe(true);
    change({ matches: false });
    await stage.settled();
    expect([dark(), localStorage.getItem('rule.surface')]).toEqual([false, null]);
    await stage.click('Dark surface');
    change({ matches: true });
    change({ matches: false });
    await stage.settled();
    expect(dark()).toBe(true);
  });

  it('asks before unsaved work is left by signing out', async () => {
    const { stage } = await staged();
    let typed: string | null = 'the settings';
    TestBed.runInInjectionContext(() => TestBed.inject(Unsaved).watch(() => typed));
    const signOut = () => stage.page.querySelector<HTMLButtonElement>('.person')!.click();
    signOut();
    await stage.settled();
    expect(document.body.textContent).toContain('Unsaved changes:');
    await stage.click('Stay');
    expect(stage.action(SessionActions.signOut.type)).toBeUndefined();
    signOut();
    await stage.settled();
    await stage.click('Leave without saving');
    expect(stage.action(SessionActions.signOut.type)).toBeDefined();
    typed = null;
  });
});

describe('the scale', () => {
  const shown = (stage: Stage) =>
    Object.fromEntries(
      [...stage.page.querySelectorAll('a')].map((link) => [
        link.querySelector('span')!.textContent,
        link.querySelector('b')!.textContent + ' ' + link.querySelector('b')!.className,
      ]),
    );
  const OVERVIEW = { files: 1, properties: 1, draft: null, forms: 0, coverage: [], toDo: [] } as unknown as Overview;
  async function scale(overview: Overview | null) {
    const stage = new Stage({});
    if (overview) TestBed.inject(Store).dispatch(CatalogueActions.counted({ overview }));
    await stage.show(Scale);
    return shown(stage);
  }

  it('says at every station how far it is', async () => {
    expect(await scale(OVERVIEW)).toEqual({
      Overview: '1 file ',
      Survey: 'all known ',
      Schema: '1 property ',
      Forms: 'none yet ',
      Values: 'complete ',
      'Title blocks': 'all right ',
      BOM: 'all matched ',
      Vault: ' ',
      Exchange: ' ',
    });
  });

  it('adds up what there is to do at a station, in the colour of how much it matters', async () => {
    const toDo = [
      { station: 'values', count: 3, text: '' },
      { station: 'values', count: 4, text: '' },
      { station: 'bom', count: 2, text: '' },
      { station: 'survey', count: 1, text: '' },
      { station: 'title-blocks', count: 5, text: '' },
      { station: 'exchange', count: 6, text: '' },
    ];
    expect(await scale({ ...OVERVIEW, files: 63, properties: 20, draft: 4, forms: 2, toDo })).toEqual({
      Overview: '63 files ',
      Survey: '1 to look at warn',
      Schema: 'draft 4 warn',
      Forms: '2 laid out ',
      Values: '7 to do warn',
      'Title blocks': '5 open warn',
      BOM: '2 unmatched bad',
      Vault: ' ',
      Exchange: '6 out ',
    });
  });

  it('calls nothing complete where there is nothing', async () => {
    const empty = await scale({ ...OVERVIEW, files: 0 });
    expect(Object.entries(empty).filter(([, text]) => text.trim() !== '')).toEqual([
      ['Overview', '0 files '],
      ['Schema', '1 property '],
    ]);
    TestBed.resetTestingModule();
    expect(
      Object.values(await scale(null))
        .join('')
        .trim(),
    ).toBe('');
    expect(STATIONS).toHaveLength(9);
  });
});
