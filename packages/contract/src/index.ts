export * from './session';
export * from './schema';
export * from './files';
export * from './values';
export * from './mapping';
export * from './exchange';
export * from './problem';
