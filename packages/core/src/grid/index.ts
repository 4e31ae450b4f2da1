export * from './block';
export * from './series';
export * from './replace';
