export * from './entry-form';
export { EntryInput } from './entry-input';
