import { By } from '@angular/platform-browser';
import { Type } from '@angular/core';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { DraftView, FoundName, Settings } from '@rule/contract';
import { Property, newDraft } from '@rule/core/schema';
import { Action, ActionsSubject, Store, provideStore } from '@ngrx/store';
import { Observable, of } from 'rxjs';
import { RuleSelect } from '../app/kit';
import { Api, CatalogueActions, Notices, SessionActions, sharedReducers } from '../app/shared';
import { rested } from './rest';

/** A property for the catalogue. */
export const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({
  ...newDraft(writtenName),
  id,
  retired: false,
  ...change,
});

/**
 * A draft as the server returns it.
 * @param schema content besides properties
 */
export const draftView = (properties: readonly Property[], schema: object = {}, more: Partial<DraftView> = {}): DraftView => ({
  number: 2,
  revision: 1,
  inForce: 1,
  schema: { properties, checks: [], lists: [], forms: [], bindings: [], links: [], ...schema } as unknown as DraftView['schema'],
  changes: [],
  problems: [],
  edits: [],
  ...more,
});

/** A found name, in survey form. */
export const foundName = (name: string, change: Partial<FoundName> = {}): FoundName => ({
  name,
  level: 'document',
  kind: 'part',
  files: 4,
  filled: 3,
  standIns: 1,
  distinct: 2,
  examples: ['x', 'y'],
  guess: { type: 'text', unit: null },
  ...change,
});

/** jsdom has no layout: sets the viewport height for virtual rows, which cannot be scrolled. */
export const giveRoom = (): void => {
  Object.defineProperty(HTMLElement.prototype, 'clientHeight', { configurable: true, value: 400 });
  Object.defineProperty(HTMLElement.prototype, 'scrollTo', { configurable: true, value: () => undefined });
};

/** Recorded API calls. */
export interface Call {
  readonly name: string;
  readonly args: readonly unknown[];
}

/** Test stage for a component: real store, canned API answers, recorded calls. */
export class Stage {
  readonly calls: Call[] = [];
  /** Recorded actions. */
  readonly actions: Action[] = [];
  /** Recorded toasts. */
  readonly said: string[] = [];
  fixture!: ComponentFixture<unknown>;

  /** @param answers by `Api` method: a value, a function of its arguments, or an observable */
  constructor(
    answers: Readonly<Record<string, unknown>>,
    { role = 'administrator', properties = [] as readonly Property[], providers = [] as readonly unknown[] } = {},
  ) {
    const api = Object.fromEntries(
      Object.entries(answers).map(([name, answer]) => [
        name,
        (...args: unknown[]): Observable<unknown> => {
          this.calls.push({ name, args });
          const given: unknown = typeof answer === 'function' ? (answer as (...all: unknown[]) => unknown)(...args) : answer;
          return given instanceof Observable ? given : of(given);
        },
      ]),
    );
    const notices = {
      done: (text: string) => this.said.push(text),
      error: (text: string) => this.said.push(text),
      failed: (error: unknown) => this.said.push(String(error)),
    };
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore(sharedReducers),
        { provide: Api, useValue: api },
        { provide: Notices, useValue: notices },
        ...(providers as []),
      ],
    });
    TestBed.inject(ActionsSubject).subscribe((action) => this.actions.push(action));
    const store = TestBed.inject(Store);
    store.dispatch(SessionActions.known({ state: { user: { name: 'varga', displayName: 'Ilona Varga', role }, csrf: '', company: '' } as never }));
    store.dispatch(CatalogueActions.loaded({ properties: [...properties], settings: { company: '', standIns: [] } as unknown as Settings }));
  }

  get page(): HTMLElement {
    return this.fixture.nativeElement as HTMLElement;
  }

  async show(component: Type<unknown>, inputs: Readonly<Record<string, unknown>> = {}): Promise<void> {
    this.fixture = TestBed.createComponent(component);
    for (const [name, value] of Object.entries(inputs)) this.fixture.componentRef.setInput(name, value);
    await this.settled();
  }

  async settled(): Promise<void> {
    this.fixture.detectChanges();
    await this.fixture.whenStable();
    this.fixture.detectChanges();
    if (!this.page.querySelector('cdk-virtual-scroll-viewport')) return;
    // Virtual rows are rendered after their room was measured.
    await this.fixture.whenStable();
    this.fixture.detectChanges();
  }

  /** Waits until nothing is pending: debounces, requests, frames. */
  rested(): Promise<void> {
    return rested(() => this.settled());
  }

  text(selector = ':scope'): string {
    const found = selector === ':scope' ? this.page : this.page.querySelector(selector);
    return (found?.textContent ?? '').replace(/\s+/g, ' ').trim();
  }

  /** Search root, including dialogs outside the component. */
  private get scene(): HTMLElement {
    return this.page.ownerDocument.body;
  }

  /** A button by text or label. */
  button(name: string | RegExp): HTMLButtonElement {
    const fits = (text: string) => (typeof name === 'string' ? text === name : name.test(text));
    const found = [...this.scene.querySelectorAll('button')].find((each) =>
      fits(each.getAttribute('aria-label') ?? (each.textContent ?? '').replace(/\s+/g, ' ').trim()),
    );
    if (!found) throw new Error(`There is no button ${String(name)}.`);
    return found;
  }

  /** An input by label. */
  field<T extends HTMLInputElement | HTMLTextAreaElement = HTMLInputElement>(name: string): T {
    const labelled = [...this.scene.querySelectorAll<T>('input, textarea')].find((each) => {
      if (each.getAttribute('aria-label') === name) return true;
      const label = each.closest('label');
      const plain = [...(label?.childNodes ?? [])].filter((node) => node.nodeType === Node.TEXT_NODE).map((node) => node.textContent ?? '');
      const own = (label?.querySelector('span')?.textContent ?? plain.join(' ')).replace(/\s+/g, ' ').trim();
      return own === name;
    });
    if (!labelled) throw new Error(`There is no field ${name}.`);
    return labelled;
  }

  async click(name: string | RegExp): Promise<void> {
    this.button(name).click();
    await this.settled();
  }

  async type(name: string, value: string): Promise<void> {
    const input = this.field(name);
    input.value = value;
    input.dispatchEvent(new Event('input'));
    input.dispatchEvent(new Event('change'));
    await this.settled();
  }

  /** The lists to choose from, by their names. */
  get lists(): ReadonlyMap<string | null, RuleSelect> {
    const all = this.fixture.debugElement.queryAll(By.directive(RuleSelect)).map((each) => each.componentInstance as RuleSelect);
    return new Map(all.reverse().map((each) => [each.name, each]));
  }

  /** A list by its name. */
  list(name: string): RuleSelect {
    const list = this.lists.get(name);
    if (!list) throw new Error(`There is no list ${name}, but ${[...this.lists.keys()].join(', ')}.`);
    return list;
  }

  /** Chooses in a list by its text. */
  async select(name: string, text: string): Promise<void> {
    const list = this.list(name);
    const at = list.texts.indexOf(text);
    if (at < 0) throw new Error(`${name} offers ${list.texts.join(', ')}.`);
    list.choose(at);
    await this.settled();
  }

  /** Chooses in a list by its value; `null` clears it. */
  async pick(name: string, value: unknown): Promise<void> {
    const list = this.list(name);
    const at = value === null ? null : list.values.indexOf(value);
    if (at === -1) throw new Error(`${name} offers ${list.texts.join(', ')}.`);
    list.choose(at);
    await this.settled();
  }

  async tick(name: string, on: boolean): Promise<void> {
    const box = this.field(name);
    box.checked = on;
    box.dispatchEvent(new Event('change'));
    await this.settled();
  }

  /** A child component. */
  find<T>(type: Type<T>): T {
    const found = this.fixture.debugElement.query((node) => node.componentInstance instanceof type);
    return found.componentInstance as T;
  }

  /** Arguments of a method's last call. */
  last(name: string): readonly unknown[] | undefined {
    return this.calls.findLast((call) => call.name === name)?.args;
  }

  /** The last action of a type. */
  action<A extends Action>(type: string): A | undefined {
    return this.actions.findLast((action) => action.type === type) as A | undefined;
  }
}
