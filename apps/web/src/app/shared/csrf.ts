import { HttpInterceptorFn } from '@angular/common/http';
import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { sessionFeature } from './session.state';

/** Adds the CSRF token to writing requests. */
export const csrfInterceptor: HttpInterceptorFn = (request, next) => {
  if (request.method === 'GET' || !request.url.startsWith('/api')) return next(request);
  const csrf = inject(Store).selectSignal(sessionFeature.selectCsrf)();
  return next(request.clone({ setHeaders: { 'x-rule-csrf': csrf } }));
};
