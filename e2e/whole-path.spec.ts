import { shelfAccounts, shopKeys } from '../standins/src/index.ts';
import {
  addCustomer,
  beginWorkspace,
  choose,
  connect,
  emptyDraft,
  fillField,
  putAway,
  putWorkbook,
  takeItBack,
} from './acts.ts';
import { expect, test } from './product.ts';

test('from an empty product to a row that arrives: seen before, sent once, settled', async ({
  page,
  empty: product,
}) => {
  await putWorkbook(product);
  await addCustomer(page, product, {
    'First name': ' Zoë ',
    'Last name': 'Ó Briain',
    'E-mail': 'Zoe@obriain.example',
    Phone: '01632 960 771',
    'Country (two letters)': 'IE',
  });
  await addCustomer(page, product, {
    Company: 'Kiln & Co.',
    'E-mail': 'office@kiln.example',
    Phone: 'ask for Dirk',
    'Country (two letters)': 'GB',
  });
  await addCustomer(page, product, { 'First name': 'Astrid', 'Last name': 'Lindqvist', 'Country (two letters)': 'SE' });

  // From nothing: a workflow, both apps connected in the flow of building.
  await beginWorkspace(page, product);
  await emptyDraft(page);
  await choose(page, 'From app', 'Connect another app…');
  await connect(page, 'Shop counter', shopKeys[1]?.key ?? '');
  await choose(page, 'Place', /^customers/);
  await expect(page.getByRole('tab', { name: '3 samples' })).toBeVisible();
  // The line stands at now: all three are known, none would be sent.
  await expect(page.getByRole('slider', { name: 'From when' })).toHaveAttribute(
    'aria-valuetext',
    'From now on: 3 already known, 0 sent',
  );

  // A condition, with each sample's verdict.
  await page.getByRole('button', { name: 'Add a condition' }).click();
  await page.getByRole('button', { name: 'Add a test' }).click();
  await choose(page, 'Field', /^address · country/);
  await page.getByLabel('Values, separated by commas').fill('GB, IE');
  await expect(page.getByText('2 of 3 samples kept')).toBeVisible();

  // A write: the shelf is connected from here, and the fields are mapped over all samples.
  await page.getByRole('button', { name: 'Add or update a record' }).click();
  await choose(page, 'To app', 'Connect another app…');
  await connect(page, 'Workbook shelf', shelfAccounts[0]?.token ?? '');
  await choose(page, 'Place', /^Customer list.xlsx/);
  await choose(page, 'Place in Customer list.xlsx', /^Customers\s*0 rows/);
  await fillField(page, 'Number', 'id');
  await fillField(page, 'E-mail', 'email');
  await page.getByRole('button', { name: 'lower case' }).click();
  await fillField(page, 'Phone', 'phone');
  await page.getByRole('button', { name: 'international phone, GB if no code' }).click();
  await page.getByRole('button', { name: 'Fill Name:' }).click();
  await page.getByRole('button', { name: 'text with fields' }).click();
  await page.getByLabel('Search the fields').fill('first name');
  await page.getByLabel('Search the fields').press('Enter');
  await page.getByRole('button', { name: 'words' }).click();
  await page.getByRole('button', { name: 'field', exact: true }).click();
  await page.getByLabel('Search the fields').fill('last name');
  await page.getByLabel('Search the fields').press('Enter');
  await page.getByRole('button', { name: 'single spaces' }).click();
  await choose(page, 'Matched by', 'Number');
  const sheet = page.getByLabel('Mapping sheet');
  await expect(sheet.getByText('Zoë Ó Briain', { exact: true }).last()).toBeVisible();
  await expect(sheet.getByText('zoe@obriain.example')).toBeVisible();
  await expect(sheet.getByText('+441632960771')).toBeVisible();
  await expect(sheet.getByText('“ask for Dirk” can’t be read as a telephone number.')).toBeVisible();
  await page.getByLabel('Name of the workflow').fill('Customers onto the list');
  await page.getByLabel('Name of the workflow').press('Enter');
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();

  // Rehearsed: everything shown, nothing written.
  const before = [await product.writes('shop'), await product.writes('shelf')];
  await page.getByRole('button', { name: 'Rehearse', exact: true }).click();
  const balance = page.getByLabel('Balance');
  await expect(balance).toContainText(/accounted for/);
  await expect(balance).toContainText('3in Shop counter=3taken in=1delivered1left out1needs you');
  expect([await product.writes('shop'), await product.writes('shelf')]).toEqual(before);

  // One for real: sent, read back, and taken back.
  await page.getByRole('button', { name: 'Send one for real' }).click();
  await page.getByRole('radio', { name: /Zoë/ }).check();
  await page.getByRole('button', { name: 'Send this one' }).click();
  const drawer = page.getByRole('dialog');
  await expect(drawer.getByText('read back as sent')).toBeVisible();
  await expect(drawer.getByRole('row', { name: 'Phone +441632960771 +441632960771' })).toBeVisible();
  await expect(drawer.getByRole('link', { name: 'Open it there' })).toHaveAttribute(
    'href',
    /Customer%20list.xlsx.*#row-2$/,
  );
  await takeItBack(drawer);
  await expect(drawer.getByText('undone', { exact: true })).toBeVisible();
  await putAway(page);

  // Switched on, only from now on: nothing of what is there is sent.
  await page.getByRole('button', { name: 'Make it live…' }).click();
  await expect(page.getByRole('dialog')).toContainText(
    'Of the 3 customers that are there, 0 are taken in now and 3 are marked as already known.',
  );
  await page.getByRole('button', { name: 'Make it live', exact: true }).click();
  await expect(page.getByText('first run, version 1')).toBeVisible();
  await expect(page.getByRole('row', { name: /first run/ })).toContainText('330');

  // A customer is added in the shop; the row arrives, and the run balances from the source on.
  await addCustomer(page, product, {
    'First name': 'Priya',
    'Last name': 'Nair',
    'E-mail': 'priya@clay.example',
    Phone: '07700 900 123',
    'Country (two letters)': 'GB',
  });
  await addCustomer(page, product, {
    Company: 'Thistle Studio',
    'E-mail': 'hello@studio.example',
    Phone: 'see e-mail',
    'Country (two letters)': 'GB',
  });
  await page.getByRole('button', { name: 'Check now' }).click();
  await page
    .getByRole('row', { name: /by hand/ })
    .getByRole('link')
    .click();
  await expect(balance).toContainText('1delivered1needs you');
  await expect(balance).toContainText(/accounted for/);

  // The awkward record is settled: its value is set, and it goes on.
  await page.getByRole('row', { name: /Thistle Studio/ }).click();
  await drawer.getByLabel('Phone').fill('01632 960 555');
  await drawer.getByRole('button', { name: 'Set this value and retry' }).click();
  await expect(drawer.getByText('Written as new')).toBeVisible();
  await putAway(page);
  await expect(balance).toContainText('2delivered');

  // Both rows stand in the workbook, once.
  await page.goto(`${product.shelf}/files/Customer%20list.xlsx`);
  await expect(page.getByText('2 rows')).toBeVisible();
  await expect(page.getByLabel('Name of row 2')).toHaveValue('Priya Nair');
  await expect(page.getByLabel('Phone of row 2')).toHaveValue('+447700900123');
});

test('a draft survives the server’s crash and a reload while it is edited', async ({ page, empty: product }) => {
  await beginWorkspace(page, product);
  await emptyDraft(page);
  await product.restart(async () => {
    await page.getByRole('button', { name: 'Add a condition' }).click();
    await expect(page.getByText('Not saved yet, but kept on this machine', { exact: false })).toBeVisible();
  });
  await expect(page.getByText('Draft saved', { exact: false })).toBeVisible();
  await page.reload();
  await expect(page.getByText('a test is met').first()).toBeVisible();
});

test('a message arrives when the shop breaks, and its records wait as one case', async ({ page, demo: product }) => {
  await page.goto(`${product.url}/connections`);
  const check = page
    .getByRole('row')
    .filter({ hasText: 'Copying only' })
    .or(page.getByRole('row').filter({ hasText: 'web page' }));
  await product.trouble('shop', 'html', 3);
  await check.getByRole('button', { name: 'Check now' }).click();
  await expect(page.getByText('answered with a web page instead of data', { exact: false })).toBeVisible();
  await product.trouble('shop', 'html', 0);
  await check.getByRole('button', { name: 'Check now' }).click();
  await expect(page.getByText('Signed in as Copying only', { exact: false })).toBeVisible();
});
