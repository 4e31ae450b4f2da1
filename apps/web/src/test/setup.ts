import { jest } from '@jest/globals';
import { setupZonelessTestEnv } from 'jest-preset-angular/setup-env/zoneless/index.mjs';
import { countTimers } from './rest';

// Machines are busy at times.
jest.setTimeout(60_000);
countTimers();
setupZonelessTestEnv();

// jsdom knows no screens; overlays and the theme ask for one.
Object.defineProperty(window, 'matchMedia', {
  configurable: true,
  value: (media: string) => ({ matches: false, media, addEventListener: () => undefined, removeEventListener: () => undefined, addListener: () => undefined }),
});
