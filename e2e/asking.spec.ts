import { createServer, type IncomingHttpHeaders } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import SQLite from 'better-sqlite3';
import { shelfAccounts } from '../standins/src/index.ts';
import { ask, choose, fillField, goLive, putWorkbook, rowsIn, workflowCalled } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// People who are asked, and forms, as they are used: judged by what stands in the apps afterwards.

const phone = { width: 390, height: 800 };

interface Got {
  readonly headers: IncomingHttpHeaders;
  readonly url: string;
  readonly body: unknown;
}

/** Another program of the business, to which notes are posted. */
async function listening(): Promise<{ readonly url: string; readonly got: Got[]; close(): void }> {
  const got: Got[] = [];
  const server = createServer((request, response) => {
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      const body: unknown = JSON.parse(Buffer.concat(parts).toString('utf8') || 'null');
      got.push({ headers: request.headers, url: request.url ?? '', body });
      response.writeHead(200, { 'content-type': 'application/json' }).end('{"id":"n-1"}');
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, got, close: () => server.close() };
}

/** Begins a workflow with a form of that name, in the interface. */
async function beginForm(page: Page, product: Product, name: string): Promise<void> {
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: 'Start in another way' }).click();
  const drawer = page.getByRole('dialog', { name: 'What starts it?' });
  await drawer.getByText('Somebody fills in a form', { exact: true }).click();
  await drawer.getByLabel('What is it called?').fill(name);
  await drawer.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByRole('region', { name: 'The form', exact: true })).toBeVisible();
}

const formUrl = (page: Page): Promise<string> =>
  page.getByRole('textbox', { name: 'The address of the form' }).inputValue();

test('a note and its importance are asked for on a phone, and posted as JSON with an access key', async ({
  page,
  empty: product,
  context,
}) => {
  const desk = await listening();
  try {
    const settings = await ask<Record<string, unknown>>(product, 'GET', '/api/settings');
    await ask(product, 'PUT', '/api/settings', { ...settings, mayCallInside: true });
    await ask(product, 'POST', '/api/connections', {
      app: 'web_address',
      name: 'Note desk',
      settings: { address: desk.url, header: 'x-note-key' },
      key: 'notes-practice-7J3Q',
    });
    await beginForm(page, product, 'Leave a note');
    const form = page.getByRole('region', { name: 'The form', exact: true });
    await form.getByLabel('Question 1', { exact: true }).fill('Your note');
    await form.getByLabel('Kind of answer 1').selectOption('long_text');
    await form.getByLabel('Question 2', { exact: true }).fill('How important is it?');
    await form.getByLabel('Kind of answer 2').selectOption('choice');
    await form.getByLabel('Choices of question 2, one a line').fill('can wait\nthis week\nnow');
    await form.getByRole('button', { name: 'Remove question 3' }).click();
    // Nobody sees it before it is saved, and leaving the page loses none of it.
    await expect(form.getByRole('status')).toContainText('Not saved yet');
    await page.reload();
    await expect(form.getByLabel('Question 1', { exact: true })).toHaveValue('Your note');
    await form.getByRole('button', { name: 'Save the form' }).click();
    await expect(form.getByRole('status')).toHaveText('Version 2');
    const url = await formUrl(page);

    // A first one becomes the sample to build with.
    const visitor = await context.newPage();
    await visitor.setViewportSize(phone);
    await visitor.goto(url);
    await visitor.getByLabel('Your note').fill('Kiln 2 trips the fuse');
    await visitor.reload();
    await expect(visitor.getByLabel('Your note')).toHaveValue('Kiln 2 trips the fuse');
    expect(await faultsOf(visitor, 'form on a phone', 'everything')).toEqual([]);
    await visitor.getByRole('button', { name: 'Send' }).click();
    await expect(visitor.getByRole('alert')).toContainText('How important is it?');
    expect(await faultsOf(visitor, 'form with a problem', 'everything')).toEqual([]);
    // By keyboard alone: to the question that is told, an answer, and the button.
    await visitor.getByRole('link', { name: 'How important is it?' }).focus();
    await visitor.keyboard.press('Enter');
    await visitor.keyboard.press('Tab');
    await visitor.keyboard.press('ArrowDown');
    await visitor.keyboard.press('ArrowDown');
    await expect(visitor.getByRole('radio', { name: 'now' })).toBeChecked();
    await visitor.keyboard.press('Tab');
    await visitor.keyboard.press('Enter');
    await expect(visitor.getByText('Thank you. It has come in.')).toBeVisible();
    expect(await faultsOf(visitor, 'thanks', 'everything')).toEqual([]);
    // What was sent isn't proposed to whoever fills it in next at the same browser.
    await visitor.goto(url);
    await expect(visitor.getByLabel('Your note')).toHaveValue('');

    await page.getByRole('button', { name: 'Add or update a record' }).click();
    await choose(page, 'To app', 'Note desk');
    await page.getByLabel('Address below the connection’s').fill('/boards/{board}/notes');
    await page.getByLabel('Fields of the body, one a line').fill('note: text\nimportance: text');
    await page.getByLabel('An answer as it usually comes (JSON)').fill('{"id": "n-0"}');
    await page.getByRole('button', { name: 'Use this call' }).click();
    // The id of the board is taken out of a link to it.
    await page.getByRole('button', { name: /^Fill board/ }).click();
    await page.getByRole('button', { name: 'a fixed value' }).click();
    await page.getByLabel('The fixed value').fill('https://desk.example/teams/7/boards/kilns-42?view=list');
    await page.getByRole('button', { name: 'kilns-42', exact: true }).click();
    await expect(page.getByLabel('The fixed value')).toHaveValue('kilns-42');
    await fillField(page, 'note', 'Your note');
    await fillField(page, 'importance', 'How important');
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
    await goLive(page);
    await expect(page.getByText('first run, version 1')).toBeVisible();
    expect(desk.got).toEqual([]);
    await visitor.goto(url);
    await visitor.getByLabel('Your note').fill('Shelf 3: “celadon” is empty\nand so is 4');
    await visitor.getByRole('radio', { name: 'this week' }).check();
    await visitor.getByRole('button', { name: 'Send' }).click();
    await expect(visitor.getByText('Thank you. It has come in.')).toBeVisible();
    await expect.poll(() => desk.got.length, { timeout: 60_000 }).toBe(1);
    expect(desk.got[0]).toMatchObject({
      url: '/boards/kilns-42/notes',
      headers: { 'x-note-key': 'notes-practice-7J3Q', 'content-type': expect.stringContaining('application/json') },
      body: { note: 'Shelf 3: “celadon” is empty\nand so is 4', importance: 'this week' },
    });
  } finally {
    desk.close();
  }
});

test('a form with a file becomes a row with its link', async ({ page, empty: product, context }) => {
  await putWorkbook(product);
  await ask(product, 'POST', '/api/connections', {
    app: 'workbook_shelf',
    name: 'Workbook shelf',
    settings: { address: `${product.shelf}/api` },
    key: shelfAccounts[0]?.token,
  });
  await beginForm(page, product, 'Show us your pot');
  const form = page.getByRole('region', { name: 'The form', exact: true });
  await form.getByLabel('Question 3', { exact: true }).fill('A photo');
  await form.getByLabel('Kind of answer 3').selectOption('file');
  await form.getByRole('button', { name: 'Save the form' }).click();
  await expect(form.getByRole('status')).toHaveText('Version 2');
  const visitor = await context.newPage();
  await visitor.goto(await formUrl(page));
  const sent = async (name: string): Promise<void> => {
    await visitor.goto(visitor.url().replace(/\?.*/, ''));
    await visitor.getByLabel('Your name').fill(name);
    await visitor.getByLabel('Your e-mail address').fill('pots@clay.example');
    const photo = { name: 'blauer Topf.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('not really a picture') };
    await visitor.getByLabel('A photo').setInputFiles(photo);
    await visitor.getByRole('button', { name: 'Send' }).click();
    await expect(visitor.getByText('Thank you. It has come in.')).toBeVisible();
  };
  await sent('Early');
  await page.getByRole('button', { name: 'Add or update a record' }).click();
  await choose(page, 'To app', 'Workbook shelf');
  await choose(page, 'Place', /^Customer list/);
  await choose(page, 'Place in Customer list.xlsx', /^Customers/);
  await page.getByLabel('How records are written').selectOption('append a row each time');
  await fillField(page, 'Name', 'Your name');
  await fillField(page, 'E-mail', 'A photo (link)');
  await fillField(page, 'Phone', 'A photo (name)');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await sent('Zoë');
  const list = join(product.folder, 'practice', 'shelf', 'files', 'Customer list.xlsx');
  await expect.poll(async () => (await rowsIn(list, 'Customers')).length, { timeout: 60_000 }).toBe(1);
  const [[, name, address, phoneColumn] = []] = await rowsIn(list, 'Customers');
  expect([name, phoneColumn]).toEqual(['Zoë', 'blauer Topf.jpg']);
  const file = await fetch(address ?? '');
  expect([await file.text(), file.headers.get('content-disposition')]).toEqual([
    'not really a picture',
    expect.stringContaining('attachment'),
  ]);
});

/** How many customers of a company the Ledger shows with this in their names. */
async function firmsIn(product: Product, company: string, like: string): Promise<number> {
  let found = 0;
  for (let at = 0; ; at += 50) {
    const shown = await (await fetch(`${product.ledger}/${company}/customers?at=${at}`)).text();
    found += shown.split(like).length - 1;
    if (!shown.includes(`at=${at + 50}`)) return found;
  }
}

test('firms are copied into the second company after approval: one refused with a reason, one changed; nobody answers, and nothing is written', async ({
  page,
  demo: product,
  context,
}) => {
  const name = 'Trade firms as counter customers, approved';
  const id = await workflowCalled(product, name);
  // The mail has come to Mira, and its link shows what would be written.
  const mira = await context.newPage();
  await expect(async () => {
    await mira.goto(`${product.post}/mailboxes/mira@saltmarsh.example/INBOX`);
    await expect(mira.getByRole('link', { name: /^Please approve/ }).first()).toBeVisible({ timeout: 2000 });
  }).toPass({ timeout: 120_000 });
  await mira
    .getByRole('link', { name: /^Please approve/ })
    .first()
    .click();
  const link = /http:\/\/\S+\/ask\/[\w-]+\/[\w-]+/.exec((await mira.textContent('body')) ?? '')?.[0] ?? '';
  await mira.setViewportSize(phone);
  await mira.goto(link);
  const records = mira.locator('section.record');
  const titles = await records.evaluateAll((all) => all.map((one) => one.getAttribute('aria-label') ?? ''));
  expect(titles.length).toBeGreaterThan(3);
  expect(await faultsOf(mira, 'asked by mail', 'everything')).toEqual([]);
  await mira.emulateMedia({ colorScheme: 'dark' });
  expect(await faultsOf(mira, 'asked by mail, dark', 'colours')).toEqual([]);
  await mira.emulateMedia({ colorScheme: 'light' });
  const [refused, changed] = [records.nth(0), records.nth(1)];
  await refused.getByRole('radio', { name: 'Refuse' }).check();
  await refused.getByLabel('Why, if you refuse it').fill('owes us for a kiln');
  await changed.getByText('Change a value first').click();
  await changed.getByLabel('name', { exact: true }).fill('Renamed by Mira Ltd');
  await changed.getByRole('radio', { name: 'Approve' }).check();
  await mira.getByRole('button', { name: 'Send the answers chosen above' }).click();
  await expect(mira.getByRole('status')).toContainText('2 answered.');
  await expect.poll(() => firmsIn(product, 'retail', 'Renamed by Mira Ltd'), { timeout: 60_000 }).toBe(1);

  // At the desk: it stands there as something to do, and is answered in a table.
  await page.goto(product.url);
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`${titles.length - 2} to approve or answer`);
  await page.getByRole('link', { name: 'Look and approve' }).click();
  await expect(page.getByRole('heading', { name: `${titles.length - 2} records to approve` })).toBeVisible();
  expect(await faultsOf(page, 'to approve', 'everything')).toEqual([]);
  await page.getByRole('row').nth(1).getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Approve these 1' }).click();
  await expect(page.getByRole('status')).toContainText('1 answered.');
  await expect(page.getByRole('heading', { name: `${titles.length - 3} records to approve` })).toBeVisible();
  // Who was refused keeps the reason.
  await page.goto(`${product.url}/workflows/${id}/runs`);
  await page
    .getByRole('link', { name: /^\d\d:\d\d$/ })
    .last()
    .click();
  await expect(page.getByText('owes us for a kiln').first()).toBeVisible();

  // Nobody answers the rest, and their time is over: they are asked once more, and nothing was written.
  const writes = await product.writes('ledger');
  await product.restart(async () => {
    const db = new SQLite(join(product.folder, 'golden', 'golden.sqlite'));
    const long = new Date(Date.now() - 30 * 24 * 3_600_000).toISOString();
    db.prepare('UPDATE park SET until = ? WHERE item_id IN (SELECT item_id FROM ask)').run(long);
    db.prepare('UPDATE ask_letter SET expires_at = ?').run(long);
    db.prepare(
      "UPDATE item SET wake_at = ?, item_state = json_set(item_state, '$.reached.approve', ?) WHERE id IN (SELECT item_id FROM ask)",
    ).run(long, long);
    db.close();
  });
  await expect(async () => {
    await mira.goto(`${product.post}/mailboxes/mira@saltmarsh.example/INBOX`);
    await expect(mira.getByRole('link', { name: /^Reminder: Please approve/ }).first()).toBeVisible({ timeout: 2000 });
  }).toPass({ timeout: 120_000 });
  // Some may have become unclear by what was approved meanwhile: they need somebody first, and are not written either.
  const open = async (): Promise<number> => {
    const [run] = await ask<{ balance: { items: Record<string, number> } }[]>(
      product,
      'GET',
      `/api/workflows/${id}/runs`,
    );
    const { waiting = 0, unsettled = 0, running = 0 } = run?.balance.items ?? {};
    return running > 0 ? -1 : waiting + unsettled;
  };
  await expect.poll(open).toBe(titles.length - 3);
  expect(await product.writes('ledger')).toBe(writes);
  // The link of before is too late, and says so.
  await mira.goto(link);
  await expect(mira.getByRole('heading')).toContainText('The time of this link is over');
});

test('before what can’t be taken back goes live, a person can be asked first', async ({ page, demo: product }) => {
  const id = await workflowCalled(product, 'Kiln leads, followed up');
  const made = await ask<{ id: string }>(product, 'POST', `/api/workflows/${id}/duplicate`);
  await page.goto(`${product.url}/workflows/${made.id}`);
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByText(/nothing was written/)).toBeVisible({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText(
    'What can’t be taken back once it is done: the mail “first mail” in Mails to send',
  );
  await dialog.getByRole('button', { name: 'Let a person approve each of them first' }).click();
  await expect(dialog).toContainText('approved by a person first');
  // The draft is another now: it is rehearsed first.
  await expect(dialog.getByRole('button', { name: 'Rehearse it first' })).toBeVisible();
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  await page.goto(`${product.url}/workflows/${made.id}`);
  await expect(page.getByRole('region', { name: 'Brief' })).toContainText(
    'Ask whoever looks at Needs you to approve a mail',
  );
  await ask(product, 'DELETE', `/api/workflows/${made.id}`);
});
