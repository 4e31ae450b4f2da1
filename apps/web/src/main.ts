import { bootstrapApplication } from '@angular/platform-browser';
import { App } from './app/shell';
import { appConfig } from './app/shell';

bootstrapApplication(App, appConfig).catch((error: unknown) => console.error(error));
