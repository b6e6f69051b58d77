import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { comesByItself, defaultScheme } from '@golden/core';
import {
  connectList,
  exportFolder,
  exportWorkflow,
  listApp,
  makeServices,
  masterKey,
  realSeams,
  saveSettings,
} from '@golden/server';
import { companies, listen } from '@golden/standins';
import { DateTime } from 'luxon';
import { addApprovals } from './approvals.ts';
import { addBeginnings } from './beginnings.ts';
import { stopAnswers, withdrawnConsents } from './consents.ts';
import { addFollowUp } from './follow-up.ts';
import { addMails } from './mails.ts';
import { customersIntoBooksAndCards, paidOrdersToInvoices, retailToTrade } from './matching.ts';
import { addNewPeople, readyNewPeople } from './new-people.ts';
import type { ledgerCustomers } from './orders.ts';
import { fillPracticeApps } from './practice-data.ts';
import { settleAllButLessons } from './settled.ts';
import {
  customersOntoTheList,
  enquiriesOntoTheTab,
  invoicesToDeals,
  leadsOntoTheNewsletter,
  newTradeAccounts,
} from './workflows.ts';

// Makes the demo's data: practice apps filled and connected, one workflow live for two weeks. With --practice
// FOLDER only the practice apps are filled, and the last line says as JSON how they are connected.

const { values } = parseArgs({
  options: {
    data: { type: 'string', default: '.data' },
    practice: { type: 'string' },
    shop: { type: 'string', default: '4601' },
    shelf: { type: 'string', default: '4602' },
    ledger: { type: 'string', default: '4603' },
    cards: { type: 'string', default: '4604' },
    enquiry: { type: 'string', default: '4606' },
    notice: { type: 'string', default: '4607' },
    post: { type: 'string', default: '4608' },
    jobs: { type: 'string', default: '4611' },
    pocket: { type: 'string', default: '4612' },
    newsletter: { type: 'string', default: '4613' },
    cabinet: { type: 'string', default: '4614' },
    window: { type: 'string', default: '4615' },
    customers: { type: 'string', default: '1318' },
  },
});

/** Days back from which the ready workflow takes customers in, and those that it has been on. */
const daysBack = 21;
const daysLived = 13;
/** Days back from which customers were matched with the Ledger and the Card index. */
const daysMatched = 9;
/** Days back from which leads are followed up. */
const daysFollowed = 40;
/** So many trade firms are to get an account at the counter, the newest. */
const firmsApproved = 12;

const folder = resolve(values.data);
if (values.practice !== undefined) {
  const { shop, customers, keys, post, work, pocket, letters } = await fillPracticeApps(
    resolve(values.practice),
    Number(values.customers),
    new Date().toISOString(),
  );
  shop.store.addAll(customers);
  work.store.close();
  pocket.store.close();
  letters.store.close();
  post.store.close();
  console.log(JSON.stringify(keys));
} else if (existsSync(join(folder, 'golden', 'golden.sqlite'))) {
  console.log('The demo data are there already.');
} else {
  await make();
}

/** The day from which those came. */
function newestFirms(inBooks: ReturnType<typeof ledgerCustomers>): string {
  const days = inBooks
    .filter(({ content }) => content.company === 'trade' && content.contactName !== null)
    .map(({ createdAt }) => createdAt.slice(0, 10))
    .sort()
    .reverse();
  return days[Math.min(firmsApproved, days.length) - 1] ?? '2026-01-01';
}

async function make(): Promise<void> {
  const now = new Date().toISOString();
  mkdirSync(join(folder, 'golden'), { recursive: true });
  const {
    shop,
    shelf,
    books,
    inBooks,
    cards,
    box,
    board,
    post,
    work,
    pocket,
    letters,
    cabinet,
    site,
    customers,
    said,
    keys,
  } = await fillPracticeApps(join(folder, 'practice'), Number(values.customers), now);
  console.log(`Made ${said}.`);

  const shopAt = await listen(shop.app, Number(values.shop));
  const shelfAt = await listen(shelf.app, Number(values.shelf));
  const booksAt = await listen(books.app, Number(values.ledger));
  const cardsAt = await listen(cards.app, Number(values.cards));
  const boxAt = await listen(box.app, Number(values.enquiry));
  const workAt = await listen(work.app, Number(values.jobs));
  const boardAt = await listen(board.app, Number(values.notice));
  const pocketAt = await listen(pocket.app, Number(values.pocket));
  const lettersAt = await listen(letters.app, Number(values.newsletter));
  const cabinetAt = await listen(cabinet.app, Number(values.cabinet));
  const siteAt = await listen(site.app, Number(values.window));
  await post.listen(0, 0);
  const postAt = await listen(post.app, Number(values.post));
  // The product lives through the last days in quick motion, so that its books have a past.
  const begin = DateTime.fromISO(now).minus({ days: daysLived }).startOf('day').plus({ hours: 7 }).toMillis();
  let behind = Date.now() - begin;
  const clock = (): number => Date.now() - behind;
  const services = await makeServices({
    seams: { ...realSeams, now: () => new Date(clock()).toISOString() },
    dataFile: join(folder, 'golden', 'golden.sqlite'),
    masterKey: masterKey(process.env['GOLDEN_KEY'], join(folder, 'golden.key')),
  });
  await saveSettings(services.db, {
    workspace: 'Saltmarsh Kiln Supply',
    zone: 'Europe/London',
    country: 'GB',
    isPractice: true,
    naming: defaultScheme,
    mayCallInside: false,
    retryHours: 6,
    keepDays: 90,
    publicAddress: '',
    proxies: [],
    news: { mostADay: 3, calendar: '' },
    business: {
      address: '4 Quay Lane\nSaltmarsh ZZ1 2AB\nUnited Kingdom',
      phone: '+44 1632 960 100',
      email: 'hello@saltmarsh.example',
      website: 'https://saltmarsh.example',
      signature: 'Mira Holm\nSaltmarsh Kiln Supply',
    },
    mailDomain: '',
    isSetUp: true,
  });
  const connect = async (app: string, url: string) => {
    const { name, key, settings } = keys.find((one) => one.app === app) ?? { name: app, key: '', settings: {} };
    return services.connections.add({ app, name, settings: { ...settings, address: `${url}/api` }, key });
  };
  const from = await connect('shop_counter', shopAt.url);
  const to = await connect('workbook_shelf', shelfAt.url);
  const intoBooks = await connect('ledger', booksAt.url);
  const intoCards = await connect('card_index', cardsAt.url);
  await connect('enquiry_box', boxAt.url);
  await connect('notice_board', boardAt.url);
  const mails = await connect('post_room', postAt.url);
  await connect('job_board', workAt.url);
  await connect('pocket_messages', pocketAt.url);
  await connect('newsletter_list', lettersAt.url);
  const keysAt = await connect('key_cabinet', cabinetAt.url);
  const onSite = await connect('window_display', siteAt.url);
  const place = async (connection: string, path: string[], labels = path) => ({
    connection,
    path,
    labels,
    described: await (await services.connections.connector(connection)).describe(path),
  });
  const since = DateTime.fromISO(now).minus({ days: daysBack }).toISODate() ?? now;
  const content = customersOntoTheList(
    await place(from.id, ['customers']),
    await place(to.id, ['Customer list.xlsx', 'Customers']),
    since,
  );
  const { id } = await services.workflows.add(content, 'Customers');
  const cameUntil = (moment: number): void => {
    const known = shop.store.count();
    shop.store.addAll(customers.slice(known).filter((one) => Date.parse(one.createdAt) <= moment));
  };
  cameUntil(clock());
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  while (behind > 0) {
    behind = Math.max(0, behind - 24 * 3600 * 1000);
    cameUntil(clock());
    if (behind === 0) {
      // The rehearsal shows what the last check is about to do.
      await services.engine.rehearse(id, 'last_200');
      await services.engine.rehearsals.wait(id);
    }
    await services.engine.finish(await services.engine.checkNow(id, 'check'));
  }
  await services.engine.retryConnection(from.id);
  await services.engine.retryConnection(to.id);
  const enquiries = enquiriesOntoTheTab(
    await place(to.id, ['Open day enquiries.csv', 'Open day enquiries']),
    await place(to.id, ['Customer list.xlsx', 'Open day']),
  );
  await services.workflows.add(enquiries, 'Enquiries');
  const accounts = newTradeAccounts(
    await place(from.id, ['customers']),
    await place(to.id, ['Customer list.xlsx', 'Trade accounts']),
  );
  const companyPlace = (name: string, company = 0) => {
    const { id: above = 'retail', name: label = 'retail' } = companies[company] ?? {};
    return place(intoBooks.id, [above, name], [label, name]);
  };
  const invoices = paidOrdersToInvoices(
    await place(from.id, ['orders']),
    await companyPlace('customers'),
    await companyPlace('items'),
    await companyPlace('invoices'),
  );
  const everywhere = customersIntoBooksAndCards(
    await place(from.id, ['customers']),
    await companyPlace('customers'),
    await place(intoCards.id, ['companies']),
    await place(intoCards.id, ['people']),
  );
  const trade = retailToTrade(await companyPlace('customers'), await companyPlace('customers', 1));
  const deals = invoicesToDeals(
    await companyPlace('invoices', 1),
    await companyPlace('customers', 1),
    await place(intoCards.id, ['companies']),
    await place(intoCards.id, ['people']),
    await place(intoCards.id, ['deals']),
  );
  const news = leadsOntoTheNewsletter(
    await place(intoCards.id, ['leads']),
    await place(to.id, ['Newsletter.xlsx', 'Subscribers']),
  );
  await services.workflows.add(invoices, 'Invoices');
  const recent = DateTime.fromISO(now).minus({ days: daysMatched }).toISODate() ?? now;
  const sync = await services.workflows.add(
    { ...everywhere, start: { ...everywhere.start, fromWhen: { kind: 'since', at: recent } } },
    'Customers',
  );
  await services.workflows.add(trade, 'Customers');
  await addBeginnings(services, to.id);
  const answered = await addMails(services, mails.id, to.id, recent);
  const lately = DateTime.fromISO(now).minus({ days: daysFollowed }).toISODate() ?? now;
  const followed = await addFollowUp(
    services,
    await place(intoCards.id, ['leads']),
    await place(mails.id, ['outgoing'], ['Mails to send']),
    await place(from.id, ['bookings']),
    lately,
  );
  const approved = await addApprovals(
    services,
    await companyPlace('customers', 1),
    await companyPlace('customers'),
    mails.id,
    newestFirms(inBooks),
  );
  const newcomers = await addNewPeople(services, {
    rows: await place(to.id, ['New people.xlsx', 'New people']),
    accounts: await place(keysAt.id, ['Users'], ['accounts']),
    groups: await place(keysAt.id, ['Groups'], ['groups']),
    memberships: await place(keysAt.id, ['memberships'], ['who is in which group']),
    mentions: await place(onSite.id, ['mentions']),
    entries: await place(onSite.id, ['entries']),
    sections: await place(onSite.id, ['sections']),
  });
  const first = await services.engine.makeLive(sync.id);
  await services.engine.finish(first.run);
  await settleAllButLessons(services);
  const people = await place(intoCards.id, ['people']);
  const search = await services.duplicates.begin({ kind: 'place', place: people, labels: ['Card index', 'people'] });
  await services.duplicates.wait(search);
  await connectList(services.connections);
  const connections = await services.connections.list();
  const of = (app: string): string => connections.find((one) => one.app === app)?.id ?? '';
  const list = await place(of(listApp), ['list']);
  const stops = stopAnswers(await place(of('pocket_messages'), ['replies']), list);
  const withdrawn = withdrawnConsents(
    await place(of('newsletter_list'), ['potters', 'subscribers'], ['Potters', 'subscribers']),
    list,
    await place(intoCards.id, ['people']),
  );
  mkdirSync(join(folder, 'golden', 'ready'), { recursive: true });
  const begun = (await services.workflows.list()).map(({ draft }) => draft).filter(({ start }) => comesByItself(start));
  for (const one of [
    content,
    accounts,
    enquiries,
    invoices,
    everywhere,
    trade,
    deals,
    news,
    answered,
    followed,
    stops,
    withdrawn,
    approved,
    ...(await services.workflows.list()).filter(({ id }) => id === newcomers.at(-1)).map(({ draft }) => draft),
    ...begun.filter(({ start }) => start.trigger.kind !== 'handed'),
  ]) {
    const file = await exportWorkflow(services, one);
    writeFileSync(join(folder, 'golden', 'ready', `${one.name}.json`), JSON.stringify(file, null, 2));
  }
  // The two that hand over to each other are passed on together.
  const passedOn = readyNewPeople(await exportFolder(services, 'People'));
  writeFileSync(join(folder, 'golden', 'ready', `${passedOn.name}.json`), JSON.stringify(passedOn, null, 2));
  console.log(
    'Made sixteen workflows in folders, ran thirteen of them, searched for duplicates, and put twenty ready-made ones beside them.',
  );
  await services.close();
  await shopAt.close();
  await shelfAt.close();
  await booksAt.close();
  await cardsAt.close();
  await boxAt.close();
  await boardAt.close();
  await postAt.close();
  await post.close();
  await workAt.close();
  await pocketAt.close();
  pocket.store.close();
  await lettersAt.close();
  letters.store.close();
  await cabinetAt.close();
  cabinet.store.close();
  await siteAt.close();
  site.store.close();
  await work.close();
}
