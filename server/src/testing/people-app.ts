import type { RestDescription } from '@golden/connectors';
import type { Step } from '@golden/core';
import { type Listening, listen } from '@golden/standins';
import type { HttpBindings } from '@hono/node-server';
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response';
import { type Context, Hono } from 'hono';
import type { Services } from '../services.ts';
import { type Connected, customersWorkflow, fieldFilling, placeOf } from './world.ts';

/** A record of the app. */
export interface Person {
  readonly id: string;
  email: string;
  name: string;
  ref: string | null;
}

type Call = Context<{ Bindings: HttpBindings }>;
/** What an answer becomes: another one, none at all, or what it would have been. */
type Spoilt = Response | 'break' | undefined;

/** A small app that keeps people, and that a test makes answer as it likes. */
export interface PeopleApp {
  readonly people: Person[];
  /** Each request as “POST /people”, in the order they came. */
  readonly asked: string[];
  /** In place of the work: nothing is done. */
  before: (c: Call) => Spoilt | Promise<Spoilt>;
  /** After a write was done. */
  after: (c: Call, person: Person) => Spoilt;
  /** What the app writes of a value that it is given. */
  writes: (name: string) => string;
  /** Its own description of itself. */
  openapi: () => unknown;
  readonly at: Listening;
}

const person = {
  type: 'object',
  properties: {
    id: { type: 'string', readOnly: true },
    email: { type: 'string' },
    name: { type: 'string' },
    ref: { type: 'string' },
  },
};

/** Serves the app on a free port. `honoursKeys` lets it do a write with a known idempotency key once. */
export async function peopleApp(honoursKeys = false): Promise<PeopleApp> {
  const app = new Hono<{ Bindings: HttpBindings }>();
  const state: Omit<PeopleApp, 'at'> = {
    people: [],
    asked: [],
    before: () => undefined,
    after: () => undefined,
    writes: (name) => name,
    openapi: () => ({
      openapi: '3.1.0',
      info: { title: 'People', version: '1' },
      paths: {},
      components: { schemas: { Person: person } },
    }),
  };
  let made = 0;
  const keys = new Map<string, Person>();
  const answered = (c: Call, one: Person, status: 200 | 201): Response => {
    const spoilt = state.after(c, one);
    if (spoilt === 'break') return broken(c);
    return spoilt ?? c.json(one, status);
  };
  app.get('/openapi.json', (c) => c.json(state.openapi() as object));
  app.get('/me', (c) => c.json({ name: 'test' }));
  app.use('*', async (c, next) => {
    state.asked.push(`${c.req.method} ${c.req.path}`);
    const spoilt = await state.before(c);
    if (spoilt === 'break') return broken(c);
    return spoilt ?? next();
  });
  app.get('/people', (c) => {
    const { ref, email } = c.req.query();
    const fits = (one: Person): boolean => (ref ? one.ref === ref : email === undefined || one.email === email);
    return c.json(state.people.filter(fits));
  });
  app.get('/people/:id', (c) => {
    const one = state.people.find(({ id }) => id === c.req.param('id'));
    return one ? c.json(one) : c.json({ detail: 'gone' }, 404);
  });
  app.post('/people', async (c) => {
    const body = (await c.req.json()) as Partial<Person>;
    const key = c.req.header('idempotency-key') ?? '';
    const known = honoursKeys ? keys.get(key) : undefined;
    if (known) return answered(c, known, 201);
    made += 1;
    const one: Person = {
      id: String(made),
      email: body.email ?? '',
      name: state.writes(body.name ?? ''),
      ref: body.ref ?? null,
    };
    state.people.push(one);
    keys.set(key, one);
    return answered(c, one, 201);
  });
  app.patch('/people/:id', async (c) => {
    const one = state.people.find(({ id }) => id === c.req.param('id'));
    if (!one) return c.json({ detail: 'gone' }, 404);
    const body = (await c.req.json()) as Partial<Person>;
    Object.assign(one, body, body.name !== undefined && { name: state.writes(body.name) });
    return answered(c, one, 200);
  });
  app.delete('/people/:id', (c) => {
    const at = state.people.findIndex(({ id }) => id === c.req.param('id'));
    if (at < 0) return c.json({ detail: 'gone' }, 404);
    state.people.splice(at, 1);
    return c.body(null, 204);
  });
  const at = await listen(app, 0);
  return Object.assign(state, { at });
}

function broken(c: Call): Response {
  c.env.outgoing.destroy();
  return RESPONSE_ALREADY_SENT;
}

/** How the app lets it be found out whether a write was done. */
export type Manner = 'idempotency_key' | 'reference' | 'lookup' | 'nothing';

/** What is known of the app, in a manner, with what a test adds to it. */
export function peopleDescription(manner: Manner, more: Partial<RestDescription> = {}): RestDescription {
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
        remove: '/people/{id}',
        ...(manner !== 'nothing' && { fetch: '/people/{id}' }),
        ...(manner === 'lookup' && {
          find: { '/email': 'email' },
          update: { method: 'PATCH' as const, path: '/people/{id}' },
        }),
        ...(manner === 'reference' && { reference: { field: '/ref', query: 'ref' } }),
      },
    ],
    ...more,
  };
}

/** A workflow that carries the shop’s customers to the app’s people; `steps` makes it more than one write. */
export async function customersToApp(
  services: Services,
  connected: Connected,
  app: PeopleApp,
  manner: Manner,
  wishes: { readonly writes?: readonly string[]; readonly on?: 'added' | 'added_or_changed' } = {},
): Promise<{ workflow: string; connection: string }> {
  const { id: connection } = await services.connections.add({
    app: 'people',
    name: 'People',
    settings: { address: app.at.url },
    key: 'none',
  });
  const id = await customersWorkflow(services, connected, {
    mode: 'append',
    target: { connection, path: ['people'] },
    ...(wishes.on && { on: wishes.on }),
  });
  const { draft, draftRev } = await services.workflows.get(id);
  const target = await placeOf(services, connection, ['people']);
  const isKeyed = manner === 'lookup';
  const steps = (wishes.writes ?? ['list']).map(
    (step): Step => ({
      id: step,
      kind: 'write',
      target,
      mode: isKeyed ? 'create_or_update' : 'append',
      firstDifference: 'source',
      ...(isKeyed && { key: '/email' }),
      mapping: {
        '/email': fieldFilling('/email'),
        '/name': {
          kind: 'text',
          parts: [
            { kind: 'words', text: wishes.writes ? `${step} ` : '' },
            { kind: 'field', ref: { step: 'start', path: '/first_name' } },
          ],
          tidies: [],
        },
      },
    }),
  );
  await services.workflows.saveDraft(id, { ...draft, steps }, draftRev);
  return { workflow: id, connection };
}
