import { jest } from '@jest/globals';

// Busy machines need more than five seconds for one second of work.
jest.setTimeout(120_000);
