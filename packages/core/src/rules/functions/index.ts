import { CONTEXTS } from './contexts';
import { LISTS } from './lists';
import { NUMBERS } from './numbers';
import { RANGES } from './ranges';
import { Builtin } from './registry';
import { TEXTS } from './texts';
import { TIMES } from './times';

const table = new Map([TEXTS, NUMBERS, LISTS, CONTEXTS, RANGES, TIMES].flat().map((one) => [one.name, one]));

/** A function by name. */
export const builtin = (name: string): Builtin | undefined => table.get(name);
/** All functions by name. */
export const BUILTINS = (): readonly Builtin[] => [...table.values()].sort((a, b) => a.name.localeCompare(b.name));

export { Meter, RuleLimit, callBuiltin } from './registry';
export type { Builtin, Host } from './registry';
export { textOf } from './texts';
export { roundTo } from './numbers';
