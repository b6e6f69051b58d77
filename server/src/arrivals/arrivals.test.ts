import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, type Field, type Start, sentenceText, writeBrief } from '@golden/core';
import fc from 'fast-check';
import { connectorContract } from '../../../connectors/src/testing/contract.ts';
import { productAroundEach } from '../testing/around.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfArrivals } from '../testing/drop.ts';
import { fieldFilling, openServices, openWorld, placeOf, rowsOf, type World } from '../testing/world.ts';
import { type Came, joinFields } from './arrivals.ts';
import { copyBytes, hashOf } from './byte-store.ts';
import { readBody } from './read-body.ts';

// What comes by itself, from its storing to the row that is made of it. Judged by the rows that stand there.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
});
const around = productAroundEach();
const clock = () => around.services.seams as TestClock;

interface Inbox {
  readonly connection: string;
  readonly path: string[];
}

const addInbox = (): Promise<Inbox> =>
  around.services.arrivals.addInbox({ name: 'Enquiries', singular: 'enquiry', plural: 'enquiries' });

const came = (inbox: Inbox, key: string, content: unknown, more: Partial<Came> = {}): Came => ({
  inbox: inbox.path[0] as string,
  key,
  mediaType: 'application/json',
  headers: { 'content-type': 'application/json' },
  body: Buffer.from(JSON.stringify(content)),
  ...more,
});
const enquiry = (number: number) => ({ name: `Ada ${number}`, email: `ada${number}@clay.example`, about: 'kilns' });

async function post(...args: Parameters<typeof came>) {
  const stored = await around.services.arrivals.store(came(...args));
  await around.services.engine.quiet();
  await settled(around.services);
  return stored;
}

/** A live workflow that writes each enquiry onto the list. */
async function live(inbox: Inbox, start: Partial<Start> = {}): Promise<string> {
  const { services, connected } = around;
  // What it looks like is learnt from one that came before; that one is only noted.
  await post(inbox, 'before', enquiry(0));
  const empty = emptyContent('Enquiries onto the list');
  const source = await placeOf(services, inbox.connection, inbox.path);
  const { id } = await services.workflows.add({
    ...empty,
    start: {
      ...empty.start,
      source: { ...source, labels: ['Enquiries'] },
      trigger: { kind: 'event' },
      fromWhen: { kind: 'now' },
      ...start,
    },
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, connected.shelf, ['customers.xlsx', 'Customers']),
        mode: 'append',
        mapping: {
          '/Name': fieldFilling('/name'),
          '/E-mail': fieldFilling('/email'),
          '/Number': fieldFilling('/$arrival/id'),
        },
      },
    ],
  });
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  return id;
}

const rows = async (world: World = around.world) =>
  rowsOf(world.shelf.files.get('customers.xlsx')?.bytes ?? Buffer.alloc(0), 'Customers');
const keys = async () => (await rows()).map((row) => String(row['Number'])).sort();

test('what comes is a row as soon as it is there, and once however often it comes', async () => {
  const inbox = await addInbox();
  expect(await post(inbox, 'e-1', enquiry(1))).toEqual({ kind: 'new' });
  const id = await live(inbox, { fromWhen: { kind: 'all' } });
  expect(await keys()).toEqual(['before', 'e-1']);
  expect(await post(inbox, 'e-2', enquiry(2))).toEqual({ kind: 'new' });
  expect((await rows()).map((row) => row['Name'])).toEqual(['Ada 1', 'Ada 0', 'Ada 2']);
  expect(await post(inbox, 'e-2', { name: 'Somebody else' })).toEqual({ kind: 'repeat' });
  expect(await keys()).toEqual(['before', 'e-1', 'e-2']);
  const arrivals = await around.services.db.selectFrom('arrival').select(['key', 'repeats']).orderBy('seq').execute();
  expect(arrivals).toEqual([
    { key: 'e-1', repeats: 0 },
    { key: 'before', repeats: 0 },
    { key: 'e-2', repeats: 1 },
  ]);
  const { content } = await around.services.workflows.version(id, 1);
  expect(sentenceText(writeBrief(content, { [inbox.connection]: 'Inbox' })[0] as never)).toBe(
    'When an enquiry comes in at Enquiries, as soon as it meets the conditions, with everything that is there.',
  );
});

test('what came while the workflow was off is made up for, and a sample of it is as good as any', async () => {
  const inbox = await addInbox();
  await post(inbox, 'e-1', enquiry(1));
  const id = await live(inbox);
  await around.services.engine.switchOff(id);
  await post(inbox, 'e-2', enquiry(2));
  expect(await keys()).toEqual([]);
  await around.services.engine.switchOn(id);
  await around.services.engine.tick();
  await settled(around.services);
  expect(await keys()).toEqual(['e-2']);
  const samples = await around.services.engine.samples.of(id);
  expect(samples.map((sample) => sample.id).sort()).toEqual(['before', 'e-1', 'e-2']);
  await around.services.engine.rehearse(id, 'samples');
  await around.services.engine.rehearsals.wait(id);
  const rehearsed = await around.services.db.selectFrom('rehearsal_item').select('state').execute();
  expect(rehearsed.map(({ state }) => state)).toEqual(['delivered', 'delivered', 'delivered']);
  expect(await keys()).toEqual(['e-2']);
});

test('a field that the newest one lacks isn’t gone: nothing is stopped', async () => {
  const inbox = await addInbox();
  await live(inbox);
  await post(inbox, 'e-1', enquiry(1));
  await post(inbox, 'e-2', { name: 'Only a name' });
  await post(inbox, 'e-3', { ...enquiry(3), budget: 120, lines: [{ sku: 'CL-1' }] });
  expect(await keys()).toEqual(['e-1', 'e-2', 'e-3']);
  const { fields } = (await placeOf(around.services, inbox.connection, inbox.path)).described;
  expect(fields.map(({ path, type }) => `${path} ${type}`)).toEqual([
    '/$arrival/id id',
    '/$arrival/at instant',
    '/name text',
    '/email text',
    '/about text',
    '/budget integer',
    '/lines list',
  ]);
});

test('what is no record is kept with its reason, and starts nothing', async () => {
  const inbox = await addInbox();
  await live(inbox);
  const cut = { body: Buffer.from('{"name": "Ad') };
  expect(await post(inbox, 'cut', null, cut)).toMatchObject({
    kind: 'refused',
    message: expect.stringContaining('cut off'),
  });
  expect(await keys()).toEqual([]);
  const kept = await around.services.db
    .selectFrom('arrival')
    .select('body')
    .where('refused', 'is not', null)
    .executeTakeFirst();
  expect(Buffer.from(kept?.body ?? []).toString()).toBe('{"name": "Ad');
  const runs = await around.services.db.selectFrom('run').select('kind').execute();
  expect(runs.map(({ kind }) => kind)).toEqual(['first']);
});

describe('large ones lie in files', () => {
  const large = { ...enquiry(9), about: 'clay '.repeat(40_000) };
  const bytesFolder = () => join(around.world.folder, 'bytes');
  const filesIn = (folder: string): string[] =>
    existsSync(folder)
      ? readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) => /[0-9a-f]{64}$/.test(name))
      : [];

  test('by their hash, once, and come along with a copy that is made of the data', async () => {
    const inbox = await addInbox();
    await live(inbox);
    await post(inbox, 'big', large);
    await post(inbox, 'same', large);
    expect(await keys()).toEqual(['big', 'same']);
    const [file] = filesIn(bytesFolder());
    expect(filesIn(bytesFolder())).toHaveLength(1);
    expect(hashOf(readFileSync(join(bytesFolder(), file ?? '')))).toBe(file?.slice(3));
    const copy = await around.services.backups.make();

    // The copy is put into another folder, and read there.
    const other = await openWorld();
    const { folder } = around.services.backups;
    writeFileSync(join(other.folder, 'golden.sqlite'), readFileSync(join(folder, copy.name)));
    await copyBytes(join(folder, 'bytes'), join(other.folder, 'bytes'));
    const restored = await openServices(other);
    const connector = await restored.connections.connector(inbox.connection);
    expect((await connector.fetch(inbox.path, 'big'))?.record).toMatchObject(large);
    await restored.close();
    await other.close();
  });

  test('one whose row was never stored is swept away; one that is needed stays', async () => {
    const inbox = await addInbox();
    await post(inbox, 'big', large);
    mkdirSync(join(bytesFolder(), 'ab'), { recursive: true });
    writeFileSync(join(bytesFolder(), 'ab', `ab${'0'.repeat(62)}`), 'left behind');
    writeFileSync(join(bytesFolder(), 'broken.part'), 'left behind');
    await around.services.arrivals.sweep();
    expect(readdirSync(bytesFolder()).filter((name) => name.endsWith('.part'))).toEqual([]);
    expect(filesIn(bytesFolder())).toHaveLength(1);
    const connector = await around.services.connections.connector(inbox.connection);
    expect((await connector.fetch(inbox.path, 'big'))?.id).toBe('big');
  });

  test('a file that was changed is told of, instead of being read as a record', async () => {
    const inbox = await addInbox();
    await post(inbox, 'big', large);
    const [file = ''] = filesIn(bytesFolder());
    writeFileSync(join(bytesFolder(), file), '{}');
    const connector = await around.services.connections.connector(inbox.connection);
    await expect(connector.fetch(inbox.path, 'big')).rejects.toThrow('is damaged');
  });
});

test.each(pointsOfArrivals)(
  'the process ends at %s: what was answered is never lost, what is sent again never doubled',
  async (point) => {
    const inbox = await addInbox();
    await live(inbox);
    const ended = dropAt(around.services, point);
    let isAnswered = false;
    void around.services.arrivals
      .store(came(inbox, 'e-1', enquiry(1)))
      .then(() => {
        isAnswered = true;
      })
      .catch(() => undefined);
    await ended;
    expect(isAnswered).toBe(false);
    around.services = await openServices(around.world, { seams: clock().next() });
    await around.services.engine.resume();
    await around.services.engine.tick();
    await settled(around.services);
    // Whoever got no answer sends it again.
    await post(inbox, 'e-1', enquiry(1));
    expect(await keys()).toEqual(['e-1']);
  },
);

test('property: many at once, with repeats among them and restarts between: each is a row once', async () => {
  const inbox = await addInbox();
  await live(inbox);
  const posted = new Set<string>();
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 12 }), { maxLength: 4 }),
      fc.boolean(),
      async (bursts, reopens) => {
        for (const burst of bursts) {
          await Promise.all(
            burst.map((number) => around.services.arrivals.store(came(inbox, `k${number}`, enquiry(number)))),
          );
          for (const number of burst) posted.add(`k${number}`);
          if (!reopens) continue;
          await around.reopen({ seams: clock().next() });
          await around.services.engine.resume();
        }
        await around.services.engine.tick();
        await around.services.engine.quiet();
        await around.services.engine.tick();
        await settled(around.services);
        expect(await keys()).toEqual([...posted].sort());
      },
    ),
    { numRuns: 15 },
  );
});

test.each([
  ['a record', 'application/json; charset=utf-8', '{"a":1}', { a: 1 }],
  ['a kind of JSON', 'application/vnd.shop+json', '{"a":1}', { a: 1 }],
  ['a list', 'application/json', '[1,2]', { value: [1, 2] }],
  ['text', 'text/plain', 'Hello', { text: 'Hello' }],
])('a body that is %s', async (_name, type, body, record) => {
  expect(await readBody(type, Buffer.from(body))).toEqual({ ok: true, record });
});

test.each([
  ['cut off', 'application/json', Buffer.from('{"a":'), 'cut off'],
  ['in other signs', 'application/json', Buffer.from([0x22, 0xe4, 0x22]), 'UTF-8'],
  ['a picture', 'image/png', Buffer.from([0x89, 0x50]), 'image/png'],
  ['of no kind', '', Buffer.from('x'), '(none is said)'],
  ['nested deep', 'application/json', Buffer.from(`${'['.repeat(5000)}${']'.repeat(5000)}`), 'deep'],
])('a body that is %s is told of', async (_name, type, body, said) => {
  expect(await readBody(type, body)).toEqual({ ok: false, message: expect.stringContaining(said) });
});

test('fields that are learnt only grow, whatever order they come in', () => {
  const one: Field[] = [{ path: '/a', label: 'a', type: 'integer' }];
  const types = (...all: Field['type'][]): string | undefined =>
    all.reduce<Field[]>((known, type) => joinFields(known, [{ path: '/a', label: 'a', type }]), [])[0]?.type;
  expect(joinFields(one, [{ path: '/b', label: 'b', type: 'text' }]).map(({ path }) => path)).toEqual(['/a', '/b']);
  expect([types('any', 'date'), types('date', 'any')]).toEqual(['date', 'date']);
  expect([types('integer', 'decimal'), types('decimal', 'integer')]).toEqual(['decimal', 'decimal']);
  expect([types('integer', 'text'), types('boolean', 'date')]).toEqual(['text', 'text']);
  expect(types('text', 'list', 'text')).toBe('list');
});

connectorContract(
  'the inbox',
  async () => {
    const world = await openWorld();
    const services = await openServices(world);
    const inbox = await services.arrivals.addInbox({ name: 'Enquiries', singular: 'enquiry', plural: 'enquiries' });
    return {
      connector: await services.connections.connector(inbox.connection),
      path: inbox.path,
      values: (number) => ({ '/email': `ada${number}@clay.example` }),
      bring: async (number) => {
        await services.arrivals.store(came(inbox, `e-${number}`, enquiry(number)));
        return `e-${number}`;
      },
      key: '/email',
      change: { '/name': 'Ola' },
      close: async () => {
        await services.close();
        await world.close();
      },
    };
  },
  { writes: true, refusals: true, troubles: true },
);
