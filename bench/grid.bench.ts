import { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { pino } from 'pino';
import { buildApp } from '../apps/server/src/app';
import { addUser } from '../apps/server/src/users/users';
import { openServices } from './services';
import { FILES, fillWide, ruled, typed } from './wide';

/** A frame longer than this is one that a person sees. */
const LONG_MS = 50;
const PASSWORD = 'not a secret';

const { services, db, url, close } = await openServices();
await fillWide(db);
await services.editions.decree(null, 'the schema in force', [...typed, ...ruled]);
await addUser(db, 'bench', 'Bench', 'administrator', PASSWORD);
const { app, close: closeApp } = buildApp({
  services,
  databaseUrl: url,
  sessionSecret: 'bench',
  webFolder: join(import.meta.dirname, '../apps/web/dist/browser'),
  log: pino({ level: 'silent' }),
});
const server = app.listen(0, '127.0.0.1');
await new Promise((done) => server.once('listening', done));
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--headless', '--no-sandbox', '--disable-gpu'] });
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`);
  await page.getByLabel('Name').fill('bench');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Stations' }).waitFor();
  await page.getByRole('link', { name: 'Values' }).click();
  await page.getByRole('rowheader').nth(5).waitFor();
  await page.waitForTimeout(1500);

  /** Scrolls as a wheel does, by so many pixels a frame, and notes how long frames take. */
  const scroll = (perFrame: number, sideways: boolean) =>
    page.evaluate<number[]>(`new Promise((done) => {
      const frame = document.querySelector('[role=grid]');
      frame.scrollTop = 0;
      frame.scrollLeft = 0;
      const times = [];
      let last = performance.now();
      const next = (now) => {
        times.push(now - last);
        last = now;
        if (${sideways}) frame.scrollLeft = (frame.scrollLeft + ${perFrame}) % 3000;
        else frame.scrollTop += ${perFrame};
        if (times.length < 300) requestAnimationFrame(next);
        else done(times.slice(5));
      };
      requestAnimationFrame(next);
    })`);
  const idle = await scroll(0, false);
  console.log(`### Scrolling the grid over ${FILES} rows × 40 columns in Chromium, 295 frames each\n`);
  console.log('| | median frame, ms | longest, ms | frames over 50 ms |');
  console.log('|---|---:|---:|---:|');
  const row = (what: string, times: number[]) => {
    const sorted = [...times].sort((a, b) => a - b);
    console.log(
      `| ${what} | ${sorted[Math.floor(sorted.length / 2)]!.toFixed(1)} | ${sorted.at(-1)!.toFixed(1)} | ${times.filter((ms) => ms > LONG_MS).length} |`,
    );
  };
  row('standing still: the floor', idle);
  row('by 60 pixels a frame', await scroll(60, false));
  row('by 600 pixels a frame, twenty rows', await scroll(600, false));
  row('by 9,000 pixels a frame, to row 90,000', await scroll(9000, false));
  row('sideways, by 40 pixels a frame', await scroll(40, true));
  console.log('');
} finally {
  await browser.close();
  server.closeAllConnections();
  server.close();
  await closeApp();
  await close();
}
