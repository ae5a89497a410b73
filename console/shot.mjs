import { chromium } from '@playwright/test';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync'] });
const base = 'http://127.0.0.1:9911';
const shots = process.argv.slice(2);
async function page(opts={}) { const c = await b.newContext({ viewport: { width: 1280, height: 800 }, ...opts }); const p = await c.newPage(); p.on('console', m => console.log('LOG', m.type(), m.text())); p.on('pageerror', e => console.log('ERR', e.message)); return p; }
const todo = {
  async list() { const p = await page(); await p.goto(base); await p.waitForSelector('li'); await p.screenshot({ path: '/tmp/s-list.png' }); },
  async report() { const p = await page(); await p.goto(base + '/reports/late-sailings'); await p.waitForSelector('.go'); await p.getByText('Outer Loop').click(); await p.getByText('Skerry Run').click(); await p.waitForTimeout(500); await p.click('.go'); await p.waitForSelector('td'); await p.waitForTimeout(300); await p.screenshot({ path: '/tmp/s-report.png' }); },
  async dark() { const p = await page({ colorScheme: 'dark' }); await p.goto(base + '/reports/waybills-by-day?manifest-period=last+7+days&goods='); await p.waitForSelector('td'); await p.waitForTimeout(500); await p.screenshot({ path: '/tmp/s-dark.png' }); },
  async refuse() { const p = await page(); await p.goto(base + '/reports/late-sailings'); await p.waitForSelector('.go'); await p.getByLabel('From, that day included', {exact: true}).fill('3/4/2026'); await p.getByLabel('Through, that day included', {exact: true}).fill('30 Feb 2026'); await p.getByLabel('At least how many').fill('fifteen'); await p.waitForTimeout(600); await p.click('.go'); await p.waitForTimeout(500); await p.screenshot({ path: '/tmp/s-refuse.png' }); },
  async cal() { const p = await page(); await p.goto(base + '/reports/fuel-on-a-day'); await p.waitForSelector('.go'); await p.waitForTimeout(400); await p.getByRole('button', {name: /Pick/}).click(); await p.waitForTimeout(900); await p.screenshot({ path: '/tmp/s-cal.png' }); },
  async narrow() { const p = await page({ viewport: { width: 360, height: 740 } }); await p.goto(base + '/reports/late-sailings?travel-period=last+month'); await p.waitForSelector('td'); await p.waitForTimeout(400); await p.screenshot({ path: '/tmp/s-narrow.png' }); },
};
for (const s of shots) await todo[s]();
await b.close();
