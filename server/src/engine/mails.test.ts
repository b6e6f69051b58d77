import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  emptyContent,
  type Filling,
  type Step,
  startId,
  type WorkflowContent,
  type WriteStep,
  withAfterwards,
} from '@golden/core';
import { type Listening, listen, type PostRoom, postMailboxes, postRoom, type TroubleKind } from '@golden/standins';
import fc from 'fast-check';
import { simpleParser } from 'mailparser';
import type { KillPoint } from '../seams.ts';
import type { Services } from '../services.ts';
import { settled, unbalanced, until } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt, pointsOfReturned } from '../testing/drop.ts';
import { addMailboxes, answersIn, customersOf, keepPeople, servicesIn, us } from '../testing/mail-desk.ts';
import { fieldFilling, placeOf } from '../testing/world.ts';

// Mails in, answers out. The truth is looked for in the mailboxes of those who wrote: each mail of a person has one
// answer there, or its item says why not; nobody else has any. Our own tables are asked only for that reason.

const customers = customersOf(6);

interface Desk {
  readonly folder: string;
  readonly room: PostRoom;
  readonly web: Listening;
  services: Services;
  readonly mailbox: string;
}

let desk: Desk;

async function openDesk(): Promise<Desk> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-mails-'));
  const room = postRoom(':memory:');
  addMailboxes(room, customers);
  await room.listen(0, 0);
  const web = await listen(room.app, 0);
  const services = await servicesIn(folder);
  const { id } = await services.connections.add({
    app: 'post_room',
    name: 'Post room',
    settings: { address: `${web.url}/api`, user: us },
    key: postMailboxes[0]?.password ?? '',
  });
  return { folder, room, web, services, mailbox: id };
}

async function closeDesk({ services, web, room, folder }: Desk): Promise<void> {
  await services.close();
  await web.close();
  await room.close();
  rmSync(folder, { recursive: true, force: true });
}

const letter: Filling = {
  kind: 'text',
  parts: [
    { kind: 'words', text: 'Dear ' },
    { kind: 'field', ref: { step: startId, path: '/true_sender/first_name' }, otherwise: 'customer' },
    { kind: 'words', text: ',\n\nthank you for “' },
    { kind: 'field', ref: { step: startId, path: '/subject' } },
    { kind: 'words', text: '”.' },
  ],
  tidies: [],
};

/** A draft that answers every mail that a person wrote. */
async function answering(
  { services, mailbox }: Desk,
  fromWhen: 'all' | 'now' = 'all',
  after: (answer: WriteStep) => Step[] = () => [],
): Promise<string> {
  const answer: WriteStep = {
    id: 'answer',
    kind: 'write',
    target: await placeOf(services, mailbox, ['answers']),
    mode: 'append',
    mapping: {
      '/to': fieldFilling('/reply_to'),
      '/subject': fieldFilling('/subject'),
      '/text': letter,
      '/message_id': fieldFilling('/message_id'),
    },
  };
  const content: WorkflowContent = {
    ...emptyContent('Answers'),
    start: {
      source: await placeOf(services, mailbox, ['folder:INBOX']),
      on: 'added',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: fromWhen },
    },
    steps: [keepPeople, answer, ...after(answer)],
  };
  return (await services.workflows.add(content)).id;
}

const answersThere = ({ room }: Desk) => answersIn(room, customers);

const items = ({ services }: Desk) =>
  services.db.selectFrom('item').select(['id', 'source_id', 'state', 'cause', 'message']).orderBy('seq').execute();

let written = 0;
/** A customer writes; gives the Message-ID. */
function writes({ room }: Desk, who: number, headers: Readonly<Record<string, string>> = {}): Promise<string> {
  written += 1;
  const from = customers[who % customers.length] as string;
  return room.delivery.write({
    from: `Ada Holm <${from}>`,
    to: [us],
    subject: `Question ${written}`,
    text: 'Is it?',
    headers,
  });
}

beforeEach(async () => {
  desk = await openDesk();
});
afterEach(() => closeDesk(desk));

test('each mail is answered once to who wrote it, an automatic one never; the same look again answers nothing', async () => {
  const asked = [await writes(desk, 0), await writes(desk, 1), await writes(desk, 0)];
  await writes(desk, 2, { 'Auto-Submitted': 'auto-replied' });
  await writes(desk, 3, { 'List-Id': '<potters.lists.example>' });
  const id = await answering(desk);
  const { engine } = desk.services;
  await engine.finish((await engine.makeLive(id)).run);
  for (let at = 0; at < 3; at++) await engine.finish(await engine.checkNow(id));
  expect(answersThere(desk)).toEqual(new Map(asked.map((mail, at) => [mail, [customers[at === 1 ? 1 : 0]]])));
  expect((await items(desk)).map(({ state }) => state).sort()).toEqual([
    'delivered',
    'delivered',
    'delivered',
    'left_out',
    'left_out',
  ]);
  const [raw = ''] = desk.room.imap.foldersOf(customers[1] ?? '')[0]?.messages.map((one) => one.raw) ?? [];
  const mail = await simpleParser(Buffer.from(raw, 'latin1'));
  expect(mail.text?.trim()).toMatch(/^Dear Ada,\n\nthank you for “Question \d+”\.$/);
});

test('from now on: what lies there is noted, a mail that comes is told at once and answered without a look being due', async () => {
  await writes(desk, 0);
  const id = await answering(desk, 'now');
  const { engine } = desk.services;
  await engine.finish((await engine.makeLive(id)).run);
  await engine.finish(await engine.checkNow(id));
  expect(answersThere(desk).size).toBe(0);
  await engine.start();
  // Whoever listens is told of what came before it listened, too.
  const mail = await writes(desk, 1);
  await until(() => answersThere(desk).size > 0);
  await engine.quiet();
  expect(answersThere(desk)).toEqual(new Map([[mail, [customers[1]]]]));
  // The line breaks off, and is there again.
  desk.room.imap.breakOff();
  const later = await writes(desk, 2);
  (desk.services.seams as TestClock).pass(61_000);
  await until(() => answersThere(desk).has(later));
  await engine.quiet();
  expect(answersThere(desk).get(later)).toEqual([customers[2]]);
});

test('one that is sent for real goes to oneself, is told for whom it was, and can be taken back and sent to them', async () => {
  const mail = await writes(desk, 0);
  const id = await answering(desk);
  const { engine } = desk.services;
  const [sample] = await engine.samples.of(id, true);
  const item = await engine.sendOne(id, sample?.id ?? '', 'mira@saltmarsh.example');
  expect(answersThere(desk).size).toBe(0);
  const [raw = ''] = desk.room.imap.foldersOf('mira@saltmarsh.example')[0]?.messages.map((one) => one.raw) ?? [];
  const tried = await simpleParser(Buffer.from(raw, 'latin1'));
  expect(tried.subject).toBe(`Re: For ${customers[0]}: Question ${written}`);
  expect(await desk.services.undos.prospectOf(item)).toMatchObject({ kind: 'back' });
  await engine.takeBack(item);
  await engine.finish((await engine.makeLive(id)).run);
  expect(answersThere(desk)).toEqual(new Map([[mail, [customers[0]]]]));
  expect(desk.room.imap.foldersOf('mira@saltmarsh.example')[0]?.messages).toHaveLength(1);
});

test('what has really gone out can’t be taken back, and nothing is changed by trying', async () => {
  await writes(desk, 0);
  const id = await answering(desk);
  const { engine } = desk.services;
  const [sample] = await engine.samples.of(id, true);
  const item = await engine.sendOne(id, sample?.id ?? '');
  expect(await desk.services.undos.prospectOf(item)).toMatchObject({ kind: 'only_sent' });
  await expect(engine.takeBack(item)).rejects.toThrow('What has gone out can’t be taken back');
  expect((await items(desk)).map(({ state }) => state)).toEqual(['delivered']);
});

test('afterwards it is put away, once it is answered; one that isn’t stays where it is, and goes when it is settled', async () => {
  await writes(desk, 0);
  await writes(desk, 1, { 'Auto-Submitted': 'auto-replied' });
  const id = await answering(desk);
  const { workflows, engine } = desk.services;
  const { draft, draftRev } = await workflows.get(id);
  await workflows.saveDraft(id, withAfterwards(draft, { kind: 'move', folder: 'Done' }), draftRev);
  desk.room.state.troubles.set('conflict', 1);
  await engine.finish((await engine.makeLive(id)).run);
  const holds = (path: string): number =>
    desk.room.imap.foldersOf(us).find((one) => one.path === path)?.messages.length ?? 0;
  expect([holds('INBOX'), holds('Done')]).toEqual([2, 0]);
  const [item] = (await items(desk)).filter(({ state }) => state === 'unsettled');
  expect(item).toMatchObject({ cause: 'refused' });
  await engine.decide(item?.id ?? '', { kind: 'retry' });
  await engine.finish(await engine.checkNow(id));
  // The automatic one was left out before, and stays.
  expect([holds('INBOX'), holds('Done'), answersThere(desk).size]).toEqual([1, 1, 1]);
  await engine.finish(await engine.checkNow(id));
  expect((await items(desk)).map(({ state }) => state).sort()).toEqual(['delivered', 'left_out']);
});

describe('a mail that comes back', () => {
  /** A mail of somebody whose mailbox is gone by the time they are answered, with its item. */
  async function cameBack(after?: Parameters<typeof answering>[2]): Promise<string> {
    await desk.room.delivery.write({
      from: 'Gone <gone@nowhere.example>',
      to: [us],
      subject: 'Do you buy?',
      text: 'Old kilns?',
    });
    const id = await answering(desk, 'all', after);
    const { engine } = desk.services;
    await engine.finish((await engine.makeLive(id)).run);
    expect((await items(desk)).map(({ state }) => state)).toEqual([after ? 'waiting' : 'delivered']);
    return id;
  }
  const look = async (): Promise<void> => {
    (desk.services.seams as TestClock).pass(6 * 60_000);
    await desk.services.engine.tick();
    await desk.services.engine.quiet();
  };

  test('needs somebody, with the server’s words; sent to another address it is there once, and isn’t asked again', async () => {
    await cameBack();
    await look();
    const [item] = (await items(desk)).filter(({ state }) => state === 'unsettled');
    expect(item).toMatchObject({
      cause: 'returned',
      message: expect.stringMatching(/^It didn’t reach gone@nowhere\.example: 550 5\.1\.1/),
    });
    expect(await unbalanced(desk.services)).toEqual([]);
    const values = { '/to': customers[0] ?? '' };
    await desk.services.engine.decide(item?.id ?? '', { kind: 'set', step: 'answer', values });
    await look();
    await look();
    // The report itself is a mail too: a mail server wrote it, and nobody answers.
    expect((await items(desk)).map(({ state }) => state).sort()).toEqual(['delivered', 'left_out']);
    expect([...answersThere(desk).values()]).toEqual([[customers[0]]]);
  });

  test('what waits for its next mail is asked about as well: nothing more goes to an address that nobody reads', async () => {
    const wait: Step = {
      id: 'wait',
      kind: 'wait',
      until: { kind: 'time', amount: 3, unit: 'days', from: 'start' },
    };
    await cameBack((answer) => [wait, { ...answer, id: 'more' }]);
    await look();
    const [item] = (await items(desk)).filter(({ state }) => state === 'unsettled');
    expect(item).toMatchObject({ cause: 'returned' });
    (desk.services.seams as TestClock).pass(4 * 24 * 3_600_000);
    await look();
    expect((await items(desk)).map(({ state }) => state)).not.toContain('delivered');
    expect(desk.room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages).toHaveLength(1);
    await desk.services.engine.decide(item?.id ?? '', { kind: 'dismiss', reason: 'nobody reads it' });
    expect(await desk.services.db.selectFrom('park').selectAll().execute()).toEqual([]);
    expect(await unbalanced(desk.services)).toEqual([]);
  });

  test('what somebody has told in another way stands as it is, however often the report is seen', async () => {
    await cameBack();
    await look();
    const [item] = (await items(desk)).filter(({ state }) => state === 'unsettled');
    await desk.services.engine.decide(item?.id ?? '', { kind: 'accept', step: 'answer' });
    await look();
    await look();
    expect((await items(desk)).filter(({ state }) => state === 'unsettled')).toEqual([]);
    expect(desk.room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages).toHaveLength(1);
  });

  test.each(pointsOfReturned)('a process that ends at “%s” has told it, once', async (at) => {
    await cameBack();
    const clock = (desk.services.seams as TestClock).next();
    clock.pass(6 * 60_000);
    const ended = dropAt(desk.services, at);
    void look().catch(() => undefined);
    await ended;
    desk.services = await servicesIn(desk.folder, clock);
    await desk.services.engine.resume();
    await look();
    expect((await items(desk)).filter(({ state }) => state === 'unsettled')).toMatchObject([{ cause: 'returned' }]);
    const told = await desk.services.db.selectFrom('journal').select('kind').where('kind', '=', 'returned').execute();
    expect(told).toHaveLength(1);
  });
});

describe('a wait that an answer ends', () => {
  /** Somebody is answered, and written to once more after three days unless they have answered by then. */
  async function followedUp(): Promise<string> {
    await writes(desk, 0);
    const inbox = await placeOf(desk.services, desk.mailbox, ['folder:INBOX']);
    const wait: Step = {
      id: 'wait',
      kind: 'wait',
      until: { kind: 'time', amount: 3, unit: 'days', from: 'start' },
      endings: [
        {
          id: 'ending-1',
          place: inbox,
          there: '/from/address',
          here: { step: startId, path: '/true_sender/address' },
          does: 'stops',
          ...(inbox.described.answers && { value: inbox.described.answers.byPerson }),
        },
      ],
    };
    const outgoing = await placeOf(desk.services, desk.mailbox, ['outgoing']);
    const id = await answering(desk, 'all', () => [
      wait,
      {
        id: 'more',
        kind: 'write',
        target: outgoing,
        mode: 'append',
        purpose: 'service',
        mapping: {
          '/to': fieldFilling('/reply_to'),
          '/subject': { kind: 'fixed', value: 'Still there?' },
          '/text': letter,
        },
      },
    ]);
    const { engine } = desk.services;
    await engine.finish((await engine.makeLive(id)).run);
    const sent = desk.room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages ?? [];
    return /^message-id:\s*(<[^>]+>)/im.exec(sent[0]?.raw ?? '')?.[1] ?? '';
  }

  async function passes(hours: number): Promise<void> {
    (desk.services.seams as TestClock).pass(hours * 3_600_000);
    await desk.services.engine.tick();
    await settled(desk.services);
  }

  /** How often the one who was answered is written to once more, by the fifth day. */
  async function timesWrittenTo(): Promise<number> {
    await passes(4 * 24);
    expect(await unbalanced(desk.services)).toEqual([]);
    const inbox = desk.room.imap.foldersOf(customers[0] as string).find(({ path }) => path === 'INBOX');
    return (inbox?.messages ?? []).filter(({ raw }) => /^subject: still there/im.test(raw)).length;
  }

  test.each<[string, number, (id: string) => Readonly<Record<string, string>>, number]>([
    ['nobody says anything of it', 1, () => ({}), 1],
    ['they write once more', 0, () => ({}), 0],
    [
      'they answer from another address',
      1,
      (id) => ({ 'In-Reply-To': id, References: `<first@clay.example> ${id}` }),
      0,
    ],
    ['a program of theirs names just what it answers', 1, (id) => ({ 'In-Reply-To': id }), 0],
    ['they answer a later mail of the thread', 1, (id) => ({ References: `${id} <later@clay.example>` }), 0],
    ['they are away: a program answers', 0, (id) => ({ 'In-Reply-To': id, 'Auto-Submitted': 'auto-replied' }), 1],
    ['somebody answers another mail', 1, () => ({ 'In-Reply-To': '<other@saltmarsh.example>' }), 1],
  ])('%s', async (_what, who, headers, times) => {
    const id = await followedUp();
    expect(id).toMatch(/^<[0-9a-f]{40}@/);
    await passes(1);
    await writes(desk, who, headers(id));
    expect(await timesWrittenTo()).toBe(times);
  });
});

test('a rehearsal sends nothing', async () => {
  await writes(desk, 0);
  const id = await answering(desk);
  const { writes: before } = desk.room.state;
  await desk.services.engine.rehearse(id, 'last_200');
  await desk.services.engine.rehearsals.wait(id);
  expect([desk.room.state.writes, answersThere(desk).size]).toEqual([before, 0]);
});

/** Where a process ends, and how often it passes there before. */
const points: readonly KillPoint[] = [
  'take-in:before-store',
  'take-in:after-store',
  'intent:before-store',
  'intent:after-store',
  'send:before',
  'send:after',
  'result:before-store',
  'result:after-store',
  'outcome:after-store',
];
const faults: readonly TroubleKind[] = ['break_off', 'fault', 'rate_limit', 'sign_out', 'down', 'conflict', 'slow'];

type Deed =
  | { readonly kind: 'write'; readonly who: number; readonly isAutomatic: boolean }
  | { readonly kind: 'check' }
  | { readonly kind: 'read' }
  | { readonly kind: 'renumber' }
  | { readonly kind: 'move' }
  | { readonly kind: 'fault'; readonly what: TroubleKind }
  | { readonly kind: 'kill'; readonly at: KillPoint; readonly passes: number };

const deed: fc.Arbitrary<Deed> = fc.oneof(
  {
    weight: 5,
    arbitrary: fc.record({
      kind: fc.constant('write' as const),
      who: fc.nat(5),
      isAutomatic: fc.nat(4).map((one) => one === 0),
    }),
  },
  { weight: 4, arbitrary: fc.constant({ kind: 'check' as const }) },
  fc.constant({ kind: 'read' as const }),
  fc.constant({ kind: 'renumber' as const }),
  fc.constant({ kind: 'move' as const }),
  { weight: 2, arbitrary: fc.record({ kind: fc.constant('fault' as const), what: fc.constantFrom(...faults) }) },
  {
    weight: 3,
    arbitrary: fc.record({ kind: fc.constant('kill' as const), at: fc.constantFrom(...points), passes: fc.nat(2) }),
  },
);

/** Somebody drags the oldest mail into another folder, and back. */
function drag({ room }: Desk): void {
  const [first] = room.imap.foldersOf(us).find(({ path }) => path === 'INBOX')?.messages ?? [];
  if (first) room.imap.put(us, 'INBOX', Buffer.from(first.raw, 'latin1'));
}

async function check({ services }: Desk, id: string): Promise<void> {
  await services.engine
    .checkNow(id)
    .then((run) => services.engine.finish(run))
    .catch(() => undefined);
  await services.engine.quiet();
}

async function killedAt(of: Desk, id: string, at: KillPoint, passes: number): Promise<void> {
  const clock = (of.services.seams as TestClock).next();
  let isOver = false;
  const ended = dropAt(of.services, at, passes).then(() => {
    isOver = true;
  });
  await Promise.race([check(of, id).catch(() => undefined), ended]);
  if (!isOver) await of.services.drop();
  of.services = await servicesIn(of.folder, clock);
  await of.services.engine.resume();
}

async function live(of: Desk, deeds: readonly Deed[]): Promise<{ people: string[]; others: string[] }> {
  const id = await answering(of);
  await of.services.engine.finish((await of.services.engine.makeLive(id)).run);
  const people: string[] = [];
  const others: string[] = [];
  for (const one of deeds) {
    if (one.kind === 'write')
      (one.isAutomatic ? others : people).push(
        await writes(of, one.who, one.isAutomatic ? { 'Auto-Submitted': 'auto-replied' } : {}),
      );
    else if (one.kind === 'read') of.room.imap.markRead(us, 'INBOX', 1);
    else if (one.kind === 'renumber') of.room.imap.renumber(us, 'INBOX');
    else if (one.kind === 'move') drag(of);
    else if (one.kind === 'fault') of.room.state.troubles.set(one.what, 1);
    else if (one.kind === 'check') await check(of, id);
    else await killedAt(of, id, one.at, one.passes);
  }
  of.room.state.troubles.clear();
  await of.services.engine.retryConnection(of.mailbox).catch(() => undefined);
  await settled(of.services);
  await check(of, id);
  await settled(of.services);
  await check(of, id);
  return { people, others };
}

test('whatever faults and deaths come between: each mail of a person is answered once or says why not, no other ever', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(deed, { minLength: 3, maxLength: 12 }), async (deeds) => {
      const of = await openDesk();
      try {
        const { people, others } = await live(of, deeds);
        const there = answersThere(of);
        const open = (await items(of)).filter(({ state }) => state === 'unsettled');
        for (const mail of people) {
          const answers = there.get(mail)?.length ?? 0;
          const reason = open.find(({ source_id }) => source_id.startsWith(`${mail.slice(1, -1)}#`));
          expect(answers).toBeLessThanOrEqual(1);
          if (answers === 0) expect(reason?.message).toEqual(expect.any(String));
        }
        for (const mail of others) expect(there.get(mail)).toBeUndefined();
        expect(await unbalanced(of.services)).toEqual([]);
      } finally {
        await closeDesk(of);
      }
    }),
    { numRuns: 8 },
  );
});

test.each(points)(
  'a process that ends at “%s” while mails are answered sends none twice and loses none',
  async (at) => {
    const id = await answering(desk);
    await desk.services.engine.finish((await desk.services.engine.makeLive(id)).run);
    const asked = [await writes(desk, 0), await writes(desk, 1), await writes(desk, 2)];
    await killedAt(desk, id, at, 1);
    await settled(desk.services);
    await check(desk, id);
    const there = answersThere(desk);
    const open = (await items(desk)).filter(({ state }) => state === 'unsettled');
    for (const mail of asked) {
      const isTold = open.some(({ source_id }) => source_id.startsWith(`${mail.slice(1, -1)}#`));
      // What was on its way when it was looked for may come after all: then somebody is asked, and it is there once.
      const answers = there.get(mail)?.length ?? 0;
      expect([answers, isTold]).toEqual([isTold ? Math.min(answers, 1) : 1, isTold]);
    }
    // Only a mail that was on its way may be for a person to look at.
    expect(open.length).toBeLessThanOrEqual(at === 'intent:after-store' || at === 'send:before' ? 3 : 0);
  },
);
