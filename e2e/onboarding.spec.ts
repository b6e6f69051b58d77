import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import { ask, choose, Hand, putAway } from './acts.ts';
import { expect, type Product, test } from './product.ts';

// The first minutes: each of the three doors from an empty folder to a rehearsal.

/** A list as people have them: a comma in a name, an empty cell, accents, an amount with a comma, a semicolon between. */
const fair = [
  'Nr;Name;E-Mail;Telefon;Betrag',
  '56;"Schäfer, Anke";anke@messe.example;030 901820;1.234,50',
  '57;"Müller, Jürgen";;0049 30 9018;12',
  '58;Zoë Ó Briain;zoe@clay.example;;',
  '',
].join('\r\n');

async function folderWithList(product: Product): Promise<string> {
  const folder = join(product.folder, 'workbooks');
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'customers.csv'), 'Number,Name,E-mail,Phone\n1,Tamsin Clay,tamsin@clay.example,\n');
  return folder;
}

const steps = (page: Page) => page.getByRole('list', { name: 'First steps' }).getByRole('listitem');

test('a list is dropped: at once a worksheet, then where to, and rehearsed within twelve interactions', async ({
  page,
  alone: product,
}) => {
  const folder = await folderWithList(product);
  const hand = new Hand();
  await page.goto(product.url);
  await expect(steps(page)).toHaveText([
    /sheet with real records.*not done/,
    /rehearsed.*not done/,
    /one sent.*not done/,
    /live.*not done/,
  ]);
  hand.count += 1;
  await page
    .getByLabel('A list', { exact: true })
    .setInputFiles({ name: 'messe.csv', mimeType: 'text/csv', buffer: Buffer.from(fair) });
  await expect(page.getByRole('tab', { name: '3 samples' })).toBeVisible();
  await expect(page.getByRole('cell', { name: 'Schäfer, Anke' })).toBeVisible();
  await expect(page.getByText('read as in United Kingdom, by the clock of Europe/London')).toBeVisible();

  await hand.click(page.getByRole('button', { name: 'Choose where to' }));
  const drawer = page.getByRole('dialog', { name: 'Where do these records go?' });
  await hand.click(drawer.getByRole('button', { name: /^Folder on this machine/ }));
  await hand.type(page.getByLabel('Folder', { exact: true }), folder);
  await hand.click(page.getByRole('button', { name: 'Connect', exact: true }));
  await hand.click(drawer.getByRole('button', { name: /^customers\.csv/ }));
  await hand.click(drawer.getByRole('button', { name: /^customers/ }).last());
  await hand.click(page.getByRole('button', { name: 'Make the draft' }));
  await expect(page.getByLabel('Mapping sheet').getByText('Schäfer, Anke').first()).toBeVisible();
  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText('All 3 accounted for');
  expect(hand.count).toBeLessThanOrEqual(12);

  await page.goto(product.url);
  await expect(steps(page).nth(0)).toHaveText(/: done/);
  await expect(steps(page).nth(1)).toHaveText(/: done/);
  await expect(steps(page).nth(3)).toHaveText(/not done/);
  // The same file once more is kept once; what is none is told, and leaves nothing.
  const lists = () =>
    ask<{ id: string; name: string }[]>(product, 'GET', '/api/connections').then((all) => {
      const id = all.find((one) => one.name === 'List folder')?.id;
      return ask<{ label: string }[]>(product, 'GET', `/api/connections/${id}/places`);
    });
  const drop = (name: string, content: string) =>
    ask(product, 'POST', '/api/lists', { name, bytes: Buffer.from(content).toString('base64') });
  await drop('messe.csv', fair);
  await drop('../messe.csv', `${fair}59;Priya Nair;;;\r\n`);
  await expect(drop('letter.docx', 'Dear')).rejects.toThrow(/is no .csv, .xlsx or .ods file/);
  await expect(drop('empty.csv', 'Nr;Name\n')).rejects.toThrow(/no rows/);
  expect((await lists()).map((one) => one.label)).toEqual(['messe (2).csv', 'messe.csv']);
});

test('an app is connected: a text that asks for its key, a folder, three choices, rehearsed', async ({
  page,
  alone: product,
}) => {
  const folder = await folderWithList(product);
  writeFileSync(join(folder, 'enquiries.csv'), fair);
  await page.goto(product.url);
  await page.getByRole('button', { name: /^Somebody else has the access key/ }).click();
  await page.getByLabel('Which app').fill('our web shop');
  await page.getByLabel('Which records').fill('orders');
  await expect(page.getByLabel('The text')).toContainText('can only read orders; please give it no right to write');
  await page.getByLabel('Records are also written there').check();
  await expect(page.getByLabel('The text')).toContainText('no deleting, no users, no settings');
  await putAway(page);

  await page.getByRole('button', { name: /^A folder of workbooks/ }).click();
  await page.getByLabel('Folder', { exact: true }).fill(folder);
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'What is copied where?' })).toBeVisible();
  const from = page.getByRole('region', { name: 'From', exact: true });
  const to = page.getByRole('region', { name: 'To', exact: true });
  await from
    .getByRole('button', { name: /^Folder on this machine/ })
    .first()
    .click();
  await from.getByRole('button', { name: /^enquiries\.csv/ }).click();
  await to
    .getByRole('button', { name: /^Folder on this machine/ })
    .first()
    .click();
  await to.getByRole('button', { name: /^customers\.csv/ }).click();
  await to
    .getByRole('button', { name: /^customers/ })
    .last()
    .click();
  await page.getByRole('radio', { name: /^Bring everything over/ }).check();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('All 3 accounted for');
});

test('practising: one click starts the practice apps, a second rehearses; a crash brings them back, one click removes all', async ({
  page,
  alone: product,
}) => {
  await page.goto(product.url);
  await page.getByRole('button', { name: 'Start practising' }).click();
  await expect(page.getByText('practice apps are running', { exact: true })).toBeVisible({ timeout: 60_000 });
  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Shop counter customers into Workbook shelf');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText(/All \d+ accounted for/);
  // What the product keeps itself is always there.
  const connected = async () =>
    (await ask<{ id: string; app: string; status: string }[]>(product, 'GET', '/api/connections')).filter(
      ({ app }) => app !== 'unsubscribed',
    );
  expect((await connected()).map(({ status }) => status)).toEqual(Array(12).fill('working'));

  // The server is killed: the apps end with it, and come back on their ports and data.
  await product.restart();
  for (const { id } of await connected())
    await expect
      .poll(async () => (await ask<{ status: string }>(product, 'POST', `/api/connections/${id}/check`)).status)
      .toBe('working');
  await page.goto(`${product.url}/practice`);
  await page.getByRole('button', { name: 'Remove the practice apps' }).click();
  await expect(page.getByRole('dialog')).toContainText('12 connections');
  await expect(page.getByRole('dialog')).toContainText('Shop counter customers into Workbook shelf');
  await page.getByRole('button', { name: 'Remove them' }).click();
  await expect(page.getByText('No practice apps are running.')).toBeVisible();
  expect(await connected()).toEqual([]);
  await page.goto(product.url);
  await expect(page.getByRole('heading', { name: 'Nothing is copied yet.' })).toBeVisible();
});

test('from when: the line between what is known and what is sent is moved by keys and by a typed date', async ({
  page,
  demo: product,
}) => {
  const rows = await ask<{ id: string; name: string }[]>(product, 'GET', '/api/workflows');
  const id = rows.find((one) => one.name === 'Shop customers onto the customer list')?.id ?? '';
  const { all, days, today } = await ask<{
    all: number;
    today: string;
    days: { day: string; count: number }[];
  }>(product, 'GET', `/api/workflows/${id}/counts`);
  await page.goto(`${product.url}/workflows/${id}`);
  const line = page.getByRole('slider', { name: 'From when' });
  await line.focus();
  await page.keyboard.press('End');
  await expect(line).toHaveAttribute('aria-valuetext', `From now on: ${all} already known, 0 sent`);
  await page.keyboard.press('Home');
  await expect(line).toHaveAttribute('aria-valuetext', `Everything, and what comes: 0 already known, ${all} sent`);
  // A date as it is written in the workspace's country, and a day back by a key.
  const typed = page.getByRole('textbox', { name: 'Begin with the date' });
  const inFigures = today.split('-').reverse().join('/');
  await typed.fill(inFigures);
  await typed.press('Enter');
  const since = (day: string) => days.filter((one) => one.day >= day).reduce((sum, one) => sum + one.count, 0);
  await expect(line).toHaveAttribute('aria-valuetext', new RegExp(`already known, ${since(today)} sent$`));
  await line.focus();
  await page.keyboard.press('ArrowLeft');
  const before = new Date(Date.parse(`${today}T12:00:00Z`) - 86_400_000).toISOString().slice(0, 10);
  await expect(line).toHaveAttribute('aria-valuetext', new RegExp(`already known, ${since(before)} sent$`));
  await typed.fill('32/13/2026');
  await typed.press('Enter');
  await expect(typed).toHaveAttribute('aria-invalid', 'true');
  // Each move was one change: taken back one by one, the draft is as it was.
  await page.getByRole('button', { name: 'Undo' }).click({ clickCount: 4, delay: 60 });
  await expect(page.getByRole('button', { name: 'Undo' })).toBeDisabled();
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
});

test('places are chosen from a list that is searched, and looked for again', async ({ page, demo: product }) => {
  const made = await ask<{ id: string }>(product, 'POST', '/api/workflows', { name: 'Searched' });
  await page.goto(`${product.url}/workflows/${made.id}`);
  await choose(page, 'From app', 'Workbook shelf');
  const place = page.getByRole('combobox', { name: 'Place', exact: true });
  await place.focus();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByPlaceholder('Search', { exact: true })).toBeFocused();
  await page.keyboard.type('enq');
  await expect(page.getByRole('option')).toHaveText([/^Open day enquiries\.csv/]);
  await page.getByRole('button', { name: /Look again/ }).click();
  await page.getByPlaceholder('Search', { exact: true }).focus();
  await page.keyboard.press('Enter');
  await expect(place).toHaveText('Open day enquiries.csv');
  await ask(product, 'DELETE', `/api/workflows/${made.id}`);
});
