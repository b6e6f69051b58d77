import type { RestDescription } from '@golden/connectors';
import { emptyContent, type WorkflowContent } from '@golden/core';
import { type Listening, listen } from '@golden/standins';
import { Hono } from 'hono';
import { needsOf } from '../api/workspace/needs.ts';
import { driftsOf } from '../building/places.ts';
import type { Services } from '../services.ts';
import type { TestClock } from '../testing/clock.ts';
import {
  addCustomers,
  type Connected,
  connectBoth,
  fieldFilling,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../testing/world.ts';

// An HTTP app whose owner changes its own description: the write stops before a value is sent.

const description: RestDescription = {
  id: 'contact_book',
  title: 'Contact book',
  openapi: '/openapi.json',
  auth: { header: 'authorization', value: 'Bearer {key}' },
  me: { path: '/me', signedInAs: ['/name'] },
  recordTypes: [
    {
      name: 'contacts',
      singular: 'contact',
      plural: 'contacts',
      schema: 'Contact',
      inputSchema: 'ContactInput',
      id: '/id',
      list: { path: '/contacts', items: '/items' },
      fetch: '/contacts/{id}',
      find: { '/mail': 'mail' },
      create: '/contacts',
    },
  ],
};

interface Schema {
  properties: Record<string, object>;
  required?: string[];
}

/** What the app says of its contacts; a test changes it. */
let input: Schema;
let received: Record<string, unknown>[];
let app: Listening;
let world: World;
let services: Services;
let connected: Connected;
let book: string;

function contactBook(): Hono {
  const hono = new Hono();
  hono.get('/openapi.json', (c) =>
    c.json({
      openapi: '3.1.0',
      info: { title: 'Contact book', version: '1' },
      paths: {},
      components: {
        schemas: {
          Contact: { type: 'object', properties: { id: { type: 'integer', readOnly: true }, ...input.properties } },
          ContactInput: { type: 'object', ...input },
        },
      },
    }),
  );
  hono.get('/me', (c) => c.json({ name: 'office' }));
  hono.get('/contacts', (c) => {
    const mail = c.req.query('mail');
    const items = received.map((one, at) => ({ id: at + 1, ...one })) as Record<string, unknown>[];
    return c.json({ items: items.filter((one) => mail === undefined || one['mail'] === mail) });
  });
  hono.get('/contacts/:id', (c) =>
    c.json({ id: Number(c.req.param('id')), ...received[Number(c.req.param('id')) - 1] }),
  );
  hono.post('/contacts', async (c) => {
    received.push(await c.req.json());
    return c.json({ id: received.length, ...received.at(-1) }, 201);
  });
  return hono;
}

const text = { type: 'string' };
const stage = (...options: string[]) => ({ type: 'string', enum: options });

beforeEach(async () => {
  input = { properties: { name: text, mail: { type: 'string', format: 'email' }, stage: stage('new', 'regular') } };
  received = [];
  app = await listen(contactBook(), 0);
  world = await openWorld();
  services = await openServices(world, { descriptions: [description] });
  connected = await connectBoth(world, services);
  book = (
    await services.connections.add({
      app: 'contact_book',
      name: 'Contact book',
      settings: { address: app.url },
      key: 'k',
    })
  ).id;
});

afterEach(async () => {
  await services.close();
  await world.close();
  await app.close();
});

async function liveWorkflow(): Promise<string> {
  const content: WorkflowContent = {
    ...emptyContent('Customers into the contact book'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'book',
        kind: 'write',
        target: await placeOf(services, book, ['contacts']),
        mode: 'append',
        mapping: {
          '/name': fieldFilling('/first_name'),
          '/mail': fieldFilling('/email'),
          '/stage': { kind: 'choice', value: 'regular' },
        },
      },
    ],
  };
  const { id } = await services.workflows.add(content);
  addCustomers(world, 1);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  expect(received).toEqual([{ name: 'Ada 1', mail: 'ada1@clay.example', stage: 'regular' }]);
  return id;
}

/** Long enough for the app's description to be looked at anew. */
const later = () => (services.seams as TestClock).pass(6000);

test.each<[string, () => void, string]>([
  [
    'a field renamed',
    () => {
      input.properties = { full_name: text, mail: { type: 'string', format: 'email' }, stage: stage('new', 'regular') };
    },
    '“name” is likely “full name” now',
  ],
  [
    'an option removed',
    () => {
      input.properties['stage'] = stage('new', 'trade');
    },
    '“stage” has no option “regular” any more',
  ],
  [
    'a field newly required',
    () => {
      input.properties['tax_code'] = text;
      input.required = ['tax_code'];
    },
    '“tax code” is required now and not filled',
  ],
])(
  '%s there stops the write; nothing is sent, and it is one case',
  async (_what, change, sentence) => {
    const id = await liveWorkflow();
    change();
    addCustomers(world, 2, 2);
    later();
    await services.engine.finish(await services.engine.checkNow(id));
    expect(received).toHaveLength(1);
    const needs = await needsOf(services);
    expect(needs).toMatchObject([{ cause: 'drift', count: 2 }]);
    expect(needs[0]?.message).toContain(sentence);
    const { draft } = await services.workflows.get(id);
    const drifts = await driftsOf(services, draft);
    expect(drifts.map((one) => [one.sentence, one.drift.isStopping])).toEqual([['book', true]]);
  },
  15_000,
);

test('a field that comes up and isn’t needed is told, and stops nothing', async () => {
  const id = await liveWorkflow();
  input.properties['website'] = { type: 'string', format: 'uri' };
  addCustomers(world, 1, 2);
  later();
  await services.engine.finish(await services.engine.checkNow(id));
  expect(received).toHaveLength(2);
  const [drift] = await driftsOf(services, (await services.workflows.get(id)).draft);
  expect(drift?.drift).toMatchObject({ isStopping: false, added: [{ label: 'website', type: 'url' }] });
});

test('records of two runs with one cause are one case that names neither run', async () => {
  const id = await liveWorkflow();
  input.properties['stage'] = stage('new');
  later();
  addCustomers(world, 1, 2);
  await services.engine.finish(await services.engine.checkNow(id));
  const [one] = await needsOf(services);
  expect(one).toMatchObject({ count: 1, runId: expect.any(String) });
  addCustomers(world, 1, 3);
  await services.engine.finish(await services.engine.checkNow(id));
  const [both] = await needsOf(services);
  expect(both).toMatchObject({ count: 2, runId: null });
});
