export * from './binding';
export * from './learn';
