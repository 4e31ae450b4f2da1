export * from './rule-field';
