export { FillSheet } from './fill-sheet';
