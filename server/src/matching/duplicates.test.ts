import { readFileSync } from 'node:fs';
import type { ItemState } from '@golden/core';
import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';
import { checkNow, decide, goLive } from '../testing/checks.ts';
import { customersToPeople, personLadder } from '../testing/matching.ts';
import {
  addCard,
  type Connected,
  connectBoth,
  connectCards,
  customer,
  openServices,
  openWorld,
  type World,
} from '../testing/world.ts';
import { previewWeights, takeWeights } from './weights.ts';

let world: World;
let services: Services;
let connected: Connected;
let cards: string;
let api: ReturnType<typeof makeApi>;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  connected = await connectBoth(world, services);
  cards = await connectCards(world, services);
  api = makeApi(services);
});
afterEach(async () => {
  await services.close();
  await world.close();
});

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await api.request(path, {
    method,
    headers: { host: 'localhost', 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const answer = await response.json();
  if (!response.ok) throw new Error(answer.detail);
  return answer as T;
}

interface Group {
  id: string;
  probability: number;
  isAsked: boolean;
  state: string;
  message: string | null;
  survivor: string;
  records: { id: string; title: string; links: number }[];
}
const people = () => world.cards.store.of('people');
const card = (id: string) => people().get(Number(id));

/** People who have nothing to do with each other, and three doubles with what leads to them. */
function seed(): { readonly ids: string[]; readonly company: string; readonly deal: string } {
  const given = ['Ada', 'Tom', 'Mira', 'Jon', 'Lea', 'Ben', 'Ines', 'Olaf'];
  const family = ['Holm', 'Field', 'Marsh', 'Stone', 'Brook', 'Wood', 'Hill'];
  for (let at = 0; at < 56; at++) {
    const [firstName, lastName] = [given[at % 8] as string, family[at % 7] as string];
    addCard(world, 'people', {
      firstName,
      lastName,
      email: `${firstName}.${lastName}${at}@studio.example`.toLowerCase(),
      phone: `01632 960 ${100 + at}`,
      street: `${at + 1} Kiln Lane`,
      postcode: `ZZ${at % 9} ${at % 7}AB`,
    });
  }
  const priya = {
    firstName: 'Priya',
    lastName: 'Nair',
    phone: '01632 960 771',
    street: '9 Wheel Street',
    postcode: 'ZZ7 7EF',
  };
  const ids = [
    addCard(world, 'people', { ...priya, email: 'priya.nair@clay.example', jobTitle: null }),
    addCard(world, 'people', { ...priya, firstName: 'Prya', email: 'priya.nair@clay.example', jobTitle: 'Potter' }),
    addCard(world, 'people', { ...priya, lastName: 'Nairr', email: null, street: null }),
  ];
  const company = addCard(world, 'companies', { name: 'Kiln & Co' });
  people().change(Number(ids[2]), { relationships: { company } });
  const deal = addCard(world, 'deals', { title: 'A kiln', stage: 'offer' }, { person: ids[2] ?? null });
  return { ids, company, deal };
}

async function search(): Promise<{ id: string; groups: Group[] }> {
  const { id } = await ask<{ id: string }>('POST', '/api/duplicates', {
    kind: 'place',
    place: { connection: cards, path: ['people'] },
    labels: ['people'],
  });
  await services.duplicates.wait(id);
  return { id, groups: await ask<Group[]>('GET', `/api/duplicates/${id}/groups`) };
}

test('a cluster is found, merged in the app with all that hangs on it, and the merge undone', async () => {
  const { ids, company, deal } = seed();
  // A shop customer is linked to the one that will be put away.
  const found = await search();
  expect(found.groups[0]?.records.map((one) => one.id).sort()).toEqual([...ids].sort());
  const [group] = found.groups;
  const [keep, second, third] = ids as [string, string, string];
  await services.db
    .insertInto('link')
    .values({
      id: 'l1',
      from_account: services.connections.accountOf(connected.shop),
      from_place: '["customers"]',
      from_id: '10001',
      to_account: services.connections.accountOf(cards),
      to_place: '["people"]',
      to_id: third,
      origin: 'found',
      workflow_id: null,
      probability: null,
      made_at: services.seams.now(),
    })
    .execute();
  const before = [card(keep), card(second), card(third)].map((one) => JSON.stringify(one?.attributes));
  await ask('POST', `/api/duplicates/groups/${group?.id}/settle`, {
    kind: 'merge',
    survivor: keep,
    usual: 'newest',
    choices: { '/lastName': { from: keep }, '/firstName': { rule: 'most_frequent' } },
  });
  expect(card(keep)).toMatchObject({
    archived: false,
    attributes: { firstName: 'Priya', lastName: 'Nair', jobTitle: 'Potter', street: '9 Wheel Street' },
    relationships: { company },
  });
  expect(card(second)).toMatchObject({ archived: true, mergedInto: keep });
  expect(card(third)).toMatchObject({ archived: true, mergedInto: keep });
  const leads = () => world.cards.store.of('deals').get(Number(deal))?.relationships['person'];
  expect(leads()).toBe(keep);
  const linked = async () => (await services.db.selectFrom('link').select('to_id').executeTakeFirst())?.to_id;
  expect(await linked()).toBe(keep);
  expect((await search()).groups.filter((one) => one.records.some((record) => ids.includes(record.id)))).toEqual([]);

  await ask('POST', `/api/duplicates/groups/${group?.id}/undo`);
  expect([card(keep), card(second), card(third)].map((one) => JSON.stringify(one?.attributes))).toEqual(before);
  expect([card(keep), card(second), card(third)].map((one) => one?.archived)).toEqual([false, false, false]);
  expect(leads()).toBe(third);
  expect(card(keep)?.relationships['company'] ?? null).toBeNull();
  expect(await linked()).toBe(third);
  const [again] = await ask<Group[]>('GET', `/api/duplicates/${found.id}/groups`);
  expect(again?.state).toBe('open');
});

test('what somebody changed since is not undone; what a person keeps apart is never put together again', async () => {
  const { ids } = seed();
  const { id, groups } = await search();
  const [group] = groups;
  await ask('POST', `/api/duplicates/groups/${group?.id}/settle`, {
    kind: 'merge',
    survivor: ids[0],
    usual: 'longest',
    choices: {},
  });
  people().change(Number(ids[0]), { attributes: { ...card(ids[0] ?? '')?.attributes, jobTitle: 'Owner' } });
  await expect(ask('POST', `/api/duplicates/groups/${group?.id}/undo`)).rejects.toThrow('Somebody changed jobTitle');
  expect(card(ids[1] ?? '')?.archived).toBe(true);
  people().change(Number(ids[0]), { attributes: { ...card(ids[0] ?? '')?.attributes, jobTitle: 'Potter' } });
  await ask('POST', `/api/duplicates/groups/${group?.id}/undo`);
  await ask('POST', `/api/duplicates/groups/${group?.id}/settle`, { kind: 'different' });
  expect(
    (await search()).groups.some((one) => one.records.filter((record) => ids.includes(record.id)).length > 1),
  ).toBe(false);
  const csv = await ask<{ name: string; text: string }>('GET', `/api/duplicates/${id}/export`);
  expect(csv.text.split('\r\n')[0]).toContain('group,probability,verdict,settled,id');
  expect(csv.text).toContain('different');
});

test('all above a line at once; a merge that the process left in the middle is carried on', async () => {
  const { ids } = seed();
  const { id, groups } = await search();
  const line = (groups[0]?.probability ?? 1) - 0.001;
  expect(await ask('POST', `/api/duplicates/${id}/settle-above`, { line, usual: 'newest' })).toEqual({
    merged: 1,
    left: 0,
  });
  expect(ids.filter((one) => card(one)?.archived)).toHaveLength(2);
  // As if the process had ended after the first step: the rest is done again and comes to the same.
  await services.db.updateTable('merge').set({ state: 'merging', done: 1 }).execute();
  await services.duplicates.resume();
  expect(await services.db.selectFrom('merge').select(['state']).execute()).toEqual([{ state: 'merged' }]);
  expect(ids.filter((one) => card(one)?.archived)).toHaveLength(2);
});

test('a group is settled when its merge has ended, not while it is under way; one that never began is open again', async () => {
  const { ids } = seed();
  const { id, groups } = await search();
  const settle = (survivor = ids[0]) =>
    ask('POST', `/api/duplicates/groups/${groups[0]?.id}/settle`, {
      kind: 'merge',
      survivor,
      usual: 'longest',
      choices: {},
    });
  const listed = (state: string) => ask<Group[]>('GET', `/api/duplicates/${id}/groups?state=${state}`);
  await expect(settle('999999')).rejects.toThrow('isn’t there any more');
  expect((await listed('open'))[0]).toMatchObject({ id: groups[0]?.id, state: 'open' });
  expect((await listed('open'))[0]?.message).toContain('isn’t there any more');

  // As if the process had ended before the merge was stored.
  await services.db.updateTable('duplicate_group').set({ state: 'merging' }).where('at', '=', 0).execute();
  expect((await listed('open'))[0]).toMatchObject({ state: 'merging' });
  expect((await ask<{ open: number }>('GET', `/api/duplicates/${id}`)).open).toBe(groups.length);
  await services.duplicates.resume();
  expect((await listed('open'))[0]).toMatchObject({ state: 'open' });
  await settle();
  expect((await listed('settled')).map(({ state }) => state)).toEqual(['merged']);
});

test('a file is searched as well, kinds can be chosen, and a search is stopped', async () => {
  const rows = [
    'Name,E-mail,Town',
    'Priya Nair,priya@clay.example,Saltmarsh',
    'NAIR Priya,Priya@Clay.example,Saltmarsh',
    'Tom Field,tom@field.example,Millwick',
  ];
  const bytes = Buffer.from(rows.join('\n')).toString('base64');
  const { id } = await ask<{ id: string }>('POST', '/api/duplicates', {
    kind: 'file',
    name: 'people.csv',
    bytes,
    kinds: { '/Town': 'ignore' },
  });
  await services.duplicates.wait(id);
  const found = await ask<{ fields: { label: string; kind: string }[]; canMerge: boolean; groups: number }>(
    'GET',
    `/api/duplicates/${id}`,
  );
  expect(found).toMatchObject({ canMerge: false, groups: 1 });
  expect(found.fields.map(({ label, kind }) => [label, kind])).toEqual([
    ['Name', 'full_name'],
    ['E-mail', 'email'],
    ['Town', 'ignore'],
  ]);
  await expect(ask('POST', '/api/duplicates', { kind: 'file', name: 'people.pdf', bytes })).rejects.toThrow(
    'is no .csv, .xlsx or .ods file',
  );
  for (let at = 0; at < 3000; at++)
    addCard(world, 'people', { firstName: 'Ada', lastName: `Holm${at % 50}`, email: `a${at}@x.example` });
  const long = await ask<{ id: string }>('POST', '/api/duplicates', {
    kind: 'place',
    place: { connection: cards, path: ['people'] },
    labels: ['people'],
  });
  await ask('DELETE', `/api/duplicates/${long.id}`);
  expect((await ask<{ state: string }>('GET', `/api/duplicates/${long.id}`)).state).toBe('stopped');
});

test('links are seen, corrected, cut, and imported; lines without a record are told', async () => {
  const [one, other] = [addCard(world, 'people', { lastName: 'Nair' }), addCard(world, 'people', { lastName: 'Holm' })];
  const { id: number } = world.shop.store.add(customer());
  const place = (connection: string, path: string) => ({ connection, path: [path] });
  const text = `shop,card\n${number},${one}\n10099,99999\n`;
  const taken = await ask<{ taken: number; left: string[] }>('POST', '/api/links/import', {
    from: place(connected.shop, 'customers'),
    to: place(cards, 'people'),
    text,
  });
  expect(taken).toEqual({ taken: 1, left: ['Line 3: there is no record with the id “99999” there.'] });
  const list = () =>
    ask<{ links: { id: string; to: { id: string }; title: string | null; origin: string }[] }>(
      'GET',
      '/api/links?search=',
    );
  const [link] = (await list()).links;
  expect(link).toMatchObject({ to: { id: one }, title: 'Nair', origin: 'imported' });
  // The imported pair is what a workflow goes by, whatever the names say.
  const workflow = await customersToPeople(services, connected, cards);
  await goLive(services, workflow);
  expect(card(one)?.attributes['lastName']).toBe('Nair');
  expect(card(one)?.attributes['email']).toBe('priya.nair@clay.example');
  await expect(ask('PUT', `/api/links/${link?.id}`, { toId: '4711' })).rejects.toThrow('no record with the id 4711');
  await ask('PUT', `/api/links/${link?.id}`, { toId: other });
  expect((await list()).links[0]).toMatchObject({ to: { id: other }, origin: 'corrected' });
  await ask('DELETE', `/api/links/${link?.id}`);
  expect((await list()).links).toEqual([]);
});

test('an unclear match on the desk: both are one is merged there; a rule settles the others and goes live as a version', async () => {
  seed();
  const ulla = { firstName: 'Ulla', lastName: 'Berg', postcode: 'QQ2 2QQ', phone: null, email: null };
  const twins = ['12', '13'].map((house) => addCard(world, 'people', { ...ulla, street: `${house} Ash Glaze Close` }));
  const near = ['Vera', 'Wim'].map((firstName, at) =>
    addCard(world, 'people', {
      firstName,
      lastName: `Quist${at}`,
      postcode: 'RR3 3RR',
      phone: `01632 960 90${at}`,
      street: `${at + 70} Slip Yard`,
    }),
  );
  const plain = { email: null, phone: null };
  world.shop.store.add(
    customer({
      ...plain,
      first_name: 'Ulla',
      last_name: 'Berg',
      address: { street: 'Ash Glaze Close', city: null, postcode: 'QQ2 2QQ', country: 'GB' },
    }),
  );
  for (const [at, first_name] of ['Vera', 'Wim'].entries())
    world.shop.store.add(
      customer({
        ...plain,
        first_name,
        last_name: `Quist${at}`,
        phone: '020 7946 0111',
        address: { street: `${at + 70} Slip Yard`, city: null, postcode: 'RR3 3RR', country: 'GB' },
      }),
    );
  const ladder = (await import('../testing/matching.ts')).personLadder;
  const rungs = ladder.rungs.map((rung) => (rung.kind === 'alike' ? { ...rung, isAsked: true } : rung));
  const workflow = await customersToPeople(services, connected, cards, { ladder: { ...ladder, rungs } });
  await goLive(services, workflow);
  const desk = () => ask<{ id: string; title: string; cause: string }[]>('GET', '/api/decide');
  expect((await desk()).map((one) => one.cause)).toEqual(['unclear', 'unclear', 'unclear']);
  const [first, second] = await desk();
  interface Case {
    candidates: { id: string; ruleSame: string }[];
    fields: { label: string; values: { text: string; said: string | null }[] }[];
    mayMerge: boolean;
  }
  const shown = await ask<Case>('GET', `/api/items/${first?.id}/case`);
  expect(shown.mayMerge).toBe(true);
  expect(shown.candidates.map((one) => one.id).sort()).toEqual([...twins].sort());
  expect(shown.fields.find((field) => field.label === 'last name')?.values[0]).toMatchObject({
    text: 'Berg',
    said: 'same',
  });
  await ask('POST', `/api/items/${first?.id}/merge`, { step: 'person', survivor: twins[0], others: [twins[1]] });
  expect(card(twins[1] ?? '')?.mergedInto).toBe(twins[0]);
  expect(
    (
      await services.db
        .selectFrom('item')
        .select('state')
        .where('id', '=', first?.id ?? '')
        .executeTakeFirst()
    )?.state,
  ).toBe('delivered');
  const wanted = await ask<Case>('GET', `/api/items/${second?.id}/case`);
  const body = { candidate: wanted.candidates[0]?.id, says: 'same', take: false };
  const preview = await ask<{ text: string; settles: { candidate: string }[]; version: number | null }>(
    'POST',
    `/api/items/${second?.id}/rule`,
    body,
  );
  expect(preview.text).toMatch(/given name, family name, street and postcode agree, phone differs: it is the same/);
  expect(preview.settles.map((one) => one.candidate)).toEqual([near[1]]);
  expect(await desk()).toHaveLength(2);
  const taken = await ask<{ version: number | null }>('POST', `/api/items/${second?.id}/rule`, { ...body, take: true });
  expect(taken.version).toBe(2);
  expect(await desk()).toEqual([]);
  expect(card(near[0] ?? '')?.attributes['phone']).toBe('+442079460111');
});

test('weights move by what was decided, under a number that only the draft takes', async () => {
  seed();
  const ladder = (await import('../testing/matching.ts')).personLadder;
  const rungs = ladder.rungs.map((rung) => (rung.kind === 'alike' ? { ...rung, isAsked: true } : rung));
  for (let at = 0; at < 6; at++) {
    addCard(world, 'people', {
      firstName: 'Ulla',
      lastName: `Berg${'abcdef'[at]}`,
      postcode: `QQ${at} 2QQ`,
      phone: `01632 960 8${at}1`,
      street: `${at} Ash Close`,
    });
    world.shop.store.add(
      customer({
        email: null,
        phone: `0161 496 0${at}22`,
        first_name: 'Ulla',
        last_name: `Berg${'abcdef'[at]}`,
        address: { street: `${at} Ash Close`, city: null, postcode: `QQ${at} 2QQ`, country: 'GB' },
      }),
    );
  }
  const workflow = await customersToPeople(services, connected, cards, { ladder: { ...ladder, rungs } });
  await goLive(services, workflow);
  for (const { id } of await ask<{ id: string }[]>('GET', '/api/decide')) {
    const { candidates } = await ask<{ candidates: { id: string }[] }>('GET', `/api/items/${id}/case`);
    await ask('POST', `/api/items/${id}/decide`, { kind: 'choose', step: 'person', id: candidates[0]?.id });
  }
  const preview = await ask<{
    now: number | null;
    decisions: number;
    changes: { label: string; level: string; before: number; after: number }[];
  }>('GET', `/api/workflows/${workflow}/weights?step=person`);
  expect(preview).toMatchObject({ now: null, decisions: 6 });
  // Telephones differed in all who were the same: that they differ says less now.
  const phone = preview.changes.find((one) => one.label === 'phone' && one.level === 'differs');
  expect(phone && phone.after > phone.before).toBe(true);
  const { number } = await ask<{ number: number }>('POST', `/api/workflows/${workflow}/weights`, { step: 'person' });
  const { draft, liveVersion } = await services.workflows.get(workflow);
  expect(JSON.stringify(draft.steps)).toContain(`"weights":${number}`);
  expect(JSON.stringify((await services.workflows.version(workflow, liveVersion ?? 0)).content)).not.toContain(
    '"weights"',
  );
});

test('no key of the Card index is in the data file or an answer', async () => {
  const answer = JSON.stringify(await ask('GET', '/api/connections'));
  expect(answer).not.toContain('cards-practice');
  expect(readFileSync(`${world.folder}/golden.sqlite`).includes('cards-practice-6H2W')).toBe(false);
});

describe('one truth', () => {
  test('whom a person calls somebody new is never proposed for merging with those who were asked about', async () => {
    seed();
    world.shop.store.add(
      customer({ first_name: 'Priya', last_name: 'Nair', email: 'other@clay.example', phone: '01632 960 771' }),
    );
    const id = await customersToPeople(services, connected, cards, {
      ladder: { ...personLadder, rungs: personLadder.rungs.map((rung) => ({ ...rung, isAsked: true })) },
    });
    await goLive(services, id);
    const [item] = await services.db.selectFrom('item').selectAll().where('state', '=', 'unsettled').execute();
    const asked = Object.values((JSON.parse(item?.item_state ?? '{}') as ItemState).steps).flatMap((result) =>
      result.kind === 'unsettled' ? (result.candidates ?? []).map((one) => one.id) : [],
    );
    expect(asked.length).toBeGreaterThan(0);
    await decide(services, item?.id ?? '', { kind: 'new', step: 'person' });
    const [made] = await services.db
      .selectFrom('item')
      .select('item_state')
      .where('id', '=', item?.id ?? '')
      .execute();
    const written = (JSON.parse(made?.item_state ?? '{}') as ItemState).steps['person'];
    const somebodyNew = written?.kind === 'written' ? written.id : '';
    expect(somebodyNew).not.toBe('');
    const { groups } = await search();
    for (const group of groups) {
      const ids = group.records.map((one) => one.id);
      if (ids.includes(somebodyNew)) expect(ids.filter((one) => asked.includes(one))).toEqual([]);
    }
    // And once it is gone there, a change of its source isn't written onto one of those either.
    people().remove(Number(somebodyNew));
    const [shopper] = world.shop.store.search('other@clay.example', 1, 0);
    world.shop.store.change(shopper?.id ?? 0, { phone: '01632 960 772' });
    await checkNow(services, id);
    const last = await services.db.selectFrom('item').selectAll().orderBy('seq', 'desc').executeTakeFirstOrThrow();
    const detail = JSON.parse(last.item_state) as ItemState;
    const result = detail.steps['person'];
    const offered = result?.kind === 'unsettled' ? (result.candidates ?? []).map((one) => one.id) : [];
    expect(offered.filter((one) => asked.includes(one))).toEqual([]);
  });

  test('what a search learnt is offered to the lookups of the place, and taken under its number', async () => {
    for (let at = 0; at < 700; at++) {
      const [given, family] = [`Given${at % 90}`, `Family${at % 130}`];
      const texts = {
        firstName: given,
        lastName: family,
        email: `${given}.${family}${at}@studio.example`,
        phone: null,
      };
      addCard(world, 'people', { ...texts, street: `${at} Kiln Lane`, postcode: `ZZ${at % 9} ${at % 7}AB` });
      if (at % 3 === 0)
        addCard(world, 'people', { ...texts, lastName: `${family}e`, street: `${at} Kiln Ln`, postcode: null });
    }
    const id = await customersToPeople(services, connected, cards);
    expect(await previewWeights(services, id, 'person')).toMatchObject({ now: null, learnt: null });
    await search();
    const preview = await previewWeights(services, id, 'person');
    expect(preview).toMatchObject({ now: null, learnt: expect.any(Number) });
    expect(preview?.changes.length).toBeGreaterThan(0);
    const number = await takeWeights(services, id, 'person');
    expect(number).toBe(preview?.learnt);
    expect(await previewWeights(services, id, 'person')).toMatchObject({ now: number, learnt: null, changes: [] });
  });
});
