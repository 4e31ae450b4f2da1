export { App } from './app';
export { appConfig } from './config';
