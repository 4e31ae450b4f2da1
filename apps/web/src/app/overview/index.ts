export { OverviewStation } from './overview';
