import type { Page } from '@playwright/test';
import { ask, compare, lookAtUndo, workflowCalled } from './acts.ts';
import { faultsOf } from './axe.ts';
import { expect, type Product, test } from './product.ts';

// WCAG 2.2 AA by axe-core, on each main view, in both themes.

async function firstWorkflow(product: Product): Promise<{ id: string; run: string }> {
  const read = async <T>(path: string): Promise<T> => (await (await fetch(product.url + path)).json()) as T;
  const id = await workflowCalled(product, 'Shop customers onto the customer list');
  const runs = await read<{ id: string; balance: { items: { unsettled: number } } }[]>(`/api/workflows/${id}/runs`);
  return { id, run: runs.find((one) => one.balance.items.unsettled > 0)?.id ?? '' };
}

/** The draft of the invoices with everything a sentence can be. */
async function withSums(product: Product): Promise<string> {
  const call = async (method: string, path: string, body?: object) =>
    (
      await fetch(`${product.url}/api${path}`, {
        method,
        headers: { 'content-type': 'application/json' },
        ...(body && { body: JSON.stringify(body) }),
      })
    ).json();
  const rows = (await call('GET', '/workflows')) as { id: string; name: string }[];
  const { content } = await call('GET', `/workflows/${rows.find((one) => one.name.includes('invoices'))?.id}`);
  const connection = await call('POST', '/connections', {
    app: 'web_address',
    name: 'Notes',
    settings: { address: 'http://127.0.0.1:9/', header: 'Authorization' },
  });
  const lines = { step: 'start', path: '/lines' };
  const target = { connection: connection.id, path: ['{}'], labels: ['POST /notes'], described: callPlace };
  const steps = [
    ...content.steps,
    {
      id: 'sums',
      kind: 'compute',
      values: [
        { name: 'net', text: '1 / 0', refs: {} },
        { name: 'gross', text: '2 * 3', refs: {} },
      ],
    },
    { id: 'each', kind: 'each', over: lines },
    { id: 'call', kind: 'write', within: 'each', target, mode: 'append', mapping: {} },
  ];
  const made = await call('POST', '/workflows', { name: 'Every kind of sentence' });
  await call('PUT', `/workflows/${made.id}/draft`, {
    rev: made.rev,
    content: { ...content, name: made.content.name, steps },
  });
  return made.id as string;
}

const callPlace = {
  name: 'call',
  singular: 'call',
  plural: 'calls',
  fields: [{ path: '/text', label: 'text', type: 'text' }],
  can: { list: false, find: false, create: true, update: false, readBack: false },
};

/** A start that asks no app has shown what it is. */
const begun = (page: Page): Promise<void> =>
  expect(page.getByRole('button', { name: 'Take records from an app instead' })).toBeVisible();

/** In the other theme, once nothing moves any more. */
async function inTheme(page: Page, colorScheme: 'light' | 'dark'): Promise<void> {
  await page.emulateMedia({ colorScheme });
  await page.evaluate(() => Promise.all(document.getAnimations().map((one) => one.finished.catch(() => undefined))));
}

for (const half of [0, 1]) {
  test(`every main view is accessible in both themes, part ${half + 1}`, async ({ page, demo: product }) => {
    // Some twenty views, each judged by some ninety rules, on whatever machine this is.
    test.setTimeout(600_000);
    const { id, run } = await firstWorkflow(product);
    const sums = await withSums(product);
    const invoices = await workflowCalled(product, 'Paid orders to retail invoices');
    const people = await workflowCalled(product, 'Shop customers into the Ledger and the Card index');
    const followed = await workflowCalled(product, 'Kiln leads, followed up');
    const approved = await workflowCalled(product, 'Trade firms as counter customers, approved');
    const compared = await compare(product, people);
    await lookAtUndo(product, run);
    const { records } = await ask<{ records: { items: number; key: Record<string, string> }[] }>(
      product,
      'GET',
      '/api/records?text=960',
    );
    const somebody = records.find(({ items }) => items > 1) ?? { key: {} };
    const brief = page.getByRole('region', { name: 'Brief' });
    const views: [string, string, (() => Promise<void>)?][] = [
      ['Today', '/'],
      ['Workflows', '/workflows'],
      ['Write, the start', `/workflows/${id}`],
      ['Write, the condition', `/workflows/${id}`, () => brief.getByRole('button', { name: /Keep those/ }).click()],
      ['Write, the mapping', `/workflows/${id}`, () => brief.getByRole('button', { name: /Create or update/ }).click()],
      ['Write, the fields', `/workflows/${id}`, () => page.getByRole('tab', { name: '15 fields' }).click()],
      [
        'Write, the samples',
        `/workflows/${id}?sentence=list`,
        () => page.getByRole('button', { name: 'Samples', exact: true }).click(),
      ],
      ['Write, tried alone', `/workflows/${id}?sentence=list`, () => page.keyboard.press('t')],
      ['A wait', `/workflows/${followed}?sentence=wait-1`],
      ['A question', `/workflows/${approved}?sentence=approve`],
      ['A mail of a series', `/workflows/${followed}?sentence=mail-2`],
      [
        'Templates',
        `/workflows/${followed}?sentence=mail-2`,
        async () => {
          await page.getByRole('button', { name: 'Fill text:' }).click();
          await page.getByRole('button', { name: 'Templates' }).click();
        },
      ],
      [
        'Working hours',
        `/workflows/${followed}?sentence=wait-1`,
        () => page.getByRole('button', { name: 'Change hours and days off' }).click(),
      ],
      ['Due', `/workflows/${followed}/due`],
      ['Waiting', '/waiting'],
      ['Unsubscribed', '/unsubscribed'],
      ['Versions', `/workflows/${id}/versions`],
      ['New workflow', '/workflows/new'],
      [
        'New workflow, a place',
        '/workflows/new',
        () => page.getByLabel('From which app').getByRole('button').first().click(),
      ],
      [
        'A ready-made workflow',
        '/workflows/new',
        () => page.getByRole('button', { name: /^New trade accounts/ }).click(),
      ],
      ['The palette', '/', () => page.keyboard.press('Control+k')],
      ['The shortcuts', '/', () => page.keyboard.press('?')],
      ['Rehearse', `/workflows/${id}/rehearse`, () => page.getByRole('row').nth(3).click()],
      ['Runs', `/workflows/${id}/runs`],
      ['Undoing a run', `/workflows/${id}/runs/${run}/undo`],
      [
        'A run with a record',
        `/workflows/${id}/runs/${run}?state=unsettled`,
        () => page.getByRole('row').nth(1).click(),
      ],
      [
        'A formula',
        `/workflows/${sums}?sentence=invoice`,
        async () => {
          await page.getByRole('button', { name: 'Fill due date:' }).click();
          await page.locator('.cm-content').click();
        },
      ],
      [
        'The sheet of the lines, a table of options',
        `/workflows/${sums}?sentence=invoice`,
        async () => {
          await page.getByRole('button', { name: 'Fill invoice lines:' }).click();
          await page.getByRole('button', { name: 'Fill the lines' }).click();
          await page.getByRole('button', { name: 'Fill tax category:' }).click();
        },
      ],
      [
        'What will be sent',
        `/workflows/${sums}?sentence=invoice`,
        async () => {
          await page.getByRole('button', { name: 'Place', exact: true }).click();
          await page.getByRole('menuitem', { name: 'What will be sent' }).click();
        },
      ],
      ['What is calculated', `/workflows/${sums}?sentence=sums`],
      ['What is done for each', `/workflows/${sums}?sentence=each`],
      ['A call', `/workflows/${sums}?sentence=call`],
      ['Connections', '/connections'],
      ['A connection', '/connections', () => page.getByRole('row').nth(2).getByRole('button').first().click()],
      ['Another start', '/workflows/new', () => page.getByRole('button', { name: 'Start in another way' }).click()],
      [
        'Posted events',
        `/workflows/${await workflowCalled(product, 'Website enquiries onto the front desk’s list')}?sentence=start`,
        () => begun(page),
      ],
      [
        'A form',
        `/workflows/${await workflowCalled(product, 'Workshop places asked for by a form')}?sentence=start`,
        () => begun(page),
      ],
      [
        'Files',
        `/workflows/${await workflowCalled(product, 'Sales of the market stall')}?sentence=start`,
        () => begun(page),
      ],
      ['With these records', `/workflows/${id}/runs`, () => page.getByRole('button', { name: /^With these/ }).click()],
      ['By hand', `/workflows/${await workflowCalled(product, 'A kiln visit')}?sentence=start`, () => begun(page)],
      ['Begin', '/', () => page.getByRole('button', { name: 'Begin A kiln visit' }).click()],
      ['Set times', `/workflows/${await workflowCalled(product, 'The stock check')}?sentence=start`, () => begun(page)],
      ['Connect', '/connections', () => page.getByRole('button', { name: 'Connect an app' }).click()],
      ['Practice apps', '/practice'],
      ['Settings', '/settings'],
      ['A lookup', `/workflows/${invoices}?sentence=customer`, () => page.getByRole('row').last().click()],
      [
        'The ways of recognising',
        `/workflows/${people}?sentence=person`,
        () => page.getByRole('button', { name: 'Recognised in 2 ways' }).click(),
      ],
      ['Needs you', '/needs-you', () => expect(page.getByRole('button', { name: /^It is/ }).first()).toBeVisible()],
      ['A rule', '/needs-you', () => page.getByRole('button', { name: /^Make a rule/ }).click()],
      ['Duplicates', '/duplicates', () => expect(page.getByText('The golden record')).toBeVisible()],
      ['A search', '/duplicates', () => page.getByRole('button', { name: 'Search for duplicates' }).click()],
      ['Links', '/links'],
      ['Records', '/records', () => page.getByLabel('Find a record').fill('960')],
      [
        'A record',
        `/records?${new URLSearchParams(somebody.key)}`,
        () => expect(page.getByText('Found in').first()).toBeVisible(),
      ],
      ['Not sent', `/workflows/${id}/not-sent`],
      ['Two places in step', '/in-step', () => page.getByRole('button', { name: 'Keep two places in step' }).click()],
      ['Reconcile', `/reconcile?id=${compared}`, () => expect(page.getByRole('table')).toBeVisible()],
      [
        'What is compared',
        `/reconcile?id=${compared}`,
        () => page.getByRole('button', { name: 'What is compared' }).click(),
      ],
      ['A repair', `/reconcile?id=${compared}`, () => page.getByRole('button', { name: 'Plan the repair…' }).click()],
    ];
    const faults: string[] = [];
    for (const [view, path, act] of views.filter((_one, at) => at % 2 === half)) {
      await inTheme(page, 'light');
      await page.goto(product.url + path);
      await expect(page.getByRole('heading').first()).toBeVisible();
      await page.waitForLoadState('load');
      if (act) await act();
      await page.waitForTimeout(250);
      faults.push(...(await faultsOf(page, view, 'everything')));
      await inTheme(page, 'dark');
      faults.push(...(await faultsOf(page, `${view}, dark`, 'colours')));
    }
    expect(faults).toEqual([]);
  });
}

test('the mapping is done by keyboard alone', async ({ page, demo: product }) => {
  const { id } = await firstWorkflow(product);
  await page.goto(`${product.url}/workflows/${id}`);
  await page
    .getByRole('region', { name: 'Brief' })
    .getByRole('button', { name: /Create or update/ })
    .focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Fill Number:' }).focus();
  for (let step = 0; step < 10; step++) await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('button', { name: 'Fill Note:' })).toBeFocused();
  await expect(page.getByRole('region', { name: 'Filling of Note' })).toBeVisible();
  // Enter on an empty row searches the fields where it stands.
  await page.keyboard.press('Enter');
  await page.keyboard.type('vat');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Fill Note:' })).toContainText('vat number');
  // Into the values of the samples, and to what is wrong with one.
  const problem = page.getByRole('gridcell', { name: /can’t be read as a telephone number/ });
  // The samples come a moment after the fields.
  await expect(problem).toBeVisible();
  await page.getByRole('button', { name: 'Fill Phone:' }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(problem).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('dialog', { name: /^The value of/ })).toContainText('can’t be read');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Undo' }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Fill Note:' })).toContainText('not filled');
});

test('keys: arrows scroll the worksheet, letters can be switched off; a page that isn’t there helps', async ({
  page,
  demo: product,
}) => {
  const { id } = await firstWorkflow(product);
  await page.setViewportSize({ width: 1280, height: 600 });
  await page.goto(`${product.url}/workflows/${id}`);
  const samples = page.getByRole('region', { name: 'Worksheet' });
  await expect(samples.getByRole('tab', { name: /samples/ }).or(samples.getByText(/samples/).first())).toBeVisible();
  const scroller = samples.locator('.overflow-auto').first();
  // There is something to scroll once the samples stand there.
  await expect
    .poll(() => scroller.evaluate((element) => element.scrollHeight - element.clientHeight))
    .toBeGreaterThan(0);
  await expect(async () => {
    await scroller.evaluate((element: HTMLElement) => {
      element.tabIndex = 0;
      element.focus();
    });
    await page.keyboard.press('ArrowDown');
    expect(await scroller.evaluate((element) => element.scrollTop)).toBeGreaterThan(0);
  }).toPass();

  // A letter does nothing once letters are switched off; keys with Ctrl still do.
  const brief = page.getByRole('region', { name: 'Brief' });
  const sentence = brief.getByRole('button', { name: /Keep those/ });
  const adding = brief.getByRole('button', { name: 'Add a condition' });
  await sentence.click();
  await page.keyboard.press('a');
  await expect(adding).toHaveCount(2);
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Shortcuts' }).click();
  await page.getByLabel('Keys without Ctrl or Alt are on').uncheck();
  await page.keyboard.press('Escape');
  await sentence.click();
  await page.keyboard.press('a');
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('dialog')).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(adding).toHaveCount(1);

  await page.goto(`${product.url}/workflow/${id}`);
  await expect(page.getByText('There is nothing at this address.')).toBeVisible();
  await page.getByRole('link', { name: 'Go to the workflows' }).click();
  await expect(page.getByRole('heading', { name: 'Workflows' })).toBeVisible();
});

for (const theme of ['light', 'dark'] as const) {
  test(`the three doors of an empty product are accessible in the ${theme} theme`, async ({ page, empty: product }) => {
    await page.emulateMedia({ colorScheme: theme });
    await page.goto(product.url);
    await expect(page.getByRole('heading', { name: 'Nothing is copied yet.' })).toBeVisible();
    expect(await faultsOf(page, 'Three doors', 'everything')).toEqual([]);
  });
}
