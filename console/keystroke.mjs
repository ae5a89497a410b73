// Tells how many milliseconds it takes from a key stroke in a definition's file until the sentence, what is found wrong and
// the file agree: of 40 strokes, half of which make a mistake in the name of a column and half mend it. The definition is
// a query that a service has, with conditions on the column:
// node keystroke.mjs http://127.0.0.1:8080 late-sailings minutes_late
import { chromium } from '@playwright/test';

const [, , at, query, column] = process.argv;
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(`${at}/workroom/query/${query}`);
await page.getByRole('button', { name: 'Both' }).click();
const file = page.getByRole('textbox', { name: 'The definition as a file' });
await file.getByText(column).last().click();
await page.waitForTimeout(1000); // for what is counted when the page is opened

/** Presses a key, and tells how long it takes until the file and the sentence both have a mistake, or none. */
async function stroke(key, mistaken) {
  await page.evaluate((mistaken) => {
    window.agreed = new Promise((done, missed) => {
      setTimeout(() => missed(new Error('a key stroke was lost, or file and sentence did not agree within 10 s')), 10_000);
      let since = 0;
      addEventListener('keydown', () => (since = performance.now()), { capture: true, once: true });
      const look = () => {
        const file = document.querySelector('[aria-label="The definition as a file"]').textContent.includes('qq');
        const says = /No column "\w*qq/.test(document.querySelector('.say').textContent);
        if (since === 0 || file !== mistaken || says !== mistaken) return;
        watching.disconnect();
        done(performance.now() - since);
      };
      const watching = new MutationObserver(look);
      watching.observe(document.body, { subtree: true, childList: true, characterData: true, attributes: true });
    });
  }, mistaken);
  await page.keyboard.press(key);
  return page.evaluate(() => window.agreed);
}

try {
  await measure();
} finally {
  await page.request.delete(`${at}/api/v1/drafts/query/${query}`);
  await browser.close();
}

async function measure() {
  await page.keyboard.press('q');
  const times = [];
  for (let i = 0; i < 20; i++) {
    times.push(await stroke('q', true));
    await page.waitForTimeout(400);
    times.push(await stroke('Backspace', false));
    await page.waitForTimeout(400);
  }
  console.log(times.map((t) => t.toFixed(1)).join(' '));
  if (process.env.SHOT) await page.screenshot({ path: process.env.SHOT });
}
