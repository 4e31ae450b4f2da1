export * from './fields';
export * from './check';
