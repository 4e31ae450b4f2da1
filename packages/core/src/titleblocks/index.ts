export * from './binding';
export * from './form';
export * from './learn';
