import { mkdtempSync, readFileSync, readdirSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Page, expect } from '@playwright/test';
import { readCsv } from '@rule/core/exchange';
import { step } from '@rule/core/files/step';
import { zipSync } from 'fflate';
import { applyTray, signIn, station } from './pages';
import { here, test } from './stack';

const INHERITED = join(import.meta.dirname, '../packages/demo/inherited');
const files = readdirSync(INHERITED, { recursive: true, encoding: 'utf8' }).filter((path) => statSync(join(INHERITED, path)).isFile());

/** The uploaded library on the server's disk. */
const uploaded = () => {
  const root = join(here().library, '..', 'uploads');
  return join(root, readdirSync(root)[0]!);
};
const value = (path: string, name: string) =>
  step
    .read(new Uint8Array(readFileSync(join(uploaded(), path))))
    .holders.find((holder) => holder.key === '')!
    .values.find((entry) => entry.place === 'property' && entry.name === name)?.held.text;

/** Drops a file on the page, like a file manager. */
async function drop(page: Page, region: string, name: string, bytes: Uint8Array): Promise<void> {
  const data = await page.evaluateHandle(
    ([base64, file]) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], file));
      return transfer;
    },
    [Buffer.from(bytes).toString('base64'), name] as const,
  );
  await page.getByRole('region', { name: region }).locator('rule-take-file').dispatchEvent('drop', { dataTransfer: data });
}

/** Adds the open clean-up's changes to the tray and applies them. */
async function carryOut(page: Page, wanted: RegExp): Promise<string> {
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('status')).toContainText(wanted);
  await dialog.getByRole('button', { name: /^Put .* in the tray/ }).click();
  await expect(dialog).toBeHidden();
  const report = await applyTray(page);
  await page.locator('rule-tray').getByRole('button', { name: 'Close' }).click();
  return report;
}

test('a library that nobody knows is dropped, looked through and cleaned up, and one step is undone', async ({ page }) => {
  await signIn(page, 'varga');

  await test.step('a zip is dropped and read, with a result for every file', async () => {
    await station(page, 'Survey');
    const dialog = page.getByRole('dialog');
    // What is still being loaded above may move the button away under the pointer.
    await expect(async () => {
      await page.getByRole('button', { name: 'Add library' }).click();
      await expect(dialog).toBeVisible();
    }).toPass();
    await dialog.getByLabel('Name of the library').fill('Ferrow');
    await dialog.getByLabel('uploaded files').check();
    await dialog.getByRole('button', { name: 'Begin the library' }).click();
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('Ferrow');
    const archive = zipSync({
      ...Object.fromEntries(files.map((path) => [path, new Uint8Array(readFileSync(join(INHERITED, path)))])),
      '../climbs out.step': new Uint8Array(3),
    });
    await drop(page, 'Upload', 'ferrow.zip', archive);
    const upload = page.getByRole('region', { name: 'Upload' });
    await expect(upload.getByRole('row', { name: /climbs out\.step refused/ })).toBeVisible({ timeout: 60_000 });
    await expect(upload.getByRole('status')).toContainText(`${files.length} added`);
    await expect(page.getByRole('button', { name: /^Ferrow/ })).toContainText(`${files.length} files`, { timeout: 60_000 });
    expect(readdirSync(join(uploaded(), '..'))).toHaveLength(1);
    await page.getByRole('button', { name: /^Jobs/ }).click();
    const jobs = page.getByRole('region', { name: 'Jobs' });
    await jobs
      .getByRole('button', { name: /with something to look at/ })
      .first()
      .click();
    await expect(jobs).toContainText('climbs out.step');
    await page.keyboard.press('Escape');
  });

  await test.step('surveyed: a name, its values, its files, how far it is filled', async () => {
    await page.getByRole('button', { name: /^Strays/ }).click();
    await page.getByLabel('Narrow the list of names').fill('Surface');
    await page.getByRole('row', { name: /\bSurface\b/ }).click();
    await expect(page.getByRole('complementary')).toContainText('with a stand-in');
    await page.getByRole('complementary').getByRole('button', { name: 'Its files' }).click();
    await expect(page.getByRole('status').filter({ hasText: 'files' }).first()).toContainText('14 files');
    await page.getByRole('button', { name: 'is a stand-in' }).click();
    await expect(page.getByRole('table', { name: 'Files' }).getByRole('row')).toHaveCount(4);
    await page.getByRole('button', { name: 'Surface is a stand-in ×' }).click();
    await page.getByRole('button', { name: 'Coverage' }).click();
    await page.getByLabel('as a table').check();
    await page.getByRole('button', { name: /^Descr, part: \d+ of \d+ filled/ }).click();
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('Files by any value');
    await page.getByRole('link', { name: /F5-010\.stp/ }).click();
    await expect(page.getByRole('heading', { level: 1 })).toHaveText('F5-010.stp');
    await expect(page.getByRole('main')).toContainText('X5CrNi18-10', { timeout: 60_000 });
    await expect(page.getByRole('img', { name: 'Picture of F5-010.stp' })).toBeVisible({ timeout: 60_000 });
    await page.goBack();
  });

  await test.step('kept, to see afterwards what got better, and sent out', async () => {
    await page.goto('/survey?look=kept');
    await page.getByLabel(/^Keep the counts of all/).fill('before cleaning');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await expect(page.getByRole('row', { name: /before cleaning/ })).toBeVisible();
    await page.getByRole('button', { name: /^Names \d/ }).click();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'CSV' }).click()]);
    const path = join(mkdtempSync(join(tmpdir(), 'rule-survey-')), 'survey.csv');
    await download.saveAs(path);
    const table = readCsv(new Uint8Array(readFileSync(path)));
    expect(table.rows[0]!.map((cell) => cell.text)).toEqual(expect.arrayContaining(['Matl', 'Matl ', 'Weight']));
  });

  await test.step('twins are merged', async () => {
    await page.getByRole('button', { name: /^Twins/ }).click();
    const group = page.getByRole('region', { name: 'Twins of Material', exact: true });
    await expect(group).toContainText('abbreviation');
    await group.getByRole('button', { name: 'Merge …' }).click();
    expect(await carryOut(page, /values in \d+ files would change/)).toContain('written into');
    expect(value('DR-5/models/F5-050.stp', 'Material')).toBe('304 stainless');
    expect(value('DR-5/models/F5-050.stp', 'Matl ')).toBeUndefined();
    await expect(page.getByRole('region', { name: 'Twins of Material', exact: true })).toBeHidden();
  });

  await test.step('a cluster of values becomes one', async () => {
    await page.goto('/survey?look=values&name=Surface');
    await page.getByRole('button', { name: 'Make them one …: brushed' }).click();
    await carryOut(page, /2 values in 2 files would change/);
    expect(value('DR-5/models/F5-013.stp', 'Surface')).toBe('brushed');
  });

  await test.step('strays become properties', async () => {
    await page.getByRole('button', { name: /^Strays/ }).click();
    await page.getByLabel('Narrow the list of names').fill('Surface');
    await page.getByLabel('Choose Surface').check();
    await page.getByLabel('Narrow the list of names').fill('Weight');
    await page.getByLabel('Choose Weight').check();
    await page.getByRole('region', { name: 'With the chosen names' }).getByRole('button', { name: 'Make properties …' }).click();
    const dialog = page.getByRole('dialog');
    await expect(dialog.getByRole('combobox', { name: 'Type of Weight' })).toHaveText('number');
    await expect(dialog.getByRole('combobox', { name: 'Unit of Weight' })).toHaveText('lb');
    await dialog.getByLabel('Caption for Surface').fill('Surface, as found');
    await dialog.getByRole('button', { name: 'Define 2 properties' }).click();
    await expect(page.getByText(/2 properties are in the draft of edition \d+\./)).toBeVisible();
    await page.goto('/schema?view=editions');
    await page.getByLabel('Note: reason for the change').fill('What came with the DR-5');
    await page.getByRole('button', { name: 'Bring into force' }).click();
    await expect(page.getByText(/Edition \d+ is in force\./)).toBeVisible();
    await page.goto('/survey?look=strays');
    await page.getByLabel('Narrow the list of names').fill('Weight');
    await expect(page.getByRole('row', { name: /\bWeight\b/ })).toBeHidden();
  });

  await test.step('one step is reverted, the others stay', async () => {
    await page.goto('/history');
    await page
      .getByRole('button', { name: /one value, brushed/ })
      .first()
      .click();
    await page.getByRole('button', { name: 'Check against the files' }).click();
    await expect(page.getByRole('status').filter({ hasText: 'Read again' })).toContainText('2 of 2 values are in the files as intended');
    await page.getByRole('button', { name: /^Revert 2 values/ }).click();
    await expect(page.getByText(/is reverted/)).toBeVisible();
    expect(value('DR-5/models/F5-013.stp', 'Surface')).toBe('BRUSHED');
    expect(value('DR-5/models/F5-050.stp', 'Material')).toBe('304 stainless');
  });

  await test.step('and what got better can be seen', async () => {
    await page.goto('/survey?look=kept');
    await page.getByRole('button', { name: 'compare with today: before cleaning' }).click();
    await expect(page.getByRole('row', { name: /^Matl/ }).first()).toContainText('gone');
  });
});
