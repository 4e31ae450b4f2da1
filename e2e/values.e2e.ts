import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Page, expect } from '@playwright/test';
import { FileReading, formatOf } from '@rule/core/files';
import { applyTray, choose, gridCell, signIn } from './pages';
import { here, test } from './stack';

const library = () => here().library;
const reading = (path: string): FileReading => formatOf(path)!.read(new Uint8Array(readFileSync(join(library(), path))));
/** A file of the demo library on disk, at document level or under a holder. */
const value = (path: string, name: string, holder = '') =>
  reading(path)
    .holders.find((entry) => entry.key === holder)
    ?.values.find((entry) => entry.name === name)?.held.text;

/** Pastes text like a spreadsheet program. */
const paste = (page: Page, text: string) =>
  page.evaluate((block) => {
    const data = new DataTransfer();
    data.setData('text/plain', block);
    document.activeElement!.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  }, text);

test('a form is laid out with a condition, previewed with a real file, and brought into force', async ({ page }) => {
  await signIn(page, 'varga');
  await page.goto('/forms?form=2');
  const settings = page.locator('rule-input-settings');
  const making = page.getByRole('region', { name: 'Panel Making' });
  await expect(page.getByRole('combobox', { name: 'Filled with' })).toContainText('.step');

  await test.step('an input gets a condition by choosing, and says what becomes of its value', async () => {
    await page.getByRole('button', { name: 'Edit Finish' }).click();
    const shown = settings.getByRole('group', { name: 'Shown when, Finish' });
    const choose = async (what: string, option: string) => {
      await shown.getByRole('combobox', { name: `Shown when, Finish: ${what}` }).click();
      await page.getByRole('option', { name: option, exact: true }).click();
    };
    await shown.getByRole('button', { name: 'Add condition' }).click();
    await choose('property 1', 'Make or buy');
    await choose('value 1', 'made');
    const expression = settings.getByRole('textbox', { name: 'Shown when, Finish', exact: true });
    await expect(expression).toHaveText('Make or buy = "made"');
    await settings.getByRole('combobox', { name: 'When hidden, its value is' }).click();
    await page.getByRole('option', { name: 'cleared', exact: true }).click();
    // An impossible condition is reported at once.
    await expression.click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Make or buy = "borrowed"');
    await page.keyboard.press('Escape');
    await expect(making.getByText('can never be true')).toBeVisible();
    await expression.click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Make or buy = "made"');
    await page.keyboard.press('Escape');
    await expect(page.getByText('can never be true')).toBeHidden();
  });

  await test.step('the layout is changed by keyboard, and a property is inserted where it is to stand', async () => {
    const finish = page.getByRole('button', { name: 'Edit Finish' });
    await finish.focus();
    await page.keyboard.press('Shift+ArrowRight');
    await expect(settings.getByRole('combobox', { name: 'Width' })).toContainText('2 of 4 columns');
    await page.keyboard.press('Alt+ArrowLeft');
    await expect(making.getByRole('button', { name: /^Edit (?!panel)/ }).first()).toHaveAccessibleName('Edit Finish');
    await expect(finish).toBeFocused();
    await settings.getByRole('button', { name: 'Close settings' }).click();
    await page.getByRole('button', { name: 'Insert before Mass' }).click();
    await page.getByRole('combobox', { name: 'Insert before Mass' }).fill('Saved');
    await page.getByRole('option', { name: 'Saved by' }).click();
    const names = making.getByRole('button', { name: /^Edit (?!panel)/ });
    await expect(names.nth(2)).toHaveAccessibleName('Edit Saved by');
    await names.nth(2).focus();
    await page.keyboard.press('Delete');
    await expect(page.getByRole('button', { name: 'Edit Mass' })).toBeFocused();
  });

  await test.step('the form shows the values of a file of choice, and what its conditions hide, at a narrow and at a broad width', async () => {
    await page.getByRole('combobox', { name: 'Filled with' }).click();
    await page.getByRole('searchbox').fill('face-plate');
    await page.getByRole('option', { name: 'DR-15/parts/face-plate.step' }).click();
    await expect(page.getByRole('combobox', { name: 'Finish' })).toBeVisible();
    await page.getByRole('radio', { name: 'bought' }).check();
    await expect(page.getByRole('combobox', { name: 'Finish' })).toBeHidden();
    await expect(making.getByText('Hidden for this file: shown when Make or buy = "made"')).toBeVisible();
    await expect(page.getByRole('textbox', { name: 'Supplier' })).toBeVisible();
    await page.getByRole('button', { name: 'Narrow' }).click();
    await expect(page.getByRole('textbox', { name: 'Supplier' })).toBeVisible();
    await page.getByRole('button', { name: 'Preview', exact: true }).click();
    await expect(page.getByRole('button', { name: 'Edit Supplier' })).toBeHidden();
    await expect(page.getByRole('textbox', { name: 'Supplier' })).toBeVisible();
  });

  await test.step('it comes into force with the edition', async () => {
    await page.getByRole('button', { name: 'Save in the draft' }).click();
    await expect(page.getByText('Form saved in the draft.')).toBeVisible();
    await page.goto('/schema?view=editions');
    await page.getByRole('textbox', { name: /note/i }).fill('The part form hides what does not apply.');
    await page.getByRole('button', { name: /^Bring edition \d+ into force|^Bring into force/ }).click();
    await expect(page.getByText(/is in force/).first()).toBeVisible();
  });
});

test('values are filled in by form: one part, many with mixed values, single occurrences, a project', async ({ page }) => {
  await signIn(page, 'okafor');

  await test.step('one part, by keyboard alone', async () => {
    const path = 'DR-15/parts/trier.step';
    await page.goto('/values?search=trier');
    await expect(page.getByRole('rowheader', { name: /^trier/ })).toBeVisible();
    const grid = page.getByRole('grid', { name: 'Files and their values' });
    await grid.focus();
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowLeft');
    await page.getByRole('button', { name: 'Fill in this file …' }).focus();
    await page.keyboard.press('Enter');
    const sheet = page.getByRole('dialog', { name: 'Fill in trier.step' });
    await expect(sheet).toBeVisible();
    const description = sheet.getByRole('textbox', { name: 'Description' });
    await description.focus();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Trier with long handle and a sight glass at its end');
    await expect(sheet.getByRole('alert')).toContainText('may have 40 characters');
    await expect(sheet.getByRole('button', { name: /^Put .* in the tray/ })).toBeDisabled();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Trier, long');
    await expect(sheet.getByText('1 value in 1 file would change.')).toBeVisible();
    await page.keyboard.press('Control+Enter');
    await expect(sheet).toBeHidden();
    await applyTray(page);
    expect(value(path, 'Description')).toBe('Trier, long');
  });

  await test.step('many parts whose values differ: only what was touched changes', async () => {
    await page.goto('/values?fill=filter&folder=DR-15%2Fparts&kind=part');
    const sheet = page.getByRole('dialog', { name: /^Fill in \d+ files/ });
    const finish = sheet.getByRole('combobox', { name: 'Finish' });
    await expect(finish).toContainText('different values');
    const materials = Object.fromEntries(['drum', 'trier', 'face-plate'].map((name) => [name, value(`DR-15/parts/${name}.step`, 'Material')]));
    await choose(finish, 'bead blasted');
    await expect(sheet.getByText(/values in \d+ files would change/)).toBeVisible();
    // One file is deselected.
    await sheet.getByRole('checkbox', { name: 'fill in DR-15/parts/drum.step' }).uncheck();
    const before = value('DR-15/parts/drum.step', 'Finish');
    await sheet.getByRole('button', { name: /^Put \d+ values in the tray/ }).click();
    await expect(sheet).toBeHidden();
    await applyTray(page);
    expect(value('DR-15/parts/trier.step', 'Finish')).toBe('bead blasted');
    expect(value('DR-15/parts/drum.step', 'Finish')).toBe(before);
    for (const [name, material] of Object.entries(materials)) expect(value(`DR-15/parts/${name}.step`, 'Material')).toBe(material);
  });

  await test.step('what was typed and not put in the tray is back after a reload', async () => {
    await page.goto('/values?fill=filter&folder=DR-15%2Fparts&kind=part');
    const sheet = page.getByRole('dialog', { name: /^Fill in/ });
    await sheet.getByRole('combobox', { name: 'Revision' }).fill('D');
    await page.reload();
    await expect(sheet.getByText('Unsaved entries restored.')).toBeVisible();
    await expect(sheet.getByRole('combobox', { name: 'Revision' })).toHaveValue('D');
    await sheet.getByRole('button', { name: 'Discard restored entries' }).click();
    await expect(sheet.getByText('Nothing would change yet.')).toBeVisible();
  });

  await test.step('two occurrences of one bearing get different values', async () => {
    const path = 'DR-15/assemblies/drum-unit.step';
    const bearings = reading(path).holders.filter((holder) => holder.level === 'occurrence' && /bearing/i.test(holder.label));
    expect(bearings).toHaveLength(2);
    await page.goto('/values?search=drum-unit.step');
    await page.getByRole('rowheader', { name: /^drum-unit/ }).click();
    await page.getByRole('button', { name: 'Fill in this file …' }).click();
    const sheet = page.getByRole('dialog', { name: 'Fill in drum-unit.step' });
    for (const [i, { label }] of bearings.entries()) await sheet.getByRole('textbox', { name: `Tightening torque, ${label}` }).fill(['21', '24.5'][i]!);
    await expect(sheet.getByText('2 values in 1 file would change.')).toBeVisible();
    await sheet.getByRole('button', { name: 'Put 2 values in the tray' }).click();
    await applyTray(page);
    expect(bearings.map((holder) => value(path, 'Tightening torque', holder.key)).sort()).toEqual(['21', '24.5']);
  });
});

test('a project value reaches all its drawings, and its sheets have values of their own', async ({ page }) => {
  await signIn(page, 'varga');
  const drawings = ['DR15-115 agitator arm.dxf', 'DR15-130 bean hopper.dxf', 'DR15-200 drum unit.dxf', 'face-plate.dxf'].map(
    (name) => `DR-15/drawings/${name}`,
  );

  await test.step('a project takes its files by rule', async () => {
    await page.goto('/values?view=projects');
    await page.getByRole('button', { name: 'New project …' }).click();
    await page.getByRole('textbox', { name: 'Name' }).fill('Quay Roastery');
    await page.getByRole('button', { name: 'Add a condition' }).click();
    await choose(page.getByRole('combobox', { name: 'Condition 1: what' }), 'folder');
    await page.getByRole('textbox', { name: 'Condition 1: text' }).fill('DR-15/drawings');
    await page.getByRole('textbox', { name: 'Condition 1: text' }).press('Tab');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByRole('heading', { level: 1, name: 'Quay Roastery' })).toBeVisible();
    await expect(page.getByRole('region', { name: 'Files' }).getByRole('link')).toHaveCount(4);
  });

  await test.step('its value is pushed down', async () => {
    await page.getByRole('textbox', { name: /^Customer/ }).fill('Quay Roastery Ltd');
    await page.getByRole('textbox', { name: /^Customer/ }).press('Tab');
    await expect(page.getByText(/pending; now/)).toBeVisible();
    await applyTray(page);
    for (const path of drawings) expect(value(path, 'Customer')).toBe('Quay Roastery Ltd');
    await expect(page.getByRole('region', { name: 'Not reached yet' })).toBeHidden();
  });

  await test.step('the sheets of a set are numbered, each for itself', async () => {
    await page.goto('/values?view=projects');
    await page.getByRole('button', { name: 'DR-15, first issue' }).click();
    const sheets = page.getByRole('region', { name: 'Sheets' });
    await expect(sheets.getByRole('row')).toHaveCount(5);
    for (const [i, path] of drawings.entries()) {
      await sheets.getByRole('textbox', { name: new RegExp(`^Sheet number of ${path.replaceAll('.', '\\.')}`) }).fill(`${i + 1}/4`);
      await page.keyboard.press('Tab');
    }
    await applyTray(page);
    for (const [i, path] of drawings.entries()) {
      const cells = reading(path).holders.find((holder) => holder.level === 'sheet')!.values;
      expect(cells.find((cell) => cell.name === 'SHEET')!.held.text).toBe(`${i + 1}/4`);
    }
  });
});

test('the grid takes a block from a spreadsheet program, fills, replaces, groups, and takes it all back', async ({ page }) => {
  await signIn(page, 'okafor');
  await page.goto('/values?folder=DR-15%2Fparts&kind=part');
  const grid = page.getByRole('grid', { name: 'Files and their values' });
  const [agitator, hopper] = ['agitator-arm.step', 'bean-hopper.step'];

  await test.step('a block with a value that cannot be written is refused whole, and the cell is marked', async () => {
    await (await gridCell(page, agitator, 'Description')).click();
    await grid.focus();
    await paste(page, `Arm of the agitator\tB\n${'Hopper '.repeat(6)}end\tC\n`);
    await expect(page.getByRole('alert')).toContainText('1 value cannot be written. Nothing was pasted.');
    await expect(page.getByRole('alert')).toContainText('DR-15/parts/bean-hopper.step, Description: may have 40 characters');
    await expect(await gridCell(page, hopper, 'Description')).toHaveClass(/marked/);
    await expect(page.getByText('nothing pending')).toBeVisible();
  });

  await test.step('so is one that is wider than the grid, and one with a control character', async () => {
    await grid.focus();
    await paste(page, Array<string>(40).fill('a').join('\t'));
    await expect(page.getByRole('alert')).toContainText('wider than the grid');
    await paste(page, 'a\u0007b');
    await expect(page.getByRole('alert')).toContainText('contains a control character');
    await paste(page, 'Hopper '.repeat(14_286));
    await expect(page.getByRole('alert')).toContainText('may have 40 characters, has 100002');
    await page.getByRole('alert').getByRole('button', { name: 'Close' }).click();
  });

  await test.step('a good block is taken, quotation marks and all', async () => {
    await (await gridCell(page, agitator, 'Description')).click();
    await grid.focus();
    await paste(page, '"Arm, 5"" wide"\tB\r\nHopper for beans\tC\r\n');
    await expect(await gridCell(page, agitator, 'Description')).toHaveText('Arm, 5" wide');
    await expect(await gridCell(page, hopper, 'Revision')).toHaveText('C');
  });

  await test.step('undo and redo', async () => {
    await grid.focus();
    await page.keyboard.press('Control+z');
    await expect(page.getByText('nothing pending')).toBeVisible();
    await page.keyboard.press('Control+y');
    await expect(await gridCell(page, agitator, 'Description')).toHaveText('Arm, 5" wide');
  });

  await test.step('a series is carried on, and a value filled down', async () => {
    await (await gridCell(page, agitator, 'Order number')).click();
    await page.keyboard.type('ON-007');
    await page.keyboard.press('Enter');
    await (await gridCell(page, agitator, 'Order number')).click();
    await page.keyboard.press('Shift+ArrowDown');
    await page.keyboard.press('Shift+ArrowDown');
    await page.keyboard.press('Control+Alt+d');
    await expect(await gridCell(page, 'burner-rail.step', 'Order number')).toHaveText('ON-009');
  });

  await test.step('find and replace shows what it would do first', async () => {
    await page.getByRole('button', { name: 'Find and replace' }).click();
    const tool = page.getByRole('region', { name: 'Find and replace' });
    await tool.getByRole('textbox', { name: 'Find' }).fill('ON-00');
    await tool.getByRole('textbox', { name: 'Replace with' }).fill('ON/1');
    await tool.getByRole('button', { name: 'Preview' }).click();
    await expect(tool.getByRole('status')).toContainText('3 values found, 3 can be replaced.');
    await tool.getByRole('button', { name: 'Replace 3 values' }).click();
    await expect(await gridCell(page, 'burner-rail.step', 'Order number')).toHaveText('ON/19');
    await tool.getByRole('button', { name: 'Close' }).click();
  });

  await test.step('rows are grouped, filtered by a column, and the view is kept', async () => {
    await choose(page.getByRole('combobox', { name: 'Group by' }), 'class');
    await expect(page.getByRole('row').filter({ hasText: /made part \d+ files/ })).toBeVisible();
    await choose(page.getByRole('combobox', { name: 'Group by' }), 'nothing');
    await grid.evaluate((frame) => (frame.scrollLeft = 0));
    await grid.getByRole('button', { name: 'filter by Description' }).click();
    await page.getByRole('region', { name: 'Filter by a column' }).getByRole('textbox').fill('drum');
    await page.getByRole('button', { name: 'Filter', exact: true }).click();
    await expect(page.getByRole('button', { name: /^Description contains drum/ })).toBeVisible();
    await expect(page.getByRole('rowheader')).toHaveCount(2);
    await page.getByRole('button', { name: 'Columns', exact: true }).click();
    await page.getByRole('textbox', { name: 'Name for the view' }).fill('Drums');
    await page.getByRole('button', { name: 'Keep this view' }).click();
    await expect(page.getByText('The view Drums is kept.')).toBeVisible();
    await page.goto('/values');
    await choose(page.getByRole('combobox', { name: 'View' }), 'Drums');
    await expect(page.getByRole('rowheader')).toHaveCount(2);
  });

  await test.step('all of it is applied as one, and taken back in History', async () => {
    const before = readFileSync(join(library(), 'DR-15/parts/burner-rail.step'));
    await applyTray(page);
    expect(value('DR-15/parts/burner-rail.step', 'Order number')).toBe('ON/19');
    expect(value('DR-15/parts/agitator-arm.step', 'Description')).toBe('Arm, 5" wide');
    await page.goto('/history');
    await page
      .getByRole('button', { name: /^Revert/ })
      .first()
      .click();
    await expect.poll(() => readFileSync(join(library(), 'DR-15/parts/burner-rail.step')).equals(before)).toBe(true);
  });

  await test.step('a cell says why it is so', async () => {
    await page.goto('/values?folder=DR-15%2Fparts&kind=part');
    await (await gridCell(page, 'agitator-arm.step', 'Description')).click();
    await expect(page.getByRole('complementary', { name: 'Values: inspector' })).toContainText('Last changed through Rule by Tobe Okafor');
  });
});

test('start files are published from the edition in force, and can be taken from the page', async ({ page }) => {
  await signIn(page, 'varga');
  await page.goto('/schema?view=start-files');
  await page.getByRole('combobox', { name: 'Title block of drawings' }).click();
  await page.getByRole('option', { name: 'MRW-TITLE' }).click();
  await page.getByRole('button', { name: 'Compare with published files' }).click();
  await page.getByRole('button', { name: /^Publish: \d+ files change/ }).click();
  await expect(page.getByText('The start files are published.')).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'start drawing A3.dxf' }).click()]);
  const drawing = formatOf('a.dxf')!.read(new Uint8Array(readFileSync(await download.path())));
  expect(drawing.inserts.map((insert) => insert.block)).toEqual(['MRW-TITLE']);
  expect(drawing.holders[0]!.values.filter((entry) => entry.place === 'property').map((entry) => entry.name)).toContain('Date of issue');
});
