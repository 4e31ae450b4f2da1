export * from './fonts';
export * from './room';
export * from './fit';
