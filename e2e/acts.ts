import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Locator, Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { expect, type Product } from './product.ts';

// What people do again and again in the tests.

/** A hand that counts: every click, every typed value and every key is one interaction. */
export class Hand {
  count = 0;
  async click(target: Locator): Promise<void> {
    this.count += 1;
    await target.click();
  }
  async type(target: Locator, text: string): Promise<void> {
    this.count += 1;
    await target.fill(text);
  }
  async select(target: Locator, value: string): Promise<void> {
    this.count += 1;
    await target.selectOption(value);
  }
  async give(target: Locator, file: { readonly name: string; readonly content: Buffer }): Promise<void> {
    this.count += 1;
    await target.setInputFiles({ name: file.name, mimeType: 'application/octet-stream', buffer: file.content });
  }
}

/**
 * Closes the dialog or drawer that is open, by key. Where a hint shows, the key puts that away first (WCAG 2.2, 1.4.13):
 * after a click whatever moved under the pointer can have one, so it is pressed once more then.
 */
export async function putAway(page: Page): Promise<void> {
  await expect(async () => {
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toBeHidden({ timeout: 3000 });
  }).toPass({ timeout: 90_000 });
}

/** Takes the record of an open drawer back, once it was said what that does. */
export async function takeItBack(drawer: Locator): Promise<void> {
  await drawer.getByRole('button', { name: 'Take it back…' }).click();
  const dialog = drawer.page().getByRole('dialog', { name: /^Take “/ });
  await dialog.getByRole('button', { name: 'Take it back', exact: true }).click();
  await expect(dialog).toBeHidden();
}

/** One question to the product's own interface. */
export async function ask<T>(product: Product, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(`${product.url}${path}`, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`);
  return answer.json() as Promise<T>;
}

/** The id of the workflow of that name. */
export async function workflowCalled(product: Product, name: string): Promise<string> {
  const rows = await ask<{ id: string; name: string }[]>(product, 'GET', '/api/workflows');
  return rows.find((one) => one.name === name)?.id ?? '';
}

/**
 * Switches off what looks by itself every few minutes, so that whatever is written meanwhile was written
 * by what a test does. Gives back how to switch it on again.
 */
export async function quieten(product: Product, except = ''): Promise<() => Promise<void>> {
  const rows = await ask<{ id: string; isOn: boolean }[]>(product, 'GET', '/api/workflows');
  const on = rows.filter(({ isOn }) => isOn);
  for (const { id } of on) await ask(product, 'POST', `/api/workflows/${id}/off`);
  for (const { id } of on)
    await expect
      .poll(async () =>
        (await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`)).some(({ state }) =>
          ['listing', 'working'].includes(state),
        ),
      )
      .toBe(false);
  return async () => {
    for (const { id } of on) if (id !== except) await ask(product, 'POST', `/api/workflows/${id}/on`);
  };
}

/** Makes a draft live as a person may: its suggestions accepted, rehearsed as it is. */
export async function makeLive(product: Product, id: string): Promise<void> {
  const { content, rev } = await ask<{ content: { steps: { suggested?: unknown }[] }; rev: number }>(
    product,
    'GET',
    `/api/workflows/${id}`,
  );
  const steps = content.steps.map(({ suggested: _marks, ...step }) => step);
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: { ...content, steps } });
  await ask(product, 'POST', `/api/workflows/${id}/rehearsal`, { scope: 'samples' });
  await expect
    .poll(async () => (await ask<{ state: string }>(product, 'GET', `/api/workflows/${id}/rehearsal`)).state)
    .toBe('done');
  await ask(product, 'POST', `/api/workflows/${id}/live`);
  // Its first look has ended before anything else comes: else it would take in a part of that.
  await expect
    .poll(async () =>
      (await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`)).some(({ state }) =>
        ['listing', 'working'].includes(state),
      ),
    )
    .toBe(false);
}

/** In the dialog that makes a draft live: rehearses it first where it wasn't, accepts what is suggested for money and ids. */
export async function goLive(page: Page): Promise<void> {
  const dialog = page.getByRole('dialog');
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const rehearse = dialog.getByRole('button', { name: 'Rehearse it first' });
  const makes = dialog.getByRole('button', { name: /^Make it live/ });
  await expect(rehearse.or(makes)).toBeVisible();
  if (await rehearse.isVisible()) {
    await rehearse.click();
    await expect(page.getByText(/nothing was written/)).toBeVisible({ timeout: 60_000 });
    await page.getByRole('button', { name: 'Make it live…' }).click();
  }
  await expect(makes).toBeVisible();
  const accept = dialog.getByRole('button', { name: /^Accept (it|these)/ });
  if (await accept.isVisible()) await accept.click();
  await makes.click();
}

/** Opens an empty product: three doors, and a zone and a country taken from the browser. */
export async function beginWorkspace(page: Page, product: Product): Promise<void> {
  await page.goto(product.url);
  await expect(page.getByRole('heading', { name: 'Nothing is copied yet.' })).toBeVisible();
  await expect.poll(async () => (await ask<{ isSetUp: boolean }>(product, 'GET', '/api/settings')).isSetUp).toBe(true);
}

/** Chooses by its label from a list that is searched, within the page or a part of it. */
export async function choose(page: Page, label: string, option: string | RegExp, within: Locator | Page = page) {
  await within.getByRole('combobox', { name: label, exact: true }).click();
  await page.getByRole('option', { name: option }).click();
}

/** An empty draft, as somebody begins who wants to write it sentence by sentence. */
export async function emptyDraft(page: Page): Promise<void> {
  await page.goto(new URL('/workflows/new', page.url()).href);
  await page.getByRole('button', { name: 'Start with an empty draft' }).click();
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
}

const columns = ['Number', 'Name', 'E-mail', 'Phone'];

/** Puts the customer list, empty but for its column names, onto the shelf. */
export async function putWorkbook(product: Product): Promise<void> {
  const book = new ExcelJS.Workbook();
  book.addWorksheet('Customers').addRow(columns);
  writeFileSync(
    join(product.folder, 'practice', 'shelf', 'files', 'Customer list.xlsx'),
    Buffer.from(await book.xlsx.writeBuffer()),
  );
}

/**
 * Presses the button of a form on a practice app's own screen, and waits until the app has saved it and the page
 * that it leads to stands: what comes next never overtakes it, and no page is closed while it is being loaded.
 */
export async function send(button: Locator): Promise<void> {
  const page = button.page();
  const led = page.waitForResponse((answer) => answer.request().redirectedFrom() !== null);
  await button.click();
  await (await led).finished();
  await page.waitForLoadState();
}

/** Adds a customer on the shop's own screen, as the person at the counter does. */
export async function addCustomer(page: Page, product: Product, given: Record<string, string>): Promise<void> {
  const counter = await page.context().newPage();
  await counter.goto(`${product.shop}/customers/new`);
  for (const [label, value] of Object.entries(given)) await counter.getByLabel(label).fill(value);
  await send(counter.getByRole('button', { name: 'Save customer' }));
  await expect(counter.getByRole('heading', { name: /Customer \d+/ })).toBeVisible();
  await counter.close();
}

/** Signs in to an app in the drawer that lists the apps. */
export async function connect(page: Page, app: string, secret: string): Promise<void> {
  await page
    .getByRole('dialog')
    .getByRole('button', { name: new RegExp(`^${app}`) })
    .click();
  await page.getByLabel(/^(Access key|Token)$/).fill(secret);
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
}

/** Fills a destination field with a source field, by search. */
export async function fillField(page: Page, destination: string, source: string): Promise<void> {
  await page.getByRole('button', { name: `Fill ${destination}:` }).click();
  await page.getByLabel('Search the fields').fill(source);
  await page.getByLabel('Search the fields').press('Enter');
}

/** The drawer in which an app is connected, opened from the connections. */
export async function connectDrawer(page: Page, product: Product): Promise<Locator> {
  await page.goto(`${product.url}/connections`);
  await page
    .getByRole('button', { name: /^Connect/ })
    .first()
    .click();
  return page.getByRole('dialog');
}

/** The rows of a workbook's tab below its first, as texts. */
export async function rowsIn(file: string, tab = 'Enquiries'): Promise<string[][]> {
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(file);
  const sheet = book.getWorksheet(tab);
  return (sheet?.getRows(2, Math.max(0, (sheet.rowCount ?? 1) - 1)) ?? []).map((row) =>
    (row.values as unknown[]).slice(1).map((value) => String(value ?? '')),
  );
}

/** A copy between two places as it is proposed: accepted, rehearsed and made live on screen; gives its workflow. */
export async function copyLive(
  page: Page,
  product: Product,
  choices: { readonly from: object; readonly to: object; readonly kind: string },
): Promise<string> {
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', choices);
  await page.goto(`${product.url}/workflows/${id}?sentence=write-1`);
  await page.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await page.getByRole('button', { name: 'Make it live…' }).click();
  // How many are taken in stands on it as soon as they are counted.
  await page.getByRole('button', { name: /^Make it live( and take in [\d,]+)?$/ }).click();
  await expect(page.getByText('first run, version 1')).toBeVisible();
  return id;
}

/** The shop's customers copied into the Ledger's trade company, made live on screen; gives the workflow. */
export async function customersIntoTrade(page: Page, product: Product, kind: string): Promise<string> {
  return copyLive(page, product, {
    from: { connection: await connectionOf(product, 'shop_counter'), path: ['customers'], labels: ['Customers'] },
    to: {
      connection: await connectionOf(product, 'ledger'),
      path: ['trade', 'customers'],
      labels: ['Trade', 'Customers'],
    },
    kind,
  });
}

/** Looks at what undoing a run would do, and waits until all of it was looked at. */
export async function lookAtUndo(product: Product, run: string): Promise<void> {
  const { id } = await ask<{ id: string }>(product, 'POST', `/api/runs/${run}/undo`);
  const stateOf = async () => (await ask<{ state: string }>(product, 'GET', `/api/undos/${id}`)).state;
  await expect.poll(stateOf, { timeout: 90_000 }).toBe('looked');
}

/** The connection of an app, by its id. */
export async function connectionOf(product: Product, app: string): Promise<string> {
  const all = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  return all.find((one) => one.app === app)?.id ?? '';
}

/** Compares what a workflow should have brought there with what is there; gives the comparison, once it has ended. */
export async function compare(product: Product, workflow: string): Promise<string> {
  const proposed = await ask<object>(product, 'POST', '/api/reconciles/propose', { kind: 'workflow', workflow });
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/reconciles', proposed);
  const stateOf = async () => (await ask<{ state: string }>(product, 'GET', `/api/reconciles/${id}`)).state;
  await expect.poll(stateOf, { timeout: 90_000 }).toBe('done');
  return id;
}

/** What somebody does to a customer on the Ledger's own screens. */
export async function byHand(product: Product, id: string, form: Readonly<Record<string, string>>): Promise<void> {
  const answer = await fetch(`${product.ledger}/trade/customers/${id}`, {
    method: 'POST',
    redirect: 'manual',
    body: new URLSearchParams(form),
  });
  expect(answer.status).toBe(302);
}

/** The Ledger's trade customers as its own screens list them: number and e-mail, the oldest first. */
export async function trade(product: Product): Promise<{ id: string; mail: string; telephone: string }[]> {
  const all: { id: string; mail: string; telephone: string }[] = [];
  for (let at = 0; ; at += 50) {
    const html = await (await fetch(`${product.ledger}/trade/customers?at=${at}`)).text();
    const rows = [
      ...html.matchAll(/<tr><td>(\d+)<\/td><td><a[^>]*>[^<]*<\/a><\/td><td>([^<]*)<\/td><td>([^<]*)<\/td>/g),
    ];
    all.push(...rows.map(([, id = '', mail = '', telephone = '']) => ({ id, mail: mail.toLowerCase(), telephone })));
    if (rows.length < 50) return all.reverse();
  }
}
