export * from './held';
export * from './units';
export * from './blank';
export * from './type';
