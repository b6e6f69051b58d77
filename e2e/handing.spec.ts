import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { ask, goLive, workflowCalled } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// One workflow hands over to another, built and used as a person does: judged by what stands in the apps afterwards.

interface RunRow {
  readonly id: string;
  readonly state: string;
  readonly balance: { readonly takenIn: number };
}

interface Draft {
  readonly rev: number;
  readonly content: { readonly start: object; readonly steps: { readonly mapping?: object; readonly key?: string }[] };
}

const runsOf = (product: Product, id: string): Promise<RunRow[]> => ask(product, 'GET', `/api/workflows/${id}/runs`);

/** The accounts that stand in the Key cabinet, as its own screen shows them. */
const accountsIn = async (product: Product): Promise<string> => (await fetch(`${product.cabinet}/`)).text();

/** How many entries stand on the website, hidden ones as well. */
const entriesIn = async (product: Product): Promise<number> =>
  ((await (await fetch(`${product.window}/`)).text()).match(/<tr id="e/g) ?? []).length;

const draftOf = (product: Product, id: string): Promise<Draft> => ask(product, 'GET', `/api/workflows/${id}`);

async function change(product: Product, id: string, edit: (content: Draft['content']) => object): Promise<void> {
  const { rev, content } = await draftOf(product, id);
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: edit(content) });
}

async function rehearsed(product: Product, id: string): Promise<void> {
  await ask(product, 'POST', `/api/workflows/${id}/rehearsal`, { scope: 'samples' });
  await expect
    .poll(async () => (await ask<{ state: string }>(product, 'GET', `/api/workflows/${id}/rehearsal`)).state)
    .toBe('done');
}

const brief = (page: Page) => page.getByRole('region', { name: 'Brief' });

test('what the demo hands over is counted on both sides, and each opens from the other', async ({
  page,
  demo: product,
}) => {
  const parent = await workflowCalled(product, 'New people get their accounts');
  const [run] = (await runsOf(product, parent)).filter(({ state }) => state === 'done').slice(-1);
  await page.goto(`${product.url}/workflows/${parent}/runs/${run?.id}`);
  await expect(page.getByRole('row', { name: /1 person handed over: 1 delivered/ })).toHaveCount(3);
  await page.getByRole('row', { name: /^Noor/ }).click();
  const story = page.getByRole('dialog');
  await expect(story.getByText('1 handed over to “Accounts for new people” = 1 taken in')).toBeVisible();
  await story.getByRole('link', { name: /noor/i }).click();
  await expect(page.getByRole('dialog').getByText('of “New people get their accounts”')).toBeVisible();
  await expect(page.getByRole('dialog').getByText('Handed over by')).toBeVisible();
  expect(await faultsOf(page, 'handing over', 'everything')).toEqual([]);
  const accounts = await accountsIn(product);
  for (const name of ['noor.vanderberg', 'lukasz.zak', 'ines.quayle']) expect(accounts).toContain(name);
  expect(accounts.match(/<td>not active yet</g)).toHaveLength(3);
});

test('a ready-made folder leads through its blanks: another workbook, time and group, then three rows become three accounts', async ({
  page,
  demo: product,
}) => {
  // Another office keeps its list elsewhere.
  const book = new ExcelJS.Workbook();
  book.addWorksheet('Starters').addRows([
    ['First name', 'Last name', 'E-mail', 'Department'],
    ['Mae', 'Lindqvist', 'mae.lindqvist@saltmarsh.example', 'Kilns'],
    ['  Jo ', 'Ó Briain', 'Jo.OBriain@saltmarsh.example', 'Kilns'],
    ['Ayo', 'Adeyemi', 'ayo.adeyemi@saltmarsh.example', ''],
  ]);
  await book.xlsx.writeFile(join(product.folder, 'practice', 'shelf', 'files', 'Kiln office.xlsx'));
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: /^New people/ }).click();
  const dialog = page.getByRole('dialog');
  const places = dialog.getByRole('region', { name: 'Places' });
  await expect(places.getByText('is there', { exact: true })).toHaveCount(4);
  await places
    .getByRole('listitem')
    .filter({ hasText: 'New people.xlsx' })
    .getByRole('button', { name: 'Choose another' })
    .click();
  // Its only tab needs no choosing.
  await places.getByRole('button', { name: /^Kiln office.xlsx/ }).click();
  await expect(places.getByText('Kiln office.xlsx → Starters')).toBeVisible();
  await dialog.getByLabel('At what time?').fill('soon');
  await dialog.getByLabel('Which group are new people put into?').fill('Shop floor');
  await dialog.getByRole('button', { name: 'Make 2 drafts' }).click();
  await expect(dialog.getByText('“soon” doesn’t fit “At what time?”', { exact: false })).toBeVisible();
  expect(await faultsOf(page, 'blanks', 'everything')).toEqual([]);
  await dialog.getByLabel('At what time?').fill('07:30');
  await dialog.getByLabel('By whose clock?').selectOption({ label: 'Ireland' });
  await dialog.getByRole('button', { name: 'Make 2 drafts' }).click();
  await expect(page).toHaveURL(/\/workflows$/);
  const made = (await ask<{ id: string; name: string; folder: string }[]>(product, 'GET', '/api/workflows')).filter(
    ({ folder }) => folder === 'New people',
  );
  const copy = made.find(({ name }) => name === 'New people get their accounts')?.id ?? '';
  expect((await draftOf(product, copy)).content).toMatchObject({
    zone: 'Europe/Dublin',
    start: { trigger: { at: ['07:30'] }, source: { path: ['Kiln office.xlsx', 'Starters'] } },
  });
  expect(made).toHaveLength(2);
  const receiver = made.find(({ id }) => id !== copy)?.id ?? '';
  await rehearsed(product, receiver);
  await page.goto(`${product.url}/workflows/${copy}/rehearse`);
  await goLive(page);
  const inactive = async (): Promise<number> =>
    ((await accountsIn(product)).match(/<td>not active yet</g) ?? []).length;
  await expect.poll(inactive).toBe(6);
  for (const name of ['mae.lindqvist', 'jo.obriain', 'ayo.adeyemi']) expect(await accountsIn(product)).toContain(name);
  // The next Monday brings nothing new.
  await ask(product, 'POST', `/api/workflows/${copy}/check`);
  await expect.poll(async () => (await runsOf(product, copy)).every(({ state }) => state === 'done')).toBe(true);
  const takenIn = (await runsOf(product, copy)).map(({ balance }) => balance.takenIn);
  expect(takenIn.reduce((sum, one) => sum + one, 0)).toBe(3);
  expect(await inactive()).toBe(6);

  // Its maker brings out a newer edition: shown beside the copy, in the copy's place and time.
  const ready = join(product.folder, 'golden', 'ready', 'New people.json');
  const newer = readFileSync(ready, 'utf8')
    .replaceAll('"number": 1', '"number": 2')
    .replace(/"days": \[\s*1\s*\]/, '"days": [1, 4]');
  writeFileSync(ready, newer);
  await page.goto(`${product.url}/workflows/${copy}`);
  await page.getByRole('link', { name: 'Versions newer edition' }).click();
  const edition = page.getByRole('region', { name: 'Newer edition' });
  await expect(edition.getByRole('listitem')).toHaveText([/“checked at 07:30 on Monday” is now “.* and Thursday”/]);
  expect(await faultsOf(page, 'newer edition', 'everything')).toEqual([]);
  await edition.getByRole('button', { name: 'Take it into the draft' }).click();
  await expect(edition).toBeHidden();
  await expect
    .poll(async () => (await draftOf(product, copy)).content)
    .toMatchObject({
      start: { trigger: { at: ['07:30'], days: [1, 4] }, source: { path: ['Kiln office.xlsx', 'Starters'] } },
    });
});

test('a mention stays hidden on the website until somebody shows it', async ({ page, demo: product }) => {
  const site = async () => (await fetch(`${product.window}/site`)).text();
  expect(await site()).not.toContain('speckled');
  await page.goto(`${product.window}/`);
  await page
    .getByRole('row', { name: /speckled/ })
    .getByRole('button', { name: 'Show' })
    .click();
  expect(await site()).toContain('speckled');
  const id = await workflowCalled(product, 'What people say, onto the website');
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await expect.poll(async () => (await runsOf(product, id)).every(({ state }) => state === 'done')).toBe(true);
  expect(await site()).toContain('speckled');
});

test('each line of an order is handed over to a workflow that is made on the way: matched, rehearsed, both live at one click', async ({
  page,
  demo: product,
}) => {
  const { id: parent } = await ask<{ id: string }>(product, 'POST', '/api/workflows', { name: 'Order lines' });
  const paid = await draftOf(product, await workflowCalled(product, 'Paid orders to retail invoices'));
  const { source } = paid.content.start as { source: object };
  await change(product, parent, (content) => ({ ...content, start: { ...content.start, source } }));
  await page.goto(`${product.url}/workflows/${parent}`);
  await brief(page).getByRole('button', { name: 'Hand over to a workflow' }).click();
  await page.getByLabel('What is handed over').selectOption({ label: 'each of order.lines' });
  await page.getByText('A new workflow', { exact: true }).click();
  await page.getByLabel('What is it called?').fill('Lines onto the website');
  await page.getByLabel('What is one of them?').fill('line');
  await page.getByRole('button', { name: 'Make it', exact: true }).click();
  // Names are matched at once; nothing of it counts before somebody has looked.
  await expect(page.getByRole('button', { name: /^Accept \d+ suggested/ })).toBeVisible();
  await expect(page.getByText('which is off')).toBeVisible();
  expect(await faultsOf(page, 'handing over', 'everything')).toEqual([]);
  await page.getByRole('button', { name: /^Accept \d+ suggested/ }).click();
  const receiver = await workflowCalled(product, 'Lines onto the website');
  // The other one is built with what would be handed over to it.
  await page.goto(`${product.url}/workflows/${receiver}`);
  await expect(page.getByLabel('Name of field 1')).toHaveValue('sku');
  await expect(page.getByRole('link', { name: 'Order lines' })).toBeVisible();
  const shown = await draftOf(product, await workflowCalled(product, 'What people say, onto the website'));
  const [section, entry] = shown.content.steps;
  const text = (path: string) => ({ kind: 'field', ref: { step: 'start', path }, tidies: [] });
  const mapping = { ...entry?.mapping, '/title': text('/name'), '/text': text('/sku') };
  for (const path of ['/author', '/link']) delete (mapping as Record<string, unknown>)[path];
  const { key: _key, ...append } = entry ?? {};
  await change(product, receiver, (content) => ({
    ...content,
    steps: [section, { ...append, mode: 'append', mapping }],
  }));
  await change(product, parent, (content) => ({ ...content, start: { ...content.start, fromWhen: { kind: 'all' } } }));
  await rehearsed(product, receiver);
  const before = await entriesIn(product);
  await page.goto(`${product.url}/workflows/${parent}/rehearse`);
  await page
    .getByRole('button', { name: /^Rehearse/ })
    .first()
    .click();
  await expect(page.getByText(/nothing was written/)).toBeVisible({ timeout: 60_000 });
  await page
    .getByRole('row', { name: /lines? handed over/ })
    .first()
    .click();
  const record = page.getByRole('complementary', { name: 'This record' });
  await expect(record.getByText(/^Would hand over \d/)).toBeVisible();
  await expect(record.getByText('new', { exact: true }).first()).toBeVisible();
  expect(await entriesIn(product)).toBe(before);
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText('It hands over to “Lines onto the website”, which is off')).toBeVisible();
  await expect(dialog.getByRole('checkbox', { name: 'Make it live too' })).toBeChecked();
  expect(await faultsOf(page, 'handing over', 'everything')).toEqual([]);
  await dialog.getByRole('button', { name: /^Make it live/ }).click();
  await expect(page.getByRole('dialog')).toBeHidden();
  const taken = async (): Promise<number> =>
    (await runsOf(product, receiver)).reduce((sum, run) => sum + run.balance.takenIn, 0);
  const orders = async (): Promise<RunRow[]> => runsOf(product, parent);
  await expect
    .poll(async () => (await orders()).length > 0 && (await orders()).every(({ state }) => state === 'done'))
    .toBe(true);
  await expect.poll(async () => (await entriesIn(product)) - before, { timeout: 60_000 }).toBeGreaterThan(20);
  await expect.poll(async () => (await entriesIn(product)) - before - (await taken()), { timeout: 60_000 }).toBe(0);
});
