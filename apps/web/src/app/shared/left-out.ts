import { LockedOut } from '@rule/contract';
import { count } from '@rule/core/words';

/** Says which files an action left out because they cannot be written now, naming the first; `null` when it left out none. */
export const leftOutText = (left: readonly Pick<LockedOut, 'path' | 'reason'>[], one = 'file', many = `${one}s`): string | null =>
  left.length ? `${count(left.length, `${one} is`, `${many} are`)} left out: ${left[0]!.path}. ${left[0]!.reason}` : null;
