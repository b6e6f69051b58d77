import { join } from 'node:path';
import { checkReadiness, type WorkflowContent } from '@golden/core';
import { connectList, listApp, type Services } from '@golden/server';
import { listen, newsletterKeys, newsletterList, pocketKeys, pocketMessages } from '@golden/standins';
import {
  connectBoth,
  connectCards,
  connectLedger,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../../server/src/testing/world.ts';
import { demoBooks } from './books.ts';
import { demoCards } from './cards.ts';
import { stopAnswers, withdrawnConsents } from './consents.ts';
import { demoCustomers } from './customers.ts';
import { ledgerCustomers, ledgerItems } from './orders.ts';
import { newsletterWorkbook } from './workbooks.ts';
import { invoicesToDeals, leadsOntoTheNewsletter } from './workflows.ts';

// The ready-made workflows on the demo's own data, judged by what stands in the apps afterwards.

const now = '2026-11-24T09:00:00.000Z';
const customers = demoCustomers(400, now);
let world: World;
let services: Services;
let cards: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  world.cards.store.addField('leads', { name: 'wantsNews', kind: 'boolean' });
  cards = await connectCards(world, services);
  for (const [type, all] of Object.entries(demoCards(customers, now))) world.cards.store.of(type).addAll(all as never);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function runAll(content: WorkflowContent): Promise<string> {
  expect(checkReadiness(content).filter((one) => one.severity === 'blocks')).toEqual([]);
  const from = { ...content, start: { ...content.start, fromWhen: { kind: 'all' } as const } };
  const { id } = await services.workflows.add(from);
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return id;
}

const openCases = async (): Promise<string[]> =>
  (await services.db.selectFrom('item').select('message').where('state', '=', 'unsettled').execute()).map(
    ({ message }) => message ?? '',
  );

test('each trade invoice is one order card, of the person with the customer’s address and of the firm', async () => {
  const ledger = await connectLedger(world, services);
  const inBooks = ledgerCustomers(customers.slice(0, 300));
  world.ledger.store.customers.addAll(inBooks);
  const past = demoBooks(
    inBooks.map(({ content }) => content),
    ledgerItems(),
    60,
    now,
  );
  world.ledger.store.invoices.addAll(past.invoices);
  const before = world.cards.store.of('deals').count();
  await runAll(
    invoicesToDeals(
      await placeOf(services, ledger, ['trade', 'invoices']),
      await placeOf(services, ledger, ['trade', 'customers']),
      await placeOf(services, cards, ['companies']),
      await placeOf(services, cards, ['people']),
      await placeOf(services, cards, ['deals']),
    ),
  );
  const wanted = past.invoices.filter(({ content }) => content.company === 'trade');
  const deals = world.cards.store.of('deals').list({}, { limit: 1000 });
  const open = await openCases();
  expect(deals.length - before + open.length).toBe(wanted.length);
  // Only a firm that stands in the Card index twice is asked about: “Glaze & Co” and “Glaze and Co Ltd”.
  const titles = new Set(deals.map(({ attributes }) => attributes['title']));
  const asked = wanted.filter(({ content }) => !titles.has(`Invoice ${content.invoiceNumber}`));
  const nameOf = (id: number) => world.ledger.store.customers.get(id)?.name;
  expect([...new Set(asked.map(({ content }) => nameOf(content.customerId)))]).toEqual(['Glaze and Co Limited']);
  const card = (type: string, id: unknown) => world.cards.store.of(type).get(Number(id))?.attributes;
  let withPerson = 0;
  for (const { content } of wanted) {
    const own = deals.filter(({ attributes }) => attributes['title'] === `Invoice ${content.invoiceNumber}`);
    expect(own.length).toBeLessThanOrEqual(1);
    const [deal] = own;
    if (!deal) continue;
    const customer = world.ledger.store.customers.get(content.customerId);
    expect(Math.round(Number(deal.attributes['value']) * 100)).toBe(content.taxExclusiveAmount);
    const person = card('people', deal.relationships['person']);
    if (person) expect(person['email']).toBe(customer?.electronicMail?.toLowerCase());
    if (person) withPerson += 1;
    const firm = card('companies', deal.relationships['company'])?.['name'];
    // The same firm however its legal form is written: the first word of the name tells them apart here.
    if (firm) expect(String(firm).split(' ')[0]).toBe(customer?.name.split(' ')[0]);
  }
  expect(withPerson).toBeGreaterThan(1);
});

test('who wants news is on the newsletter’s list once, whoever was there stays as they were', async () => {
  const { shelf } = await connectBoth(world, services);
  world.shelf.files.replace('Newsletter.xlsx', await newsletterWorkbook(), undefined);
  const target = await placeOf(services, shelf, ['Newsletter.xlsx', 'Subscribers']);
  const rows = async () => rowsOf(world.shelf.files.get('Newsletter.xlsx')?.bytes ?? Buffer.of(), 'Subscribers');
  const before = await rows();
  const id = await runAll(leadsOntoTheNewsletter(await placeOf(services, cards, ['leads']), target));
  const after = await rows();
  expect(after.slice(0, before.length)).toEqual(before);
  const leads = world.cards.store.of('leads').list({}, { limit: 1000 });
  const wanted = leads.flatMap(({ attributes: { email, wantsNews } }) =>
    wantsNews === true && typeof email === 'string' ? email.toLowerCase() : [],
  );
  const listed = after.map((row) => String(row['E-mail']).toLowerCase());
  expect([...new Set(listed)]).toHaveLength(listed.length);
  expect([...new Set([...wanted, ...before.map((row) => row['E-mail'])])].sort()).toEqual([...listed].sort());
  // “Quayle, Ines” and a name of three words come apart rightly.
  expect(after.find((row) => row['E-mail'] === 'ines@quayle.example')).toMatchObject({
    'First name': 'Ines',
    'Last name': 'Quayle',
  });
  expect(after.find((row) => row['E-mail'] === 'anneke@vandermeer.example')).toMatchObject({
    'First name': 'Anneke',
    'Last name': 'van der Meer',
  });
  expect(await openCases()).toEqual([]);
  const { writes } = world.shelf.state;
  await services.engine.finish(await services.engine.checkNow(id, 'asked'));
  expect(world.shelf.state.writes).toBe(writes);
});

test('who answers a text message with STOP in any writing is on the list once; who answers something else is not', async () => {
  const pocket = pocketMessages(join(world.folder, 'pocket.sqlite'));
  const at = await listen(pocket.app, 0);
  for (const [phone, text] of [
    ['+441632960701', 'STOP'],
    ['+441632960702', ' stop '],
    ['+441632960703', 'Stop by tomorrow?'],
    ['+441632960701', 'unsubscribe'],
    ['+441632960704', 'Arrêt'],
  ] as const)
    pocket.store.answer(phone, text);
  const { id } = await services.connections.add({
    app: 'pocket_messages',
    name: 'Pocket messages',
    settings: { address: `${at.url}/api` },
    key: pocketKeys[0]?.key ?? '',
  });
  await connectList(services.connections);
  const list = (await services.connections.list()).find(({ app }) => app === listApp)?.id ?? '';
  await runAll(stopAnswers(await placeOf(services, id, ['replies']), await placeOf(services, list, ['list'])));
  const there = await services.db.selectFrom('unsubscribe').select('contact').orderBy('contact').execute();
  expect(there.map(({ contact }) => contact)).toEqual(['+441632960701', '+441632960702', '+441632960704']);
  expect(await openCases()).toEqual([]);
  await at.close();
  pocket.store.close();
});

test('who unsubscribes from the newsletter may not be mailed by the card index either; nobody gets a card by it', async () => {
  const letters = newsletterList(join(world.folder, 'letters.sqlite'));
  letters.store.addList('potters', 'Potters');
  const at = await listen(letters.app, 0);
  const people = world.cards.store.of('people');
  const known = people
    .list({}, { limit: 500 })
    .find(({ attributes }) => attributes['mayBeMailed'] === true && String(attributes['email']).includes('@'));
  const email = String(known?.attributes['email']);
  const subscribe = (address: string) =>
    letters.store.add({ list: 'potters', email: address, name: null, status: 'subscribed', own: {} });
  const [hers, strangers] = [subscribe(email.toUpperCase()), subscribe('nobody@slip.example')];
  const { id } = await services.connections.add({
    app: 'newsletter_list',
    name: 'Newsletter list',
    settings: { address: `${at.url}/api` },
    key: newsletterKeys[0]?.key ?? '',
  });
  await connectList(services.connections);
  const list = (await services.connections.list()).find(({ app }) => app === listApp)?.id ?? '';
  const before = people.count();
  const workflow = await runAll(
    withdrawnConsents(
      await placeOf(services, id, ['potters', 'subscribers']),
      await placeOf(services, list, ['list']),
      await placeOf(services, cards, ['people']),
    ),
  );
  for (const one of [hers, strangers]) letters.store.change(one.id, { status: 'unsubscribed' });
  await services.engine.finish(await services.engine.checkNow(workflow));
  expect(people.get(Number(known?.id))?.attributes['mayBeMailed']).toBe(false);
  expect(people.count()).toBe(before);
  const there = await services.db.selectFrom('unsubscribe').select('contact').orderBy('contact').execute();
  expect(there.map(({ contact }) => contact)).toEqual([email.toLowerCase(), 'nobody@slip.example'].sort());
  expect(await openCases()).toEqual([]);
  await at.close();
  letters.store.close();
});
