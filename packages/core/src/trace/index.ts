export * from './way';
