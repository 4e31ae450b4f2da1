export * from './start';
