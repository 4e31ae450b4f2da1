export * from './prepared';
export * from './check';
export * from './plan';
export * from './fill';
export * from './pack';
export * from './condition';
