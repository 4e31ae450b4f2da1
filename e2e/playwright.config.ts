import { defineConfig } from '@playwright/test';

/** Runs the interface in Debian's Chromium with real server, database, vault stand-in and files. */
export default defineConfig<object, { own: string }>({
  testDir: '.',
  projects: ['access', 'walk', 'values', 'survey', 'exchange', 'schema'].map((own) => ({ name: own, testMatch: `${own}.e2e.ts`, use: { own } })),
  timeout: 300_000,
  expect: { timeout: 30_000 },
  workers: 1,
  forbidOnly: true,
  outputDir: '../test-results',
  use: {
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    actionTimeout: 30_000,
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
