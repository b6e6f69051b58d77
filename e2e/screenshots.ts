import { execSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { ask, compare, connectionOf, lookAtUndo } from './acts.ts';
import { startProduct } from './product.ts';

// Takes one picture of each main view from the demo's data, at 1280x800, into docs/screenshots; of those that are named
// behind it, else of all.

const wanted = process.argv.slice(2);

const folder = join(import.meta.dirname, '..', 'docs', 'screenshots');
const product = await startProduct(true, 1318);
const alone = await startProduct(false, 0, { isAlone: true });
const browser = await chromium.launch({
  executablePath: execSync('command -v chromium || command -v chromium-headless-shell', { encoding: 'utf8' }).trim(),
  args: ['--no-sandbox', '--disable-dev-shm-usage', '--disable-gpu', '--disable-background-networking'],
});
const rows = (await (await fetch(`${product.url}/api/workflows`)).json()) as {
  id: string;
  name: string;
  lastRun: { id: string } | null;
}[];
const called = (name: string) => rows.find((one) => one.name === name);
const row = called('Shop customers onto the customer list');
const workflow = `/workflows/${row?.id}`;
const invoices = `/workflows/${called('Paid orders to retail invoices')?.id}`;
const sentence = (page: Page, begins: RegExp) =>
  page.getByRole('region', { name: 'Brief' }).getByRole('button', { name: begins }).first().click();

/** Card index and newsletter, kept in step and rehearsed; gives the page. */
async function keptInStep(): Promise<string> {
  const from = { connection: await connectionOf(product, 'card_index'), path: ['people'], labels: ['People'] };
  const labels = ['Potters', 'subscribers'];
  const to = { connection: await connectionOf(product, 'newsletter_list'), path: ['potters', 'subscribers'], labels };
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/in-step', { kind: 'places', from, to });
  await ask(product, 'POST', `/api/in-step/${id}/rehearsal`);
  for (;;) {
    const { legs } = await ask<{ legs: { rehearsal: { state: string } | null }[] }>(
      product,
      'GET',
      `/api/in-step/${id}`,
    );
    if (legs.every(({ rehearsal }) => rehearsal !== null && rehearsal.state !== 'running')) return `/in-step?id=${id}`;
  }
}

const views: [string, string, ((page: Page) => Promise<void>)?][] = [
  ['today', '/'],
  [
    'new-workflow',
    '/workflows/new',
    async (page) => {
      const from = page.getByRole('region', { name: 'From', exact: true });
      const to = page.getByRole('region', { name: 'To', exact: true });
      await from.getByRole('button', { name: /Shop counter/ }).click();
      await from.getByRole('button', { name: /^customers/ }).click();
      await to.getByRole('button', { name: /Workbook shelf/ }).click();
      await to.getByRole('button', { name: 'Customer list.xlsx' }).click();
      await to.getByRole('button', { name: /^Customers/ }).click();
      await page.getByText('1,318 customers').waitFor();
    },
  ],
  ['due', `/workflows/${called('Kiln leads, followed up')?.id}/due`],
  [
    'edit',
    workflow,
    async (page) => {
      await sentence(page, /Create or update/);
      await page.getByRole('button', { name: 'Fill Phone:' }).click();
    },
  ],
  [
    'hand-over',
    `/workflows/${called('New people get their accounts')?.id}`,
    async (page) => {
      await sentence(page, /Hand a person over/);
      await page.getByRole('button', { name: 'Fill First name:' }).click();
    },
  ],
  [
    'rehearse',
    `${workflow}/rehearse`,
    (page) =>
      page
        .getByRole('row', { name: /Phone|changed|, / })
        .nth(1)
        .click(),
  ],
  ['connections', '/connections'],
  [
    'mail',
    `/workflows/${called('Mails of customers, listed and answered')?.id}`,
    async (page) => {
      await sentence(page, /Send an answer/);
      await page.getByRole('button', { name: 'Fill text:' }).click();
    },
  ],
  [
    'lookup',
    `${invoices}?sentence=customer`,
    async (page) => {
      await page.getByText('looking…').waitFor({ state: 'detached', timeout: 30_000 });
      await page.getByRole('heading', { name: 'What it finds' }).evaluate((heading) => heading.scrollIntoView());
    },
  ],
  ['needs-you', '/needs-you'],
  ['in-step', await keptInStep()],
  ['duplicates', '/duplicates'],
];

/** A delivery note for each order, as a page that is made here, with the values of an order. */
async function pageOfOrders(page: Page): Promise<void> {
  const notes = join(product.folder, 'notes');
  mkdirSync(notes);
  await ask(product, 'POST', '/api/connections', { app: 'documents', name: 'Documents', settings: { folder: notes } });
  // What was chosen for the picture before is still there.
  await page.evaluate(() => sessionStorage.clear());
  await page.reload();
  const from = page.getByRole('region', { name: 'From', exact: true });
  const to = page.getByRole('region', { name: 'To', exact: true });
  await from.getByRole('button', { name: /Shop counter/ }).click();
  await from.getByRole('button', { name: /^orders/ }).click();
  await to.getByRole('button', { name: /^Documents (?!on a file server)/ }).click();
  await to.getByRole('button', { name: 'Make a page here' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name of the template').fill('Delivery note');
  await dialog.getByLabel('Heading 1', { exact: true }).fill('Delivery note {number}');
  await dialog.getByLabel('Text 2', { exact: true }).fill('For {customer name}\n{company}\n\nOrdered on {placed at}.');
  await dialog.getByRole('button', { name: 'Save the page' }).click();
  await to.getByRole('button', { name: 'Delivery note (PDF)' }).click();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Change the page' }).click();
  await page.getByRole('img', { name: /Delivery note S-/ }).waitFor({ timeout: 30_000 });
  await page.getByText('Saved.', { exact: true }).waitFor({ state: 'detached', timeout: 30_000 });
}

try {
  const page = await browser.newPage({
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/London',
    colorScheme: 'light',
  });
  page.setDefaultTimeout(8000);
  const take = async (name: string, path: string, act?: (page: Page) => Promise<void>): Promise<void> => {
    if (wanted.length > 0 && !wanted.includes(name)) return;
    await page.goto(path.startsWith('http') ? path : product.url + path);
    await page.waitForTimeout(1500);
    if (act) await act(page).catch((error: Error) => console.error(`${name}: ${error.message.split('\n')[0]}`));
    await page.waitForTimeout(600);
    // Lookups of the samples take their time on a busy machine.
    const isOpen = page.getByText('still being looked up');
    await isOpen.first().waitFor({ state: 'detached', timeout: 60_000 });
    await page.screenshot({ path: join(folder, `${name}.png`) });
  };
  for (const [name, path, act] of views) await take(name, path, act);
  const rows = (await (await fetch(`${product.url}/api/workflows`)).json()) as { id: string; name: string }[];
  const form = rows.find(({ name }) => name.startsWith('Workshop places'))?.id ?? '';
  await take('form', `/workflows/${form}?sentence=start`, (page) =>
    page.getByRole('region', { name: 'The form', exact: true }).evaluate((form) => form.scrollIntoView()),
  );
  const { records } = await ask<{ records: { items: number; title: string; key: Record<string, string> }[] }>(
    product,
    'GET',
    '/api/records?text=960',
  );
  const somebody = records.find(({ items }) => items > 1);
  await take('records', `/records?${new URLSearchParams({ text: somebody?.title ?? '', ...somebody?.key })}`, (page) =>
    page.getByRole('region', { name: 'As it is now' }).getByRole('table').waitFor(),
  );
  const people = rows.find(({ name }) => name === 'Shop customers into the Ledger and the Card index')?.id ?? '';
  await take('reconcile', `/reconcile?id=${await compare(product, people)}`, (page) =>
    page
      .getByRole('button', { name: /differ/ })
      .first()
      .click(),
  );
  // Somebody has written beside some of what the first run brought.
  const done = await ask<{ id: string }[]>(product, 'GET', `/api${workflow}/runs`);
  const first = done.at(-1)?.id ?? '';
  if (wanted.length === 0 || wanted.includes('undo')) {
    await lookAtUndo(product, first);
    const { undo } = await ask<{ undo: { id: string } }>(product, 'GET', `/api/runs/${first}/undo`);
    const rows = await ask<{ itemId: string }[]>(product, 'GET', `/api/undos/${undo.id}/rows?kind=back&limit=10`);
    for (const at of [1, 4, 5]) {
      const { detail } = await ask<{ detail: { steps: Record<string, { id?: string }> } }>(
        product,
        'GET',
        `/api/items/${rows[at]?.itemId}`,
      );
      const row = Number(detail.steps['list']?.id);
      await product.edit('Customer list.xlsx', 'Customers', {
        kind: 'cell',
        row,
        column: 4,
        value: '+44 1632 960 777',
      });
    }
    await lookAtUndo(product, first);
  }
  await take('undo', `${workflow}/runs/${first}/undo`, (page) => page.getByRole('table').waitFor());
  await page.emulateMedia({ colorScheme: 'dark' });
  await take('runs', `${workflow}/runs`);
  await page.emulateMedia({ colorScheme: 'light' });
  await take('page', '/workflows/new', pageOfOrders);
  await take('doors', alone.url);
} finally {
  await browser.close();
  product.stop();
  alone.stop();
}
