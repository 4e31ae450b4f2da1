import { LinkValues } from '@rule/contract';

type Action = LinkValues['decision']['action'];

/** What the next check-in does with a link, in words. */
export const DECISION_WORDS: Readonly<Record<Action, string>> = {
  equal: 'nothing',
  in: 'file → record',
  out: 'record → file',
  ask: 'asks you',
  stays: 'stays apart',
};

/** How a decision is marked beside its words. */
export const DECISION_CHIP: Readonly<Record<Action, string>> = { equal: 'good', in: 'brass', out: 'brass', ask: 'warn', stays: 'warn' };
