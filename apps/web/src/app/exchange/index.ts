export { ExchangeStation } from './exchange';
