import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { ask, customersIntoTrade, trade } from './acts.ts';
import { expect, test } from './product.ts';

/** Everything that has ended did so a hundred days ago. */
function age(folder: string): void {
  const sqlite = new SQLite(join(folder, 'golden', 'golden.sqlite'));
  const then = new Date(Date.now() - 100 * 24 * 60 * 60_000).toISOString();
  sqlite.prepare('UPDATE item SET ended_at = ? WHERE ended_at IS NOT NULL').run(then);
  sqlite.close();
}

test('values of what ended long ago are taken out at a person’s wish; what became of it stays, and it can’t be undone', async ({
  page,
  ownDemo: product,
}) => {
  const workflow = await customersIntoTrade(page, product, 'all_in_step');
  const runs = () => ask<{ id: string; state: string }[]>(product, 'GET', `/api/workflows/${workflow}/runs`);
  await expect.poll(async () => (await runs()).every(({ state }) => state === 'done')).toBe(true);
  const run = (await runs()).at(-1)?.id ?? '';
  const before = await trade(product);
  await product.restart(async () => age(product.folder));

  await page.goto(`${product.url}/settings`);
  const section = page.getByRole('region', { name: 'How long values are kept' });
  await expect(section.getByText(/ended more than 90 days ago\.$/)).toBeVisible();
  // A number that doesn't go says which do.
  const days = section.getByLabel('Days to keep them');
  await days.fill('3');
  await section.getByRole('button', { name: 'Save the days' }).click();
  await expect(section.getByText('A whole number of days from 7 to 3650.')).toBeVisible();
  // Kept for longer, nothing is older.
  await days.fill('120');
  await section.getByRole('button', { name: 'Save the days' }).click();
  await expect(section.getByText('No values are older than 120 days.')).toBeVisible();
  await days.fill('30');
  await section.getByRole('button', { name: 'Save the days' }).click();
  await section.getByRole('button', { name: 'Take them out now' }).click();
  await expect(section.getByText('No values are older than 30 days.')).toBeVisible();

  // The other app isn't touched, and the run's sums are as they were.
  expect(await trade(product)).toEqual(before);
  await page.goto(`${product.url}/workflows/${workflow}/runs/${run}`);
  const sheet = page.getByRole('grid', { name: 'Run sheet' });
  await sheet.getByRole('row').filter({ hasText: 'delivered' }).first().click();
  await expect(
    page.getByText('It ended long ago: its values aren’t kept any more, and it can’t be undone.'),
  ).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Undo this run…' }).click();
  await expect(page.getByText(/what was there before isn’t kept any more/).first()).toBeVisible();
});
