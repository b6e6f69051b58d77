import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { shelfAccounts } from '../standins/src/index.ts';
import { ask, beginWorkspace, choose, putAway, quieten, workflowCalled } from './acts.ts';
import { expect, type Product, test } from './product.ts';

const files = (product: Product): string => join(product.folder, 'practice', 'shelf', 'files');

const enquiries = [
  'Name;Mail;Kind;Visited;Budget',
  ' tamsin  o’neill ;TAMSIN@clay.example;school;3/4/26;1.234,50',
  'Dirk Vos;dirk@kiln.example;Hobby;5/6/26;£80.00',
  'Aiko Mori;aiko@studio.example;trade;7/8/26;12,5',
  'Lena Moor;lena@example.org;hobby;9/10/26;n/a',
].join('\n');

/** A list of enquiries with an awkward hand, and a workbook for them; the draft from one to the other. */
async function enquiriesDraft(product: Product): Promise<string> {
  writeFileSync(join(files(product), 'Enquiries.csv'), enquiries);
  writeFileSync(join(files(product), 'Desk.csv'), 'Name,E-mail,Account,Visit,Budget\n');
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/connections', {
    app: 'workbook_shelf',
    name: 'Shelf',
    settings: { address: `${product.shelf}/api` },
    key: shelfAccounts[0]?.token,
  });
  const place = (file: string) => ({ connection: id, path: [`${file}.csv`, file], labels: [`${file}.csv`, file] });
  const made = await ask<{
    id: string;
    rev: number;
    content: { steps: { mode: string; mapping: object; key?: string }[] };
  }>(product, 'POST', '/api/workflows/from-choices', { from: place('Enquiries'), to: place('Desk'), kind: 'each_new' });
  const [write] = made.content.steps.slice(-1);
  if (!write) throw new Error('no write');
  Object.assign(write, { mode: 'append', mapping: {}, key: undefined, suggested: undefined });
  const start = {
    ...(made.content as unknown as { start: object }).start,
    identity: '/Mail',
    fromWhen: { kind: 'all' },
  };
  await ask(product, 'PUT', `/api/workflows/${made.id}/draft`, { rev: made.rev, content: { ...made.content, start } });
  return made.id;
}

/** A copy of the demo's draft of invoices, by its address: a list still filling up would move under the mouse. */
async function openInvoices(page: Page, product: Product): Promise<void> {
  const id = await workflowCalled(product, 'Paid orders to retail invoices');
  const copy = await ask<{ id: string }>(product, 'POST', `/api/workflows/${id}/duplicate`);
  await page.goto(`${product.url}/workflows/${copy.id}`);
  await expect(page.locator('[data-sentence="invoice"]')).toBeVisible();
}

const row = (page: Page, field: string) =>
  page.getByRole('row').filter({ has: page.getByRole('button', { name: `Fill ${field}:` }) });
const kind = (page: Page, text: string) => page.getByRole('button', { name: text, exact: true });

test('an awkward list: a formula typed, a table with unmapped values, day and month fixed once, CSV out and in', async ({
  page,
  empty: product,
}) => {
  await beginWorkspace(page, product);
  await page.goto(`${product.url}/workflows/${await enquiriesDraft(product)}`);
  await page.locator('[data-sentence]').last().click();

  // A formula, completed as it is typed; every sample shows its value at once, errors where they stand.
  await page.getByRole('button', { name: 'Fill Name:' }).click();
  await kind(page, 'a formula').click();
  const formula = page.getByRole('textbox', { name: 'Formula of Name' });
  await formula.click();
  await page.keyboard.type('TITLE(TRIM(row.na');
  await expect(page.locator('.cm-tooltip-autocomplete')).toContainText('row.Name');
  // A list that has only just come up doesn't take a key that was meant for the text.
  await page.waitForTimeout(120);
  await page.keyboard.press('Enter');
  await expect(row(page, 'Name').getByText('Tamsin O’Neill')).toBeVisible();
  await expect(row(page, 'Name').getByText('Lena Moor')).toBeVisible();
  await page.keyboard.press('End');
  await page.keyboard.type(' & row.Maill');
  await expect(page.getByRole('alert')).toContainText('There is no field “row.Maill” here. Did you mean row.Mail?');
  for (let at = 0; at < ' & row.Maill'.length; at++) await page.keyboard.press('Backspace');
  await expect(page.getByRole('alert')).toHaveCount(0);

  // The same thing as a field with tidies, and as a formula again: nothing is lost.
  await page.getByRole('button', { name: 'Fill E-mail:' }).click();
  await page.getByLabel('Search the fields').fill('Mail');
  await page.getByLabel('Search the fields').press('Enter');
  await kind(page, 'lower case').click();
  await kind(page, 'a formula').click();
  await expect(page.getByRole('textbox', { name: 'Formula of E-mail' })).toHaveText('LOWER(row.Mail)');
  await kind(page, 'a field').click();
  await expect(kind(page, 'lower case')).toHaveAttribute('aria-pressed', 'true');
  await expect(row(page, 'E-mail').getByText('tamsin@clay.example')).toBeVisible();

  // A table: what occurs and isn't in it is listed and stops, until a person says.
  await page.getByRole('button', { name: 'Fill Account:' }).click();
  await page.getByLabel('Search the fields').fill('Kind');
  await page.getByLabel('Search the fields').press('Enter');
  await kind(page, 'a table').click();
  await expect(page.getByText('In the samples but not in the table:')).toBeVisible();
  await expect(row(page, 'Account').getByText('isn’t in the table').first()).toBeVisible();
  await page.getByRole('button', { name: 'hobby', exact: true }).click();
  await page.getByLabel('hobby becomes').fill('H');
  await page.getByLabel('A value that isn’t in the table').selectOption({ label: 'use this value:' });
  await page.getByLabel('Use this value').fill('B');
  await expect(row(page, 'Account').getByText('H', { exact: true }).first()).toBeVisible();
  await expect(row(page, 'Account').getByText('B', { exact: true }).first()).toBeVisible();

  // Day and month can't be told apart: fixed once, for the field.
  await page.getByRole('button', { name: 'Fill Visit:' }).click();
  await page.getByLabel('Search the fields').fill('Visited');
  await page.getByLabel('Search the fields').press('Enter');
  await kind(page, 'date, London').click();
  await expect(row(page, 'Visit').getByText('2026-04-03')).toBeVisible();
  await expect(page.getByText('Day and month can’t be told apart in 4 of 4 samples.')).toBeVisible();
  await page.getByRole('button', { name: 'Month first' }).click();
  await expect(row(page, 'Visit').getByText('2026-03-04')).toBeVisible();
  await expect(page.getByText('can’t be told apart')).toHaveCount(0);

  // A source field that goes nowhere, dragged onto a row; undone again.
  await page.getByText('Budget', { exact: true }).last().hover();
  await page.mouse.down();
  await page.mouse.move(600, 400, { steps: 4 });
  await row(page, 'Budget').hover();
  await page.mouse.up();
  await expect(row(page, 'Budget').getByText('12,5').or(row(page, 'Budget').getByText('n/a'))).not.toHaveCount(0);
  await page.keyboard.press('Control+z');

  // Copied by key from the row above, undone, and the whole brought out as a table and back.
  await page.getByRole('button', { name: 'Fill Budget:' }).focus();
  await page.keyboard.press('Control+d');
  await expect(row(page, 'Budget').getByText('2026-03-04')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(row(page, 'Budget').getByText('2026-03-04')).toHaveCount(0);
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Mapping as a table (CSV)' }).click();
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as CSV' }).click();
  const table = readFileSync(await (await saved).path(), 'utf8');
  expect(table).toContain('/Name,');
  expect(table).toContain('TITLE(TRIM(row.Name))');
  const reviewed = table.replace(/^\/Budget,.*$/m, '/Budget,,VALUE(row.Budget),ask Dirk');
  await page
    .getByLabel('Import a table')
    .setInputFiles({ name: 'r.csv', mimeType: 'text/csv', buffer: Buffer.from(reviewed) });
  await expect(page.getByRole('status').filter({ hasText: 'imported' })).toContainText('2 rows imported.');
  await putAway(page);
  await expect(row(page, 'Budget').getByText('1234.5')).toBeVisible();
  await expect(row(page, 'Budget').getByText('“n/a” can’t be read as a number.')).toBeVisible();

  // What arrives is what the sheet showed; the value that can't be read needs a person.
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('4taken in=3delivered1needs you');
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
});

test('signed in with a person’s leave: an order with lines becomes an invoice with lines', async ({ page, demo }) => {
  // The Ledger is connected anew, on its own page, with the right that is asked for.
  await page.goto(`${demo.url}/connections`);
  await page.getByRole('button', { name: 'Connect an app' }).first().click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Ledger/ })
    .click();
  const popup = page.waitForEvent('popup');
  await page.getByRole('button', { name: 'Sign in at Ledger' }).click();
  const there = await popup;
  await expect(there.getByRole('heading', { name: 'Let golden-relay in?' })).toBeVisible();
  await there.getByRole('button', { name: 'Allow' }).click();
  await expect(there.getByRole('heading', { name: 'Signed in' })).toBeVisible();
  await expect(page.getByRole('row').filter({ hasText: 'Mira Holm' })).toHaveCount(2);

  // The ready draft: lines in a sheet of their own, block by block, with totals.
  await openInvoices(page, demo);
  await page.locator('[data-sentence="invoice"]').click();
  await page.getByRole('button', { name: 'Fill invoice lines:' }).click();
  await page.getByRole('button', { name: 'Fill the lines' }).click();
  const lines = page.getByLabel('Sheet of the lines');
  await expect(lines.getByRole('rowgroup', { name: 'Line 2' })).toBeVisible();
  await expect(lines.getByRole('rowgroup', { name: 'Totals' }).getByText('net amount')).toBeVisible();
  await page.getByRole('button', { name: 'Fill price:' }).click();
  await expect(page.getByRole('region', { name: 'Filling of price' })).toContainText('unit price');
  await page.getByRole('button', { name: 'Back to the record' }).click();

  // What will be sent, exactly: minor units, lines nested.
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  await page.getByRole('menuitem', { name: 'What will be sent' }).click();
  const body = page.getByRole('region', { name: 'What will be sent', exact: true });
  await expect(body).toContainText('"invoiceLines": [');
  const sent = JSON.parse((await body.textContent()) ?? '') as Record<string, unknown> & {
    invoiceLines: Record<string, number>[];
  };
  expect(Number.isInteger(sent['taxInclusiveAmount'])).toBe(true);
  expect(sent.invoiceLines.reduce((sum, line) => sum + (line['lineExtensionAmount'] ?? 0), 0)).toBe(
    sent['lineExtensionAmount'],
  );
  await putAway(page);

  // Rehearsed with nothing written; then one for real, read back, seen in the Ledger itself.
  const goOn = await quieten(demo);
  const before = await demo.writes('ledger');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  expect(await demo.writes('ledger')).toBe(before);
  await goOn();
  // The access token has expired meanwhile: it is renewed without anybody noticing.
  await fetch(`${demo.ledger}/practice/tokens`, { method: 'POST', body: new URLSearchParams({ what: 'expire' }) });
  await page.getByRole('button', { name: 'Send one for real' }).click();
  await page.getByRole('dialog').getByRole('radio').first().check();
  await page.getByRole('button', { name: 'Send this one' }).click();
  await expect(page.getByRole('dialog').getByText('delivered', { exact: false }).first()).toBeVisible();
  const link = page.getByRole('dialog').getByRole('link', { name: 'Open it there' }).last();
  await page.goto((await link.getAttribute('href')) ?? '');
  await expect(page.getByRole('heading', { name: /^Invoice S-/ })).toBeVisible();
});

test('values calculated once, rows for each line, and a call to an address, on one order', async ({ page, demo }) => {
  const browserSays = async (text: string): Promise<string> => {
    await page.locator('.cm-content').click();
    await page.keyboard.press('Control+a');
    await page.keyboard.insertText(text);
    await page.waitForTimeout(250);
    return (
      (await page.getByLabel('Calculated values').locator('tbody tr').first().locator('td').nth(2).textContent()) ?? ''
    );
  };
  await openInvoices(page, demo);
  await page.getByRole('button', { name: 'Calculate values' }).last().click();
  await page.getByLabel('Name of value 1').fill('net');
  // The same in the browser as on the server (awkward ones, against values of the standard's oracle).
  for (const [text, value] of [
    ['-2^2', '4'],
    ['2^3^2', '64'],
    ['MOD(-3, 2)', '1'],
    ['0.1+0.2', '0.3'],
    ['ROUND(2.5, 0)', '3'],
    ['EDATE(DATE(2026, 1, 31), 1)', '2026-02-28'],
    ['ROUND(1.005, 2)', '1.01'],
  ])
    expect(await browserSays(text as string)).toBe(value);
  await browserSays('SUM(order.lines.line_total)');
  await page.getByRole('button', { name: 'For each…' }).last().click();
  await page.getByLabel('The list').selectOption({ label: 'order.lines' });
  await page.getByRole('button', { name: 'Add or update a record' }).last().click();
  await choose(page, 'To app', 'Connect another app…');
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Web address/ })
    .click();
  await page.getByLabel('Address', { exact: true }).fill(`${demo.shop}/api`);
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  // Inside this machine's own network: refused until the owner allows it.
  await expect(page.getByRole('dialog')).toContainText('own network');
  await page.goto(`${demo.url}/settings`);
  await page.getByLabel(/Workflows may call addresses inside/).check();
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.goBack();
  await page.locator('[data-sentence]').last().click();
  await choose(page, 'To app', 'Web address');
  await page.getByLabel('Address below the connection’s').fill('/notes/{sku}');
  await page.getByLabel('Fields of the body, one a line').fill('net: number');
  await page.getByLabel('An answer as it usually comes (JSON)').fill('{"id": 1}');
  await page.getByRole('button', { name: 'Use this call' }).click();
  await page.getByRole('button', { name: 'Fill sku' }).click();
  await page.getByLabel('Search the fields').fill('sku');
  await page.getByLabel('Search the fields').press('Enter');
  await page.getByRole('button', { name: 'Fill net' }).click();
  await page.getByLabel('Search the fields').fill('net');
  await page.getByLabel('Search the fields').press('Enter');
  await expect(
    row(page, 'net')
      .getByText(/^\d+(\.\d+)?$/)
      .first(),
  ).toBeVisible();
  await expect(page.getByRole('region', { name: 'Brief' })).toContainText('For each of lines:');
  await page.getByRole('button', { name: 'Undo' }).first().click();
});
