import { describe, expect, it } from '@jest/globals';
import { HttpErrorResponse } from '@angular/common/http';
import { Component } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { TrayLine } from '@rule/contract';
import { Action } from '@ngrx/store';
import { Property, newDraft } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { of } from 'rxjs';
import { Api } from './api';
import { Notices } from './notices';
import { problemOf } from './server';
import { showCell } from './cell';
import { plainHeld } from './show';
import { ExactName } from './exact-name';
import { TrayActions, trayEffects, trayFeature } from './tray.state';

describe('a written name', () => {
  @Component({ imports: [ExactName], template: `<rule-exact-name name="Part number " />` })
  class Host {}
  it('shows its blanks, marks the one at its end and says so', async () => {
    const fixture = TestBed.createComponent(Host);
    await fixture.whenStable();
    const name = (fixture.nativeElement as HTMLElement).querySelector('rule-exact-name')!;
    expect(name.textContent).toBe('Part·number· with a space at the end');
    expect([...name.querySelectorAll('.blank, .edge')].map((part) => part.className)).toEqual(['blank', 'edge']);
  });
});

describe('a cell', () => {
  const mass: Property = { ...newDraft('Mass'), id: 1, retired: false, type: 'number', unit: 'kg', decimals: 3, required: true, placeholder: '0.000' };
  const standIns = compileStandIns(['-*']);
  it('tells blank, stand-in, value and unreadable apart', () => {
    expect(showCell(null, mass, standIns)).toMatchObject({ kind: 'placeholder', text: '0.000', violations: [{ code: 'required' }] });
    expect(showCell({ text: '-', form: 'text' }, mass, standIns)).toMatchObject({ kind: 'stand-in', text: '-' });
    expect(showCell({ text: '1500', form: 'measure', unit: 'g' }, mass, standIns)).toEqual({ kind: 'value', text: '1.500', violations: [] });
    expect(showCell({ text: 'heavy', form: 'text' }, mass, standIns)).toMatchObject({ kind: 'unreadable', text: 'heavy' });
  });
  it('shows units and nothing', () =>
    expect([plainHeld(null), plainHeld({ text: '', form: 'text' }), plainHeld({ text: '2', form: 'measure', unit: 'kg' })]).toEqual(['—', '—', '2 kg']));
});

describe('a failed request', () => {
  it('speaks in the words of the server, or says that it does not answer', () => {
    expect(problemOf(new HttpErrorResponse({ status: 422, error: { code: 'bad-values', detail: 'No.' } })).detail).toBe('No.');
    expect(problemOf(new HttpErrorResponse({ status: 422, error: '{"code":"x","detail":"As text."}' })).detail).toBe('As text.');
    expect(problemOf(new HttpErrorResponse({ status: 0 })).code).toBe('offline');
    expect(problemOf(new HttpErrorResponse({ status: 500, error: '<html>' })).detail).toBe('The server answered with status 500.');
  });
});

describe('the tray', () => {
  const line = (id: number, change: Partial<TrayLine>): TrayLine => ({
    id,
    file: 1,
    path: 'a',
    holder: '',
    holderLevel: null,
    holderLabel: null,
    place: 'property',
    name: 'N',
    base: null,
    proposed: null,
    reason: '',
    follows: false,
    accepted: true,
    state: 'pending',
    message: null,
    current: null,
    verdict: 'apply',
    refused: null,
    alsoPending: [],
    ...change,
  });
  it('keeps the first lines and the counts of all', () => {
    const lines = [line(1, {}), line(2, { file: 2, verdict: 'conflict' }), line(3, { file: 2, refused: 'locked', accepted: false })];
    const counts = { lines: 80_000, accepted: 79_999, files: 2, undecided: 1 };
    const state = { tray: trayFeature.reducer(undefined, TrayActions.loaded({ lines, counts })) };
    expect(trayFeature.selectCounts(state)).toEqual(counts);
    expect(trayFeature.selectSteps(state)).toEqual({ undo: 0, redo: 0 });
  });
  it('says which files were left out of what was typed', () => {
    const { counts } = trayFeature.reducer(undefined, TrayActions.load());
    const left = [{ file: 1, path: 'a.step', reason: 'The file is released in the vault.' }];
    const sent: unknown[] = [];
    const api = { propose: (body: unknown) => (sent.push(body), of({ lines: [], counts, steps: { undo: 0, redo: 0 }, left })) } as unknown as Api;
    const said: string[] = [];
    const told: Action[] = [];
    trayEffects
      .propose(of(TrayActions.propose({ values: [], reason: '' })), api, { done: (text: string) => said.push(text) } as unknown as Notices)
      .subscribe((action) => told.push(action));
    expect([sent, said, told]).toEqual([
      [{ values: [], reason: '' }],
      ['1 file is left out: a.step. The file is released in the vault.'],
      [TrayActions.loaded({ lines: [], counts, steps: { undo: 0, redo: 0 } })],
    ]);
  });
  it('reverts what was applied, and says which files an undo does not reach', () => {
    const failure = { path: 'a.step', message: 'is open in another program.' };
    const report = (failures: readonly (typeof failure)[]) => ({
      changeSet: 9,
      state: 'applied' as const,
      applied: 2,
      failed: 0,
      files: 2,
      failures: [...failures],
    });
    for (const [failures, text] of [
      [[], 'Undone: 2 values in 2 files.'],
      [[failure], 'a.step: is open in another program.'],
    ] as const) {
      const said: string[] = [];
      const told: Action[] = [];
      const say = (words: string) => said.push(words);
      trayEffects
        .revert(
          of(TrayActions.revert({ changeSet: 8 })),
          { revert: () => of(report(failures)) } as unknown as Api,
          { done: say, error: say } as unknown as Notices,
        )
        .subscribe((action) => told.push(action));
      expect([said, told]).toEqual([[text], [TrayActions.applied({ report: { ...report(failures), applied: 0 } }), TrayActions.open({ open: false })]]);
    }
  });
  it('tells views that something was applied', () => {
    const report = { changeSet: 1, state: 'applied' as const, applied: 1, failed: 0, files: 1, failures: [] };
    const state = trayFeature.reducer(trayFeature.reducer(undefined, TrayActions.apply({ mode: 'whole', title: '' })), TrayActions.applied({ report }));
    expect([state.busy, state.report, state.appliedCount]).toEqual([false, report, 1]);
  });
});
