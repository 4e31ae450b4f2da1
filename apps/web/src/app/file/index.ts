export { FilePage } from './file';
