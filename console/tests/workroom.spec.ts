import { expect, type Page } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { criteria, entries, find, pointer, valueOf, type Node } from '../src/workroom/part';
import { accessible, test } from './page';
import { program, Service } from './service';

/** Opens a word of the sentence, types what narrows its list, and picks the first. */
async function pick(page: Page, word: string | RegExp, typed: string, within = page.locator('body')) {
  await within.getByRole('button', { name: word }).first().click();
  await page.keyboard.type(typed);
  await page.keyboard.press('Enter');
}

const saved = (page: Page) => expect(page.getByRole('region', { name: 'The definition', exact: true })).not.toContainText('saving');
const sentence = (page: Page) => page.locator('.say');
const node = (page: Page, path: string) => page.locator(`[data-node="${path}"]`);
const trial = (page: Page) => page.getByRole('complementary', { name: 'As it would run' });

/** Takes drafts away that a test began. */
async function dropAll(page: Page) {
  const { drafts } = await (await page.request.get('/api/v1/drafts')).json();
  for (const d of drafts) await page.request.delete(`/api/v1/drafts/${d.kind}/${d.name}`);
}

test.describe.configure({ mode: 'default' });

test('a query is a sentence that is edited in place, tried and undone', async ({ page }) => {
  await page.goto('/workroom/query/late-sailings');
  await expect(sentence(page)).toContainText('Show departed, route, vessel, passengers, vehicles, minutes late, reason');
  await expect(sentence(page)).toContainText(/where\s+all\s+of these hold \([\d,]+; any of them: [\d,]+\)/);
  await expect(node(page, '/where/all/1')).toContainText(/route\s+is one of\s+Which routes\?\s+\(if answered\)/);
  await expect(trial(page)).toContainText(/What each condition left/);
  await accessible(page);

  await pick(page, 'Add: + condition', 'passengers');
  await expect(node(page, '/where/all/3')).toContainText(/passengers\s+is present/);
  await pick(page, /^How it is compared/, 'more', node(page, '/where/all/3'));
  await page.getByRole('button', { name: 'A value' }).click();
  await page.getByRole('textbox', { name: 'Value' }).fill('100');
  await page.keyboard.press('Enter');
  await expect(node(page, '/where/all/3')).toContainText(/passengers\s+more than\s+100/);
  await expect(trial(page)).toContainText('passengers more than 100');
  const draft = async () => (await (await page.request.get('/api/v1/drafts/query/late-sailings')).json()) as { text: string };
  expect((await draft()).text).toContain('    - minutes_late: {at_least: {prompt: minutes}}\n    - passengers: {more_than: 100}\nsort:');

  // An operator keeps what stands behind it; a group of its own, and back.
  await pick(page, /^How it is compared/, 'at most', node(page, '/where/all/3'));
  await expect(node(page, '/where/all/3')).toContainText(/at most\s+100/);
  await node(page, '/where/all/3').focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(node(page, '/where/all/2')).toContainText('passengers');
  await expect(node(page, '/where/all/2')).toBeFocused();
  await node(page, '/where/all/2')
    .getByRole('button', { name: /^More for this condition/ })
    .click();
  await page.getByRole('button', { name: 'Put into a group of its own: any' }).click();
  await expect(node(page, '/where/all/2/any/0')).toContainText('passengers');
  expect((await draft()).text).toContain('    - any:\n        - passengers: {at_most: 100}\n');

  for (let i = 0; i < 6; i++) await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: 'Undo' })).toBeDisabled();
  const published = await (await page.request.get('/api/v1/definitions/query/late-sailings')).json();
  await expect.poll(async () => (await draft()).text).toBe(published.text);
  await page.keyboard.press('Control+Shift+z');
  await expect(node(page, '/where/all/3')).toContainText('passengers');
  await page.reload();
  await expect(node(page, '/where/all/3')).toContainText(/passengers\s+is present/);
  await dropAll(page);
});

test('what is wrong stands at its word and is mended at one press; the file says the same', async ({ page }) => {
  await page.setViewportSize({ width: 1920, height: 1000 });
  await page.goto('/workroom/query/late-sailings');
  await page.getByRole('button', { name: 'Both' }).click();
  const file = page.getByRole('textbox', { name: 'The definition as a file' });
  await expect(file).toContainText('query: late-sailings');
  await file.getByText('show:').click();
  await page.keyboard.press('End');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.type(', rout');
  await expect(sentence(page)).toContainText('No column "rout" in dataset "sailings".');
  await accessible(page);
  await sentence(page).getByRole('button', { name: 'Write route' }).click();
  await expect(file).toContainText('minutes_late, reason, route]');
  await expect(sentence(page)).not.toContainText('No column');

  // A file that is none keeps the page, and what was typed is there after a reload.
  await file.getByText('where:').click();
  await page.keyboard.press('Home');
  await page.keyboard.type('[');
  await expect(page.getByText('The text cannot be read just now. This is what it said before; mend it in the file.')).toBeVisible();
  await expect(sentence(page)).toContainText('minutes late, reason, route');
  await accessible(page);
  await page.reload();
  await expect(file).toContainText('[where:');
  await file.getByText('where:').click();
  await page.keyboard.press('Home');
  await page.keyboard.press('Delete');
  await expect(sentence(page)).toBeVisible();

  // Completion: the columns of the dataset.
  await file.getByText('sort:').click();
  await page.keyboard.press('End');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.type(', vess');
  await expect(page.getByRole('option', { name: 'vessel' })).toBeVisible();
  await page.getByRole('option', { name: 'vessel' }).click();
  await expect(sentence(page)).toContainText('vessel, A to Z');
  await page.getByRole('button', { name: 'Sentence' }).click();
  await dropAll(page);
});

test('from a report a developer reaches the condition, and publishes a change with its effect', async ({ page }) => {
  await page.goto('/reports/late-sailings?travel-period=August+2026&minutes=15');
  await page.getByRole('link', { name: /minutes late at least 15 min/ }).click();
  await expect(page).toHaveURL(/\/workroom\/query\/late-sailings\?at=9:7/);
  await expect(page.getByRole('combobox', { name: 'A question that there is' })).toBeVisible();
  await page.keyboard.press('Escape');
  await pick(page, /^How it is compared/, 'more than', node(page, '/where/all/2'));
  await expect(node(page, '/where/all/2')).toContainText('more than');
  await saved(page);
  await page.getByRole('link', { name: 'Check and publish' }).click();
  await expect(page.getByText(/where\.all\[3\]\.minutes_late/).first()).toBeVisible();
  const effect = page.getByRole('region', { name: 'Effect on readers' });
  await expect(effect).toContainText('would bring something else');
  await expect(effect.locator('tbody tr').first()).toContainText(/late-sailings.*local developer/s);
  await accessible(page);
  await page.getByRole('button', { name: 'Publish 1 draft' }).click();
  await expect(page.getByText('Published: query late-sailings, revision 2')).toBeVisible();

  // And back: the revision before is a press away.
  await page.goto('/workroom/query/late-sailings');
  await page.getByRole('button', { name: 'Changes' }).click();
  await page
    .getByRole('listitem')
    .filter({ has: page.getByText('1', { exact: true }) })
    .getByRole('button', { name: 'Bring back as a draft' })
    .click();
  await page.getByRole('button', { name: 'Sentence' }).click();
  await expect(node(page, '/where/all/2')).toContainText('at least');
  await saved(page);
  await page.getByRole('link', { name: 'Check and publish' }).click();
  await page.getByRole('button', { name: 'Publish 1 draft' }).click();
  await expect(page.getByText('Published: query late-sailings, revision 3')).toBeVisible();
});

test('two developers on one definition: parts of both', async ({ page, request }) => {
  const { text } = await (await request.get('/api/v1/definitions/query/open-claims')).json();
  await page.goto('/workroom/query/open-claims');
  await pick(page, 'Add: + sort', 'amount');
  await saved(page);
  const put = await request.post('/api/v1/definitions', {
    data: { files: [{ name: 'o.yaml', text: text.replace('reason, amount]', 'reason, amount, closed_on]') }] },
  });
  expect(put.ok(), await put.text()).toBe(true);
  await page.reload();
  const theirs = page.getByRole('region', { name: 'Changed by others' });
  await expect(theirs).toContainText('/show');
  await accessible(page);
  await theirs.getByRole('button', { name: 'Go on from the latest revision' }).click();
  await expect(theirs).toBeHidden();
  await expect(sentence(page)).toContainText(/amount, closed/);
  await dropAll(page);
});

test('two windows and a lost connection lose nothing', async ({ page }) => {
  const at = '/workroom/query/open-claims';
  await page.goto(at);
  const other = await page.context().newPage();
  await other.goto(at);
  await pick(page, 'Add: + sort', 'amount');
  await expect(sentence(other)).toContainText(/then\s+amount/); // by itself

  // One window without the service: what is typed and what is chosen there is kept, and a reload keeps it too.
  await page.getByRole('button', { name: 'File', exact: true }).click();
  const file = page.getByRole('textbox', { name: 'The definition as a file' });
  await page.route('**/api/v1/drafts/**', (route) => route.abort());
  await file.getByText('query: open-claims').click();
  await page.keyboard.press('End');
  await page.keyboard.type(' # asked often');
  await expect(page.getByText('The service does not answer. What you did is kept here and saved as soon as it does.')).toBeVisible();
  await pick(other, 'Add: + column', 'closed');
  await saved(other);
  await page.reload();
  await page.unroute('**/api/v1/drafts/**');
  await page.reload();
  await expect(file).toContainText('# asked often');
  const text = async () => ((await (await page.request.get('/api/v1/drafts/query/open-claims')).json()) as { text: string }).text;
  await expect.poll(text).toContain('query: open-claims # asked often');

  await page.getByRole('button', { name: 'Sentence' }).click();
  await page.route('**/api/v1/drafts/**', (route) => route.abort());
  await pick(page, 'Add: + condition', 'amount');
  await expect(page.getByText('The service does not answer.')).toBeVisible();
  await page.unroute('**/api/v1/drafts/**');
  await expect(sentence(page)).toContainText(/amount\s+is present/);
  await expect(sentence(other)).toContainText(/amount\s+is present/);

  // Both type at once: the text has what each of them did.
  await page.getByRole('button', { name: 'File', exact: true }).click();
  await page.route('**/api/v1/drafts/**', (route) => route.abort());
  await file.getByText('sort:').click();
  await page.keyboard.press('End');
  await page.keyboard.type(' # oldest first');
  await expect(page.getByText('The service does not answer.')).toBeVisible();
  await pick(other, /^Column: reason/, 'claim'); // another column in its place
  await saved(other);
  await page.unroute('**/api/v1/drafts/**');
  await expect(page.getByText('Both changes are in it now.')).toBeVisible();
  expect(await text()).toContain('# oldest first');
  await other.close();
  await page.getByRole('button', { name: 'Sentence' }).click();
  await dropAll(page);
});

test('a screen reader reads a sentence, and a finding is mended by keys alone', async ({ page }) => {
  const at = '/api/v1/drafts/query/late-sailings';
  await page.goto('/workroom/query/late-sailings');
  await expect(sentence(page)).toContainText('minutes late');
  await expect(sentence(page)).toMatchAriaSnapshot(`
    - group "As a sentence":
      - text: Show
      - 'button "Column: departed"'
      - text: ","
      - 'button "Column: route"'
      - text: of
      - 'button "Dataset: Sailings"'
      - group "all of these hold":
        - group "departed within Which days of travel?"
        - group "route is one of Which routes?"
        - group "minutes late at least At least how many minutes late?"
      - text: sorted by
      - 'button "Sorted by: departed, newest first"'
  `);
  await page.request.post(`${at}/edits`, { data: { version: 0, edits: [{ op: 'add', path: '/show/-', value: 'vesel' }] } });
  await page.reload();
  await expect(sentence(page)).toContainText('No column "vesel"');
  await page.getByRole('heading', { level: 1 }).click();
  const mend = sentence(page).getByRole('button', { name: 'Write vessel' });
  for (let n = 0; n < 80 && !(await mend.evaluate((b) => b === document.activeElement)); n++) await page.keyboard.press('Tab');
  await expect(mend).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(sentence(page)).not.toContainText('No column');
  await dropAll(page);
});

test('sections are put in order by keys and by drag', async ({ page }) => {
  await page.goto('/workroom/report/late-in-figures');
  const layout = page.getByRole('list', { name: 'The sections in their order' });
  await expect(layout.getByRole('listitem')).toHaveCount(6);
  await layout.getByRole('button', { name: /^figure Late sailings/ }).focus();
  await page.keyboard.press('Alt+ArrowDown');
  await expect(layout.getByRole('button', { name: 'figure Late sailings, 2 of 6' })).toBeFocused();
  await layout.getByRole('button', { name: /^table Reasons/ }).dragTo(layout.getByRole('button', { name: /^figure typical/ }));
  await expect(layout.getByRole('button', { name: 'table Reasons, 1 of 6' })).toBeVisible();
  await accessible(page);
  await saved(page);
  await page.getByRole('button', { name: 'Changes' }).click();
  await expect(page.getByRole('region', { name: 'What this draft changes' })).toContainText(/sections\[1\]\s+was moved there from\s+sections\[6\]/);
  await expect(page.getByRole('textbox', { name: 'This draft' })).toContainText('- table: {query: late-by-reason');
  await accessible(page);
  await page.getByRole('button', { name: 'Fields' }).click();
  await dropAll(page);
});

test('SQL is written with its tables, columns and questions at hand', async ({ page }) => {
  const text =
    'pikegate: 1\ndataset: long-routes\nsource: harbour\nsql: SELECT route, minutes FROM routes\nkey: [route]\ncolumns:\n  route: {type: text}\n  minutes: {type: integer}\n';
  const put = await page.request.put('/api/v1/drafts/dataset/long-routes', { data: { version: 0, text } });
  expect(put.ok()).toBe(true);
  await page.goto('/workroom/dataset/long-routes');
  const sql = page.getByRole('textbox', { name: 'sql', exact: true });
  await sql.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type(' WHERE minu');
  await page.getByRole('option', { name: 'minutes' }).first().click();
  await page.keyboard.type(' >= :least_minutes');
  await expect(page.getByRole('button', { name: 'Make the question least-minutes' })).toBeVisible();
  await accessible(page);
  await dropAll(page);
});

// The steps of the tutorial, as it tells them: what stands there in bold is what is pressed here, in the same order.
test('the tutorial, step by step', async ({ page }) => {
  const told = readFileSync('../docs/tutorial/your-first-report.md', 'utf8').split('## The same in the browser')[1]!;
  const bold = [...told.matchAll(/\*\*([^*]+)\*\*/g)].map((m) => m[1]);
  const pressed: string[] = [];
  /** Presses what has a name. */
  async function press(name: string, role: 'link' | 'button' = 'button', shown: string | RegExp = name) {
    pressed.push(name);
    await page.getByRole(role, { name: shown }).first().click();
  }
  await page.goto('/reports');
  await press('Workroom', 'link');
  await press('Find data', 'link');
  await page.getByRole('link', { name: 'bookings', exact: true }).click();
  await press('Describe it as a dataset');
  await expect(page.getByRole('region', { name: 'Columns' })).toContainText(/2026-\d\d-\d\d\s+is read as\s+\w{3} \d/);
  await press('New report of it', 'link');
  await page.getByRole('radio', { name: /Records between two dates/ }).check();
  await page.getByRole('combobox', { name: /^By which date/ }).selectOption('Travel on');
  await page.getByRole('textbox', { name: /^Title/ }).fill('Large parties in the browser');
  await press('Make it');
  await expect(sentence(page)).toContainText(/Show\s+travel on, booking id, .*of\s+Bookings.*travel on\s+within\s+Which days \(travel on\)\?/s);
  await press('+ condition', 'button', 'Add: + condition');
  await page.keyboard.type('party');
  await page.keyboard.press('Enter');
  await node(page, '/where/all/1')
    .getByRole('button', { name: /^How it is compared/ })
    .click();
  await page.keyboard.type('at least');
  await page.keyboard.press('Enter');
  await press('Ask for it');
  await page.getByRole('textbox', { name: 'A new question, named' }).fill('party-of');
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  await expect(node(page, '/where/all/1')).toContainText(/party\s+at least/);
  await expect(trial(page).getByRole('status').first()).toBeVisible();
  pressed.push('answers');
  await trial(page).getByText('answers', { exact: true }).click();
  await trial(page).getByRole('textbox', { name: 'From, that day included' }).fill('24 Nov 2026');
  await expect(trial(page)).toContainText('162 records');
  await trial(page).getByRole('textbox', { name: /party/i }).fill('6');
  await expect(trial(page)).toContainText('6 records');
  await press('Check and publish', 'link');
  await press('Publish', 'button', /^Publish \d+ drafts/);
  await expect(page.getByText(/^\s*Published:/)).toBeVisible();
  await page.getByRole('link', { name: 'report large-parties-in-the-browser' }).first().click(); // its draft is listed for a moment too
  await expect(page.getByRole('heading', { name: 'Large parties in the browser' })).toBeVisible();
  expect(pressed).toEqual(bold);
});

test('every definition of the demo goes through its parts and back without a changed byte', async ({ request }) => {
  type Read = { kind: string; name: string; text: string };
  const { definitions } = (await (await request.get('/api/v1/definitions')).json()) as { definitions: Read[] };
  expect(definitions.length).toBeGreaterThan(80);
  const others = (node: Node | undefined): string[] => (node?.is === 'other' ? [node.path] : node?.is === 'group' ? node.nodes.flatMap(others) : []);
  for (const d of definitions) {
    const at = `/api/v1/drafts/${d.kind}/${d.name}`;
    const { form, version } = await (await request.get(at)).json();
    expect(version, `${d.kind} ${d.name}`).toBe(0);
    expect(others(criteria(find(form, '/where'), '/where')), `${d.kind} ${d.name}`).toEqual([]);
    const edits = entries(form).map((e) => ({ op: 'set', path: pointer(e.key), value: valueOf(e.part) }));
    const edited = await (await request.post(`${at}/edits`, { data: { version: 0, edits } })).json();
    expect(edited.text, `${d.kind} ${d.name}`).toBe(d.text);
    await request.delete(at);
  }
});

test('a table is drawn, and described with another one beside it', async ({ page }) => {
  await page.goto('/workroom/data/harbour/sailings');
  await expect(page.getByRole('img', { name: 'How the values spread from the least to the greatest' }).first()).toBeVisible();
  await expect(page.getByRole('row', { name: /^status/ })).toContainText('cancelled');
  await page.getByRole('checkbox', { name: /^vessels, found by its vessel from vessel: of 20,000 records each finds one\./ }).check();
  await accessible(page);
  await page.getByRole('button', { name: 'Describe it as a dataset' }).click();
  await expect(page.getByRole('heading', { name: 'sailings-2' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Columns' })).toContainText('vessels_passengers');
  await expect(trial(page)).toContainText('61,356 records');
  await dropAll(page);
});

test('every kind of definition has its page, in light and dark, and axe finds nothing', async ({ page }) => {
  test.slow();
  for (const path of [
    '/workroom',
    '/workroom/data',
    '/workroom/data/harbour/sailings',
    '/workroom/start',
    '/workroom/changes',
    '/workroom/prompt/travel-period',
    '/workroom/report/late-in-figures',
    '/workroom/dataset/sailings',
    '/workroom/query/late-by-reason',
    '/workroom/source/harbour',
  ]) {
    await page.emulateMedia({ colorScheme: 'light' });
    await page.goto(path);
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    await page.waitForLoadState('networkidle');
    await accessible(page);
    await page.emulateMedia({ colorScheme: 'dark' });
    await accessible(page, { only: ['color-contrast'] });
  }
});

test.describe('from an empty service', () => {
  const services: Service[] = [];
  test.afterAll(() => services.forEach((s) => s.end()));

  async function serve(): Promise<string> {
    const service = new Service('serve');
    services.push(service);
    await service.ready();
    return service.at;
  }

  test('a file becomes a report with a chart and a proof by the browser alone, and goes elsewhere as files', async ({ page, request, baseURL }) => {
    const bookings = await request.post('/api/v1/reports/bookings-of-a-quarter/runs?output=csv', { data: { answers: { 'travel-quarter': 'Q3 2026' } } });
    expect(bookings.ok(), `${baseURL} ${await bookings.text()}`).toBe(true);
    const csv = join(mkdtempSync(join(tmpdir(), 'bookings-')), 'bookings.csv');
    writeFileSync(csv, await bookings.body());

    const at = await serve();
    await page.goto(`${at}/workroom`);
    await page.getByRole('link', { name: 'Drop a file or connect a database' }).click();
    await page.getByLabel('Drop a file of records here').setInputFiles(csv);
    await expect(page.getByRole('table', { name: 'What the columns seem to be' })).toBeVisible();
    await page.getByRole('textbox', { name: 'Days are taken by the clock of' }).fill('Europe/Helsinki');
    await accessible(page);
    await page.getByRole('button', { name: /^Load [\d,]+ rows/ }).click();
    await page.getByRole('button', { name: 'Describe it as a dataset' }).click();
    const columns = page.getByRole('region', { name: 'Columns' });
    await expect(columns).toContainText(/2026-08-13\s+is read as\s+Thu 13 Aug 2026/);
    await accessible(page);

    // A report by the question that it answers, and one more question, whose list follows the period.
    await page.getByRole('link', { name: 'New report of it' }).click();
    await page.getByRole('radio', { name: /Records between two dates/ }).check();
    await page.getByRole('textbox', { name: /^Title/ }).fill('Bookings of a period');
    await page.getByRole('button', { name: 'Make it' }).click();
    await expect(sentence(page)).toContainText(/travel on\s+within\s+Which days \(travel on\)\?/);
    await pick(page, 'Add: + condition', 'route');
    await pick(page, /^How it is compared/, 'is one', node(page, '/where/all/1'));
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByRole('textbox', { name: 'A new question, named' }).fill('booked-routes');
    await page.getByRole('button', { name: 'Ask', exact: true }).click();
    await expect(node(page, '/where/all/1')).toContainText(/route\s+is one of\s+Which \(route\)\?\s+\(if answered\)/);
    await page.goto(`${at}/workroom/prompt/booked-routes`);
    await expect(
      page
        .getByText(/the list of choices does not follow/i)
        .or(page.getByText(/does not narrow/i))
        .or(page.getByRole('button', { name: '+ where' })),
    ).toBeVisible();
    await page.getByRole('button', { name: '+ where' }).click();
    await pick(page, 'Add: + condition', 'travel');
    await pick(page, /^How it is compared/, 'within', node(page, '/choices/where/all/0'));
    await page.getByRole('combobox', { name: 'A question that there is' }).fill('days');
    await page.keyboard.press('Enter');
    await expect(node(page, '/choices/where/all/0')).toContainText(/travel on\s+within\s+Which days/);

    // A filter of its own, used in the query.
    await page.goto(`${at}/workroom`);
    await page.getByRole('button', { name: 'Action: New part' }).click();
    await page.getByRole('combobox', { name: 'What is it?' }).selectOption('filter');
    await page.getByRole('textbox', { name: 'Its name' }).fill('by-people');
    await page.getByRole('button', { name: 'Begin' }).click();
    await pick(page, 'Add: + condition', 'channel');
    await pick(page, /^How it is compared/, 'is none', node(page, '/where/all/0'));
    await page.getByRole('button', { name: 'A value' }).click();
    await page.getByRole('textbox', { name: 'One value a line' }).fill('agent');
    await page.getByRole('button', { name: 'Set', exact: true }).click();
    await expect(node(page, '/where/all/0')).toContainText(/channel\s+is none of\s+agent/);
    await page.goto(`${at}/workroom/query/bookings-of-a-period`);
    await pick(page, 'Add: + filter', 'by-people');
    await expect(sentence(page)).toContainText('the filter by-people holds');

    // The same records in sum, as a chart of the report.
    await page.getByRole('button', { name: 'Action: copy' }).click();
    await page.getByRole('textbox', { name: 'The name of the copy' }).fill('bookings-by-month');
    await page.getByRole('button', { name: 'Copy', exact: true }).click();
    await expect(page.getByRole('heading', { name: 'bookings-by-month' })).toBeVisible();
    await page.getByRole('button', { name: 'Instead: or count up' }).click();
    await page.getByRole('button', { name: 'Count up', exact: true }).click();
    await expect(sentence(page)).toContainText('Count up');
    await pick(page, 'Add: + group', 'travel');
    await expect(sentence(page)).toContainText(/Count up\s+.*records.*by\s+travel on by month, none left out/s);
    await page.goto(`${at}/workroom/report/bookings-of-a-period`);
    await page.getByRole('button', { name: '+ chart' }).click();
    const chart = page.getByRole('group', { name: 'sections 2', exact: true });
    for (const [field, value] of [
      ['query', 'bookings-by-month'],
      ['across', 'travel_on'],
      ['up', 'records'],
    ] as const) {
      await chart
        .getByRole('combobox', { name: field, exact: true })
        .or(chart.getByRole('textbox', { name: field, exact: true }))
        .fill(value);
      await page.keyboard.press('Tab');
      await saved(page);
    }
    await trial(page).getByText('answers', { exact: true }).click();
    await trial(page).getByRole('textbox', { name: 'From, that day included' }).fill('Q3 2026');
    await expect(trial(page).getByRole('img').first().or(trial(page).locator('svg').first())).toBeVisible();
    await expect(trial(page)).toContainText('channel is not agent (a missing one too)');
    await trial(page).getByText('On telling days').click();
    await expect(page.getByRole('region', { name: 'What phrases mean on telling days' })).toContainText('leap day');
    await accessible(page);
    await page.getByRole('button', { name: 'Make a proof of this' }).click();
    await expect(page.getByRole('heading', { name: /^bookings-of-a-period-2/ })).toBeVisible();
    await saved(page);

    await page.getByRole('link', { name: 'Check and publish' }).click();
    await expect(page.getByRole('region', { name: 'Effect on readers' })).toContainText('Nothing that is published is made of what changes.');
    await expect(page.getByRole('region', { name: 'Findings' })).not.toContainText('error,');
    await page.getByRole('button', { name: /^Publish \d+ drafts/ }).click();
    await expect(page.getByText(/^\s*Published:/)).toBeVisible();
    await page.getByRole('link', { name: 'report bookings-of-a-period' }).click();
    await page.getByRole('textbox', { name: 'From, that day included' }).fill('Q3 2026');
    await page.keyboard.press('Enter');
    await expect(page.locator('.read')).toContainText('Bookings travel from Wed 1 Jul 2026 through Wed 30 Sep 2026');

    // Elsewhere, by files.
    const files = mkdtempSync(join(tmpdir(), 'definitions-'));
    execFileSync(program, ['get', '--all', '--to', files, '--server', at]);
    const other = await serve();
    execFileSync(program, ['load', csv, '--as', 'bookings', '--server', other]);
    execFileSync(program, ['put', files, '--server', other]);
    const fingerprint = async (of: string) => {
      const ran = await request.post(`${of}/api/v1/reports/bookings-of-a-period/runs`, {
        data: { answers: { 'bookings-of-a-period-period': 'Q3 2026' }, evidence: 'whole' },
      });
      return (await ran.json()).receipt.sections.map((s: { fingerprint: string }) => s.fingerprint) as string[];
    };
    const is = await fingerprint(at);
    expect(is.every((f) => /^[0-9a-f]{64}$/.test(f))).toBe(true);
    expect(await fingerprint(other)).toEqual(is);
  });
});
