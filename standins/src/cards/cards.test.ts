import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { validate } from '@readme/openapi-parser';
import { cardIndex, cardKeys } from './card-index.ts';

let folder: string;
let cards: ReturnType<typeof cardIndex>;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-cards-'));
  cards = cardIndex(join(folder, 'cards.sqlite'));
});
afterEach(() => {
  cards.store.close();
  rmSync(folder, { recursive: true, force: true });
});

const office = { authorization: `Bearer ${cardKeys[0]?.key}` };

async function ask(method: string, path: string, body?: unknown, headers: Record<string, string> = {}) {
  const answer = await cards.app.request(`/api${path}`, {
    method,
    headers: { ...office, 'content-type': 'application/vnd.api+json', ...headers },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const text = await answer.text();
  return { status: answer.status, type: answer.headers.get('content-type'), body: text ? JSON.parse(text) : null };
}
const person = (attributes: object, relationships: object = {}) => ({
  data: { type: 'people', attributes, relationships },
});

// JSON:API 1.1: resource objects (5.2), to-one relationships (5.2.4), links of pages (6.2), error objects (11).
test('speaks JSON:API: attributes, relationships by id, pages by links, errors that point into the body', async () => {
  const company = await ask('POST', '/companies', { data: { type: 'companies', attributes: { name: 'Kiln & Co' } } });
  expect(company).toMatchObject({
    status: 201,
    type: 'application/vnd.api+json',
    body: { data: { type: 'companies', attributes: { name: 'Kiln & Co', archived: false } } },
  });
  const { id } = company.body.data;
  for (let at = 0; at < 5; at++)
    await ask('POST', '/people', person({ lastName: `Holm ${at}` }, { company: { data: { type: 'companies', id } } }));
  const first = await ask('GET', '/people?page[size]=2');
  expect(first.body.data[0]).toMatchObject({
    attributes: { lastName: 'Holm 0' },
    relationships: { company: { data: { type: 'companies', id } } },
  });
  const names: string[] = [];
  for (let next: string | null = '/api/people?page[size]=2'; next; ) {
    const page = await ask('GET', next.replace('/api', ''));
    names.push(...page.body.data.map((one: { attributes: { lastName: string } }) => one.attributes.lastName));
    next = page.body.links.next;
  }
  expect(names).toEqual(['Holm 0', 'Holm 1', 'Holm 2', 'Holm 3', 'Holm 4']);
  expect((await ask('GET', '/people?filter[lastName]=HOLM 3')).body.data).toHaveLength(1);
  const refused = await ask(
    'POST',
    '/people',
    person({ email: 'no address' }, { company: { data: { type: 'companies', id: '9' } } }),
  );
  expect(refused.status).toBe(422);
  expect(refused.body.errors.map((one: { source: { pointer: string } }) => one.source.pointer)).toEqual([
    '/data/attributes/lastName',
    '/data/attributes/email',
    '/data/relationships/company',
  ]);
});

test('honours an idempotency key, refuses no doubles, and says who may write', async () => {
  const once = { 'idempotency-key': 'one' };
  const [first, again] = [
    await ask('POST', '/people', person({ lastName: 'Nair' }), once),
    await ask('POST', '/people', person({ lastName: 'Nair' }), once),
  ];
  expect(again.body.data.id).toBe(first.body.data.id);
  expect((await ask('POST', '/people', person({ lastName: 'Nair' }))).body.data.id).not.toBe(first.body.data.id);
  const reader = { authorization: `Bearer ${cardKeys[1]?.key}` };
  expect((await ask('POST', '/people', person({ lastName: 'Nair' }), reader)).status).toBe(403);
  expect((await ask('GET', '/people', undefined, { authorization: 'Bearer none' })).status).toBe(401);
});

test('merges two: what led to the other leads to the survivor, and the other can be brought back', async () => {
  const make = async (lastName: string) => (await ask('POST', '/people', person({ lastName }))).body.data.id as string;
  const [keep, other] = [await make('Nair'), await make('Nairr')];
  const deal = await ask('POST', '/deals', {
    data: {
      type: 'deals',
      attributes: { title: 'Kiln', stage: 'offer' },
      relationships: { person: { data: { type: 'people', id: other } } },
    },
  });
  expect((await ask('POST', `/people/${keep}/merge`, { data: { type: 'people', id: other } })).status).toBe(200);
  expect((await ask('GET', `/deals/${deal.body.data.id}`)).body.data.relationships.person.data.id).toBe(keep);
  expect((await ask('GET', `/people/${other}`)).body.data.attributes).toMatchObject({
    archived: true,
    mergedInto: keep,
  });
  expect((await ask('GET', '/people')).body.data).toHaveLength(1);
  await ask('PATCH', `/people/${other}`, { data: { type: 'people', id: other, attributes: { archived: false } } });
  expect((await ask('GET', `/people/${other}`)).body.data.attributes).toMatchObject({
    archived: false,
    mergedInto: null,
  });
  expect((await ask('POST', `/people/${keep}/merge`, { data: { type: 'people', id: keep } })).status).toBe(422);
});

test('the owner’s own fields and record types are in the description and can be written', async () => {
  const form = (path: string, fields: Record<string, string>) =>
    cards.app.request(path, {
      method: 'POST',
      body: new URLSearchParams(fields),
      headers: { 'content-type': 'application/x-www-form-urlencoded' },
    });
  expect((await form('/fields', { type: 'people', name: 'kilnType', kind: 'text' })).status).toBe(302);
  expect((await form('/fields', { type: 'people', name: 'Kiln type!', kind: 'text' })).status).toBe(400);
  expect((await form('/types', { name: 'kilns', singular: 'kiln' })).status).toBe(302);
  const document = (await ask('GET', '/openapi.json')).body;
  expect((await validate(structuredClone(document))).valid).toBe(true);
  expect(document.components.schemas.people.properties.attributes.properties.kilnType).toMatchObject({
    type: ['string', 'null'],
  });
  const kiln = await ask('POST', '/kilns', { data: { type: 'kilns', attributes: { name: 'Top loader' } } });
  expect(kiln.body.data).toMatchObject({ type: 'kilns', attributes: { name: 'Top loader' } });
  expect((await (await cards.app.request('/kilns')).text()).includes('Top loader')).toBe(true);
});
