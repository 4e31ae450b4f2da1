export * from './count';
