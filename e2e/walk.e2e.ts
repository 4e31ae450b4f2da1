import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Download, expect } from '@playwright/test';
import { dxf } from '@rule/core/files/dxf';
import { step } from '@rule/core/files/step';
import excel from 'exceljs';
import pg from 'pg';
import { applyTray, choose, gridCell, signIn, station } from './pages';
import { here, test } from './stack';

const library = () => here().library;
const read = (path: string) => new Uint8Array(readFileSync(join(library(), path)));
const original = (path: string) => readFileSync(join(import.meta.dirname, '../packages/demo/library', path));
const property = (path: string, name: string) =>
  step
    .read(read(path))
    .holders.find((h) => h.key === '')!
    .values.find((v) => v.place === 'property' && v.name === name)?.held ?? null;
const cell = (path: string, tag: string) =>
  dxf
    .read(read(path))
    .holders.find((h) => h.level === 'sheet')!
    .values.find((v) => v.name === tag)!.held.text;
const folder = mkdtempSync(join(tmpdir(), 'rule-walk-'));
const keep = async (download: Download) => {
  const path = join(folder, download.suggestedFilename());
  await download.saveAs(path);
  return path;
};
async function database<T extends object>(sql: string, bind: unknown[] = []): Promise<T[]> {
  const client = new pg.Client({ connectionString: here().database });
  await client.connect();
  try {
    return (await client.query<T>(sql, bind)).rows;
  } finally {
    await client.end();
  }
}
const record = async (path: string) => {
  const answer = await fetch(`${here().vaultUrl}/api/files/query`, {
    method: 'POST',
    headers: { authorization: 'Bearer e2e', 'content-type': 'application/json' },
    body: JSON.stringify({ paths: [path] }),
  });
  return ((await answer.json()) as { version: number; record: Record<string, string> }[])[0]!;
};

const ROASTER = 'DR-15/assemblies/roaster.step';
const DRUM_UNIT = 'DR-15/assemblies/drum-unit.step';
const DRUM_SHEET = 'DR-15/drawings/DR15-200 drum unit.dxf';

test('one property goes all the way: found, defined, shown, sent out, taken back, applied, checked in, undone', async ({ page }) => {
  await signIn(page, 'varga');

  await test.step('found in real files', async () => {
    await station(page, 'Survey');
    await page.getByRole('button', { name: /^Strays/ }).click();
    await page.getByRole('row', { name: /Roast·batch·size/ }).click();
    await expect(page.getByRole('complementary')).toContainText('Document property of 1 assembly file: 1 filled');
    await page.getByRole('button', { name: 'Define it in the schema' }).click();
  });

  await test.step('defined in the schema', async () => {
    await expect(page.getByRole('textbox', { name: /^Written name/ })).toHaveValue('Roast batch size');
    await page.getByRole('textbox', { name: /^Written name/ }).fill('Roast batch size ');
    await expect(page.getByRole('alert')).toContainText('a space at the end');
    await page.getByRole('textbox', { name: /^Written name/ }).fill('Roast batch size');
    await page.getByRole('textbox', { name: /^Caption Shown/ }).fill('Batch');
    await page.getByRole('textbox', { name: /^Placeholder/ }).fill('kg of beans');
    await choose(page.getByRole('combobox', { name: 'Type', exact: true }), 'number');
    await choose(page.getByRole('combobox', { name: 'Unit', exact: true }), 'kg');
    await page.getByRole('button', { name: 'Define', exact: true }).click();
    await expect(page.getByText('Batch is in the draft.')).toBeVisible();
    await page.getByRole('button', { name: /^Draft of edition/ }).click();
    await page.getByLabel('Note: reason for the change').fill('Roasters are sold by their batch');
    await page.getByRole('button', { name: 'Bring into force' }).click();
    await expect(page.getByText('Edition 2 is in force.')).toBeVisible();
    await page.getByRole('button', { name: /^Batch/ }).click();
    await expect(page.getByRole('complementary')).toContainText('document property, 1 of 2 filled');
  });

  await test.step('shown in a title block', async () => {
    await station(page, 'Title blocks');
    await page.getByRole('button', { name: /drum unit\.dxf/ }).click();
    await page.getByRole('button', { name: 'FINISH', exact: true }).click();
    await page.getByRole('combobox', { name: 'What FINISH shows' }).fill('Batch');
    await page.keyboard.press('Escape');
    await page.getByText('How it is written').click();
    await page.getByRole('checkbox', { name: 'Unit behind it' }).check();
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await expect(page.getByRole('row', { name: /FINISH Batch of the model, with its unit draft/ })).toBeVisible();
  });

  await test.step('shown in a BOM', async () => {
    await station(page, 'BOM');
    await page.getByRole('button', { name: /^roaster\.step/ }).click();
    await page.getByRole('button', { name: 'Add column' }).click();
    await page.getByRole('combobox', { name: 'Column to add' }).fill('Batch');
    await page.getByRole('option', { name: 'Batch', exact: true }).click();
    await expect(page.getByRole('columnheader', { name: 'Batch, kg' })).toBeVisible();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Send out as CSV' }).click()]);
    const lines = readFileSync(await keep(download), 'utf8').split('\r\n');
    expect(lines[0]).toContain('"Batch, kg"');
    expect(lines[9]).toMatch(/^9,4,,frame-leg\.step,DR15-170,/);
    await page.getByRole('button', { name: 'Save layout' }).click();
    await expect(page.getByText('Layout Parts list saved.')).toBeVisible();
  });

  await test.step('shown in a vault record', async () => {
    await station(page, 'Vault');
    await page.getByRole('button', { name: /The vault's own table/ }).click();
    await expect(page.getByRole('row', { name: /Material·/ })).toContainText('they differ in blanks');
    await page.getByRole('button', { name: /^Links/ }).click();
    await page.getByRole('button', { name: 'Add a link' }).click();
    const dialog = page.getByRole('dialog');
    const choose = async (label: string, ...options: string[]) => {
      await dialog.getByRole('combobox', { name: label }).click();
      for (const option of options) await page.getByRole('option', { name: option, exact: true }).click();
    };
    await choose('Record field', 'Supplier');
    await dialog.locator('p-multiselect').first().click();
    for (const kind of ['assembly', 'part']) await page.getByRole('option', { name: kind, exact: true }).click();
    await choose('Add a property', 'Batch');
    await expect(dialog.getByRole('listitem')).toContainText('Batch');
    await dialog.getByRole('button', { name: 'Save' }).click();
    await expect(page.getByRole('row', { name: /Supplier assembly Batch draft both/ })).toBeVisible();
  });

  await test.step('brought into force with the rest of the schema', async () => {
    await station(page, 'Schema');
    await page.getByRole('button', { name: /^Draft of edition/ }).click();
    await expect(page.getByRole('row', { name: /Cell FINISH of MRW-TITLE bound Batch of the model, with its unit/ })).toBeVisible();
    await expect(page.getByRole('row', { name: /Record field Supplier \(assembly\) linked Batch/ })).toBeVisible();
    await page.getByLabel('Note: reason for the change').fill('Where the batch shows');
    await page.getByRole('button', { name: 'Bring into force' }).click();
    await expect(page.getByText('Edition 3 is in force.')).toBeVisible();
    await station(page, 'Title blocks');
    await page.getByRole('button', { name: /drum unit\.dxf/ }).click();
    // Blanks show their placeholder; nothing would be written.
    await expect(page.getByRole('button', { name: 'Cell FINISH: blank, placeholder kg of beans' })).toBeVisible();
  });

  let workbook = '';
  await test.step('sent out to a workbook', async () => {
    await station(page, 'Exchange');
    await page.getByRole('button', { name: /^Whole library Every file/ }).click();
    await choose(page.getByRole('combobox', { name: 'Files' }), 'assemblies');
    await expect(page.getByText('2 rows', { exact: true })).toBeVisible();
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Workbook (XLSX)' }).click()]);
    workbook = await keep(download);
    execFileSync('soffice', ['--headless', `-env:UserInstallation=file://${folder}/profile`, '--convert-to', 'csv', '--outdir', folder, workbook], {
      stdio: 'pipe',
    });
    const csv = readFileSync(workbook.replace('.xlsx', '.csv'), 'utf8');
    expect(csv.split('\n')[0]).toContain('Roast batch size');
    expect(csv).toContain('DR-15/assemblies/roaster.step,DR15-000');
  });

  await test.step('changed there', async () => {
    const book = new excel.Workbook();
    await book.xlsx.readFile(workbook);
    const sheet = book.worksheets[0]!;
    const header = sheet.getRow(1).values as string[];
    sheet.eachRow((row, n) => {
      if (n > 1) row.getCell(header.indexOf('Roast batch size')).value = row.getCell(2).value === ROASTER ? 15 : 4.5;
    });
    await book.xlsx.writeFile(workbook);
  });

  await test.step('taken back and reviewed', async () => {
    await page.getByRole('button', { name: 'Send out or take back' }).click();
    await page.getByLabel('Workbook or CSV file').setInputFiles(workbook);
    const counts = page.getByRole('group', { name: 'Cells by outcome' });
    await expect(counts).toContainText('1would change');
    await expect(page.getByRole('table', { name: 'Cells' })).toContainText('drum-unit.step');
    // 15 kg typed as text equals 15 in kg.
    await expect(counts).toContainText('0changed on both sides');
    await page.getByRole('button', { name: 'Put 1 value in the tray' }).click();
    await expect(page.getByRole('region', { name: 'Pending changes' })).toContainText('FINISH');
  });

  await test.step('applied and written into the STEP and DXF files themselves', async () => {
    expect(property(DRUM_UNIT, 'Roast batch size')).toBeNull();
    expect(await applyTray(page)).toContain('2 values written into 2 files');
    expect(property(DRUM_UNIT, 'Roast batch size')).toEqual({ text: '4.5', form: 'measure', unit: 'kg' });
    expect(cell(DRUM_SHEET, 'FINISH')).toBe('4.5 kg');
    const judge =
      "import sys; from ezdxf import recover; d, a = recover.readfile(sys.argv[1]); print(len(a.errors), [x.dxf.text for i in d.layout('Sheet 1').query('INSERT') for x in i.attribs if x.dxf.tag == 'FINISH'])";
    expect(execFileSync('/usr/bin/python3', ['-c', judge, join(library(), DRUM_SHEET)], { encoding: 'utf8' }).trim()).toBe("0 ['4.5 kg']");
    const rows = await database<{ text: string; unit: string }>(
      `SELECT v.text, v.unit FROM held_values v JOIN files f ON f.id = v.file_id WHERE f.path = $1 AND v.name = 'Roast batch size'`,
      [DRUM_UNIT],
    );
    expect(rows).toEqual([{ text: '4.5', unit: 'kg' }]);
  });

  await test.step('visible everywhere', async () => {
    await station(page, 'Values');
    await page.getByRole('button', { name: /^Assemblies/ }).click();
    await expect(await gridCell(page, 'drum-unit.step', 'Batch')).toHaveText(/4\.5/);
    await station(page, 'BOM');
    await page.getByRole('button', { name: /^roaster\.step/ }).click();
    await expect(page.getByRole('row', { name: /drum-unit\.step/ })).toContainText('4.5');
    await station(page, 'Title blocks');
    await page.getByRole('button', { name: /drum unit\.dxf/ }).click();
    await expect(page.getByRole('button', { name: 'Cell FINISH: 4.5 kg' })).toBeVisible();
  });

  await test.step('checked in to the vault', async () => {
    await station(page, 'Vault');
    await page.getByRole('button', { name: /^Records/ }).click();
    await page.getByRole('link', { name: 'drum-unit.step' }).click();
    const row = page.getByRole('row', { name: /Supplier Roast·batch·size/ });
    await expect(row).toContainText('file → record');
    await page.getByRole('button', { name: /^Check in/ }).click();
    await expect(page.getByRole('status')).toContainText('Checked in as version 2');
    await expect(row).toContainText('nothing');
    expect(await record(DRUM_UNIT)).toMatchObject({ version: 2, record: { Supplier: '4.5', Number: 'DR15-200' } });
  });

  await test.step('and undone', async () => {
    await page.getByRole('link', { name: 'History' }).click();
    await expect(page.getByRole('heading', { level: 1 })).toContainText('take-back');
    await page.getByRole('button', { name: 'Revert 2 values in 2 files' }).click();
    await expect(page.getByText(/is reverted: 2 values in 2 files/)).toBeVisible();
    expect(Buffer.compare(Buffer.from(read(DRUM_UNIT)), original(DRUM_UNIT))).toBe(0);
    expect(Buffer.compare(Buffer.from(read(DRUM_SHEET)), original(DRUM_SHEET))).toBe(0);
    expect(
      await database(`SELECT 1 FROM held_values v JOIN files f ON f.id = v.file_id WHERE f.path = $1 AND v.name = 'Roast batch size'`, [DRUM_UNIT]),
    ).toEqual([]);
  });
});

test('values are typed, checked and given up from the keyboard alone', async ({ page }) => {
  await signIn(page, 'okafor');
  await station(page, 'Values');
  await page.getByRole('button', { name: /^Parts/ }).click();
  const grid = page.getByRole('grid');
  await expect(grid.getByRole('row')).toHaveCount(17);
  await grid.focus();
  // From agitator-arm.step across part number and description to revision.
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+A');
  await page.keyboard.type('ABC');
  await expect(page.getByRole('alert')).toContainText('may have 2 characters, has 3');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.type('B');
  await page.keyboard.press('Enter');
  const revision = await gridCell(page, 'agitator-arm.step', 'Revision');
  await expect(revision).toHaveText(/B/);
  await expect(revision).toHaveClass(/pending/);
  await expect(page.getByText('value would change in 1 file')).toBeVisible();
  expect(property('DR-15/parts/agitator-arm.step', 'Revision')!.text).toBe('A');
  await page.keyboard.press('Control+z');
  await expect(page.getByText('nothing pending')).toBeVisible();
  // A block from a spreadsheet program, validated and pasted as a whole.
  await (await gridCell(page, 'agitator-arm.step', 'Supplier')).click();
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'Ostrelle\t0012\r\nNorrwick\t0013\r\n');
    document.querySelector('[role=grid]')!.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await expect(page.getByText('values would change in 2 files')).toBeVisible();
  await expect(await gridCell(page, 'bean-hopper.step', 'Order number')).toHaveText(/0013/);
  await page.keyboard.press('Control+Enter');
  await page.getByRole('button', { name: 'Discard all' }).click();
  await expect(page.getByText('nothing pending')).toBeVisible();
});

test('two people, one value: the second one sees the conflict and settles it', async ({ browser }) => {
  const first = await (await browser.newContext()).newPage();
  const second = await (await browser.newContext()).newPage();
  for (const [page, name, value] of [
    [first, 'okafor', 'polished'],
    [second, 'lindqvist', 'bead blasted'],
  ] as const) {
    await signIn(page, name);
    await page.goto('/values?kind=part');
    await (await gridCell(page, 'drum.step', 'Finish')).dblclick();
    await page.getByRole('combobox', { name: 'Finish' }).fill(value.slice(0, 4));
    await expect(page.getByRole('option', { name: value, selected: true })).toBeVisible();
    await page.keyboard.press('Enter');
    await expect(page.getByText('value would change in 1 file')).toBeVisible();
  }
  expect(await applyTray(first)).toContain('1 value written into 1 file');
  await second.reload();
  await second.getByRole('button', { name: 'Review' }).click();
  await expect(second.getByText('changed since, was brushed')).toBeVisible();
  await second.getByRole('button', { name: 'Keep polished' }).click();
  await expect(second.getByText('nothing pending')).toBeVisible();
  expect(property('DR-15/parts/drum.step', 'Finish')!.text).toBe('polished');
});

test('a viewer sees everything and can change nothing', async ({ page }) => {
  await signIn(page, 'guest');
  await expect(page.getByRole('button', { name: 'Review' })).toHaveCount(0);
  await page.goto('/values');
  await expect(page.getByText('You can view values but not change them.')).toBeVisible();
  await (await gridCell(page, 'drum.step', 'Revision')).dblclick();
  await expect(page.getByRole('textbox', { name: 'Revision' })).toHaveCount(0);
  await page.goto('/schema?property=1');
  await expect(page.getByRole('textbox', { name: /^Caption Shown/ })).toBeDisabled();
  await page.goto('/exchange');
  await expect(page.getByText('Taking back needs the role editor.')).toBeVisible();
});

test('bad files are refused with a sentence that names them', async ({ page }) => {
  await signIn(page, 'okafor');
  await page.goto('/exchange');
  const picker = page.getByLabel('Workbook or CSV file');
  writeFileSync(join(folder, 'letter.xlsx'), 'Dear Sir');
  await picker.setInputFiles(join(folder, 'letter.xlsx'));
  await expect(page.getByRole('alert')).toHaveText('letter.xlsx: This is not an XLSX workbook.');
  writeFileSync(join(folder, 'liste.csv'), Buffer.from('Nummer;Werkstoff\r\n4711;Stahl\r\n', 'latin1'));
  await picker.setInputFiles(join(folder, 'liste.csv'));
  await expect(page.getByRole('alert')).toContainText('No column "Rule identity" or "File" is in the header row');
  await expect(page.getByRole('button', { name: 'Compare' })).toBeDisabled();
  await page.goto('/survey');
  writeFileSync(join(library(), 'torn.dxf'), '  0\r\nSECTION\r\n');
  await page.getByRole('button', { name: 'Read again' }).click();
  await expect(page.getByText('Read all libraries: done. 1 file has something to look at.').first()).toBeVisible();
  await page.getByRole('button', { name: /^Remarks on files/ }).click();
  await expect(page.getByRole('row', { name: /torn\.dxf/ })).toContainText('The file ends before EOF.');
});

test('a sheet is drawn from its file, moved and zoomed by keys, and a value is typed where it shows', async ({ page }) => {
  await signIn(page, 'okafor');
  await page.goto('/title-blocks?cell=TITLE');
  const sheet = page.getByRole('group', { name: /^Sheet .* of DR15-115 agitator arm\.dxf/ });
  const title = sheet.getByRole('button', { name: /^Cell TITLE: Agitator arm/ });

  await test.step('its lines and letters are there', async () => {
    await expect(title).toBeVisible();
    await expect(sheet).toHaveAttribute('aria-busy', 'false');
    // A picture of a few hundred bytes shows only paper.
    await expect.poll(async () => (await sheet.locator('canvas').screenshot()).length).toBeGreaterThan(5_000);
  });

  await test.step('keys show the whole sheet, and the block again', async () => {
    const width = async () => (await title.boundingBox())!.width;
    const before = await width();
    await sheet.focus();
    await page.keyboard.press('s');
    await expect.poll(width).toBeLessThan(before / 2);
    await page.keyboard.press('b');
    await expect.poll(width).toBeCloseTo(before, 0);
  });

  await test.step('what is typed there goes to the part, which is named before, and the cell follows', async () => {
    await title.dblclick();
    const field = page.getByRole('textbox', { name: /changes Description of agitator-arm\.step/ });
    await expect(field).toHaveValue('Agitator arm');
    await field.fill('Agitator arm, left');
    await page.keyboard.press('Enter');
    await expect(sheet.getByRole('button', { name: 'Cell TITLE: Agitator arm, left, stale' })).toBeVisible();
    await applyTray(page);
    await expect(sheet.getByRole('button', { name: 'Cell TITLE: Agitator arm, left', exact: true })).toBeVisible();
    expect(Buffer.from(read('DR-15/drawings/DR15-115 agitator arm.dxf')).toString('latin1')).toContain('Agitator arm, left');
    expect(Buffer.from(read('DR-15/parts/agitator-arm.step')).toString('latin1')).toContain('Agitator arm, left');
  });
});

test('a bill of materials gets numbers that stay, a value typed in a row, and is kept and compared', async ({ page }) => {
  // Masses exist once all shapes are measured: lists kept earlier differ.
  const unmeasured = `SELECT 1 FROM files WHERE format = 'step' AND NOT removed AND problem IS NULL AND shaped_hash IS DISTINCT FROM hash`;
  await expect.poll(async () => (await database(unmeasured, [])).length, { timeout: 180_000 }).toBe(0);
  await signIn(page, 'varga');
  await page.goto('/bom');
  await page.getByRole('button', { name: /^drum-unit\.step/ }).click();
  await page.getByRole('button', { name: /^Structure/ }).click();
  const grid = page.getByRole('treegrid', { name: 'Bill of materials' });
  const row = (name: string) => grid.getByRole('row').filter({ hasText: name });

  await test.step('kept as it is now', async () => {
    await expect(row('drum-bearing.step')).toContainText('differs (2 values)');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('textbox', { name: 'Title' }).fill('As ordered');
    await page.getByRole('button', { name: 'Keep this list' }).click();
    await expect(page.getByText('As ordered kept: 4 rows.')).toBeVisible();
  });

  await test.step('an item number is typed by keyboard; one that another row has is refused', async () => {
    await row('drum-shaft.step').getByRole('gridcell').first().click();
    await page.keyboard.press('F2');
    await page.keyboard.type('1');
    await page.keyboard.press('Enter');
    await expect(page.getByText('Item 1 is')).toBeVisible();
    await page.keyboard.press('F2');
    await page.keyboard.type('12');
    await page.keyboard.press('Enter');
    await expect(row('drum-shaft.step').getByRole('gridcell').first()).toHaveText('12');
  });

  await test.step('a value typed in a row reaches the part file through the tray', async () => {
    await row('agitator-arm.step').getByRole('gridcell').nth(4).dblclick();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Agitator arm, forged');
    await page.keyboard.press('Enter');
    await expect(page.getByText(/values? would change in/)).toBeVisible();
    await applyTray(page);
    await expect(row('agitator-arm.step')).toContainText('Agitator arm, forged');
    expect(property('DR-15/parts/agitator-arm.step', 'Description')?.text).toBe('Agitator arm, forged');
  });

  await test.step('what differs from the kept list is said row by row', async () => {
    await page.getByRole('button', { name: 'Compare', exact: true }).click();
    await page.getByRole('combobox', { name: 'Compare with' }).click();
    await page.getByRole('option', { name: /^As ordered/ }).click();
    const comparison = page.getByRole('region', { name: 'Comparison' });
    await expect(comparison.getByRole('heading')).toContainText('2 differences from As ordered');
    await expect(comparison.getByRole('row').filter({ hasText: 'drum-shaft.step' })).toContainText('item number');
    await expect(comparison.getByRole('row').filter({ hasText: 'agitator-arm.step' })).toContainText('Agitator arm, forged');
  });

  await test.step('and the list goes out as a workbook that another library reads', async () => {
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Send out as XLSX' }).click()]);
    const book = new excel.Workbook();
    await book.xlsx.readFile(await keep(download));
    const sheet = book.worksheets[0]!;
    const items = sheet.getColumn(1).values.slice(2);
    expect([sheet.name, items.slice(0, 4)]).toEqual(['drum-unit', ['1', '3', '4', '12']]);
  });

  await test.step('the parts list and the marks on its drawing follow', async () => {
    await page.getByRole('button', { name: /^Parts list/ }).click();
    await page.getByRole('button', { name: 'On drawings' }).click();
    const sheet = page.getByRole('region', { name: `Sheet Sheet 1 of ${DRUM_SHEET}` });
    await expect(sheet.getByText('4 rows drawn, 4 differ from the BOM.')).toBeVisible();
    await expect(sheet.getByRole('row').filter({ hasText: 'Agitator arm, forged' })).toContainText('Quantity: 3 → 4');
    await sheet.getByRole('button', { name: 'Update this list' }).click();
    await expect(sheet.getByText('Changes are pending in your tray.')).toBeVisible();
    await applyTray(page);
    await expect(sheet.getByText('4 rows drawn, up to date.')).toBeVisible();
    await sheet.getByRole('combobox', { name: 'Row of mark 5' }).click();
    await page.getByRole('option', { name: /^2 / }).click();
    await expect(page.getByText(/values? would change in/)).toBeVisible();
    await applyTray(page);
    await expect(sheet.getByText('4 marks, all right.')).toBeVisible();
    const code = `import ezdxf, sys
doc = ezdxf.readfile(sys.argv[1])
texts = lambda name: sorted([a.dxf.text for a in i.attribs][:4] for i in doc.layout('Sheet 1').query('INSERT') if i.dxf.name == name)
print(len(doc.audit().errors), [t[0] + ' ' + t[1] + ' ' + t[3] for t in texts('MRW-PART-ROW')], [t[0] for t in texts('MRW-MARK')])`;
    expect(execFileSync('/usr/bin/python3', ['-c', code, join(library(), DRUM_SHEET)], { encoding: 'utf8' }).trim()).toBe(
      "0 ['1 1 Drum, 15 kg', '2 1 Drum shaft', '3 4 Agitator arm, forged', '4 2 Drum bearing, sealed'] ['1', '2', '3', '4']",
    );
  });
});
