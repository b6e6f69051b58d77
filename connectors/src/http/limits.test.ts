import { createServer, type RequestListener, type Server } from 'node:http';
import type { Connector } from '../connector.ts';
import { BadAddress, NoAnswer, NotUnderstood, RateLimited, Unsure } from '../errors.ts';
import { pagesOf } from '../paging.ts';
import { HttpClient } from './client.ts';
import { isTooDeep } from './depth.ts';

// What an app can do to whoever asks it: an answer without an end in time, in length, in pages or in depth.

let server: Server | undefined;
const timers: NodeJS.Timeout[] = [];

async function serve(listener: RequestListener): Promise<string> {
  const made = createServer(listener);
  server = made;
  await new Promise<void>((resolve) => made.listen(0, '127.0.0.1', resolve));
  return `http://127.0.0.1:${(made.address() as { port: number }).port}`;
}

afterEach(() => {
  for (const timer of timers.splice(0)) clearInterval(timer);
  server?.closeAllConnections();
  server?.close();
  server = undefined;
});

const client = (address: string, more: Partial<ConstructorParameters<typeof HttpClient>[0]> = {}) =>
  new HttpClient({ app: 'The app', address, headers: {}, timeout: 5000, retries: 0, ...more });
const json = { 'content-type': 'application/json' };

test('an answer that drips is given up as a whole, however steadily it drips', async () => {
  const address = await serve((_request, response) => {
    response.writeHead(200, json);
    timers.push(setInterval(() => response.write(' '), 20));
  });
  await expect(client(address, { wholeTimeout: 400 }).read({ method: 'GET', path: '/' })).rejects.toThrow(NoAnswer);
  await expect(client(address, { wholeTimeout: 400 }).write({ method: 'POST', path: '/', json: {} })).rejects.toThrow(
    Unsure,
  );
});

test('an answer that doesn’t say how long it is ends at the most that any record is', async () => {
  const block = Buffer.alloc(4 * 1024 * 1024, 'x');
  const address = await serve((_request, response) => {
    response.writeHead(200, json);
    const more = (): void => {
      if (!response.destroyed) response.write(block, () => setImmediate(more));
    };
    more();
  });
  await expect(client(address).read({ method: 'GET', path: '/' })).rejects.toThrow('more than 64 MB');
});

test('data nested too deeply is told as such; brackets within texts don’t count', () => {
  expect(isTooDeep(`${'['.repeat(201)}${']'.repeat(201)}`)).toBe(true);
  expect(isTooDeep(`${'[{"a":'.repeat(100)}1${'}]'.repeat(100)}`)).toBe(false);
  expect(isTooDeep(JSON.stringify({ text: '[{'.repeat(5000), more: '\\"[[[' }))).toBe(false);
  expect(isTooDeep('[],'.repeat(10_000))).toBe(false);
});

test.each([
  ['shop.example/api', '“shop.example/api” is not a web address'],
  ['', 'No address was given'],
  ['ftp://shop.example', 'is not a web address'],
])('the address “%s” is refused in a sentence', async (address, sentence) => {
  const asked = client(address).read({ method: 'GET', path: '/me' });
  await expect(asked).rejects.toThrow(BadAddress);
  await expect(asked).rejects.toThrow(sentence);
});

test('a redirect is followed for a read within the app; one that leads elsewhere isn’t', async () => {
  const address = await serve((request, response) => {
    if (request.url === '/old') response.writeHead(302, { location: '/new' }).end();
    else if (request.url === '/away') response.writeHead(302, { location: 'http://127.0.0.1:9/' }).end();
    else if (request.url === '/round') response.writeHead(302, { location: '/round' }).end();
    else response.writeHead(200, json).end('{"ok":true}');
  });
  const http = client(address);
  expect(http.json(await http.read({ method: 'GET', path: '/old' }))).toEqual({ ok: true });
  await expect(http.read({ method: 'GET', path: '/away' })).rejects.toThrow(NotUnderstood);
  await expect(http.read({ method: 'GET', path: '/round' })).rejects.toThrow(NotUnderstood);
});

test('one answer of 429 holds all requests of the connection back; a long pause is told instead of waited for', async () => {
  let asked = 0;
  const address = await serve((_request, response) => {
    asked += 1;
    response.writeHead(429, { 'retry-after': '3600' }).end();
  });
  const http = client(address, { retries: 3 });
  await expect(http.read({ method: 'GET', path: '/' })).rejects.toThrow(RateLimited);
  await Promise.all(
    Array.from({ length: 20 }, () => expect(http.read({ method: 'GET', path: '/' })).rejects.toThrow(RateLimited)),
  );
  expect(asked).toBe(1);
});

describe('a listing', () => {
  const listing = (cursorAfter: (cursor: string | undefined) => string | null, size = 1) => {
    let pages = 0;
    const list: Connector['list'] = async ({ cursor }) => {
      pages += 1;
      return {
        records: Array.from({ length: size }, (_, at) => ({ id: `${pages}-${at}`, record: {} })),
        cursor: cursorAfter(cursor),
      };
    };
    return { connector: { list } as unknown as Connector, pages: () => pages };
  };
  const walk = async (connector: Connector): Promise<number> => {
    let count = 0;
    for await (const page of pagesOf(connector, { path: [] })) count += page.records.length;
    return count;
  };

  test('that leads back to a page it gave already ends with a sentence', async () => {
    const { connector, pages } = listing((cursor) => (cursor === 'b' ? 'a' : cursor === 'a' ? 'b' : 'a'));
    await expect(walk(connector)).rejects.toThrow('has no end');
    expect(pages()).toBeLessThan(5);
  });

  test('of empty pages without an end ends as well; one that ends is read whole', async () => {
    let next = 0;
    const endless = listing(() => String(next++), 0);
    await expect(walk(endless.connector)).rejects.toThrow('without a record');
    const whole = listing((cursor) => (Number(cursor ?? 0) < 9 ? String(Number(cursor ?? 0) + 1) : null));
    expect(await walk(whole.connector)).toBe(10);
  });
});
