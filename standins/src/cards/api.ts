import type { HttpBindings } from '@hono/node-server';
import { type Context, Hono } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import { z } from 'zod';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import { describe, type Fault, faults, resource } from './documents.ts';
import type { Card, CardStore, KeptCard } from './store.ts';
import type { Attribute, CardType } from './types.ts';

/** A key of the Card index and what it may do. */
export interface CardKey {
  readonly key: string;
  readonly name: string;
  readonly mayWrite: boolean;
}

const ResourceSchema = z.object({
  data: z.object({
    type: z.string(),
    id: z.string().optional(),
    attributes: z.record(z.string(), z.unknown()).default({}),
    relationships: z
      .record(z.string(), z.object({ data: z.object({ type: z.string(), id: z.string() }).nullable() }))
      .default({}),
  }),
});

/** The requests with which a record is changed or made hold a key; what was answered to it is answered again. */
const idempotencyHeader = 'idempotency-key';

/** The Card index's HTTP interface: JSON:API, a bearer key, pages by links. */
export function cardApi(store: CardStore, keys: readonly CardKey[], state: PracticeState) {
  const app = new Hono<{ Bindings: HttpBindings }>();
  app.use('*', async (c, next) => {
    if (c.req.path.endsWith('/openapi.json')) return next();
    const key = keys.find((one) => c.req.header('authorization') === `Bearer ${one.key}`);
    if (!key)
      return answer(
        c,
        401,
        faults(401, 'Not signed in', [{ detail: 'The Authorization header holds no key of this index.' }]),
      );
    if (c.req.method !== 'GET' && !key.mayWrite)
      return answer(c, 403, faults(403, 'No right', [{ detail: `The key “${key.name}” may read, not write.` }]));
    return next();
  });
  app.get('/openapi.json', (c) => c.json(describe(store.types())));
  app.get('/me', (c) => {
    const key = keys.find((one) => c.req.header('authorization') === `Bearer ${one.key}`);
    return c.json({
      index: state.account,
      name: key?.name,
      mayWrite: key?.mayWrite,
      sees: store.types().map((type) => type.name),
    });
  });
  app.get('/record-types', (c) =>
    c.json({ data: store.types().map(({ name, singular, isOwn }) => ({ name, singular, isOwn: Boolean(isOwn) })) }),
  );
  // Once answered, the same request is answered alike and nothing is done again.
  app.use('*', async (c, next) => {
    const key = c.req.header(idempotencyHeader);
    if (c.req.method === 'GET' || !key) return next();
    const before = store.answered(key);
    if (before) return answer(c, before.status as ContentfulStatusCode, JSON.parse(before.body));
    await next();
    if (c.res.ok) store.noteAnswered(key, c.res.status, (await c.res.clone().text()) || 'null');
    return undefined;
  });
  app.get('/:type', (c) => withType(c, store, (type) => list(c, store, type, state)));
  app.post('/:type', (c) => withType(c, store, (type) => create(c, store, type)));
  app.get('/:type/:id', (c) => withCard(c, store, (type, card) => answer(c, 200, { data: resource(type, card) })));
  app.patch('/:type/:id', (c) => withCard(c, store, (type, card) => change(c, store, type, card)));
  app.delete('/:type/:id', (c) =>
    withCard(c, store, (type, card) => {
      store.of(type.name).remove(card.id);
      return c.body(null, 204);
    }),
  );
  app.post('/:type/:id/merge', (c) => withCard(c, store, (type, card) => merge(c, store, type, card)));
  return app;
}

function answer(c: Context, status: ContentfulStatusCode, body: object): Response {
  return c.body(JSON.stringify(body), status, { 'content-type': 'application/vnd.api+json' });
}

type Answer = Response | Promise<Response>;

function withType(c: Context, store: CardStore, work: (type: CardType) => Answer): Answer {
  const type = store.type(c.req.param('type') ?? '');
  return type ? work(type) : answer(c, 404, faults(404, 'Not found', [{ detail: 'There is no such record type.' }]));
}

function withCard(c: Context, store: CardStore, work: (type: CardType, card: KeptCard) => Answer): Answer {
  return withType(c, store, (type) => {
    const card = store.of(type.name).get(Number(c.req.param('id')));
    return card
      ? work(type, card)
      : answer(c, 404, faults(404, 'Not found', [{ detail: `There is no such ${type.singular}.` }]));
  });
}

function list(c: Context, store: CardStore, type: CardType, state: PracticeState): Response {
  const query = c.req.query();
  const size = Math.min(200, Math.max(1, Number(query['page[size]'] ?? 50) || 50));
  const filters = Object.entries(query).flatMap(([name, value]) => {
    const attribute = /^filter\[(\w+)\]$/.exec(name)?.[1];
    return attribute && attribute !== 'changedSince' && attribute !== 'archived'
      ? [[attribute, value.trim().toLowerCase()] as const]
      : [];
  });
  const wantsArchived = query['filter[archived]'] === 'true';
  const fits = (card: KeptCard): boolean =>
    card.archived === wantsArchived &&
    filters.every(
      ([name, value]) =>
        String(card.attributes[name] ?? card.relationships[name] ?? '')
          .trim()
          .toLowerCase() === value,
    );
  const { data, next } = store.list(
    type.name,
    size,
    query['page[cursor]'] || undefined,
    query['filter[changedSince]'],
    fits,
  );
  const shown = suffers(state, 'answer_twice') ? data.flatMap((one) => [one, one]) : data;
  const url = new URL(c.req.url);
  if (next) url.searchParams.set('page[cursor]', next);
  return answer(c, 200, {
    data: shown.map((card) => resource(type, card)),
    links: { self: c.req.url, next: next ? `${url.pathname}${url.search}` : null },
  });
}

async function readResource(c: Context): Promise<z.infer<typeof ResourceSchema> | undefined> {
  const read = ResourceSchema.safeParse(await c.req.json().catch(() => null));
  return read.success ? read.data : undefined;
}

async function create(c: Context, store: CardStore, type: CardType): Promise<Response> {
  const given = await readResource(c);
  if (!given) return answer(c, 400, faults(400, 'Not accepted', [{ detail: 'The body is no resource object.' }]));
  const problems = check(store, type, given.data, true);
  if (problems.length > 0) return answer(c, 422, faults(422, 'Not accepted', problems));
  const made = store.of(type.name).add({
    type: type.name,
    attributes: written(type, given.data.attributes),
    relationships: idsOf(given.data.relationships),
    archived: given.data.attributes['archived'] === true,
    mergedInto: null,
  });
  return answer(c, 201, { data: resource(type, made) });
}

async function change(c: Context, store: CardStore, type: CardType, card: KeptCard): Promise<Response> {
  const given = await readResource(c);
  if (!given) return answer(c, 400, faults(400, 'Not accepted', [{ detail: 'The body is no resource object.' }]));
  const problems = check(store, type, given.data, false);
  if (problems.length > 0) return answer(c, 422, faults(422, 'Not accepted', problems));
  const archived = given.data.attributes['archived'];
  const changed: Partial<Card> = {
    attributes: { ...card.attributes, ...written(type, given.data.attributes) },
    relationships: { ...card.relationships, ...idsOf(given.data.relationships) },
    ...(typeof archived === 'boolean' && { archived, ...(!archived && { mergedInto: null }) }),
  };
  return answer(c, 200, { data: resource(type, store.of(type.name).change(card.id, changed) as KeptCard) });
}

async function merge(c: Context, store: CardStore, type: CardType, card: KeptCard): Promise<Response> {
  const given = await readResource(c);
  const other = given?.data.id ? store.of(type.name).get(Number(given.data.id)) : undefined;
  if (!other || other.id === card.id)
    return answer(
      c,
      422,
      faults(422, 'Not accepted', [
        { detail: `Name another ${type.singular} to merge into this one.`, pointer: '/data/id' },
      ]),
    );
  const merged = store.merge(type.name, card.id, other.id);
  return answer(c, 200, { data: resource(type, merged as KeptCard) });
}

/** Attributes as they are kept: stray spaces at the ends go, as in many such apps. */
const written = (type: CardType, attributes: Readonly<Record<string, unknown>>): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(attributes).flatMap(([name, value]) =>
      type.attributes.some((one) => one.name === name)
        ? [[name, typeof value === 'string' ? value.trim() : value]]
        : [],
    ),
  );

const idsOf = (relationships: z.infer<typeof ResourceSchema>['data']['relationships']): Record<string, string | null> =>
  Object.fromEntries(Object.entries(relationships).map(([name, { data }]) => [name, data?.id ?? null]));

function check(
  store: CardStore,
  type: CardType,
  given: z.infer<typeof ResourceSchema>['data'],
  isNew: boolean,
): Fault[] {
  const problems: Fault[] = [];
  for (const attribute of type.attributes) {
    const value = given.attributes[attribute.name];
    if (value === undefined && !(isNew && attribute.isRequired)) continue;
    const detail = faultOf(attribute, value);
    if (detail)
      problems.push({ detail: `${attribute.name}: ${detail}`, pointer: `/data/attributes/${attribute.name}` });
  }
  for (const [name, { data }] of Object.entries(given.relationships)) {
    const to = type.relationships[name];
    const isThere = !data || (to && data.type === to && store.of(to).get(Number(data.id)));
    if (!to || !isThere)
      problems.push({
        detail: to
          ? `${name}: there is no ${to} with the id ${data?.id}.`
          : `${name} is no relationship of ${type.name}.`,
        pointer: `/data/relationships/${name}`,
      });
  }
  return problems;
}

function faultOf({ kind, isRequired, maxLength, options }: Attribute, value: unknown): string | undefined {
  if (value === null || value === undefined || value === '') return isRequired ? 'required.' : undefined;
  if (kind === 'boolean') return typeof value === 'boolean' ? undefined : 'yes or no.';
  const given = String(value);
  if (maxLength && given.length > maxLength) return `at most ${maxLength} characters.`;
  if (options && !options.includes(given)) return `one of ${options.join(', ')}.`;
  if (kind === 'email' && !/^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(given)) return 'not an e-mail address.';
  if (kind === 'country' && !/^[A-Z]{2}$/.test(given)) return 'two capital letters, such as GB.';
  if (kind === 'decimal' && !/^-?\d+(\.\d+)?$/.test(given)) return 'a number with a point, such as 12.50.';
  if (kind === 'date' && !/^\d{4}-\d{2}-\d{2}$/.test(given)) return 'a date such as 2026-03-01.';
  return undefined;
}
