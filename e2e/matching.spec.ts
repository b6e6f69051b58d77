import { join } from 'node:path';
import type { Page } from '@playwright/test';
import ExcelJS from 'exceljs';
import { cardKeys, shopKeys } from '../standins/src/index.ts';
import { addCustomer, ask, beginWorkspace, choose, goLive, makeLive, quieten, send, workflowCalled } from './acts.ts';
import { expect, type Product, test } from './product.ts';

// Finding who is who: from a rehearsal to balanced runs, an unclear match decided, copies merged and put back.

/** Adds a card on the index's own screen, as the people in sales do. */
async function addCard(page: Page, product: Product, type: string, given: Record<string, string>): Promise<string> {
  await page.goto(`${product.cards}/${type}/new`);
  for (const [label, value] of Object.entries(given)) await page.getByLabel(label, { exact: true }).fill(value);
  await page.getByRole('button', { name: /^Save/ }).click();
  await page.waitForURL(new RegExp(`/${type}/\\d+$`));
  return page.url().split('/').pop() ?? '';
}

for (const name of [
  'Paid orders to retail invoices',
  'Retail firms as trade customers',
  'Shop customers into the Ledger and the Card index',
]) {
  test(`the demo’s “${name}”: rehearsed with nothing written, then run, and the books balance`, async ({
    page,
    demo: product,
  }) => {
    const id = await workflowCalled(product, name);
    const goOn = await quieten(product, id);
    const writes = async (): Promise<number> => (await product.writes('ledger')) + (await product.writes('cards'));
    const before = await writes();
    await page.goto(`${product.url}/workflows/${id}/rehearse`);
    await page.getByRole('button', { name: 'the last 200', exact: true }).click();
    await expect(page.getByText(/nothing was written/)).toBeVisible({ timeout: 60_000 });
    await expect(page.getByText(/accounted for/)).toBeVisible();
    expect(await writes()).toBe(before);
    // Everything there is, so that there is something to run.
    const { content, rev } = await ask<{ content: { start: object }; rev: number }>(
      product,
      'GET',
      `/api/workflows/${id}`,
    );
    await ask(product, 'PUT', `/api/workflows/${id}/draft`, {
      rev,
      content: { ...content, start: { ...content.start, fromWhen: { kind: 'all' } } },
    });
    await page.reload();
    await goLive(page);
    await page.goto(`${product.url}/workflows/${id}/runs`);
    await expect
      .poll(async () => (await ask<{ state: string }[]>(product, 'GET', `/api/workflows/${id}/runs`))[0]?.state, {
        timeout: 90_000,
      })
      .toBe('done');
    interface Run {
      balance: { inSource: number; notedEarlier: number; takenIn: number; items: Record<string, number> };
    }
    const [run] = await ask<Run[]>(product, 'GET', `/api/workflows/${id}/runs`);
    const { inSource, notedEarlier, takenIn, items } = (run as Run).balance;
    expect(inSource).toBe(notedEarlier + takenIn);
    expect(Object.values(items).reduce((sum, one) => sum + one, 0)).toBe(takenIn);
    expect(items['delivered']).toBeGreaterThan(0);
    await ask(product, 'POST', `/api/workflows/${id}/off`);
    await goOn();
  });
}

test('a required id is looked up from its own cell; an unclear match is asked, decided by key, delivered; a wrong link is corrected', async ({
  page,
  empty: product,
}) => {
  await beginWorkspace(page, product);
  const connect = (app: string, name: string, address: string, key: string | undefined) =>
    ask<{ id: string }>(product, 'POST', '/api/connections', {
      app,
      name,
      settings: { address: `${address}/api` },
      key,
    });
  const shop = await connect('shop_counter', 'Shop counter', product.shop, shopKeys[0]?.key);
  const cards = await connect('card_index', 'Card index', product.cards, cardKeys[0]?.key);
  const plain = { 'First name': 'Ulla', 'Last name': 'Berg', Postcode: 'ZZ2 2QQ' };
  const first = await addCard(page, product, 'people', { ...plain, Street: '12 Ash Glaze Close' });
  const second = await addCard(page, product, 'people', { ...plain, Street: '13 Ash Glaze Close' });
  await addCustomer(page, product, {
    'First name': 'Ulla',
    'Last name': 'Berg',
    'E-mail': 'ulla@berg.example',
    Company: 'Kiln & Co',
    Street: 'Ash Glaze Close',
    Postcode: 'ZZ2 2QQ',
  });
  await addCard(page, product, 'companies', { Name: 'KILN AND CO LTD' });
  // Three choices make the draft; the company's id is looked up from the cell that wants it.
  const place = (connection: string, path: string) => ({ connection, path: [path], labels: [path] });
  const { id } = await ask<{ id: string }>(product, 'POST', '/api/workflows/from-choices', {
    from: place(shop.id, 'customers'),
    to: place(cards.id, 'people'),
    kind: 'all_in_step',
  });
  // The company's lookup came with the draft; somebody has taken it out, and wants it back.
  interface Draft {
    readonly rev: number;
    readonly content: { readonly steps: { readonly kind: string; readonly mapping: Record<string, unknown> }[] };
  }
  const { content, rev } = await ask<Draft>(product, 'GET', `/api/workflows/${id}`);
  expect(content.steps.map(({ kind }) => kind)).toEqual(['lookup', 'write']);
  const steps = content.steps.slice(1).map((step) => {
    const { '/company': _looked, ...mapping } = step.mapping;
    return { ...step, mapping };
  });
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: { ...content, steps } });
  await page.goto(`${product.url}/workflows/${id}?sentence=write-1`);
  await page.getByRole('button', { name: 'Fill company:' }).click();
  const filling = page.getByRole('region', { name: 'Filling of company' });
  await expect(filling.getByText('It needs a company’s id.')).toBeVisible();
  await filling.getByRole('button', { name: 'Look the company up' }).click();
  await expect(page.getByRole('button', { name: /Find the company in the Card index/ })).toBeVisible();
  await page.getByRole('button', { name: /Find the company in the Card index/ }).click();
  await page.getByLabel('If there is none').selectOption('empty');
  // Of the person only the firm's name tells of the firm, legal form and “and” or not.
  await expect(page.getByRole('region', { name: 'Candidates' }).getByRole('button', { name: '1 found' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Candidates' }).getByText('KILN AND CO LTD')).toBeVisible();
  await page.getByRole('button', { name: /Create or update the person/ }).click();
  await page.getByLabel('How records are written').selectOption('ladder');
  await page.getByRole('button', { name: /Recognised in \d ways?/ }).click();
  await expect(
    page.getByRole('region', { name: 'Candidates' }).getByRole('button', { name: '1 unclear' }),
  ).toBeVisible();
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await makeLive(product, id);
  // On the desk: side by side, by keyboard alone.
  await page.goto(`${product.url}/needs-you`);
  await expect(page.getByRole('heading', { name: 'One needs you' })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Which person in the Card index is this?' })).toBeVisible();
  await expect(page.getByRole('columnheader', { name: /Ulla Berg/ })).toHaveCount(3);
  await page.keyboard.press('2');
  // The street is written otherwise there, and nothing was sent to it yet: a person says whose counts.
  await page.getByRole('radio', { name: 'Ash Glaze Close', exact: true }).check();
  await page.getByRole('button', { name: 'Use what I chose' }).click();
  await expect(page.getByText('Nothing needs you.')).toBeVisible();
  const chosen = async (card: string): Promise<string> => (await fetch(`${product.cards}/people/${card}`)).text();
  const candidates = [first, second];
  const written = (await Promise.all(candidates.map(chosen))).findIndex((text) => text.includes('ulla@berg.example'));
  expect(written).toBeGreaterThanOrEqual(0);
  expect(await chosen(candidates[written] ?? '')).toContain('KILN AND CO LTD');
  // It was the other one after all: the link is corrected, and the next change goes there.
  await page.goto(`${product.url}/links`);
  await expect(page.getByText('chosen by a person')).toBeVisible();
  await page
    .getByRole('button', { name: /^Correct the link of/ })
    .first()
    .click();
  await page.getByLabel('The id of the right record').fill(candidates[1 - written] ?? '');
  await page.getByRole('button', { name: 'Correct it', exact: true }).click();
  await expect(page.getByText('corrected by a person')).toBeVisible();
  await page.goto(`${product.shop}/customers/10001`);
  await page.getByLabel('Phone').fill('07700 900 123');
  await send(page.getByRole('button', { name: 'Save customer' }));
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  // Nothing was ever sent to the other one, and its street is written otherwise too.
  await page.goto(`${product.url}/needs-you`);
  await page.getByRole('radio', { name: 'Ash Glaze Close', exact: true }).check();
  await page.getByRole('button', { name: 'Use what I chose' }).click();
  await expect.poll(() => chosen(candidates[1 - written] ?? '')).toContain('+447700900123');
});

test('copies in an app: found, the golden record chosen by hand, merged, and put back', async ({
  page,
  empty: product,
}) => {
  await beginWorkspace(page, product);
  await ask(product, 'POST', '/api/connections', {
    app: 'card_index',
    name: 'Card index',
    settings: { address: `${product.cards}/api` },
    key: cardKeys[0]?.key,
  });
  const ids = [
    await addCard(page, product, 'people', {
      'First name': 'Zoë',
      'Last name': 'Ó Briain',
      Email: 'zoe@clay.example',
      Phone: '07700 900 321',
    }),
    await addCard(page, product, 'people', {
      'First name': 'Zoe',
      'Last name': 'O’Briain',
      Email: 'zoe@clay.example',
      'Job title': 'Potter',
    }),
    await addCard(page, product, 'people', {
      'First name': 'Tamsin',
      'Last name': 'Vale',
      Email: 'tamsin@vale.example',
    }),
  ];
  await page.goto(`${product.url}/duplicates`);
  await page.getByRole('button', { name: 'Search for duplicates' }).click();
  await choose(page, 'App', 'Card index', page.getByRole('dialog'));
  await choose(page, 'Where in it', 'people', page.getByRole('dialog'));
  await page.getByRole('dialog').getByRole('button', { name: 'Search', exact: true }).click();
  const group = page.getByRole('region', { name: 'The group' });
  await expect(group.getByRole('heading', { name: 'These 2 are probably the same' })).toBeVisible({ timeout: 60_000 });
  // A value is taken by hand; the golden record shows it.
  await group.getByRole('button', { name: 'Ó Briain', exact: true }).click();
  await expect(group.getByText('by hand')).toBeVisible();
  await page.keyboard.press('s');
  await expect(page.getByText('All are settled.')).toBeVisible();
  const card = async (id: string | undefined): Promise<string> => (await fetch(`${product.cards}/people/${id}`)).text();
  const merged = await Promise.all(ids.slice(0, 2).map(card));
  const away = merged.findIndex((text) => text.includes('Put away'));
  expect(away).toBeGreaterThanOrEqual(0);
  expect(merged[1 - away]).toContain('value="Ó Briain"');
  expect(merged[1 - away]).toContain('value="Potter"');
  await page.getByRole('button', { name: '1 settled' }).click();
  await group.getByRole('button', { name: 'Undo the merge' }).click();
  await expect.poll(() => card(ids[away])).not.toContain('Put away');
  await expect.poll(() => card(ids[0])).not.toContain('Potter');
});

test('telephones that are none: the whole record beside the form, all settled at once, and a rule from it', async ({
  page,
  demo: product,
}) => {
  const on = await quieten(product);
  const id = await workflowCalled(product, 'Shop customers onto the customer list');
  // Other tests have their hands in the draft; it begins as what is live.
  const { rev, liveVersion } = await ask<{ rev: number; liveVersion: number }>(product, 'GET', `/api/workflows/${id}`);
  const live = await ask<{ content: object }>(product, 'GET', `/api/workflows/${id}/versions/${liveVersion}`);
  await ask(product, 'PUT', `/api/workflows/${id}/draft`, { rev, content: live.content });
  const names = ['Bea Quill', 'Cem Quill', 'Dai Quill'];
  for (const [at, name] of names.entries())
    await addCustomer(page, product, {
      'First name': name.split(' ')[0] ?? '',
      'Last name': 'Quill',
      'E-mail': `many${at}@quill.example`,
      Phone: `ask for ${at}`,
      'Country (two letters)': 'GB',
    });
  await ask(product, 'POST', `/api/workflows/${id}/on`);
  await ask(product, 'POST', `/api/workflows/${id}/check`);
  await page.goto(`${product.url}/needs-you`);
  const waits = page.getByRole('region', { name: 'What waits' });
  await waits
    .getByRole('button', { name: /Cem Quill.*customer list/ })
    .first()
    .click();
  const record = page.getByRole('region', { name: 'The whole record' });
  await expect(record).toContainText('many1@quill.example');
  await page.getByRole('button', { name: /^Settle \d+ like this at once/ }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByRole('radio', { name: 'Leave it empty' }).check();
  await expect(drawer.getByRole('row', { name: /Bea Quill/ })).toContainText('empty');
  // One is left to wait.
  await drawer
    .getByRole('row', { name: /Dai Quill/ })
    .getByRole('checkbox')
    .uncheck();
  await drawer.getByRole('checkbox', { name: /Make it a rule/ }).check();
  await drawer.getByRole('button', { name: /^Settle \d+ records$/ }).click();
  await expect(drawer).toBeHidden();
  await expect(waits.getByRole('button', { name: /Dai Quill.*customer list/ })).toHaveCount(1);
  await expect(waits.getByRole('button', { name: /(Bea|Cem) Quill.*customer list/ })).toHaveCount(0);

  // In the workbook itself: both are there, without a telephone.
  const book = new ExcelJS.Workbook();
  await book.xlsx.readFile(join(product.folder, 'practice', 'shelf', 'files', 'Customer list.xlsx'));
  const rows: string[] = [];
  book.getWorksheet('Customers')?.eachRow((row) => rows.push((row.values as unknown[]).join('|')));
  const there = rows.filter((row) => row.includes('@quill.example'));
  expect(there.map((row) => /many\d/.exec(row)?.[0]).sort()).toEqual(['many0', 'many1']);
  expect(there.join()).not.toContain('ask for');
  // The rule stands in the draft.
  const { content } = await ask<{
    content: { steps: { id: string; mapping?: Record<string, { unread?: string }> }[] };
  }>(product, 'GET', `/api/workflows/${id}`);
  expect(content.steps.find((step) => step.id === 'list')?.mapping?.['/Phone']?.unread).toBe('empty');
  await on();
});
