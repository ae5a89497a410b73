import { spawn, type ChildProcess } from 'node:child_process';
import { expect } from '@playwright/test';
import { accessible, test } from './page';
import { freePort, program, Service } from './service';

const provider = `127.0.0.1:${freePort()}`;
let standIn: ChildProcess;
let service: Service;
let at: string;

test.beforeAll(async () => {
  const people = ['--person', 'Solveig', '--person', 'Rolf'];
  standIn = spawn(program, ['openid-stand-in', '--listen', provider, ...people], { stdio: 'ignore' });
  const openid = ['--openid-provider', `http://${provider}`, '--openid-client', 'pikegate'];
  service = new Service('serve', (at) => ['--address', at, ...openid]);
  at = service.at;
  await service.ready();
});
test.afterAll(() => {
  standIn.kill();
  service.end();
});

test('people sign in, are added, make tokens, and do what their role lets them', async ({ page }) => {
  const post = (path: string, body: unknown) =>
    fetch(at + path, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) });
  expect((await post('/api/v1/people', { name: 'Ines', password: 'gulls over the mole', role: 'admin' })).status).toBe(200);
  const signIn = async (name: string, password: string) => {
    await page.getByLabel('Name').fill(name);
    await page.getByLabel('Password').fill(password);
    await page.getByRole('button', { name: 'Sign in' }).click();
  };

  await page.goto(`${at}/runs`);
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await expect(page.getByRole('navigation')).toBeHidden();
  await accessible(page);
  await signIn('Ines', 'not the right one');
  await expect(page.getByRole('alert')).toHaveText('the name or the password is not right');
  await signIn('Ines', 'gulls over the mole');
  await expect(page.getByText('Nothing was run that fits.')).toBeVisible(); // the page that was wanted

  await page.getByRole('link', { name: 'People', exact: true }).click();
  await page.getByLabel('Name').fill('Arvid');
  await page.getByLabel('Password, 10 letters at least').fill('one boat at a time');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('status')).toHaveText('Arvid may sign in as reader.');
  await expect(page.getByRole('table', { name: 'What was done' })).toContainText('add person Arvid, reader');
  const shelves = page.getByLabel('Shelves that Arvid sees, parted by commas');
  await shelves.fill('Claims desk, Crew office');
  await shelves.press('Tab');
  await expect(page.getByRole('status')).toHaveText('Arvid sees the reports of Claims desk, Crew office.');
  await shelves.fill('');
  await shelves.press('Tab');
  await expect(page.getByRole('status')).toHaveText('Arvid sees the reports of all shelves.');
  await page.getByLabel('What Ines may do').selectOption('reader');
  await expect(page.getByRole('alert')).toHaveText('Ines is the only admin who can sign in; make another one first');
  await expect(page.getByLabel('What Ines may do')).toHaveValue('admin');
  await accessible(page);

  await page.getByRole('link', { name: 'Ines', exact: true }).click();
  await page.getByLabel('What it is for').fill('nightly export');
  await page.getByRole('button', { name: 'Make a token' }).click();
  const token = await page.locator('main code').innerText();
  expect((await fetch(`${at}/api/v1/people`, { headers: { Authorization: `Bearer ${token}` } })).status).toBe(200);
  await expect(page.getByRole('table', { name: 'Sessions and tokens' })).toContainText('nightly export');
  await accessible(page);

  // A session that ends while one is at it asks for the password, and what was typed stays.
  await page.getByLabel('What it is for').fill('typed and not sent');
  await fetch(`${at}/api/v1/account`, { headers: { Authorization: `Bearer ${token}` } })
    .then((r) => r.json())
    .then((account: { passes: { id: number; kind: string }[] }) =>
      Promise.all(
        account.passes
          .filter((p) => p.kind === 'session')
          .map((p) => fetch(`${at}/api/v1/account/passes/${p.id}`, { method: 'DELETE', headers: { Authorization: `Bearer ${token}` } })),
      ),
    );
  await page.getByRole('button', { name: 'Make a token' }).click();
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await signIn('Ines', 'gulls over the mole');
  await expect(page.getByLabel('What it is for')).toHaveValue('typed and not sent');
  await page.getByRole('button', { name: 'Sign out', exact: true }).click();

  await signIn('Arvid', 'one boat at a time');
  await expect(page.getByRole('link', { name: 'Runs' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Workroom' })).toBeHidden();
  await expect(page.getByRole('link', { name: 'People', exact: true })).toBeHidden();
  await page.goto(`${at}/people`);
  await expect(page.getByRole('alert')).toHaveText('that takes the role admin, and Arvid is a reader');

  // Who has no password signs in at the provider, and gets the page that was wanted; who is not known does not.
  const headers = { 'Content-Type': 'application/json', Authorization: `Bearer ${token}` };
  expect((await fetch(`${at}/api/v1/people`, { method: 'POST', headers, body: '{"name":"Solveig","role":"reader"}' })).status).toBe(200);
  await page.getByRole('link', { name: 'Arvid', exact: true }).click();
  await page.getByRole('button', { name: 'Sign out', exact: true }).click();
  await page.goto(`${at}/runs`);
  await page.getByRole('link', { name: `Sign in at ${provider}` }).click();
  await page.getByRole('link', { name: 'Rolf' }).click();
  await expect(page.getByRole('alert')).toHaveText('You are not known here by the name that the provider says. An admin lets you in by that name.');
  await accessible(page);
  await page.getByRole('link', { name: `Sign in at ${provider}` }).click();
  await page.getByRole('link', { name: 'Solveig' }).click();
  await expect(page.getByText('Nothing was run that fits.')).toBeVisible();
  expect(page.url()).toBe(`${at}/runs`);
  await expect(page.getByRole('link', { name: 'Solveig', exact: true })).toBeVisible();
});
