import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import {
  type CallSpec,
  describeCall,
  fieldsOfExample,
  readFieldLines,
  type Value,
  writeFieldLines,
} from '@golden/core';
import { NoRight, NotThere, Refused, Unsure } from '../errors.ts';
import { CallConnector } from './call-connector.ts';
import { isInside } from './inside.ts';

interface Asked {
  readonly method: string;
  readonly url: string;
  readonly headers: IncomingMessage['headers'];
  readonly body: string;
}

let server: Server;
let asked: Asked[];
let answer: (response: ServerResponse) => void;

beforeEach(async () => {
  asked = [];
  answer = (response) => response.writeHead(200, { 'content-type': 'application/json' }).end('{"ticket":{"id":7}}');
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (part) => {
      body += part;
    });
    request.on('end', () => {
      asked.push({ method: request.method ?? '', url: request.url ?? '', headers: request.headers, body });
      answer(response);
    });
  }).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
});
afterEach(() => {
  server.closeAllConnections();
  server.close();
});

const address = () => `http://127.0.0.1:${(server.address() as { port: number }).port}/api`;
const open = (mayCallInside: boolean, at = address()) =>
  new CallConnector({
    address: at,
    header: 'Authorization',
    secret: 'Bearer s3cret',
    timeout: 30_000,
    mayCallInside: async () => mayCallInside,
  });
const spec: CallSpec = {
  method: 'POST',
  address: '/orders/{number}/notes',
  headers: [{ name: 'X-Source', value: 'shop' }],
  fields: readFieldLines('text\ncustomer/name\ntotal: number'),
  example: { ticket: { id: 1, opened: '2026-11-24' } },
  onlyReads: false,
};
const request = (given: CallSpec, values: Record<string, Value>) => ({
  token: 't',
  write: {
    kind: 'create' as const,
    target: { connection: 'c', path: [JSON.stringify(given)], recordType: 'call' },
    values,
    types: {},
  },
});
const values = { '/number': 'S 1/2', '/text': 'hello', '/customer/name': 'Zoë', '/total': '12.50' };

test('a call is sent as described: its address, headers, secret and body; the answer’s fields are known afterwards', async () => {
  const { record } = await open(true).create(request(spec, values));
  expect(asked[0]).toMatchObject({
    method: 'POST',
    url: '/api/orders/S%201%2F2/notes',
    headers: { authorization: 'Bearer s3cret', 'x-source': 'shop' },
  });
  expect(JSON.parse(asked[0]?.body ?? '')).toEqual({ text: 'hello', customer: { name: 'Zoë' }, total: 12.5 });
  expect(record).toMatchObject({ answer: { ticket: { id: 7 } } });
  expect(describeCall(spec).fields.map((field) => [field.path, field.type, field.readOnly ?? false])).toEqual([
    ['/number', 'text', false],
    ['/text', 'text', false],
    ['/customer/name', 'text', false],
    ['/total', 'decimal', false],
    ['/answer/ticket/id', 'integer', true],
    ['/answer/ticket/opened', 'date', true],
  ]);
});

test('addresses inside the machine’s own network are refused unless the owner allows them, before a byte leaves', async () => {
  await expect(open(false).create(request(spec, values))).rejects.toThrow(NoRight);
  await expect(
    open(false, `http://localhost:${new URL(address()).port}`).create(request(spec, values)),
  ).rejects.toThrow('own network');
  await expect(open(false).health()).rejects.toThrow('can be allowed in Settings');
  expect(asked).toEqual([]);
});

// Special-purpose ranges of RFC 6890 and RFC 4193; documentation ranges are reserved too.
test.each([
  ['127.0.0.1', true],
  ['10.1.2.3', true],
  ['172.16.0.1', true],
  ['192.168.1.1', true],
  ['169.254.169.254', true],
  ['0.0.0.0', true],
  ['100.64.0.1', true],
  ['::1', true],
  ['fe80::1', true],
  ['fd00::1', true],
  ['::ffff:10.0.0.1', true],
  ['8.8.8.8', false],
  ['2600::1', false],
  ['example.com', false],
])('%s lies inside: %s', (host, inside) => expect(isInside(host)).toBe(inside));

test('a call without an answer is unsure and not sent again; one that only reads is', async () => {
  answer = (response) => response.destroy();
  await expect(open(true).create(request(spec, values))).rejects.toThrow(Unsure);
  expect(asked).toHaveLength(1);
  let count = 0;
  answer = (response) => {
    count += 1;
    if (count === 1) response.destroy();
    else response.writeHead(200, { 'content-type': 'application/json' }).end('[1,2]');
  };
  const reading: CallSpec = { ...spec, method: 'GET', onlyReads: true };
  expect((await open(true).create(request(reading, values))).record).toMatchObject({ answer: { value: [1, 2] } });
  expect(asked.at(-1)?.body).toBe('');
});

test('what the other side refuses is told in its words; text and nothing are answers too', async () => {
  answer = (response) =>
    response
      .writeHead(422, { 'content-type': 'application/problem+json' })
      .end('{"title":"No","detail":"The number is unknown."}');
  await expect(open(true).create(request(spec, values))).rejects.toThrow(Refused);
  answer = (response) => response.writeHead(200, { 'content-type': 'text/plain' }).end('done');
  expect((await open(true).create(request(spec, values))).record).toMatchObject({ answer: { text: 'done' } });
  answer = (response) => response.writeHead(204).end();
  expect((await open(true).create(request(spec, values))).record).toMatchObject({ answer: {} });
  await expect(
    open(true).create({
      ...request(spec, values),
      write: { ...request(spec, values).write, target: { connection: 'c', path: ['nothing'], recordType: 'call' } },
    }),
  ).rejects.toThrow(NotThere);
});

test('fields as lines, there and back; examples with lists and nested records', () => {
  const text = 'customer/name\ntotal: number\npaid: yes or no\ndue: date';
  expect(writeFieldLines(readFieldLines(text))).toBe(text);
  expect(fieldsOfExample({ lines: [{ sku: 'a' }], tags: ['x'], paid: true, at: '2026-11-24T09:00:00Z' })).toMatchObject(
    [
      { path: '/lines', type: 'list', fields: [{ path: '/sku' }] },
      { path: '/tags', type: 'list' },
      { path: '/paid', type: 'boolean' },
      { path: '/at', type: 'instant' },
    ],
  );
});
