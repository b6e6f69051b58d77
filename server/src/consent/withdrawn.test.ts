import { join } from 'node:path';
import { emptyContent, type Place, type Step, type WorkflowContent } from '@golden/core';
import { cardKeys, type Listening, listen, newsletterKeys, newsletterList } from '@golden/standins';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, unbalanced } from '../testing/checks.ts';
import { addCard, fieldFilling, placeOf } from '../testing/world.ts';
import { connectList, listApp } from './list-connector.ts';
import { listUnsubscribed } from './unsubscribes.ts';

// Somebody unsubscribes in one app: the consent is withdrawn in the other one and for all that this workspace sends. Judged
// by what stands in the apps.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
  await lettersAt.close();
  letters.store.close();
});

const around = productAroundEach();
let letters: ReturnType<typeof newsletterList>;
let lettersAt: Listening;
let potters: Place;
let people: Place;
let list: Place;

beforeEach(async () => {
  const { services, world } = around;
  letters = newsletterList(join(world.folder, 'newsletter.sqlite'));
  letters.store.addList('potters', 'Potters');
  lettersAt = await listen(letters.app, 0);
  const connect = async (app: string, url: string, key: string): Promise<string> =>
    (await services.connections.add({ app, name: app, settings: { address: `${url}/api` }, key })).id;
  await connectList(services.connections);
  const own = (await services.connections.list()).find(({ app }) => app === listApp)?.id ?? '';
  const from = await connect('newsletter_list', lettersAt.url, newsletterKeys[0]?.key ?? '');
  const cards = await connect('card_index', world.cards.at.url, cardKeys[0]?.key ?? '');
  potters = await placeOf(services, from, ['potters', 'subscribers']);
  people = await placeOf(services, cards, ['people']);
  list = await placeOf(services, own, ['list']);
});
async function live(name: string, start: Partial<WorkflowContent['start']>, steps: Step[]): Promise<string> {
  const { services } = around;
  const content: WorkflowContent = { ...emptyContent(name), start: { ...emptyContent('').start, ...start }, steps };
  const { id } = await services.workflows.add(content);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  return id;
}

const ontoTheList: Omit<Extract<Step, { kind: 'write' }>, 'target'> = {
  id: 'put',
  kind: 'write',
  mode: 'append',
  mapping: { '/email': fieldFilling('/email'), '/said': { kind: 'fixed', value: 'in the newsletter' } },
};

test('who unsubscribes in the newsletter may not be mailed by the card index, and stands on the list of the workspace', async () => {
  const { services, world } = around;
  const card = (email: string): string => addCard(world, 'people', { lastName: 'Holm', email, mayBeMailed: true });
  const [ada, ben] = [card('Ada@clay.example'), card('ben@clay.example')];
  const mayBeMailed = (id: string) => world.cards.store.of('people').get(Number(id))?.attributes['mayBeMailed'];
  const join = (email: string) =>
    letters.store.add({ list: 'potters', email, name: 'Holm', status: 'subscribed', own: {} });
  const [adas] = [join('ada@clay.example'), join('ben@clay.example')];
  const becomes = {
    source: potters,
    on: 'becomes' as const,
    becomes: { path: '/status', value: 'unsubscribed' },
    fromWhen: { kind: 'now' as const },
  };
  const out = await live('Unsubscribed in the newsletter', becomes, [
    { ...ontoTheList, target: list },
    {
      id: 'card',
      kind: 'write',
      mode: 'create_or_update',
      key: '/email',
      target: people,
      policies: { '/lastName': 'if_empty' },
      mapping: {
        '/email': fieldFilling('/email'),
        '/lastName': fieldFilling('/name'),
        '/mayBeMailed': { kind: 'fixed', value: 'no' },
      },
    },
  ]);
  await checkNow(services, out);
  expect([mayBeMailed(ada), mayBeMailed(ben)]).toEqual([true, true]);

  letters.store.change(adas.id, { status: 'unsubscribed' });
  await checkNow(services, out);
  await checkNow(services, out);
  expect([mayBeMailed(ada), mayBeMailed(ben)]).toEqual([false, true]);
  const { rows } = await listUnsubscribed(services.db, '', { from: 0, most: 9 });
  expect(rows.map(({ contact, how, said }) => [contact, how, said])).toEqual([
    ['ada@clay.example', 'workflow', 'in the newsletter'],
  ]);
});

test('who unsubscribes by our link is taken off the newsletter, and no later yes of another app brings them back', async () => {
  const { services } = around;
  letters.store.add({ list: 'potters', email: 'ada@clay.example', name: 'Ada', status: 'subscribed', own: {} });
  const off = await live('Off the newsletter', { source: list, on: 'added', fromWhen: { kind: 'all' } }, [
    {
      id: 'off',
      kind: 'write',
      mode: 'create_or_update',
      key: '/email',
      target: potters,
      mapping: { '/email': fieldFilling('/email'), '/status': { kind: 'choice', value: 'unsubscribed' } },
    },
  ]);
  const connector = await services.connections.connector(list.connection);
  const put = { kind: 'create' as const, target: { connection: '', path: ['list'], recordType: 'unsubscribed' } };
  await connector.create({ write: { ...put, values: { '/email': 'ADA@clay.example' }, types: {} }, token: 't' });
  await checkNow(services, off);
  const status = () => letters.store.withEmail('potters', 'ada@clay.example')?.status;
  expect(status()).toBe('unsubscribed');

  // A customer of the shop who ticked the box, later: the newsletter's no stays.
  const onto = await live(
    'Onto the newsletter',
    { source: await shopCustomers(), on: 'added', fromWhen: { kind: 'now' } },
    [
      {
        id: 'on',
        kind: 'write',
        mode: 'create_or_update',
        key: '/email',
        target: potters,
        policies: { '/status': 'always' },
        mapping: { '/email': fieldFilling('/email'), '/status': { kind: 'choice', value: 'subscribed' } },
      },
    ],
  );
  around.world.shop.store.add({ ...shopper, email: 'ada@clay.example', newsletter: true });
  await checkNow(services, onto);
  expect(status()).toBe('unsubscribed');
});

const shopCustomers = () => placeOf(around.services, around.connected.shop, ['customers']);
const shopper = {
  first_name: 'Ada',
  last_name: 'Holm',
  company: null,
  phone: null,
  account_type: 'hobby' as const,
  vat_number: null,
  address: { street: '9 Wheel Street', city: 'Saltmarsh', postcode: 'ZZ7 7EF', country: 'GB' },
};

test('taking back puts everything back but the consent: a no stays a no, and that is said', async () => {
  const { services, world } = around;
  const ada = addCard(world, 'people', { lastName: 'Holm', email: 'ada@clay.example', mayBeMailed: true });
  const card = () => world.cards.store.of('people').get(Number(ada))?.attributes;
  const joined = letters.store.add({
    list: 'potters',
    email: 'ada@clay.example',
    name: 'Strand',
    status: 'subscribed',
    own: {},
  });
  letters.store.change(joined.id, { status: 'unsubscribed' });
  const out = await live('Out', { source: potters, on: 'added', fromWhen: { kind: 'all' } }, [
    {
      id: 'card',
      kind: 'write',
      mode: 'create_or_update',
      key: '/email',
      target: people,
      firstDifference: 'source',
      mapping: {
        '/email': fieldFilling('/email'),
        '/lastName': fieldFilling('/name'),
        '/mayBeMailed': { kind: 'fixed', value: 'no' },
      },
    },
  ]);
  expect(card()).toMatchObject({ lastName: 'Strand', mayBeMailed: false });
  const { id } = await services.db
    .selectFrom('item')
    .select('id')
    .where('workflow_id', '=', out)
    .executeTakeFirstOrThrow();
  await services.engine.takeBack(id);
  expect(card()).toMatchObject({ lastName: 'Holm', mayBeMailed: false });
  const { content } = await services.db
    .selectFrom('journal')
    .select('content')
    .where('item_id', '=', id)
    .where('kind', '=', 'taken_back')
    .executeTakeFirstOrThrow();
  expect(content).toContain('a no stays a no');
});
