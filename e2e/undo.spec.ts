import { ask, byHand, customersIntoTrade, putAway, trade } from './acts.ts';
import { expect, type Product, startProduct, test } from './product.ts';

interface Sums {
  readonly takenIn: number;
  readonly items: Readonly<Record<string, number>>;
}

async function sumsOf(product: Product, run: string): Promise<Sums> {
  return (await ask<{ balance: Sums }>(product, 'GET', `/api/runs/${run}`)).balance;
}

test('a run of three hundred is undone where four were edited since; it can be sent again', async ({ page }) => {
  const product = await startProduct(true, 300);
  try {
    const before = await trade(product);
    const workflow = await customersIntoTrade(page, product, 'all_in_step');
    const runs = () => ask<{ id: string; state: string }[]>(product, 'GET', `/api/workflows/${workflow}/runs`);
    await expect.poll(async () => (await runs()).every(({ state }) => state === 'done')).toBe(true);
    const run = (await runs()).at(-1)?.id ?? '';
    const { takenIn, items } = await sumsOf(product, run);
    expect(takenIn).toBeGreaterThanOrEqual(300);

    // Four of those that the run made are edited on the Ledger's own screens.
    const made = (await trade(product)).filter(({ id }) => !before.some((one) => one.id === id));
    const edited = made.filter(({ mail }) => mail !== '').slice(20, 24);
    for (const one of edited)
      await byHand(product, one.id, { do: 'save', electronicMail: one.mail, telephone: '+44 1632 960 777' });

    // As a person does: from the run.
    await page.goto(`${product.url}/workflows/${workflow}/runs/${run}`);
    await page.getByRole('button', { name: 'Undo this run…' }).click();
    const sum = page.getByRole('region', { name: 'What becomes of the run' });
    await expect(sum.getByRole('button', { name: /changed since/ })).toContainText('4');
    const main = page.getByRole('button', { name: /^Undo \d+ records…$/ });
    await expect(main).toBeVisible();
    const count = Number(/\d+/.exec((await main.textContent()) ?? '')?.[0]);
    // Some customers are in the shop twice: the second changed what the first made, and goes back with it.
    expect(count).toBeGreaterThanOrEqual(made.length - 4);
    // Looking has changed nothing, and both values of what was edited are told.
    expect(await trade(product)).toHaveLength(before.length + made.length);
    await sum.getByRole('button', { name: /changed since/ }).click();
    const sheet = page.getByRole('table');
    await expect(sheet.getByRole('row', { name: /“\+44 1632 960 777” is there now/ })).toHaveCount(4);
    await sum.getByRole('button', { name: /changed since/ }).click();

    // One is left as it is; what is done is said before it is done.
    await sheet
      .getByRole('row')
      .filter({ has: page.getByText('removed', { exact: true }) })
      .first()
      .getByRole('checkbox')
      .uncheck();
    await page.getByRole('button', { name: `Undo ${count - 1} records…` }).click();
    const dialog = page.getByRole('dialog');
    await expect(dialog).toContainText(
      `At most ${made.length - 4} records are removed from Ledger → Trade → Customers`,
    );
    await dialog.getByRole('button', { name: `Undo ${count - 1} records` }).click();
    await expect(page.getByText(`${count - 1} records were undone`)).toBeVisible();
    await expect(sum.getByRole('button', { name: `${count - 1} undone` })).toBeVisible();

    // The truth from outside: only what was there before, the four and the one are left.
    const left = await trade(product);
    expect(left).toHaveLength(before.length + 5);
    for (const one of edited)
      expect(left.find(({ id }) => id === one.id)?.telephone.replace(/\s/g, '')).toBe('+441632960777');
    for (const one of before) expect(left).toContainEqual(one);
    const now = await sumsOf(product, run);
    expect(now.items['undone']).toBe(count - 1);
    expect(now.items['delivered']).toBe((items['delivered'] ?? 0) - (count - 1));

    // From the run's own line, and one record's story.
    await page.getByRole('link', { name: 'The run' }).click();
    await page
      .getByRole('region', { name: 'Balance' })
      .getByRole('button', { name: /undone/ })
      .click();
    await page.getByRole('link', { name: new RegExp(`Undone: ${count - 1} of`) }).click();
    await sum.getByRole('button', { name: `${count - 1} undone` }).click();
    await sheet
      .getByRole('row')
      .filter({ has: page.getByText('undone', { exact: true }) })
      .first()
      .getByRole('button')
      .click();
    await expect(page.getByRole('dialog').getByText('undone', { exact: true })).toBeVisible();
    await putAway(page);

    await page.getByRole('button', { name: `Send these ${count - 1} again` }).click();
    await page.waitForURL(/runs\/[^/]+$/);
    await expect.poll(async () => (await runs()).every(({ state }) => state === 'done')).toBe(true);
    await expect.poll(async () => (await trade(product)).length).toBe(before.length + made.length);
  } finally {
    await product.stop();
  }
});
