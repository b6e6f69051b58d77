import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import type { Page } from '@playwright/test';
import { ask, lookAtUndo, putAway, workflowCalled } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// Room for the work: what is seen at once, what is reached by keys, and what still can be at little room.

/** A workbook column each, to be filled by keyboard; beside it two letters that find its field, or none for the first. */
const wanted: readonly (readonly [string, string, string])[] = [
  ['C1', 'em', 'email'],
  ['C2', 'ph', 'phone'],
  ['C3', 'co', 'company'],
  ['C4', 'fi', 'first name'],
  ['C5', 'la', 'last name'],
  ['C6', 'va', 'vat number'],
  ['C7', 'ac', 'account type'],
  ['C8', 'ne', 'newsletter'],
  ['C9', 'cr', 'created at'],
  ['C10', 'up', 'updated at'],
  ['C11', 'em', 'email'],
  ['C12', 'ph', 'phone'],
  ['C13', 'co', 'company'],
  ['C14', 'fi', 'first name'],
  ['C15', 'la', 'last name'],
  ['C16', 'va', 'vat number'],
  ['C17', 'ac', 'account type'],
  ['C18', 'ne', 'newsletter'],
  ['C19', 'cr', 'created at'],
  ['C20', 'up', 'updated at'],
];

const file = 'Twenty fields.csv';
const folderOf = (product: Product): string => join(product.folder, 'practice', 'shelf', 'files');

/** A draft whose write has twenty empty fields, into a file that is made for it; and how both are taken away. */
async function twentyFields(product: Product): Promise<{ id: string; remove: () => Promise<void> }> {
  writeFileSync(join(folderOf(product), file), `${wanted.map(([label]) => label).join(',')}\n`);
  const rows = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  const of = (app: string) => rows.find((one) => one.app === app)?.id ?? '';
  const made = await ask<{ id: string; rev: number; content: { steps: object[] } }>(
    product,
    'POST',
    '/api/workflows/from-choices',
    {
      from: { connection: of('shop_counter'), path: ['customers'], labels: ['customers'] },
      to: { connection: of('workbook_shelf'), path: [file, 'Twenty fields'], labels: [file, 'Twenty fields'] },
      kind: 'each_new',
    },
  );
  await ask(product, 'PUT', `/api/workflows/${made.id}/draft`, {
    rev: made.rev,
    content: { ...made.content, steps: made.content.steps.map((step) => ({ ...step, mapping: {}, suggested: {} })) },
  });
  return {
    id: made.id,
    remove: async () => {
      await ask(product, 'DELETE', `/api/workflows/${made.id}`);
      rmSync(join(folderOf(product), file));
    },
  };
}

test('twenty fields are mapped by keyboard with at most ninety keys', async ({ page, demo: product }) => {
  const { id, remove } = await twentyFields(product);
  await page.goto(`${product.url}/workflows/${id}?sentence=write-1`);
  await expect(page.getByRole('button', { name: 'Fill C20:' })).toBeVisible();
  await page
    .getByRole('region', { name: 'Brief' })
    .getByRole('button', { name: /Append|Create or update/ })
    .first()
    .focus();
  let keys = 0;
  const press = async (key: string): Promise<void> => {
    keys += 1;
    await page.keyboard.press(key);
  };
  // The sheet is one Tab from its sentence; each choice leads to the next row.
  await press('Tab');
  for (const [label, letters, field] of wanted) {
    await expect(page.getByRole('button', { name: `Fill ${label}:` })).toBeFocused();
    await press('Enter');
    const search = page.getByRole('dialog', { name: `Fill ${label}` });
    await expect(search.getByRole('combobox')).toBeFocused();
    for (const letter of letters) await press(letter);
    await expect(search.getByRole('option').first()).toContainText(field);
    await press('Enter');
    await expect(page.getByRole('button', { name: `Fill ${label}:` })).toContainText(field);
  }
  expect(keys).toBeLessThanOrEqual(90);
  await remove();
});

test('at 1280 by 800 a person mapping sees fourteen fields and four samples, and problems never push them away', async ({
  page,
  demo: product,
}) => {
  const { id, remove } = await twentyFields(product);
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.goto(`${product.url}/workflows/${id}?sentence=write-1`);
  await expect(page.getByRole('button', { name: 'Fill C14:' })).toBeVisible();
  const seen = () =>
    page.getByLabel('Mapping sheet').evaluate((sheet) => {
      const room = sheet.getBoundingClientRect();
      const isWithin = (element: Element): boolean => {
        const at = element.getBoundingClientRect();
        return at.top >= room.top && at.bottom <= room.bottom + 1 && at.left >= room.left && at.right <= room.right + 1;
      };
      const rows = [...sheet.querySelectorAll('tbody tr th[scope="row"]')].filter(isWithin).length;
      const samples = [...sheet.querySelectorAll('thead th')].slice(2).filter(isWithin).length;
      return { rows, samples };
    });
  // Samples arrive after the fields.
  await expect.poll(async () => (await seen()).samples).toBeGreaterThanOrEqual(4);
  expect((await seen()).rows).toBeGreaterThanOrEqual(14);
  // A column is renamed: told in one line, opened beside the sheet, which keeps its height.
  writeFileSync(join(folderOf(product), file), `${wanted.map(([label]) => label.replace('C20', 'Last')).join(',')}\n`);
  await page.getByRole('button', { name: 'Fill C20:' }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.type('email');
  await page.keyboard.press('Enter');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await page.reload();
  await expect(page.getByText('has changed since this was built', { exact: false })).toBeVisible();
  expect((await seen()).rows).toBeGreaterThanOrEqual(11);
  await page.getByRole('button', { name: 'See what changed' }).click();
  await expect(page.getByRole('combobox', { name: 'What “C20” is now' })).toHaveText('Last');
  await putAway(page);

  // Scrolled sideways, the names of the fields stay.
  await page.getByLabel('Mapping sheet').evaluate((sheet) => sheet.scrollTo({ left: 400 }));
  await expect(page.getByRole('rowheader', { name: /^C1\b/ })).toBeInViewport({ ratio: 0.9 });
  // The brief folds to its margin, and the height of the editor is kept over a reload.
  await page.getByRole('button', { name: 'Fold the brief' }).click();
  await page.getByRole('separator', { name: 'Height of the editor' }).focus();
  for (let press = 0; press < 4; press++) await page.keyboard.press('ArrowUp');
  const height = () =>
    page.locator('#editor').evaluate((element) => Math.round(element.getBoundingClientRect().height));
  const drawn = await height();
  expect(drawn).toBeGreaterThan(140);
  await page.reload();
  await expect(page.getByRole('button', { name: 'Unfold the brief' })).toBeVisible();
  await expect.poll(height).toBeGreaterThan(drawn - 3);
  await page.getByRole('button', { name: 'Unfold the brief' }).click();
  await remove();
});

test('a fresh draft of orders into invoices says nothing of changes, and its sheet has its height', async ({
  page,
  demo: product,
}) => {
  const rows = await ask<{ id: string; app: string }[]>(product, 'GET', '/api/connections');
  const of = (app: string) => rows.find((one) => one.app === app)?.id ?? '';
  const made = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: { connection: of('shop_counter'), path: ['orders'], labels: ['orders'] },
    to: { connection: of('ledger'), path: ['retail', 'invoices'], labels: ['retail', 'invoices'] },
    kind: 'in_step',
  });
  await page.goto(`${product.url}/workflows/${made.id}?sentence=write-1`);
  await expect(page.getByLabel('Mapping sheet').getByRole('row').nth(5)).toBeVisible();
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await expect(page.getByText('has changed since this was built', { exact: false })).toHaveCount(0);
  const box = await page.getByLabel('Mapping sheet').boundingBox();
  expect(box?.height).toBeGreaterThan(380);
  await ask(product, 'DELETE', `/api/workflows/${made.id}`);
});

/** Controls that can't be brought into the window and pressed there, each by what it is called. */
const unreachable = (page: Page): Promise<string[]> =>
  page.evaluate(() => {
    const found: string[] = [];
    for (const element of document.querySelectorAll<HTMLElement>(
      'main a, main button, main input, main select, main textarea',
    )) {
      const style = getComputedStyle(element);
      const isAside = element.closest('.sr-only, [aria-hidden="true"]') !== null || style.visibility === 'hidden';
      if (isAside || element.matches(':disabled') || element.getClientRects().length === 0) continue;
      element.scrollIntoView({ block: 'center', inline: 'center' });
      const at = element.getBoundingClientRect();
      const [x, y] = [at.left + at.width / 2, at.top + at.height / 2];
      const hit = document.elementFromPoint(x, y);
      const isHit =
        hit !== null && (element.contains(hit) || hit.contains(element) || hit.closest('label')?.contains(element));
      if (!isHit)
        found.push(
          `${element.tagName} “${element.ariaLabel ?? element.textContent?.trim().slice(0, 40)}” at ${Math.round(x)}, ${Math.round(y)}`,
        );
    }
    return found;
  });

for (const [name, size] of [
  ['at 200 % zoom', { width: 640, height: 400 }],
  ['on a screen of 1024 pixels', { width: 1024, height: 720 }],
] as const) {
  test(`every control of every main view can be reached ${name}`, async ({ page, demo: product }) => {
    test.setTimeout(300_000);
    const id = await workflowCalled(product, 'Shop customers onto the customer list');
    const invoices = await workflowCalled(product, 'Paid orders to retail invoices');
    const runs = await ask<{ id: string }[]>(product, 'GET', `/api/workflows/${id}/runs`);
    await lookAtUndo(product, runs[0]?.id ?? '');
    await page.setViewportSize(size);
    const faults: string[] = [];
    for (const [view, path] of [
      ['Today', '/'],
      ['Workflows', '/workflows'],
      ['New workflow', '/workflows/new'],
      ['The start', `/workflows/${id}`],
      ['The mapping', `/workflows/${id}?sentence=list`],
      ['A lookup', `/workflows/${invoices}?sentence=customer`],
      ['Rehearse', `/workflows/${id}/rehearse`],
      ['Runs', `/workflows/${id}/runs`],
      ['A run', `/workflows/${id}/runs/${runs[0]?.id}`],
      ['Undoing a run', `/workflows/${id}/runs/${runs[0]?.id}/undo`],
      ['Versions', `/workflows/${id}/versions`],
      ['Needs you', '/needs-you'],
      ['Duplicates', '/duplicates'],
      ['Links', '/links'],
      ['Records', '/records?text=960'],
      ['Reconcile', '/reconcile'],
      ['In step', '/in-step'],
      ['Not sent', `/workflows/${id}/not-sent`],
      ['Connections', '/connections'],
      ['Practice apps', '/practice'],
      ['Settings', '/settings'],
    ] as const) {
      await page.goto(product.url + path);
      await expect(page.getByRole('heading').first()).toBeVisible();
      await expect(page.getByText(/^Loading .*…$/)).toHaveCount(0);
      // A sheet stands still once its samples are there.
      if (view === 'The mapping') await expect(page.getByText(/\d+ of \d+ give a value/)).toBeVisible();
      faults.push(...(await unreachable(page)).slice(0, 4).map((one) => `${view}: ${one}`));
      // What little room does to a page is judged as well: targets, names, roles.
      if (size.width === 640) faults.push(...(await faultsOf(page, view, 'all_but_colours')));
    }
    expect(faults).toEqual([]);
  });
}

test('the browser’s storage is full: what is typed is saved all the same; with the server gone too the person is told', async ({
  page,
  empty: product,
}) => {
  const made = await ask<{ id: string }>(product, 'POST', '/api/workflows', { name: 'Full' });
  await page.addInitScript(() => {
    Storage.prototype.setItem = () => {
      throw new DOMException('The quota has been exceeded.', 'QuotaExceededError');
    };
  });
  await page.goto(`${product.url}/workflows/${made.id}`);
  const name = page.getByLabel('Name of the workflow');
  await name.fill('Kept by the server');
  await name.press('Enter');
  await expect
    .poll(
      async () => (await ask<{ content: { name: string } }>(product, 'GET', `/api/workflows/${made.id}`)).content.name,
    )
    .toBe('Kept by the server');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await page.route('**/draft', (route) => route.abort());
  await name.fill('Kept by nobody yet');
  await name.press('Enter');
  await expect(page.getByRole('alert')).toContainText('this browser’s storage is full: keep this window open');
  await page.unroute('**/draft');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
});

test('what is done reads anew what it changed, and nothing else; the first load stays small', async ({
  page,
  demo: product,
}) => {
  // What the page names to be there before it stands, packed as a line would carry it.
  const html = await (await fetch(product.url)).text();
  const files = [...html.matchAll(/(?:src|href)="(\/assets\/[^"]+\.(?:js|css))"/g)].map(([, file]) => file ?? '');
  expect(files.length).toBeGreaterThan(1);
  let packed = 0;
  for (const file of files)
    packed += gzipSync(Buffer.from(await (await fetch(product.url + file)).arrayBuffer())).length;
  expect(packed).toBeLessThan(250 * 1024);

  const id = await workflowCalled(product, 'Shop customers onto the customer list');
  await page.goto(`${product.url}/workflows/${id}`);
  await expect(page.getByRole('tab', { name: /samples/ })).toBeVisible();
  await page.getByRole('button', { name: 'More samples' }).click();
  await page.waitForLoadState('networkidle');
  const asked: string[] = [];
  page.on('request', (request) => {
    const { pathname } = new URL(request.url());
    if (pathname.startsWith('/api/')) asked.push(pathname.replace(id, ':id'));
  });
  await page.getByRole('button', { name: 'Find others' }).click();
  await page.getByLabel(/text in any field/i).fill('kiln');
  await page.getByRole('button', { name: 'Find', exact: true }).click();
  await expect(page.getByRole('dialog').getByRole('checkbox').first()).toBeVisible();
  expect(asked.filter((path) => !/events|today/.test(path))).toEqual(['/api/workflows/:id/samples/search']);
});
