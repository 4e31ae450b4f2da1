export * from './binding';
