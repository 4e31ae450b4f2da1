export * from './company';
