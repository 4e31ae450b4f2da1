export * from './select';
export { RuleCheck } from './check';
export { RuleRadio } from './radio';
export { RuleTakeFile } from './take-file';
export { RuleWaiting } from './waiting';
