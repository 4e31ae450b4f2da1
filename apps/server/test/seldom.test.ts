import { expect, it } from '@jest/globals';
import { SessionData, Store } from 'express-session';
import { touchSeldom } from '../src/platform/seldom';

it('a session is extended once per interval, and every time its caller is told', () => {
  const touched: string[] = [];
  let told = 0;
  let now = 0;
  const store = { touch: (sid: string, _: SessionData, done: () => void) => (touched.push(sid), done()) } as unknown as Store;
  touchSeldom(store, 1000, () => now);
  const touch = (sid: string, at: number) => {
    now = at;
    store.touch!(sid, {} as SessionData, () => told++);
  };
  touch('a', 0);
  touch('a', 999);
  touch('b', 999);
  touch('a', 1000);
  expect([touched, told]).toEqual([['a', 'b', 'a'], 4]);
});
