export { SchemaStation } from './schema';
