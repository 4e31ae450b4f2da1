export * from './entry-form';
