export * from './binding';
export * from './form';
export * from './learn';
export * from './owner';
export * from './typed';
export * from './exchange';
export * from './outlines';
