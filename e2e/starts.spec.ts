import { mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Locator, Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { enquiryKeys, noticeKeys, shelfAccounts, shopKeys } from '../standins/src/index.ts';
import { addCustomer, ask, choose, fillField, goLive, makeLive, putWorkbook, rowsIn, send } from './acts.ts';
import { expect, type Product, test } from './product.ts';

// Starts that nobody polls, as a user sets them up. Judged by the rows that stand in the file.

/** A folder of ours with a list, connected. */
async function officeFolder(product: Product, columns: readonly string[]): Promise<string> {
  const folder = join(product.folder, 'office');
  mkdirSync(folder, { recursive: true });
  const book = new ExcelJS.Workbook();
  book.addWorksheet('Enquiries').addRow([...columns]);
  await book.xlsx.writeFile(join(folder, 'Enquiries.xlsx'));
  const answer = await fetch(`${product.url}/api/connections`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ app: 'folder', name: 'Office', settings: { folder } }),
  });
  expect(answer.ok).toBe(true);
  return join(folder, 'Enquiries.xlsx');
}

/** Says that the records go into that list. */
async function intoTheList(page: Page): Promise<Locator> {
  await page.getByRole('button', { name: 'Choose where to' }).click();
  const drawer = page.getByRole('dialog');
  await drawer
    .getByRole('button', { name: /^Office/ })
    .first()
    .click();
  await drawer.getByRole('button', { name: /^Enquiries\.xlsx/ }).click();
  await drawer
    .getByRole('button', { name: /^Enquiries/ })
    .last()
    .click();
  return drawer;
}

test('a posted event: learnt, compared with a second one, mapped, live, and in the list once however often it is posted', async ({
  page,
  empty: product,
}) => {
  const file = await officeFolder(product, ['Name', 'E-mail', 'About']);
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: 'Start in another way' }).click();
  await page.getByLabel('What is posted?').fill('Enquiries');
  await page.getByRole('button', { name: 'Go on' }).click();
  await page.getByRole('button', { name: 'Make a secret' }).click();
  const secret = await page.getByLabel('The secret', { exact: true }).inputValue();
  const address = await page.getByLabel('The address', { exact: true }).inputValue();
  expect(address).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/in\/[0-9a-f]{40}$/);
  const post = async (content: unknown, by = secret): Promise<number> => {
    const headers = { 'content-type': 'application/json', 'x-secret': by };
    return (await fetch(address, { method: 'POST', headers, body: JSON.stringify(content) })).status;
  };
  await page.getByRole('button', { name: 'Wait for an event' }).click();
  await expect(page.getByText(/^Waiting for an event…/)).toBeVisible();
  expect(await post({ id: 'e-0', name: 'Stranger' }, 'another secret')).toBe(401);
  await expect(page.getByRole('region', { name: 'Refused' })).toContainText(
    'The secret in its header “x-secret” is wrong.',
  );
  const enquiry = { id: 'e-1', name: 'Zoë Ó Briain', email: 'zoe@example.com', about: 'kilns' };
  expect(await post(enquiry)).toBe(202);
  await expect(page.getByText('One has come.')).toBeVisible();
  expect(await post({ id: 'e-2', name: 'Bo', about: 'clay', phone: '01632 960123' })).toBe(202);
  const came = page.getByRole('region', { name: 'Events that came' });
  await expect(came).toContainText('only here: phone');
  await expect(came).toContainText('without email');

  // A repeat is told by the sender's own id.
  await page.getByLabel('By what a repeat is told').selectOption('field');
  await expect(page.getByRole('combobox', { name: 'The field that tells repeats' })).toContainText('id');

  // Where they go: one choice makes the rest.
  const drawer = await intoTheList(page);
  await drawer.getByRole('radio', { name: /^Add each new one/ }).check();
  await drawer.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('All 2 accounted for');
  await goLive(page);
  await expect(page.getByText('Each event is taken in as it comes')).toBeVisible();
  for (let times = 0; times < 3; times++)
    expect(await post({ id: 'e-3', name: '=Müller, Jürgen', email: 'j@example.com', about: 'a "big" kiln' })).toBe(202);
  await expect
    .poll(() => rowsIn(file), { timeout: 120_000 })
    .toEqual([['=Müller, Jürgen', 'j@example.com', 'a "big" kiln']]);
  // Killed in the middle: what was answered is there, what is posted again isn't doubled.
  expect(await post({ id: 'e-4', name: 'Ada', email: 'ada@example.com', about: '' })).toBe(202);
  await product.restart();
  expect(await post({ id: 'e-4', name: 'Ada', email: 'ada@example.com', about: '' })).toBe(202);
  await expect
    .poll(async () => (await rowsIn(file)).map(([name]) => name), { timeout: 120_000 })
    .toEqual(['=Müller, Jürgen', 'Ada']);
});

test('Monday six o’clock in another zone, by the clock alone; and by hand with what is asked for', async ({
  page,
  empty: product,
}) => {
  const file = await officeFolder(product, ['Customer', 'Kind']);
  const begin = async (kind: RegExp, name: string): Promise<void> => {
    await page.goto(`${product.url}/workflows/new`);
    await page.getByRole('button', { name: 'Start in another way' }).click();
    await page.getByRole('radio', { name: kind }).check();
    await page.getByLabel('What is it for?').fill(name);
  };

  await begin(/^It is a certain time/, 'The weekly reminder');
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByText('Begins for')).toBeVisible();
  const id = /workflows\/([^/?]+)/.exec(page.url())?.[1] ?? '';
  for (const day of ['Tuesday', 'Wednesday', 'Thursday', 'Friday'])
    await page.getByRole('button', { name: day, exact: true }).click();
  await expect(page.getByRole('region', { name: 'Brief' })).toContainText('When it is time, at 06:00 on Monday');
  // What was typed last is saved a moment later: what is changed here must be changed in that.
  await expect
    .poll(async () => {
      const { content: saved } = await ask<{ content: { start: { trigger: { days: number[] } } } }>(
        product,
        'GET',
        `/api/workflows/${id}`,
      );
      return saved.start.trigger.days;
    })
    .toEqual([1]);
  // Common practice: Monday 06:00 by the Pacific clock is 14:00 UTC in winter and 13:00 in summer.
  const { content, rev } = await ask<{ content: { zone?: string }; rev: number }>(
    product,
    'GET',
    `/api/workflows/${id}`,
  );
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, {
    rev,
    content: { ...content, zone: 'America/Los_Angeles' },
  });
  await page.reload();
  await expect(page.getByText(/^Next: Mon .* 06:00.*\(America\/Los_Angeles\)$/)).toBeVisible();
  await expect(page.getByRole('tab', { name: '1 sample' })).toBeVisible();

  await begin(/^Somebody presses a button/, 'A kiln visit');
  await page.getByRole('button', { name: 'Ask for something' }).click();
  await page.getByLabel('Question 1', { exact: true }).fill('Customer');
  await page.getByRole('button', { name: 'Another question' }).click();
  await page.getByLabel('Question 2', { exact: true }).fill('Kind');
  await page.getByLabel('Kind of answer 2').selectOption('choice');
  await page.getByLabel(/^Choices of question 2/).fill('repair\nadvice');
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect(page.getByText('Customer, Kind')).toBeVisible();
  await page.getByRole('button', { name: 'Type in a sample' }).click();
  const asked = page.getByRole('dialog');
  await asked.getByLabel('Customer').fill('Zoë Ó Briain');
  await asked.getByLabel('Kind').selectOption('repair');
  await asked.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByRole('tab', { name: '1 sample' })).toBeVisible();
  const drawer = await intoTheList(page);
  await drawer.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('beginnings came in');
  await goLive(page);
  await expect(page.getByText('It begins by hand')).toBeVisible();
  expect(await rowsIn(file)).toEqual([]);

  // From Today: what is missing is told by the form, and each time counts.
  await page.goto(product.url);
  await page.getByRole('button', { name: 'Begin A kiln visit' }).click();
  const form = page.getByRole('dialog');
  await form.getByLabel('Customer').fill('Priya Nair');
  await form.getByLabel('Kind').selectOption('advice');
  await form.getByRole('button', { name: 'Begin', exact: true }).click();
  await expect.poll(() => rowsIn(file), { timeout: 120_000 }).toEqual([['Priya Nair', 'advice']]);
});

/** Drops a file on something, as from the desktop. */
async function dropOn(target: Locator, name: string, content: string): Promise<void> {
  const dataTransfer = await target.page().evaluateHandle(
    ([named, text]) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([text as string], named as string));
      return transfer;
    },
    [name, content],
  );
  await target.dispatchEvent('dragover', { dataTransfer });
  await target.dispatchEvent('drop', { dataTransfer });
}

test('files: one dropped is looked at first, a corrected one brings what changed, one in a folder is taken and put away', async ({
  page,
  empty: product,
}) => {
  const file = await officeFolder(product, ['Receipt no', 'Item', 'Amount']);
  const csv = (...rows: string[]): string => `${['Receipt no,Item,Amount', ...rows].join('\r\n')}\r\n`;
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: 'Start in another way' }).click();
  await page.getByRole('radio', { name: /^A file is dropped/ }).check();
  await page.getByLabel('What do the files hold?').fill('Sales of the stall');
  await page.getByRole('button', { name: 'Go on' }).click();

  // What can't be read is told before anything is taken.
  const area = page.getByRole('region', { name: 'Drop a file' });
  const looked = page.getByRole('dialog');
  await dropOn(area, 'stall.json', '[{"Receipt no":"S-1"},{"Rec');
  await expect(looked).toContainText('“stall.json” is no whole JSON: it may have been cut off.');
  await looked.getByRole('button', { name: 'Leave it' }).click();

  await dropOn(area, 'stall.csv', csv('S-1,Stoneware clay,"37,00"', 'S-2,"Glaze, celadon","18,50"'));
  await expect(looked).toContainText('2 rows in it');
  await looked.getByRole('button', { name: 'Use 2 new rows as samples' }).click();
  await expect(page.getByRole('region', { name: 'Files that came' })).toContainText('2 rows: 2 new');
  await expect(page.getByLabel('What recognises a record of a file')).toHaveValue('field /Receipt no');
  await expect(page.getByRole('tab', { name: '2 samples' })).toBeVisible();
  const drawer = await intoTheList(page);
  await drawer.getByRole('radio', { name: /^Keep them in step/ }).check();
  await drawer.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('rows came in');
  await goLive(page);
  expect(await rowsIn(file)).toEqual([]);

  // The corrected file: one row is mended, one comes, and of the two that were samples one is as it was.
  const corrected = csv('S-2,"Glaze, celadon","19,50"', 'S-1,Stoneware clay,"37,00"', 'S-3,=Kiln wash,"6,20"');
  await dropOn(area, 'stall.csv', corrected);
  await expect(looked).toContainText('1 as they were');
  await looked.getByRole('button', { name: 'Take in 1 new and 1 changed rows' }).click();
  const sorted = async (): Promise<string[][]> => (await rowsIn(file)).sort((one, two) => (one < two ? -1 : 1));
  const afterwards = [
    ['S-2', 'Glaze, celadon', '19,50'],
    ['S-3', '=Kiln wash', '6,20'],
  ];
  await expect.poll(sorted, { timeout: 120_000 }).toEqual(afterwards);
  await dropOn(area, 'stall (1).csv', corrected);
  await expect(looked).toContainText('It is a repeat: nothing in it is new.');
  await looked.getByRole('button', { name: 'Close' }).last().click();

  // From a folder: taken once, moved, and the server may be killed meanwhile.
  await page.getByRole('link', { name: 'Edit', exact: true }).click();
  await page.getByLabel('The folder that is watched').selectOption({ label: 'Office' });
  await page.getByLabel('What its files are called').fill('stall*.csv');
  await page.getByLabel('What its files are called').press('Tab');
  await page.getByLabel('What happens to a file afterwards').selectOption('moved');
  const folder = join(product.folder, 'office');
  writeFileSync(join(folder, 'stall tuesday.csv'), csv('S-4,Brush,"4,10"', 'S-3,=Kiln wash,"6,20"'));
  await page.getByRole('button', { name: 'Look there now' }).click();
  await expect(page.getByText('1 file taken.')).toBeVisible();
  await product.restart();
  await expect.poll(sorted, { timeout: 120_000 }).toEqual([...afterwards, ['S-4', 'Brush', '4,10']]);
  expect(readdirSync(join(folder, 'Done'))).toEqual(['stall tuesday.csv']);
});

test('an app is asked to tell: what it tells of is fetched, and a person sends records that were known', async ({
  page,
  empty: product,
}) => {
  await putWorkbook(product);
  const connected = async (app: string, address: string, key: string | undefined): Promise<string> =>
    (await ask<{ id: string }>(product, 'POST', '/api/connections', { app, name: app, settings: { address }, key })).id;
  const shop = await connected('shop_counter', `${product.shop}/api`, shopKeys[1]?.key);
  const shelf = await connected('workbook_shelf', `${product.shelf}/api`, shelfAccounts[0]?.token);
  await page.goto(product.url);
  await addCustomer(page, product, { 'First name': 'Old', 'Last name': 'Hand', 'E-mail': 'old@clay.example' });
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: shop, path: ['customers'], labels: ['customers'] },
    to: { connection: shelf, path: ['Customer list.xlsx', 'Customers'], labels: ['Customer list.xlsx', 'Customers'] },
    kind: 'each_new',
  });
  await page.goto(`${product.url}/workflows/${id}`);
  await page.getByLabel('When it is checked').selectOption('event');
  await page.getByRole('button', { name: 'Register it in shop_counter' }).click();
  await expect(page.getByLabel('The field of the event with the record’s id')).toHaveValue('/record/id');
  await expect(page.getByRole('region', { name: 'Brief' })).toContainText(
    'as soon as an event tells of it and once a day',
  );
  await addCustomer(page, product, { 'First name': 'Early', 'Last name': 'Bird', 'E-mail': 'early@clay.example' });
  await expect(page.getByRole('region', { name: 'Events that came' })).toContainText('1 event came');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  const mails = async (): Promise<string[]> => {
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(join(product.folder, 'practice', 'shelf', 'files', 'Customer list.xlsx'));
    const sheet = book.getWorksheet('Customers');
    return (sheet?.getRows(2, Math.max(0, (sheet.rowCount ?? 1) - 1)) ?? []).map((row) => row.getCell(3).text).sort();
  };
  await expect(page.getByText('Next check', { exact: false })).toBeVisible();
  expect(await mails()).toEqual([]);
  await addCustomer(page, product, { 'First name': 'New', 'Last name': 'Comer', 'E-mail': 'new@clay.example' });
  await expect.poll(mails, { timeout: 120_000 }).toEqual(['new@clay.example']);

  await page.getByRole('button', { name: 'With these records…' }).click();
  const drawer = page.getByRole('dialog');
  await expect(drawer.getByRole('listitem').filter({ hasText: 'New Comer' })).toContainText('taken in before');
  await drawer.getByLabel('Search the customers').fill('old@');
  await drawer.getByRole('checkbox', { name: /Old Hand/ }).check();
  await drawer.getByLabel('Search the customers').fill('new@');
  await drawer.getByRole('checkbox', { name: /New Comer/ }).check();
  await expect(drawer).toContainText('Chosen besides: Old Hand');
  await drawer.getByRole('button', { name: 'Send 2 customers now' }).click();
  await expect.poll(mails, { timeout: 120_000 }).toEqual(['new@clay.example', 'old@clay.example']);
});

test('all forms of a page, also one that comes later; messages of a channel into rows', async ({
  page,
  empty: product,
}) => {
  const file = await officeFolder(product, ['Name', 'E-mail', 'About']);
  const connected = async (app: string, name: string, address: string, key: string | undefined): Promise<void> => {
    await ask(product, 'POST', '/api/connections', { app, name, settings: { address }, key });
  };
  const box = await page.context().newPage();
  const addPage = async (title: string): Promise<void> => {
    await box.goto(product.enquiry);
    await box.getByLabel('Another page').fill(title);
    await send(box.getByRole('button', { name: 'Add page' }));
  };
  const addForm = async (at: string, title: string): Promise<void> => {
    await box.goto(product.enquiry);
    await box.getByLabel(`Another form on “${at}”`).fill(title);
    const form = box.locator('form').filter({ hasText: `Another form on “${at}”` });
    await send(form.getByRole('button'));
  };
  const fillIn = async (form: string, name: string): Promise<void> => {
    await box.goto(`${product.enquiry}/forms/${form}`);
    await box.getByLabel('Name').fill(name);
    await box.getByLabel('E-mail').fill(`${name.toLowerCase()}@clay.example`);
    await box.getByLabel('Message').fill('About kilns');
    await send(box.getByRole('button', { name: 'Send' }));
    await expect(box.getByRole('heading', { name: /^Submission \d+/ })).toBeVisible();
  };
  await addPage('Kilns');
  await addForm('Kilns', 'Kiln enquiry');
  await fillIn('kiln-enquiry', 'Early');
  await connected('enquiry_box', 'Enquiry box', `${product.enquiry}/api`, enquiryKeys[1]?.key);

  // A new page is told, and why it can't be seen.
  await page.goto(`${product.url}/workflows/new`);
  await page
    .getByLabel('From which app')
    .getByRole('button', { name: /^Enquiry box/ })
    .click();
  const kilns = page.getByRole('button', { name: /^Kilns/ });
  await expect(kilns).toContainText('not allowed yet');
  await kilns.click();
  await expect(page.getByText(/newer than the leave that was given/)).toBeVisible();
  await box.goto(`${product.enquiry}/practice`);
  await send(box.getByRole('button', { name: 'Allow all pages' }));

  const from = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  const of = (app: string): string => from.find((one) => one.app === app)?.id ?? '';
  const to = {
    connection: of('folder'),
    path: ['Enquiries.xlsx', 'Enquiries'],
    labels: ['Enquiries.xlsx', 'Enquiries'],
  };
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: of('enquiry_box'), path: ['kilns', 'kiln-enquiry'], labels: ['Kilns', 'Kiln enquiry'] },
    to,
    kind: 'each_new',
  });
  await page.goto(`${product.url}/workflows/${id}?sentence=start`);
  await page.getByRole('button', { name: 'More settings' }).click();
  await page.getByLabel('Which places').selectOption('all');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('Next check', { exact: false })).toBeVisible();
  await fillIn('kiln-enquiry', 'First');
  await addForm('Kilns', 'Repair request');
  await fillIn('repair-request', 'Second');
  await page.getByRole('button', { name: 'Check now' }).click();
  const names = async (): Promise<(string | undefined)[]> => (await rowsIn(file)).map(([name]) => name).sort();
  await expect.poll(names, { timeout: 120_000 }).toEqual(['First', 'Second']);

  // Messages, told by events.
  await box.goto(product.notice);
  await box.getByLabel('Another channel').fill('Stock');
  await send(box.getByRole('button', { name: 'Add channel' }));
  await connected('notice_board', 'Notice board', `${product.notice}/api`, noticeKeys[0]?.key);
  const board = (await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections')).find(
    ({ app }) => app === 'notice_board',
  );
  const messages = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: board?.id, path: ['stock', 'messages'], labels: ['Stock', 'messages'] },
    to,
    kind: 'each_new',
  });
  await page.goto(`${product.url}/workflows/${messages.id}?sentence=start`);
  await page.getByLabel('When it is checked').selectOption('event');
  await page.getByRole('button', { name: 'Register it in Notice board' }).click();
  await expect(page.getByLabel('The field of the event with the record’s id')).toHaveValue('/message/id');
  await page.goto(`${product.url}/workflows/${messages.id}?sentence=write-1`);
  await fillField(page, 'Name', 'author');
  await fillField(page, 'About', 'text');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('Next check', { exact: false })).toBeVisible();
  await box.goto(`${product.notice}/channels/stock`);
  await box.getByLabel('From').fill('Anneke');
  await box.getByLabel('Message').fill('Celadon: 4 left');
  await send(box.getByRole('button', { name: 'Post message' }));
  await expect.poll(names, { timeout: 120_000 }).toEqual(['Anneke', 'First', 'Second']);
});

test('what our own workflow writes starts nothing and is counted; what a person types there does', async ({
  page,
  empty: product,
}) => {
  const file = await officeFolder(product, ['Name', 'E-mail', 'About']);
  await putWorkbook(product);
  const connect = (app: string, name: string, address: string, key: string | undefined): Promise<{ id: string }> =>
    ask(product, 'POST', '/api/connections', { app, name, settings: { address }, key });
  const shop = await connect('shop_counter', 'Shop counter', `${product.shop}/api`, shopKeys[0]?.key);
  const shelf = await connect('workbook_shelf', 'Workbook shelf', `${product.shelf}/api`, shelfAccounts[0]?.token);
  const office = (await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections')).find(
    ({ app }) => app === 'folder',
  );
  const list = {
    connection: shelf.id,
    path: ['Customer list.xlsx', 'Customers'],
    labels: ['Customer list', 'Customers'],
  };
  const draft = async (from: object, to: object): Promise<string> =>
    (await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', { from, to, kind: 'each_new' })).id;
  await addCustomer(page, product, { 'First name': 'Priya', 'Last name': 'Nair', 'E-mail': 'priya@clay.example' });
  const writer = await draft({ connection: shop.id, path: ['customers'], labels: ['customers'] }, list);
  await makeLive(product, writer);
  const type = async (row: number, number: string, name: string): Promise<void> => {
    await product.edit('Customer list.xlsx', 'Customers', { kind: 'add_row' });
    for (const [column, value] of [number, name].entries())
      await product.edit('Customer list.xlsx', 'Customers', { kind: 'cell', row, column, value });
  };
  await type(0, '7', 'Typed before');
  const reader = await draft(list, {
    connection: office?.id,
    path: ['Enquiries.xlsx', 'Enquiries'],
    labels: ['Enquiries.xlsx', 'Enquiries'],
  });
  await page.goto(`${product.url}/workflows/${reader}?sentence=start`);
  await page.getByRole('button', { name: 'More settings' }).click();
  await expect(page.getByLabel('What our workflows write there')).toHaveValue('noted');
  await choose(page, 'The field that identifies a record', 'Number');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await makeLive(product, reader);

  await addCustomer(page, product, { 'First name': 'Tamsin', 'Last name': 'Hale', 'E-mail': 'tamsin@clay.example' });
  const check = async (id: string): Promise<void> => {
    await page.goto(`${product.url}/workflows/${id}/runs`);
    const runs = page.getByRole('row', { name: /by hand/ });
    // Counted once the list is there: going live has put its first run in it.
    await expect(page.getByRole('row', { name: /first run/ })).toBeVisible();
    const before = await runs.count();
    await page.getByRole('button', { name: 'Check now' }).click();
    await expect(runs).toHaveCount(before + 1);
    await expect(page.getByText(/on its way|under way/)).toHaveCount(0);
  };
  await check(writer);
  await check(reader);
  const run = page.getByRole('row', { name: /1 our own/ });
  await expect(run).toBeVisible();
  expect(await rowsIn(file)).toEqual([]);
  await run.getByRole('link').click();
  await expect(page.getByLabel('Balance')).toContainText(/already known, 1 our own/);

  await type(2, '8', 'Typed after');
  await check(reader);
  await expect.poll(async () => (await rowsIn(file)).map(([name]) => name)).toEqual(['Typed after']);
});
