import { expect, type Page } from '@playwright/test';
import { accessible, test } from './page';
import { Service } from './service';

const passwords: Record<string, string> = {};
let service: Service;

test.beforeAll(async () => {
  service = new Service('demo', () => ['--people']);
  await service.ready();
  for (const [, name, password] of service.output.matchAll(/^person (\S+) (\S+) /gm)) passwords[name!] = password!;
});
test.afterAll(() => service.end());

async function signIn(page: Page, name: string, path: string) {
  await page.goto(service.at + path);
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(passwords[name]!);
  await page.getByRole('button', { name: 'Sign in' }).click();
}

test('a schedule of the team tells its next times, runs, and sends a mail', async ({ page }) => {
  await signIn(page, 'Tove', '/schedules');
  const all = page.getByRole('table', { name: 'Schedules' });
  await expect(all.getByRole('row')).toHaveCount(3);
  await accessible(page);
  await all.getByRole('link', { name: 'late-last-week' }).click();
  const next = page.getByRole('table', { name: 'Next times, with what the answers will mean' });
  await expect(next.getByRole('row')).toHaveCount(11);
  await expect(next.getByRole('row').nth(1)).toContainText('Mon');
  await expect(next.getByRole('row').nth(1)).toContainText('06:30');
  await accessible(page);
  await page.getByRole('button', { name: 'Run it now' }).click();
  await expect(page.getByRole('status')).toContainText('It was run; its receipt has number');
  await expect(page.getByRole('table', { name: 'Last times, with what was sent' }).getByRole('row').nth(1)).toContainText('harbour-office@example.test: sent');

  await page.getByRole('link', { name: 'All schedules' }).click();
  await page.getByRole('button', { name: 'Late sailings' }).first().click();
  await expect(page.getByRole('article', { name: 'The mail' })).toContainText('Sent by the schedule late-last-week.');
  await accessible(page);
});

test('a reader makes a schedule of a report, and sees no other', async ({ page }) => {
  await signIn(page, 'Solveig', '/reports/fuel-at-your-harbour');
  await page.getByText('Schedule', { exact: true }).click();
  await page.getByLabel('Its name').fill('mine');
  await page.getByLabel('When').fill('31 of month at 7:00');
  await page.getByLabel('To these addresses, parted by commas').fill('solveig@example.test');
  await page.getByRole('button', { name: 'Make the schedule' }).click();
  await expect(page.getByText('not every month has a 31st day')).toBeVisible();
  await page.getByLabel('When').fill('last of month at 7:00');
  await page.getByRole('button', { name: 'Make the schedule' }).click();
  await expect(page.getByText('It runs last day of month at 07:00; next')).toBeVisible();
  await accessible(page);
  await page.getByRole('link', { name: 'The schedule', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'mine' })).toBeVisible();
  await page.getByRole('button', { name: 'Drop it' }).click();
  await expect(page.getByRole('table', { name: 'Schedules' })).toContainText('fuel-of-the-week');
  await expect(page.getByRole('table', { name: 'Schedules' })).not.toContainText('late-last-week');
});

test('a developer sees a report as a reader of one harbour gets it', async ({ page }) => {
  await signIn(page, 'Tove', '/reports/fuel-at-your-harbour');
  await expect(page.getByLabel('Saltmarsh')).toBeVisible();
  await page.getByText('See as…').click();
  await page.getByLabel('The name of the person').fill('Nobody');
  await page.getByRole('button', { name: 'See the report as they do' }).click();
  await expect(page.getByRole('alert')).toContainText('nobody who may sign in is called "Nobody"');
  await page.getByRole('button', { name: 'Back to what I get' }).click();
  await page.getByText('See as…').click();
  await page.getByLabel('The name of the person').fill('Solveig');
  await page.getByRole('button', { name: 'See the report as they do' }).click();
  await expect(page.getByText('As Solveig gets it.')).toBeVisible();
  await expect(page.getByLabel('Holm')).toBeVisible();
  await expect(page.getByLabel('Saltmarsh')).toHaveCount(0);
  await page.getByRole('button', { name: 'Show records' }).click();
  await expect(page.getByText('Fuel deliveries that are there for Solveig,')).toBeVisible();
  await expect(page.getByRole('columnheader', { name: 'Price per litre' })).toHaveCount(0);
  await accessible(page);
  await page.getByRole('button', { name: 'Back to what I get' }).click();
  await page.getByRole('button', { name: 'Show records' }).click();
  await expect(page.getByRole('columnheader', { name: 'Price per litre' })).toBeVisible();
});

test('an admin sets what conditions can ask of people and groups', async ({ page }) => {
  await signIn(page, 'Ines', '/people');
  const known = page.getByLabel('What is known of Arvid for conditions');
  await expect(known).toHaveValue('harbours=*');
  await known.fill('harbours=Holm, Skerry; desk=claims');
  await known.press('Tab');
  await expect(page.getByRole('status')).toHaveText('Of Arvid is known: desk=claims; harbours=Holm, Skerry.');
  await page.getByLabel('A new group').fill('Holm office');
  await page.getByRole('button', { name: 'Add the group' }).click();
  const members = page.getByLabel('Who is in Holm office, parted by commas');
  await members.fill('Arvid, Solveig');
  await members.press('Tab');
  await expect(page.getByRole('status')).toHaveText('Holm office: Arvid, Solveig.');
  await expect(page.getByRole('table', { name: 'Who may sign in' })).toContainText('in Holm office');
  await accessible(page);
  await members.fill('Nobody');
  await members.press('Tab');
  await expect(page.getByRole('alert')).toHaveText('nobody is called "Nobody"');
  await page.getByRole('button', { name: 'Drop Holm office' }).click();
  await expect(page.getByRole('status')).toHaveText('Holm office is dropped.');
});
