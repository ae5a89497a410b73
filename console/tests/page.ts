import { expect, test as base, type Page } from '@playwright/test';
import type { AxeResults, RunOptions } from 'axe-core';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

/** A test that holds the browser's log empty and every request to its own service. */
export const test = base.extend<{ page: Page }>({
  page: async ({ page, baseURL }, use) => {
    const log: string[] = [];
    page.on('console', (message) => ['warning', 'error'].includes(message.type()) && log.push(`${message.text()} ${message.location().url}`));
    page.on('pageerror', (error) => log.push(error.message));
    page.on('request', (request) => {
      const url = request.url();
      if (!/^http:\/\/127\.0\.0\.1:/.test(url) && !url.startsWith(baseURL!) && !url.startsWith('blob:') && !url.startsWith('data:'))
        log.push(`a request to the outside: ${url}`);
    });
    await use(page);
    // A draft may be broken by a change between two questions about it: the second is refused then, which is told on the page.
    // So is SQL that a database refuses while it is written.
    // A page that is left cancels its run, which may have ended at that moment: 409.
    // What a test keeps from the service fails, and what two windows save at once is refused to one: both are told there too.
    expect(
      log.filter(
        (line) =>
          !/status of 4\d\d .*drafts=true$|status of 409 .*\/drafts\/|status of 409 .*\/receipts\/\d+\/cancel|status of 401 .*|status of 40[349] .*\/(people|audit|groups)|status of 422 .*\/schedules\/|status of 404 .*\/fuel-at-your-harbour|status of 502 .*(drafts=true|drafts\/readings.*)$|net::ERR_FAILED/.test(
            line,
          ),
      ),
    ).toEqual([]);
  },
});

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What of a page axe is to look at: all rules but some, or some only; and whether something in it is busy. */
interface Look {
  without?: string[];
  only?: string[];
  busy?: boolean;
}

/**
 * Holds a page to what axe finds. It runs axe in the page itself and asks for violations alone, which takes a
 * quarter of the time of the usual driver; no page has frames, which would need that. A page is there when its
 * heading is shown and nothing in it is busy, unless "busy" says so: axe would see only half of what is appearing.
 */
export async function accessible(page: Page, { without = [], only, busy = false }: Look = {}) {
  await expect(page.getByRole('heading', { level: 1 })).toHaveCount(1);
  await expect(page.locator('[aria-busy="true"]')).toHaveCount(busy ? 1 : 0);
  expect(page.frames()).toHaveLength(1);
  await page.evaluate(axe);
  const options: RunOptions = {
    resultTypes: ['violations'],
    runOnly: only,
    rules: Object.fromEntries(without.map((rule) => [rule, { enabled: false }])),
  };
  const { violations } = await page.evaluate<AxeResults, RunOptions>(
    (options) => (window as unknown as { axe: { run: (of: Document, by: RunOptions) => Promise<AxeResults> } }).axe.run(document, options),
    options,
  );
  expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(', ')}`)).toEqual([]);
}

export const show = (page: Page) => page.getByRole('button', { name: 'Show records' });

/** The rows of a report that is one table. */
export const rows = (page: Page) => page.getByRole('region', { name: 'Records' }).locator('tr[aria-rowindex]');
