import { ask } from './acts.ts';
import { expect, type Product, test } from './product.ts';

/** Whoever is signed in at an app is in another account from now on. */
const otherAccount = (url: string, account: string) =>
  fetch(`${url}/practice/account`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ account }),
  });

async function shopConnection(product: Product): Promise<{ id: string; name: string }> {
  const all = await ask<{ id: string; name: string; app: string }[]>(product, 'GET', '/api/connections');
  const shop = all.find((one) => one.app === 'shop_counter');
  if (!shop) throw new Error('The shop isn’t connected.');
  return shop;
}

test('a connection that leads elsewhere asks once whether it is the same account, with its new key', async ({
  page,
  demo: product,
}) => {
  const { id, name } = await shopConnection(product);
  await page.goto(`${product.url}/connections`);
  await page.getByRole('button', { name, exact: true }).click();
  const drawer = page.getByRole('dialog');
  const address = drawer.getByLabel('Web address of the app');
  const before = await address.inputValue();
  // The same shop under another name of this machine.
  await address.fill(before.replace('127.0.0.1', 'localhost'));
  await drawer.getByRole('button', { name: 'Save and check' }).click();
  await expect(drawer.getByText('Enter it again for the new address.')).toBeVisible();
  await drawer.getByLabel('New access key').fill('shop-practice-9K2M-readonly');
  await drawer.getByRole('button', { name: 'Save and check' }).click();
  const question = drawer.getByRole('region', { name: 'Which account this is' });
  await expect(question).toContainText('localhost');
  await page.screenshot({ path: test.info().outputPath('account.png') });
  await expect(drawer.getByRole('button', { name: 'Save and check' })).toBeDisabled();
  // Another account would need to be told what becomes of the records there.
  await question.getByRole('radio', { name: /^Another account/ }).check();
  await expect(drawer.getByRole('button', { name: 'Save and check' })).toBeDisabled();
  await page.screenshot({ path: test.info().outputPath('account-other.png') });
  await question.getByRole('radio', { name: /^The same account/ }).check();
  await drawer.getByRole('button', { name: 'Save and check' }).click();
  await expect(page.getByText('Saved and checked.')).toBeVisible();
  await expect(question).toBeHidden();

  // The app itself names another account: nothing is asked there until it is said.
  await otherAccount(product.shop, 'another-shop');
  await ask(product, 'POST', `/api/connections/${id}/check`);
  await page.reload();
  await expect(page.getByText('Say whether it is the same one.')).toBeVisible();
  await page.getByRole('button', { name, exact: true }).click();
  await page.screenshot({ path: test.info().outputPath('account-asked.png') });
  await question.getByRole('radio', { name: /^The same account/ }).check();
  await drawer.getByRole('button', { name: 'So it is' }).click();
  await expect(question).toBeHidden();
  await expect(drawer.getByText('Signed in as').first()).toBeVisible();
});
