import { jest } from '@jest/globals';
import { setupZonelessTestEnv } from 'jest-preset-angular/setup-env/zoneless/index.mjs';
import { countTimers } from './rest';

// Generous for slow machines.
jest.setTimeout(60_000);
countTimers();
setupZonelessTestEnv();

// jsdom lacks matchMedia, which overlays and themes use.
Object.defineProperty(window, 'matchMedia', {
  configurable: true,
  value: (media: string) => ({ matches: false, media, addEventListener: () => undefined, removeEventListener: () => undefined, addListener: () => undefined }),
});
