import { expect } from '@playwright/test';
import { accessFaults, signIn } from './pages';
import { test } from './stack';

// Faults are told by their text, and recording takes longer than looking.
test.use({ trace: 'off' });

/** All views, both surfaces, against the machine-checkable WCAG 2.1 AA rules. */
test('no view breaks the rules of access, light or dark', async ({ page }) => {
  test.setTimeout(900_000);
  await page.emulateMedia({ colorScheme: 'light', reducedMotion: 'reduce' });
  await page.goto('/');
  const found: string[] = [];
  const check = async (where: string) => {
    found.push(...(await accessFaults(page, where)));
    // The stations scroll inside: what pushed the page itself would take header and tray along.
    const beyond = await page.evaluate(() => document.documentElement.scrollHeight - window.innerHeight);
    if (beyond > 0) found.push(`${where}: the page itself is ${beyond} px too high`);
    // Between the surfaces only colours differ.
    await page.emulateMedia({ colorScheme: 'dark' });
    await expect.poll(() => page.evaluate(() => getComputedStyle(document.documentElement).colorScheme)).toBe('dark');
    found.push(...(await accessFaults(page, `${where}, dark`, ['color-contrast', 'link-in-text-block'])));
    await page.emulateMedia({ colorScheme: 'light' });
  };
  await check('sign-in');
  await signIn(page, 'varga');
  for (const view of [
    'overview',
    'survey',
    'survey?look=strays',
    'survey?look=coverage',
    'survey?look=twins',
    'survey?look=values&name=Material',
    'survey?look=files&name=Finish',
    'survey?look=remarks',
    'survey?look=masses',
    'survey?look=learned',
    'survey?look=foreign',
    'survey?look=kept',
    'survey?look=classes',
    'survey?look=library&library=1',
    'file/3',
    'schema?property=4',
    'schema?define=',
    'schema?view=editions',
    'schema?view=try',
    'schema?view=rollout',
    'schema?view=checks',
    'schema?view=table',
    'schema?view=standards',
    'schema?view=lists&item=new',
    'schema?view=series&item=new',
    'schema?view=start-files',
    'schema?view=file-names',
    'forms',
    'forms?form=2',
    'forms?form=new',
    'values',
    'values?rows=sheet',
    'values?view=to-do',
    'values?view=projects',
    'values?view=projects&item=4',
    'values?group=class',
    'values?fill=filter&kind=part',
    'values?fill=assembly-deep:2',
    'title-blocks?cell=MATL',
    'bom',
    'bom?look=drawings',
    'vault',
    'vault?look=table',
    'vault?look=fields',
    'vault?look=records',
    'vault?look=list',
    'vault?look=bring',
    'vault?look=rehearsal',
    'exchange',
    'exchange?layout=1',
    'exchange?layout=new&start=Purchasing',
    'exchange?view=out',
    'exchange?view=deliveries',
    'history',
    'settings',
    'settings?view=you',
    'settings?view=tokens',
    'settings?view=people',
    'settings?view=libraries',
  ]) {
    await page.goto(`/${view}`);
    await expect(page.getByRole('heading', { level: 1 }), view).toBeVisible();
    await expect(page.locator('.skeleton'), view).toHaveCount(0);
    await check(view);
  }
  await page.goto('/forms?form=2');
  await page.getByRole('button', { name: 'Edit Supplier' }).click();
  await page.getByRole('button', { name: 'Insert before Mass' }).click();
  await check('forms, settings of an input open');
  await page.goto('/bom');
  await page.getByRole('button', { name: /^Structure/ }).click();
  await page.getByRole('gridcell').first().click();
  await page.getByRole('button', { name: 'Set up' }).click();
  await expect(page.getByRole('complementary', { name: 'BOM: inspector' }).getByRole('heading', { name: /^Item/ })).toBeVisible();
  await check('bom, set-up open and a row chosen');
  await page.goto('/vault');
  await page.getByRole('button', { name: 'Add a link' }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await check('vault, a link being added');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Review' }).click();
  await check('tray');
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('dialog')).toBeVisible();
  await check('palette');
  expect(found).toEqual([]);
});
