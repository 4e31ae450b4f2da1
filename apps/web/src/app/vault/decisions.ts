import { LinkValues } from '@rule/contract';

type Action = LinkValues['decision']['action'];

/** Outcome of a link at the next check-in, in words. */
export const DECISION_WORDS: Readonly<Record<Action, string>> = {
  equal: 'nothing',
  in: 'file → record',
  out: 'record → file',
  ask: 'asks you',
  stays: 'stays apart',
};

/** CSS class of a decision. */
export const DECISION_CHIP: Readonly<Record<Action, string>> = { equal: 'good', in: 'brass', out: 'brass', ask: 'warn', stays: 'warn' };
