import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { Locator, Page, expect } from '@playwright/test';
import { DEMO_PASSWORD } from '@rule/demo';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Axe {
  run(options: object): Promise<{ violations: { id: string; impact: string; nodes: { html: string; failureSummary: string }[] }[] }>;
}

/**
 * WCAG 2.1 AA violations that can be checked automatically.
 * @param rules names of single rules; without, all
 */
export async function accessFaults(page: Page, where: string, rules?: readonly string[]): Promise<string[]> {
  // Via the debugger, leaving the page's CSP unchanged.
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe);
  const { violations } = await page.evaluate(
    (runOnly) => (window as unknown as { axe: Axe }).axe.run({ runOnly, resultTypes: ['violations'] }),
    rules ? { type: 'rule', values: [...rules] } : { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] },
  );
  return violations.map(
    ({ id, nodes }) => `${where}: ${id}: ${nodes.map((node) => `${node.html.slice(0, 160)} — ${node.failureSummary.slice(0, 200)}`).join(' | ')}`,
  );
}

/** Signs in. */
export async function signIn(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(DEMO_PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('navigation', { name: 'Stations' })).toBeVisible();
}

/** Chooses in a list of the kit. */
export async function choose(list: Locator, option: string): Promise<void> {
  await list.click();
  await list.page().getByRole('option', { name: option, exact: true }).click();
}

/** Opens a station. */
export async function station(page: Page, name: string): Promise<void> {
  await page.getByRole('navigation', { name: 'Stations' }).getByRole('link', { name }).click();
}

/** A grid cell by file and caption; scrolls to columns that are not rendered. */
export async function gridCell(page: Page, file: string, caption: string) {
  const grid = page.getByRole('grid');
  const row = grid.getByRole('row').filter({ has: page.getByRole('rowheader', { name: new RegExp(`^\\s*${file.replace('.', '\\.')}`) }) });
  const header = grid.getByRole('columnheader').filter({ has: page.getByRole('button', { name: new RegExp(`^${caption}(, [^ ]+)?( [↑↓])?$`) }) });
  await expect(grid.getByRole('columnheader').nth(1)).toBeVisible();
  for (let left = 0; (await header.count()) === 0 && left < 6000; left += 300) {
    // The grid renders in the next frame.
    await grid.evaluate(async (frame, to) => {
      frame.scrollLeft = to;
      for (let frames = 0; frames < 3; frames++) await new Promise((drawn) => requestAnimationFrame(drawn));
    }, left);
  }
  await expect(header).toHaveCount(1);
  return row.locator(`[aria-colindex="${await header.getAttribute('aria-colindex')}"]`);
}

/** Applies the tray and waits for the report. */
export async function applyTray(page: Page): Promise<string> {
  if (!(await page.getByRole('region', { name: 'Pending changes' }).isVisible())) await page.getByRole('button', { name: 'Review' }).click();
  await page.getByRole('button', { name: /^Apply/ }).click();
  const report = page.getByRole('region', { name: 'Pending changes' }).getByRole('status');
  await expect(report).toBeVisible();
  return (await report.textContent()) ?? '';
}
