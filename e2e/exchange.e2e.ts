import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as sheetjs from '@e965/xlsx';
import { Download, expect } from '@playwright/test';
import { step } from '@rule/core/files/step';
import excel from 'exceljs';
import { accessFaults, applyTray, choose, signIn } from './pages';
import { here, test } from './stack';

const library = () => here().library;
const value = (path: string, name: string) =>
  step
    .read(new Uint8Array(readFileSync(join(library(), path))))
    .holders.find((holder) => holder.key === '')!
    .values.find((entry) => entry.place === 'property' && entry.name === name)?.held.text ?? null;
const folder = mkdtempSync(join(tmpdir(), 'rule-exchange-'));
const keep = async (download: Download, name = download.suggestedFilename()) => {
  const path = join(folder, name);
  await download.saveAs(path);
  return path;
};
/** Opens a file in LibreOffice and saves it again. */
function throughLibreOffice(path: string, to: 'xlsx' | 'csv'): string {
  execFileSync('soffice', ['--headless', `-env:UserInstallation=file://${folder}/profile`, '--convert-to', to, '--outdir', join(folder, 'out'), path], {
    stdio: 'pipe',
  });
  const saved = path.replace(/[^/]*$/, (name) => `office ${name.replace(/\.[a-z]+$/, `.${to}`)}`);
  renameSync(
    join(
      folder,
      'out',
      path
        .split('/')
        .at(-1)!
        .replace(/\.[a-z]+$/, `.${to}`),
    ),
    saved,
  );
  return saved;
}
const GEAR = 'bought parts/gear-motor.step';
const TRIER = 'DR-15/parts/trier.step';
const DRUM = 'DR-15/parts/drum.step';

test("purchasing's round trip: out, filled in with another program, back, decided about, applied, told, undone", async ({ page, browser }) => {
  await signIn(page, 'okafor');
  let workbook = '';
  const before = [GEAR, TRIER, DRUM].map((path) => readFileSync(join(library(), path)));

  await test.step('sent out by a layout, for somebody', async () => {
    await page.goto('/exchange');
    await page.getByRole('button', { name: /^Purchasing Purchasing fills in Supplier, Order number/ }).click();
    await expect(page.getByRole('checkbox', { name: 'Supplier is filled in' })).toBeChecked();
    await expect(page.getByRole('checkbox', { name: 'Part number is filled in' })).not.toBeChecked();
    await page.getByRole('textbox', { name: 'For', exact: true }).fill('Hanna');
    await expect(page.getByText('40 rows', { exact: true }).or(page.getByText('16 rows', { exact: true }))).toBeVisible();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Workbook (XLSX)' }).click()]);
    workbook = await keep(download);
    await page.getByRole('button', { name: /^Copies that are out/ }).click();
    await expect(page.getByRole('row', { name: /Hanna/ })).toContainText('out');
  });

  await test.step('filled in, sorted, and saved by LibreOffice', async () => {
    const book = new excel.Workbook();
    await book.xlsx.readFile(workbook);
    const sheet = book.getWorksheet('Values')!;
    expect(book.worksheets.map((entry) => entry.name)).toContain('How to');
    const header = sheet.getRow(1).values as string[];
    const at = (name: string) => header.indexOf(name);
    const set = (path: string, name: string, text: string) => {
      sheet.eachRow((row) => {
        if (row.getCell(at('File')).value === path) row.getCell(at(name)).value = text;
      });
    };
    set(GEAR, 'Supplier', 'Otterby Drives');
    set(GEAR, 'Order number', 'OD-0040');
    set(DRUM, 'Supplier', 'Fenwick Spinning');
    set(TRIER, 'Order number', 'T-2');
    set(DRUM, 'Description', 'Not for purchasing to say');
    await book.xlsx.writeFile(workbook);
    workbook = throughLibreOffice(workbook, 'xlsx');
  });

  await test.step('somebody else changes one of its values meanwhile', async () => {
    const other = await (await browser.newContext()).newPage();
    await signIn(other, 'lindqvist');
    await other.goto('/values?search=trier.step');
    await other.getByRole('rowheader', { name: /^trier/ }).click();
    await other.getByRole('button', { name: 'Fill in this file …' }).click();
    const sheet = other.getByRole('dialog');
    await sheet.getByRole('radio', { name: 'bought' }).check();
    await sheet.getByRole('textbox', { name: 'Supplier' }).fill('Marrow Handles');
    await sheet.getByRole('textbox', { name: 'Order number' }).fill('T-1');
    await sheet.getByRole('button', { name: /^Put \d+ values in the tray/ }).click();
    await applyTray(other);
    expect(value(TRIER, 'Order number')).toBe('T-1');
    await other.context().close();
  });

  await test.step('taken back: every cell is shown, the conflict is decided by keyboard', async () => {
    await page.goto('/exchange');
    await page.getByLabel('Workbook or CSV file').setInputFiles(workbook);
    const counts = page.getByRole('group', { name: 'Cells by outcome' });
    await expect(counts).toContainText('3would change');
    await expect(counts).toContainText('1changed on both sides');
    await expect(counts).toContainText('1refused');
    const cells = page.getByRole('table', { name: 'Cells' });
    await expect(cells.getByRole('row', { name: /drum\.step Description/ })).toContainText('was sent out read-only');
    expect(await accessFaults(page, 'review')).toEqual([]);
    const conflict = cells.getByRole('row', { name: /trier\.step Order number/ });
    await conflict.focus();
    await page.keyboard.press('Enter');
    await expect(page.getByRole('complementary', { name: 'Exchange: inspector' })).toContainText('T-1');
    await page.keyboard.press('t');
    await expect(conflict.getByRole('button', { name: /^take T-2/ })).toHaveAttribute('aria-pressed', 'true');
    await expect(page.getByRole('button', { name: 'Put 4 values in the tray' })).toBeVisible();
    // All values of a property are deselected and selected again.
    await choose(page.getByRole('combobox', { name: 'Property', exact: true }), 'Supplier (2)');
    await page.getByRole('button', { name: 'Leave all shown' }).click();
    await expect(page.getByRole('button', { name: 'Put 2 values in the tray' })).toBeVisible();
    await page.getByRole('button', { name: 'Take all 2 shown' }).click();
    await expect(page.getByRole('button', { name: 'Put 4 values in the tray' })).toBeVisible();
  });

  await test.step('applied as one, with a result workbook', async () => {
    await page.getByRole('button', { name: 'Apply them now' }).click();
    await page.getByRole('button', { name: 'All of them or none' }).click();
    await expect(page.getByText(/4 values written in 3 files/)).toBeVisible({ timeout: 30_000 });
    expect([value(GEAR, 'Supplier'), value(GEAR, 'Order number'), value(DRUM, 'Supplier'), value(TRIER, 'Order number')]).toEqual([
      'Otterby Drives',
      'OD-0040',
      'Fenwick Spinning',
      'T-2',
    ]);
    await choose(page.getByRole('combobox', { name: 'Property', exact: true }), 'all properties');
    await expect(page.getByRole('table', { name: 'Cells' }).getByRole('row', { name: /gear-motor\.step Order number/ })).toContainText('applied');
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Result workbook' }).click()]);
    const rows = sheetjs.utils.sheet_to_json<string[]>(sheetjs.read(readFileSync(await keep(download))).Sheets['Result']!, { header: 1 });
    const told = (path: string) => rows.find((row) => row.includes(path))!.slice(0, 2);
    expect(told(GEAR)).toEqual(['2 applied', 'Supplier: applied; Order number: applied']);
    expect(told(DRUM)[0]).toBe('1 refused, 1 applied');
  });

  await test.step('taken back once more it changes nothing, and says that it came before', async () => {
    await page.getByRole('button', { name: 'Send out or take back' }).click();
    await page.getByLabel('Workbook or CSV file').setInputFiles(workbook);
    await expect(page.getByRole('group', { name: 'Cells by outcome' })).toContainText('0would change');
    await expect(page.getByText(/^This file was already taken back on/)).toBeVisible();
  });

  await test.step('and undone in History', async () => {
    await page.goto('/history');
    await expect(page.getByRole('heading', { level: 1 })).toContainText('take-back');
    await page.getByRole('button', { name: /^Revert 4 values/ }).click();
    await expect(page.getByText(/is reverted: 4 values in 3 files/)).toBeVisible();
    expect(Buffer.compare(readFileSync(join(library(), GEAR)), before[0]!)).toBe(0);
    expect(Buffer.compare(readFileSync(join(library(), DRUM)), before[2]!)).toBe(0);
    expect(value(TRIER, 'Order number')).toBe('T-1');
  });
});

test('what a spreadsheet program spoils is named and left as it was; a name of two files is asked about', async ({ page }) => {
  await signIn(page, 'okafor');
  await test.step('LibreOffice opens a CSV file and saves it: the leading zeros are gone', async () => {
    await page.goto('/exchange');
    await page.getByRole('button', { name: /^Purchasing Purchasing fills in/ }).click();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'CSV', exact: true }).click()]);
    const saved = throughLibreOffice(await keep(download), 'xlsx');
    await page.getByRole('button', { name: 'Send out or take back' }).click();
    await page.getByLabel('Workbook or CSV file').setInputFiles(saved);
    await page.getByRole('button', { name: /spoiled on the way/ }).click();
    const row = page
      .getByRole('table', { name: 'Cells' })
      .getByRole('row', { name: /drum-bearing\.step Order number/ })
      .first();
    await expect(row).toContainText('has lost its leading zeros');
    await expect(row.getByRole('button', { name: /^leave 0062042/ })).toHaveAttribute('aria-pressed', 'true');
    await expect(page.getByRole('button', { name: /^Put .* in the tray/ })).toHaveCount(0);
  });
  await test.step('a list from elsewhere: its columns are settled, and the file that is meant', async () => {
    writeFileSync(join(folder, 'orders.csv'), 'Part;Order number;Shelf\r\ngear-motor.step;OD-41;A3\r\ntrier.step;T-3;B1\r\n');
    await page.getByRole('button', { name: 'Send out or take back' }).click();
    await page.getByLabel('Workbook or CSV file').setInputFiles(join(folder, 'orders.csv'));
    await expect(page.getByRole('combobox', { name: 'What Part is' })).toHaveText("the file's name or path");
    await expect(page.getByRole('combobox', { name: 'What Shelf is' })).toHaveText('left out');
    expect(await accessFaults(page, 'questions')).toEqual([]);
    const compare = page.getByRole('button', { name: 'Compare' });
    await expect(compare).toBeDisabled();
    await choose(page.getByRole('combobox', { name: /^gear-motor\.step, in 1 row/ }), GEAR);
    await compare.click();
    const cells = page.getByRole('table', { name: 'Cells' });
    await expect(cells.getByRole('row', { name: /gear-motor\.step Order number/ })).toContainText('OD-41');
    await expect(page.getByRole('group', { name: 'Cells by outcome' })).toContainText('2in columns left out');
    await page.getByRole('button', { name: 'Read it in another way' }).click();
    await expect(page.getByRole('combobox', { name: 'What Part is' })).toBeVisible();
  });
});
