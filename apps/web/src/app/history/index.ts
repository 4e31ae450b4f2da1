export { HistoryStation } from './history';
