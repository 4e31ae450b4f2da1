import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { signalStore } from '@ngrx/signals';
import { Subject } from 'rxjs';
import { withAnswer } from './answer';
import { Api } from './api';

describe('an answer in a store', () => {
  const asked: { readonly what: string; readonly answer: Subject<string> }[] = [];
  const Answer = signalStore(
    withAnswer((_, what: string) => {
      const answer = new Subject<string>();
      asked.push({ what, answer });
      return answer;
    }),
  );
  it('is that to the last question, stays until the next one, and gives way to the reason why there is none', () => {
    TestBed.configureTestingModule({ providers: [Answer, { provide: Api, useValue: {} }] });
    const store = TestBed.inject(Answer);
    store.ask('first');
    store.ask('second');
    asked[0]!.answer.next('too late');
    expect(store.answer()).toBeNull();
    asked[1]!.answer.next('two');
    store.ask('third');
    expect(store.answer()).toBe('two');
    asked[2]!.answer.error(new Error('The server is away.'));
    expect([store.answer(), store.error()]).toEqual([null, 'The server is away.']);
    store.ask('fourth');
    expect(store.error()).toBeNull();
    asked[3]!.answer.next('four');
    store.ask(null);
    expect([store.answer(), store.error(), asked.map(({ what }) => what)]).toEqual([null, null, ['first', 'second', 'third', 'fourth']]);
  });
});
