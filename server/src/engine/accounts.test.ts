import { cardIndex, cardKeys, listen, shopCounter, shopKeys } from '@golden/standins';
import { AccountAsked, KeyNeeded } from '../connections.ts';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive, settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointOfAccounts } from '../testing/drop.ts';
import { customersToPeople, personLadder } from '../testing/matching.ts';
import { customersToApp, peopleApp, peopleDescription } from '../testing/people-app.ts';
import {
  addCard,
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  connectCards,
  customer,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';

// Whose records they are: ids of one account mean nothing in another. Judged by what the apps hold.

let world: World;
let services: Services;
let connected: Connected;
let cards: string;
const closing: (() => Promise<unknown> | unknown)[] = [];

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
  cards = await connectCards(world, services);
});
afterEach(async () => {
  await services.close();
  for (const close of closing.splice(0)) await close();
  await world.close();
});

/** A second Card index with cards of its own, whose ids are the same numbers. */
async function otherCards() {
  const other = cardIndex(`${world.folder}/other-cards.sqlite`);
  other.state.account = 'card-index-2';
  const at = await listen(other.app, 0);
  closing.push(
    () => at.close(),
    () => other.store.close(),
  );
  return { ...other, at };
}

/** A second shop with customers of its own, whose ids are the same numbers. */
async function otherShop() {
  const other = shopCounter(`${world.folder}/other-shop.sqlite`);
  other.state.account = 'kiln-supply-2';
  const at = await listen(other.app, 0);
  closing.push(
    () => at.close(),
    () => other.store.close(),
  );
  return { ...other, at };
}

const lead = (
  id: string,
  url: string,
  wish: Parameters<Services['engine']['changeConnection']>[2] = {},
  key = (id === connected.shop ? shopKeys : cardKeys)[0]?.key ?? '',
) => services.engine.changeConnection(id, { name: 'It', settings: { address: `${url}/api` }, key }, wish);

const peopleOf = (index: Pick<World['cards'], 'store'>) =>
  index.store
    .of('people')
    .list({}, { limit: 1000 })
    .map(({ id, attributes }) => ({ id: String(id), name: `${attributes['firstName']} ${attributes['lastName']}` }));
const rows = async () => rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const states = async () =>
  (await services.db.selectFrom('item').select(['state', 'cause', 'message']).orderBy('seq').execute()).map(
    ({ state, cause, message }) => ({ state, cause, message }),
  );

test('a link of one account leads to no stranger in another, and holds again where one goes back', async () => {
  const id = await customersToPeople(services, connected, cards);
  const { id: number } = world.shop.store.add(customer());
  await goLive(services, id);
  const [mine] = peopleOf(world.cards);
  const other = await otherCards();
  // The stranger has the very id that the link names.
  other.store.of('people').add({
    type: 'people',
    attributes: { firstName: 'Gus', lastName: 'Stranger', email: 'gus@stranger.example' },
    relationships: {},
    archived: false,
    mergedInto: null,
  });
  expect(peopleOf(other)[0]?.id).toBe(mine?.id);
  await lead(cards, other.at.url, { account: 'other' });
  world.shop.store.change(number, { last_name: 'Holm' });
  await checkNow(services, id);
  expect(peopleOf(other).map(({ name }) => name)).toEqual(['Gus Stranger', 'Priya Holm']);
  expect(peopleOf(world.cards).map(({ name }) => name)).toEqual(['Priya Nair']);
  // Back in the first account nothing is asked, and the link of then holds.
  await lead(cards, world.cards.at.url);
  world.shop.store.change(number, { last_name: 'Field' });
  await checkNow(services, id);
  expect(peopleOf(world.cards).map(({ name }) => name)).toEqual(['Priya Field']);
  expect(peopleOf(other).map(({ name }) => name)).toEqual(['Gus Stranger', 'Priya Holm']);
  expect(await unbalanced(services)).toEqual([]);
});

test('a new source whose ids were seen in another account arrives; back at the first, what came meanwhile does', async () => {
  const id = await customersWorkflow(services, connected);
  addCustomers(world, 3);
  await goLive(services, id);
  const other = await otherShop();
  for (const name of ['Uma', 'Vera', 'Wim', 'Xaver'])
    other.store.add(customer({ first_name: name, email: `${name}@other.example` }));
  await lead(connected.shop, other.at.url, { account: 'other', already: 'taken' });
  await checkNow(services, id);
  // The same numbers, so the same rows by key: each holds what the source in force says of it.
  expect((await rows()).map((row) => row['E-mail'])).toEqual(
    ['uma', 'vera', 'wim', 'xaver'].map((name) => `${name}@other.example`),
  );
  addCustomers(world, 1, 9);
  await lead(connected.shop, world.shop.at.url);
  await checkNow(services, id);
  expect((await rows()).map((row) => row['E-mail'])).toEqual([
    'uma@other.example',
    'vera@other.example',
    'wim@other.example',
    'ada9@clay.example',
  ]);
  expect(await unbalanced(services)).toEqual([]);
});

test('what another account has already counts as known where a person says so; what comes from then on arrives', async () => {
  const id = await customersWorkflow(services, connected);
  await goLive(services, id);
  const other = await otherShop();
  other.store.add(customer({ email: 'old@other.example' }));
  await lead(connected.shop, other.at.url, { account: 'other', already: 'noted' });
  await checkNow(services, id);
  expect(await rows()).toEqual([]);
  other.store.add(customer({ email: 'new@other.example' }));
  await checkNow(services, id);
  expect((await rows()).map((row) => row['E-mail'])).toEqual(['new@other.example']);
});

test('where it leads elsewhere nothing is changed until a person has said so; the same account, moved, goes on', async () => {
  const id = await customersWorkflow(services, connected);
  addCustomers(world, 3);
  await goLive(services, id);
  const writes = world.shelf.state.writes;
  const moved = await listen(world.shop.app, 0);
  closing.push(() => moved.close());
  await expect(lead(connected.shop, moved.url)).rejects.toThrow(AccountAsked);
  expect(await services.connections.get(connected.shop)).toMatchObject({
    settings: { address: `${world.shop.at.url}/api` },
    status: 'working',
  });
  await lead(connected.shop, moved.url, { account: 'same' });
  addCustomers(world, 1, 4);
  await checkNow(services, id);
  expect(await rows()).toHaveLength(4);
  expect(world.shelf.state.writes).toBe(writes + 1);
  // Moved once, it is asked no more.
  await lead(connected.shop, moved.url);
});

test('an app that names another account by itself: nothing is read or written there until a person has said', async () => {
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  await goLive(services, id);
  world.cards.state.account = 'card-index-2';
  await services.engine.retryConnection(cards);
  expect(await services.connections.get(cards)).toMatchObject({
    status: 'broken',
    asked: { now: { who: 'card-index-2' } },
  });
  const { requests } = world.cards.state;
  world.shop.store.add(customer({ email: 'new@clay.example', first_name: 'Zoë', last_name: 'Quist', phone: null }));
  await checkNow(services, id);
  expect(world.cards.state.requests).toBe(requests);
  expect((await states()).at(-1)).toMatchObject({ state: 'unsettled', cause: 'connection' });
  await services.engine.answerAccount(cards, 'same');
  await settled(services);
  expect(peopleOf(world.cards)).toHaveLength(2);
  expect((await states()).at(-1)).toMatchObject({ state: 'delivered' });
  expect(await services.connections.get(cards)).toMatchObject({ status: 'working', asked: null });
});

test('led to an account whose app can’t be asked: it is asked first, and is the one from before if it is', async () => {
  const byMail = { ...personLadder, rungs: personLadder.rungs.filter(({ id }) => id === 'mail') };
  const id = await customersToPeople(services, connected, cards, { ladder: byMail });
  addCustomers(world, 12);
  await goLive(services, id);
  const { writes } = world.cards.state;
  const first = services.connections.accountOf(cards);
  const other = await otherCards();
  await lead(cards, other.at.url, { account: 'other' });
  // Back again while the first one is out: nobody can tell yet that it is known.
  world.cards.state.troubles.set('down', Number.POSITIVE_INFINITY);
  await lead(cards, world.cards.at.url, { account: 'other' });
  const accountOf = () => services.connections.accountOf(cards);
  expect(accountOf()).not.toBe(first);
  world.cards.state.troubles.clear();
  for (const { id: number } of world.shop.store.search('', 20, 0))
    world.shop.store.change(number, { phone: '01632 960 100' });
  await checkNow(services, id);
  await services.engine.retryConnection(cards);
  await settled(services);
  // The links of then hold: each is changed, none is made anew.
  expect(peopleOf(world.cards)).toHaveLength(12);
  expect(world.cards.state.writes).toBe(writes + 12);
  expect(peopleOf(other)).toEqual([]);
  expect(accountOf()).toBe(first);
  expect((await states()).every(({ state }) => state === 'delivered')).toBe(true);
});

test('a key goes to no other address than the one that it was given for', async () => {
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  await goLive(services, id);
  const other = await otherCards();
  const change = services.engine.changeConnection(
    cards,
    { name: 'It', settings: { address: `${other.at.url}/api` } },
    { account: 'other' },
  );
  await expect(change).rejects.toThrow(KeyNeeded);
  expect(other.state.requests).toBe(0);
  expect(await services.connections.get(cards)).toMatchObject({ settings: { address: `${world.cards.at.url}/api` } });
});

test('a key that sees the same account asks nothing', async () => {
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  await goLive(services, id);
  await lead(cards, world.cards.at.url, {}, cardKeys[1]?.key);
  await lead(connected.shop, world.shop.at.url, {}, shopKeys[1]?.key);
  expect(await services.connections.get(cards)).toMatchObject({ status: 'working', asked: null });
});

test('an app that doesn’t tell who is signed in is known by its address and key', async () => {
  await services.close();
  services = await openServices(world, { descriptions: [peopleDescription('lookup')] });
  const app = await peopleApp();
  closing.push(() => app.at.close());
  addCustomers(world, 2);
  const { workflow, connection } = await customersToApp(services, connected, app, 'lookup');
  await goLive(services, workflow);
  expect((await services.connections.get(connection)).tellsAccount).toBe(false);
  const change = (key: string, account?: 'same') =>
    services.engine.changeConnection(
      connection,
      { name: 'People', settings: { address: app.at.url }, key },
      { ...(account && { account }) },
    );
  await change('none');
  await expect(change('another key')).rejects.toThrow(AccountAsked);
  await change('another key', 'same');
  // The mark tells keys apart, and gives nothing of them away.
  expect(JSON.stringify(await services.db.selectFrom('account').selectAll().execute())).not.toContain('another key');
  await expect(change('none')).rejects.toThrow(AccountAsked);
});

test('a write on its way into an account that was left is unsure there, and found out about where one goes back', async () => {
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  // The process ends when the card is made and nothing of it is stored yet.
  const sent = dropAt(services, 'send:after');
  await services.engine.makeLive(id);
  await sent;
  expect(peopleOf(world.cards)).toHaveLength(1);
  services = await openServices(world, { seams: (services.seams as TestClock).next() });
  const other = await otherCards();
  await lead(cards, other.at.url, { account: 'other' });
  await services.engine.resume();
  expect(await states()).toMatchObject([{ state: 'unsettled', cause: 'unsure' }]);
  expect(peopleOf(other)).toEqual([]);
  await lead(cards, world.cards.at.url);
  const { id: item } = await services.db.selectFrom('item').select('id').executeTakeFirstOrThrow();
  await decide(services, item, { kind: 'retry' });
  expect(await states()).toMatchObject([{ state: 'delivered' }]);
  expect(peopleOf(world.cards)).toHaveLength(1);
});

test('a record of which a part is written in one account isn’t finished in another', async () => {
  const id = await customersToPeople(services, connected, cards);
  const { draft, draftRev } = await services.workflows.get(id);
  const list = await customersWorkflow(services, connected);
  const second = (await services.workflows.get(list)).draft.steps[0];
  if (!second) throw new Error('The list has no step.');
  await services.workflows.saveDraft(id, { ...draft, steps: [...draft.steps, second] }, draftRev);
  world.shop.store.add(customer());
  // The card is written; the row is kept waiting.
  world.shelf.files.set('customers.xlsx', { right: 'view' });
  await goLive(services, id);
  expect(peopleOf(world.cards)).toHaveLength(1);
  const other = await otherCards();
  await lead(cards, other.at.url, { account: 'other' });
  const { id: item } = await services.db.selectFrom('item').select('id').executeTakeFirstOrThrow();
  await expect(services.engine.takeBack(item)).rejects.toThrow('another account');
  world.shelf.files.set('customers.xlsx', { right: 'edit' });
  await decide(services, item, { kind: 'retry' });
  // The row goes on, for nothing of it is of the account that was left.
  expect(await rows()).toHaveLength(1);
  expect(peopleOf(other)).toEqual([]);
  expect(peopleOf(world.cards)).toHaveLength(1);
});

test('a lookup that found somebody in one account writes to no stranger of another', async () => {
  const known = addCard(world, 'people', { firstName: 'Priya', lastName: 'Nair', email: 'priya.nair@clay.example' });
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  // Its card is found; before anything is written the process ends.
  const found = dropAt(services, 'intent:before-store');
  await services.engine.makeLive(id);
  await found;
  services = await openServices(world, { seams: (services.seams as TestClock).next() });
  const other = await otherCards();
  const stranger = other.store.of('people').add({
    type: 'people',
    attributes: { firstName: 'Gus', lastName: 'Stranger', email: 'gus@stranger.example' },
    relationships: {},
    archived: false,
    mergedInto: null,
  });
  expect(String(stranger.id)).toBe(known);
  await lead(cards, other.at.url, { account: 'other' });
  await services.engine.resume();
  expect(peopleOf(other).map(({ name }) => name)).toEqual(['Gus Stranger', 'Priya Nair']);
  expect(await states()).toMatchObject([{ state: 'delivered' }]);
});

test('what is taken in and not begun when the destination changes begins in the new account', async () => {
  addCard(world, 'people', { firstName: 'Priya', lastName: 'Nair', email: 'priya.nair@clay.example' });
  const id = await customersToPeople(services, connected, cards);
  world.shop.store.add(customer());
  world.cards.state.troubles.set('down', Number.POSITIVE_INFINITY);
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  await services.engine.quiet();
  expect(await states()).toMatchObject([{ state: 'waiting' }]);
  const other = await otherCards();
  await lead(cards, other.at.url, { account: 'other' });
  world.cards.state.troubles.clear();
  await settled(services);
  expect(peopleOf(other).map(({ name }) => name)).toEqual(['Priya Nair']);
  expect(await states()).toMatchObject([{ state: 'delivered' }]);
});

test('stopped as the account was changed: what was said holds, once', async () => {
  const id = await customersWorkflow(services, connected);
  addCustomers(world, 2);
  await goLive(services, id);
  const other = await otherShop();
  for (const name of ['Uma', 'Vera', 'Wim'])
    other.store.add(customer({ first_name: name, email: `${name}@other.example` }));
  const ended = dropAt(services, pointOfAccounts);
  void lead(connected.shop, other.at.url, { account: 'other', already: 'taken' }).catch(() => undefined);
  await ended;
  services = await openServices(world, { seams: (services.seams as TestClock).next() });
  await services.engine.resume();
  expect(await services.connections.get(connected.shop)).toMatchObject({ asked: null });
  await checkNow(services, id);
  await checkNow(services, id);
  expect((await rows()).map((row) => row['E-mail'])).toEqual(
    ['uma', 'vera', 'wim'].map((one) => `${one}@other.example`),
  );
  expect(await unbalanced(services)).toEqual([]);
});
