import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http';
import { type CallSpec, CallSpecSchema, readFieldLines } from '@golden/core';
import fc from 'fast-check';
import { appsFor } from './apps.ts';
import { CallConnector } from './call/call-connector.ts';
import { outsideAgent } from './call/inside.ts';
import { NoRight, NotUnderstood, Refused } from './errors.ts';
import { addressBelow } from './http/address.ts';
import { HttpClient } from './http/client.ts';
import { beginSignIn } from './http/tokens.ts';
import type { RestDescription } from './rest/description.ts';
import { fieldsOf, minorPathsOf } from './rest/fields.ts';
import type { JsonSchema } from './rest/schema.ts';

// What an app, a file or an address can try against whoever trusts it.

const servers: Server[] = [];
const json = { 'content-type': 'application/json' };

async function serve(listener: RequestListener): Promise<{ url: string; asked: IncomingMessage[] }> {
  const asked: IncomingMessage[] = [];
  const made = createServer((request, response) => {
    asked.push(request);
    listener(request, response);
  });
  servers.push(made);
  await new Promise<void>((resolve) => made.listen(0, '127.0.0.1', resolve));
  return { url: `http://127.0.0.1:${(made.address() as { port: number }).port}`, asked };
}

afterEach(() => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
});

const spec: CallSpec = {
  method: 'GET',
  address: '/x',
  headers: [],
  fields: readFieldLines('text'),
  onlyReads: true,
};
const request = (given: CallSpec, values: Record<string, string> = {}) => ({
  token: 't',
  write: {
    kind: 'create' as const,
    target: { connection: 'c', path: [JSON.stringify(given)], recordType: 'call' },
    values,
    types: {},
  },
});

describe('a call goes to its connection’s own address', () => {
  test.each(['@HOST/x', '//HOST/x', '/\\HOST/x', 'http://HOST/x', '.HOST/x', ':1@HOST/x', '/\t/HOST/x', '#@HOST/x'])(
    'the address “%s” leads to no other host, and takes no key there',
    async (address) => {
      const thief = await serve((_request, response) => response.writeHead(200, json).end('{}'));
      const app = await serve((_request, response) => response.writeHead(200, json).end('{"ok":true}'));
      const open = new CallConnector({
        address: app.url,
        header: 'Authorization',
        secret: 'Bearer s3cret',
        mayCallInside: async () => true,
      });
      await open.create(request({ ...spec, address: address.replace('HOST', new URL(thief.url).host) }));
      expect(thief.asked).toHaveLength(0);
      expect(app.asked).toHaveLength(1);
    },
  );

  test('scheme, host, port and the path above are the base’s own, whatever stands in a path', () => {
    const base = new URL('https://user@shop.example:8443/api/v1?tenant=7');
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.string({ unit: 'grapheme' }), fc.webUrl()), (path) => {
        let url: URL;
        try {
          url = addressBelow(base, path, 'Shop');
        } catch (error) {
          expect(error).toBeInstanceOf(Refused);
          return;
        }
        expect([url.protocol, url.host, url.username]).toEqual(['https:', 'shop.example:8443', 'user']);
        expect(url.pathname.startsWith('/api/v1/')).toBe(true);
        expect(url.search.startsWith('?tenant=7')).toBe(true);
      }),
    );
  });

  test.each(['/../admin', '/a/../../admin', '/a/%2e%2E/admin', '\\..\\admin', '/.', '/{id}/x'])(
    'a step up in “%s” is refused, also one that stands in a record',
    async (address) => {
      const app = await serve((_request, response) => response.writeHead(200, json).end('{}'));
      const open = new CallConnector({
        address: `${app.url}/api`,
        header: '',
        secret: '',
        mayCallInside: async () => true,
      });
      await expect(open.create(request({ ...spec, address }, { '/id': '..' }))).rejects.toThrow(Refused);
      expect(app.asked).toHaveLength(0);
    },
  );

  test.each(['Host', 'content-length', 'Transfer-Encoding', 'proxy-authorization', 'Connection'])(
    'a file can’t set the header %s, which says how a request travels',
    (name) => {
      expect(CallSpecSchema.safeParse({ ...spec, headers: [{ name, value: 'x' }] }).success).toBe(false);
      expect(CallSpecSchema.safeParse({ ...spec, headers: [{ name: 'X-A', value: 'x\r\nHost: y' }] }).success).toBe(
        false,
      );
      expect(CallSpecSchema.safeParse({ ...spec, headers: [{ name: 'X-A', value: 'x' }] }).success).toBe(true);
    },
  );
});

describe('the guard for addresses inside', () => {
  test('judges the address that is connected to, however it is written', async () => {
    const app = await serve((_request, response) => response.writeHead(200, json).end('{}'));
    const { port } = new URL(app.url);
    // RFC 6890 loopback in the notations that a URL takes (WHATWG URL, section 3.5).
    for (const host of ['127.0.0.1', '2130706433', '0x7f.1', '017700000001', '[::ffff:127.0.0.1]', 'localhost', '0']) {
      const http = new HttpClient({
        app: 'It',
        address: `http://${host}:${port}`,
        headers: {},
        retries: 0,
        dispatcher: outsideAgent,
      });
      await expect(http.read({ method: 'GET', path: '/' })).rejects.toThrow(NoRight);
    }
    expect(app.asked).toHaveLength(0);
  });

  test('a redirect to another origin isn’t followed, so that no key goes with it', async () => {
    const thief = await serve((_request, response) => response.writeHead(200, json).end('{}'));
    const app = await serve((_request, response) => response.writeHead(302, { location: thief.url }).end());
    const http = new HttpClient({ app: 'It', address: app.url, headers: { authorization: 'Bearer s' }, retries: 0 });
    await expect(http.read({ method: 'GET', path: '/' })).rejects.toThrow(NotUnderstood);
    expect(thief.asked).toHaveLength(0);
  });
});

describe('an error', () => {
  const failing = async (body: string, type = 'application/problem+json') => {
    const app = await serve((_request, response) => response.writeHead(422, { 'content-type': type }).end(body));
    const http = new HttpClient({ app: 'It', address: app.url, headers: {}, retries: 0 });
    return http.write({ method: 'POST', path: '/', json: {} }).then(
      () => 'done',
      (error: Refused) => error.message,
    );
  };

  test.each([
    ['{"detail":{"reason":"no"}}', 'It refused it.'],
    ['{"detail":["no"],"title":"Not accepted"}', 'It refused it: Not accepted'],
    ['{"detail":null}', 'It refused it.'],
    ['null', 'It refused it.'],
    ['"no"', 'It refused it.'],
    ['{"detail":"no","errors":[{"pointer":"/a","detail":{}},7,null]}', 'It refused it: no'],
    [`{"detail":${'['.repeat(3000)}${']'.repeat(3000)}}`, 'It refused it.'],
    ['{broken', 'It refused it.'],
  ])('whose body is %.60s is a sentence', async (body, sentence) => {
    expect(await failing(body)).toBe(sentence);
  });

  test('of endless words is told up to where somebody reads', async () => {
    const said = await failing(
      JSON.stringify({ detail: 'no '.repeat(5000), errors: Array(5000).fill({ pointer: '/a' }) }),
    );
    expect(said.length).toBeLessThan(700);
  });
});

describe('signing in', () => {
  test.each(['javascript:alert(document.domain)', 'data:text/html,x', 'http://elsewhere.example/', ''])(
    'a page to go to that is “%s” isn’t opened',
    async (endpoint) => {
      const app = await serve((incoming, response) => {
        const issuer = `http://${incoming.headers.host}`;
        const metadata = { issuer, authorization_endpoint: endpoint, token_endpoint: `${issuer}/token` };
        response.writeHead(200, json).end(JSON.stringify(metadata));
      });
      const signIn = beginSignIn({ title: 'Ledger', issuer: app.url, clientId: 'c' }, 'http://127.0.0.1/back', []);
      await expect(signIn).rejects.toThrow('can’t be trusted');
    },
  );
});

describe('what an app says of itself', () => {
  const looped: JsonSchema = JSON.parse('{"type":"object","properties":{"name":{"type":"string"}}}');
  (looped.properties as Record<string, JsonSchema>)['parent'] = looped;
  (looped.properties as Record<string, JsonSchema>)['children'] = { type: 'array', items: looped };
  const hints = { idPath: '/id', recordType: 'x' };

  test('a schema that leads back to itself is described once', () => {
    expect(fieldsOf(looped, undefined, hints).map(({ path, type }) => [path, type])).toEqual([
      ['/name', 'text'],
      ['/parent', 'record'],
      ['/children', 'list'],
    ]);
    expect(minorPathsOf(looped)).toEqual([]);
  });

  test('one that multiplies itself is refused with a sentence', () => {
    let inner: JsonSchema = { type: 'object', properties: { a: { type: 'string' } } };
    for (let level = 0; level < 12; level++)
      inner = { type: 'object', properties: Object.fromEntries([...'abcdefgh'].map((name) => [name, inner])) };
    expect(() => fieldsOf(inner, undefined, hints)).toThrow('more than 5000 fields');
    expect(() => minorPathsOf(inner)).toThrow('more than 5000 fields');
  });

  const description: RestDescription = {
    id: 'wild',
    title: 'Wild',
    openapi: '/openapi.json',
    auth: { header: 'X-Key', value: '{key}' },
    me: { path: '/me', signedInAs: ['/name'] },
    ownTypes: { path: '/types', items: '', name: '/name', singular: '/name', like: 'leads' },
    recordTypes: [
      {
        name: 'leads',
        singular: 'lead',
        plural: 'leads',
        schema: 'leads',
        id: '/id',
        list: { path: '/leads', items: '', nextLink: '/next' },
        screen: '/leads/{id}',
      },
    ],
  };
  const open = (address: string) =>
    appsFor([description], {})
      .find((one) => one.id === 'wild')
      ?.open({ address, key: "s$&$'3cret" }, { retries: 0, timeout: 30_000 });

  test('names of its own types can’t break out of their addresses; a key is sent as it is', async () => {
    const names = ['x","screen":"javascript:alert(1)', '../../admin', '//elsewhere.example', 'a?b#c'];
    const document = {
      openapi: '3.1.0',
      info: { title: 'w', version: '1' },
      paths: {},
      components: { schemas: Object.fromEntries(names.map((name) => [name, { type: 'object', properties: {} }])) },
    };
    const app = await serve((incoming, response) => {
      const body =
        incoming.url === '/types' ? names.map((name) => ({ name })) : incoming.url === '/openapi.json' ? document : [];
      response.writeHead(200, json).end(JSON.stringify(body));
    });
    const wild = open(app.url);
    await wild?.places([]);
    for (const name of names) {
      await wild?.list({ path: [name] }).catch(() => undefined);
      const link = wild?.linkTo([name], '7');
      expect(link === undefined || new URL(link).origin === app.url).toBe(true);
    }
    expect(app.asked.every((one) => one.headers['x-key'] === "s$&$'3cret")).toBe(true);
    expect(app.asked.map((one) => one.url).some((url) => url?.startsWith('/admin'))).toBe(false);
  });

  test('an address that a browser would run makes no link', () => {
    expect(open('javascript:alert(1)')?.linkTo(['leads'], '7')).toBeUndefined();
    expect(open('data:text/html,x')?.linkTo(['leads'], '7')).toBeUndefined();
  });
});
