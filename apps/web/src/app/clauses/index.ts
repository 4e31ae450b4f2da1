export * from './clauses';
