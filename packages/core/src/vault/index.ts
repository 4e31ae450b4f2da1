export * from './link';
export * from './leads';
