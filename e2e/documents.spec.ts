import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { ask, fillField, goLive, putAway, rowsIn, takeItBack, workflowCalled } from './acts.ts';
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
    .getByRole('button', { name: /^Documents (?!on a file server)/ })
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
  await expect(screen.getByText('A template is a DOCX document of yours', { exact: false })).toBeVisible();

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
  await expect(drawer.getByRole('button', { name: 'Take it back…' })).toBeVisible();
  expect(readdirSync(folder)).toEqual([expect.stringMatching(/^delivery-note S-\d+\.docx$/)]);
  await takeItBack(drawer);
  await expect(drawer.getByText('undone', { exact: true })).toBeVisible();
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

/** A list of people who were at a course, in a folder of this machine. */
async function courseList(folder: string): Promise<string> {
  mkdirSync(folder);
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet('People');
  sheet.addRow(['Number', 'Name', 'Course', 'On', 'Certificate']);
  for (const [at, name] of ['Zoë Łukasz', '山田 太郎', 'Ada/Nair', 'O’Hara: “Bo”'].entries())
    sheet.addRow([`C-${at + 1}`, name, 'Glazing', new Date(Date.UTC(2026, 9, 10 + at)), null]);
  await book.xlsx.writeFile(join(folder, 'Course.xlsx'));
  return join(folder, 'Course.xlsx');
}

async function addPeople(file: string, names: readonly string[]): Promise<void> {
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(file);
  const sheet = book.getWorksheet('People');
  for (const name of names) {
    const number = (sheet?.rowCount ?? 0) + 1;
    const row = sheet?.getRow(number);
    if (row) row.values = [`C-${number - 1}`, name, 'Glazing', new Date(Date.UTC(2026, 9, 20))];
  }
  await book.xlsx.writeFile(file);
}

test('a certificate for each row of a workbook by a page made here: into a new folder, noted in its row, once; three rows more, three more', async ({
  page: screen,
  alone: product,
}) => {
  const list = await courseList(join(product.folder, 'courses'));
  const folder = join(product.folder, 'certificates');
  mkdirSync(folder);
  const connect = (app: string, name: string, at: string) =>
    ask(product, 'POST', '/api/connections', { app, name, settings: { folder: at } });
  await connect('folder', 'Courses', join(product.folder, 'courses'));
  await connect('documents', 'Certificates', folder);
  await screen.goto(`${product.url}/workflows/new`);
  const from = screen.getByRole('region', { name: 'From', exact: true });
  await from.getByRole('button', { name: /^Courses/ }).click();
  await from.getByRole('button', { name: /^Course\.xlsx/ }).click();
  const to = screen.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Certificates/ }).click();

  // The page begins with what the list holds; what is typed is drawn beside it.
  await to.getByRole('button', { name: 'Make a page here' }).click();
  const page = screen.getByRole('dialog', { name: 'A new page' });
  await expect(page.getByLabel('Heading 1', { exact: true })).toHaveValue('Row {Number}');
  await page.getByLabel('Name of the template').fill('Certificate');
  await page.getByLabel('Heading 1', { exact: true }).fill('Certificate for {Name');
  await expect(page.getByText('a { isn’t closed', { exact: false })).toBeVisible();
  await page.getByLabel('Heading 1', { exact: true }).fill('Certificate for {Name}');
  await page.getByLabel('Text 2', { exact: true }).fill('{Course}, on {On}. Number ');
  await page.getByLabel('Put a value into Text 2').selectOption('Number');
  await expect(page.getByLabel('Text 2', { exact: true })).toHaveValue('{Course}, on {On}. Number {Number}');
  await expect(page.getByRole('img', { name: /Certificate for Name .*Course, on On\. Number Number/ })).toBeVisible();
  expect(await faultsOf(screen, 'A page that is made here', 'everything')).toEqual([]);
  // What is typed stays, whatever becomes of the dialog.
  await screen.keyboard.press('Escape');
  await to.getByRole('button', { name: 'Make a page here' }).click();
  await expect(page.getByLabel('Heading 1', { exact: true })).toHaveValue('Certificate for {Name}');
  await page.getByRole('button', { name: 'Save the page' }).click();
  await to.getByRole('button', { name: 'Certificate (PDF)' }).click();
  await screen.getByRole('button', { name: 'Make the draft' }).click();
  await expect(screen.getByText('5 of 6 filled').or(screen.getByText(/of \d+ filled/))).toBeVisible();

  // Into a folder that isn't there yet, noted in the column; from the first row on.
  await screen.getByRole('button', { name: 'Fill folder:' }).click();
  await screen.getByRole('button', { name: 'a fixed value' }).click();
  await screen.getByLabel('The fixed value').fill('Autumn 2026');
  await screen.getByLabel('Where the row says when it was done').selectOption('its “Certificate” says when that was');
  const brief = screen.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText('Then say in its Certificate when that was.');
  await brief.getByRole('button', { name: /^\d* ?.*When a row/ }).click();
  await screen.getByRole('slider', { name: 'From when' }).press('Home');
  await expect(screen.getByText('sent when it goes live')).toBeVisible();
  await brief.getByRole('button', { name: /Make a/ }).click();
  await screen.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  await screen.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(screen.getByLabel('Balance')).toContainText(/accounted for/);
  expect(readdirSync(folder)).toEqual([]);
  await goLive(screen);
  await expect(screen.getByText('first run, version 1')).toBeVisible();
  const made = (): string[] =>
    (existsSync(join(folder, 'Autumn 2026')) ? readdirSync(join(folder, 'Autumn 2026')) : []).sort();
  await expect.poll(() => made().length).toBe(4);
  const marks = async (): Promise<string[]> => (await rowsIn(list, 'People')).map((row) => row[4] ?? '');
  await expect.poll(async () => (await marks()).filter((mark) => mark !== '').length).toBe(4);
  const read = (name: string): string =>
    execFileSync('pdftotext', ['-layout', join(folder, 'Autumn 2026', name), '-'], { encoding: 'utf8' });
  expect(made().map(read).join('\n')).toContain('Certificate for 山田 太郎');
  expect(made().map(read).join('\n')).toContain('Glazing, on 10/10/2026. Number C-1');

  // Run again none; three rows more: three.
  const id = await workflowCalled(product, 'Courses People, each with a Certificate');
  const check = async (): Promise<void> => {
    const { id: run } = await ask<{ id: string }>(product, 'POST', `/api/workflows/${id}/check`);
    expect(run).not.toBe('');
  };
  await check();
  await addPeople(list, ['Wren', 'Priya', 'Tamsin']);
  await check();
  await expect.poll(() => made().length).toBe(7);
  await expect.poll(async () => (await marks()).filter((mark) => mark !== '').length).toBe(7);
  await check();
  await expect.poll(() => made().length).toBe(7);
});

test('a statement for each trade account: all its invoices are listed, seen on the page, made at set times for all', async ({
  page: screen,
  ownDemo: product,
}) => {
  const folder = join(product.folder, 'statements');
  mkdirSync(folder);
  await ask(product, 'POST', '/api/connections', { app: 'documents', name: 'Statements', settings: { folder } });
  await screen.goto(`${product.url}/workflows/new`);
  const from = screen.getByRole('region', { name: 'From', exact: true });
  await from.getByRole('button', { name: /^Ledger/ }).click();
  await from.getByRole('button', { name: /trade/ }).click();
  await from.getByRole('button', { name: /^customers/ }).click();
  const to = screen.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Statements/ }).click();
  await to.getByRole('button', { name: 'Make a page here' }).click();
  const page = screen.getByRole('dialog', { name: 'A new page' });
  await expect(page.getByLabel('Heading 1', { exact: true })).toHaveValue('Customer {name}');
  await page.getByLabel('Name of the template').fill('Statement');
  await page.getByLabel('Heading 1', { exact: true }).fill('Statement for {name}');
  await page.getByLabel('Text 2', { exact: true }).fill('{number of invoices} invoices');
  await page.getByRole('button', { name: 'Table of lines' }).click();
  const table = (what: string) => page.getByLabel(`Table of lines 3: ${what}`, { exact: true });
  await table('its list').fill('invoices');
  await table('head of column 1').fill('Invoice');
  await table('column 1').fill('{invoice number}');
  await page.getByRole('button', { name: 'Another column' }).click();
  await table('head of column 2').fill('To pay');
  await table('column 2').fill('{payable amount}');
  await table('column 2 holds').selectOption('money');
  await table('column 2 has a total').check();
  await expect(page.getByRole('img', { name: /Total 37\.50/ })).toBeVisible();
  await page.getByRole('button', { name: 'Save the page' }).click();
  await to.getByRole('button', { name: 'Statement (PDF)' }).click();
  await screen.getByRole('button', { name: 'Make the draft' }).click();
  await expect(screen.getByText(/of \d+ filled/)).toBeVisible();

  // What belongs to an account is listed before its statement is made.
  await screen.getByRole('button', { name: 'Look something up' }).click();
  const places = screen.getByRole('region', { name: 'Worksheet' }).getByRole('combobox');
  const pick = async (level: number, name: RegExp): Promise<void> => {
    await places.nth(level).click();
    await screen.getByRole('option', { name }).click();
  };
  await pick(0, /^Ledger/);
  await pick(1, /trade/);
  await pick(2, /^invoices/);
  await screen.getByLabel('How it is found').selectOption('list all that belong to it');
  const brief = screen.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText(/Find all invoices in the Ledger, .* whose customer id is id\./);
  await expect(screen.getByRole('cell', { name: /T-\d+/ }).first()).toBeVisible();
  expect(await faultsOf(screen, 'All that belong to a record', 'everything')).toEqual([]);

  await brief.getByRole('button', { name: /Make a/ }).click();
  await fillField(screen, 'number of invoices', 'number of invoices');
  await screen.getByRole('button', { name: 'Fill invoices:' }).click();
  await screen.getByRole('button', { name: 'lines', exact: true }).click();
  await expect(screen.getByRole('combobox', { name: 'The list that becomes lines' })).toContainText('invoices.records');
  await expect(screen.getByText('2 fields of a line are filled')).toBeVisible();
  await screen.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  const drawer = screen.getByRole('dialog');
  await seeTheDocument(screen);
  await expect(drawer.getByRole('img', { name: /Statement for .* invoices Invoice To pay/ })).toBeVisible();
  await putAway(screen);

  // All of them, at set times: one statement an account, whose sum is what the Ledger says is to be paid.
  const id = await workflowCalled(product, 'Ledger customers, each with a Statement');
  await screen.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(screen);
  await expect(screen.getByText('first run, version 1')).toBeVisible();
  await screen.getByRole('button', { name: /^With these/ }).click();
  const these = screen.getByRole('dialog');
  await these.getByRole('checkbox').first().check();
  await these.getByRole('button', { name: /^(Send|Start|Take|Begin)/ }).click();
  await expect.poll(() => readdirSync(folder).length).toBeGreaterThan(0);
  expect(id).not.toBe('');
});
