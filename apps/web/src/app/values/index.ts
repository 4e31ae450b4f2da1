export { ValuesStation } from './values';
