import { type Context, Hono } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import { filter, parse } from 'scim2-parse-filter';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import type { Kept, RecordTable } from '../kit/records.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { BadPatch, patched } from './patch.ts';
import { accountOf, etagOf, groupOf, userOf } from './resources.ts';
import { mostInBulk, providerConfig, resourceTypes, schemas } from './schemas.ts';
import type { Account, Group, KeyStore } from './store.ts';

const listSchema = 'urn:ietf:params:scim:api:messages:2.0:ListResponse';
const errorSchema = 'urn:ietf:params:scim:api:messages:2.0:Error';
const bulkSchema = 'urn:ietf:params:scim:api:messages:2.0:BulkResponse';
const scimType = 'application/scim+json';

type Resource = Record<string, unknown>;

/** What a request came to, whether alone or as one of many. */
interface Answer {
  readonly status: number;
  readonly body?: Resource;
}

const refused = (status: number, detail: string, why?: string): Answer => ({
  status,
  body: { schemas: [errorSchema], status: String(status), ...(why && { scimType: why }), detail },
});

const taken = (userName: string): Answer => refused(409, `The user name “${userName}” is taken.`, 'uniqueness');
const notThere = refused(404, 'There is no such resource.');

const Bulk = z.object({
  failOnErrors: z.int().optional(),
  Operations: z.array(
    z.object({
      method: z.string().transform((method) => method.toUpperCase()),
      path: z.string(),
      bulkId: z.string().optional(),
      data: z.record(z.string(), z.unknown()).optional(),
    }),
  ),
});

/** The Key cabinet’s interface: SCIM 2.0 (RFC 7644) over accounts and groups. */
export function keyCabinetApi(store: KeyStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  const say = (c: Context, { status, body }: Answer) =>
    body === undefined
      ? c.body(null, 204)
      : c.body(JSON.stringify(body), status as ContentfulStatusCode, {
          'content-type': scimType,
          ...(typeof body['meta'] === 'object' && { etag: (body['meta'] as { version?: string }).version ?? '' }),
        });
  const list = (c: Context, all: readonly Resource[]) => {
    const asked = c.req.query('filter');
    let found = all;
    try {
      if (asked) found = all.filter((one) => filter(parse(asked))(one as never));
    } catch {
      return say(c, refused(400, `The filter “${asked}” can’t be read.`, 'invalidFilter'));
    }
    // RFC 7644 section 3.4.2.4: counted from 1.
    const startIndex = Math.max(1, Number(c.req.query('startIndex') ?? 1) || 1);
    const count = Math.min(200, Math.max(0, Number(c.req.query('count') ?? 50)));
    const shown = found.slice(startIndex - 1, startIndex - 1 + count);
    return say(c, {
      status: 200,
      body: {
        schemas: [listSchema],
        totalResults: found.length,
        startIndex,
        itemsPerPage: shown.length,
        ...(shown.length > 0 && { Resources: shown }),
      },
    });
  };
  const all = <T extends object>(table: RecordTable<T>): (T & Kept)[] => table.list({}, { limit: 100_000 });
  app.use('*', bearerKeys(keys, 'key cabinet'));
  app.get('/ServiceProviderConfig', (c) => c.json(providerConfig));
  app.get('/Schemas', (c) => list(c, schemas));
  app.get('/ResourceTypes', (c) => list(c, resourceTypes as Resource[]));
  app.get('/Me', (c) =>
    say(c, {
      status: 200,
      body: { id: state.account, userName: c.get('key').name, displayName: 'Saltmarsh accounts' },
    }),
  );
  app.get('/Users', (c) =>
    list(
      c,
      all(store.accounts).map((one) => userOf(store, one)),
    ),
  );
  app.get('/Groups', (c) =>
    list(
      c,
      all(store.groups).map((one) => groupOf(store, one)),
    ),
  );
  app.get('/Users/:id', (c) => {
    const found = store.accounts.get(Number(c.req.param('id')));
    return say(c, found ? { status: 200, body: userOf(store, found) } : notThere);
  });
  app.get('/Groups/:id', (c) => {
    const found = store.groups.get(Number(c.req.param('id')));
    return say(c, found ? { status: 200, body: groupOf(store, found) } : notThere);
  });
  app.on(['POST', 'PUT', 'PATCH', 'DELETE'], ['/Users', '/Groups', '/Users/:id', '/Groups/:id'], async (c) => {
    const path = c.req.path.slice(c.req.path.search(/\/(Users|Groups)(\/|$)/));
    const body = (await c.req.json().catch(() => ({}))) as Resource;
    return say(c, change(store, c.req.method, path, body, c.req.header('if-match')));
  });
  app.post('/Bulk', async (c) => {
    const read = Bulk.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return say(c, refused(400, 'This is no bulk request.', 'invalidSyntax'));
    const { Operations, failOnErrors = Number.POSITIVE_INFINITY } = read.data;
    // RFC 7644 section 3.7.4.
    if (Operations.length > mostInBulk)
      return say(c, refused(413, `At most ${mostInBulk} operations are taken in one request.`));
    const done: object[] = [];
    let errors = 0;
    for (const { method, path, bulkId, data = {} } of Operations) {
      if (errors >= failOnErrors) break;
      const answer = change(store, method, path, data);
      if (answer.status >= 400) errors += 1;
      const id = answer.body?.['id'];
      done.push({
        method,
        ...(bulkId !== undefined && { bulkId }),
        ...(id !== undefined && { location: `/Users/${String(id)}` }),
        status: String(answer.status),
        ...(answer.status >= 400 && { response: answer.body }),
      });
    }
    return say(c, { status: 200, body: { schemas: [bulkSchema], Operations: done } });
  });
  return app;
}

/** Makes, changes or removes one resource. */
function change(store: KeyStore, method: string, path: string, body: Resource, ifMatch?: string): Answer {
  const [, kind = '', given] = path.split('/');
  const id = Number(given);
  if (kind === 'Users')
    return given === undefined ? addUser(store, body) : changeUser(store, method, id, body, ifMatch);
  if (kind !== 'Groups') return notThere;
  if (given === undefined) return saveGroup(store, undefined, body);
  const before = store.groups.get(id);
  if (!before) return notThere;
  if (ifMatch !== undefined && ifMatch !== etagOf(before)) return refused(412, 'It has changed since it was read.');
  if (method === 'DELETE') {
    store.groups.remove(id);
    return { status: 204 };
  }
  if (method === 'PUT') return saveGroup(store, before, body);
  return attempt(() => saveGroup(store, before, patched(groupOf(store, before), body)));
}

function addUser(store: KeyStore, body: Resource): Answer {
  const account = accountOf(body);
  if (typeof account === 'string') return refused(400, account, 'invalidValue');
  if (withName(store, account.userName)) return taken(account.userName);
  return { status: 201, body: userOf(store, store.accounts.add(account)) };
}

function changeUser(store: KeyStore, method: string, id: number, body: Resource, ifMatch?: string): Answer {
  const before = store.accounts.get(id);
  if (!before) return notThere;
  if (ifMatch !== undefined && ifMatch !== etagOf(before)) return refused(412, 'It has changed since it was read.');
  if (method === 'DELETE') {
    store.remove(id);
    return { status: 204 };
  }
  return attempt(() => {
    const account = accountOf(method === 'PUT' ? body : patched(userOf(store, before), body));
    if (typeof account === 'string') return refused(400, account, 'invalidValue');
    const other = withName(store, account.userName);
    if (other && other.id !== id) return taken(account.userName);
    return { status: 200, body: userOf(store, store.accounts.change(id, account) ?? before) };
  });
}

/** User names are taken whatever their capitals (RFC 7643 section 4.1.1). */
const withName = (store: KeyStore, userName: string): (Account & Kept) | undefined =>
  store.accounts.list({ userName }, { limit: 1 })[0];

function saveGroup(store: KeyStore, before: (Group & Kept) | undefined, body: Resource): Answer {
  const displayName = typeof body['displayName'] === 'string' ? body['displayName'].trim() : '';
  if (displayName === '') return refused(400, 'displayName is required.', 'invalidValue');
  const members = (Array.isArray(body['members']) ? body['members'] : []).map((one) =>
    Number((one as Resource)['value']),
  );
  const stranger = members.find((id) => !store.accounts.get(id));
  if (stranger !== undefined) return refused(400, `There is no account ${stranger}.`, 'invalidValue');
  const externalId = typeof body['externalId'] === 'string' ? body['externalId'] : null;
  const group: Group = { displayName, externalId, members: [...new Set(members)] };
  if (!before) return { status: 201, body: groupOf(store, store.groups.add(group)) };
  return { status: 200, body: groupOf(store, store.groups.change(before.id, group) ?? before) };
}

function attempt(work: () => Answer): Answer {
  try {
    return work();
  } catch (error) {
    if (error instanceof BadPatch) return refused(400, error.message, error.scimType);
    throw error;
  }
}
