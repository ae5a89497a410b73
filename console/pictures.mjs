// Takes the pictures of the console that the docs show, of a demo that is served as of 23 Nov 2026 with nothing run yet:
// node pictures.mjs http://127.0.0.1:8080 ../docs/screenshots
import { chromium } from '@playwright/test';

const [, , at, to] = process.argv;
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});

/** Takes a picture of a page after some steps. */
async function picture(name, path, steps = async () => {}, colorScheme = 'light') {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme });
  const page = await context.newPage();
  await page.goto(at + path);
  await page.waitForTimeout(1200);
  await steps(page);
  await page.waitForTimeout(1200);
  await page.mouse.move(1270, 790);
  await page.screenshot({ path: `${to}/${name}.png` });
  await context.close();
}

const show = (page) => page.getByRole('button', { name: 'Show records' }).click();
const late = '/reports/late-sailings?travel-period=last+month';

await picture('report', late, show);
await picture('report-dark', late, show, 'dark');
await picture('calendar', late, async (page) => {
  await show(page);
  await page
    .getByRole('button', { name: /calendar/i })
    .first()
    .click();
});
await picture('refused', '/reports/late-sailings', async (page) => {
  await page.getByRole('textbox', { name: 'From, that day included' }).fill('3/4/2026');
  await page.getByRole('textbox', { name: /minutes/i }).fill('ten');
  await show(page);
});
await picture('evidence', late, async (page) => {
  await show(page);
  await page.getByText('How this came about').click();
});
await picture('no-records', '/reports/late-sailings?travel-period=Feb+2020', show);
await picture('notes', '/reports/claims-of-a-month?claim-month=last+month', show);
await picture('sections', '/reports/late-in-figures?travel-period=last+month', show);
await picture(
  'charts',
  '/reports/charges-in-shares',
  async (page) => {
    await show(page);
    await page.waitForTimeout(1500);
    await page.getByRole('heading', { name: /Share of the goods/ }).scrollIntoViewIfNeeded();
  },
  'dark',
);
await picture('reports', '/');
await picture('runs', '/runs');
await picture('receipt', '/receipts/1');
await picture('workroom', '/workroom/query/late-sailings');
await browser.close();
