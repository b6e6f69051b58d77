import { expect, test } from './product.ts';

test('a shop that is out for a while holds its records up: told on Today, gone on with by itself or at once', async ({
  page,
  demo: product,
}) => {
  const row = page.getByRole('row', { name: /Shop customers onto the customer list/ });
  await product.trouble('shop', 'fault', 500);
  await page.goto(product.url);
  await row.getByRole('link', { name: 'Shop customers onto the customer list' }).click();
  await page.getByRole('link', { name: 'Runs', exact: true }).click();
  await page.getByRole('button', { name: 'Check now' }).click();

  // Nobody is asked: it says why it waits, and when it is tried again.
  await page.goto(product.url);
  const note = page.getByRole('status').filter({ hasText: 'It is tried again by itself' });
  await expect(note).toContainText('Shop counter had a fault (500)');
  await expect(page.getByRole('heading', { level: 1 })).not.toContainText('source');

  // The server ends the hard way in the middle of it and starts again: it still knows.
  await product.restart();
  await page.goto(product.url);
  await expect(note).toBeVisible();

  await product.trouble('shop', 'fault', 0);
  await note.getByRole('button', { name: 'Try now' }).click();
  await expect(note).toBeHidden();
  await expect(row).toBeVisible();
});

test('how long an app is tried again by itself is a setting', async ({ page, demo: product }) => {
  await page.goto(`${product.url}/settings`);
  const hours = page.getByLabel('How many hours to keep trying an app that doesn’t answer');
  await expect(hours).toHaveValue('6');
  await hours.fill('400');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('A number of hours from 0 to 168.')).toBeVisible();
  await hours.fill('12');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.reload();
  await expect(hours).toHaveValue('12');
  await hours.fill('6');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('Saved.').first()).toBeVisible();
});
