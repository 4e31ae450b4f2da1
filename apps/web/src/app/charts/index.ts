export * from './charts';
