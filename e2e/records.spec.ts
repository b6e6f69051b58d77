import { ask, customersIntoTrade, putAway, workflowCalled } from './acts.ts';
import { expect, test } from './product.ts';

interface Found {
  readonly records: {
    readonly title: string;
    readonly key: { readonly id: string };
    readonly items: number;
    readonly state: string;
  }[];
}

test('a customer is found by part of a telephone number and followed through three workflows; side by side; a lead that was left out is brought in', async ({
  page,
  ownDemo: product,
}) => {
  // Somebody whom two workflows have taken in already, with a telephone.
  const { records } = await ask<Found>(product, 'GET', '/api/records?text=960');
  const customer = records.find(({ items }) => items > 1);
  if (!customer) throw new Error('Nobody has gone through two workflows.');
  const { fields } = await ask<{ fields: { label: string; cells: ({ value: unknown } | null)[] }[] }>(
    product,
    'GET',
    `/api/records/now?${new URLSearchParams(customer.key as never)}`,
  );
  const telephone = String(fields.find(({ label }) => /phone/i.test(label))?.cells[0]?.value ?? '');
  const digits = telephone.replace(/\D/g, '');
  expect(digits.length).toBeGreaterThan(8);

  const third = await customersIntoTrade(page, product, 'in_step');
  await page.goto(`${product.url}/records`);
  await expect(page.getByText('Did it go through?')).toBeVisible();
  await page.getByLabel('Find a record').fill(digits.slice(-6));
  await expect(page.getByRole('status').filter({ hasText: /records? holds? it/ })).toBeVisible();
  await page.getByRole('table').getByRole('button', { name: customer.title }).first().click();
  const trail = page.getByRole('list', { name: 'Trail' });
  await expect(
    trail.getByText(/^Taken in from Shop counter, by “Shop customers onto the customer list”/),
  ).toBeVisible();
  await expect(
    trail.getByText(/^Taken in from Shop counter, by “Shop customers into the Ledger and the Card index”/),
  ).toBeVisible();
  const now = page.getByRole('region', { name: 'As it is now' });
  for (const app of ['Shop counter', 'Workbook shelf', 'Ledger'])
    await expect(now.getByRole('columnheader', { name: new RegExp(app) })).toBeVisible();
  // A third workflow knew the customer already, and takes it in after all.
  await expect(trail.getByText(/^Already known when “Shop counter customers into Ledger” began/)).toBeVisible();
  await page.getByRole('button', { name: 'Send again…' }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByRole('radio', { name: /Shop counter customers into Ledger/ }).check();
  await drawer.getByRole('button', { name: 'Send it' }).click();
  await page.waitForURL(new RegExp(`/workflows/${third}/runs/`));
  await expect(page.getByRole('region', { name: 'Balance' })).toBeVisible();
  await page.goBack();
  await expect(trail.getByText(/^Taken in from Shop counter, by “Shop counter customers into Ledger”/)).toBeVisible();
  // A sentence opens the way through that run.
  await trail.getByText(/^Made in Workbook shelf/).click();
  await expect(page.getByRole('dialog').getByText('delivered', { exact: true })).toBeVisible();
  await putAway(page);
  // Who is remembered to be whom stands beside it; a pair is cut there, and nothing else of it.
  const pairs = page.getByRole('region', { name: 'Who is whom' }).getByRole('listitem');
  await expect(pairs.first()).toBeVisible();
  const remembered = await pairs.count();
  await pairs
    .first()
    .getByRole('button', { name: /^Remove the link of/ })
    .click();
  await page.getByRole('dialog').getByRole('button', { name: 'Cut it' }).click();
  await expect(pairs).toHaveCount(remembered - 1);

  // A lead without a word of news was left out, and says why; after all it is brought in.
  const leads = await workflowCalled(product, 'Kiln leads, followed up');
  const left = (await ask<Found>(product, 'GET', '/api/records?text=Marcelina')).records.find(
    ({ state }) => state === 'left_out',
  );
  if (!left) throw new Error('No lead was left out.');
  await page.getByLabel('Find a record').fill('Marcelina');
  await page.getByRole('table').getByRole('button', { name: left.title }).first().click();
  await expect(trail.getByText(/^Left out: wants news/)).toBeVisible();
  const lead = await (await fetch(`${product.cards}/leads/${left.key.id}`)).text();
  expect(lead).toContain('Marcelina');
  await page.getByRole('button', { name: 'Send again…' }).click();
  await drawer.getByRole('radio', { name: /Kiln leads, followed up/ }).check();
  await drawer.getByRole('button', { name: 'Send it' }).click();
  await page.waitForURL(new RegExp(`/workflows/${leads}/runs/`));

  // The palette finds it too, by keyboard alone.
  await page.keyboard.press('Control+k');
  await page.keyboard.type('Marcelina');
  await expect(page.getByRole('option', { name: /Marcelina.*Card index, lead/ }).first()).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: left.title })).toBeVisible();
});
