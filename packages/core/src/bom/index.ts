export * from './layout';
export * from './structures';
export * from './rows';
export * from './numbers';
export * from './table';
export * from './compare';
export * from './where-used';
export * from './counted';
