export * from './box';
export * from './mass';
export * from './picture';
