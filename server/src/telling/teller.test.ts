import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { text } from 'node:stream/consumers';
import type { JsonRecord, NeedToTell } from '@golden/core';
import { type Listening, listen, type PostRoom, postMailboxes, postRoom } from '@golden/standins';
import { type CloudEvent, HTTP } from 'cloudevents';
import { simpleParser } from 'mailparser';
import { makeApi } from '../api/app.ts';
import type { Services } from '../services.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { askApi } from '../testing/ask.ts';
import type { TestClock } from '../testing/clock.ts';
import { addMailboxes, servicesIn, us } from '../testing/mail-desk.ts';
import { tellerParts } from './parts.ts';
import { Teller } from './teller.ts';
import { nobodyTold, saveTelling, type Telling } from './telling.ts';

// Mails to whoever answers for the workflows, as they lie in their mailbox. Each test begins at noon of the workspace's clock.

const mira = 'mira@clay.example';
const hour = 60 * 60_000;

let folder: string;
let room: PostRoom;
let web: Listening;
let services: Services;
let mailbox: string;
const clock = () => services.seams as TestClock;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-told-'));
  room = postRoom(join(folder, 'post.sqlite'));
  addMailboxes(room, [mira]);
  await room.listen(0, 0);
  web = await listen(room.app, 0);
  services = await servicesIn(folder);
  const { id } = await services.connections.add({
    app: 'post_room',
    name: 'Post room',
    settings: { address: `${web.url}/api`, user: us },
    key: postMailboxes[0]?.password ?? '',
  });
  mailbox = id;
  const east = 12 - new Date(clock().now()).getUTCHours();
  const zone = `Etc/GMT${east > 0 ? '-' : '+'}${Math.abs(east)}`;
  await saveSettings(services.db, { ...(await loadSettings(services.db)), zone });
});
afterEach(async () => {
  await services.close();
  await web.close();
  await room.close();
  rmSync(folder, { recursive: true, force: true });
});

const tell = (more: Partial<Telling> = {}) =>
  saveTelling(services.db, { ...nobodyTold, connection: mailbox, to: mira, dailyAt: '', ...more });

async function mails(): Promise<{ subject: string; text: string }[]> {
  const { messages } = room.imap.foldersOf(mira).find(({ path }) => path === 'INBOX') ?? { messages: [] };
  return Promise.all(
    messages.map(async ({ raw }) => {
      const { subject = '', text = '' } = await simpleParser(Buffer.from(raw, 'latin1'));
      return { subject, text };
    }),
  );
}
const subjects = async () => (await mails()).map(({ subject }) => subject);

let needs: (NeedToTell & { key: string })[] = [];
/** A teller of the product, with what needs somebody in a test's hand. */
const withNeeds = (): Teller => new Teller({ ...tellerParts(services), needs: () => Promise.resolve(needs) });
const need = (key: string, count: number) => ({ key, count, workflow: 'Orders', message: `Case ${key}.` });

async function pass(milliseconds: number, teller = services.teller): Promise<void> {
  clock().pass(milliseconds);
  await teller.look();
}

test('the daily mail comes once a day, on quiet days too, whatever happens between; a restart brings no second one', async () => {
  await tell({ dailyAt: '07:30', onNeeds: false });
  await pass(0);
  expect(await subjects()).toHaveLength(1);
  for (let half = 0; half < 39; half++) await pass(hour / 2);
  const seams = clock().next();
  await services.close();
  services = await servicesIn(folder, seams);
  await pass(hour);
  await pass(hour);
  expect(await subjects()).toHaveLength(2);
  const [{ subject, text } = { subject: '', text: '' }] = await mails();
  expect(subject).toMatch(/^\w+day \d+ \w+: 0 records taken in, 0 delivered$/);
  expect(text).toContain('nothing needs you');
});

test('a mail server that is away is said on Today; the mail comes once it is back', async () => {
  await tell({ dailyAt: '07:30' });
  room.state.troubles.set('down', Number.POSITIVE_INFINITY);
  await pass(0);
  expect(await subjects()).toEqual([]);
  expect(services.teller.trouble).toMatch(/^What tells you could not be sent: ./);
  const today = async () => {
    const answer = await makeApi(services).request('/api/today', { headers: { host: 'localhost' } });
    return ((await answer.json()) as { trouble: string | null }).trouble;
  };
  expect(await today()).toBe(services.teller.trouble);
  room.state.troubles.clear();
  await pass(60_000);
  expect(await subjects()).toHaveLength(1);
  expect(await today()).toBeNull();
});

test('what needs somebody is told soon, once, several cases in one mail, and again when it comes back', async () => {
  await tell();
  const teller = withNeeds();
  needs = [];
  await pass(0, teller);
  expect(await subjects()).toEqual([]);
  needs = [need('a', 1)];
  await pass(60_000, teller);
  needs = [need('a', 2), need('b', 1)];
  for (let minutes = 0; minutes < 28; minutes++) await pass(60_000, teller);
  expect(await subjects()).toEqual(['1 case needs you']);
  for (let minutes = 0; minutes < 10; minutes++) await pass(60_000, teller);
  expect(await subjects()).toEqual(['1 case needs you', '3 cases need you']);
  needs = [need('b', 1)];
  await pass(hour, teller);
  needs = [need('a', 1), need('b', 1)];
  await pass(hour, teller);
  expect((await mails()).map(({ text }) => [text.includes('Case a.'), text.includes('Case b.')])).toEqual([
    [true, false],
    [true, true],
    [true, true],
  ]);
});

test('never at night: what comes then is told in the morning', async () => {
  await tell();
  const teller = withNeeds();
  needs = [];
  // From noon to half past eight in the evening.
  await pass(8.5 * hour, teller);
  needs = [need('a', 3)];
  for (let half = 0; half < 18; half++) await pass(hour / 2, teller);
  expect(await subjects()).toEqual([]);
  for (let half = 0; half < 4; half++) await pass(hour / 2, teller);
  expect(await subjects()).toEqual(['3 cases need you']);
});

test('while everything is stopped nobody is told; nor where nobody is to be', async () => {
  await pass(0);
  await tell({ dailyAt: '07:30' });
  await services.stopSwitch.stop('Stocktaking');
  await pass(hour);
  expect(await subjects()).toEqual([]);
  await services.stopSwitch.goOn();
  await pass(hour);
  expect(await subjects()).toHaveLength(1);
});

test('an address that is none is said before anything is saved; a mail to try it comes', async () => {
  const ask = (method: string, path: string, body: object) =>
    makeApi(services).request(path, {
      method,
      headers: { host: 'localhost', 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const wanted = { ...nobodyTold, connection: mailbox, to: `${mira}, Tom` };
  const refused = await ask('PUT', '/api/telling', wanted);
  expect([refused.status, await refused.text()]).toEqual([
    409,
    expect.stringContaining('“Tom” isn’t an e-mail address.'),
  ]);
  expect((await ask('PUT', '/api/telling', { ...wanted, to: mira })).status).toBe(200);
  expect((await ask('POST', '/api/telling/try', { ...wanted, to: mira })).status).toBe(200);
  expect(await subjects()).toEqual(['Golden Relay can reach you']);
});

describe('by posted events', () => {
  let posted: { headers: Record<string, string>; body: string }[];
  let refuses: boolean;
  let outside: Server;
  let address: string;

  beforeEach(async () => {
    posted = [];
    refuses = false;
    outside = createServer((request, response) => {
      void text(request).then((body) => {
        if (!refuses) posted.push({ headers: request.headers as Record<string, string>, body });
        response.writeHead(refuses ? 503 : 204).end();
      });
    }).listen(0, '127.0.0.1');
    await once(outside, 'listening');
    await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
    const { id } = await services.connections.add({
      app: 'web_address',
      name: 'Watch desk',
      settings: { address: `http://127.0.0.1:${(outside.address() as AddressInfo).port}/hooks`, header: 'X-Key' },
      key: 'a secret',
    });
    address = id;
  });
  afterEach(() => new Promise((resolve) => outside.close(resolve)));

  /** As the reference implementation of CloudEvents reads what was posted; it throws where that breaks its schema. */
  const events = () =>
    posted.map(({ headers, body }) => {
      const event = HTTP.toEvent({ headers, body }) as CloudEvent<JsonRecord>;
      event.validate();
      return event;
    });

  test('each is a valid CloudEvent with what the mail says, under the connection’s secret; the same once more bears the same id', async () => {
    await tell({ connection: address, to: '/told', dailyAt: '07:30' });
    const teller = withNeeds();
    needs = [need('a', 2)];
    refuses = true;
    await pass(0, teller);
    expect(teller.trouble).toMatch(/^What tells you could not be sent: ./);
    refuses = false;
    await pass(60_000, teller);
    expect(teller.trouble).toBeNull();
    needs = [need('a', 2), need('b', 1)];
    await pass(hour, teller);
    expect(events().map(({ type, data }) => [type, data?.['title']])).toEqual([
      ['golden-relay.daily', expect.stringMatching(/: 2 cases need you$/)],
      ['golden-relay.needs_you', '3 cases need you'],
    ]);
    expect(events()[1]?.data?.['needs']).toEqual([
      { workflow: 'Orders', count: 2, message: 'Case a.' },
      { workflow: 'Orders', count: 1, message: 'Case b.' },
    ]);
    expect(posted.map(({ headers }) => [headers['x-key'], headers['content-type']])).toEqual([
      ['a secret', 'application/cloudevents+json'],
      ['a secret', 'application/cloudevents+json'],
    ]);
    expect(await mails()).toEqual([]);
  });

  test('a case that comes back is another event; a process that ends before it noted the sending repeats the same one', async () => {
    await tell({ connection: address, to: '' });
    const teller = withNeeds();
    needs = [need('a', 1)];
    await pass(0, teller);
    // What was noted is lost, as in a crash right after the sending.
    await services.db.deleteFrom('setting').where('name', '=', 'told').execute();
    await pass(60_000, teller);
    needs = [];
    await pass(hour, teller);
    needs = [need('a', 1)];
    await pass(hour, teller);
    const [first, again, later] = events().map(({ id }) => id);
    expect(again).toBe(first);
    expect(later).not.toBe(first);
    expect(events()).toHaveLength(3);
  });

  test('it is offered, tried and saved without an e-mail address', async () => {
    const ask = <T>(method: string, path: string, body?: object) => askApi<T>(services, method, path, body);
    const { senders } = await ask<{ senders: object[] }>('GET', '/api/telling');
    expect(senders).toContainEqual({ id: address, name: 'Watch desk', kind: 'event' });
    const wanted = { ...nobodyTold, connection: address, to: '/told' };
    await ask('POST', '/api/telling/try', wanted);
    expect(events().map(({ type }) => type)).toEqual(['golden-relay.trial']);
    expect(await ask('PUT', '/api/telling', wanted)).toMatchObject({ telling: wanted });
  });
});
