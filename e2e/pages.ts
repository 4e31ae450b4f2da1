import { Page, expect } from '@playwright/test';
import { DEMO_PASSWORD } from '@rule/demo';

/** Signs a person in. */
export async function signIn(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(DEMO_PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('navigation', { name: 'Stations' })).toBeVisible();
}

/** Opens a station from the scale. */
export async function station(page: Page, name: string): Promise<void> {
  await page.getByRole('navigation', { name: 'Stations' }).getByRole('link', { name }).click();
}

/** The grid's cell of a file and a property's caption. Scrolls the grid to it with the keyboard, as a person would. */
export async function gridCell(page: Page, file: string, caption: string) {
  const grid = page.getByRole('grid');
  const row = grid.getByRole('row').filter({ has: page.getByRole('rowheader', { name: new RegExp(`^\\s*${file.replace('.', '\\.')}`) }) });
  await expect(grid.getByRole('columnheader', { name: new RegExp(`^${caption}`) })).toBeVisible();
  const headers = await grid.getByRole('columnheader').allTextContents();
  const column = headers.findIndex(
    (text) =>
      text
        .trim()
        .split(',')[0]!
        .replace(/ [↑↓]$/, '') === caption,
  );
  expect(column).toBeGreaterThan(0);
  return row.locator(`[aria-colindex="${column + 1}"]`);
}

/** Applies what waits in the tray and waits for the report. */
export async function applyTray(page: Page): Promise<string> {
  if (!(await page.getByRole('region', { name: 'Pending changes' }).isVisible())) await page.getByRole('button', { name: 'Review' }).click();
  await page.getByRole('button', { name: /^Apply/ }).click();
  const report = page.getByRole('region', { name: 'Pending changes' }).getByRole('status');
  await expect(report).toBeVisible();
  return (await report.textContent()) ?? '';
}
