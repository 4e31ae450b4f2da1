export * from './company';
export { scannedPage } from './scan';
