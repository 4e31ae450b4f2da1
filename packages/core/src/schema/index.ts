export * from './property';
export * from './names';
export * from './check';
