import { defineConfig } from '@playwright/test';

/** Drives the real interface in Debian's Chromium, on the real server, database, vault stand-in and files. */
export default defineConfig({
  testDir: '.',
  // The walk counts what the demo holds; Survey's walk brings more files in afterwards.
  projects: [
    { name: 'demo', testMatch: ['access.e2e.ts', 'walk.e2e.ts'] },
    { name: 'values', testMatch: 'values.e2e.ts', dependencies: ['demo'] },
    { name: 'survey', testMatch: 'survey.e2e.ts', dependencies: ['values'] },
    { name: 'exchange', testMatch: 'exchange.e2e.ts', dependencies: ['values'] },
    { name: 'schema', testMatch: 'schema.e2e.ts', dependencies: ['survey', 'exchange'] },
  ],
  timeout: 120_000,
  expect: { timeout: 10_000 },
  workers: 1,
  forbidOnly: true,
  outputDir: '../test-results',
  globalSetup: './stack.ts',
  use: {
    baseURL: `http://127.0.0.1:${process.env['RULE_E2E_PORT']}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    actionTimeout: 10_000,
    trace: 'retain-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--headless',
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
