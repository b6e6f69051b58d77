import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { cardIndex, cardKeys, type Listening, ledger, listen } from '@golden/standins';
import { NotThere, Refused } from '../errors.ts';
import { cardIndexDescription } from './card-index.ts';
import { flatten, flattenSchema, wrap } from './json-api.ts';
import { ledgerDescription } from './ledger.ts';
import { RestConnector } from './rest-connector.ts';

let folder: string;
let cards: ReturnType<typeof cardIndex>;
let at: Listening;
beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-json-api-'));
  cards = cardIndex(join(folder, 'cards.sqlite'));
  at = await listen(cards.app, 0);
});
afterEach(async () => {
  await at.close();
  cards.store.close();
  rmSync(folder, { recursive: true, force: true });
});
const connector = () =>
  new RestConnector(cardIndexDescription, { address: `${at.url}/api`, key: cardKeys[0]?.key ?? '' });
const target = (recordType: string) => ({ connection: 'c', path: [recordType], recordType });

test('a resource object is one flat record, and its schema a flat one with typed ids; values go back into place', () => {
  const resource = {
    type: 'people',
    id: '7',
    attributes: { lastName: 'Nair' },
    relationships: { company: { data: { type: 'companies', id: '3' } }, boss: { data: null } },
  };
  expect(flatten(resource)).toEqual({ id: '7', lastName: 'Nair', company: '3', boss: null });
  const link = {
    type: 'object',
    properties: { data: { type: 'object', properties: { type: { const: 'companies' }, id: { type: 'string' } } } },
  };
  const schema = flattenSchema({
    type: 'object',
    properties: {
      attributes: { type: 'object', required: ['lastName'], properties: { lastName: { type: 'string' } } },
      relationships: { type: 'object', properties: { company: link } },
    },
  });
  expect(schema.required).toEqual(['lastName']);
  expect(schema.properties?.['company']).toMatchObject({ 'x-id-of': 'companies' });
  expect(wrap('people', '7', { lastName: 'Nair', company: 3 }, schema)).toEqual({
    data: {
      type: 'people',
      id: '7',
      attributes: { lastName: 'Nair' },
      relationships: { company: { data: { type: 'companies', id: '3' } } },
    },
  });
});

test('describes, makes, finds, lists over pages, changes, merges, and takes what was put away for gone', async () => {
  const app = connector();
  const people = await app.describe(['people']);
  expect(people.fields.find((field) => field.path === '/company')).toMatchObject({ type: 'id', idOf: 'companies' });
  expect(people.fields.find((field) => field.path === '/lastName')?.required).toBe(true);
  const write = (values: Record<string, string | null>) => ({
    kind: 'create' as const,
    target: target('people'),
    values,
    types: {},
  });
  const { id: company } = await app.create({
    write: { ...write({ '/name': 'Kiln & Co' }), target: target('companies') },
    token: 't0',
  });
  const made = await app.create({
    write: write({ '/lastName': 'Nair', '/email': 'p@clay.example', '/company': company }),
    token: 't1',
  });
  expect(made.record).toMatchObject({ lastName: 'Nair', company });
  for (let one = 0; one < 230; one++)
    cards.store.of('people').add({
      type: 'people',
      attributes: { lastName: `Holm ${one}` },
      relationships: {},
      archived: false,
      mergedInto: null,
    });
  const listed: string[] = [];
  let cursor: string | null = null;
  do {
    const page: Awaited<ReturnType<typeof app.list>> = await app.list({ path: ['people'], ...(cursor && { cursor }) });
    listed.push(...page.records.map((one) => one.id));
    cursor = page.cursor;
  } while (cursor);
  expect(new Set(listed).size).toBe(231);
  expect((await app.find(['people'], { path: '/email', value: 'P@CLAY.example' }))[0]?.id).toBe(made.id);
  await app.update({ write: { ...write({ '/company': null }), kind: 'update', id: made.id }, token: 't2' });
  expect((await app.fetch(['people'], made.id))?.record['company']).toBeNull();
  const other = listed.find((id) => id !== made.id) ?? '';
  expect(app.canMerge(['people'])).toBe(true);
  await app.merge(['people'], made.id, other, 't3');
  expect(await app.fetch(['people'], other)).toBeNull();
  await expect(app.create({ write: write({ '/lastName': 'X', '/email': 'none' }), token: 't4' })).rejects.toMatchObject(
    {
      constructor: Refused,
      fields: [{ path: '/email', message: expect.stringContaining('not an e-mail address') }],
    },
  );
});

test('record types that the owner adds are places as well, once they are there', async () => {
  const app = connector();
  await expect(app.describe(['kilns'])).rejects.toBeInstanceOf(NotThere);
  cards.store.addType('kilns', 'kiln');
  cards.store.addField('kilns', { name: 'litres', kind: 'decimal' });
  expect((await app.places([])).map((one) => one.id)).toContain('kilns');
  expect((await connector().describe(['kilns'])).fields.map((field) => field.path)).toEqual(
    expect.arrayContaining(['/name', '/litres', '/person']),
  );
});

// RFC 9110 section 9.3.4: PUT replaces what is there.
test('a PUT of which one nested field changes carries the rest of its part', async () => {
  const books = ledger(join(folder, 'ledger.sqlite'));
  const shelf = await listen(books.app, 0);
  const tokens = books.signIn.issue({ user: 'Mira', client: 'golden-relay', scope: 'ledger.read ledger.write' });
  const postalAddress = { streetName: '1 Kiln Lane', cityName: 'Millwick', postalZone: 'ZZ1 1ZZ', countryCode: 'GB' };
  const customer = books.store.customers.add({
    company: 'retail',
    name: 'Kiln & Co',
    contactName: null,
    electronicMail: null,
    telephone: null,
    companyId: null,
    postalAddress,
    paymentTermsDays: 30,
    reference: null,
  });
  const app = new RestConnector(ledgerDescription, {
    address: `${shelf.url}/api`,
    key: '',
    tokens: {
      header: async () => `Bearer ${tokens.access_token}`,
      access: async () => tokens.access_token,
      renew: async () => tokens.access_token,
    } as never,
  });
  const before = { id: customer.id, name: 'Kiln & Co', postalAddress };
  const write = {
    kind: 'update' as const,
    target: { connection: 'c', path: ['retail', 'customers'], recordType: 'customers' },
    id: String(customer.id),
    values: { '/postalAddress/cityName': 'Eastferry' },
    types: {},
    before,
  };
  expect(await app.payload({ write, token: 't' })).toMatchObject({
    postalAddress: { ...postalAddress, cityName: 'Eastferry' },
  });
  await shelf.close();
  books.store.close();
});
