import { expect, test as base, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { accessible, rows, show, test } from './page';

const from = (page: Page) => page.getByRole('textbox', { name: 'From, that day included' });
const through = (page: Page) => page.getByRole('textbox', { name: 'Through, that day included' });

test('reports stand by shelf, and a search narrows them', async ({ page }) => {
  await page.goto('/');
  const shelves = page.getByRole('region', { name: 'Shelves' }).getByRole('heading', { level: 2 });
  await expect(shelves).toHaveText(['Claims desk', 'Crew office', 'Engine room', 'Freight desk', 'Harbour office']);
  await accessible(page);
  await page.getByRole('searchbox').fill('freight manifests');
  await expect(shelves).toHaveText(['Freight desk']);
  await expect(page).toHaveURL(/find=freight/);
  await page.getByRole('searchbox').fill('no such thing');
  await expect(page.getByText('No report holds these words.')).toBeVisible();
  await page.getByRole('link', { name: 'Show all reports' }).click();
  await page.getByRole('link', { name: /Late sailings Sailings/ }).click();
  await expect(page.getByRole('heading', { name: 'Late sailings' })).toBeVisible();
  await page.goBack();
  await expect(page.getByRole('heading', { name: 'Reports' })).toBeVisible();
});

test('what whoever keeps the service should know stands at the foot', async ({ page }) => {
  await page.route('**/api/v1/about', (route) =>
    route.fulfill({ json: { version: '1.2', person: 'Ines', role: 'admin', today: '', notice: 'its records take 90 %' } }),
  );
  await page.goto('/');
  await expect(page.getByRole('contentinfo')).toHaveText(/^\s*Pike Gate 1\.2\s+Notice: its records take 90 %\.\s*$/);
  await accessible(page);
});

test('two dates bring sorted, matching records', async ({ page, request }) => {
  await page.goto('/reports/late-sailings');
  await from(page).fill('25 oct 2026');
  await through(page).fill('2026-10-26');
  await expect(page.getByText('Sun 25 Oct 2026', { exact: true })).toBeVisible();
  await expect(page.getByText('Mon 26 Oct 2026 · 2 days', { exact: true })).toBeVisible();
  await page.getByRole('checkbox', { name: 'Skerry Run' }).check();
  await page.getByRole('textbox', { name: 'At least how many minutes late?' }).fill('0');
  await page.keyboard.press('Enter');
  await expect(page.locator('.read')).toContainText(
    'Sailings departed from Sun 25 Oct 2026 through Mon 26 Oct 2026 (2 days, Harbour time), route is Skerry Run, and minutes late at least 0 min;',
  );

  const answers = { 'travel-period': { start: '2026-10-25', end: '2026-10-26' }, routes: ['Skerry Run'], minutes: 0 };
  const wanted = await (await request.post('/api/v1/reports/late-sailings/runs', { data: { answers } })).json();
  expect(wanted.rows.length).toBeGreaterThan(10);
  await expect(rows(page)).toHaveCount(wanted.rows.length);
  await expect(page.getByText(`${wanted.rows.length} records`, { exact: true })).toBeVisible();
  const instants = await rows(page)
    .locator('td:first-child')
    .evaluateAll((cells) => cells.map((c) => c.getAttribute('title')));
  expect(instants).toEqual(wanted.rows.map((r: unknown[]) => r[0]));
  await expect(rows(page).first()).toContainText('Mon 26 Oct 2026');
  const clocks = await rows(page).locator('td:first-child').allInnerTexts();
  expect(clocks.filter((c) => c.includes('Sun 25 Oct 2026 03:')).every((c) => /03:\d\d \+0[23]:00$/.test(c))).toBe(true);
  expect(clocks.some((c) => c.endsWith('+02:00')) && clocks.some((c) => c.endsWith('+03:00'))).toBe(true);
  expect(clocks.filter((c) => c.includes('+')).every((c) => c.includes('Sun 25 Oct 2026 03:'))).toBe(true);
  await expect(page.locator('td.missing').first()).toHaveText('missing');
  await accessible(page);
});

test('the link carries the answers and runs them', async ({ page, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.goto('/reports/waybills-by-day');
  await from(page).fill('Oct 2026');
  await page.getByRole('checkbox', { name: 'Timber' }).check();
  await show(page).click();
  await expect(rows(page).first()).toContainText('Thu 1 Oct 2026');
  const count = await page.locator('.count').innerText();
  await page.getByText('Link', { exact: true }).click();
  await page.getByRole('button', { name: /^Copy the link/ }).click();
  await expect(page.getByText('The link with these answers is copied.')).toBeVisible();
  await page.goto(await page.evaluate(() => navigator.clipboard.readText()));
  await expect(page.locator('.count')).toHaveText(count);
  await expect(page.getByRole('checkbox', { name: 'Timber' })).toBeChecked();
  await expect(from(page)).toHaveValue('Oct 2026');
});

test('refusals stand at their fields, with an answer that passes', async ({ page }) => {
  await page.goto('/reports/late-sailings');
  await from(page).fill('3/4/2026');
  await through(page).fill('31 Jun 2026');
  await page.getByRole('textbox', { name: 'At least how many minutes late?' }).fill('ten');
  await expect(page.getByText('From: This can be read as 2 different days.')).toBeVisible();
  await expect(page.getByText('Through: There is no 31 June 2026; the month has 30 days.')).toBeVisible();
  await expect(from(page)).toHaveAttribute('aria-invalid', 'true');
  await show(page).click();
  await expect(page.getByRole('alert')).toHaveText(/Nothing was run/);
  await accessible(page);
  await page.getByRole('button', { name: '3 Apr 2026' }).click();
  await page.getByRole('button', { name: '30 Jun 2026' }).click();
  await expect(page.getByText('Tue 30 Jun 2026 · 89 days')).toBeVisible();
  await expect(page.getByText('“ten” is not a number').or(page.getByText('"ten" is not a number'))).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'At least how many minutes late?' })).toHaveValue('ten');
  await page.getByRole('textbox', { name: 'At least how many minutes late?' }).fill('10');
  await show(page).click();
  await expect(rows(page).first()).toBeVisible();
});

test('several single days are typed a line each', async ({ page, request }) => {
  const text = `pikegate: 1
prompt: fuel-days
ask: Which days of fuel?
type: days
latest: today
---
pikegate: 1
query: fuel-on-days
of: fuel-deliveries
show: [delivered_at, litres]
where: {delivered_at: {any_of: {prompt: fuel-days}}}
sort: [delivered_at]
---
pikegate: 1
report: fuel-on-days
title: Fuel on some days
shelf: Engine room
prompts: [fuel-days]
sections: [{table: {query: fuel-on-days}}]
`;
  expect((await request.post('/api/v1/definitions', { data: { files: [{ name: 'f.yaml', text }] } })).ok()).toBe(true);
  await page.goto('/reports/fuel-on-days');
  const days = page.getByRole('textbox', { name: 'Which days of fuel?' });
  await days.fill('25 oct 2026\n31 jun 2026');
  await page.getByRole('button', { name: '30 Jun 2026' }).click();
  await expect(page.getByText('Tue 30 Jun 2026, Sun 25 Oct 2026')).toBeVisible();
  await accessible(page);
  await show(page).click();
  await expect(page.locator('.read')).toContainText('delivered on one of Tue 30 Jun 2026, Sun 25 Oct 2026 (Harbour time)');
  await expect(rows(page).first()).toContainText('Tue 30 Jun 2026');
  await page.reload();
  await expect(days).toHaveValue('25 oct 2026\n30 Jun 2026');
});

test('an end before its start is refused, and the swapped period offered', async ({ page }) => {
  await page.goto('/reports/late-sailings');
  await from(page).fill('5 Mar 2026');
  await through(page).fill('1 Mar 2026');
  await page.getByRole('button', { name: '1 Mar 2026 to 5 Mar 2026' }).click();
  await expect(page.getByText('Thu 5 Mar 2026 · 5 days')).toBeVisible();
});

test('what is offered for a period in one field keeps both ends, within the limits', async ({ page }) => {
  await page.goto('/reports/late-sailings');
  await from(page).fill('yesterday to tomorrow');
  await page.getByRole('button', { name: '22 Nov 2026 to 23 Nov 2026' }).click();
  await expect(from(page)).toHaveValue('22 Nov 2026');
  await expect(through(page)).toHaveValue('23 Nov 2026');
  await expect(page.getByText('Mon 23 Nov 2026 · 2 days')).toBeVisible();
  await from(page).fill('3/4/2026');
  await page.getByRole('button', { name: '3 Apr 2026' }).click();
  await expect(from(page)).toHaveValue('3 Apr 2026');
  await expect(through(page)).toHaveValue('23 Nov 2026');
});

test('a day is picked from the calendar, any year within a few clicks', async ({ page }) => {
  await page.goto('/reports/fuel-on-a-day');
  await expect(page.getByText('Sun 22 Nov 2026')).toBeVisible();
  const pick = page.getByRole('button', { name: /Pick .* from a calendar/ });
  await pick.click();
  const calendar = page.getByRole('dialog');
  await expect(calendar.getByRole('button', { name: 'November', exact: true })).toBeVisible();
  await accessible(page);
  await expect(calendar.getByText('days that have records')).toBeVisible();
  await expect(calendar.getByRole('button', { name: /22 November 2026/ })).toHaveClass(/has/);
  await expect(calendar.getByRole('button', { name: /29 November 2026/ })).not.toHaveClass(/has/);
  await calendar.getByRole('button', { name: '2026', exact: true }).click();
  await calendar.getByRole('button', { name: '2025', exact: true }).click();
  await calendar.getByRole('button', { name: /^Oct/ }).click();
  await calendar.getByRole('button', { name: /26 October 2025/ }).click();
  await expect(page.getByRole('textbox', { name: 'Which day of delivery?' })).toHaveValue('2025-10-26');
  await expect(page.getByText('Sun 26 Oct 2025')).toBeVisible();
  await show(page).click();
  await expect(page.getByText('delivered on').first()).toBeAttached();
});

test('months are typed, or picked from those that the data have', async ({ page, request }) => {
  await page.goto('/reports/inspections-by-month');
  const first = page.getByRole('textbox', { name: 'From the start of' });
  const last = page.getByRole('textbox', { name: 'Through the end of' });
  await expect(last).toHaveAttribute('placeholder', 'Oct 2026');
  await page.getByRole('button', { name: 'Pick From the start of from a list' }).click();
  const list = page.getByRole('dialog', { name: 'List for From the start of' });
  await expect(list.getByRole('heading')).toHaveText(['2026', '2025', '2024', '2023']);
  await accessible(page);
  await list.getByRole('button', { name: 'Feb 2024: Thu 1 Feb 2024 through Thu 29 Feb 2024 (29 days)' }).click();
  await expect(first).toHaveValue('Feb 2024');
  await last.fill('mrch 2024');
  await page.getByRole('button', { name: 'march 2024' }).click();
  await expect(page.getByText('Sun 31 Mar 2024 · 60 days')).toBeVisible();
  await show(page).click();
  const answers = { 'inspection-months': { start: 'Feb 2024', end: 'Mar 2024' } };
  const wanted = await (await request.post('/api/v1/reports/inspections-by-month/runs', { data: { answers } })).json();
  await expect(page.getByText(`${wanted.rows.length} records`, { exact: true })).toBeVisible();
  await first.fill('5 Feb 2024');
  await expect(page.getByText(/is not made of whole months/)).toBeVisible();
  await page.getByRole('button', { name: 'Feb 2024 to Mar 2024' }).click();
  await expect(first).toHaveValue('Feb 2024');
  await expect(last).toHaveValue('Mar 2024');
  await expect(page.getByText('Sun 31 Mar 2024 · 60 days')).toBeVisible();
});

test('one quarter and one year', async ({ page }) => {
  await page.goto('/reports/bookings-of-a-quarter');
  await expect(page.getByText('Wed 1 Jul 2026 through Wed 30 Sep 2026 (92 days)')).toBeVisible();
  await page.getByRole('button', { name: 'Pick Which quarter of travel? from a list' }).click();
  await page.getByRole('button', { name: 'Q1 2027: Fri 1 Jan 2027 through Wed 31 Mar 2027 (90 days)' }).click();
  await show(page).click();
  await expect(page.locator('.read')).toContainText('travel from Fri 1 Jan 2027 through Wed 31 Mar 2027 (90 days)');
  await page.goto('/reports/certificates-of-a-year');
  await page.getByRole('button', { name: 'Pick Valid until which year? from a list' }).click();
  await accessible(page);
  await page.getByRole('button', { name: /^2028:/ }).click();
  await expect(page.getByText('Sat 1 Jan 2028 through Sun 31 Dec 2028 (366 days)')).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'time of day' })).toHaveCount(0);
});

test('choices follow the other answers, and what is no longer possible says so', async ({ page, request }) => {
  await page.goto('/reports/freight-of-a-shipper');
  const choices = async (search: string) =>
    (await (
      await request.post('/api/v1/reports/freight-of-a-shipper/prompts/shipper/choices', { data: { search, answers: { 'manifest-period': 'last 7 days' } } })
    ).json()) as { choices: { value: string; label: string; count: number }[] };
  const all = (await choices('')).choices;
  await expect(page.getByRole('radio')).toHaveCount(all.length);
  await page.getByRole('searchbox', { name: 'Find among the choices: Which shipper?' }).fill('BAKERY');
  const found = (await choices('bakery')).choices;
  await expect(page.getByRole('radio')).toHaveCount(found.length);
  await expect(page.getByText(String(found[0]!.count), { exact: true })).toBeVisible();
  await page.getByRole('radio').first().check();
  await accessible(page);
  await page.getByRole('button', { name: '../100' }).click();
  await show(page).click();
  await expect(page.locator('.read')).toContainText(`shipper is ${found[0]!.label}, weight at most 100 kg, and charge is present`);
  await page.getByRole('searchbox', { name: 'Find among the choices: Which shipper?' }).fill('');
  await from(page).fill('1 Jan 2020');
  await expect(page.getByText(/not one of the choices that the other answers leave/)).toBeVisible();
  await expect(page.getByRole('radio').first()).toBeChecked();
});

test('moments have a clock, days have none', async ({ page, request }) => {
  await page.goto('/reports/departures-by-the-clock');
  const first = page.getByRole('textbox', { name: 'From, that minute included' }).first();
  const last = page.getByRole('textbox', { name: 'Through, that minute included' }).first();
  await first.fill('25 oct 2026 3:30');
  await expect(page.getByText('Sun 25 Oct 2026 03:30, UTC+03:00', { exact: true })).toBeVisible();
  await expect(page.getByText(/show this time twice; the earlier was taken/)).toBeVisible();
  await page.getByRole('button', { name: 'Pick Through, that minute included from a calendar' }).click();
  const calendar = page.getByRole('dialog');
  await calendar.getByRole('textbox', { name: 'at this time of day' }).fill('24:00');
  await accessible(page);
  await calendar.getByRole('button', { name: '2026', exact: true }).click();
  await calendar.getByRole('button', { name: '2026', exact: true }).click();
  await calendar.getByRole('button', { name: /^Oct/ }).click();
  await calendar.getByRole('button', { name: /25 October 2026/ }).click();
  await expect(last).toHaveValue('2026-10-25 24:00');
  await expect(page.getByText('Sun 25 Oct 2026 23:59, UTC+02:00', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: '22:00 to 02:00' }).click();
  await expect(page.getByText('22:00 through 02:00 the next day (that minute included)')).toBeVisible();
  await page.keyboard.press('Tab');
  await show(page).click();
  const answers = { 'departure-moments': '25 Oct 2026 03:30 to 25 Oct 2026 24:00', 'part-of-day': '22:00 to 02:00' };
  const wanted = await (await request.post('/api/v1/reports/departures-by-the-clock/runs', { data: { answers } })).json();
  await expect(rows(page)).toHaveCount(wanted.rows.length);
  await expect(page).toHaveURL(/departure-moments\.end=2026-10-25\+24/);

  await page.goto('/reports/departures-since');
  await page.getByRole('textbox', { name: 'Left after when?' }).fill('29 mar 2026 3:30');
  await page.getByRole('button', { name: '29 Mar 2026 04:00' }).click();
  await expect(page.getByText('Sun 29 Mar 2026 04:00, UTC+03:00')).toBeVisible();
});

test('no records is told apart from an error', async ({ page }) => {
  await page.goto('/reports/late-sailings?travel-period=Jan+2020&routes=&minutes=0');
  await expect(page.getByRole('heading', { name: 'No records match' })).toBeVisible();
  await expect(page.locator('.read')).toContainText('from Wed 1 Jan 2020 through Fri 31 Jan 2020');
  await expect(page.getByText('The run itself went well.')).toBeVisible();
  await page.goto('/reports/late-sailings?travel-period=yesterday');
  await expect(page.locator('.count')).toBeVisible();
});

test('evidence stands under the read-back in one line that opens', async ({ page, request }) => {
  await page.goto('/reports/late-sailings?travel-period=Oct+2026&routes=Outer+Loop&minutes=15');
  await expect(page.locator('.count')).toBeVisible();
  const answers = { 'travel-period': 'Oct 2026', routes: ['Outer Loop'], minutes: '15' };
  const { receipt } = await (await request.post('/api/v1/reports/late-sailings/runs', { data: { answers, evidence: true } })).json();
  const line = page.locator('summary', { has: page.locator('.count') });
  await expect(line).toContainText(`${receipt.records} records`);
  await expect(line).toContainText(`first ${receipt.evidence.ends.first.spelled} (${receipt.evidence.ends.first.records} that day)`);
  await expect(line).toContainText(`nearest left out: ${receipt.evidence.ends.nearest_before.spelled}, ${receipt.evidence.ends.nearest_after.spelled}`);
  await expect(page.getByText('What each condition left')).toBeHidden();
  await line.click();
  await expect(page.getByRole('table', { name: `All ${receipt.evidence.all.toLocaleString('en')} records, by Departed` })).toBeVisible();
  for (const step of receipt.evidence.condition_counts) {
    const row = page.getByRole('row', { name: step.says });
    await expect(row).toContainText(step.left.toLocaleString('en'));
    await expect(row).toContainText(`took away ${step.took_away.toLocaleString('en')}`);
  }
  await expect(page.locator('code')).toHaveAttribute('title', receipt.evidence.fingerprint);
  await accessible(page);
});

test('what will match is told before the run', async ({ page }) => {
  await page.goto('/reports/late-sailings');
  await page.getByRole('checkbox', { name: 'Outer Loop' }).check();
  await expect(page.locator('.foot')).toContainText(/64\s+of 1,652\s+sailings\s+match/);
  await page.getByRole('textbox', { name: 'At least how many minutes late?' }).fill('ten');
  await expect(page.locator('.foot')).toContainText('Enter runs it');
  await expect(rows(page)).toHaveCount(0);
});

test('months are picked from the histogram by pointer and by keys', async ({ page }) => {
  await page.goto('/reports/late-sailings');
  const histogram = page.getByRole('toolbar', { name: 'Records by month, Departed' });
  await histogram.getByRole('button', { name: /^Aug 2026: / }).click();
  await expect(from(page)).toHaveValue('Aug 2026');
  await expect(page.getByText('Mon 31 Aug 2026 · 31 days')).toBeVisible();
  await expect(histogram.getByRole('button', { pressed: true })).toHaveCount(1);
  await accessible(page);
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Enter');
  await expect(from(page)).toHaveValue('Jun 2026');
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(from(page)).toHaveValue('May 2026');
  await expect(through(page)).toHaveValue('Jun 2026');
  await expect(page.getByText('Tue 30 Jun 2026 · 61 days')).toBeVisible();
  const bar = (name: RegExp) => histogram.getByRole('button', { name }).boundingBox();
  const [first, last] = [(await bar(/^Jan 2025: /))!, (await bar(/^Mar 2025: /))!];
  await page.mouse.move(first.x + 3, first.y + 20);
  await page.mouse.down();
  await page.mouse.move(last.x + 3, last.y + 20, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByText('Mon 31 Mar 2025 · 90 days')).toBeVisible();
  await show(page).click();
  await expect(page.locator('.read')).toContainText('from Wed 1 Jan 2025 through Mon 31 Mar 2025');
});

test('an empty result says why, and leads to the nearest records', async ({ page }) => {
  await page.goto('/reports/late-sailings?travel-period=Feb+2020&routes=&minutes=15');
  await expect(page.getByText('No record is left once departed from Sat 1 Feb 2020 through Sat 29 Feb 2020')).toBeVisible();
  await expect(page.getByText('The nearest that has some is')).toContainText('Wed 1 Nov 2023 through Thu 30 Nov 2023 (30 days), with 66 records.');
  await accessible(page);
  await page.getByRole('button', { name: 'Show Nov 2023' }).click();
  await expect(page.locator('.count')).toHaveText('66 records');
  await expect(from(page)).toHaveValue('Nov 2023');
});

test('rows do not wait for the evidence', async ({ page, request }) => {
  const body = await (await request.post('/api/v1/reports/fuel-on-a-day/runs?output=events', { data: { evidence: true } })).text();
  const end = body.indexOf('{"event":"receipt"');
  // The service has handed on the rows; what comes after them does not come yet.
  await page.addInitScript(
    (rows) => {
      const ask = window.fetch.bind(window);
      window.fetch = (input, init) => {
        if (!String(input).includes('/runs?output=events')) return ask(input, init);
        const stream = new ReadableStream({ start: (c) => c.enqueue(new TextEncoder().encode(rows)) });
        return Promise.resolve(new Response(stream, { status: 200 }));
      };
    },
    body.slice(0, end),
  );
  await page.goto('/reports/fuel-on-a-day?delivery-day=yesterday');
  await expect(rows(page)).toHaveCount(3);
  await expect(page.getByText('Counting what shows that these records are right…')).toBeVisible();
});

test('runs are listed, narrowed, and each has its receipt', async ({ page }) => {
  await page.goto('/reports/fuel-on-a-day?delivery-day=25+Oct+2026');
  await expect(page.locator('.count')).toHaveText('3 records');
  await page.getByText('How this came about').click();
  await page.getByRole('link', { name: /^Receipt/ }).click();
  await expect(page.getByRole('heading', { name: 'Fuel on a day' })).toBeVisible();
  await expect(page.getByText('delivered on Sun 25 Oct 2026 (the whole day, Harbour time); sorted by')).toBeVisible();
  await expect(page.getByRole('region', { name: 'SQL' })).toContainText('with 1792875600 | 1792965600');
  await accessible(page);
  await page.getByRole('button', { name: 'Run again as it was' }).click();
  await expect(page.getByText('The same, row by row, in the same order.')).toBeVisible();
  await page.getByRole('link', { name: 'Open with these answers' }).click();
  await expect(page.getByRole('textbox', { name: 'Which day of delivery?' })).toHaveValue('25 Oct 2026');

  await page.request.post('/api/v1/reports/fuel-on-a-day/runs', { data: { answers: { 'delivery-day': 'soon' } } });
  await page.getByRole('link', { name: 'Runs' }).click();
  await page.getByRole('combobox', { name: 'Report' }).selectOption('Fuel on a day');
  await page.getByRole('combobox', { name: 'Ended' }).selectOption('answer refused');
  await expect(page.getByRole('row')).toHaveCount(2);
  await expect(page.getByText('"soon" is not a date', { exact: false })).toBeVisible();
  await accessible(page);
  await page.getByRole('row').nth(1).getByRole('link').click();
  await expect(page.getByText('An answer was refused; nothing was run.')).toBeVisible();
  await expect(page.getByRole('cell', { name: 'refused', exact: true })).toBeVisible();
  await accessible(page);
  await page.goto('/runs?day=1+Jan+2020');
  await expect(page.getByText('Nothing was run that fits.')).toBeVisible();
});

test('answers are read once for each change, not again and again', async ({ page }) => {
  let asked = 0;
  page.on('request', (r) => (asked += Number(r.url().endsWith('/answers'))));
  await page.goto('/reports/fuel-on-a-day');
  await expect(page.locator('.foot')).toContainText('match');
  await page.waitForTimeout(600);
  expect(asked).toBe(1);
});

test('changed answers mark the records as older', async ({ page }) => {
  await page.goto('/reports/late-sailings?travel-period=last+month');
  await expect(rows(page).first()).toBeVisible();
  await page.getByRole('checkbox', { name: 'Kelp Point' }).check();
  await expect(page.getByText('The answers have changed since these records were read.')).toBeVisible();
  await show(page).click();
  await expect(page.getByText('The answers have changed')).toBeHidden();
});

test('more rows come as one scrolls, and those in sight are drawn', async ({ page }) => {
  await page.goto('/reports/waybills-by-day?manifest-period=last+month&goods=');
  const table = page.getByRole('region', { name: 'Records' }).getByRole('table');
  await expect(table).toHaveAttribute('aria-rowcount', '201');
  const [head, first] = [table.locator('thead'), rows(page).first()];
  const [wide, top] = [await head.evaluate((e) => e.getBoundingClientRect().width), await first.innerText()];
  await page.getByRole('button', { name: 'Show more' }).scrollIntoViewIfNeeded();
  await expect(table).toHaveAttribute('aria-rowcount', '401');
  await expect(first).not.toHaveAttribute('aria-rowindex', '2');
  const at = async () =>
    (await rows(page).evaluateAll((all) => all.map((row) => [Number(row.getAttribute('aria-rowindex')), row.getBoundingClientRect().top]))) as [
      number,
      number,
    ][];
  const drawn = await at();
  expect(drawn.length).toBeLessThan(200);
  expect(drawn.some(([, y]) => y < 0) && drawn.some(([, y]) => y > 800)).toBe(true);
  await page.getByRole('heading', { level: 1 }).scrollIntoViewIfNeeded();
  await expect(first).toHaveText(top.replaceAll('\t', ''));
  expect(await head.evaluate((e) => e.getBoundingClientRect().width)).toBe(wide);
});

test('one run has one receipt, however far one scrolls, and a print says what it leaves out', async ({ page }) => {
  const receipts: (string | undefined)[] = [];
  page.on('response', (response) => {
    if (response.url().includes('/runs?')) receipts.push(response.headers()['link']);
  });
  await page.goto('/reports/waybills-by-day?manifest-period=last+month&goods=');
  const table = page.getByRole('region', { name: 'Records' }).getByRole('table');
  await expect(table).toHaveAttribute('aria-rowcount', '201');
  await expect(page.getByRole('button', { name: 'Show more' })).toBeVisible();
  await page.emulateMedia({ media: 'print' });
  await expect(page.getByText(/These are the first \d+ of [\d,]+ records; CSV and XLSX have them all\./)).toBeVisible();
  await page.emulateMedia({ media: 'screen' });
  await page.getByRole('button', { name: 'Show more' }).scrollIntoViewIfNeeded();
  await expect(table).toHaveAttribute('aria-rowcount', '401');
  expect(receipts).toHaveLength(2);
  expect(receipts.filter(Boolean)).toHaveLength(1);
});

test('a form opens without complaints, and the first field that is refused gets the cursor', async ({ page }) => {
  await page.goto('/reports/freight-of-a-shipper');
  const required = page.getByText('An answer is required', { exact: false });
  await expect(page.getByRole('button', { name: 'Show records' })).toBeVisible();
  await expect(page.getByRole('radio').first()).toBeVisible();
  await expect(required).toHaveCount(0);
  await show(page).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Nothing was run' })).toBeVisible();
  await expect(required).toBeVisible();
  await expect(page.getByRole('searchbox', { name: /^Find among the choices/ })).toBeFocused();
});

test('what to know before reading the rows stands above them', async ({ page }) => {
  await page.goto('/reports/open-claims');
  await show(page).click();
  const said = page.getByText(/records whose value cannot be read as a date in the pattern M\/d\/yyyy/);
  await expect(said).toBeVisible();
  const [note, table] = [await said.boundingBox(), await page.getByRole('region', { name: 'Records' }).boundingBox()];
  expect(note!.y).toBeLessThan(table!.y);
});

test('what was counted before the run says when, and all is counted where that is asked for', async ({ page }) => {
  const asked: string[] = [];
  await page.route('**/runs?output=events', async (route) => {
    asked.push(route.request().postDataJSON().evidence as string);
    const response = await route.fetch();
    const lines = (await response.text()).trimEnd().split('\n');
    const last = JSON.parse(lines.pop()!) as { receipt: { evidence: { period: object } } };
    if (asked.length === 1) Object.assign(last.receipt.evidence.period, { counted_at: '2026-11-23T09:02:00Z', changed: true });
    await route.fulfill({ response, body: [...lines, JSON.stringify(last), ''].join('\n') });
  });
  await page.goto('/reports/late-sailings');
  await show(page).click();
  await page.getByText('How this came about').click();
  await expect(page.getByText(/What lies outside the period is as counted Mon 23 Nov 2026 .*; the data changed since/)).toBeVisible();
  await page.getByRole('button', { name: 'Count all records now' }).click();
  await expect(page.getByText('Count all records now')).toBeHidden();
  expect(asked).toEqual([true, 'whole']);
});

test('a zone by its own name, and hours that clocks repeat by two', async ({ page, request }) => {
  const text = `pikegate: 1
source: station
zone: Antarctica/Troll
---
pikegate: 1
dataset: readings
source: station
sql: |
  SELECT 1 AS id, CAST(strftime('%s', '2026-10-25 00:30:00') AS INTEGER) AS at
  UNION ALL SELECT 2, CAST(strftime('%s', '2026-10-25 02:30:00') AS INTEGER)
  UNION ALL SELECT 3, CAST(strftime('%s', '2026-10-25 04:30:00') AS INTEGER)
key: [id]
columns:
  id: {type: integer}
  at: {type: instant, stored: epoch-seconds}
---
pikegate: 1
query: readings
of: readings
show: [id, at]
sort: [id]
---
pikegate: 1
report: readings
title: Readings
sections: [{table: {query: readings}}]
`;
  const put = await request.post('/api/v1/definitions', { data: { files: [{ name: 'readings.yaml', text }] } });
  expect(put.ok(), await put.text()).toBe(true);
  await page.goto('/reports/readings');
  await expect(page.getByText('days by Antarctica/Troll')).toBeVisible();
  await show(page).click();
  await expect(rows(page)).toHaveCount(3);
  await expect(rows(page).locator('td:nth-child(2)')).toHaveText(['Sun 25 Oct 2026 02:30 +02:00', 'Sun 25 Oct 2026 02:30 +00:00', 'Sun 25 Oct 2026 04:30']);
  await page.goto('/');
  for (const kind of ['report', 'query', 'dataset', 'source'])
    await request.delete(`/api/v1/definitions/${kind}/${kind === 'source' ? 'station' : 'readings'}`);
});

test('a summary shows its rows, what they come to and what they leave out', async ({ page, request }) => {
  await page.goto('/reports/charges-by-goods?travel-period=Mar+2026');
  await expect(rows(page)).toHaveCount(7);
  await expect(page.locator('.count')).toContainText('3,440 records in 7 rows');
  const told = await request.post('/api/v1/reports/charges-by-goods/runs', { data: { answers: { 'travel-period': 'Mar 2026' } } });
  const totals = (await told.json()).receipt.totals.map((total: { value: string }) => total.value);
  await expect(page.locator('tfoot td').filter({ hasText: /./ })).toHaveText(totals);
  await expect(page.locator('tfoot th')).toHaveText('In all');
  await expect(page.getByText('Left out of Charges: 17 records without a value.')).toBeVisible();
  await accessible(page);
});

test('one line is enough: a report with its answers, each as it was understood', async ({ page }) => {
  await page.goto('/');
  const line = page.getByRole('searchbox', { name: 'Find a report' });
  await line.fill('late sailings last month outer loop moon');
  const means = page.getByRole('region', { name: 'What this line means' });
  await expect(means).toContainText(/Late sailings with last month \(Thu 1 Oct 2026 through Sat 31 Oct 2026 \(31 days\)\), outer loop \(Outer Loop\)\./);
  await expect(means).toContainText('Not understood: moon.');
  await accessible(page);
  await line.fill('fuel');
  await expect(means).toContainText(/Several reports fit alike: .*Fuel on a day/); // others may be published meanwhile
  await line.fill('sailings late over 20 minutes last month outer loop');
  await line.press('Enter');
  await expect(page).toHaveURL(/\/reports\/late-sailings\?/);
  await expect(page.locator('.read')).toContainText(/route is Outer Loop, and minutes late (at least|more than) 20 min/); // another test publishes it otherwise for a moment
  await expect(rows(page).first()).toContainText('Outer Loop');
});

test('all records download as CSV and as a workbook', async ({ page, request }) => {
  await page.goto('/reports/waybills-by-day?manifest-period=last+month&goods=');
  await expect(rows(page).first()).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Download CSV' }).click()]);
  expect(download.suggestedFilename()).toBe('waybills-by-day-2026-11-23.csv');
  const chunks: Buffer[] = [];
  for await (const chunk of await download.createReadStream()) chunks.push(chunk as Buffer);
  const wanted = await request.post('/api/v1/reports/waybills-by-day/runs?output=csv', { data: { answers: { 'manifest-period': 'last month' } } });
  expect(Buffer.concat(chunks).equals(await wanted.body())).toBe(true);

  const [book] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Download XLSX' }).click()]);
  expect(book.suggestedFilename()).toBe('waybills-by-day-2026-11-23.xlsx');
  expect(
    readFileSync(await book.path())
      .subarray(0, 2)
      .toString(),
  ).toBe('PK');
  await expect(page.getByText('The records are downloaded, as they were read for this page.')).toBeVisible();
});

test('the run button is in sight at every size, in light and dark, and axe finds nothing', async ({ page, request }) => {
  const run = await request.post('/api/v1/reports/late-sailings/runs', { data: { answers: { 'travel-period': 'yesterday' }, evidence: true } });
  const receipt = `/receipts/${(await run.json()).receipt.id}`;
  for (const size of [
    { width: 360, height: 640 },
    { width: 900, height: 600 },
    { width: 1280, height: 800 },
    { width: 1920, height: 1080 },
  ]) {
    await page.setViewportSize(size);
    await page.goto('/reports/late-sailings?travel-period=yesterday');
    await expect(page.locator('.count')).toBeVisible();
    await expect(show(page)).toBeInViewport({ ratio: 1 });
    for (const path of ['', '/', '/runs', receipt]) {
      if (path) await page.goto(path);
      if (path === receipt) await expect(page.getByText('Fingerprint')).toBeVisible();
      await expect(page.getByRole('searchbox')).toBeInViewport({ ratio: 1 });
      expect(await page.evaluate(() => document.documentElement.scrollWidth), `${path} at ${size.width}`).toBeLessThanOrEqual(size.width);
    }
  }
  await page.goto('/reports/late-sailings?travel-period=yesterday');
  await expect(page.locator('.count')).toBeVisible();
  await page.emulateMedia({ colorScheme: 'dark' });
  await accessible(page);
  await page.getByRole('button', { name: /Appearance/ }).click();
  await expect(page.locator('html')).toHaveAttribute('data-mode', 'light');
  await accessible(page);
});

test('the keyboard alone is enough', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('searchbox').focus();
  await page.keyboard.type('fuel');
  const link = page.getByRole('link', { name: /Fuel on a day Every/ });
  await expect(link).toBeVisible();
  for (let i = 0; i < 6 && !(await link.evaluate((l) => l === document.activeElement)); i++) await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  const day = page.getByRole('textbox', { name: 'Which day of delivery?' });
  await expect(day).toBeVisible();
  for (let i = 0; i < 8 && !(await day.evaluate((d) => d === document.activeElement)); i++) await page.keyboard.press('Tab');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('25 Oct 2026');
  await page.keyboard.press('Enter');
  await expect(page.locator('.read')).toContainText('delivered on Sun 25 Oct 2026');
});

// What goes wrong on the way is put there by hand, and the browser's own lines
// about it are expected.
base.describe('what goes wrong', () => {
  base('an unknown report says so, and offers the list', async ({ page }) => {
    await page.goto('/reports/late-sailing');
    await expect(page.getByRole('heading', { name: 'This report cannot be shown' })).toBeVisible();
    await expect(page.getByRole('alert')).toHaveText('no report "late-sailing"; did you mean "late-sailings"?');
    await page.getByRole('link', { name: 'All reports' }).click();
    await expect(page.getByRole('heading', { name: 'Reports' })).toBeVisible();
  });

  base('an address that cannot be read is told', async ({ page }) => {
    await page.goto('/reports/%E0%A4');
    await expect(page.getByRole('heading', { name: 'This report cannot be shown' })).toBeVisible();
  });

  base('a service that does not answer loses no answer, and the next try works', async ({ page }) => {
    await page.goto('/reports/late-sailings?travel-period=last+month');
    await expect(rows(page).first()).toBeVisible();
    await page.route('**/runs?*', (route) => route.abort('connectionreset'));
    await page.getByRole('checkbox', { name: 'Kelp Point' }).check();
    await show(page).click();
    await expect(page.getByRole('alert')).toHaveText(/The service does not answer. Your answers are kept/);
    await expect(page.getByRole('checkbox', { name: 'Kelp Point' })).toBeChecked();
    await page.unroute('**/runs?*');
    await show(page).click();
    await expect(page.getByRole('alert')).toBeHidden();
    await expect(rows(page).first()).toContainText('Kelp Point');
  });

  base('records that break off on their way are not shown as whole', async ({ page }) => {
    await page.route('**/runs?output=events', (route) =>
      route.fulfill({ status: 200, contentType: 'application/json', body: '{"event":"start","columns":[]}\n{"event":"row","values":[1]}\n' }),
    );
    await page.goto('/reports/late-sailings?travel-period=last+month');
    await expect(page.getByRole('alert')).toHaveText(/The records broke off on their way/);
    await expect(rows(page)).toHaveCount(0);
  });

  base('why records broke off is told by their receipt', async ({ page }) => {
    const says = 'It took longer than it may and was cut; what was sent is not the whole result.';
    await page.route('**/api/v1/receipts/7', (route) => route.fulfill({ json: { id: 7, says } }));
    await page.route('**/runs?output=events', (route) =>
      route.fulfill({
        status: 200,
        contentType: 'application/json',
        headers: { Link: '</api/v1/receipts/7>; rel="describedby"' },
        body: '{"event":"start","columns":[]}\n{"event":"row","values":[1]}\n',
      }),
    );
    await page.goto('/reports/fuel-on-a-day?delivery-day=yesterday');
    await expect(page.getByRole('alert')).toHaveText(`The records broke off on their way. ${says} Run it again. Its receipt tells more.`);
    await expect(page.getByRole('link', { name: 'Its receipt' })).toHaveAttribute('href', '/receipts/7');
    await expect(rows(page)).toHaveCount(0);
  });

  base('a source that fails is told in the words of the service', async ({ page }) => {
    const problem = { type: 'about:blank', title: 'Bad Gateway', status: 502, code: 'source_failed', detail: 'source harbour: gone; try again later' };
    await page.route('**/runs?output=events', (route) => route.fulfill({ status: 502, contentType: 'application/problem+json', json: problem }));
    await page.goto('/reports/fuel-on-a-day?delivery-day=yesterday');
    await expect(page.getByRole('alert')).toHaveText('source harbour: gone; try again later');
  });

  base('a long run can be cancelled', async ({ page }) => {
    await page.goto('/reports/fuel-on-a-day');
    let release = () => {};
    await page.route('**/runs?*', (route) => new Promise<void>((resolve) => (release = () => resolve(route.abort()))));
    await show(page).click();
    await expect(page.getByText('Reading the records…')).toBeVisible();
    await page.getByRole('button', { name: 'Cancel' }).click();
    await expect(page.getByText('Answer the questions, then show the records.')).toBeVisible();
    release();
  });
});

test('a report of sections has figures, a chart and a table, read by pointer, keys and numbers', async ({ page, request }) => {
  const answers = { 'travel-period': 'Mar 2026' };
  const wanted = await (await request.post('/api/v1/reports/sailings-in-figures/runs', { data: { answers, limit: 200, evidence: true } })).json();
  await page.goto('/reports/sailings-in-figures?travel-period=Mar+2026');
  const figure = page.getByRole('group', { name: 'Sailings', exact: true });
  await expect(figure).toContainText(Number(wanted.sections[0].value).toLocaleString('en'));
  await expect(figure).toContainText(`+${wanted.sections[0].compare[0].difference} (+${wanted.sections[0].compare[0].per_cent} %)`);
  await expect(figure).toContainText('Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)');
  await expect(page.locator('.read')).toHaveText(/^\s*Sailings departed from Sun 1 Mar 2026 through Tue 31 Mar 2026/);

  // The table of its numbers has them all.
  const chart = page.getByRole('group', { name: 'Sailings by day', exact: true });
  await chart.getByText('The numbers').click();
  const numbers = page.getByRole('region', { name: 'The numbers of Sailings by day' }).locator('tr[aria-rowindex]');
  const shown = wanted.sections[2].rows.length as number;
  await expect(page.getByRole('region', { name: 'The numbers of Sailings by day' }).getByRole('table')).toHaveAttribute('aria-rowcount', String(shown + 1));
  const third = wanted.sections[2].rows.map((row: unknown[]) => String(row[2]));
  await expect(numbers.locator('td:nth-child(3)').first()).toHaveText(third[0]!);
  expect(third.slice(0, await numbers.count())).toEqual(await numbers.locator('td:nth-child(3)').allInnerTexts());

  // So has its reading by keys.
  const slider = chart.getByRole('slider');
  await slider.focus();
  await page.keyboard.press('Home');
  const first = wanted.sections[2].rows.filter((row: unknown[]) => row[0] === '2026-03-01').map((row: unknown[]) => `${row[1]} ${row[2]}`);
  await expect(slider).toHaveAttribute('aria-valuetext', `Sun 1 Mar 2026: ${first.join(', ')}`);
  await page.keyboard.press('End');
  await expect(slider).toHaveAttribute('aria-valuetext', /^Tue 31 Mar 2026: /);
  await accessible(page);

  // Subtotals stand under the rows that they are of, and the total under all.
  const table = page.getByRole('region', { name: 'Sailings', exact: true });
  await table.hover();
  await expect(async () => {
    await page.mouse.wheel(0, 600);
    await expect(table.getByRole('rowheader', { name: /^Greywater Crossing, 137$/ })).toBeVisible({ timeout: 200 });
  }).toPass();
  await expect(table.locator('tfoot')).toContainText(wanted.sections[3].totals[0].value);

  // Enter opens the records of the place, and one goes back.
  await slider.focus();
  await page.keyboard.press('Home');
  await page.keyboard.press('Enter');
  await expect(page.locator('.read')).toContainText('Sailings departed on Sun 1 Mar 2026');
  await expect(page).toHaveURL(/travel-period=2026-03-01/);
  await page.getByRole('button', { name: 'Back to what was shown before' }).click();
  await expect(page.locator('.read')).toContainText('Tue 31 Mar 2026');
});

test('a click on a column opens its records, and each kind of chart is read', async ({ page, request }) => {
  await page.goto('/reports/late-in-figures?travel-period=Mar+2026');
  const columns = page.getByRole('group', { name: 'Late sailings by day' }).getByRole('slider');
  await columns.scrollIntoViewIfNeeded();
  const box = (await columns.boundingBox())!;
  await page.mouse.move(box.x + box.width - 25, box.y + 60);
  await expect(columns).toHaveAttribute('aria-valuetext', /^Tue 31 Mar 2026: /);
  await page.mouse.click(box.x + box.width - 25, box.y + 60);
  await expect(page.locator('.read')).toContainText('Sailings departed on Tue 31 Mar 2026');
  for (const [report, label, query] of [
    ['passengers-by-month', 'Passengers by month', 'months-so-far'],
    ['charges-in-shares', 'Weight by month', 'months-so-far'],
    ['charges-in-shares', 'Share of the goods in the charges of each month', 'months-so-far'],
    ['late-in-figures', 'Reasons', 'travel-period'],
  ] as const) {
    const answers = { [query]: '1 Feb 2026 to 31 Mar 2026' };
    const told = await (await request.post(`/api/v1/reports/${report}/runs`, { data: { answers } })).json();
    const section = told.sections.find((s: { label: string; kind: string }) => s.label === label && s.kind === 'chart');
    await page.goto(`/reports/${report}?${new URLSearchParams(answers)}`);
    const slider = page.getByRole('group', { name: label, exact: true }).getByRole('slider');
    await slider.focus();
    await page.keyboard.press('Home');
    await expect(slider).toHaveAttribute('aria-valuenow', '1');
    const text = (await slider.getAttribute('aria-valuetext'))!;
    const place = section.rows[0][0] ?? 'missing';
    for (const row of section.rows.filter((r: unknown[]) => (r[0] ?? 'missing') === place)) {
      const said = section.chart.split ? `${row[1]} ${row[2]}` : `${place}: ${row[1]}`;
      expect(text).toContain(said);
    }
    await accessible(page);
  }
});

test('a reader sorts, chooses columns and groups, and the link keeps it', async ({ page, request }) => {
  await page.goto('/reports/sailings-in-figures?travel-period=Mar+2026');
  const table = page.getByRole('region', { name: 'Sailings', exact: true });
  const passengers = table.locator('tbody td:nth-child(4)');
  await table.getByRole('button', { name: 'Passengers' }).click();
  await expect(table.getByRole('columnheader', { name: 'Passengers' })).toHaveAttribute('aria-sort', 'ascending');
  await table.getByRole('button', { name: 'Passengers' }).click();
  await expect(table.getByRole('columnheader', { name: 'Passengers' })).toHaveAttribute('aria-sort', 'descending');
  const view = { sort: ['passengers descending'] };
  const wanted = await (
    await request.post('/api/v1/reports/sailings-in-figures/runs', { data: { answers: { 'travel-period': 'Mar 2026' }, limit: 3, view } })
  ).json();
  await expect(passengers.first()).toHaveText(String(wanted.sections[3].rows[0][3]));
  await page.getByText('Columns', { exact: true }).click();
  await page.getByRole('checkbox', { name: 'Reason' }).check();
  await expect(table.getByRole('columnheader', { name: 'Reason' })).toBeVisible();
  await page.getByRole('checkbox', { name: 'Vehicles' }).uncheck();
  await expect(table.getByRole('columnheader', { name: 'Vehicles' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Move Vessel forward' }).click();
  await expect(table.getByRole('columnheader').nth(1)).toHaveText('Vessel');
  await accessible(page);
  await page.reload();
  await expect(table.getByRole('columnheader').nth(1)).toHaveText('Vessel');
  await page.getByLabel('Group by').selectOption('departed_at week');
  const weeks = page.getByRole('region', { name: 'Sailings by week', exact: true });
  await expect(weeks.locator('tbody td:first-child').first()).toHaveText('2026-W09');
  await expect(page.locator('.count')).toContainText('1,652 records');
  await page.getByRole('button', { name: 'As published' }).click();
  await expect(table.getByRole('columnheader')).toHaveCount(6);
});

test('sections at every size, in light, dark and print', async ({ page }) => {
  for (const width of [360, 1280, 1920]) {
    await page.setViewportSize({ width, height: 900 });
    await page.emulateMedia({ colorScheme: 'light' });
    await page.goto('/reports/late-in-figures?travel-period=Mar+2026');
    await expect(page.getByRole('slider')).toHaveCount(2);
    await expect(page.locator('.count')).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
    await accessible(page);
    await page.emulateMedia({ colorScheme: 'dark' });
    await accessible(page, { only: ['color-contrast'] });
  }
  await page.emulateMedia({ media: 'print' });
  await expect(page.getByRole('banner')).toBeHidden();
  await expect(page.getByRole('button', { name: 'Link' })).toBeHidden();
  await expect(page.locator('svg').first()).toBeAttached();
});

test('a section that is not there says so, and the others stand', async ({ page, request }) => {
  const text = `
{pikegate: 1, prompt: long-days, ask: Days, type: period, default: 1 Jan 1900 to 31 Dec 2026}
---
{pikegate: 1, query: by-long-days, of: sailings, where: {departed_at: {within: {prompt: long-days}}}, group: [{departed_at: {by: day}}], summaries: {n: count}}
---
{pikegate: 1, report: partly, title: Partly, sections: [{chart: {query: by-long-days, label: By day, kind: column, across: departed_at, up: n}}, {figure: {query: by-long-days, summary: n, label: Sailings}}]}`;
  expect((await request.post('/api/v1/definitions', { data: { files: [{ name: 'f.yaml', text }] } })).ok()).toBe(true);
  await page.goto('/reports/partly?long-days=1900-01-01/2026-12-31');
  await expect(page.getByRole('group', { name: 'By day' })).toContainText('has more than 4000 days');
  await expect(page.getByRole('group', { name: 'Sailings', exact: true })).toContainText(/[\d,]{5,}/);
  await expect(page.getByText(/^Section 1 \(By day\) is not there, or not whole/)).toBeVisible();
  await accessible(page);
  await page.goto('/');
  for (const [kind, name] of [
    ['report', 'partly'],
    ['query', 'by-long-days'],
    ['prompt', 'long-days'],
  ])
    await request.delete(`/api/v1/definitions/${kind}/${name}`);
});
