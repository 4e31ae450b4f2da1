export { VaultStation } from './vault';
