import { Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import { type NewsletterStore, type Subscriber, shown, subscriberStatuses } from './store.ts';

const Given = z.object({
  email: z.email('This is no e-mail address.').max(200),
  name: z.string().max(120).nullable().optional(),
  status: z.enum(subscriberStatuses).optional(),
  own: z.record(z.string(), z.string().max(400).nullable()).optional(),
});

/** The Newsletter list's HTTP interface: a bearer key, pages of a list by a cursor. */
export function newsletterApi(store: NewsletterStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'newsletter'));
  app.get('/openapi.json', (c) => c.json(describe(store.ownFields())));
  app.get('/me', (c) =>
    c.json({
      publisher: state.account,
      name: c.get('key').name,
      may_write: c.get('key').mayWrite,
      sees: store.lists().map(({ name }) => name),
    }),
  );
  app.get('/lists', (c) => c.json({ lists: store.lists() }));
  app.get('/lists/:list/subscribers', (c) => {
    const { list } = c.req.param();
    if (!store.lists().some(({ id }) => id === list)) return problem(c, 404, 'Not found', 'There is no such list.');
    const limit = Math.min(100, Number(c.req.query('limit') ?? 50) || 50);
    const email = c.req.query('email');
    const where = { list, ...(email !== undefined && { email }) };
    const page = store.subscribers.page(limit, c.req.query('cursor'), c.req.query('since'), where);
    return c.json({ subscribers: page.data.map(shown), next: page.next_cursor });
  });
  app.get('/lists/:list/subscribers/:id', (c) => {
    const found = store.subscribers.get(Number(c.req.param('id')));
    if (found?.list !== c.req.param('list')) return problem(c, 404, 'Not found', 'There is no such subscriber.');
    return c.json(shown(found));
  });
  app.post('/lists/:list/subscribers', async (c) => {
    const { list } = c.req.param();
    if (!store.lists().some(({ id }) => id === list)) return problem(c, 404, 'Not found', 'There is no such list.');
    const read = Given.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 422, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    const { email, name = null, status = 'subscribed', own = {} } = read.data;
    const why = strange(store, own);
    if (why) return problem(c, 422, 'Not accepted', why);
    if (store.withEmail(list, email)) return problem(c, 422, 'Not accepted', 'This address is on the list already.');
    return c.json(shown(store.add({ list, email, name, status, own })), 201);
  });
  app.patch('/lists/:list/subscribers/:id', async (c) => {
    const found = store.subscribers.get(Number(c.req.param('id')));
    if (found?.list !== c.req.param('list')) return problem(c, 404, 'Not found', 'There is no such subscriber.');
    const read = Given.partial().safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 422, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    const { own, ...rest } = read.data;
    const given = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
    const why = (own && strange(store, own)) ?? comesBack(found, given);
    if (why) return problem(c, 422, 'Not accepted', why);
    return c.json(shown(store.change(found.id, { ...given, ...(own && { own: { ...found.own, ...own } }) }) ?? found));
  });
  app.delete('/lists/:list/subscribers/:id', (c) => {
    const found = store.subscribers.get(Number(c.req.param('id')));
    if (found?.list !== c.req.param('list')) return problem(c, 404, 'Not found', 'There is no such subscriber.');
    store.subscribers.remove(found.id);
    return c.body(null, 204);
  });
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}

/** Who has unsubscribed comes back by themselves, on the newsletter's own page, and by no program. */
function comesBack(found: Subscriber, given: Partial<Subscriber>): string | undefined {
  return found.status === 'unsubscribed' && given.status === 'subscribed'
    ? 'They unsubscribed. Only they themselves can come back.'
    : undefined;
}

function strange(store: NewsletterStore, own: Readonly<Record<string, unknown>>): string | undefined {
  const unknown = Object.keys(own).find((name) => !store.ownFields().includes(name));
  return unknown === undefined ? undefined : `There is no field “${unknown}”.`;
}

/** The interface as OpenAPI 3.1, with the business's own fields. */
function describe(ownFields: readonly string[]): object {
  const own = {
    email: { type: 'string', format: 'email', maxLength: 200 },
    name: { type: ['string', 'null'], maxLength: 120 },
    status: { type: 'string', enum: subscriberStatuses },
    own: {
      type: 'object',
      properties: Object.fromEntries(
        ownFields.map((name) => [name, { type: ['string', 'null'], maxLength: 400, title: name }]),
      ),
    },
  };
  const at = { type: 'string', format: 'date-time', readOnly: true };
  const told = { id: { type: 'string', readOnly: true }, list: { type: 'string', readOnly: true } };
  return {
    openapi: '3.1.0',
    info: { title: 'Newsletter list', version: '1' },
    paths: {},
    components: {
      schemas: {
        Subscriber: {
          type: 'object',
          properties: { ...told, ...own, status_since: at, joined_at: at, changed_at: at },
        },
        SubscriberInput: { type: 'object', required: ['email'], properties: own },
      },
    },
  };
}
