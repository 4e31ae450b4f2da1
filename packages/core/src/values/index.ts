export * from './held';
export * from './units';
export * from './blank';
export * from './type';
export * from './number';
export * from './words';
