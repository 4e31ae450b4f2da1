export * from './link';
