export * from './select';
export { RuleCheck } from './check';
export { RuleRadio } from './radio';
