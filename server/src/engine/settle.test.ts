import type { RestDescription } from '@golden/connectors';
import { type Listening, listen } from '@golden/standins';
import type { HttpBindings } from '@hono/node-server';
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response';
import { Hono } from 'hono';
import type { Services } from '../services.ts';
import { decide, goLive, unbalanced } from '../testing/checks.ts';
import {
  addCustomers,
  type Connected,
  connectBoth,
  customersWorkflow,
  fieldFilling,
  openServices,
  openWorld,
  placeOf,
  type World,
} from '../testing/world.ts';

// How it is found out whether a write without an answer was done, for each kind of app.

interface Person {
  readonly id: string;
  readonly email: string;
  readonly ref: string | null;
}

/** An app that keeps people and can do a write and then break off before answering. */
interface PeopleApp {
  readonly people: Person[];
  readonly posts: () => number;
  breakOff: number;
  /** Refuses to be asked about what it holds, as an app whose search is out. */
  isBlind: boolean;
  readonly at: Listening;
}

async function peopleApp(honoursKeys: boolean): Promise<PeopleApp> {
  const app = new Hono<{ Bindings: HttpBindings }>();
  let posts = 0;
  const state = { people: [] as Person[], breakOff: 0, isBlind: false, posts: () => posts };
  const schema = {
    type: 'object',
    properties: { id: { type: 'string', readOnly: true }, email: { type: 'string' }, ref: { type: 'string' } },
  };
  app.get('/openapi.json', (c) =>
    c.json({
      openapi: '3.1.0',
      info: { title: 'People', version: '1' },
      paths: {},
      components: { schemas: { Person: schema } },
    }),
  );
  app.get('/me', (c) => c.json({ name: 'test' }));
  app.get('/people', (c) => {
    if (state.isBlind) return c.json({ detail: 'the search is out' }, 500);
    const { ref, email } = c.req.query();
    return c.json(state.people.filter((one) => (ref ? one.ref === ref : one.email === email)));
  });
  app.post('/people', async (c) => {
    posts += 1;
    const body = (await c.req.json()) as { email: string; ref?: string };
    const key = c.req.header('idempotency-key') ?? null;
    const known = honoursKeys ? state.people.find((one) => one.ref === key) : undefined;
    const person = known ?? {
      id: String(state.people.length + 1),
      email: body.email,
      ref: honoursKeys ? key : (body.ref ?? null),
    };
    if (!known) state.people.push(person);
    if (state.breakOff > 0) {
      state.breakOff -= 1;
      c.env.outgoing.destroy();
      return RESPONSE_ALREADY_SENT;
    }
    return c.json(person, 201);
  });
  const at = await listen(app, 0);
  return Object.assign(state, { at });
}

type Manner = 'idempotency_key' | 'reference' | 'lookup' | 'nothing';

function description(manner: Manner): RestDescription {
  return {
    id: 'people',
    title: 'People',
    openapi: '/openapi.json',
    auth: { header: 'x-key', value: '{key}' },
    me: { path: '/me', signedInAs: ['/name'] },
    ...(manner === 'idempotency_key' && { idempotencyHeader: 'Idempotency-Key' }),
    recordTypes: [
      {
        name: 'people',
        singular: 'person',
        plural: 'people',
        schema: 'Person',
        id: '/id',
        list: { path: '/people', items: '' },
        create: '/people',
        ...(manner === 'lookup' && {
          find: { '/email': 'email' },
          update: { method: 'PATCH' as const, path: '/people/{id}' },
        }),
        ...(manner === 'reference' && { reference: { field: '/ref', query: 'ref' } }),
      },
    ],
  };
}

let world: World;
let services: Services;
let connected: Connected;
let app: PeopleApp;

async function open(manner: Manner): Promise<string> {
  world = await openWorld();
  addCustomers(world, 10);
  app = await peopleApp(manner === 'idempotency_key');
  services = await openServices(world, { descriptions: [description(manner)], open: { timeout: 900, retries: 1 } });
  connected = await connectBoth(world, services);
  const made = await services.connections.add({
    app: 'people',
    name: 'People',
    settings: { address: app.at.url },
    key: 'none',
  });
  const id = await customersWorkflow(services, connected, {
    mode: 'append',
    target: { connection: made.id, path: ['people'] },
  });
  const { draft, draftRev } = await services.workflows.get(id);
  const target = await placeOf(services, made.id, ['people']);
  const isKeyed = manner === 'lookup';
  const steps = [
    {
      id: 'list',
      kind: 'write' as const,
      target,
      mode: isKeyed ? ('create_or_update' as const) : ('append' as const),
      ...(isKeyed && { key: '/email' }),
      mapping: { '/email': fieldFilling('/email') },
    },
  ];
  await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
  return id;
}

afterEach(async () => {
  await services.close();
  await app.at.close();
  await world.close();
});

const states = async () =>
  await services.db.selectFrom('item').select(['id', 'state', 'cause']).orderBy('seq').execute();

test.each(['idempotency_key', 'reference', 'lookup'] as const)(
  'by %s: done and broken off counts as done, once',
  async (manner) => {
    const workflow = await open(manner);
    app.breakOff = 4;
    await goLive(services, workflow);
    expect(app.people).toHaveLength(10);
    expect(new Set(app.people.map((one) => one.email)).size).toBe(10);
    expect((await states()).map((item) => item.state)).toEqual(Array.from({ length: 10 }, () => 'delivered'));
    expect(await unbalanced(services)).toEqual([]);
  },
);

test('what can’t be looked up is unsettled as unsure, and is never sent again by itself', async () => {
  const workflow = await open('nothing');
  app.breakOff = 2;
  await goLive(services, workflow);
  expect(app.posts()).toBe(10);
  const unsure = (await states()).filter((item) => item.cause === 'unsure');
  expect(unsure).toHaveLength(2);
  const [first, second] = unsure;
  await decide(services, first?.id ?? '', { kind: 'retry' });
  expect(app.posts()).toBe(10);
  await decide(services, first?.id ?? '', { kind: 'accept', step: 'list' });
  await decide(services, second?.id ?? '', { kind: 'send_again', step: 'list' });
  expect(app.posts()).toBe(11);
  expect((await states()).every((item) => item.state === 'delivered')).toBe(true);
});

test('while the app can’t be asked, a write stays unsure; a retry finds it when it can', async () => {
  const workflow = await open('reference');
  app.breakOff = 1;
  app.isBlind = true;
  await goLive(services, workflow);
  const unsure = (await states()).filter((item) => item.state === 'unsettled');
  expect(unsure).toHaveLength(1);
  app.isBlind = false;
  await decide(services, unsure[0]?.id ?? '', { kind: 'retry' });
  expect(app.people).toHaveLength(10);
  expect(app.posts()).toBe(10);
  expect((await states()).every((item) => item.state === 'delivered')).toBe(true);
});
