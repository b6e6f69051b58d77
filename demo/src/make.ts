import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { defaultScheme } from '@golden/core';
import { exportWorkflow, makeServices, masterKey, saveSettings } from '@golden/server';
import { listen, shelfAccounts, shopCounter, shopKeys, workbookShelf } from '@golden/standins';
import { DateTime } from 'luxon';
import { demoCustomers } from './customers.ts';
import { customerList, openDayCsv, priceList } from './workbooks.ts';
import { customersOntoTheList, enquiriesOntoTheTab, newTradeAccounts } from './workflows.ts';

// Makes the demo's data: practice apps filled, both connected, one workflow live with its first run done.

const { values } = parseArgs({
  options: {
    data: { type: 'string', default: '.data' },
    shop: { type: 'string', default: '4601' },
    shelf: { type: 'string', default: '4602' },
    customers: { type: 'string', default: '1318' },
  },
});

/** Days back from which the ready workflow takes customers in. */
const daysBack = 21;

const folder = resolve(values.data);
if (existsSync(join(folder, 'golden', 'golden.sqlite'))) {
  console.log('The demo data are there already.');
} else {
  await make();
}

async function make(): Promise<void> {
  const now = new Date().toISOString();
  mkdirSync(join(folder, 'practice', 'shelf'), { recursive: true });
  mkdirSync(join(folder, 'golden'), { recursive: true });
  const shop = shopCounter(join(folder, 'practice', 'shop.sqlite'));
  const shelf = workbookShelf(join(folder, 'practice', 'shelf'));
  shop.store.addAll(demoCustomers(Number(values.customers), now));
  const earlier = shop.store.search('', 100_000, 0).sort((one, other) => one.id - other.id);
  shelf.files.replace(
    'Customer list.xlsx',
    await customerList(earlier.filter((_, at) => at < earlier.length * 0.82 || at % 3 === 0)),
    undefined,
  );
  shelf.files.replace('Trade prices.xlsx', await priceList(), undefined);
  shelf.files.set('Trade prices.xlsx', { right: 'view' });
  shelf.files.replace('Open day enquiries.csv', openDayCsv(), undefined);
  console.log(`Made ${shop.store.count()} customers and 3 workbooks of Saltmarsh Kiln Supply.`);

  const shopAt = await listen(shop.app, Number(values.shop));
  const shelfAt = await listen(shelf.app, Number(values.shelf));
  const services = await makeServices({
    dataFile: join(folder, 'golden', 'golden.sqlite'),
    masterKey: masterKey(process.env['GOLDEN_KEY'], join(folder, 'golden.key')),
  });
  await saveSettings(services.db, {
    workspace: 'Saltmarsh Kiln Supply',
    zone: 'Europe/London',
    country: 'GB',
    isPractice: true,
    naming: defaultScheme,
    isSetUp: true,
  });
  const from = await services.connections.add({
    app: 'shop_counter',
    name: 'Shop counter',
    settings: { address: `${shopAt.url}/api` },
    key: shopKeys.find((one) => !one.mayWrite)?.key ?? '',
  });
  const to = await services.connections.add({
    app: 'workbook_shelf',
    name: 'Workbook shelf',
    settings: { address: `${shelfAt.url}/api` },
    key: shelfAccounts.find((one) => one.mayEdit)?.token ?? '',
  });
  const place = async (connection: string, path: string[]) => ({
    connection,
    path,
    labels: path,
    described: await (await services.connections.connector(connection)).describe(path),
  });
  const since = DateTime.fromISO(now).minus({ days: daysBack }).toISODate() ?? now;
  const content = customersOntoTheList(
    await place(from.id, ['customers']),
    await place(to.id, ['Customer list.xlsx', 'Customers']),
    since,
  );
  const { id } = await services.workflows.add(content, 'Customers');
  await services.engine.rehearse(id, 'last_200');
  await services.engine.rehearsals.wait(id);
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  const enquiries = enquiriesOntoTheTab(
    await place(to.id, ['Open day enquiries.csv', 'Open day enquiries']),
    await place(to.id, ['Customer list.xlsx', 'Open day']),
  );
  await services.workflows.add(enquiries, 'Enquiries');
  const accounts = newTradeAccounts(
    await place(from.id, ['customers']),
    await place(to.id, ['Customer list.xlsx', 'Trade accounts']),
  );
  mkdirSync(join(folder, 'golden', 'ready'), { recursive: true });
  for (const one of [content, accounts, enquiries]) {
    const file = await exportWorkflow(services, one);
    writeFileSync(join(folder, 'golden', 'ready', `${one.name}.json`), JSON.stringify(file, null, 2));
  }
  console.log('Made two workflows in folders, ran the first once, and put three ready-made ones beside them.');
  await services.close();
  await shopAt.close();
  await shelfAt.close();
}
