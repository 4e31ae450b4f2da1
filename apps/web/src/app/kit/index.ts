export * from './select';
export { RuleCheck } from './check';
export * from './column';
export { RuleTable } from './table';
export { RuleRadio } from './radio';
export { RuleTakeFile } from './take-file';
export { RuleWaiting } from './waiting';
