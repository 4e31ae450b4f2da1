export { SettingsStation } from './settings';
