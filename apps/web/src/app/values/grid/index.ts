export { ValuesGrid } from './grid';
export * from './rows';
export * from './types';
