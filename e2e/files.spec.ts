import { mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import { ask, connectDrawer, goLive } from './acts.ts';
import { expect, test } from './product.ts';

// A business's own file server: connected, copied into, a file open in a desktop program, a file renamed.

test('a file server: what is open waits and says so, what was renamed is offered, and each record is in the file once', async ({
  page,
  empty: product,
}) => {
  const files = join(product.folder, 'practice', 'shelf', 'files');
  mkdirSync(files, { recursive: true });
  const book = new ExcelJS.Workbook();
  book.addWorksheet('2026').addRow(['Number', 'Name', 'Town']);
  await book.xlsx.writeFile(join(files, 'Customers.xlsx'));
  writeFileSync(join(files, 'fair.csv'), 'Number;Name;Town\r\n01;Zoë Ó Briain;Cork\r\n02;Priya Nair;Saltmarsh\r\n');

  await page.goto(`${product.url}/settings`);
  await page.getByLabel(/^Workflows may call addresses inside/).check();
  await page.getByRole('button', { name: 'Save', exact: true }).first().click();
  // Leaving the page at once would break off the saving.
  await expect(page.getByText('Saved.')).toBeVisible();
  const drawer = await connectDrawer(page, product);
  await drawer.getByRole('button', { name: /^File server/ }).click();
  await drawer.getByLabel('Address of the folder').fill(`${product.shelf}/api/files/`);
  await drawer.getByLabel('User name').fill('front desk');
  await drawer.getByLabel('Password').fill('wrong');
  await drawer.getByRole('button', { name: 'Connect', exact: true }).click();
  await expect(drawer).toContainText('File server doesn’t accept the access key');
  await drawer.getByLabel('Password').fill('shelf-practice-6W3D-edit');
  await drawer.getByRole('button', { name: 'Connect', exact: true }).click();
  await expect(page.getByText('Signed in as front desk, may read and write').first()).toBeVisible();

  await page.goto(`${product.url}/workflows/new`);
  for (const [name, file, tab] of [
    ['From', 'fair.csv', undefined],
    ['To', 'Customers.xlsx', /^2026/],
  ] as const) {
    const region = page.getByRole('region', { name, exact: true });
    await region
      .getByRole('button', { name: /^File server/ })
      .first()
      .click();
    await region.getByRole('button', { name: new RegExp(`^${file}`) }).click();
    if (tab) await region.getByRole('button', { name: tab }).last().click();
  }
  await page.getByRole('radio', { name: /^Bring everything over/ }).check();
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText('All 2 accounted for');
  const id = /workflows\/([^/]+)/.exec(page.url())?.[1] ?? '';

  // Somebody has it open while it goes live.
  const beside = join(files, '.~lock.Customers.xlsx#');
  writeFileSync(beside, 'Ada');
  const setOpen = (lock: 'on' | 'off') =>
    fetch(`${product.shelf}/files/Customers.xlsx/settings`, { method: 'POST', body: new URLSearchParams({ lock }) });
  await setOpen('on');
  await goLive(page);
  const runs = () =>
    ask<{ id: string; balance: { items: { waiting: number } } }[]>(product, 'GET', `/api/workflows/${id}/runs`);
  await expect.poll(async () => (await runs())[0]?.balance.items.waiting).toBe(2);
  await page.goto(`${product.url}/workflows/${id}/runs/${(await runs())[0]?.id}`);
  await page.getByText('Priya Nair').first().click();
  await expect(page.getByRole('dialog')).toContainText('“Customers.xlsx” is open in another program');
  await setOpen('off');
  rmSync(beside);
  await expect.poll(async () => numbersIn(join(files, 'Customers.xlsx')), { timeout: 120_000 }).toEqual(['01', '02']);

  // Renamed: offered with its reason; taken with one click, nothing is brought over again.
  renameSync(join(files, 'Customers.xlsx'), join(files, 'Customer list.xlsx'));
  await page.goto(`${product.url}/workflows/${id}`);
  await page
    .getByRole('region', { name: 'Brief' })
    .getByRole('button', { name: /Customers\.xlsx/ })
    .first()
    .click();
  await expect(page.getByText('“Customers.xlsx → 2026” isn’t there any more.')).toBeVisible();
  await expect(page.getByText('has all 3 of its columns')).toBeVisible();
  await page.getByRole('button', { name: 'It is “Customer list.xlsx → 2026” now' }).click();
  await expect(page.getByText('isn’t there any more')).toHaveCount(0);
  await expect(page.getByRole('region', { name: 'Brief' })).toContainText('Customer list.xlsx');
  expect(await numbersIn(join(files, 'Customer list.xlsx'))).toEqual(['01', '02']);
});

async function numbersIn(path: string): Promise<string[]> {
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(path);
  const numbers: string[] = [];
  book.getWorksheet('2026')?.eachRow((row, at) => {
    if (at > 1) numbers.push(String(row.getCell(1).value));
  });
  return numbers;
}
