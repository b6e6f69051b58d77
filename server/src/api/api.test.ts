import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent } from '@golden/core';
import { shopKeys } from '@golden/standins';
import { validate } from '@readme/openapi-parser';
import { GroupCommit } from '../db/group-commit.ts';
import { Redaction } from '../secrets/redaction.ts';
import { CannotUnseal, Sealing } from '../secrets/sealing.ts';
import type { Services } from '../services.ts';
import { goLive } from '../testing/checks.ts';
import {
  addCustomers,
  type Connected,
  columns,
  connectBoth,
  customersWorkflow,
  emptyWorkbook,
  openServices,
  openWorld,
  rowsOf,
  type World,
} from '../testing/world.ts';
import { makeApi } from './app.ts';
import { routes } from './routes.ts';

let world: World;
let services: Services;
let connected: Connected;

beforeEach(async () => {
  world = await openWorld();
  world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
  services = await openServices(world);
  connected = await connectBoth(world, services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

const ask = async (name: string, body?: unknown, headers: Record<string, string> = {}) => {
  const [method = 'GET', path = ''] = name.split(' ');
  const answer = await makeApi(services).request(path, {
    method,
    headers: { 'content-type': 'application/json', ...headers },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  return { status: answer.status, type: answer.headers.get('content-type'), text: await answer.text() };
};

test('a secret appears in no sentence, no error and no stored text of ours; data that holds it stays as it is', async () => {
  const secret = shopKeys[0]?.key ?? '';
  addCustomers(world, 3);
  const id = await customersWorkflow(services, connected);
  // The source itself hands the secret back inside a record, as a careless app may.
  world.shop.store.add({
    first_name: secret,
    last_name: null,
    company: null,
    email: 'x@clay.example',
    phone: null,
    account_type: 'hobby',
    vat_number: null,
    newsletter: false,
    address: { street: null, city: null, postcode: null, country: null },
  });
  const run = await goLive(services, id);
  const [item] = await services.db.selectFrom('item').select('id').orderBy('seq', 'desc').execute();
  const names = [
    '/api/connections',
    `/api/connections/${connected.shop}`,
    '/api/workflows',
    `/api/runs/${run}`,
    `/api/runs/${run}/items`,
    `/api/items/${item?.id}`,
    '/api/today',
    '/api/apps',
  ];
  for (const name of names) {
    const { text } = await ask(`GET ${name}`);
    expect(() => JSON.parse(text)).not.toThrow();
    // Only where the source put it itself: in the record of the one customer who bears it.
    if (!name.includes('/items')) expect(text).not.toContain(secret);
    expect(text).not.toContain('▒');
  }
  const sealed = await services.db.selectFrom('connection').select(['secret', 'health']).execute();
  expect(JSON.stringify(sealed)).not.toContain(secret);
  const written = await rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
  expect(written.at(-1)?.['Name']).toBe(secret);
  await services.connections.change(
    connected.shop,
    { name: 'x', settings: { address: `http://127.0.0.1:9/${secret}` }, key: secret },
    { answer: 'same' },
  );
  expect((await ask(`GET /api/connections/${connected.shop}/places?path=a`)).text).not.toContain(secret);
});

test('with another master key a connection says to sign in again', async () => {
  const other = await openServices(world, { masterKey: 'another key' });
  const view = await other.connections.check(connected.shop);
  expect(view).toMatchObject({ status: 'broken', message: expect.stringContaining('sign in again') });
  await other.close();
});

test('sealed values open with their key only, and not when altered', () => {
  const sealing = new Sealing('one');
  const sealed = sealing.seal('a secret');
  expect(sealed).not.toContain('a secret');
  expect(sealing.unseal(sealed)).toBe('a secret');
  expect(sealing.seal('a secret')).not.toBe(sealed);
  expect(() => new Sealing('two').unseal(sealed)).toThrow(CannotUnseal);
  expect(() => sealing.unseal(`${sealed.slice(0, -3)}AAA`)).toThrow(CannotUnseal);
});

// RFC 9457: type, title, status and detail, as application/problem+json.
test('errors are problem details with a sentence, and lose nothing', async () => {
  const unknown = await ask('GET /api/workflows/none');
  expect(unknown).toMatchObject({ status: 404, type: 'application/problem+json' });
  expect(JSON.parse(unknown.text)).toMatchObject({
    type: expect.stringMatching(/^https:/),
    status: 404,
    detail: 'This workflow isn’t there any more.',
  });
  const { id } = JSON.parse((await ask('POST /api/workflows', { name: 'One' })).text);
  const broken = await ask(`PUT /api/workflows/${id}/draft`, { content: { ...emptyContent('x'), schema: 7 }, rev: 1 });
  expect(broken.status).toBe(400);
  expect(JSON.parse(broken.text).detail).toContain('content → schema');
  expect((await ask(`POST /api/workflows/${id}/live`)).status).toBe(409);
  expect(
    (await ask('PUT /api/settings', { workspace: '', zone: 'Mars/Base', country: 'GB', isPractice: false })).text,
  ).toContain('not a time zone');
});

test('a draft made from an older one is not saved over a newer one', async () => {
  const { id } = JSON.parse((await ask('POST /api/workflows', { name: 'One' })).text);
  const save = (name: string, rev: number) =>
    ask(`PUT /api/workflows/${id}/draft`, { content: emptyContent(name), rev });
  expect((await save('Two', 1)).status).toBe(200);
  const conflict = await save('Three', 1);
  expect(conflict.status).toBe(409);
  expect(JSON.parse(conflict.text)).toMatchObject({ rev: 2, content: { name: 'Two' } });
});

// Keys that are words of JSON, of our own answers, or of somebody's records.
test.each(['true', 'null', 'name', 'message', '"', 'id":', 'customers', 'Customer list'])(
  'a key “%s” changes no answer and no record',
  async (key) => {
    addCustomers(world, 1);
    await services.connections.add({
      app: 'shop_counter',
      name: 'Customer list',
      settings: { address: `${world.shop.at.url}/api` },
      key,
    });
    const id = await customersWorkflow(services, connected);
    await goLive(services, id);
    for (const name of ['/api/connections', '/api/workflows', `/api/workflows/${id}`, '/api/today', '/api/apps']) {
      const { text } = await ask(`GET ${name}`);
      expect(() => JSON.parse(text)).not.toThrow();
      expect(text).not.toContain('▒');
    }
  },
);

test('secrets are redacted from sentences whole, with and without their scheme; never out of data', () => {
  const redaction = new Redaction();
  for (const secret of ['Bearer tok_4f7a99b2', 'short', 'longer than sixteen/+=', 'wholesale']) redaction.learn(secret);
  expect(redaction.clean('It sent tok_4f7a99b2, then “Bearer tok_4f7a99b2”.')).toBe('It sent ▒▒▒, then “▒▒▒”.');
  expect(redaction.clean('xtok_4f7a99b2 and a short word')).toBe('xtok_4f7a99b2 and a short word');
  expect(redaction.clean('?key=longer%20than%20sixteen%2F%2B%3D&x')).toBe('?key=▒▒▒&x');
  const answer = {
    wholesale: 1,
    message: 'wholesale was refused',
    record: { message: 'We are wholesale', account_type: 'wholesale' },
    list: [{ problem: null, title: 'wholesale' }],
  };
  const cleaned = redaction.cleanAnswer(answer);
  expect(cleaned).toEqual({ ...answer, message: '▒▒▒ was refused' });
  expect(answer.message).toBe('wholesale was refused');
});

test('bodies have a limit by route, in bytes, depth and values; what is refused changes nothing', async () => {
  const workflows = async () => (await services.workflows.list()).length;
  const before = await workflows();
  const post = async (text: string, path = '/api/workflows') => {
    const answer = await makeApi(services).request(path, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(text)) },
      body: text,
    });
    return { status: answer.status, detail: ((await answer.json()) as { detail: string }).detail };
  };
  expect(await post(JSON.stringify({ name: 'x'.repeat(1024 * 1024) }))).toEqual({
    status: 413,
    detail: 'More than 1 MB was sent, and this takes no more. Nothing was changed.',
  });
  expect((await post('['.repeat(100_000))).detail).toContain('nested too deeply');
  expect((await post(`[${'[],'.repeat(150_001)}[]]`)).detail).toContain('more than 300,000 values');
  // Commas within a text are no values, and faults are told up to a number.
  const told = await post(JSON.stringify({ name: ',"\\'.repeat(150_000) }));
  expect(told).toMatchObject({ status: 400, detail: expect.stringContaining('120') });
  const faults = await post(
    JSON.stringify({
      connections: Object.fromEntries(Array.from({ length: 500 }, (_, at) => [`c${at}`, at])),
      text: '',
    }),
    '/api/workflows/import',
  );
  expect(faults.detail).toContain('and 480 more');
  expect(await workflows()).toBe(before);
});

test('state is changed only by JSON from our own page; answers carry the browser’s guards', async () => {
  const api = makeApi(services);
  const own = { host: '127.0.0.1:4600', origin: 'http://127.0.0.1:4600', 'content-type': 'application/json' };
  const post = async (headers: Record<string, string>) =>
    (await api.request('/api/workflows', { method: 'POST', headers: { ...own, ...headers }, body: '{"name":"x"}' }))
      .status;
  expect(await post({ 'content-type': 'text/plain' })).toBe(415);
  expect(await post({ 'content-type': 'application/x-www-form-urlencoded' })).toBe(415);
  expect(await post({ origin: 'http://127.0.0.1:4601' })).toBe(403);
  expect(await post({ origin: 'http://localhost:4600' })).toBe(403);
  expect(await post({ origin: 'null' })).toBe(403);
  expect(await post({ 'sec-fetch-site': 'same-site' })).toBe(403);
  expect(await services.workflows.list()).toHaveLength(0);
  expect(await post({ 'sec-fetch-site': 'same-origin', 'content-type': 'application/json; charset=utf-8' })).toBe(200);
  expect((await api.request('/api/settings', { headers: { ...own, 'sec-fetch-site': 'cross-site' } })).status).toBe(
    403,
  );
  const { headers } = await api.request('/api/settings', { headers: own });
  expect(headers.get('content-security-policy')).toContain("script-src 'self'");
  expect(headers.get('content-security-policy')).toContain("frame-ancestors 'none'");
  expect(Object.fromEntries(headers)).toMatchObject({
    'x-content-type-options': 'nosniff',
    'x-frame-options': 'DENY',
    'referrer-policy': 'same-origin',
    'cache-control': 'no-store',
    'cross-origin-opener-policy': 'same-origin',
    'cross-origin-resource-policy': 'same-origin',
  });
});

test('a strange Host or Origin is refused', async () => {
  expect((await ask('GET /api/settings', undefined, { host: 'evil.example' })).status).toBe(403);
  expect((await ask('GET /api/settings', undefined, { origin: 'https://evil.example' })).status).toBe(403);
  expect(
    (await ask('GET /api/settings', undefined, { host: '127.0.0.1:4600', origin: 'http://127.0.0.1:4600' })).status,
  ).toBe(200);
});

test('the OpenAPI 3.1 document names every route', async () => {
  const document = JSON.parse((await ask('GET /api/openapi.json')).text);
  expect(document.openapi).toBe('3.1.0');
  // Read by an independent parser, every reference resolved and the whole checked against OpenAPI 3.1.
  expect(await validate(structuredClone(document))).toMatchObject({ valid: true });
  const published = Object.entries(document.paths as Record<string, object>).flatMap(([path, item]) =>
    Object.keys(item).map((method) => `${method.toUpperCase()} ${path.replace(/\{(\w+)\}/g, ':$1')}`),
  );
  expect(published.sort()).toEqual(Object.keys(routes).sort());
});

test('pieces committed together stand alone: one that fails takes no other along', async () => {
  const commits = new GroupCommit(services.db, { pause: () => Promise.resolve(), onFull: () => undefined });
  const add = (name: string) => commits.run((trx) => trx.insertInto('setting').values({ name, value: '1' }).execute());
  const results = await Promise.allSettled([add('a'), add('b'), add('a'), add('c')]);
  expect(results.map((result) => result.status)).toEqual(['fulfilled', 'fulfilled', 'rejected', 'fulfilled']);
  expect(
    await services.db.selectFrom('setting').select('name').where('name', 'in', ['a', 'b', 'c']).execute(),
  ).toHaveLength(3);
});

test('the data folder holds nothing in clear text that opens an app', () => {
  for (const name of readdirSync(world.folder)) {
    if (name.startsWith('golden.sqlite'))
      expect(readFileSync(join(world.folder, name)).includes(shopKeys[0]?.key ?? '')).toBe(false);
  }
});
