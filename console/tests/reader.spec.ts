import { readFileSync } from 'node:fs';
import { expect, type Page } from '@playwright/test';
import { accessible, rows, show, test } from './page';

async function saved(page: Page, what: string): Promise<Buffer> {
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: `Download ${what}` }).click()]);
  expect(download.suggestedFilename()).toBe(`late-sailings-2026-11-23.${what.toLowerCase()}`);
  return readFileSync(await download.path());
}

for (const [width, height] of [
  [360, 740],
  [1280, 800],
  [1920, 1080],
] as const)
  test(`what a new reader does, at ${width} pixels`, async ({ page, request }) => {
    await page.setViewportSize({ width, height });
    await page.goto('/');
    const line = page.getByRole('searchbox');
    await line.fill('late sailngs last month outer loop');
    await expect(page.getByRole('region', { name: 'What this line means' })).toContainText('Late sailings');
    await line.press('Enter');

    // See, and doubt.
    await expect(page.locator('.read')).toContainText('route is Outer Loop');
    await expect(rows(page).first()).toContainText('Outer Loop');
    await page.getByText('How this came about').click();
    await expect(page.getByText(/nearest left out/)).toBeVisible();
    await page.getByRole('link', { name: /^Receipt \d+$/ }).click();
    await page.getByRole('button', { name: 'Run again as it was' }).click();
    await expect(page.getByRole('status').filter({ hasText: 'The same, row by row' })).toBeVisible();
    await page.goBack();
    await expect(rows(page).first()).toBeVisible();

    // Keep, and download in each format.
    const name = `Outer Loop at ${width}`;
    await page.getByText('Keep these…').click();
    await page.getByLabel('Under the name').fill(name);
    await page.getByLabel(/Frozen/).check();
    await accessible(page);
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await expect(page.getByText(`Kept as “${name}”, as of Mon 23 Nov 2026.`)).toBeVisible();
    const csv = (await saved(page, 'CSV')).toString();
    expect(csv.split('\r\n')[0]).toBe('departed_at,route,vessel,passengers,vehicles,minutes_late,reason');
    expect((await saved(page, 'XLSX')).subarray(0, 2).toString()).toBe('PK');
    expect((await saved(page, 'PDF')).subarray(0, 5).toString()).toBe('%PDF-');
    await page.getByLabel('How CSV is written').click();
    await page.getByLabel('Between fields').selectOption('semicolon');
    await page.getByLabel('Days').selectOption('dd.MM.yyyy');
    await accessible(page);
    expect((await saved(page, 'CSV')).toString().split('\r\n')[1]).toMatch(/^\d\d\.10\.2026 \d\d:\d\d:\d\d;Outer Loop;/);

    // A live link, read by somebody who has but its address, and revoked.
    await page.getByText('Link', { exact: true }).click();
    await page.getByLabel('What it is for').fill(`Sheet ${width}`);
    await page.getByRole('button', { name: 'Make a live link' }).click();
    const address = await page.getByLabel('Its address, told this once').inputValue();
    const live = await request.get(address);
    expect((await live.text()).split('\r\n').length).toBe(csv.split('\r\n').length);

    // Come back: by the link, and by what is kept.
    const link = page.url();
    await page.goto('/');
    await page.goto(link);
    await expect(rows(page).first()).toContainText('Outer Loop');
    await page.goto('/');
    await accessible(page);
    await page.getByRole('region', { name: 'Kept' }).getByRole('link', { name }).click();
    await expect(page.getByText('Frozen as of')).toBeVisible();
    await expect(rows(page).first()).toContainText('Outer Loop');
    await page.getByRole('button', { name: 'As of today' }).click();
    await expect(page.getByText('Frozen as of')).toBeHidden();
    await page.goto('/');
    await page.getByRole('button', { name: `Revoke Sheet ${width}` }).click();
    // That of others, who run beside it, may have been revoked before.
    await expect(page.getByRole('listitem').filter({ hasText: `Sheet ${width}` })).toContainText('revoked');
    expect((await request.get(address)).status()).toBe(410);
    await page.getByRole('button', { name: `Forget ${name}` }).click();
    await expect(page.getByRole('link', { name })).toBeHidden();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
  });

test('another order of columns is of the same run, and a run is found again with its records', async ({ page }) => {
  let runs = 0; // that the page asked for, beside rows of one that there is
  page.on('request', (sent) => {
    if (sent.method() === 'POST' && sent.url().includes('/reports/sailings-in-figures/runs') && !sent.postData()?.includes('"of"')) runs++;
  });
  await page.goto('/reports/sailings-in-figures?travel-period=last+month');
  const evidence = page.getByText('How this came about');
  await expect(evidence).toBeVisible();
  await evidence.click();
  const before = /\d+/.exec(
    await page
      .getByRole('link', { name: /^Receipt \d+/ })
      .first()
      .innerText(),
  )![0];
  const heading = page.getByRole('button', { name: /^Passengers/ });
  await heading.click();
  await expect(page).toHaveURL(/view\.sort=passengers/);
  const sailings = page.getByRole('region', { name: 'Sailings', exact: true }).locator('tr[aria-rowindex]');
  const cell = sailings.first().getByRole('cell').nth(3);
  const least = await cell.innerText();
  await heading.click();
  await expect(page).toHaveURL(/descending/);
  await expect(cell).not.toHaveText(least);
  await page.goto('/runs');
  await page.getByRole('link', { name: `its records, run ${before}`, exact: true }).click();
  await expect(page.getByText(/^These are the records as they were read/)).toBeVisible();
  await expect(sailings.first()).toBeVisible();
  expect(runs).toBe(1);
});

test('a run that takes long tells how far it is, goes on when one leaves, and is cancelled', async ({ page, request }) => {
  const definitions = `pikegate: 1
dataset: endless
source: ferries
sql: "WITH RECURSIVE n (id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n WHERE id < 4000000000) SELECT max(id) AS id FROM n"
key: [id]
columns: {id: {type: integer}}
---
pikegate: 1
query: endless
of: endless
show: [id]
---
pikegate: 1
report: endless
title: Endless
sections: [{table: {query: endless}}]
`;
  const sources = (await (await request.get('/api/v1/sources')).json()).sources as { name: string }[];
  const put = await request.post('/api/v1/definitions', {
    data: { files: [{ name: 'e.yaml', text: definitions.replace('ferries', sources[0]!.name) }], offline: true },
  });
  expect(put.status(), await put.text()).toBe(200);
  await page.goto('/reports/endless');
  await show(page).click();
  await expect(page.getByText(/It goes on when you leave this page; it is run \d+/)).toBeVisible();
  await accessible(page, { busy: true });
  await page.goto('/runs');
  const row = page.getByRole('row').filter({ hasText: 'Endless' }).first();
  await expect(row).toContainText('Reading the records');
  await row.getByRole('button', { name: /Cancel run/ }).click();
  await expect(row).toContainText('cancelled');
  await page.goto('/reports/endless');
  await show(page).click();
  await expect(page.getByText('It goes on when you leave')).toBeVisible();
  await page.getByRole('button', { name: 'Cancel', exact: true }).click();
  await expect(page.getByText('Cancelled. The database is free.')).toBeVisible();
  await request.delete('/api/v1/definitions/report/endless');
  await request.delete('/api/v1/definitions/query/endless');
  await request.delete('/api/v1/definitions/dataset/endless');
});

test('a print has the whole result, and not what was scrolled to', async ({ page }) => {
  await page.addInitScript(() => {
    window.print = () => (document.title = `printed ${document.querySelectorAll('[aria-label="Records"] tr[aria-rowindex]').length}`);
  });
  await page.goto('/reports/late-sailings?travel-period=year+to+date&minutes=15');
  await expect(page.getByText('How this came about')).toBeVisible();
  const records = Number((await page.locator('.count').innerText()).replace(/\D/g, ''));
  expect(records).toBeGreaterThan(1000);
  await page.getByRole('button', { name: 'Print' }).click();
  await expect(page).toHaveTitle(`printed ${records}`);
});

test('forced colours, reduced motion and a zoom of 400 % leave everything in reach', async ({ page }) => {
  await page.emulateMedia({ forcedColors: 'active', reducedMotion: 'reduce' });
  await page.setViewportSize({ width: 320, height: 256 }); // which is 1280 by 1024 at 400 %
  for (const path of ['/', '/runs', '/reports/late-sailings?travel-period=yesterday', '/reports/late-in-figures?travel-period=last+month&minutes=15']) {
    await page.goto(path);
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    if (path.includes('?')) await expect(page.getByText('How this came about')).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth), path).toBeLessThanOrEqual(320);
    // The contrast is read of the page's own colours, and not of those that are forced.
    await accessible(page, { without: ['color-contrast'] });
  }
  await show(page).press('Enter');
  await expect(page.getByText('How this came about')).toBeVisible();
});

test('numbers stand as the reader writes them, days with their month by name', async ({ browser, baseURL }) => {
  const context = await browser.newContext({ baseURL, locale: 'de-DE' });
  const page = await context.newPage();
  await page.goto('/reports/sailings-in-figures?travel-period=Oct+2026');
  await expect(page.locator('.count')).toHaveText(/^1\.652 records/);
  await expect(page.getByRole('group', { name: 'Passengers' })).toContainText('200.489');
  await expect(page.locator('.read')).toContainText('Thu 1 Oct 2026');
  await expect(page.getByRole('region', { name: 'Sailings', exact: true }).getByRole('cell').first()).toHaveText('Thu 1 Oct 2026 08:54');
  await context.close();
});

// ar-XB is the made-up language: each text of the catalogue stands in ⟦ ⟧, and the page runs from right to left.
test('a language from right to left', async ({ browser, baseURL }) => {
  const context = await browser.newContext({ baseURL, locale: 'ar-XB' });
  const page = await context.newPage();
  for (const path of ['/', '/runs', '/reports/sailings-in-figures?travel-period=Oct+2026', '/workroom', '/workroom/query/late-sailings']) {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(path);
    await expect(page.locator('html')).toHaveAttribute('dir', 'rtl');
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    await expect(page.getByRole('link', { name: '⟦Runs⟧' })).toBeVisible();
    if (path.includes('?')) {
      await expect(page.getByText('How this came about')).toBeVisible();
      const [asked, shown] = await Promise.all([page.locator('form').last().boundingBox(), page.locator('.read').boundingBox()]);
      expect(asked!.x).toBeGreaterThan(shown!.x);
    }
    for (const width of [1280, 360]) {
      await page.setViewportSize({ width, height: 800 });
      expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth), path).toBeLessThanOrEqual(0);
      await accessible(page);
    }
  }
  await context.close();
});
