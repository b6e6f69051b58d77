import { mkdtempSync, rmSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { mostBytesOfMail } from '@golden/connectors';
import type { Filling, Step, WorkflowContent } from '@golden/core';
import { startId } from '@golden/core';
import { type Listening, listen, type PostRoom, postMailboxes, postRoom } from '@golden/standins';
import fc from 'fast-check';
import { createTransport } from 'nodemailer';
import type { SMTPServer } from 'smtp-server';
import { beginningOf } from '../../arrivals/beginnings.ts';
import type { KillPoint } from '../../seams.ts';
import type { Services } from '../../services.ts';
import { loadSettings, saveSettings } from '../../settings.ts';
import { settled, unbalanced } from '../../testing/checks.ts';
import type { TestClock } from '../../testing/clock.ts';
import { dropAt, pointsOfArrivals } from '../../testing/drop.ts';
import { addMailboxes, answersIn, customersOf, keepPeople, servicesIn, us } from '../../testing/mail-desk.ts';
import { fieldFilling, placeOf } from '../../testing/world.ts';
import { beginForwarding, sendProbe, takeAsConfirmation } from './forwarding.ts';
import { makeMailListener } from './mail-listener.ts';

// Mails to an address of a workflow's own. They are brought by another library's client and by the Post room's own mail
// server; what came of them is looked for in the mailboxes of those who wrote.

const customers = customersOf(3);

interface Desk {
  readonly folder: string;
  readonly room: PostRoom;
  readonly web: Listening;
  services: Services;
  listener: SMTPServer;
  port: number;
  readonly mailbox: string;
  /** The draft, its inbox, and the address that it has. */
  readonly workflow: string;
  readonly inbox: string;
  address: string;
}

/** Listens for one process; the port is kept for the next. */
async function listenFor(
  services: Services,
  port: number,
): Promise<{ readonly listener: SMTPServer; readonly port: number }> {
  const listener = makeMailListener(services);
  await new Promise<void>((resolve) => listener.listen(port, '127.0.0.1', resolve));
  const at = listener.server.address();
  return { listener, port: typeof at === 'object' && at ? at.port : 0 };
}

const answer: Filling = {
  kind: 'text',
  parts: [
    { kind: 'words', text: 'Thank you for “' },
    { kind: 'field', ref: { step: startId, path: '/subject' } },
    { kind: 'words', text: '”.' },
  ],
  tidies: [],
};

/** A draft that answers every mail of a person that comes to its address. */
async function answering(services: Services, mailbox: string): Promise<WorkflowContent> {
  const begun = await beginningOf(services, { kind: 'mail', name: 'Fragen für Kurse' });
  const write: Step = {
    id: 'answer',
    kind: 'write',
    target: await placeOf(services, mailbox, ['answers']),
    mode: 'append',
    mapping: {
      '/to': fieldFilling('/reply_to'),
      '/subject': fieldFilling('/subject'),
      '/text': answer,
      '/message_id': fieldFilling('/message_id'),
      '/kind': fieldFilling('/kind'),
      '/references': fieldFilling('/references'),
    },
  };
  return { ...begun, steps: [keepPeople, write] };
}

async function openDesk(): Promise<Desk> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-mail-doors-'));
  const services = await servicesIn(folder);
  const { listener, port } = await listenFor(services, 0);
  const room = postRoom(join(folder, 'post.sqlite'), { 'relay.localhost': `127.0.0.1:${port}` });
  addMailboxes(room, customers);
  await room.listen(0, 0);
  const web = await listen(room.app, 0);
  const { id: mailbox } = await services.connections.add({
    app: 'post_room',
    name: 'Post room',
    settings: { address: `${web.url}/api`, user: us },
    key: postMailboxes[0]?.password ?? '',
  });
  const content = await answering(services, mailbox);
  const inbox = content.start.source?.path[0] ?? '';
  const { address } = await services.mailDoors.of(inbox);
  const { id: workflow } = await services.workflows.add(content);
  return { folder, room, web, services, listener, port, mailbox, workflow, inbox, address };
}

async function closeDesk({ listener, services, web, room, folder }: Desk): Promise<void> {
  await ended(listener);
  await services.close();
  await web.close();
  await room.close();
  rmSync(folder, { recursive: true, force: true });
}

const ended = (listener: SMTPServer): Promise<void> => new Promise((resolve) => listener.close(() => resolve()));

let desk: Desk;
beforeEach(async () => {
  desk = await openDesk();
});
afterEach(() => closeDesk(desk));

interface Sent {
  readonly to?: string | readonly string[];
  readonly from?: string;
  readonly subject?: string;
  readonly text?: string;
  readonly messageId?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly size?: number;
}

/** Another library's client sends a mail to the port. @throws what the server says */
async function send({ port, address }: Desk, given: Sent = {}): Promise<void> {
  const {
    to = address,
    from = 'Ada Holm <ada@clay.example>',
    subject = 'Kiln',
    text = 'Is it blue?',
    size = 0,
  } = given;
  const transport = createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true });
  try {
    await transport.sendMail({
      from,
      to: [to].flat(),
      subject,
      text,
      ...(given.messageId !== undefined && { messageId: given.messageId }),
      headers: { ...given.headers },
      ...(size > 0 && {
        attachments: [{ filename: 'clay.bin', content: Buffer.alloc(size, 7), encoding: 'binary' as never }],
      }),
    });
  } finally {
    transport.close();
  }
}

const records = async ({ services, inbox }: Desk) => {
  const { draft } = await services.workflows.get(desk.workflow);
  const connector = await services.connections.connector(draft.start.source?.connection ?? '');
  return (await connector.list({ path: [inbox] })).records.map(({ record }) => record);
};
const refused = ({ services }: Desk) =>
  services.db.selectFrom('refusal').select(['status', 'reason', 'inbox_id', 'body']).orderBy('seq').execute();
const counts = ({ services, inbox }: Desk) =>
  services.db
    .selectFrom('arrival')
    .select(['key', 'repeats', 'is_test'])
    .where('inbox_id', '=', inbox)
    .orderBy('seq')
    .execute();

describe('a mail that comes', () => {
  test('is stored as a record like a mail in a mailbox, with its labelled lines as fields', async () => {
    expect(desk.address).toMatch(/^fragen-fur-kurse-[a-z0-9]{10}@relay\.localhost$/);
    await send(desk, { text: 'Phone: 01632 960 653\nCourse: Raku\n\nIs it blue?' });
    expect(await records(desk)).toMatchObject([
      {
        from: { name: 'Ada Holm', address: 'ada@clay.example' },
        subject: 'Kiln',
        kind: 'person',
        sender_proven: 'unproven',
        lines: { Phone: '01632 960 653', Course: 'Raku' },
      },
    ]);
    const { draft } = await desk.services.workflows.get(desk.workflow);
    const place = await placeOf(desk.services, draft.start.source?.connection ?? '', [desk.inbox]);
    const types = new Map(place.described.fields.map(({ path, type }) => [path, type]));
    expect([types.get('/lines/Course'), types.get('/from/address'), types.get('/kind')]).toEqual([
      'text',
      'email',
      'choice',
    ]);
    // What only a mailbox has isn't offered here.
    expect([types.has('/folder'), types.has('/read')]).toEqual([false, false]);
  });

  test('once more is a repeat; another one of the same program with the same id is a mail of its own', async () => {
    for (let at = 0; at < 3; at++)
      await send(desk, { messageId: '<one@clay.example>', headers: { Date: 'Mon, 2 Nov 2026 10:00:00 +0000' } });
    await send(desk, {
      messageId: '<one@clay.example>',
      subject: 'Glaze',
      headers: { Date: 'Mon, 2 Nov 2026 10:00:00 +0000' },
    });
    expect((await counts(desk)).map(({ repeats }) => repeats)).toEqual([2, 0]);
  });

  test('to an address that isn’t there, was there before, or is elsewhere, is refused, told and kept; nothing is passed on', async () => {
    const [local = ''] = desk.address.split('@');
    await expect(send(desk, { to: 'nobody@relay.localhost' })).rejects.toThrow('550 5.1.1 There is no such address');
    await expect(send(desk, { to: `${local}@elsewhere.example` })).rejects.toThrow(
      '550 5.7.1 Mails for elsewhere.example',
    );
    await expect(send(desk, { to: customers[0] as string })).rejects.toThrow('550 5.7.1');
    await desk.services.mailDoors.renew(desk.inbox);
    await expect(send(desk)).rejects.toThrow('550 5.1.6 This address is not in use any more');
    const { address } = await desk.services.mailDoors.of(desk.inbox);
    await send(desk, { to: address.toUpperCase() });
    expect(await records(desk)).toHaveLength(1);
    expect((await refused(desk)).map(({ status, inbox_id }) => [status, inbox_id])).toEqual([
      [550, null],
      [550, desk.inbox],
    ]);
    for (const one of customers) expect(desk.room.imap.foldersOf(one).flatMap(({ messages }) => messages)).toEqual([]);
  });

  test('of those who may not send is refused and kept whole; a name in a mail alone opens nothing', async () => {
    const { mailDoors } = desk.services;
    await mailDoors.change(desk.inbox, {
      senders: ['@clay.example', 'mira@saltmarsh.example'],
      trusted: 'mx.saltmarsh.example',
    });
    const proof = { 'Authentication-Results': 'mx.saltmarsh.example; dkim=pass header.d=clay.example' };
    await send(desk, { headers: proof });
    await expect(send(desk, { subject: 'forged' })).rejects.toThrow('hasn’t found that to be so');
    await expect(send(desk, { from: 'eve@notclay.example', headers: proof })).rejects.toThrow(
      'isn’t one of those who may send',
    );
    expect((await records(desk)).map((one) => [one['subject'], one['sender_proven']])).toEqual([['Kiln', 'proven']]);
    const kept = await refused(desk);
    expect(kept.map(({ status }) => status)).toEqual([550, 550]);
    expect(Buffer.from(kept[0]?.body ?? []).toString()).toContain('Subject: forged');
  });

  test('of 24 MB is taken, one of more than 25 MB is refused whether its size is said before or not', async () => {
    await send(desk, { size: mostBytesOfMail * 0.7 });
    await expect(send(desk, { size: mostBytesOfMail + 1 })).rejects.toThrow('552 5.3.4 It is larger than 25 MB');
    // Where its size is said before (RFC 1870), it is refused before it comes.
    const announced = await talk(desk.port, [
      'EHLO x',
      `MAIL FROM:<ada@clay.example> SIZE=${mostBytesOfMail + 1}`,
      'QUIT',
    ]);
    expect(announced.at(-2)).toMatch(/^552/);
    expect((await records(desk)).map((one) => one['has_attachments'])).toEqual([true]);
    expect((await refused(desk)).map(({ status, body }) => [status, body])).toEqual([[552, null]]);
  });

  test('for several addresses is in each inbox; who takes it has it, though another refuses', async () => {
    const { mailDoors } = desk.services;
    const { path: other } = await mailDoors.add('Other');
    const { address } = await mailDoors.of(other[0] ?? '');
    await send(desk, { to: [desk.address, address] });
    await mailDoors.change(desk.inbox, { senders: ['mira@saltmarsh.example'], trusted: '' });
    await send(desk, { to: [desk.address, address], subject: 'second' });
    const at = async (inbox: string) => (await counts({ ...desk, inbox })).length;
    expect([await at(desk.inbox), await at(other[0] ?? '')]).toEqual([1, 2]);
  });

  test('that breaks off before its end is nothing; what can’t be stored isn’t answered as taken', async () => {
    const socket = await talk(
      desk.port,
      ['HELO x', 'MAIL FROM:<ada@clay.example>', `RCPT TO:<${desk.address}>`, 'DATA', 'Subject: cut'],
      true,
    );
    expect(socket.at(-1)).toMatch(/^354/);
    expect(await counts(desk)).toEqual([]);
    const { commits } = desk.services;
    const run = jest.spyOn(commits, 'run').mockRejectedValueOnce(new Error('the disk is gone'));
    await expect(send(desk)).rejects.toThrow('451 4.3.0 It could not be stored');
    run.mockRestore();
    await send(desk);
    expect(await counts(desk)).toHaveLength(1);
  });

  test('broken or empty is a record with what could be read of it, never an error', async () => {
    const mails = [
      '',
      '\0\0\0',
      'From: =?utf-8?Q?=ZZ?= <\r\nSubject: =?x?B?!!?=\r\n\r\nbody',
      `Subject: ${'a'.repeat(20_000)}\r\n\r\nbody`,
    ];
    for (const [at, mail] of mails.entries()) {
      const said = await talk(desk.port, [
        'HELO x',
        'MAIL FROM:<>',
        `RCPT TO:<${desk.address}>`,
        'DATA',
        `${mail}\r\n.`,
        'QUIT',
      ]);
      expect(said).toEqual(expect.arrayContaining([expect.stringMatching(/^250 OK/)]));
      expect([mail.slice(0, 20), said.at(-2)]).toEqual([mail.slice(0, 20), expect.stringMatching(/^250/)]);
      expect(await records(desk)).toHaveLength(at + 1);
    }
  });
});

test('the domain that others reach is shown once it is set, and is proven by the first mail that comes under it', async () => {
  const { db, mailDoors } = desk.services;
  await saveSettings(db, { ...(await loadSettings(db)), mailDomain: 'in.clay.example' });
  const { address, isPublic, provenBy } = await mailDoors.of(desk.inbox);
  expect([address.split('@')[1], isPublic, provenBy]).toEqual(['in.clay.example', true, null]);
  await send(desk);
  expect((await mailDoors.of(desk.inbox)).provenBy).toBeNull();
  await send(desk, { to: address });
  expect((await mailDoors.of(desk.inbox)).provenBy).toBe('in.clay.example');
});

describe('forwarding from a mailbox', () => {
  const forwarding = async () => (await desk.services.mailDoors.of(desk.inbox)).forwarding;
  const post = (path: string, fields: Readonly<Record<string, string>> = {}) =>
    fetch(`${desk.web.url}${path}`, { method: 'POST', body: new URLSearchParams(fields), redirect: 'manual' });

  test('is confirmed, is switched on, and only then a probe comes on; neither is a record', async () => {
    await beginForwarding(desk.services, desk.inbox, us);
    await post(`/mailboxes/${us}/forwarding`, { target: desk.address });
    await desk.room.delivery.outside.settled();
    const { confirmation } = (await forwarding()) ?? {};
    expect(confirmation?.links).toHaveLength(1);
    const [link = ''] = confirmation?.links ?? [];
    // Programs that look at the links of a mail confirm nothing.
    await fetch(link);
    await sendProbe(desk.services, desk.inbox, desk.mailbox);
    await desk.room.delivery.outside.settled();
    expect((await forwarding())?.probe?.cameAt).toBeNull();
    await fetch(link, { method: 'POST' });
    // Confirmed, but not switched on.
    await sendProbe(desk.services, desk.inbox, desk.mailbox);
    await desk.room.delivery.outside.settled();
    expect((await forwarding())?.probe?.cameAt).toBeNull();
    await post(`/mailboxes/${us}/forwarding`, { on: 'yes' });
    await sendProbe(desk.services, desk.inbox, desk.mailbox);
    await desk.room.delivery.outside.settled();
    expect((await forwarding())?.probe?.cameAt).not.toBeNull();
    expect(await records(desk)).toEqual([]);
    expect((await counts(desk)).map(({ is_test }) => is_test)).toEqual([1, 1]);
  });

  test('a probe that a person sends is known by its subject; a customer’s mail meanwhile is a record like any', async () => {
    await beginForwarding(desk.services, desk.inbox, us);
    const subject = await sendProbe(desk.services, desk.inbox, null);
    await send(desk, { subject: 'Do you forward parcels?', text: 'See https://clay.example/kilns and tell me.' });
    // It tells of forwarding and has a link: it may be the question. A person may say otherwise.
    await send(desk, { subject: 'Kiln' });
    await send(desk, { subject: `Fwd: ${subject}` });
    expect((await forwarding())?.probe?.cameAt).not.toBeNull();
    expect((await records(desk)).map((one) => one['subject'])).toEqual(['Kiln']);
  });

  test('a question in words that aren’t known is pointed out by a person, and is no record from then on', async () => {
    await beginForwarding(desk.services, desk.inbox, us);
    await send(desk, { subject: 'Potvrdite', text: 'https://mail.clay.example/potvrda?id=7' });
    expect(await records(desk)).toHaveLength(1);
    const { seq } = await desk.services.db.selectFrom('arrival').select('seq').executeTakeFirstOrThrow();
    await takeAsConfirmation(desk.services, desk.inbox, seq);
    expect((await forwarding())?.confirmation?.links).toEqual(['https://mail.clay.example/potvrda?id=7']);
    expect(await records(desk)).toEqual([]);
  });
});

const answersThere = ({ room }: Desk) => answersIn(room, customers);

type Deed =
  | { readonly kind: 'write'; readonly who: number; readonly isAutomatic: boolean; readonly isForwarded: boolean }
  | { readonly kind: 'check' }
  | { readonly kind: 'kill'; readonly at: KillPoint; readonly passes: number };

const points: readonly KillPoint[] = [...pointsOfArrivals, 'take-in:after-store', 'send:before', 'result:after-store'];
const deed: fc.Arbitrary<Deed> = fc.oneof(
  {
    weight: 5,
    arbitrary: fc.record({
      kind: fc.constant('write' as const),
      who: fc.nat(2),
      isAutomatic: fc.nat(4).map((one) => one === 0),
      isForwarded: fc.boolean(),
    }),
  },
  { weight: 2, arbitrary: fc.constant({ kind: 'check' as const }) },
  {
    weight: 3,
    arbitrary: fc.record({ kind: fc.constant('kill' as const), at: fc.constantFrom(...points), passes: fc.nat(1) }),
  },
);

async function check({ services, workflow }: Desk): Promise<void> {
  await services.engine
    .checkNow(workflow)
    .then((run) => services.engine.finish(run))
    .catch(() => undefined);
  await services.engine.quiet();
}

/** Another process takes over where the last one ended. */
async function reopen(of: Desk, clock: TestClock): Promise<void> {
  await ended(of.listener);
  of.services = await servicesIn(of.folder, clock);
  Object.assign(of, await listenFor(of.services, of.port));
  await of.services.engine.resume();
}

/** Forwarding from our mailbox is on, and the workflow is live. */
async function openedFor(of: Desk): Promise<void> {
  of.room.store.askForForwarding(us, of.address, 'code');
  of.room.store.confirmForwarding('code');
  of.room.store.switchForwarding(us, true);
  await of.services.engine.finish((await of.services.engine.makeLive(of.workflow)).run);
}

const write = ({ room, address }: Desk, one: Extract<Deed, { kind: 'write' }>, at: number): Promise<string> =>
  room.delivery.write({
    from: `Ada Holm <${customers[one.who]}>`,
    to: [one.isForwarded ? us : address],
    subject: `Question ${at}`,
    text: 'Is it blue?',
    headers: one.isAutomatic ? { 'Auto-Submitted': 'auto-replied' } : {},
  });

test('whatever deaths come between: a mail that was sent or sent on is answered once in its thread, an automatic one never', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(deed, { minLength: 3, maxLength: 10 }), async (deeds) => {
      const of = await openDesk();
      try {
        await openedFor(of);
        const people: string[] = [];
        let armed: Promise<void> = new Promise(() => undefined);
        let isDead = false;
        const rise = async (): Promise<void> => {
          const clock = (of.services.seams as TestClock).next();
          if (!isDead) await of.services.drop();
          isDead = false;
          await reopen(of, clock);
          await of.room.delivery.outside.again();
        };
        for (const [at, one] of deeds.entries()) {
          if (one.kind === 'write') {
            const id = await write(of, one, at);
            if (!one.isAutomatic) people.push(id);
            await of.room.delivery.outside.settled();
          } else if (one.kind === 'check') await Promise.race([armed, check(of)]);
          else {
            // With the process its lines end: who was handing over a mail isn’t answered.
            armed = dropAt(of.services, one.at, one.passes).then(() => {
              isDead = true;
              return ended(of.listener);
            });
          }
          if (isDead) {
            await armed;
            await rise();
          }
        }
        await rise();
        await of.room.delivery.outside.again();
        await settled(of.services);
        await check(of);
        await settled(of.services);
        const there = answersThere(of);
        const open = await of.services.db
          .selectFrom('item')
          .select('source_id')
          .where('state', '=', 'unsettled')
          .execute();
        for (const mail of people) {
          const answers = there.get(mail)?.length ?? 0;
          const isAsked = open.some(({ source_id }) => source_id.startsWith(`${mail.slice(1, -1)}#`));
          expect(answers).toBeLessThanOrEqual(1);
          expect(answers === 1 || isAsked).toBe(true);
        }
        expect([...there.keys()].filter((mail) => !people.includes(mail))).toEqual([]);
        expect(await unbalanced(of.services)).toEqual([]);
      } finally {
        await closeDesk(of);
      }
    }),
    { numRuns: 7, seed: 19, endOnFailure: true },
  );
});

/** Speaks SMTP line by line; gives the last line of each answer. With `breaksOff` it leaves after the last line. */
function talk(port: number, lines: readonly string[], breaksOff = false): Promise<string[]> {
  return new Promise((resolve, reject) => {
    const answers: string[] = [];
    const left = [...lines];
    const socket: Socket = connect(port, '127.0.0.1');
    let heard = '';
    socket.on('data', (piece) => {
      heard += String(piece);
      for (let end = heard.indexOf('\r\n'); end >= 0; end = heard.indexOf('\r\n')) {
        const line = heard.slice(0, end);
        heard = heard.slice(end + 2);
        if (/^\d{3}-/.test(line)) continue;
        answers.push(line);
        const next = left.shift();
        if (next === undefined) continue;
        socket.write(`${next}\r\n`);
        if (breaksOff && left.length === 0) socket.destroy();
      }
    });
    socket.on('error', reject);
    socket.on('close', () => resolve(answers));
  });
}
