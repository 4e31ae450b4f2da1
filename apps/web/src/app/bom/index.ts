export { BomStation } from './bom';
