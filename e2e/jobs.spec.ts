import { join } from 'node:path';
import type { Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { messyCsv, messyNames, messyPeople, messyRows } from '../demo/src/messy-list.ts';
import { cardKeys } from '../standins/src/index.ts';
import { ask, choose, fillField, goLive, Hand, putAway, quieten, send } from './acts.ts';
import { expect, type Product, test } from './product.ts';

// Whole jobs as somebody does them who hasn't seen the product before, their interactions counted; judged by
// what stands in the apps afterwards.

interface Card {
  readonly id: string;
  readonly attributes: Readonly<Record<string, string | boolean | null>>;
  readonly relationships: Readonly<Record<string, { readonly data: { readonly id: string } | null }>>;
}

const cardKey = cardKeys.find((one) => one.mayWrite)?.key ?? '';

/** All cards of a type, as the Card index itself gives them. */
async function cardsOf(product: Product, type: string): Promise<Card[]> {
  const all: Card[] = [];
  let next: string | null = `${product.cards}/api/${type}?page[size]=100`;
  while (next) {
    const answer = await fetch(new URL(next, product.cards), { headers: { authorization: `Bearer ${cardKey}` } });
    const page = (await answer.json()) as { data: Card[]; links: { next: string | null } };
    all.push(...page.data);
    next = page.links.next;
  }
  return all;
}

test('a messy list of sixty rows becomes people with their firms in the Card index, without a formula', async ({
  page,
  empty: product,
}) => {
  const hand = new Hand();
  await page.goto(product.url);
  await hand.give(page.getByLabel('A list', { exact: true }), { name: 'Kundenliste.csv', content: messyCsv() });
  await hand.click(page.getByRole('button', { name: 'Choose where to' }));
  const drawer = page.getByRole('dialog', { name: 'Where do these records go?' });
  await hand.click(drawer.getByRole('button', { name: /^Card index/ }));
  await hand.type(page.getByLabel('Access key'), cardKey);
  await hand.click(page.getByRole('button', { name: 'Connect', exact: true }));
  await hand.click(drawer.getByRole('button', { name: /^people/ }));
  await hand.click(page.getByRole('button', { name: 'Make the draft' }));

  // The firms aren't there yet: the lookup makes them.
  await expect(page.getByLabel('Mapping sheet').getByText('Dieter', { exact: true }).first()).toBeVisible();
  const brief = page.getByRole('region', { name: 'Brief' });
  await hand.click(brief.getByRole('button', { name: /Find the company/ }));
  await hand.select(page.getByLabel('If there is none'), 'create');
  await hand.click(brief.getByRole('button', { name: /Create or update the person/ }));
  await hand.click(page.getByRole('button', { name: /^Accept \d+ suggested/ }));

  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  await hand.click(page.getByRole('button', { name: 'all', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText('All 60 accounted for');
  await hand.click(page.getByRole('button', { name: 'Make it live…' }));
  await hand.click(page.getByRole('dialog').getByRole('button', { name: /^Make it live/ }));
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await expect.poll(async () => (await cardsOf(product, 'people')).length).toBe(messyPeople);
  expect(hand.count).toBeLessThanOrEqual(60);

  // Every person once, by their true name, with their number in one form, their firm and their latest no.
  await expect
    .poll(async () => {
      const rows = await ask<{ id: string }[]>(product, 'GET', '/api/workflows');
      const [run] = await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${rows[0]?.id}/runs`);
      return run?.state;
    })
    .toBe('done');
  const people = await cardsOf(product, 'people');
  const firms = new Map((await cardsOf(product, 'companies')).map(({ id, attributes }) => [id, attributes['name']]));
  const rows = messyRows();
  expect([...firms.values()].sort()).toEqual([...new Set(rows.map(({ Firma }) => Firma).filter(Boolean))].sort());
  for (const [number, { first, last }] of messyNames) {
    const row = rows.find((one) => one['Kd-Nr.'] === number);
    const again = rows.filter((one) => one.Ansprechpartner === row?.Ansprechpartner);
    const own = people.filter(
      ({ attributes }) => (attributes['firstName'] ?? '') === first && attributes['lastName'] === last,
    );
    expect([number, first, last, own.length]).toEqual([number, first, last, 1]);
    const { attributes, relationships } = own[0] as Card;
    expect(attributes['email'] ?? '').toBe(row?.['E-Mail'].toLowerCase());
    expect(attributes['street']).toBe(row?.Straße);
    expect(attributes['postcode']).toBe(row?.PLZ);
    if (row?.Telefon) expect(attributes['phone']).toMatch(/^\+49 ?30 ?23125 ?\d{3}$/);
    expect(attributes['mayBeMailed']).toBe(again.every(({ Newsletter }) => Newsletter === 'ja'));
    expect(firms.get(relationships['company']?.data?.id ?? '') ?? '').toBe(row?.Firma);
  }
});

/** From Today, three choices on the page for a new workflow: an app and a place on either side. */
async function choosePlaces(
  page: Page,
  product: Product,
  hand: Hand,
  from: readonly (string | RegExp)[],
  to: readonly (string | RegExp)[],
): Promise<void> {
  await page.goto(product.url);
  await hand.click(page.getByRole('button', { name: 'New workflow' }).first());
  for (const [side, [app = '', ...places]] of [
    ['From', from],
    ['To', to],
  ] as const) {
    const region = page.getByRole('region', { name: side, exact: true });
    await hand.click(region.getByRole('button', { name: app }).first());
    for (const place of places) await hand.click(region.getByLabel('Places').getByRole('button', { name: place }));
  }
  await hand.click(page.getByRole('button', { name: 'Make the draft' }));
}

test('a text message for an order: its parts counted before, one tried on one’s own phone', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/workflows/new`);
  const from = page.getByRole('region', { name: 'From', exact: true });
  const to = page.getByRole('region', { name: 'To', exact: true });
  await from.getByRole('button', { name: /Shop counter/ }).click();
  await from.getByRole('button', { name: /^orders/ }).click();
  await to.getByRole('button', { name: /Pocket messages/ }).click();
  await to.getByRole('button', { name: /^text messages/ }).click();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  const sheet = page.getByRole('region', { name: 'Worksheet' });
  await sheet.getByLabel('What it is for').selectOption('service');
  await sheet.getByRole('button', { name: 'Fill text:' }).click();
  await sheet.getByRole('button', { name: 'text with fields' }).click();
  const letter = sheet.locator('[data-filling-editor] [contenteditable=true]');
  await letter.fill(`Your order {number} is packed: ${'come and fetch it. '.repeat(8)}`);
  await expect(sheet.getByText(/samples? in 2 parts/)).toBeVisible();
  await letter.fill('Your order {number} is packed.');
  await expect(sheet.getByText(/samples in 1 part\. Each part costs/)).toBeVisible();
  await page
    .getByRole('button', { name: /^Accept/ })
    .first()
    .click();

  await page.getByRole('button', { name: 'Send one for real' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('My telephone number').fill('+441632960999');
  const samples = dialog.getByRole('listitem').filter({ has: page.getByRole('radio') });
  await samples.filter({ hasText: /new$/ }).first().getByRole('radio').click();
  await dialog.getByRole('button', { name: 'Send this one' }).click();
  await expect.poll(async () => (await (await fetch(product.pocket)).text()).includes('is packed.')).toBe(true);
  // Nobody else has got anything.
  await page.goto(product.pocket);
  await expect(
    page.getByRole('row', { name: /\+441632960999.*For \+\d+: Your order S-\d+ is packed\./ }),
  ).toBeVisible();
  await expect(page.getByRole('row')).toHaveCount(2);
});

test('orders to invoices: three choices, then a rehearsal that the Ledger’s own rules agree with', async ({
  page,
  demo: product,
}) => {
  const hand = new Hand();
  const before = await product.writes('ledger');
  await choosePlaces(page, product, hand, [/^Shop counter/, /^orders/], [/^Ledger/, /retail/, /^invoices/]);
  const brief = page.getByRole('region', { name: 'Brief' });
  await expect(brief).toContainText(/the status of an order becomes “paid”/);
  // Who isn't in the books yet is added there.
  await hand.click(brief.getByRole('button', { name: /Find the customer/ }));
  await hand.select(page.getByLabel('If there is none'), 'create');
  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText('All 50 accounted for');
  expect(hand.count).toBeLessThanOrEqual(25);
  expect(await product.writes('ledger')).toBe(before);

  // One is really sent: the Ledger checks its totals by EN 16931 (BR-CO-10 to BR-CO-17) and takes it.
  await page.getByRole('link', { name: 'Edit', exact: true }).click();
  await page.getByRole('button', { name: 'Send one for real' }).click();
  const dialog = page.getByRole('dialog');
  // Each sample says what it would become, before one is chosen.
  const samples = dialog.getByRole('listitem').filter({ has: page.getByRole('radio') });
  const fresh = samples.filter({ hasText: /new$/ }).first();
  const one = samples.filter({ hasText: /S-\d{5}/.exec(await fresh.innerText())?.[0] ?? '' });
  await one.getByRole('radio').click();
  await expect(one).toContainText('total with tax');
  const number = /S-\d{5}/.exec(await one.innerText())?.[0] ?? '';
  await dialog.getByRole('button', { name: 'Send this one' }).click();
  await expect(dialog.getByText(/read back (as sent|altered)/).first()).toBeVisible();
  await page.goto(`${product.ledger}/retail/invoices`);
  await expect(page.getByText(number, { exact: true })).toBeVisible();
});

test('an invoice becomes an order card with its firm and its person, looked up from three choices', async ({
  page,
  demo: product,
}) => {
  const hand = new Hand();
  await choosePlaces(page, product, hand, [/^Ledger/, /trade/, /^invoices/], [/^Card index/, /^deals/]);
  // The one thing that the invoice can't say: on which stage a deal is that has been invoiced.
  await hand.click(page.getByRole('button', { name: 'Fill stage:' }));
  await hand.click(page.getByRole('button', { name: 'a choice', exact: true }));
  await hand.select(page.getByLabel('The choice'), 'won');
  await hand.click(page.getByRole('button', { name: /^Accept \d+ suggested/ }));
  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText(/[1-9]\d*delivered/);
  expect(hand.count).toBeLessThanOrEqual(25);
  // The customer is fetched by the invoice's id, the firm found however its legal form is written.
  const row = page.getByRole('row').filter({ hasText: 'Ember Ceramics Limited' }).first();
  await expect(row).toContainText('Ember Ceramics Ltd');
  await expect(row).toContainText('new');
});

test('a new customer of the Ledger arrives on a list whose missing column is added on the way', async ({
  page,
  demo: product,
}) => {
  const hand = new Hand();
  await choosePlaces(
    page,
    product,
    hand,
    [/^Ledger/, /trade/, /^customers/],
    [/^Workbook shelf/, 'Customer list.xlsx', /^Trade accounts/],
  );
  await hand.click(page.getByRole('button', { name: 'Place', exact: true }));
  await hand.click(page.getByRole('menuitem', { name: 'Add a column' }));
  await hand.type(page.getByLabel('Name of the column'), 'Telephone');
  await hand.click(page.getByRole('button', { name: 'Add it', exact: true }));
  // The head of the sheet can still grow by what is proposed for the new column, which moves the row under the pointer.
  const search = page.getByLabel('Search the fields');
  await expect(async () => {
    await page.getByRole('button', { name: 'Fill Telephone:' }).click();
    await expect(search).toBeVisible({ timeout: 3000 });
  }).toPass();
  hand.count += 1;
  await hand.type(search, 'telephone');
  hand.count += 1;
  await page.getByLabel('Search the fields').press('Enter');
  await expect(page.getByRole('button', { name: 'Fill Telephone:' })).toContainText('telephone');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await expect(page.getByText(/has new fields|has changed/)).toHaveCount(0);
  await hand.click(page.getByRole('button', { name: /^Accept \d+ suggested/ }));
  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  await hand.click(page.getByRole('button', { name: 'Make it live…' }));
  await hand.click(page.getByRole('dialog').getByRole('button', { name: /^Make it live/ }));
  await expect(page.getByText('first run, version 1')).toBeVisible();
  expect(hand.count).toBeLessThanOrEqual(25);

  const listed = async () => {
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(join(product.folder, 'practice', 'shelf', 'files', 'Customer list.xlsx'));
    const rows: string[] = [];
    book.getWorksheet('Trade accounts')?.eachRow((row) => rows.push((row.values as unknown[]).join('|')));
    return rows;
  };
  const before = await listed();
  // Somebody new comes in on the Ledger's own screen, and stands on the list with the new column filled.
  const counter = await page.context().newPage();
  await counter.goto(`${product.ledger}/trade/customers/new`);
  await counter.getByLabel('Name').fill('Gannet Glazes Ltd');
  await counter.getByLabel('E-mail').fill('Office@Gannet.example');
  await counter.getByLabel('Telephone').fill('01632 960 318');
  await send(counter.getByRole('button', { name: 'Save customer' }));
  await page.getByRole('button', { name: 'Check now' }).click();
  // Those from before were there already; only who came after it went live is written.
  await expect.poll(async () => (await listed()).length).toBe(before.length + 1);
  const [heads, ...rows] = await listed();
  expect(heads).toMatch(/\|Telephone$/);
  expect(rows.at(-1)).toMatch(/\|Gannet Glazes Ltd\|.*office@gannet\.example\|.*01632 960 318$/);
  await counter.close();
});

test('an order that is cancelled after it was invoiced is told, with its invoice beside it', async ({
  page,
  demo: product,
}) => {
  const hand = new Hand();
  const on = await quieten(product);
  await choosePlaces(page, product, hand, [/^Shop counter/, /^orders/], [/^Ledger/, /retail/, /^invoices/]);
  await expect(page.getByLabel('Mapping sheet')).toBeVisible();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByText(/nothing was written/)).toBeVisible({ timeout: 60_000 });
  // One is sent, so that it is in the books.
  await page.getByRole('button', { name: 'Send one for real' }).click();
  const drawer = page.getByRole('dialog');
  const samples = drawer.getByRole('listitem').filter({ has: page.getByRole('radio') });
  const number = /S-\d{5}/.exec(await samples.filter({ hasText: /new$/ }).first().innerText())?.[0] ?? '';
  await samples.filter({ hasText: number }).getByRole('radio').click();
  await drawer.getByRole('button', { name: 'Send this one' }).click();
  await expect(drawer.getByText(/read back (as sent|altered)/).first()).toBeVisible();
  await putAway(page);

  await page.getByRole('button', { name: 'Make it live…' }).click();
  const open = page.getByRole('region', { name: 'What it does not cover' }).getByRole('listitem');
  await expect(open.filter({ hasText: 'An order that is removed later' })).toBeVisible();
  const cancelled = open.filter({ hasText: 'becomes “cancelled” later' });
  await cancelled.getByRole('button', { name: 'Tell me' }).click();
  await expect(cancelled).toContainText('seen to by another workflow');
  const later = await cancelled.getByRole('link').getAttribute('href');

  // The customer changes their mind: on the shop's own screen the order is cancelled.
  const shop = await page.context().newPage();
  await shop.goto(`${product.shop}/orders`);
  await shop.getByRole('link', { name: number }).click();
  await shop.getByLabel('Status').selectOption('cancelled');
  await send(shop.getByRole('button', { name: /^Save/ }));
  await shop.close();
  await ask(product, 'POST', `/api${later}/check`);
  await page.goto(`${product.url}/needs-you`);
  const waits = page.getByRole('region', { name: 'What waits' });
  await waits.getByRole('button', { name: new RegExp(`${number}.*cancelled later`) }).click();
  const decision = page.getByRole('region', { name: 'The decision' });
  await expect(decision).toContainText('The order came to “cancelled” after this invoice was written');
  await expect(decision.getByRole('columnheader', { name: new RegExp(number) }).last()).toBeVisible();
  await ask(product, 'POST', `/api${later}/off`);
  await on();
});

test('a key that may only read is told where something is to be written, and changed there', async ({
  page,
  empty: product,
}) => {
  await page.goto(`${product.url}/workflows/new`);
  const to = page.getByRole('region', { name: 'To', exact: true });
  await to.getByRole('button', { name: /^Card index/ }).click();
  await page.getByLabel('Access key').fill(cardKeys.find((one) => !one.mayWrite)?.key ?? '');
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  await to
    .getByLabel('Places')
    .getByRole('button', { name: /^people/ })
    .click();
  const told = to.getByRole('button', { name: 'Its key may not write there…' });
  await told.click();
  const drawer = page.getByRole('dialog', { name: 'The right to write in Card index' });
  await expect(drawer).toContainText('may read, not write');
  await drawer.getByLabel('New access key').fill(cardKey);
  await drawer.getByRole('button', { name: 'Save and check' }).click();
  await expect(drawer).toContainText('may read and write');
  await putAway(page);
  await expect(told).toBeHidden();
  // What was chosen stands as it was.
  await expect(to).toContainText('0 people');
});

test('an enquiry by a form goes to four apps at once; one of them fails, is told alone, and gets it once it is well again', async ({
  page,
  demo: product,
}) => {
  const again = await quieten(product);
  const connections = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  const of = (app: string): string => connections.find((one) => one.app === app)?.id ?? '';
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: of('enquiry_box'), path: ['kilns', 'kiln-enquiry'], labels: ['Kilns', 'Kiln enquiry'] },
    to: { connection: of('card_index'), path: ['leads'], labels: ['leads'] },
    kind: 'each_new',
  });
  await page.goto(`${product.url}/workflows/${id}`);
  const brief = page.getByRole('region', { name: 'Brief' });
  const further = async (app: string, place: RegExp, within: readonly [string, RegExp] | undefined, how?: string) => {
    await brief.getByRole('button', { name: 'Add or update a record' }).last().click();
    await choose(page, 'To app', app);
    await choose(page, 'Place', place);
    if (within) await choose(page, within[0], within[1]);
    if (how) await page.getByLabel('How records are written').selectOption(how);
  };
  await further('Job board', /^Shop/, ['Place in shop', /^Front desk/], 'append a task each time');
  await fillField(page, 'title', 'name');
  await page.getByRole('button', { name: 'Fill column:' }).click();
  await page.getByRole('button', { name: 'a choice' }).click();
  await page.getByLabel('The choice').selectOption('To do');
  await further('Notice board', /^Front desk/, ['Place in front-desk', /^messages/], 'append a message each time');
  await fillField(page, 'author', 'name');
  await fillField(page, 'text', 'message');
  await further('Post room', /^Mails to send/, undefined);
  await page.getByLabel('What it is for').selectOption('service');
  await fillField(page, 'to', 'email');
  await fillField(page, 'subject', 'name');
  await page.getByRole('button', { name: /^Fill text:/ }).click();
  await page.getByRole('textbox', { name: 'Text of text' }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('Thank you, we have your message: {message}');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);

  // What comes while it still lists for the first time is noted as known.
  const states = async () =>
    (await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`)).map(({ state }) => state);
  await expect.poll(states).toEqual(['done']);

  // The board takes nothing just now; a visitor of the website fills in the form.
  await product.trouble('jobs', 'conflict', 1000);
  const box = await page.context().newPage();
  await box.goto(`${product.enquiry}/forms/kiln-enquiry`);
  await box.getByLabel('Name').fill('Maud Ferris');
  await box.getByLabel('E-mail').fill('abbey@bechtelar.example');
  await box.getByLabel('Message').fill('Which kiln fits a shed?');
  await send(box.getByRole('button', { name: 'Send' }));
  await box.close();
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  const at = async () => [
    (await cardsOf(product, 'leads')).filter(({ attributes }) => attributes['email'] === 'abbey@bechtelar.example')
      .length,
    [...(await text(`${product.jobs}/boards/front-desk`)).matchAll(/<strong>Maud Ferris<\/strong>/g)].length,
    [...(await text(`${product.notice}/channels/front-desk`)).matchAll(/Which kiln fits a shed\?/g)].length,
    [...(await text(`${product.post}/mailboxes/abbey@bechtelar.example/INBOX`)).matchAll(/Maud Ferris/g)].length,
  ];
  const text = async (url: string): Promise<string> => (await fetch(url)).text();
  await expect.poll(at).toEqual([1, 0, 1, 1]);
  await page.goto(`${product.url}/needs-you`);
  await page.getByRole('button', { name: /Maud Ferris.*Enquiry box/ }).click();
  await expect(page.getByRole('main')).toContainText('Job board');
  await expect(page.getByText('Done already, and not done again:')).toBeVisible();
  await page.screenshot({ path: test.info().outputPath('needs.png') });
  await product.trouble('jobs', 'conflict', 0);
  await page
    .getByRole('button', { name: /^(Try again|Retry)/ })
    .first()
    .click();
  await expect.poll(at).toEqual([1, 1, 1, 1]);
  await again();
});
