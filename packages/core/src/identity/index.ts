export * from './match';
