import { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Page, chromium } from '@playwright/test';
import { pino } from 'pino';
import { buildApp } from '../apps/server/src/app';
import { Services } from '../apps/server/src/services';
import { addUser } from '../apps/server/src/users/users';

/** Longer frames are noticeable. */
const LONG_MS = 50;
const PASSWORD = 'not a secret';

/** Opens the application in Chromium, signed in. */
export async function inBrowser(services: Services, url: string, work: (page: Page) => Promise<void>): Promise<void> {
  await addUser(services.db, 'bench', 'Bench', 'administrator', PASSWORD);
  const { app, close } = buildApp({
    services,
    databaseUrl: url,
    sessionSecret: 'bench',
    webFolder: join(import.meta.dirname, '../apps/web/dist/browser'),
    log: pino({ level: 'silent' }),
    answers: { properties: {}, definitions: {} },
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
    await work(page);
  } finally {
    await browser.close();
    server.closeAllConnections();
    server.close();
    await close();
  }
}

/** Scrolls by the given pixels per frame and prints frame times; standing still is the floor. */
export async function reportScrolling(
  page: Page,
  title: string,
  selector: string,
  ways: readonly { readonly what: string; readonly perFrame: number; readonly sideways?: boolean }[],
): Promise<void> {
  const scroll = (perFrame: number, sideways: boolean) =>
    page.evaluate<{ times: number[]; moved: number }>(`new Promise((done) => {
      const frame = document.querySelector(${JSON.stringify(selector)});
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
        else done({ times: times.slice(5), moved: ${sideways} ? frame.scrollLeft : frame.scrollTop });
      };
      requestAnimationFrame(next);
    })`);
  console.log(`### ${title}, 295 frames each\n`);
  console.log('| | median frame, ms | longest, ms | frames over 50 ms |');
  console.log('|---|---:|---:|---:|');
  for (const { what, perFrame, sideways } of [{ what: 'standing still: the floor', perFrame: 0, sideways: false }, ...ways]) {
    const { times, moved } = await scroll(perFrame, sideways ?? false);
    if (perFrame > 0 && moved === 0) throw new Error(`${selector} does not scroll`);
    const sorted = [...times].sort((a, b) => a - b);
    console.log(
      `| ${what} | ${sorted[Math.floor(sorted.length / 2)]!.toFixed(1)} | ${sorted.at(-1)!.toFixed(1)} | ${times.filter((ms) => ms > LONG_MS).length} |`,
    );
  }
  console.log('');
}
