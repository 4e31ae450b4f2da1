export * from './words';
export * from './twins';
export * from './values';
export * from './suggest';
export * from './cleanup';
export * from './foreign';
export * from './check';
