import { join } from 'node:path';
import { emptyContent, type ItemState, type Step, type WorkflowContent, type WriteStep } from '@golden/core';
import { type Listening, listen, type PostRoom, postMailboxes, postRoom } from '@golden/standins';
import fc from 'fast-check';
import type { Hono } from 'hono';
import { simpleParser } from 'mailparser';
import { makeDoor } from '../doors/door-app.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import { productAroundEach } from '../testing/around.ts';
import { checkNow, decide, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt } from '../testing/drop.ts';
import { addMailboxes, us } from '../testing/mail-desk.ts';
import { customer, fieldFilling, openServices, placeOf } from '../testing/world.ts';
import { connectList, listApp } from './list-connector.ts';
import { listUnsubscribed, takeBack, unsubscribe } from './unsubscribes.ts';

// News to customers of the shop, by mail. The truth is looked for in the mailboxes of those who were written to, and in
// when each of them unsubscribed; our own tables are asked only for the books.

afterEach(async () => {
  expect(await unbalanced(around.services)).toEqual([]);
  await web.close();
  await room.close();
});

const around = productAroundEach();
const [minute, hour, day] = [60_000, 3_600_000, 86_400_000];
const publicAddress = 'https://relay.saltmarsh.example';

let room: PostRoom;
let web: Listening;
let mailbox = '';
let door: Hono;
beforeEach(async () => {
  room = postRoom(join(around.world.folder, 'post.sqlite'));
  await room.listen(0, 0);
  web = await listen(room.app, 0);
  const { services } = around;
  await saveSettings(services.db, { ...(await loadSettings(services.db)), workspace: 'Saltmarsh', publicAddress });
  const settings = { address: `${web.url}/api`, user: us };
  mailbox = (
    await services.connections.add({ app: 'post_room', name: 'Post', settings, key: postMailboxes[0]?.password ?? '' })
  ).id;
  door = makeDoor(services);
});
const clock = () => around.services.seams as TestClock;
const text = (value: string) => ({ kind: 'fixed' as const, value });
const emailOf = (who: string): string => `${who}@clay.example`;

/** A customer of the shop with a mailbox; the shop's box for news is ticked unless it is said otherwise. */
function add(who: string, newsletter = true): void {
  if (!room.imap.foldersOf(emailOf(who)).length) addMailboxes(room, [emailOf(who)]);
  around.world.shop.store.add(customer({ first_name: who, last_name: 'Holm', email: emailOf(who), newsletter }));
}

/** The mails in somebody's mailbox, as they are read there. */
const mailsOf = (who: string) => Promise.all(rawOf(who).map((raw) => simpleParser(Buffer.from(raw, 'latin1'))));
const rawOf = (who: string): string[] => (room.imap.foldersOf(emailOf(who))[0]?.messages ?? []).map(({ raw }) => raw);
const countOf = (who: string): number => rawOf(who).length;

async function mail(more: Partial<WriteStep> = {}): Promise<WriteStep> {
  return {
    id: 'mail',
    kind: 'write',
    mode: 'append',
    purpose: 'news',
    target: await placeOf(around.services, mailbox, ['outgoing']),
    mapping: { '/to': fieldFilling('/email'), '/subject': text('Open day'), '/text': text('Come and see the kilns.') },
    ...more,
  };
}

const wait = (amount: number, id = 'wait'): Step => ({
  id,
  kind: 'wait',
  until: { kind: 'time', amount, unit: 'hours', from: 'step' },
});

async function live(steps: Step[], start: Partial<WorkflowContent['start']> = {}): Promise<string> {
  const { services, connected } = around;
  const content: WorkflowContent = {
    ...emptyContent('News'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      ...start,
    },
    steps,
  };
  const { id } = await services.workflows.add(content);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  await beat();
  return id;
}

async function beat(): Promise<void> {
  for (let at = 0; at < 2; at++) {
    await around.services.engine.tick();
    await around.services.engine.quiet();
  }
}
async function pass(milliseconds: number): Promise<void> {
  clock().pass(milliseconds);
  await beat();
}

const items = () =>
  around.services.db.selectFrom('item').select(['title', 'state', 'message', 'item_state']).orderBy('seq').execute();
const states = async () => (await items()).map(({ title, state }) => `${title} ${state}`);
const resultsOf = async (step: string): Promise<string[]> =>
  (await items()).map(({ item_state }) => {
    const result = JSON.parse(item_state).steps[step];
    return result ? [result.kind, result.why].filter(Boolean).join(': ') : '-';
  });

const press = (link: string, body?: string) =>
  door.request(link.replace(publicAddress, ''), {
    method: 'POST',
    ...(body !== undefined && { body, headers: { 'content-type': 'application/x-www-form-urlencoded' } }),
  });

test('news bears its link and the headers of RFC 8058; the button of a mail program stops what would come next', async () => {
  add('ada');
  add('ben');
  await live([await mail(), wait(1), await mail({ id: 'again' })]);
  const [first] = await mailsOf('ada');
  const link = /https:\/\/\S+/.exec(first?.text ?? '')?.[0] ?? '';
  expect(link).toContain(`${publicAddress}/go/unsubscribe/`);
  expect(first?.text).toContain('If you don’t want mails like this any more: ');
  expect(first?.headers.get('list')).toMatchObject({ unsubscribe: { url: link } });
  expect(rawOf('ada')[0]).toMatch(/^List-Unsubscribe-Post: List-Unsubscribe=One-Click\r$/m);

  // Mail programs and filters open links by themselves: that changes nothing, and tells nobody whose it is.
  const seen = await door.request(link.replace(publicAddress, ''));
  expect([seen.status, seen.headers.get('set-cookie')]).toEqual([200, null]);
  expect(await seen.text()).toContain('ad…@clay.example gets no more news');
  expect((await listUnsubscribed(around.services.db, '', { from: 0, most: 9 })).total).toBe(0);

  expect((await press(link, 'List-Unsubscribe=One-Click')).status).toBe(200);
  expect((await press(link, 'List-Unsubscribe=One-Click')).status).toBe(200);
  const list = await listUnsubscribed(around.services.db, '', { from: 0, most: 9 });
  expect(list.rows.map(({ contact, how }) => `${contact} ${how}`)).toEqual(['ada@clay.example one_click']);
  await pass(2 * hour);
  expect([countOf('ada'), countOf('ben')]).toEqual([1, 2]);
  expect(await states()).toEqual(['ada Holm delivered', 'ben Holm delivered']);
  expect(await resultsOf('again')).toEqual([
    expect.stringMatching(/^not_sent: ada@clay.example unsubscribed on/),
    'written',
  ]);
});

test('a link that was guessed, cut off or comes from a trial unsubscribes nobody', async () => {
  add('ada');
  const id = await live([await mail()]);
  const [first] = await mailsOf('ada');
  const link = /https:\/\/\S+/.exec(first?.text ?? '')?.[0] ?? '';
  for (const bad of [link.replace(/.(?=\/mail$)/, (last) => (last === 'a' ? 'b' : 'a')), link.slice(0, -9), `${link}x`])
    expect([404, 200]).toContain((await press(bad)).status);
  // Somebody new, and tried before they are taken in.
  add('ben');
  const sample = (await around.services.engine.samples.of(id, true)).find(
    ({ record }) => record['first_name'] === 'ben',
  );
  await around.services.engine.sendOne(id, sample?.id ?? '', us);
  const tried = await simpleParser(Buffer.from(room.imap.foldersOf(us)[0]?.messages.at(-1)?.raw ?? '', 'latin1'));
  const ofTrial = /https:\/\/\S+/.exec(tried.text ?? '')?.[0] ?? '';
  expect(await (await press(ofTrial)).text()).toContain('Nothing is sent by this link');
  expect((await listUnsubscribed(around.services.db, '', { from: 0, most: 9 })).total).toBe(0);
});

test('who says no in their own app gets no news, and is told of; service reaches them, also when they unsubscribed', async () => {
  add('ada', false);
  add('ben');
  await around.services.commits.run((trx) =>
    unsubscribe(around.services, trx, { contact: emailOf('ben'), how: 'person' }),
  );
  await live([await mail(), await mail({ id: 'bill', purpose: 'service' })]);
  expect(await resultsOf('mail')).toEqual([
    'not_sent: “newsletter” is “no”.',
    expect.stringMatching(/^not_sent: ben@clay.example unsubscribed on/),
  ]);
  expect([countOf('ada'), countOf('ben')]).toEqual([1, 1]);
  expect((await mailsOf('ada'))[0]?.text).not.toContain('/go/unsubscribe');
});

test('a rehearsal says who wouldn’t be written to', async () => {
  add('ada');
  add('ben');
  const { services, connected } = around;
  await services.commits.run((trx) => unsubscribe(services, trx, { contact: emailOf('ben'), how: 'list' }));
  const { id } = await services.workflows.add({
    ...emptyContent('News'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
    },
    steps: [await mail()],
  });
  await services.engine.rehearse(id, 'all');
  await services.engine.rehearsals.wait(id);
  const rows = await services.db.selectFrom('rehearsal_item').select('item_state').orderBy('at').execute();
  expect(rows.map(({ item_state }) => JSON.parse(item_state).steps.mail.kind)).toEqual(['written', 'not_sent']);
  expect(countOf('ada')).toBe(0);
});

test('news above the daily limit to a person goes out the next day, service isn’t held and counts', async () => {
  const { services } = around;
  await saveSettings(services.db, { ...(await loadSettings(services.db)), news: { mostADay: 2, calendar: '' } });
  add('ada');
  await live([
    await mail({ id: 'bill', purpose: 'service' }),
    await mail({ id: 'one' }),
    await mail({ id: 'two' }),
    await mail({ id: 'three' }),
  ]);
  expect(countOf('ada')).toBe(2);
  expect((await items())[0]?.message).toContain('ada@clay.example has had 2 today');
  await pass(day);
  expect(countOf('ada')).toBe(4);
  expect(await states()).toEqual(['ada Holm delivered']);
});

test('a workflow that may send so many a day sends the rest on the days after, each to one person once', async () => {
  const people = ['ada', 'ben', 'cyd', 'dee', 'eli'];
  for (const who of people) add(who);
  await live([await mail()], { messagesADay: 2 });
  const sums: number[] = [];
  for (let days = 0; days < 3; days++) {
    const counts = people.map(countOf);
    expect(Math.max(...counts)).toBe(1);
    sums.push(counts.reduce((sum, one) => sum + one, 0));
    await pass(day);
  }
  expect(sums).toEqual([2, 4, 5]);
});

test('one person is in it once at a time, by whatever record; when it has ended they may come again', async () => {
  add('ada');
  await live([wait(1), await mail()], { once: '/email' });
  add('ada');
  await checkNow(around.services, (await around.services.workflows.list())[0]?.id ?? '');
  await beat();
  expect(await states()).toEqual(['ada Holm waiting', 'ada Holm left_out']);
  expect((await items())[1]?.message).toContain('ada@clay.example is in it already, with “ada Holm”.');
  // A rehearsal of all of them says the same, whoever comes first there.
  const [{ id: workflow } = { id: '' }] = await around.services.workflows.list();
  await around.services.engine.rehearse(workflow, 'all');
  await around.services.engine.rehearsals.wait(workflow);
  const rehearsed = await around.services.db.selectFrom('rehearsal_item').select(['state', 'message']).execute();
  expect(rehearsed.map(({ state }) => state).sort()).toEqual(['delivered', 'left_out']);
  await pass(2 * hour);
  expect(countOf('ada')).toBe(1);
  add('ada');
  await checkNow(around.services, (await around.services.workflows.list())[0]?.id ?? '');
  await pass(2 * hour);
  expect(countOf('ada')).toBe(2);
});

test('the list is a place: who is put on it starts a workflow, and one writes to it; nobody gets on it twice', async () => {
  const { services, connected } = around;
  await connectList(services.connections);
  await connectList(services.connections);
  const own = (await services.connections.list()).filter(({ app }) => app === listApp);
  expect(own).toHaveLength(1);
  const list = own[0]?.id ?? '';
  const content: WorkflowContent = {
    ...emptyContent('Withdrawn in the shop'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
    },
    steps: [
      {
        id: 'put',
        kind: 'write',
        mode: 'append',
        target: await placeOf(services, list, ['list']),
        mapping: { '/email': fieldFilling('/email'), '/said': text('in the shop') },
      },
    ],
  };
  add('ada');
  add('ada');
  const { id } = await services.workflows.add(content);
  await services.engine.finish((await services.engine.makeLive(id)).run);
  const found = await listUnsubscribed(services.db, 'ADA', { from: 0, most: 9 });
  expect(found.rows.map(({ contact, how, said }) => [contact, how, said])).toEqual([
    ['ada@clay.example', 'workflow', 'in the shop'],
  ]);
  const connector = await services.connections.connector(list);
  const { records } = await connector.list({ path: ['list'] });
  expect(records.map(({ record }) => record['email'])).toEqual(['ada@clay.example']);

  // Only a person gives a consent back, and that they did stays on record.
  await expect(connector.remove(['list'], records[0]?.id ?? '', undefined)).rejects.toThrow('Only a person');
  await services.commits.run((trx) => takeBack(services, trx, found.rows[0]?.id ?? '', 'asked for it by phone'));
  expect((await connector.list({ path: ['list'] })).records).toEqual([]);
  expect((await listUnsubscribed(services.db, '', { from: 0, most: 9 })).rows[0]?.back?.why).toBe(
    'asked for it by phone',
  );
});

const people = ['ada', 'ben', 'cyd'];
const happening = fc.oneof(
  fc.record({ do: fc.constant('add' as const), who: fc.constantFrom(...people) }),
  fc.record({ do: fc.constant('unsubscribe' as const), who: fc.constantFrom(...people) }),
  fc.record({ do: fc.constant('pass' as const), minutes: fc.constantFrom(10, 61, 125) }),
  fc.record({ do: fc.constant('check' as const) }),
  fc.record({ do: fc.constant('drop' as const), at: fc.constantFrom('intent:before-store', 'intent:after-store') }),
);

test('whatever happens in whatever order: nothing is sent after an unsubscribe, nothing twice, and nobody is left out without it', async () => {
  let round = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(happening, { minLength: 4, maxLength: 12 }), async (all) => {
      round += 1;
      const named = (who: string): string => `${who}${round}`;
      const id = await live([wait(1), await mail(), wait(1, 'later'), await mail({ id: 'again' })]);
      try {
        await happens(all, id, named);
      } finally {
        await around.services.engine.switchOff(id);
      }
    }),
    { numRuns: 8 },
  );
});

type Happening = typeof happening extends fc.Arbitrary<infer One> ? One : never;

/** Lets it happen to a workflow, then lets all that waits come, and compares the mailboxes with it. */
async function happens(all: readonly Happening[], id: string, named: (who: string) => string): Promise<void> {
  const customers = new Map<string, number>();
  const since = new Map<string, number>();
  const check = (): Promise<unknown> => checkNow(around.services, id);
  for (const one of all) {
    if (one.do === 'add') {
      add(named(one.who));
      customers.set(one.who, (customers.get(one.who) ?? 0) + 1);
      await check();
    } else if (one.do === 'unsubscribe') {
      const contact = emailOf(named(one.who));
      const { services } = around;
      await services.commits.run((trx) => unsubscribe(services, trx, { contact, how: 'link' }));
      if (!since.has(one.who)) since.set(one.who, countOf(named(one.who)));
    } else if (one.do === 'pass') await pass(one.minutes * minute);
    else if (one.do === 'check') await check();
    else await dropDuring(one.at as 'intent:before-store');
  }
  await check();
  for (let hours = 0; hours < 4; hours++) await pass(hour);
  // Nobody can tell by then whether what was about to leave has left: a person looked, it hasn't.
  for (const { id: item, item_state } of await unsure())
    await decide(around.services, item, { kind: 'send_again', step: openStep(item_state) });
  for (let hours = 0; hours < 4; hours++) await pass(hour);
  for (const who of people) {
    const count = countOf(named(who));
    const whole = 2 * (customers.get(who) ?? 0);
    expect({ who, count }).toEqual({ who, count: since.get(who) ?? whole });
  }
}

const unsure = () =>
  around.services.db.selectFrom('item').select(['id', 'item_state']).where('cause', '=', 'unsure').execute();
const openStep = (state: string): string =>
  Object.entries((JSON.parse(state) as ItemState).steps).find(([, { kind }]) => kind === 'unsettled')?.[0] ?? '';

/** The process ends where a message is about to leave, if one does within an hour, and the next takes up what it left. */
async function dropDuring(point: 'intent:before-store' | 'intent:after-store'): Promise<void> {
  let isDropped = false;
  const dropped = dropAt(around.services, point).then(() => {
    isDropped = true;
  });
  const passed = pass(hour + minute).catch(() => undefined);
  await Promise.race([dropped, passed]);
  if (!isDropped) {
    clock().onReach = () => undefined;
    await passed;
    return;
  }
  around.services = await openServices(around.world, { seams: clock().next() });
  door = makeDoor(around.services);
  await around.services.engine.resume();
  await around.services.engine.quiet();
}
