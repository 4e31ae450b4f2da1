import { provideHttpClient, withInterceptors } from '@angular/common/http';
import { ApplicationConfig, provideBrowserGlobalErrorListeners, provideZonelessChangeDetection } from '@angular/core';
import { provideRouter, withComponentInputBinding, withRouterConfig } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import { MessageService } from 'primeng/api';
import { providePrimeNG } from 'primeng/config';
import { csrfInterceptor, sharedEffects, sharedReducers } from '../shared';
import { routes } from './routes';
import { RuleTheme } from './theme';

export const appConfig: ApplicationConfig = {
  providers: [
    provideBrowserGlobalErrorListeners(),
    provideZonelessChangeDetection(),
    // Cancelled navigation keeps the browser's history order.
    provideRouter(routes, withComponentInputBinding(), withRouterConfig({ canceledNavigationResolution: 'computed' })),
    provideHttpClient(withInterceptors([csrfInterceptor])),
    provideStore(sharedReducers),
    provideEffects(...sharedEffects),
    providePrimeNG({ theme: { preset: RuleTheme, options: { darkModeSelector: '.dark', cssLayer: false } } }),
    MessageService,
  ],
};
