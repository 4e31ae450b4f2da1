import { LockedOut } from '@rule/contract';
import { count } from '@rule/core/words';

/** Names files left out of an action; `null` if none. */
export const leftOutText = (left: readonly Pick<LockedOut, 'path' | 'reason'>[], one = 'file', many = `${one}s`): string | null =>
  left.length ? `${count(left.length, `${one} is`, `${many} are`)} left out: ${left[0]!.path}. ${left[0]!.reason}` : null;
