import { jest } from '@jest/globals';

// Machines are busy at times: five seconds are too few for work that takes one.
jest.setTimeout(120_000);
