import { ask, byHand, customersIntoTrade, putAway, trade, workflowCalled } from './acts.ts';
import { expect, type Product, startProduct, test } from './product.ts';

interface Figures {
  readonly left: number;
  readonly right: number;
  readonly agree: number;
  readonly differ: number;
  readonly onlyLeft: number;
  readonly onlyRight: number;
  readonly doubled: number;
  readonly doubledRight: number;
}

/** Waits until a look has ended: both sides are read while the page is there already. */
const looked = (product: Product, id: string): Promise<void> =>
  expect.poll(async () => (await ask<{ state: string }>(product, 'GET', `/api/reconciles/${id}`)).state).toBe('done');

async function figuresOf(product: Product, id: string): Promise<Figures> {
  return (await ask<{ figures: Figures }>(product, 'GET', `/api/reconciles/${id}`)).figures;
}

test('two hundred go missing, thirty are altered, five doubled by hand: found exactly, put right, and then none is found', async ({
  page,
}) => {
  const product = await startProduct(true, 500);
  try {
    // A copy of all customers, done and delivered.
    const made = await customersIntoTrade(page, product, 'all_in_step');
    await expect
      .poll(async () => {
        const runs = await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${made}/runs`);
        return runs.length > 0 && runs.every(({ state }) => state === 'done');
      })
      .toBe(true);

    // As a person does: from the workflow's menu. What couldn't be delivered is told from what is gone.
    await page.goto(`${product.url}/workflows/${made}`);
    await page.getByRole('button', { name: /^What to do with/ }).click();
    await page.getByRole('menuitem', { name: 'What should be there and isn’t' }).click();
    await expect(page.getByRole('button', { name: 'Compare again' })).toBeVisible();
    const id = new URL(page.url()).searchParams.get('id') ?? '';
    await looked(product, id);
    const before = await figuresOf(product, id);
    expect(before.agree).toBeGreaterThan(250);

    const there = await trade(product);
    const known = new Map<string, number>();
    for (const { mail } of there) known.set(mail, (known.get(mail) ?? 0) + 1);
    // Those that agree alone: with an e-mail that nobody else has, and a telephone to alter.
    const plain = await plainOnes(
      product,
      id,
      there.filter(({ mail, telephone }) => mail !== '' && telephone !== '' && known.get(mail) === 1),
    );
    expect(plain.length).toBeGreaterThan(235);
    const gone = plain.slice(0, 200);
    const altered = plain.slice(200, 230);
    const doubled = plain.slice(230, 235);
    for (const one of gone) await byHand(product, one.id, { do: 'remove' });
    for (const one of altered)
      await byHand(product, one.id, { do: 'save', electronicMail: one.mail, telephone: '+44 1632 960 999' });
    for (const one of doubled) await byHand(product, one.id, { do: 'copy' });

    await page.getByRole('button', { name: 'Compare again' }).click();
    await expect
      .poll(() => figuresOf(product, id))
      .toMatchObject({
        agree: before.agree - 235,
        differ: before.differ + 30,
        onlyLeft: before.onlyLeft + 200,
        onlyRight: before.onlyRight,
        doubled: before.doubled + 5,
      });
    const sum = page.getByRole('region', { name: 'Sum of Shop counter' });
    await expect(sum).toContainText(`${before.onlyLeft + 200}only here`);
    await sum.getByRole('button', { name: /only here/ }).click();
    const sheet = page.getByRole('table');
    await expect(sheet.getByRole('row', { name: /was delivered, and isn’t there any more/ }).first()).toBeVisible();
    // One of those that differ, side by side.
    await sum.getByRole('button', { name: /differ/ }).click();
    await page.getByRole('button', { name: /^telephone \d+/ }).click();
    await expect(sheet.locator('tbody tr').filter({ hasText: '960 999' })).toHaveCount(30);
    await sheet.locator('tbody tr').filter({ hasText: '960 999' }).first().getByRole('button').click();
    await expect(page.getByRole('dialog')).toContainText('Differs in');
    await putAway(page);

    // The plan is rehearsed: nothing is written by it. Only telephones are put right, from the shop.
    const writes = await product.writes('ledger');
    await page.getByRole('button', { name: 'Plan the repair…' }).click();
    const drawer = page.getByRole('dialog');
    await expect(drawer).toContainText(`Make the ${before.onlyLeft + 200} that are only in Shop counter in Ledger too`);
    await expect(drawer.getByLabel('Which telephone wins')).toHaveValue('from_here');
    await drawer.getByRole('button', { name: 'Rehearse it' }).click();
    await expect(drawer.getByRole('status')).toContainText('rehearsed');
    expect(await product.writes('ledger')).toBe(writes);
    await drawer.getByRole('link', { name: 'See what would happen' }).click();
    await expect(page.getByRole('button', { name: /^new 2\d\d$/ })).toBeVisible();
    await page.getByRole('button', { name: 'Carry it out' }).click();
    await page.waitForURL(/\/workflows\/[^/]+\/runs\/[^/]+$/);
    const [, repair = '', , run = ''] = new URL(page.url()).pathname.slice(1).split('/');
    await expect
      .poll(
        async () =>
          (await ask<{ id: string; state: string }[]>(product, 'GET', `/api/workflows/${repair}/runs`)).find(
            (one) => one.id === run,
          )?.state,
      )
      .toBe('done');
    await expect(page.getByRole('region', { name: 'Balance' }).getByRole('status')).toContainText('accounted for');

    // The truth from outside: each is in the Ledger's own list again, with the shop's telephone.
    const now = await trade(product);
    for (const one of gone) expect(now.filter(({ mail }) => mail === one.mail)).toHaveLength(1);
    const telephones = new Map(now.map(({ id: number, telephone }) => [number, telephone.replace(/\D/g, '')]));
    for (const one of altered) expect(telephones.get(one.id)).toBe(one.telephone.replace(/\D/g, ''));

    await page.goto(`${product.url}/reconcile?id=${id}`);
    await page.getByRole('button', { name: 'Merge what is doubled' }).click();
    await page.getByRole('button', { name: /^Merge all that are sure enough/ }).click();
    await page
      .getByRole('dialog')
      .getByRole('button', { name: /^Merge/ })
      .click();
    await expect(page.getByText('All are settled.')).toBeVisible();
    await page.goto(`${product.url}/reconcile?id=${id}`);
    await page.getByRole('button', { name: 'Compare again' }).click();
    await expect.poll(() => figuresOf(product, id)).toMatchObject({ onlyRight: before.onlyRight, differ: 0 });
    const after = await figuresOf(product, id);
    // Nothing is missing but what can’t be written: the repair made some that had needed a person before, too.
    expect(after.onlyLeft).toBeLessThanOrEqual(before.onlyLeft);
    // What is still doubled is doubled in the shop: each group is one record there.
    expect(after.doubledRight).toBeLessThanOrEqual(after.doubled);
    const merged = await trade(product);
    for (const one of doubled) expect(merged.filter(({ mail }) => mail === one.mail)).toHaveLength(1);
  } finally {
    product.stop();
  }
});

/** Of some records there, those that are in nothing that the comparison has found. */
async function plainOnes<T extends { id: string }>(product: Product, id: string, some: readonly T[]): Promise<T[]> {
  const rows = await ask<{ right: { id: string }[] }[]>(product, 'GET', `/api/reconciles/${id}/rows?limit=500`);
  const found = new Set(rows.flatMap(({ right }) => right.map((one) => one.id)));
  return some.filter((one) => !found.has(one.id));
}

test('two places are compared by keyboard; what counts as equal is set, saved as a file, and forgotten', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/reconcile`);
  await page.getByRole('button', { name: 'Compare two places' }).focus();
  await page.keyboard.press('Enter');
  const drawer = page.getByRole('dialog');
  const choose = async (label: string, text: string): Promise<void> => {
    await drawer.getByRole('combobox', { name: label }).focus();
    await page.keyboard.press('Enter');
    await page.getByRole('combobox', { name: /./, expanded: true }).last().waitFor();
    await page.keyboard.type(text);
    await expect(page.getByRole('option', { name: new RegExp(`^${text}`, 'i') }).first()).toBeVisible();
    await page.keyboard.press('Enter');
  };
  await choose('These: App', 'Shop counter');
  await choose('These: Where in it', 'customers');
  await choose('With: App', 'Card index');
  await choose('With: Where in it', 'people');
  await drawer.getByRole('button', { name: 'Compare', exact: true }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Compare again' })).toBeVisible();
  const id = new URL(page.url()).searchParams.get('id') ?? '';
  // The first look may still be under way.
  await looked(product, id);
  const before = await figuresOf(product, id);
  expect(before.left).toBe(
    before.agree +
      before.differ +
      before.onlyLeft +
      (before as never as { doubledLeft: number }).doubledLeft +
      (before as never as { unclearLeft: number }).unclearLeft,
  );
  expect(before.differ).toBeGreaterThan(0);

  // Without the field that differs most, fewer differ.
  const most = page
    .locator('button[aria-pressed]')
    .filter({ hasText: /^[a-z].* \d+$/ })
    .first();
  const field = (await most.textContent())?.replace(/ \d+$/, '') ?? '';
  await page.getByRole('button', { name: 'What is compared' }).click();
  await drawer.getByLabel(`What counts as equal for ${field}`, { exact: true }).selectOption('none');
  await drawer.getByRole('button', { name: 'Save and compare again' }).click();
  await expect(drawer).toBeHidden();
  // While it is looked at anew there are no figures.
  await expect
    .poll(async () => (await figuresOf(product, id))?.differ ?? Number.POSITIVE_INFINITY)
    .toBeLessThan(before.differ);

  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as CSV' }).click();
  expect((await saved).suggestedFilename()).toMatch(/\.csv$/);
  await page.getByRole('button', { name: 'Forget this comparison' }).click();
  await page.getByRole('button', { name: 'Forget it' }).click();
  // Other tests may have compared something in the same product.
  await expect
    .poll(async () => (await ask<{ id: string }[]>(product, 'GET', '/api/reconciles')).map((one) => one.id))
    .not.toContain(id);
  await expect(page).not.toHaveURL(new RegExp(`id=${id}`));
  expect(await workflowCalled(product, 'Repair')).toBe('');
});

test('somebody’s own list is one of the two sides', async ({ page, demo: product }) => {
  await page.goto(`${product.url}/reconcile`);
  await page.getByRole('button', { name: 'Compare two places' }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByLabel('These: A file').setInputFiles({
    name: 'From the old till.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('Name,E-mail,Phone\nAda Only,ada@only.example,01632 960 123\nBea Only,bea@only.example,\n'),
  });
  await expect(drawer.getByRole('combobox', { name: 'These: App' })).toContainText('List folder');
  await drawer.getByRole('combobox', { name: 'With: App' }).click();
  await page.getByRole('option', { name: /^Shop counter/ }).click();
  await drawer.getByRole('combobox', { name: 'With: Where in it' }).click();
  await page.getByRole('option', { name: /^customers/i }).click();
  await drawer.getByRole('button', { name: 'Compare', exact: true }).click();
  const sum = page.getByRole('region', { name: 'Sum of List folder' });
  await expect(sum.getByRole('button', { name: '2 only here' })).toBeVisible();
  const id = new URL(page.url()).searchParams.get('id') ?? '';
  await looked(product, id);
  await expect(page.getByRole('row', { name: /Ada Only/ })).toBeVisible();
  await page.getByRole('button', { name: 'Forget this comparison' }).click();
  await page.getByRole('button', { name: 'Forget it' }).click();
});
