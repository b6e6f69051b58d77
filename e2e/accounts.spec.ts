import { addCustomer, ask, workflowCalled } from './acts.ts';
import { expect, type Product, test } from './product.ts';

const list = 'Shop customers onto the customer list';

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
  const address = drawer.getByLabel('Address of its interface');
  const before = await address.inputValue();
  // The same shop under another name of this machine.
  await address.fill(before.replace('127.0.0.1', 'localhost'));
  await drawer.getByRole('button', { name: 'Save and check' }).click();
  await expect(drawer.getByText('Give it again for the new address.')).toBeVisible();
  await drawer.getByLabel('New key').fill('shop-practice-9K2M-readonly');
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

test('going live says what came since the last check; a surge is looked at before it is let in; everything can be stopped', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, list);
  await page.goto(`${product.url}/workflows/${id}/rehearse`);
  await page.getByRole('button', { name: 'Make it live…' }).click();
  await page
    .getByRole('button', { name: /^Make it live/ })
    .last()
    .click();
  await expect(page).toHaveURL(/runs/);
  await addCustomer(page, product, { 'First name': 'Uma', 'Last name': 'Between', 'E-mail': 'uma@between.example' });
  await page.goto(`${product.url}/workflows/${id}/rehearse`);
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('It goes on where the live version stands.');
  await expect(dialog).toContainText('“Uma Between”');
  await expect(dialog).toContainText('It is taken in.');
  await page.screenshot({ path: test.info().outputPath('live.png') });
  await page.keyboard.press('Escape');

  // More than three at once are held from now on.
  const { content, rev } = await ask<{ content: { start: object }; rev: number }>(
    product,
    'GET',
    `/api/workflows/${id}`,
  );
  const held = { ...content, start: { ...content.start, holdsAbove: 3 } };
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { content: held, rev });
  await ask(product, 'POST', `/api/workflows/${id}/live`);
  for (const name of ['Vera', 'Wim', 'Xaver', 'Yara'])
    await addCustomer(page, product, { 'First name': name, 'Last name': 'Surge', 'E-mail': `${name}@surge.example` });
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await page.goto(product.url);
  const card = page.getByRole('article').filter({ hasText: 'A check is held: far more than usual.' });
  await expect(card).toContainText(list);
  await card.getByRole('button', { name: 'See what it is' }).click();
  await expect(dialog).toContainText('Vera Surge');
  await expect(dialog.getByRole('button', { name: 'Choose first' })).toBeDisabled();
  await page.screenshot({ path: test.info().outputPath('held.png') });
  await dialog.getByRole('radio', { name: /They are right/ }).check();
  await dialog.getByRole('button', { name: /^Take in/ }).click();
  await expect(card).toBeHidden();

  await page.getByRole('button', { name: 'Stop everything' }).click();
  await dialog.getByLabel('A word why, for whoever reads it').fill('stock-taking until noon');
  await dialog.getByRole('button', { name: 'Stop everything' }).click();
  const note = page.getByRole('status').filter({ hasText: 'Everything is stopped' });
  await expect(note).toContainText('stock-taking until noon');
  await product.restart();
  await page.goto(product.url);
  await expect(note).toBeVisible();
  await page.screenshot({ path: test.info().outputPath('stopped.png') });
  await note.getByRole('button', { name: 'Let it go on' }).click();
  await expect(note).toBeHidden();
});
