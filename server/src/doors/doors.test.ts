import { createHmac } from 'node:crypto';
import type { Start, WorkflowContent } from '@golden/core';
import { draftOfEvents } from '@golden/core';
import fc from 'fast-check';
import { Webhook } from 'standardwebhooks';
import { makeApi } from '../api/app.ts';
import { lookAt } from '../building/copies.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { askApi } from '../testing/ask.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfArrivals } from '../testing/drop.ts';
import { fieldFilling, openServices, placeOf, rowsOf } from '../testing/world.ts';
import { whyNotAllowed } from './access.ts';
import { makeDoor } from './door-app.ts';
import { expectReached } from './doors.ts';
import { DoorLimits } from './limits.ts';
import { type Access, type DoorSetting, newDoorSetting } from './setting.ts';

// Events that are posted, from the request to the row. Judged by the rows that stand there and by what callers are answered.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;
const open: DoorSetting = { ...newDoorSetting, access: { kind: 'anybody' } };

let inbox: string;
let connection: string;
beforeEach(async () => {
  const added = await around.services.doors.add('Orders');
  [inbox = ''] = added.path;
  connection = added.connection;
});

const set = (setting: Partial<DoorSetting>, secret?: string) =>
  around.services.doors.change(inbox, { ...open, ...setting }, secret);
const address = async (): Promise<string> => `/in/${(await around.services.doors.of(inbox)).address}`;

async function post(
  body: string | Uint8Array | FormData,
  headers: Readonly<Record<string, string>> = { 'content-type': 'application/json' },
  more: { readonly at?: string; readonly method?: string } = {},
): Promise<Response> {
  const { at = await address(), method = 'POST' } = more;
  return makeDoor(around.services).request(at, {
    method,
    headers,
    ...(method === 'POST' && { body: body instanceof Uint8Array ? Buffer.from(body) : body }),
  });
}
const order = (number: number) => ({ id: `o-${number}`, name: `Ada ${number}`, email: `ada${number}@clay.example` });
const json = (value: unknown): string => JSON.stringify(value);

async function rest(): Promise<void> {
  await around.services.engine.quiet();
  await around.services.engine.tick();
  await around.services.engine.quiet();
  await settled(around.services);
}

const arrived = () =>
  around.services.db.selectFrom('arrival').select(['key', 'repeats', 'is_test']).orderBy('seq').execute();
const refused = () =>
  around.services.db.selectFrom('refusal').select(['status', 'reason', 'headers', 'inbox_id']).orderBy('seq').execute();
const rows = async () => rowsOf(around.world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const numbers = async () => (await rows()).map((row) => String(row['Number'])).sort();

/** A live workflow that writes each event onto the list; one that came before is only noted. */
async function live(start: Partial<Start> = {}): Promise<string> {
  const { services, connected } = around;
  await post(json(order(0)));
  const source = (await lookAt(services, { connection, path: [inbox], labels: ['Orders'] })).place;
  const draft = draftOfEvents(source, 'Orders onto the list');
  const { id } = await services.workflows.add({
    ...draft,
    start: { ...draft.start, ...start },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']),
        mode: 'append',
        mapping: {
          '/Name': fieldFilling('/name'),
          '/E-mail': fieldFilling('/email'),
          '/Number': fieldFilling('/id'),
        },
      },
    ],
  });
  await services.engine.finish((await services.engine.makeLive(id)).run);
  return id;
}

test('an event is a row, once however often it is posted; what came before was only noted', async () => {
  await set({ eventId: { kind: 'field', path: '/id' } });
  await live();
  const answer = await post(json(order(1)));
  expect([answer.status, await answer.text()]).toEqual([202, '']);
  expect((await post(json({ ...order(1), name: 'Somebody else' }))).status).toBe(202);
  await rest();
  expect(await numbers()).toEqual(['o-1']);
  expect(await arrived()).toMatchObject([{ key: 'o-0' }, { key: 'o-1', repeats: 1 }]);
  // Any repeat can be brought in all the same.
  await around.services.arrivals.again(inbox, 'o-1');
  await rest();
  expect(await numbers()).toEqual(['o-1', 'o-1']);
});

test('three thousand, eight at once, with repeats among them: each is stored once', async () => {
  await set({ eventId: { kind: 'field', path: '/id' } });
  const door = makeDoor(around.services, new DoorLimits(100));
  const [at, count] = [await address(), 3000];
  // Every fifth one is the one before once more.
  const numbers = Array.from({ length: count }, (_, index) => (index % 5 === 4 ? index - 1 : index));
  const left = [...numbers];
  const statuses = new Set<number>();
  const lane = async (): Promise<void> => {
    for (let number = left.pop(); number !== undefined; number = left.pop()) {
      const headers = { 'content-type': 'application/json' };
      statuses.add((await door.request(at, { method: 'POST', headers, body: json(order(number)) })).status);
    }
  };
  await Promise.all(Array.from({ length: 8 }, lane));
  expect([...statuses]).toEqual([202]);
  const there = await arrived();
  expect(there.map(({ key }) => key).sort()).toEqual([...new Set(numbers)].map((number) => `o-${number}`).sort());
  expect(there.reduce((sum, { repeats }) => sum + repeats, 0)).toBe(count / 5);
});

test.each(pointsOfArrivals)(
  'the process ends at %s: what was answered is never lost, what is posted again never doubled',
  async (point) => {
    await set({ eventId: { kind: 'field', path: '/id' } });
    await live();
    const ended = dropAt(around.services, point);
    let status = 0;
    void post(json(order(1))).then((answer) => {
      status = answer.status;
    });
    await ended;
    expect(status).toBe(0);
    around.services = await openServices(around.world, { seams: clock().next() });
    await around.services.engine.resume();
    await rest();
    expect((await post(json(order(1)))).status).toBe(202);
    await rest();
    expect(await numbers()).toEqual(['o-1']);
  },
);

describe('what a body may be', () => {
  const learnt = async () =>
    JSON.parse(
      (await around.services.db.selectFrom('inbox').select('fields').where('id', '=', inbox).executeTakeFirstOrThrow())
        .fields,
    ).map(({ path }: { path: string }) => path);

  test('a form in both ways, XML, text, and parameters where a GET is allowed', async () => {
    await set({});
    await post('name=Ada+Nair&tag=a&tag=b', { 'content-type': 'application/x-www-form-urlencoded' });
    expect(await learnt()).toEqual(['/name', '/tag']);
    const form = new FormData();
    form.append('about', 'kilns');
    form.append('plan', new File(['%PDF'], 'plan.pdf', { type: 'application/pdf' }));
    await post(form, {});
    expect(await learnt()).toEqual(expect.arrayContaining(['/about', '/plan/name', '/plan/type', '/plan/size']));
    const text =
      '<?xml version="1.0" encoding="iso-8859-1"?><a:order xmlns:a="x" no="7"><buyer>M\u00fcller</buyer></a:order>';
    await post(Buffer.from(text, 'latin1'), { 'content-type': 'application/xml' });
    await post('Call me', { 'content-type': 'text/plain' });
    expect((await post('', {}, { method: 'GET', at: `${await address()}?a=1` })).status).toBe(405);
    await set({ allowsGet: true });
    expect((await post('', {}, { method: 'GET', at: `${await address()}?utm=1&b=%C3%A4` })).status).toBe(202);
    const connector = await around.services.connections.connector(connection);
    const { records } = await connector.list({ path: [inbox] });
    expect(records.map(({ record: { $arrival: _, ...record } }) => record)).toEqual([
      { name: 'Ada Nair', tag: ['a', 'b'] },
      { about: 'kilns', plan: { name: 'plan.pdf', type: 'application/pdf', size: 4 } },
      { '@no': '7', buyer: 'Müller' },
      { text: 'Call me' },
      { utm: '1', b: 'ä' },
    ]);
  });

  test.each<[string, string | Uint8Array, string, string]>([
    ['cut off', '{"id": "o-1', 'application/json', 'cut off'],
    ['empty', '', 'application/json', 'empty'],
    ['of another encoding than it says', new Uint8Array([0x22, 0xe4, 0x22]), 'application/json', 'UTF-8'],
    ['of an encoding that isn’t known', '{}', 'application/json; charset=klingon', '“klingon”'],
    ['nested deep', `${'['.repeat(200)}${']'.repeat(200)}`, 'application/json', 'more than 32 deep'],
    [
      'of ten thousand fields',
      json(Object.fromEntries(Array.from({ length: 10_000 }, (_, at) => [`f${at}`, at]))),
      'application/json',
      'more than 5,000 values',
    ],
    ['XML that isn’t closed', '<a><b></a>', 'text/xml', 'no whole XML'],
    ['XML with entities', '<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', 'text/xml', 'DOCTYPE'],
    ['a form without its end', 'x', 'multipart/form-data; boundary=y', 'no whole form'],
    ['a picture', 'x', 'image/png', 'image/png'],
  ])('one that is %s is refused with the reason, and kept to be looked at', async (_name, body, type, said) => {
    await set({});
    const answer = await post(body, { 'content-type': type });
    expect([answer.status, await answer.text()]).toEqual([400, expect.stringContaining(said)]);
    expect(await refused()).toMatchObject([{ status: 400, reason: expect.stringContaining(said) }]);
    const { body: kept } = await around.services.db.selectFrom('refusal').select('body').executeTakeFirstOrThrow();
    expect(Buffer.from(kept ?? [])).toEqual(Buffer.from(body));
    expect(await arrived()).toEqual([]);
  });

  test('one above a megabyte is refused before it is read', async () => {
    await set({});
    expect((await post('x'.repeat(1024 * 1024 + 1), { 'content-type': 'text/plain' })).status).toBe(413);
    expect(await refused()).toMatchObject([{ status: 413, inbox_id: inbox }]);
  });
});

describe('who may post', () => {
  const body = Buffer.from(json(order(1)));
  const now = () => Math.floor(Date.parse(clock().now()) / 1000);
  const said = async (headers: Readonly<Record<string, string>>): Promise<number> =>
    (await post(body, { 'content-type': 'application/json', ...headers })).status;

  test('who has the secret, also as a bearer; it is kept nowhere with what came', async () => {
    await set({ access: { kind: 'secret', header: 'x-secret' } }, 'kiln-and-clay');
    expect(await said({ 'x-secret': 'kiln-and-clay' })).toBe(202);
    expect(await said({ 'x-secret': 'Bearer kiln-and-clay' })).toBe(202);
    expect(await said({ 'x-secret': 'kiln-and-clay2' })).toBe(401);
    expect(await said({})).toBe(401);
    const dump = json([await refused(), await around.services.db.selectFrom('arrival').select('headers').execute()]);
    expect(dump).not.toContain('kiln-and-clay');
  });

  // Standard Webhooks' published example: secret, id, time, body and signature.
  test('by Standard Webhooks, as in its published example', () => {
    const knock = (signature: string, text = '{"test": 2432232314}') => ({
      from: '127.0.0.1',
      headers: {
        'webhook-id': 'msg_p5jXN8AQM9LWM0D4loKWxJek',
        'webhook-timestamp': '1614265330',
        'webhook-signature': signature,
      },
      body: Buffer.from(text),
    });
    const why = (...[given, at = 1614265330]: [ReturnType<typeof knock>, number?]) =>
      whyNotAllowed(
        { access: { kind: 'standard' }, networks: [] },
        'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw',
        given,
        new Date(at * 1000).toISOString(),
      );
    const right = 'v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=';
    expect(why(knock(right))).toBeUndefined();
    expect(why(knock(`v1,AAAA ${right}`))).toBeUndefined();
    expect(why(knock(right, '{"test": 2432232315}'))).toContain('signature is wrong');
    expect(why(knock('v1,AAAA'))).toContain('signature is wrong');
    expect(why(knock(right), 1614265330 + 301)).toContain('5 minutes off');
  });

  // RFC 4231, test case 2: HMAC with the key "Jefe".
  test.each<[string, 'sha256' | 'sha512', string]>([
    ['SHA-256', 'sha256', '5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843'],
    [
      'SHA-512',
      'sha512',
      '164b7a7bfcf819e2e395fbe73b56e0a387bd64222e831fd610270cd7ea2505549758bf75c05a994a6d034f65f8f0e6fdcaeab1a34d4a6b4b636e070a38bce737',
    ],
  ])('by HMAC with %s as in RFC 4231', (_name, algorithm, digest) => {
    const access: Access = {
      kind: 'signature',
      header: 's',
      algorithm,
      encoding: 'hex',
      prefix: 'x=',
      signs: '{body}',
    };
    const knock = (signature: string) => ({
      from: '',
      headers: { s: signature },
      body: Buffer.from('what do ya want for nothing?'),
    });
    const why = (signature: string) => whyNotAllowed({ access, networks: [] }, 'Jefe', knock(signature), clock().now());
    expect(why(`x=${digest}`)).toBeUndefined();
    expect(why(`x=${digest.toUpperCase()}`)).toBeUndefined();
    expect(why(`x=0${digest.slice(1)}`)).toContain('wrong');
  });

  test('by the library of Standard Webhooks over the wire; a copy of an earlier one, one without, and another secret are refused', async () => {
    await set({ access: { kind: 'standard' }, eventId: { kind: 'header', name: 'webhook-id' } });
    const { secret } = await around.services.doors.of(inbox);
    const signed = (by: string, at: number, id = 'msg_1') => ({
      'webhook-id': id,
      'webhook-timestamp': String(at),
      'webhook-signature': new Webhook(by).sign(id, new Date(at * 1000), body.toString()),
    });
    expect(await said(signed(secret, now()))).toBe(202);
    expect(await said(signed(secret, now() + 1))).toBe(202);
    expect(await said(signed(secret, now() - 600))).toBe(401);
    expect(await said(signed('whsec_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA', now()))).toBe(401);
    expect(await said({})).toBe(401);
    expect(await arrived()).toMatchObject([{ key: 'msg_1', repeats: 1 }]);
    expect((await refused()).map(({ reason }) => reason.slice(0, 22))).toEqual([
      'Its time is 10 minutes',
      'Its signature is wrong',
      'It isn’t signed: the h',
    ]);
  });

  test('the Shop counter’s own events come in as they are', async () => {
    const hooks = around.world.shop.store.webhooks;
    const given: { headers: Headers; body: string }[] = [];
    jest.spyOn(globalThis, 'fetch').mockImplementation(async (_url, init) => {
      given.push({ headers: new Headers(init?.headers), body: String(init?.body) });
      return new Response('');
    });
    const { secret } = hooks.add('http://door.example', []);
    hooks.tell('orders.added', order(1));
    await hooks.settled();
    jest.restoreAllMocks();
    const access: Access = {
      kind: 'signature',
      header: 'shop-signature',
      algorithm: 'sha256',
      encoding: 'base64',
      prefix: '',
      signs: '{id}.{time}.{body}',
      timeHeader: 'shop-time',
      idHeader: 'shop-message',
    };
    await set({ access, eventId: { kind: 'header', name: 'shop-message' } }, secret);
    for (const one of [given[0], given[0]])
      expect((await post(one?.body ?? '', Object.fromEntries(one?.headers ?? []))).status).toBe(202);
    expect(await arrived()).toMatchObject([{ repeats: 1 }]);
  });

  test('only from named networks; what a proxy says of the sender counts only where the proxy is named', async () => {
    await set({ networks: ['203.0.113.0/24', '2001:db8::/32'] });
    expect(await said({ 'x-forwarded-for': '203.0.113.9' })).toBe(401);
    const settings = await loadSettings(around.services.db);
    await saveSettings(around.services.db, { ...settings, proxies: ['127.0.0.1', '10.0.0.0/8'] });
    expect(await said({ 'x-forwarded-for': '203.0.113.9' })).toBe(202);
    expect(await said({ 'x-forwarded-for': '198.51.100.1, 203.0.113.9, 10.0.0.4' })).toBe(202);
    expect(await said({ 'x-forwarded-for': '203.0.113.9, 198.51.100.1' })).toBe(401);
    expect(await said({ 'x-forwarded-for': '2001:db8::7' })).toBe(202);
    await expect(set({ networks: ['the office'] })).rejects.toThrow('“the office” is no network');
  });

  test('property: no other signature than the right one opens a door', () => {
    const access: Access = {
      kind: 'signature',
      header: 's',
      algorithm: 'sha256',
      encoding: 'base64',
      prefix: '',
      signs: '{body}',
    };
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), fc.uint8Array(), fc.string(), (secret, content, other) => {
        const right = createHmac('sha256', secret).update(content).digest('base64');
        const why = (signature: string) =>
          whyNotAllowed(
            { access, networks: [] },
            secret,
            { from: '', headers: { s: signature }, body: content },
            clock().now(),
          );
        expect(why(right)).toBeUndefined();
        if (other !== right) expect(why(other)).toBeDefined();
      }),
    );
  });
});

test('an address that is none, and one that was renewed, are told apart; somebody who tries many has to wait', async () => {
  await set({});
  const old = await address();
  await around.services.doors.renew(inbox);
  expect((await post('{}', undefined, { at: old })).status).toBe(410);
  expect((await post(json(order(1)))).status).toBe(202);
  const door = makeDoor(around.services);
  const tried = [];
  for (let number = 0; number < 40; number++)
    tried.push((await door.request(`/in/${number}`, { method: 'POST' })).status);
  expect(tried.filter((status) => status === 404)).toHaveLength(30);
  expect(tried.at(-1)).toBe(429);
  expect((await refused()).slice(0, 2)).toMatchObject([
    { status: 410, inbox_id: inbox },
    { status: 404, inbox_id: null },
  ]);
});

test('what is too large counts for the limits as well: nobody keeps the door busy with it', async () => {
  await set({});
  const door = makeDoor(around.services, new DoorLimits(0.01));
  const body = 'x'.repeat(1024 * 1024 + 1);
  const headers = { 'content-type': 'application/json' };
  const statuses: number[] = [];
  for (let times = 0; times < 12; times++)
    statuses.push((await door.request(await address(), { method: 'POST', headers, body })).status);
  expect(statuses.slice(0, 10)).toEqual(Array(10).fill(413));
  expect(statuses.slice(10)).toEqual([429, 429]);
});

test('a sender that asks whether the address is meant is answered while somebody waits for it (W3C WebSub, 5.3), and not otherwise', async () => {
  await set({});
  const ask = async () =>
    post('', {}, { method: 'GET', at: `${await address()}?hub.mode=subscribe&hub.challenge=a1b2` });
  expect((await ask()).status).toBe(405);
  await around.services.doors.wait(inbox, true);
  const answer = await ask();
  expect([answer.status, await answer.text()]).toEqual([200, 'a1b2']);
  clock().pass(16 * 60_000);
  expect((await ask()).status).toBe(405);
});

test('without an id, the same body within some minutes is a repeat where that was chosen; later it counts', async () => {
  await set({ eventId: { kind: 'body', minutes: 10 } });
  await post(json(order(1)));
  await post(json(order(1)));
  clock().pass(11 * 60_000);
  await post(json(order(1)));
  expect((await arrived()).map(({ repeats }) => repeats)).toEqual([1, 0]);
});

test('callers are answered as it was set', async () => {
  await set({ answer: { status: 200, text: 'Thank you' } });
  const answer = await post(json(order(1)));
  expect([answer.status, await answer.text()]).toEqual([200, 'Thank you']);
  await set({ answer: { status: 204, text: '' } });
  expect((await post(json(order(1)))).status).toBe(204);
});

test('a test event needs no secret, shows the way and its fields, and starts nothing; its mark holds once', async () => {
  await set({});
  await live();
  await set({ access: { kind: 'secret', header: 'x-secret' } });
  const mark = around.services.publicAddress.newTest();
  const headers = { 'content-type': 'application/json', 'golden-relay-test': mark };
  expect((await post(json({ ...order(9), extra: 1 }), headers)).status).toBe(202);
  expect((await post(json(order(9)), headers)).status).toBe(401);
  await rest();
  expect(await numbers()).toEqual([]);
  expect((await arrived()).at(-1)).toMatchObject({ is_test: 1 });
});

describe('the public address', () => {
  const setAddress = async (publicAddress: string) => {
    const settings = await loadSettings(around.services.db);
    await saveSettings(around.services.db, { ...settings, publicAddress, proxies: ['127.0.0.1'] });
  };
  /** Calls go out and come in by our own door, as through a proxy, or meet something else. */
  const called = (answer: (path: string) => Promise<Response>) =>
    jest.spyOn(globalThis, 'fetch').mockImplementation(async (url) => answer(new URL(String(url)).pathname));

  test('it is proven by a call that comes in by it; something else there, or nothing, is told on Today', async () => {
    await setAddress('https://relay.example.com');
    called(async (path) => makeDoor(around.services).request(path));
    expect(await around.services.publicAddress.prove()).toMatchObject({ trouble: null });
    called(async () => new Response('Welcome'));
    expect((await around.services.publicAddress.prove()).trouble).toContain('Something else answers');
    called(async () => Promise.reject(new TypeError('fetch failed', { cause: new Error('getaddrinfo ENOTFOUND') })));
    await around.services.publicAddress.prove();
    jest.restoreAllMocks();
    const today = await makeApi(around.services).request('http://127.0.0.1/api/today');
    expect((await today.json()).trouble).toContain('can’t be reached: getaddrinfo ENOTFOUND');
    await setAddress('');
    expect(await around.services.publicAddress.trouble()).toBeNull();
  });

  test('nothing goes live before an event has come in by it; a new address has to be proven anew', async () => {
    await set({});
    const id = await live();
    const { draft } = await around.services.workflows.get(id);
    await setAddress('https://relay.example.com');
    const expectedReached = () => expectReached(around.services, draft);
    await post(json(order(1)));
    await expect(expectedReached()).rejects.toThrow('No event has come in by https://relay.example.com yet');
    await post(json(order(2)), { 'content-type': 'application/json', 'x-forwarded-host': 'relay.example.com' });
    await expectedReached();
    await around.services.doors.renew(inbox);
    await expect(expectedReached()).rejects.toThrow('No event has come in');
    await rest();
  });
});

test('over the interface: made, learnt, compared, and the secret told only when it is made', async () => {
  const call = async (method: string, path: string, body?: unknown) => ({
    // biome-ignore lint/suspicious/noExplicitAny: answers are looked at field by field
    said: await askApi<any>(around.services, method, path, body),
  });
  const made = await call('POST', '/api/starts', { kind: 'posted', name: 'Shop orders' });
  expect(made.said.content.start).toMatchObject({ trigger: { kind: 'event' }, on: 'added', fromWhen: { kind: 'now' } });
  [inbox = ''] = made.said.content.start.source.path;
  const { said } = await call('POST', `/api/doors/${inbox}/secret`, {});
  await post(json(order(1)), { 'content-type': 'application/json', 'x-secret': said.secret });
  await post(json({ ...order(2), coupon: 'KILN' }), { 'content-type': 'application/json', 'x-secret': said.secret });
  const view = await call('GET', `/api/doors/${inbox}`);
  expect(json(view.said)).not.toContain(said.secret);
  expect(view.said).toMatchObject({ isPublic: false, isProven: false, counts: { came: 2, repeats: 0, refused: 0 } });
  expect(view.said.came.map(({ lacks, only }: { lacks: string[]; only: string[] }) => [lacks, only])).toEqual([
    [[], ['coupon']],
    [['coupon'], []],
  ]);
  await call('POST', `/api/doors/${inbox}/learn`, { keys: [view.said.came[1].key] });
  const place = await lookAt(around.services, { connection, path: [inbox], labels: ['x'] });
  expect(place.place.described.fields.map(({ path }) => path)).toEqual([
    '/$arrival/id',
    '/$arrival/at',
    '/id',
    '/name',
    '/email',
  ]);
});

test('an event that is posted while it goes live is sent, not noted: it came after', async () => {
  await set({ eventId: { kind: 'field', path: '/id' } });
  let posted: Promise<Response> | undefined;
  clock().onReach = (point) => {
    if (point === 'go-live:after-store') posted = post(json(order(1)));
  };
  await live();
  clock().onReach = () => undefined;
  expect((await posted)?.status).toBe(202);
  await rest();
  expect(await numbers()).toEqual(['o-1']);
});

test('a step of our clock, forth or back, silences nothing that is posted', async () => {
  await set({ eventId: { kind: 'field', path: '/id' } });
  await live();
  for (const [number, step] of [
    [1, 0],
    [2, -3 * 60 * 60_000],
    [3, 0],
    [4, 5 * 60 * 60_000],
    [5, -60 * 60_000],
    [6, 0],
  ] as const) {
    clock().step(step);
    expect((await post(json(order(number)))).status).toBe(202);
    await rest();
  }
  expect(await numbers()).toEqual(['o-1', 'o-2', 'o-3', 'o-4', 'o-5', 'o-6']);
});

test('the address of a workflow that was removed is gone, and its callers are told; one that another starts from stays', async () => {
  // biome-ignore lint/suspicious/noExplicitAny: answers are looked at field by field
  const call = (method: string, path: string, body?: unknown) => askApi<any>(around.services, method, path, body);
  const made = await call('POST', '/api/starts', { kind: 'posted', name: 'Orders' });
  [inbox = ''] = made.content.start.source.path;
  await set({});
  const at = await address();
  const other = await call('POST', '/api/workflows', { name: 'Another' });
  await call('PUT', `/api/workflows/${other.id}/draft`, {
    rev: other.rev,
    content: { ...other.content, start: made.content.start },
  });
  await call('DELETE', `/api/workflows/${made.id}`);
  expect((await post(json(order(1)))).status).toBe(202);
  await call('DELETE', `/api/workflows/${other.id}`);
  const answer = await post(json(order(2)), undefined, { at });
  expect([answer.status, await answer.text()]).toEqual([410, expect.stringContaining('not in use any more')]);
});

test('after a time off Today tells what posts may be missing, and waits for none that begins by hand', async () => {
  await set({});
  const id = await live();
  await around.services.engine.tick();
  const next = clock().next();
  next.pass(3 * 60 * 60_000);
  await around.reopen({ seams: next });
  await around.services.engine.resume();
  await rest();
  const { off } = (await (await makeApi(around.services).request('http://127.0.0.1/api/today')).json()) as {
    off: { on: number; asked: number; hasDoors: boolean };
  };
  expect(off).toMatchObject({ hasDoors: true });
  expect(off.asked).toBe(off.on);
  expect((await around.services.workflows.get(id)).isOn).toBe(true);
});

test('a workflow that is duplicated has an address and a secret of its own, set as the first one’s', async () => {
  await set({ eventId: { kind: 'field', path: '/id' }, access: { kind: 'secret', header: 'x-clay' } });
  const id = await (async () => {
    const source = (await lookAt(around.services, { connection, path: [inbox], labels: ['Orders'] })).place;
    return (await around.services.workflows.add(draftOfEvents(source, 'Orders'))).id;
  })();
  const before = await around.services.doors.of(inbox);
  const copy = await askApi<{ content: WorkflowContent }>(around.services, 'POST', `/api/workflows/${id}/duplicate`);
  const own = await around.services.doors.of(copy.content.start.source?.path[0] ?? '');
  expect(own.setting).toEqual(before.setting);
  expect([own.address, own.secret, own.inbox]).not.toEqual(expect.arrayContaining([before.address]));
  expect(own.secret).not.toBe(before.secret);
  expect(own.inbox).not.toBe(inbox);
});
