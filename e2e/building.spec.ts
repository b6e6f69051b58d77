import type { Page } from '@playwright/test';
import { shelfAccounts, shopKeys } from '../standins/src/index.ts';
import { addCustomer, beginWorkspace, goLive, Hand, putAway, putWorkbook, send } from './acts.ts';
import { expect, type Product, test } from './product.ts';

async function threeCustomers(page: Page, product: Product): Promise<void> {
  const given: Record<string, string>[] = [
    { 'First name': ' Zoë ', 'Last name': 'Ó Briain', 'E-mail': 'Zoe@obriain.example', Phone: '01632 960 771' },
    { Company: 'Kiln & Co.', 'E-mail': 'office@kiln.example', Phone: 'ask for Dirk' },
    { 'First name': 'Astrid', 'Last name': 'Lindqvist', 'E-mail': 'astrid@clay.example' },
  ];
  for (const one of given) await addCustomer(page, product, { ...one, 'Country (two letters)': 'GB' });
}

test('three choices lead from an empty product to a rehearsed workflow within 25 interactions', async ({
  page,
  empty: product,
}) => {
  await putWorkbook(product);
  await threeCustomers(page, product);
  const hand = new Hand();
  await page.goto(product.url);
  await hand.click(page.getByRole('button', { name: 'New workflow' }).first());

  // From: the shop, connected on the way, and its customers.
  await hand.click(page.getByLabel('From which app').getByRole('button', { name: /Shop counter/ }));
  await hand.type(page.getByLabel('Access key'), shopKeys[1]?.key ?? '');
  await hand.click(page.getByRole('button', { name: 'Connect', exact: true }));
  await hand.click(page.getByLabel('Places').getByRole('button', { name: /^customers/ }));
  await expect(page.getByRole('region', { name: 'From', exact: true })).toContainText('3 customers · 15 fields');

  // To: the shelf, a file, a tab, each with what it holds.
  await hand.click(page.getByLabel('To which app').getByRole('button', { name: /Workbook shelf/ }));
  await hand.type(page.getByLabel('Token'), shelfAccounts[0]?.token ?? '');
  await hand.click(page.getByRole('button', { name: 'Connect', exact: true }));
  await hand.click(page.getByLabel('Places').getByRole('button', { name: 'Customer list.xlsx' }));
  await hand.click(page.getByLabel('Places').getByRole('button', { name: /^Customers/ }));
  await expect(page.getByRole('region', { name: 'To', exact: true })).toContainText('It is empty.');
  // A look elsewhere loses nothing of what was chosen.
  await page.reload();
  await expect(page.getByRole('region', { name: 'From', exact: true })).toContainText('3 customers · 15 fields');
  await expect(page.getByRole('region', { name: 'To', exact: true })).toContainText('It is empty.');
  await hand.click(page.getByRole('radio', { name: /^Add each new one/ }));
  await hand.click(page.getByRole('button', { name: 'Make the draft' }));

  // The draft: named, keyed and mapped, each proposal with its reason.
  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Shop counter customers into Workbook shelf');
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet.getByText('Zoë Ó Briain', { exact: true }).last()).toBeVisible();
  await expect(sheet.getByText('zoe@obriain.example')).toBeVisible();
  await expect(sheet.getByText('+441632960771')).toBeVisible();
  await hand.click(page.getByRole('button', { name: 'Fill Number:' }));
  await expect(page.getByText('Suggested: both mean number', { exact: false })).toContainText('the app’s own id');
  await hand.click(page.getByRole('button', { name: 'Accept 4 suggested' }));

  const before = [await product.writes('shop'), await product.writes('shelf')];
  await hand.click(page.getByRole('button', { name: 'Rehearse', exact: true }));
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  await expect(page.getByLabel('Balance')).toContainText('3taken in=2delivered1needs you');
  expect([await product.writes('shop'), await product.writes('shelf')]).toEqual(before);
  expect(hand.count).toBeLessThanOrEqual(25);
});

/** Presses Tab until the control of that name has the focus. */
async function tabTo(page: Page, name: RegExp, most = 90): Promise<void> {
  for (let presses = 0; presses < most; presses++) {
    const focused = await page.evaluate(() => {
      const element = document.activeElement as HTMLElement | null;
      const labels = (element as HTMLInputElement | null)?.labels;
      return element?.getAttribute('aria-label') ?? (labels?.[0]?.textContent || (element?.textContent ?? ''));
    });
    if (name.test(focused.trim())) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`No control “${name}” within ${most} presses of Tab.`);
}

test('the whole path by keyboard alone: three choices, a condition, a field, rehearsed and made live', async ({
  page,
  empty: product,
}) => {
  await putWorkbook(product);
  await threeCustomers(page, product);
  const { keyboard } = page;
  const enter = async (name: RegExp): Promise<void> => {
    await tabTo(page, name);
    await keyboard.press('Enter');
  };
  await page.goto(product.url);
  await expect(page.getByRole('heading', { name: 'Nothing is copied yet.' })).toBeVisible();
  await keyboard.press('Control+k');
  await keyboard.type('new workflow');
  await keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'What is copied where?' })).toBeVisible();
  await enter(/^Shop counter/);
  await tabTo(page, /^Access key$/);
  await keyboard.type(shopKeys[0]?.key ?? '');
  await keyboard.press('Enter');
  await expect(page.getByLabel('Places')).toBeVisible();
  await enter(/^customers/);
  await expect(page.getByText('3 customers · 15 fields')).toBeVisible();
  await enter(/^Workbook shelf/);
  await tabTo(page, /^Token$/);
  await keyboard.type(shelfAccounts[0]?.token ?? '');
  await keyboard.press('Enter');
  await expect(page.getByLabel('Places')).toBeVisible();
  await enter(/^Customer list\.xlsx/);
  await expect(page.getByLabel('Places').getByRole('button', { name: /^Customers/ })).toBeVisible();
  await enter(/^Customers/);
  await expect(page.getByText('It is empty.')).toBeVisible();
  await tabTo(page, /^Keep them in step/);
  await keyboard.press('ArrowDown');
  await expect(page.getByRole('radio', { name: /^Bring everything over/ })).toBeChecked();
  await enter(/^Make the draft/);

  // The brief: a condition after the start, by its key; then back to the write with the arrows.
  await expect(page.getByLabel('Mapping sheet').getByText('+441632960771')).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await keyboard.press('ArrowUp');
  await keyboard.press('a');
  await keyboard.press('Enter');
  await enter(/^Add a test$/);
  await enter(/^Field$/);
  await keyboard.type('email');
  await keyboard.press('Enter');
  await tabTo(page, /^Operator$/);
  await keyboard.type('contains');
  await tabTo(page, /^Value$/);
  await keyboard.type('.example');
  await expect(page.getByText('3 of 3 samples kept')).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await keyboard.press('ArrowDown');
  await expect(page.getByLabel('Mapping sheet')).toBeVisible();

  // The sheet: from row to row, to the problem, and into the field's filling.
  await keyboard.press('n');
  await expect(page.getByRole('button', { name: 'Fill Phone:' })).toBeFocused();
  await keyboard.press('ArrowUp');
  await expect(page.getByRole('button', { name: 'Fill E-mail:' })).toBeFocused();
  await keyboard.press('y');
  await expect(page.getByRole('button', { name: 'Accept 3 suggested' })).toBeVisible();
  await keyboard.press('ArrowDown');
  await keyboard.press('y');
  await enter(/^international phone, GB if no code$/);
  await expect(page.getByLabel('Mapping sheet').getByText('ask for Dirk')).toBeVisible();
  // Delete on a row clears its filling, not the sentence; undo brings it back.
  await page.getByRole('button', { name: 'Fill Name:' }).focus();
  await keyboard.press('Delete');
  await expect(page.getByRole('button', { name: 'Fill Name:' })).toContainText('not filled');
  await keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: 'Fill Name:' })).toContainText('first name');

  // Rehearsed by a key, made live.
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await keyboard.press('r');
  await expect(page.getByLabel('Balance')).toContainText('3taken in=3delivered');
  await enter(/^Make it live…$/);
  await expect(page.getByRole('dialog')).toContainText('3 are taken in now');
  await enter(/^Accept it$/);
  await enter(/^Make it live and take in 3$/);
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await expect(page.getByRole('row', { name: /first run/ })).toContainText('3033');
});

async function firstWorkflow(product: Product): Promise<string> {
  const rows = (await (await fetch(`${product.url}/api/workflows`)).json()) as { id: string; name: string }[];
  return rows.find((row) => row.name.startsWith('Shop customers'))?.id ?? '';
}

test('a renamed column stops the write, is told on Today, and is mapped again', async ({ page, demo: product }) => {
  const id = await firstWorkflow(product);
  await product.edit('Customer list.xlsx', 'Customers', { kind: 'rename_column', column: 4, name: 'Telephone' });
  await addCustomer(page, product, {
    'First name': 'Priya',
    'Last name': 'Nair',
    'E-mail': 'priya.drift@clay.example',
    Phone: '07700 900 123',
    'Country (two letters)': 'GB',
  });
  const before = await product.writes('shelf');
  await page.goto(`${product.url}/workflows/${id}/runs`);
  await page.getByRole('button', { name: 'Check now' }).click();
  // Asked now, or by the clock a moment before.
  await expect(page.getByRole('row').filter({ hasText: '1 needs you' }).first()).toBeVisible();
  expect(await product.writes('shelf')).toBe(before);

  await page.goto(product.url);
  await expect(page.getByText('1 record stopped: the destination changed.')).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText('“Phone” is likely “Telephone” now', { exact: false })).toBeVisible();
  await page.getByRole('link', { name: 'Map it again' }).click();
  // The card leads to the step itself.
  await page.getByRole('button', { name: 'See what changed' }).click();
  await expect(page.getByText('used by the mapping of “Phone”', { exact: false })).toBeVisible();
  await expect(page.getByLabel('What “Phone” is now')).toHaveText('Telephone');
  await page.getByRole('button', { name: 'Map again like this' }).click();
  await expect(page.getByRole('button', { name: 'Fill Telephone:' })).toContainText('phone');
  await expect(page.getByRole('button', { name: 'Map again like this' })).toBeHidden();
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await expect(page.getByLabel('Balance')).toContainText(/accounted for/);
  await expect(page.getByText('has changed:', { exact: false })).toHaveCount(0);

  // The version that is to go live says what is otherwise.
  await page.getByRole('link', { name: 'Versions' }).click();
  await expect(page.getByText('“Telephone” is filled with phone, international phone, GB if no code.')).toBeVisible();
  await product.edit('Customer list.xlsx', 'Customers', { kind: 'rename_column', column: 4, name: 'Phone' });
});

test('two tabs on one draft: what each changed is kept; the same thing changed twice is asked about', async ({
  page,
  demo: product,
}) => {
  const id = await firstWorkflow(product);
  const copy = (await (
    await fetch(`${product.url}/api/workflows/${id}/duplicate`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
    })
  ).json()) as {
    id: string;
  };
  const other = await page.context().newPage();
  for (const one of [page, other]) {
    await one.goto(`${product.url}/workflows/${copy.id}`);
    await expect(one.getByText('Draft saved', { exact: false })).toBeVisible();
  }
  const saved = async () =>
    (await (await fetch(`${product.url}/api/workflows/${copy.id}`)).json()) as {
      content: { name: string; start: { trigger: { minutes: number } } };
    };
  // What the other window saves arrives only after this one's, so both have changed the same revision.
  let first = 60;
  await other.route('**/draft', async (route) => {
    await expect.poll(async () => (await saved()).content.start.trigger.minutes).toBe(first);
    await route.continue();
  });
  await page.getByLabel('How often', { exact: true }).selectOption({ label: 'every hour' });
  await other.getByLabel('Name of the workflow').fill('Named in the other window');
  await other.getByLabel('Name of the workflow').press('Enter');
  await expect
    .poll(async () => [(await saved()).content.name, (await saved()).content.start.trigger.minutes], {
      timeout: 60_000,
    })
    .toEqual(['Named in the other window', 60]);
  await expect(page.getByLabel('Name of the workflow')).toHaveValue('Named in the other window');
  await expect(other.getByLabel('How often', { exact: true })).toHaveValue('60');

  first = 1440;
  await page.getByLabel('How often', { exact: true }).selectOption({ label: 'once a day' });
  await other.getByLabel('How often', { exact: true }).selectOption({ label: 'every minute' });
  await expect(other.getByText('Nothing is overwritten until you choose', { exact: false })).toBeVisible({
    timeout: 60_000,
  });
  await other.getByRole('button', { name: 'Keep my version' }).click();
  await expect.poll(async () => (await saved()).content.start.trigger.minutes).toBe(1);
  await other.close();
});

test('a ready-made workflow that waits for “becomes” fires once, on the change only', async ({
  page,
  demo: product,
}) => {
  await page.goto(`${product.url}/workflows/new`);
  await page.getByRole('button', { name: /^New trade accounts for the bookkeeper/ }).click();
  await expect(page.getByRole('dialog')).toContainText('becomes “trade” in the Shop counter');
  await page.getByRole('button', { name: 'Make a draft' }).click();
  await page.getByRole('link', { name: 'Rehearse' }).click();
  await goLive(page);
  await expect(page.getByText('first run, version 1')).toBeVisible();

  const shop = await page.context().newPage();
  await addCustomer(page, product, {
    'First name': 'Tamsin',
    'Last name': 'Wheelwright',
    'E-mail': 't@studio.example',
  });
  const setAccount = async (account: string): Promise<void> => {
    await shop.goto(`${product.shop}/?q=t@studio.example`);
    await shop.getByRole('link', { name: 'Tamsin Wheelwright' }).click();
    await shop.getByLabel('Account').selectOption(account);
    await send(shop.getByRole('button', { name: 'Save customer' }));
  };
  const check = async (times: number): Promise<void> => {
    await page.getByRole('button', { name: 'Check now' }).click();
    await expect(page.getByRole('row', { name: /by hand/ })).toHaveCount(times);
    await expect(page.getByText('on its way')).toHaveCount(0);
  };
  const rows = async (): Promise<string> => {
    await shop.goto(`${product.shelf}/files/Customer%20list.xlsx?tab=Trade%20accounts`);
    return shop.getByText(/^\d+ rows$/).innerText();
  };
  await check(1);
  expect(await rows()).toBe('0 rows');
  await setAccount('trade');
  await check(2);
  await expect.poll(rows).toBe('1 rows');
  await setAccount('trade');
  await check(3);
  expect(await rows()).toBe('1 rows');
  await shop.close();
});

test('samples: found, made up and listened for; they stand on the sheet as what they are', async ({
  page,
  demo: product,
}) => {
  const id = await firstWorkflow(product);
  await page.goto(`${product.url}/workflows/${id}?sentence=list`);
  await page.getByRole('button', { name: 'Samples', exact: true }).click();
  const drawer = page.getByRole('dialog');
  await drawer.getByRole('button', { name: 'Paste JSON' }).click();
  await drawer.getByLabel('A record, or a list of records, as JSON').fill('{"first_name": ');
  await drawer.getByRole('button', { name: 'Use as made-up samples' }).click();
  await expect(drawer.getByText('This is not valid JSON', { exact: false })).toBeVisible();
  const made = {
    first_name: 'Made',
    last_name: 'Up',
    email: 'made@up.example',
    address: { country: 'GB' },
    phone: 'x',
  };
  await drawer.getByLabel('A record, or a list of records, as JSON').fill(JSON.stringify(made));
  await drawer.getByRole('button', { name: 'Use as made-up samples' }).click();
  await expect(drawer.getByText('made up').first()).toBeVisible();

  await drawer.getByRole('button', { name: 'Listen for a new one' }).click();
  await expect(drawer.getByText('Listening for', { exact: false })).toBeVisible();
  await page.waitForTimeout(600);
  await addCustomer(page, product, { Company: 'Heard Pottery', 'E-mail': 'heard@kiln.example' });
  await expect(drawer.getByText('Found: Heard Pottery', { exact: false })).toBeVisible({ timeout: 60_000 });

  await drawer.getByRole('button', { name: 'Find others' }).click();
  await drawer.getByLabel('Text in any field').fill('Earth, Fire');
  await drawer.getByRole('button', { name: 'Find', exact: true }).click();
  await drawer.getByRole('region', { name: 'More samples' }).getByRole('checkbox').first().check();
  await drawer.getByRole('button', { name: /on the sheet$/ }).click();
  await putAway(page);
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet.getByRole('columnheader', { name: /Made Up made up/ })).toBeVisible();
  await expect(sheet.getByText('“x” can’t be read as a telephone number.')).toBeVisible();

  // Made up can't be sent for real.
  await page.getByRole('button', { name: 'Send one for real' }).click();
  await expect(page.getByRole('dialog').getByRole('radio', { name: /Made Up/ })).toHaveCount(0);
});

test('a missing tab is made on the way, with the source’s fields as its columns', async ({ page, empty: product }) => {
  await putWorkbook(product);
  await threeCustomers(page, product);
  await beginWorkspace(page, product);
  await page.getByRole('button', { name: 'New workflow' }).first().click();
  await page
    .getByLabel('From which app')
    .getByRole('button', { name: /Shop counter/ })
    .click();
  await page.getByLabel('Access key').fill(shopKeys[1]?.key ?? '');
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  await page
    .getByLabel('Places')
    .getByRole('button', { name: /^customers/ })
    .click();
  await expect(page.getByText('3 customers · 15 fields')).toBeVisible();
  await page
    .getByLabel('To which app')
    .getByRole('button', { name: /Workbook shelf/ })
    .click();
  await page.getByLabel('Token').fill(shelfAccounts[0]?.token ?? '');
  await page.getByRole('button', { name: 'Connect', exact: true }).click();
  await page.getByLabel('Places').getByRole('button', { name: 'Customer list.xlsx' }).click();
  await page.getByRole('button', { name: 'Make a new tab' }).click();
  await page.getByLabel('Name of the tab').fill('Customers');
  await page.getByRole('button', { name: 'Make it', exact: true }).click();
  await expect(page.getByText('has a tab “Customers” already', { exact: false })).toBeVisible();
  await page.getByLabel('Name of the tab').fill('From the shop');
  await page.getByRole('button', { name: 'Make it', exact: true }).click();
  await expect(page.getByRole('region', { name: 'To', exact: true })).toContainText('0 rows · 15 fields');
  await page.getByRole('button', { name: 'Make the draft' }).click();
  await expect(page.getByText('of 15 filled', { exact: false })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Fill id:' })).toContainText('id');
});

test('asked at set times, or only when somebody says so: brief, list and “Check now” follow', async ({
  page,
  demo: product,
}) => {
  const id = await firstWorkflow(product);
  const made = await fetch(`${product.url}/api/workflows/${id}/duplicate`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
  });
  const { id: copy } = (await made.json()) as { id: string };
  await page.goto(`${product.url}/workflows/${copy}`);
  const brief = page.getByRole('region', { name: 'Brief' });
  await page.getByLabel('When it is checked').selectOption({ label: 'at set times' });
  await expect(brief).toContainText('which is checked at 06:00 on Monday to Friday');
  await page.getByLabel('At what time', { exact: true }).fill('18:30');
  // Days by the keyboard: Monday stays, the four after it go.
  await page.getByRole('toolbar', { name: 'On which days' }).getByRole('button', { name: 'Tuesday' }).focus();
  const days = ['Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
  for (const [at, day] of days.slice(0, -1).entries()) {
    await page.keyboard.press('Space');
    await expect(brief).not.toContainText(`at 18:30 on ${day}`);
    await page.keyboard.press('ArrowRight');
    // The focus follows a moment later.
    await expect(
      page.getByRole('toolbar', { name: 'On which days' }).getByRole('button', { name: days[at + 1] ?? '' }),
    ).toBeFocused();
  }
  await expect(brief).toContainText('which is checked at 18:30 on Monday');
  await expect(page.getByText(/^Next: Mon \d+ \w+ 18:30, Mon/)).toBeVisible();
  await page.getByRole('toolbar', { name: 'On which days' }).getByRole('button', { name: 'Monday' }).click();
  await expect(brief).toContainText('Choose the days.');

  await page.getByLabel('When it is checked').selectOption({ label: 'by hand' });
  await expect(brief).toContainText('which is checked by hand');
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  await goLive(page);
  await expect(page.getByText('is live', { exact: false }).first()).toBeVisible();
  await page.goto(`${product.url}/workflows`);
  const row = page.getByRole('row').filter({ has: page.locator(`a[href="/workflows/${copy}"]`) });
  await expect(row).toContainText('by hand');
  await page.goto(`${product.url}/workflows/${copy}/runs`);
  await page.getByRole('button', { name: 'Check now' }).click();
  await expect(page.getByRole('table').getByText('by hand', { exact: false }).first()).toBeVisible();
  // The tests after this one know the demo as it was.
  const headers = { 'content-type': 'application/json' };
  await fetch(`${product.url}/api/workflows/${copy}/off`, { method: 'POST', headers });
  const removed = await fetch(`${product.url}/api/workflows/${copy}`, { method: 'DELETE', headers });
  expect(removed.status).toBe(200);
});
