import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { ask, goLive, putAway, workflowCalled } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// Documents for the orders of the shop: seen before they are made, made once, found in the folder. What stands in a
// PDF is read back by poppler's pdftotext.

const template = join(import.meta.dirname, '../server/testdata/documents/delivery-note.docx');
const picking = {
  blocks: [
    { kind: 'heading', text: 'Picking list {number}' },
    { kind: 'text', text: 'For {customer.name}' },
    {
      kind: 'lines',
      of: 'lines',
      columns: [
        { label: 'Item', text: '{description}' },
        { label: 'Number', text: '{quantity}', isAmount: true },
      ],
    },
  ],
  footer: 'Saltmarsh Kiln Supply · page {page} of {pages}',
};

/** An order of one piece that somebody of this name places in the shop. */
async function addOrder(product: Product, name: string): Promise<void> {
  const form = await (await fetch(`${product.shop}/orders/new`)).text();
  const piece = /name="(quantity_[^"]+)"/.exec(form)?.[1] ?? '';
  const answer = await fetch(`${product.shop}/orders/new`, {
    method: 'POST',
    body: new URLSearchParams({ customer_name: name, [piece]: '1' }),
  });
  expect(answer.ok).toBe(true);
}

/** The place of the documents that a new workflow makes of orders. */
async function ordersIntoDocuments(screen: Page): Promise<void> {
  await screen
    .getByLabel('From which app')
    .getByRole('button', { name: /Shop counter/ })
    .click();
  await screen
    .getByLabel('Places')
    .getByRole('button', { name: /^orders/ })
    .click();
  await screen
    .getByLabel('To which app')
    .getByRole('button', { name: /^Documents/ })
    .click();
}

async function seeTheDocument(screen: Page): Promise<void> {
  await screen.getByRole('button', { name: 'Place', exact: true }).click();
  await screen.getByRole('menuitem', { name: 'See the document' }).click();
}

test('a document for each order: seen before as a text and as a page, made once, taken back; what can’t be printed needs somebody', async ({
  page: screen,
  ownDemo: product,
}) => {
  const folder = join(product.folder, 'notes');
  mkdirSync(folder);
  await screen.goto(`${product.url}/workflows/new`);
  await ordersIntoDocuments(screen);
  await screen.getByRole('dialog').getByLabel('Folder').fill(folder);
  await screen.getByRole('dialog').getByRole('button', { name: 'Connect', exact: true }).click();
  await expect(screen.getByText('Add a template: a DOCX document of yours', { exact: false })).toBeVisible();

  // What is wrong with a template is said as it is given.
  await screen.getByLabel('A template').setInputFiles(template.replace('delivery-note', 'no-end'));
  await expect(screen.getByText('Write {/lines} where it ends', { exact: false })).toBeVisible();
  await screen.getByLabel('A template').setInputFiles(template);
  await screen.getByRole('button', { name: 'delivery-note (DOCX)' }).click();
  await expect(screen.getByText('For each new one a delivery-note is made, once.', { exact: false })).toBeVisible();
  await screen.getByRole('button', { name: 'Make the draft' }).click();
  await expect(screen.getByText(/of \d+ filled/)).toBeVisible();

  // Seen before it is made: what is filled in is marked, and what isn't is told.
  await seeTheDocument(screen);
  const drawer = screen.getByRole('dialog');
  const text = drawer.getByRole('region', { name: /^Text of delivery-note S-\d+\.docx$/ });
  await expect(text).toContainText(/Delivery note S-\d+/);
  await expect(text.locator('mark').first()).toHaveText(/^S-\d+$/);
  await expect(drawer).toContainText('Nothing is filled in for {lines: net}: it stays empty.');
  expect(await faultsOf(screen, 'The text of a document', 'everything')).toEqual([]);
  await putAway(screen);
  expect(readdirSync(folder)).toEqual([]);

  // One for real, looked at in the folder, and taken back.
  await screen.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  await screen.getByRole('button', { name: 'Send one for real' }).click();
  await drawer.getByRole('radio').first().check();
  await drawer.getByRole('button', { name: 'Send this one' }).click();
  await expect(drawer.getByRole('button', { name: 'Take it back' })).toBeVisible();
  expect(readdirSync(folder)).toEqual([expect.stringMatching(/^delivery-note S-\d+\.docx$/)]);
  await drawer.getByRole('button', { name: 'Take it back' }).click();
  await expect(drawer.getByText('taken back', { exact: true })).toBeVisible();
  expect(readdirSync(folder)).toEqual([]);
  await putAway(screen);

  // Each new order gets its note, once.
  await screen.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(screen);
  await expect(screen.getByText('first run, version 1')).toBeVisible();
  const id = await workflowCalled(product, 'Shop counter orders, each with a delivery-note');
  const check = () => ask(product, 'POST', `/api/workflows/${id}/check`);
  await addOrder(product, 'Ada Nair');
  await addOrder(product, 'نور');
  await check();
  await expect.poll(() => readdirSync(folder).length).toBe(2);
  await addOrder(product, 'Wren Ashdown');
  await check();
  await expect.poll(() => readdirSync(folder).length).toBe(3);
  // A letter program writes whatever letters there are.
  expect(readdirSync(folder)).toEqual(Array(3).fill(expect.stringMatching(/^delivery-note S-9\d+\.docx$/)));

  // A page that is made here, given in the settings.
  await screen.goto(`${product.url}/settings`);
  const templates = screen.getByRole('region', { name: 'Templates of documents' });
  await screen.getByLabel('A template').setInputFiles({
    name: 'Picking list.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify(picking)),
  });
  await expect(templates).toContainText('Takes number, customer.name, lines.');
  await screen.goto(`${product.url}/workflows/new`);
  await ordersIntoDocuments(screen);
  await screen.getByRole('button', { name: 'Picking list (PDF)' }).click();
  await screen.getByRole('button', { name: 'Make the draft' }).click();
  await expect(screen.getByText(/of \d+ filled/)).toBeVisible();
  await seeTheDocument(screen);
  // The newest order is the one whose letters can’t be printed; the one before it can.
  await expect(drawer).toContainText('Like this it isn’t made');
  await drawer.getByLabel('Sample').selectOption({ index: 1 });
  await expect(drawer).toContainText('As it will be.');
  const sheet = drawer.getByRole('img', { name: /^Page 1 of 1 of Picking list S-\d+\.pdf: Picking list S-\d+/ });
  await expect(sheet).toBeVisible();
  expect(await faultsOf(screen, 'The pages of a document', 'everything')).toEqual([]);
  await putAway(screen);
  await screen.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  await screen.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(screen);
  await expect(screen.getByText('first run, version 1')).toBeVisible();

  // What no font here can print is told, and no page with empty boxes is made.
  const second = await workflowCalled(product, 'Shop counter orders, each with a Picking list');
  await addOrder(product, '山田 太郎');
  await addOrder(product, 'نور');
  await ask(product, 'POST', `/api/workflows/${second}/check`);
  const lists = () => readdirSync(folder).filter((name) => name.endsWith('.pdf'));
  await expect.poll(() => lists().length).toBe(1);
  const [list = ''] = lists();
  const read = execFileSync('pdftotext', ['-layout', join(folder, list), '-'], { encoding: 'utf8' });
  expect(read).toContain('For 山田 太郎');
  expect(read).toContain('page 1 of 1');
  await screen.goto(`${product.url}/needs-you`);
  await screen.getByText(/^S-9\d+ · نور/).click();
  await expect(screen.getByText('No font here has these letters: ن و ر', { exact: false })).toBeVisible();
});
