import { createHmac } from 'node:crypto';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PlannedWrite, Value } from '@golden/core';
import { type Listening, listen, shelfAccounts, shopCounter, shopKeys, workbookShelf } from '@golden/standins';
import ExcelJS from 'exceljs';
import { Hono } from 'hono';
import { appsFor } from './apps.ts';
import type { Connector } from './connector.ts';
import {
  AppDown,
  Changed,
  Locked,
  NoAnswer,
  NoRight,
  NotSignedIn,
  NotThere,
  NotUnderstood,
  RateLimited,
  Refused,
  Unsure,
} from './errors.ts';
import { retryAfter } from './http/client.ts';
import type { RestDescription } from './rest/description.ts';
import { openBook } from './workbook/open-book.ts';
import { columnLetter, nameColumns } from './workbook/sheet.ts';

const quick = { timeout: 30_000, retries: 1 };
const write = (path: string[], values: Record<string, Value>, more: Partial<PlannedWrite> = {}): PlannedWrite => ({
  kind: 'create',
  target: { connection: 'c', path, recordType: 'x' },
  values,
  types: {},
  ...more,
});

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-connectors-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

describe('CSV by RFC 4180 section 2', () => {
  const rows = async (text: string) =>
    (await openBook('list.csv', Buffer.from(text))).sheets[0]?.rows.map((row) => Object.values(row.record));
  test.each([
    [
      'rule 1, lines end with CRLF',
      'a,b\r\naaa,bbb\r\nccc,ddd\r\n',
      [
        ['aaa', 'bbb'],
        ['ccc', 'ddd'],
      ],
    ],
    ['rule 2, the last line need not', 'a,b\r\naaa,bbb', [['aaa', 'bbb']]],
    ['rule 4, spaces belong to the field', 'a,b\r\n aaa , bbb\r\n', [[' aaa ', ' bbb']]],
    ['rule 5, fields may be quoted', 'a,b\r\n"aaa",bbb\r\n', [['aaa', 'bbb']]],
    ['rule 6, quoted fields may hold commas and line breaks', 'a,b\r\n"b, c","x\r\ny"\r\n', [['b, c', 'x\r\ny']]],
    ['rule 7, a quote inside is doubled', 'a,b\r\n"a ""b"" c",d\r\n', [['a "b" c', 'd']]],
  ])('%s', async (_rule, text, expected) => expect(await rows(text)).toEqual(expected));

  test('separator, line ends and byte order mark are kept on saving', async () => {
    const given = '\ufeffName;No\nÓskar;00420\n';
    const book = await openBook('list.csv', Buffer.from(given));
    book.setCells('list', 3, [
      { column: 1, value: 'Zoë; Ó', type: 'text' },
      { column: 2, value: '+44', type: 'text' },
    ]);
    expect(Buffer.from(await book.save()).toString()).toBe('\ufeffName;No\nÓskar;00420\n"Zoë; Ó";+44\n');
  });

  // WHATWG Encoding: 0xE9 is é in windows-1252; UTF-16 begins with a byte order mark.
  test('other encodings are read, and only read; bytes that are no text and an open quote are told', async () => {
    const western = await openBook('x.csv', Buffer.from([0x4e, 0x0a, 0x5a, 0x6f, 0xe9, 0x0a]));
    expect(western.sheets[0]?.rows.at(0)?.record).toEqual({ N: 'Zoé' });
    expect(western.readOnlyBecause).toContain('Windows-1252');
    const wide = await openBook('x.csv', Buffer.from('\ufeffN\nZoé\n', 'utf16le'));
    expect(wide.sheets[0]?.rows.at(0)?.record).toEqual({ N: 'Zoé' });
    expect(wide.readOnlyBecause).toContain('UTF-16');
    await expect(openBook('x.csv', Buffer.from([0x00, 0xff, 0x81]))).rejects.toThrow('not a text');
    await expect(openBook('x.csv', Buffer.from('a,b\n"open,b\n'))).rejects.toThrow('isn’t closed');
  });
});

test('columns without a name or with one name twice go by their letter', () => {
  expect(nameColumns(['A', '', 'A'])).toEqual(['A (A)', 'column B', 'A (C)']);
  expect([1, 26, 27, 702, 703].map(columnLetter)).toEqual(['A', 'Z', 'AA', 'ZZ', 'AAA']);
});

// RFC 9110 section 10.2.3 gives both forms.
test('Retry-After is seconds or a date', () => {
  expect(retryAfter('120')).toBe(120_000);
  expect(retryAfter('Fri, 31 Dec 1999 23:59:59 GMT', Date.parse('1999-12-31T23:59:29Z'))).toBe(30_000);
  expect(retryAfter('soon')).toBeUndefined();
});

describe('a workbook', () => {
  const sheet = async () => {
    const book = new ExcelJS.Workbook();
    const tab = book.addWorksheet('Stock');
    tab.addRow(['Article', 'Net', 'From', 'Sold', 'Sum', 'Free']);
    tab.addRow(['00420', 11.4, new Date('2026-03-04T00:00:00Z'), true, { formula: 'B2*2', result: 22.8 }, null]);
    return new Uint8Array(await book.xlsx.writeBuffer());
  };

  test('values keep their kind there and back', async () => {
    const book = await openBook('x.xlsx', await sheet());
    expect(book.sheets[0]?.columns.map((column) => column.type)).toEqual([
      'text',
      'decimal',
      'date',
      'boolean',
      'decimal',
      'any',
    ]);
    expect(book.sheets[0]?.rows.at(0)?.record).toEqual({
      Article: '00420',
      Net: 11.4,
      From: '2026-03-04',
      Sold: true,
      Sum: 22.8,
      Free: null,
    });
    book.setCells('Stock', 3, [
      { column: 1, value: '00421', type: 'text' },
      { column: 2, value: '18.95', type: 'decimal' },
      { column: 3, value: '2026-03-29', type: 'date' },
      { column: 6, value: '+44 1632 960771', type: 'text' },
    ]);
    const again = await openBook('x.xlsx', await book.save());
    expect(again.sheets[0]?.rows.at(1)?.record).toMatchObject({
      Article: '00421',
      Net: 18.95,
      From: '2026-03-29',
      Free: '+44 1632 960771',
    });
    const raw = new ExcelJS.Workbook();
    await raw.xlsx.load((await again.save()) as unknown as ArrayBuffer);
    expect(raw.getWorksheet('Stock')?.getCell('E2').value).toMatchObject({ formula: 'B2*2' });
  });

  test('what is none is told', async () => {
    await expect(openBook('x.xlsx', Buffer.from('<!doctype html>'))).rejects.toThrow('not an .xlsx workbook');
  });

  describe('in a folder', () => {
    const open = () =>
      appsFor([], {})
        .find((app) => app.id === 'folder')
        ?.open({ folder }) as Connector;
    const path = ['stock.xlsx', 'Stock'];

    test('rows are found ignoring case, appended, and one somebody changed is left alone', async () => {
      writeFileSync(join(folder, 'stock.xlsx'), await sheet());
      const connector = open();
      expect(await connector.find(path, { path: '/Article', value: ' 00420 ' })).toMatchObject([{ id: '2' }]);
      expect(await connector.create({ token: 't1', write: write(path, { '/Article': '07110' }) })).toEqual({ id: '3' });
      const [found] = await connector.find(path, { path: '/Article', value: '07110' });
      const update = write(
        path,
        { '/Net': '5' },
        { kind: 'update', id: '3', before: { ...found?.record, Article: 'other' }, types: { '/Net': 'decimal' } },
      );
      await expect(connector.update({ token: 't2', write: update })).rejects.toThrow(Changed);
      // Without what stood there a row's number says nothing: somebody may have typed into it.
      await expect(connector.remove(path, '3', undefined)).rejects.toThrow(Changed);
      await connector.remove(path, '3', found?.record);
      expect(await connector.find(path, { path: '/Article', value: '07110' })).toEqual([]);
    });

    test('a file that another program has open is locked, one that is gone isn’t there', async () => {
      writeFileSync(join(folder, 'stock.xlsx'), await sheet());
      writeFileSync(join(folder, '.~lock.stock.xlsx#'), '');
      await expect(open().create({ token: 't', write: write(path, { '/Article': '1' }) })).rejects.toThrow(Locked);
      await expect(open().describe(['gone.xlsx', 'Stock'])).rejects.toThrow(NotThere);
      await expect(open().describe(['stock.xlsx', 'Gone'])).rejects.toThrow('no tab “Gone”');
    });

    test('what is calculated or merged there isn’t written over, and says so', async () => {
      const book = new ExcelJS.Workbook();
      const tab = book.addWorksheet('Stock');
      tab.addRow(['Article', 'Net', 'Gross']);
      tab.addRow(['00420', 10, { formula: 'B2*1.2', result: 12 }]);
      tab.addRow(['00421', 20, 24]);
      tab.mergeCells('B3:C3');
      writeFileSync(join(folder, 'stock.xlsx'), Buffer.from(await book.xlsx.writeBuffer()));
      const update = (id: string) =>
        open().update({
          token: 't',
          write: write(path, { '/Gross': '9' }, { kind: 'update', id, types: { '/Gross': 'decimal' } }),
        });
      await expect(update('2')).rejects.toThrow('“Gross” is calculated by a formula in row 2');
      await expect(update('3')).rejects.toThrow('“Gross” in row 3 is merged with others');
      expect(await open().create({ token: 't', write: write(path, { '/Article': '00422' }) })).toEqual({ id: '4' });
    });

    test('a folder that isn’t there, and a tab without column names', async () => {
      const gone = appsFor([], {})
        .find((app) => app.id === 'folder')
        ?.open({ folder: join(folder, 'gone') }) as Connector;
      await expect(gone.health()).rejects.toThrow('There is no folder');
      mkdirSync(join(folder, 'sub'));
      const book = new ExcelJS.Workbook();
      book.addWorksheet('Empty');
      writeFileSync(join(folder, 'empty.xlsx'), Buffer.from(await book.xlsx.writeBuffer()));
      await expect(open().describe(['empty.xlsx', 'Empty'])).rejects.toThrow('no column names');
    });
  });
});

describe('the practice apps through their connectors', () => {
  let shop: ReturnType<typeof shopCounter>;
  let shelf: ReturnType<typeof workbookShelf>;
  let shopAt: Listening;
  let shelfAt: Listening;
  const openShop = (key = shopKeys[0]?.key ?? '', address = `${shopAt.url}/api`, timeout = quick.timeout) =>
    appsFor([], {})
      .find((app) => app.id === 'shop_counter')
      ?.open({ address, key }, { ...quick, timeout }) as Connector;
  const openShelf = (key = shelfAccounts[0]?.token ?? '') =>
    appsFor([], {})
      .find((app) => app.id === 'workbook_shelf')
      ?.open({ address: `${shelfAt.url}/api`, key }, quick) as Connector;

  beforeEach(async () => {
    shop = shopCounter(join(folder, 'shop.sqlite'));
    shelf = workbookShelf(join(folder, 'shelf'));
    shopAt = await listen(shop.app, 0);
    shelfAt = await listen(shelf.app, 0);
  });
  afterEach(async () => {
    await shopAt.close();
    await shelfAt.close();
    shop.store.close();
  });

  test('the shop’s fields come from its OpenAPI document', async () => {
    const { fields, can } = await openShop().describe(['customers']);
    const types = Object.fromEntries(fields.map((field) => [field.path, field.type]));
    expect(types).toMatchObject({
      '/id': 'id',
      '/email': 'email',
      '/phone': 'phone',
      '/account_type': 'choice',
      '/address/country': 'country',
      '/newsletter': 'boolean',
      '/created_at': 'instant',
    });
    expect(fields.find((field) => field.path === '/id')).toMatchObject({ readOnly: true, idOf: 'customers' });
    expect(fields.find((field) => field.path === '/first_name')).toMatchObject({ maxLength: 60 });
    expect(fields.find((field) => field.path === '/account_type')?.options?.map((option) => option.value)).toEqual([
      'trade',
      'hobby',
    ]);
    expect(can).toEqual({ list: true, find: true, create: true, update: true, readBack: true });
  });

  test('create, find, change, list since, fetch, remove; refusals in the app’s own words', async () => {
    const connector = openShop();
    const { id } = await connector.create({
      token: 't',
      write: write(['customers'], { '/email': 'Zoe@clay.example', '/address/country': 'IE' }),
    });
    expect(await connector.find(['customers'], { path: '/email', value: 'zoe@clay.example' })).toMatchObject([{ id }]);
    await connector.update({
      token: 'u',
      write: write(['customers'], { '/address/city': 'Cork' }, { kind: 'update', id }),
    });
    expect((await connector.fetch(['customers'], id))?.record).toMatchObject({
      address: { country: 'IE', city: 'Cork' },
    });
    const bad = write(['customers'], { '/email': 'no address' });
    await expect(connector.create({ token: 'v', write: bad })).rejects.toThrow(Refused);
    await expect(connector.create({ token: 'v', write: bad })).rejects.toMatchObject({ fields: [{ path: '/email' }] });
    expect((await connector.list({ path: ['customers'], since: '2999-01-01T00:00:00.000Z' })).records).toEqual([]);
    await connector.remove(['customers'], id, undefined);
    expect(await connector.fetch(['customers'], id)).toBeNull();
    expect(connector.linkTo(['customers'], '7')).toBe(`${shopAt.url}/customers/7`);
  });

  test('a listing goes through all pages, each record once', async () => {
    for (let at = 0; at < 450; at++)
      shop.store.add({ email: `a${at}@clay.example` } as never, new Date(1e12 + Math.floor(at / 3)).toISOString());
    const seen: string[] = [];
    let cursor: string | null = null;
    do {
      const page = await openShop().list({ path: ['customers'], ...(cursor && { cursor }) });
      seen.push(...page.records.map((record) => record.id));
      cursor = page.cursor;
    } while (cursor);
    expect(seen).toHaveLength(450);
    expect(new Set(seen).size).toBe(450);
  });

  test('health says who, and what it may', async () => {
    expect(await openShop(shopKeys[1]?.key).health()).toEqual({
      account: 'kiln-supply-1',
      signedInAs: 'Copying only, Saltmarsh Kiln Supply',
      sees: ['customers', 'products', 'orders', 'refunds', 'bookings'],
      mayRead: true,
      mayWrite: false,
    });
    expect(await openShelf(shelfAccounts[1]?.token).health()).toMatchObject({ signedInAs: 'visitor', mayWrite: false });
  });

  test('each fault is told in its own sentence', async () => {
    const create = write(['customers'], { '/email': 'a@clay.example' });
    await expect(openShop('wrong').health()).rejects.toThrow(NotSignedIn);
    await expect(openShop(shopKeys[1]?.key).create({ token: 't', write: create })).rejects.toThrow(NoRight);
    await expect(openShop('', 'http://127.0.0.1:9/api').health()).rejects.toThrow(AppDown);
    const faults = [
      ['html', NotUnderstood],
      ['slow', NoAnswer],
      ['down', NoAnswer],
      ['rate_limit', RateLimited],
    ] as const;
    for (const [kind, error] of faults) {
      shop.state.troubles.set(kind, 9);
      // Only what is slow is waited for less long than it takes: 1.5 seconds.
      const health = openShop(undefined, undefined, kind === 'slow' ? 300 : undefined).health();
      await expect(health).rejects.toThrow(error);
      shop.state.troubles.clear();
    }
    await expect(openShelf().describe(['gone.xlsx', 'x'])).rejects.toThrow(NotThere);
    shop.state.troubles.set('break_off', 1);
    await expect(openShop().create({ token: 't', write: create })).rejects.toThrow(Unsure);
    expect(shop.store.count()).toBe(1);
  });

  test('a passing fault of a read is tried again; a write is not sent twice', async () => {
    shop.state.troubles.set('html', 1);
    await expect(openShop().list({ path: ['customers'] })).rejects.toThrow(NotUnderstood);
    shop.state.troubles.set('down', 1);
    await expect(openShop().list({ path: ['customers'] })).resolves.toMatchObject({ cursor: null });
    shop.state.troubles.set('break_off', 1);
    await expect(
      openShop().create({ token: 't', write: write(['customers'], { '/company': 'Once' }) }),
    ).rejects.toThrow(Unsure);
    expect(shop.store.count()).toBe(1);
  });
});

test('another HTTP app is a description and not code: bearer token, idempotency key, reference', async () => {
  const kept: { id: string; title: string; ref: string }[] = [];
  const app = new Hono();
  const sign = (text: string) => createHmac('sha256', 'k').update(text).digest('hex').slice(0, 6);
  app.get('/spec.json', (c) =>
    c.json({
      openapi: '3.1.0',
      info: { title: 'Tasks', version: '1' },
      paths: {},
      components: {
        schemas: {
          Task: {
            type: 'object',
            required: ['title'],
            properties: {
              id: { type: 'string', readOnly: true },
              title: { type: 'string' },
              hours: { anyOf: [{ type: 'number' }, { type: 'null' }] },
            },
          },
        },
      },
    }),
  );
  app.get('/who', (c) =>
    c.req.header('authorization') === 'Bearer s3cret' ? c.json({ login: 'ops' }) : c.json({ detail: 'who?' }, 401),
  );
  app.get('/tasks', (c) => c.json(kept.filter((one) => one.ref === c.req.query('ref'))));
  app.post('/tasks', async (c) => {
    const body = await c.req.json();
    const token = c.req.header('idempotency-key') ?? '';
    const known = kept.find((one) => one.ref === token);
    if (known) return c.json(known);
    kept.push({ id: sign(token), ref: token, ...body });
    return c.json(kept.at(-1), 201);
  });
  const at = await listen(app, 0);
  const description: RestDescription = {
    id: 'tasks',
    title: 'Tasks',
    openapi: '/spec.json',
    auth: { header: 'Authorization', value: 'Bearer {key}' },
    me: { path: '/who', signedInAs: ['/login'] },
    idempotencyHeader: 'Idempotency-Key',
    recordTypes: [
      {
        name: 'tasks',
        singular: 'task',
        plural: 'tasks',
        schema: 'Task',
        inputSchema: 'Task',
        id: '/id',
        create: '/tasks',
        list: { path: '/tasks', items: '' },
        reference: { field: '/ref', query: 'ref' },
      },
    ],
  };
  const connector = appsFor([description], {})
    .find((one) => one.id === 'tasks')
    ?.open({ address: at.url, key: 's3cret' }, quick) as Connector;
  expect(await connector.health()).toMatchObject({ signedInAs: 'ops' });
  expect((await connector.describe(['tasks'])).fields).toMatchObject([
    { type: 'id' },
    { path: '/title', required: true },
    { path: '/hours', type: 'decimal' },
  ]);
  const request = {
    token: 'once',
    write: write(['tasks'], { '/title': 'Fire the kiln', '/hours': '2.5' }, { types: { '/hours': 'decimal' } }),
  };
  const first = await connector.create(request);
  expect(await connector.create(request)).toEqual(first);
  expect(kept).toMatchObject([{ title: 'Fire the kiln', hours: 2.5 }]);
  expect(await connector.findByToken?.(['tasks'], 'once')).toMatchObject({ id: first.id });
  expect(connector.settleBy).toBe('idempotency_key');
  await at.close();
});
