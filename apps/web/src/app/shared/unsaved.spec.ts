import { Component, EnvironmentInjector, createEnvironmentInjector, runInInjectionContext, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router, provideRouter } from '@angular/router';
import { RouterTestingHarness } from '@angular/router/testing';
import { describe, expect, it } from '@jest/globals';
import { GOES_ALONG, Unsaved, leavesNothing } from './unsaved';
import { Working, workingCopy } from './working';

interface Sheet {
  readonly name: string;
  readonly lines: readonly string[];
}

/** A working copy of `server`, without a component. */
function working(first: { key: string; value: Sheet | null }): {
  server: ReturnType<typeof signal<{ key: string; value: Sheet | null }>>;
  copy: Working<Sheet | null>;
  gone: () => void;
} {
  const server = signal(first);
  const place = createEnvironmentInjector([], TestBed.inject(EnvironmentInjector));
  const copy = runInInjectionContext(place, () => workingCopy(server, (sheet) => `the sheet ${sheet?.name}`));
  return { server, copy, gone: () => place.destroy() };
}
const a = { name: 'a', lines: ['1'] };
const rename = (name: string) => (sheet: Sheet | null) => sheet && { ...sheet, name };

describe('a working copy', () => {
  it('follows the server until something is typed, and keeps what is typed when the server is read anew', () => {
    const { server, copy } = working({ key: 'a', value: null });
    server.set({ key: 'a', value: a });
    expect([copy.value(), copy.changed()]).toEqual([a, false]);
    copy.update(rename('b'));
    expect([copy.value()?.name, copy.changed()]).toEqual(['b', true]);
    server.set({ key: 'a', value: { ...a, lines: ['1', '2'] } });
    expect([copy.value(), copy.changed()]).toEqual([{ name: 'b', lines: ['1'] }, true]);
  });
  it('what was typed back, saved, or comes from the server in the same words is no change', () => {
    const { server, copy } = working({ key: 'a', value: a });
    copy.update(rename('b'));
    copy.update(rename('a'));
    expect(copy.changed()).toBe(false);
    copy.update(rename('c'));
    server.set({ key: 'a', value: { lines: ['1'], name: 'c' } });
    expect(copy.changed()).toBe(false);
    copy.update(rename('d'));
    copy.saved();
    expect([copy.changed(), copy.value()?.name]).toEqual([false, 'd']);
    server.set({ key: 'a', value: { ...a, name: 'e' } });
    expect(copy.value()?.name).toBe('e');
  });
  it('something else is begun afresh; a reset takes what the server holds', () => {
    const { server, copy } = working({ key: 'a', value: a });
    copy.update(rename('b'));
    server.set({ key: 'z', value: { name: 'z', lines: [] } });
    expect([copy.value()?.name, copy.changed()]).toEqual(['z', false]);
    copy.set({ name: 'y', lines: [] });
    copy.reset();
    expect([copy.value()?.name, copy.changed()]).toEqual(['z', false]);
  });
  it('is watched as long as it lives', () => {
    const { copy, gone } = working({ key: 'a', value: a });
    const unsaved = TestBed.inject(Unsaved);
    expect(unsaved.what()).toEqual([]);
    copy.update(rename('b'));
    expect(unsaved.what()).toEqual(['the sheet b']);
    gone();
    expect(unsaved.what()).toEqual([]);
  });
});

@Component({ template: 'here' })
class Here {}
@Component({ template: 'there' })
class There {}

describe('leaving what is not saved', () => {
  async function routed() {
    TestBed.configureTestingModule({
      providers: [
        provideRouter([
          { path: 'here', component: Here, canDeactivate: [leavesNothing], runGuardsAndResolvers: 'paramsOrQueryParamsChange' },
          { path: 'there', component: There },
        ]),
      ],
    });
    const harness = await RouterTestingHarness.create('/here?item=1');
    const { copy } = working({ key: 'a', value: a });
    return { harness, copy, unsaved: TestBed.inject(Unsaved), router: TestBed.inject(Router) };
  }

  it('is not asked about where nothing is typed', async () => {
    const { router, unsaved } = await routed();
    expect([await router.navigateByUrl('/there'), unsaved.asking()]).toEqual([true, null]);
  });
  it('is asked about: whoever stays finds all as it was, whoever leaves goes', async () => {
    const { router, unsaved, copy } = await routed();
    copy.update(rename('b'));
    for (const target of ['/here?item=2', '/there']) {
      const stays = router.navigateByUrl(target);
      await Promise.resolve();
      await new Promise((next) => setTimeout(next));
      expect(unsaved.asking()).toEqual(['the sheet b']);
      unsaved.decide(false);
      expect([await stays, router.url, copy.value()?.name, unsaved.asking()]).toEqual([false, '/here?item=1', 'b', null]);
    }
    const goes = router.navigateByUrl('/there');
    await new Promise((next) => setTimeout(next));
    unsaved.decide(true);
    expect([await goes, router.url]).toEqual([true, '/there']);
  });
  it('is not asked about where it goes along', async () => {
    const { router, unsaved, copy } = await routed();
    copy.update(rename('b'));
    expect([await router.navigate(['here'], { queryParams: { item: 'new' }, info: GOES_ALONG }), unsaved.asking()]).toEqual([true, null]);
  });
  it('the page is not closed without a word either', async () => {
    const { copy } = await routed();
    const close = () => {
      const event = new Event('beforeunload', { cancelable: true });
      window.dispatchEvent(event);
      return event.defaultPrevented;
    };
    expect(close()).toBe(false);
    copy.update(rename('b'));
    expect(close()).toBe(true);
  });
  it('a newer question answers the older one', async () => {
    const { unsaved, copy } = await routed();
    copy.update(rename('b'));
    const answers: boolean[] = [];
    unsaved.leave().subscribe((leave) => answers.push(leave));
    unsaved.leave().subscribe((leave) => answers.push(leave));
    unsaved.decide(true);
    expect(answers).toEqual([false, true]);
  });
});
