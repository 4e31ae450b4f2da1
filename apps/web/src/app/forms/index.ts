export { FormsStation } from './forms';
