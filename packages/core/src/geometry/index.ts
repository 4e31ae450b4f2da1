export * from './mass';
export * from './picture';
