import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from '@playwright/test';
import { step } from '@rule/core/files/step';
import { applyTray, choose, signIn } from './pages';
import { here, test } from './stack';

/** A file of the demo library on disk. */
const value = (path: string, name: string) =>
  step
    .read(new Uint8Array(readFileSync(join(here().library, path))))
    .holders.find((holder) => holder.key === '')!
    .values.find((entry) => entry.place === 'property' && entry.name === name)?.held.text;

test('a schema is begun, tried, repaired, brought into force, and a name is changed midstream', async ({ page }) => {
  await signIn(page, 'varga');
  await page.goto('/schema?view=standards');
  const index = page.getByRole('navigation', { name: 'Schema: index' });

  await test.step('start from a starter', async () => {
    await page.getByRole('button', { name: 'Add to the draft: Machine building, metric' }).click();
    await expect(page.getByText(/Machine building, metric is in the draft/)).toBeVisible();
    // The company has none of these, so they are not needed.
    for (const name of ['Document type', 'Scale', 'Approved by']) {
      await index.getByRole('button', { name: new RegExp(`^${name}`) }).click();
      await page.getByRole('button', { name: 'Remove from draft' }).click();
      await expect(page.getByRole('heading', { level: 1, name: /Draft of edition/ })).toBeVisible();
    }
  });

  await test.step('adjust a definition by what the files hold', async () => {
    await index.getByRole('button', { name: /^Material/ }).click();
    const today = page.getByRole('region', { name: 'In files today' });
    // The most frequent value not yet a choice becomes one.
    const misfit = today.getByRole('row').first();
    await expect(misfit).toContainText(/is not among the choices|is another spelling of/);
    const found = await misfit.getByRole('cell').first().innerText();
    const choices = page.getByRole('textbox', { name: /^Choices, one per line/ });
    await choices.fill(`${await choices.inputValue()}\n${found}`);
    await expect(today.getByRole('cell', { name: found, exact: true })).toBeHidden();
    // Leaving asks first; staying keeps everything.
    const question = page.getByRole('alertdialog', { name: 'Not saved yet' });
    for (const leave of [() => index.getByRole('button', { name: 'Checks' }).click(), () => page.goBack()]) {
      await leave();
      await expect(question.getByRole('listitem')).toHaveText('the property Material');
      await expect(question.getByRole('button', { name: 'Stay' })).toBeFocused();
      await page.keyboard.press('Enter');
      await expect(question).toBeHidden();
      await expect(choices).toHaveValue(new RegExp(`${found}$`));
    }
    await page.getByRole('button', { name: 'Save in the draft' }).click();
    await expect(page.getByText('Material is saved in the draft.')).toBeVisible();
  });

  await test.step('write a rule with an error, and be led to the fix', async () => {
    await page.getByRole('button', { name: 'Define property' }).click();
    await page.getByRole('textbox', { name: /^Written name/ }).fill('Label');
    await page.getByRole('textbox', { name: /^Caption A property/ }).fill('Label text');
    await choose(page.getByRole('combobox', { name: 'Value comes from' }), 'computed by a rule');
    const rule = page.getByRole('textbox', { name: 'Rule', exact: true });
    await rule.click();
    await page.keyboard.type('Part numbr + "/" + Revision');
    await page.keyboard.press('Escape');
    await expect(page.getByRole('alert').filter({ hasText: 'Did you mean "Part number"?' })).toBeVisible();
    await page.getByRole('button', { name: 'Write Part number' }).click();
    await page.getByRole('button', { name: 'Write text(Part number)' }).click();
    await page.getByRole('button', { name: 'Write text(Revision)' }).click();
    await expect(rule).toHaveText('text(Part number) + "/" + text(Revision)');
    // Live on real files, explained part by part.
    await page.getByRole('textbox', { name: 'Find files to test the rule' }).fill('drum.step');
    const result = page.getByRole('row', { name: /DR-15\/parts\/drum\.step/ });
    await expect(result).toContainText(`${value('DR-15/parts/drum.step', 'Part number')}/${value('DR-15/parts/drum.step', 'Revision')}`);
    await result.getByRole('button', { name: 'explain' }).click();
    await expect(page.getByRole('list', { name: /^Why DR-15\/parts\/drum\.step/ })).toContainText(
      `Part number="${value('DR-15/parts/drum.step', 'Part number')}"`,
    );
    await page.getByRole('button', { name: 'Add an example' }).click();
    await page.getByRole('textbox', { name: 'Part number in example 1' }).fill('X-1');
    await page.getByRole('textbox', { name: 'Expected in example 1' }).fill('X-1/A');
    await page.getByRole('textbox', { name: 'Revision in example 1' }).fill('A');
    await expect(page.getByRole('cell', { name: 'as expected' })).toBeVisible();
    await page.getByRole('button', { name: 'Define', exact: true }).click();
    await expect(page.getByText('Label text is in the draft.')).toBeVisible();
  });

  await test.step('try it, and repair what it finds', async () => {
    await index.getByRole('button', { name: /^Try/ }).click();
    await page.getByRole('button', { name: 'Try it on all files' }).click();
    const changes = page.getByRole('region', { name: 'would change by rule' });
    await changes.getByRole('button', { name: /^Label text/ }).click();
    await expect(page.getByRole('row', { name: /DR-15\/parts\/drum\.step/ })).toContainText('Label text would become');
    await page.getByRole('button', { name: 'Put repairs in the tray' }).click();
    await expect(page.getByText(/values added to your tray/)).toBeVisible();
    expect(await applyTray(page)).toMatch(/values written into/);
    await page.locator('rule-tray').getByRole('button', { name: 'Close' }).click();
    expect(value('DR-15/parts/drum.step', 'Label')).toBe(`${value('DR-15/parts/drum.step', 'Part number')}/${value('DR-15/parts/drum.step', 'Revision')}`);
    await page.getByRole('button', { name: 'Try it on all files' }).click();
    // A released file stays unchanged until writable.
    await expect(changes.getByRole('button', { name: /^Label text/ })).toContainText(/1 file$/);
  });

  await test.step('bring it into force', async () => {
    await index.getByRole('button', { name: /^Draft of edition/ }).click();
    await expect(page.getByRole('row', { name: /^Label text new property/ })).toBeVisible();
    await page.getByLabel('Note: reason for the change').fill('Labels, and materials as bought');
    await page.getByRole('button', { name: 'Bring into force' }).click();
    await expect(page.getByText(/Edition \d+ is in force\./)).toBeVisible();
  });

  await test.step('rename midstream', async () => {
    await index.getByRole('button', { name: /^Finish/ }).click();
    await page.getByRole('textbox', { name: /^Written name/ }).fill('Surface finish');
    await page.getByRole('button', { name: 'Save in the draft' }).click();
    await expect(page.getByRole('textbox', { name: /^Known spellings/ })).toHaveValue('Finish');
    await index.getByRole('button', { name: /^Draft of edition/ }).click();
    await page.getByLabel('Note: reason for the change').fill('Finish is called as the standard calls it');
    await page.getByRole('button', { name: 'Bring into force' }).click();
    await expect(page.getByText(/Finish has a new written name: \d+ lines that rename it in files were added to your tray/)).toBeVisible();
    const before = value('DR-15/parts/drum.step', 'Finish');
    expect(before).toBeTruthy();
    await applyTray(page);
    await page.locator('rule-tray').getByRole('button', { name: 'Close' }).click();
    expect(value('DR-15/parts/drum.step', 'Finish')).toBeUndefined();
    expect(value('DR-15/parts/drum.step', 'Surface finish')).toBe(before);
  });

  await test.step('see its trace in history', async () => {
    await page.goto('/history');
    await page
      .getByRole('button', { name: /Finish under its written name/ })
      .first()
      .click();
    await page.getByRole('button', { name: 'Check against the files' }).click();
    await expect(page.getByRole('status').filter({ hasText: 'Read again' })).toContainText('values are in the files as intended');
    await page.goto('/schema?view=rollout');
    await expect(page.getByRole('row', { name: /^Finish/ })).toBeVisible();
  });
});
