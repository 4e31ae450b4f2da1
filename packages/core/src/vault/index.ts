export * from './link';
export * from './leads';
export * from './definition';
