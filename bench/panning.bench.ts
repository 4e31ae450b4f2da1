import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { largeDrawing } from './large';
import { inBrowser } from './scrolling';
import { openServices } from './services';

/** Longer frames are noticeable. */
const LONG_MS = 50;
const FRAMES = 200;
const folder = mkdtempSync(join(tmpdir(), 'rule-bench-sheet-'));
writeFileSync(join(folder, 'large.dxf'), largeDrawing(5_000_000));
const { services, url, close } = await openServices();
await services.libraries.add('Drawings', folder);
await services.scanner.rescan();

/** Frame times while dragging the sheet. */
const drag = (by: number) => `new Promise((done) => {
  const frame = document.querySelector('rule-sheet-view .frame');
  const { left, top } = frame.getBoundingClientRect();
  const at = (type, n) => frame.dispatchEvent(new PointerEvent(type, { pointerId: 1, button: 0, bubbles: true, clientX: left + 300 + (n % 40) * ${by}, clientY: top + 120 + (n % 30) * ${by} }));
  frame.setPointerCapture = () => undefined;
  at('pointerdown', 0);
  paints.length = 0;
  const times = [];
  let last = performance.now();
  const next = (now) => {
    times.push(now - last);
    last = now;
    at('pointermove', times.length);
    if (times.length < ${FRAMES}) requestAnimationFrame(next);
    else { at('pointerup', 0); setTimeout(() => done({ times: times.slice(5), paints: [...paints] }), 500); }
  };
  requestAnimationFrame(next);
})`;
const row = (what: string, times: readonly number[]) => {
  const sorted = [...times].sort((a, b) => a - b);
  const at = (part: number) => (sorted.length ? sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))]!.toFixed(1) : '–');
  console.log(`| ${what} | ${sorted.length} | ${at(0.5)} | ${at(1)} | ${times.filter((ms) => ms > LONG_MS).length} |`);
};

await inBrowser(services, url, async (page) => {
  // Frame times of the worker.
  await page.addInitScript(`globalThis.paints = [];
    globalThis.Worker = class extends Worker {
      constructor(...given) { super(...given); this.addEventListener('message', ({ data }) => data.is === 'painted' && paints.push(data.milliseconds)); }
    };`);
  const began = Date.now();
  await page.goto(new URL('/title-blocks', page.url()).href);
  await page.locator('rule-sheet-view .frame[aria-busy="false"]').waitFor();
  const first = Date.now() - began;
  console.log(`### A drawing of 5 MB in Chromium: opened and drawn ${first} ms after the page was asked for\n`);
  console.log('| | pictures | median, ms | longest, ms | over 50 ms |');
  console.log('|---|---:|---:|---:|---:|');
  for (const [what, key] of [
    ['the block', 'b'],
    ['the whole sheet', 's'],
  ] as const) {
    await page.locator('rule-sheet-view .frame').focus();
    await page.keyboard.press(key);
    const { times, paints } = await page.evaluate<{ times: number[]; paints: number[] }>(drag(6));
    row(`frames of the page while ${what} is dragged`, times);
    row(`pictures that the worker draws of ${what} meanwhile`, paints);
  }
  console.log('');
}).finally(async () => {
  await close();
  rmSync(folder, { recursive: true });
});
