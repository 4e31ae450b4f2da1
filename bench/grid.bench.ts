import { inBrowser, reportScrolling } from './scrolling';
import { openServices } from './services';
import { FILES, fillWide, ruled, typed } from './wide';

const { services, db, url, close } = await openServices();
await fillWide(db);
await services.editions.decree(null, 'the schema in force', [...typed, ...ruled]);
await inBrowser(services, url, async (page) => {
  await page.getByRole('link', { name: 'Values' }).click();
  await page.getByRole('rowheader').nth(5).waitFor();
  await page.waitForTimeout(1500);
  await reportScrolling(page, `Scrolling the grid over ${FILES} rows × 40 columns in Chromium`, '[role=grid]', [
    { what: 'by 60 pixels a frame', perFrame: 60 },
    { what: 'by 600 pixels a frame, twenty rows', perFrame: 600 },
    { what: 'by 9,000 pixels a frame, to row 90,000', perFrame: 9000 },
    { what: 'sideways, by 40 pixels a frame', perFrame: 40, sideways: true },
  ]);
}).finally(close);
