import { addCustomer, ask, goLive, makeLive, putAway, workflowCalled } from './acts.ts';
import { expect, test } from './product.ts';

const list = 'Shop customers onto the customer list';

test('going live says what came since the last check; a surge is looked at before it is let in; everything can be stopped', async ({
  page,
  demo: product,
}) => {
  const id = await workflowCalled(product, list);
  await page.goto(`${product.url}/workflows/${id}/rehearse`);
  await goLive(page);
  await expect(page).toHaveURL(/runs/);
  // Whoever comes while it still lists comes with this run.
  const states = () => ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`);
  await expect
    .poll(async () => (await states()).some(({ state }) => ['listing', 'working'].includes(state)))
    .toBe(false);
  await addCustomer(page, product, { 'First name': 'Uma', 'Last name': 'Between', 'E-mail': 'uma@between.example' });
  await page.goto(`${product.url}/workflows/${id}/rehearse`);
  await page.getByRole('button', { name: 'Make it live…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('It continues where the live version is.');
  await expect(dialog).toContainText('“Uma Between”');
  await expect(dialog).toContainText('It is taken in.');
  await page.screenshot({ path: test.info().outputPath('live.png') });
  await putAway(page);

  // More than three at once are held from now on.
  const { content, rev } = await ask<{ content: { start: object }; rev: number }>(
    product,
    'GET',
    `/api/workflows/${id}`,
  );
  const held = { ...content, start: { ...content.start, holdsAbove: 3 } };
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { content: held, rev });
  await makeLive(product, id);
  for (const name of ['Vera', 'Wim', 'Xaver', 'Yara'])
    await addCustomer(page, product, { 'First name': name, 'Last name': 'Surge', 'E-mail': `${name}@surge.example` });
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await page.goto(product.url);
  const card = page.getByRole('article').filter({ hasText: 'A check is on hold: far more records than usual.' });
  await expect(card).toContainText(list);
  await card.getByRole('button', { name: 'See what it is' }).click();
  await expect(dialog).toContainText('Vera Surge');
  await expect(dialog.getByRole('button', { name: 'Choose first' })).toBeDisabled();
  await page.screenshot({ path: test.info().outputPath('held.png') });
  await dialog.getByRole('radio', { name: /They are right/ }).check();
  await dialog.getByRole('button', { name: /^Take in/ }).click();
  await expect(card).toBeHidden();

  await page.getByRole('button', { name: 'Stop everything' }).click();
  await dialog.getByLabel('Reason (shown to everybody)').fill('stock-taking until noon');
  await dialog.getByRole('button', { name: 'Stop everything' }).click();
  const note = page.getByRole('status').filter({ hasText: 'Everything is stopped' });
  await expect(note).toContainText('stock-taking until noon');
  await product.restart();
  await page.goto(product.url);
  await expect(note).toBeVisible();
  await page.screenshot({ path: test.info().outputPath('stopped.png') });
  await note.getByRole('button', { name: 'Continue' }).click();
  await expect(note).toBeHidden();
});
