import { mkdtempSync, rmSync } from 'node:fs';
import { type AddressInfo, connect as connectTo, createServer, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type JsonRecord, type PlannedWrite, type Pointer, readPointer, type Value } from '@golden/core';
import { type PostRoom, postMailboxes, postRoom } from '@golden/standins';
import { simpleParser } from 'mailparser';
import type { FileToAttach } from '../app.ts';
import type { Page, SourceRecord } from '../connector.ts';
import { AppDown, BadAddress, NoRight, NotSignedIn, NotThere, Refused } from '../errors.ts';
import { pagesOf } from '../paging.ts';
import { MailConnector, type MailOptions } from './mail-connector.ts';
import { readMailServer } from './mail-server.ts';

// A mailbox over real IMAP and SMTP, in the Post room. What was sent is read in the recipient's own mailbox by a library
// for mails, never by what sent it.

let folder: string;
let room: PostRoom;
let options: MailOptions;
let mailbox: MailConnector;
const us = 'hello@saltmarsh.example';
const inbox = ['folder:INBOX'];

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-mail-'));
  room = postRoom(join(folder, 'post.sqlite'));
  const servers = await room.listen(0, 0);
  options = {
    servers: async () => servers,
    user: us,
    password: postMailboxes[0]?.password ?? '',
    senders: `Saltmarsh Kiln Supply <${us}>`,
    sent: '',
    trusted: 'mx.post-room.example',
    isInsideAllowed: async () => true,
    timeout: 20_000,
  };
  mailbox = new MailConnector(options);
});
afterEach(async () => {
  await room.close();
  rmSync(folder, { recursive: true, force: true });
});

let count = 0;
/** Somebody writes to us; nobody but them has that address. */
const comes = (subject: string, more: object = {}): Promise<string> => {
  count += 1;
  return room.delivery.write({
    from: `Ada ${count} <ada${count}@clay.example>`,
    to: [us],
    subject,
    text: `About ${subject}`,
    ...more,
  });
};
const raws = (address: string, path = 'INBOX'): Buffer[] =>
  (room.imap.foldersOf(address).find((one) => one.path === path)?.messages ?? []).map(({ raw }) =>
    Buffer.from(raw, 'latin1'),
  );
const write = (
  place: string,
  values: Readonly<Record<Pointer, Value>>,
  more: Partial<PlannedWrite> = {},
): PlannedWrite => ({
  kind: 'create',
  target: { connection: 'c', path: [place], recordType: 'mail' },
  values,
  types: {},
  ...more,
});
const token = (): string => (count++).toString(16).padStart(40, 'a');
const all = async (): Promise<SourceRecord[]> => {
  const found: SourceRecord[] = [];
  for await (const page of pagesOf(mailbox, { path: inbox })) found.push(...page.records);
  return found;
};
const subjects = (page: Page): Value[] => page.records.map(({ record }) => record['subject'] ?? null);

describe('reading', () => {
  test('what came since is listed, what was there is counted', async () => {
    await comes('One');
    await comes('Two');
    const mark = await mailbox.placeMark(inbox);
    expect(subjects(await mailbox.list({ path: inbox }))).toEqual(['One', 'Two']);
    expect(await mailbox.placeMark(inbox)).toBe(mark);
    await comes('Three');
    expect(await mailbox.placeMark(inbox)).not.toBe(mark);
    const later = await mailbox.list({ path: inbox, unlessAsAt: mark ?? '' });
    expect([subjects(later), later.unchanged, later.cursor]).toEqual([['Three'], 2, null]);
    // Another process remembers nothing, and finds the same.
    const other = await new MailConnector(options).list({ path: inbox, unlessAsAt: mark ?? '' });
    expect([subjects(other), other.unchanged]).toEqual([['Three'], 2]);
  });

  test('a mail that is read in between is listed again, as read; a process that remembers nothing lists all', async () => {
    await comes('One');
    await comes('Two');
    const mark = (await mailbox.placeMark(inbox)) ?? '';
    room.imap.markRead(us, 'INBOX', 1);
    const page = await mailbox.list({ path: inbox, unlessAsAt: mark });
    expect(page.records.map(({ record, version }) => [record['subject'], record['read'], version])).toEqual([
      ['One', true, 'read'],
    ]);
    expect(subjects(await new MailConnector(options).list({ path: inbox, unlessAsAt: mark }))).toEqual(['One', 'Two']);
  });

  test('a mail that somebody puts into a folder is found there, however old it is', async () => {
    const mark = (await mailbox.placeMark(inbox)) ?? '';
    await comes('From 2019', { at: new Date('2019-05-01T10:00:00Z') });
    const page = await mailbox.list({ path: inbox, since: '2026-01-01T00:00:00Z', unlessAsAt: mark });
    expect(subjects(page)).toEqual(['From 2019']);
  });

  test('a folder that counts anew shows the same mails under the same ids', async () => {
    for (const subject of ['One', 'Two', 'Three']) await comes(subject);
    const mark = (await mailbox.placeMark(inbox)) ?? '';
    const before = (await all()).map(({ id }) => id);
    room.imap.renumber(us, 'INBOX');
    const page = await mailbox.list({ path: inbox, unlessAsAt: mark });
    expect(page.records.map(({ id }) => id)).toEqual(before);
  });

  test('a thousand mails come page by page, each once', async () => {
    for (let at = 0; at < 1000; at++)
      room.imap.put(
        us,
        'INBOX',
        Buffer.from(`From: a@b.example\r\nSubject: ${at}\r\nMessage-ID: <${at}@b.example>\r\n\r\ntext\r\n`),
      );
    const found = await all();
    expect(found.map(({ record }) => Number(record['subject']))).toEqual(Array.from({ length: 1000 }, (_, at) => at));
  });

  test('a mail of more than 25 MB is told of with its reason, and one below is read', async () => {
    const large = (name: string, megabytes: number): void => {
      const head = `From: a@b.example\r\nSubject: ${name}\r\nMessage-ID: <${name}@b.example>\r\nContent-Type: text/plain\r\n\r\nbegins here\r\n`;
      const line = `${'x'.repeat(998)}\r\n`;
      room.imap.put(us, 'INBOX', Buffer.from(head + line.repeat(Math.round((megabytes * 1024 * 1024) / 1000))));
    };
    large('large', 27);
    large('fits', 3);
    const found = await all();
    expect(found.map(({ record }) => [record['subject'], typeof record['problem']])).toEqual([
      ['large', 'string'],
      ['fits', 'undefined'],
    ]);
    expect(found[0]?.record['problem']).toMatch(/27 MB.*only mails up to 25 MB/);
    expect(String(found[1]?.record['text'])).toContain('begins here');
    expect(await mailbox.fetch(inbox, found[0]?.id ?? '')).toMatchObject({ id: found[0]?.id });
  });

  test('a mail is found by its id in whatever folder it lies by now; one without a Message-ID as well', async () => {
    await comes('Moved');
    room.imap.put(us, 'INBOX', Buffer.from('From: fax@b.example\r\nSubject: Scan\r\n\r\nx\r\n'));
    const [moved, scan] = await all();
    await mailbox.update({
      write: write('folder:INBOX', { '/folder': 'Done', '/read': true }, { kind: 'update', id: moved?.id ?? '' }),
      token: token(),
    });
    expect(await mailbox.fetch(inbox, moved?.id ?? '')).toMatchObject({
      id: moved?.id,
      record: { folder: 'Done', read: true },
    });
    expect(await mailbox.fetch(inbox, scan?.id ?? '')).toMatchObject({ record: { subject: 'Scan', folder: 'INBOX' } });
    expect(await mailbox.fetch(inbox, 'nobody@x.example#000000000000')).toBeNull();
    expect(await mailbox.fetch(inbox, '#000000000000')).toBeNull();
  });

  test('labelled lines of recent mails are fields, and stay it when newer mails lack them', async () => {
    await comes('Form', { text: 'Name: Kai Winter\nKiln size: 60 l\n' });
    const labels = async () =>
      (await mailbox.describe(inbox)).fields.filter(({ mayLack }) => mayLack).map(({ label }) => label);
    expect(await labels()).toEqual(['Kiln size', 'Name']);
    for (let at = 0; at < 35; at++) await comes(`Later ${at}`);
    await all();
    expect(await labels()).toEqual(['Kiln size', 'Name']);
    const [form] = await all();
    const { fields } = await mailbox.describe(inbox);
    const size = fields.find(({ label }) => label === 'Kiln size');
    expect(readPointer(form?.record ?? {}, size?.path ?? '')).toBe('60 l');
  });

  test('it is told at once when a mail comes, and when the connection ends', async () => {
    const news: string[] = [];
    let heard = (): void => undefined;
    const next = (): Promise<void> => new Promise((resolve) => (heard = resolve));
    const told = (what: string) => () => {
      news.push(what);
      heard();
    };
    const first = next();
    await mailbox.watch(inbox, told('news'), told('end'));
    await comes('Now');
    await first;
    expect(news).toEqual(['news']);
    const second = next();
    room.imap.breakOff();
    await second;
    expect(news).toEqual(['news', 'end']);
  });

  test('nothing but what is said is done to a mailbox: reading leaves every flag as it is', async () => {
    await comes('Unread');
    const before = room.imap
      .foldersOf(us)
      .map(({ path, messages }) => [path, messages.map(({ uid, flags }) => [uid, ...flags])]);
    await all();
    await mailbox.describe(inbox);
    await mailbox.health();
    expect(
      room.imap.foldersOf(us).map(({ path, messages }) => [path, messages.map(({ uid, flags }) => [uid, ...flags])]),
    ).toEqual(before);
  });
});

describe('sending', () => {
  const letter = {
    '/to': 'mira@saltmarsh.example',
    '/subject': 'Für Mira — “窯”',
    '/text': 'Liebe Mira,\n\n  zwei Zeilen.\n.\nPunkt.\nFrom hier.',
  };
  const send = (values: JsonRecord, place = 'outgoing', named = token()) =>
    mailbox.create({ write: write(place, values), token: named, hops: 3 });

  test('what is written arrives as it was typed, by the token’s name, and says that a program wrote it', async () => {
    const named = token();
    const { id } = await send(letter, 'outgoing', named);
    const [raw, ...others] = raws('mira@saltmarsh.example');
    expect(others).toEqual([]);
    const mail = await simpleParser(raw ?? '');
    expect(mail.messageId).toBe(`<${named}@saltmarsh.example>`);
    expect(id).toBe(mail.messageId);
    expect(mail.subject).toBe(letter['/subject']);
    expect(mail.text?.trimEnd()).toBe(letter['/text']);
    expect(mail.from?.text).toBe(`"Saltmarsh Kiln Supply" <${us}>`);
    expect(mail.headers.get('auto-submitted')).toBe('auto-generated');
    expect(mail.headers.get('golden-hops')).toBe('3');
    expect(raw?.toString('latin1')).toMatch(/^Return-Path: <hello@saltmarsh\.example>/);
    // Every line within RFC 5322's 998 characters, and only ASCII on the way.
    for (const line of raw?.toString('latin1').split('\r\n') ?? []) expect(line.length).toBeLessThanOrEqual(998);
    expect(raws(us, 'Sent')).toHaveLength(1);
    expect(await mailbox.findByToken(['outgoing'], named)).toMatchObject({ id });
  });

  test('files go along whole, under their names; one that is gone, or too much of them, is told before anything leaves', async () => {
    const kept = new Map<string, FileToAttach>();
    const add = (name: string, type: string, content: Uint8Array) => kept.set(name, { name, type, content });
    add('Preise für Öfen 2026.pdf', 'application/pdf', Buffer.from('%PDF-1.7 \0\x01\xff kiln', 'latin1'));
    add('Map.png', 'image/png', Buffer.from([0x89, 0x50, 0x4e, 0x47, 0, 255]));
    const attachable = { names: async () => [...kept.keys()], get: async (name: string) => kept.get(name) };
    const desk = new MailConnector({ ...options, attachable });
    const { fields } = await desk.describe(['outgoing']);
    expect(fields.find(({ takesFiles }) => takesFiles)?.options?.map(({ value }) => value)).toEqual([...kept.keys()]);
    const files = { '/attached_file': 'Preise für Öfen 2026.pdf', '/attached_file_3': 'Map.png' };
    const values = { '/to': 'mira@saltmarsh.example', '/subject': 'Kiln', '/text': 'See there.', ...files };
    await desk.create({ write: write('outgoing', values), token: token() });
    const read = await simpleParser(raws('mira@saltmarsh.example').at(-1) ?? '');
    expect(read.attachments.map(({ filename, contentType, content }) => [filename, contentType, content])).toEqual(
      [...kept.values()].map(({ name, type, content }) => [name, type, Buffer.from(content)]),
    );
    expect(read.text?.trim()).toBe('See there.');

    add('Map.png', 'image/png', Buffer.alloc(20 * 1024 * 1024 + 1));
    await expect(desk.create({ write: write('outgoing', values), token: token() })).rejects.toThrow('21 MB together');
    kept.delete('Map.png');
    const refused = await desk
      .create({ write: write('outgoing', values), token: token() })
      .catch((told: unknown) => told);
    expect(refused).toMatchObject({
      message: expect.stringContaining('The file “Map.png” isn’t there any more.'),
      fields: [{ path: '/attached_file_3', label: 'third attached file', given: 'Map.png' }],
    });
    expect(raws('mira@saltmarsh.example')).toHaveLength(1);
  });

  test('a picture stands in the text where it is named; only what goes along can be one', async () => {
    const png = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0, 255]);
    const names = ['Kiln (2).png', 'Prices.pdf', 'Secret.png'];
    const get = async (name: string) =>
      names.includes(name)
        ? { name, type: name.endsWith('pdf') ? 'application/pdf' : 'image/png', content: png }
        : undefined;
    const desk = new MailConnector({ ...options, attachable: { names: async () => names, get } });
    const asked = {
      ...letter,
      '/format': 'simple',
      '/attached_file': 'Kiln (2).png',
      '/attached_file_2': 'Prices.pdf',
    };
    const sendText = (text: string) =>
      desk.create({ write: write('outgoing', { ...asked, '/text': text }), token: token() });
    await sendText(
      '# Our kiln\n\n![the “new” kiln](Kiln (2).png)\n\nand ![a logo](https://saltmarsh.example/logo.png).',
    );
    const mail = await simpleParser(raws('mira@saltmarsh.example').at(-1) ?? '', { keepCidLinks: true });
    const [picture, prices] = mail.attachments;
    expect(picture).toMatchObject({
      filename: 'Kiln (2).png',
      related: true,
      contentDisposition: 'inline',
      content: png,
    });
    expect(prices).toMatchObject({ filename: 'Prices.pdf', contentDisposition: 'attachment' });
    expect(mail.html).toContain(`<img src="cid:${picture?.cid}" alt="the “new” kiln">`);
    expect(mail.html).toContain('<img src="https://saltmarsh.example/logo.png"');
    expect(mail.text).toContain('the “new” kiln');
    expect(mail.text).not.toContain('cid:');
    await expect(sendText('See ![this](Secret.png)')).rejects.toMatchObject({
      message: expect.stringContaining('The picture “Secret.png” doesn’t go along.'),
      fields: [{ path: '/text', label: 'text', given: 'Secret.png' }],
    });
    await expect(sendText('See ![this](Prices.pdf)')).rejects.toThrow('no picture that mails show');
    expect(raws('mira@saltmarsh.example')).toHaveLength(1);
  });

  test('a hidden copy arrives, and nobody else reads of it', async () => {
    await send({
      ...letter,
      '/cc': `workshop@saltmarsh.example, ${us}`,
      '/bcc': 'mira@saltmarsh.example',
      '/to': 'workshop@saltmarsh.example',
    });
    expect(raws('mira@saltmarsh.example')).toHaveLength(1);
    for (const address of ['workshop@saltmarsh.example', 'mira@saltmarsh.example', us])
      for (const raw of raws(address).slice(-1))
        expect(
          raw.toString('latin1').replace(/^(?:Return-Path|Authentication-Results|Received):.*\r\n/gm, ''),
        ).not.toContain('mira@saltmarsh.example');
  });

  test('a formatted text goes along in both ways; what looks like HTML in it is shown as it was typed', async () => {
    await send({
      ...letter,
      '/format': 'simple',
      '/text':
        '# Prices\n\n- **clay** 18.50\n- [the list](https://saltmarsh.example/list)\n\n<script>alert(1)</script> & more',
    });
    const mail = await simpleParser(raws('mira@saltmarsh.example')[0] ?? '');
    expect(mail.html).toContain('<h1>Prices</h1>');
    expect(mail.html).toContain('<a href="https://saltmarsh.example/list">the list</a>');
    expect(mail.html).not.toContain('<script');
    expect(mail.text).toContain('the list <https://saltmarsh.example/list>');
    expect(mail.text).not.toContain('**');
  });

  test.each([
    ['no recipient', { '/to': '' }, 'Nobody to send it to'],
    ['no address', { '/to': 'rolf(at)clay' }, 'is no e-mail address'],
    ['a line break smuggled into an address', { '/to': 'a@b.example\r\nBcc: c@d.example' }, 'is no e-mail address'],
    ['a sender that isn’t ours', { '/from': 'boss@else.example' }, 'isn’t one of this connection’s senders'],
    ['an empty text', { '/text': ' \n ' }, 'The text is empty'],
    ['one of two recipients whom the server refuses', { '/cc': 'gone@closed.example' }, 'Nobody was sent anything'],
  ])('with %s nothing is sent, and it is said why', async (_, values, message) => {
    await expect(send({ ...letter, ...values })).rejects.toThrow(message);
    expect(raws('mira@saltmarsh.example')).toEqual([]);
    expect(raws(us, 'Sent')).toEqual([]);
  });

  test('a subject of several lines becomes one, so that no header can be put into it', async () => {
    await send({ ...letter, '/subject': 'Kiln\r\nBcc: other@clay.example' });
    const mail = await simpleParser(raws('mira@saltmarsh.example')[0] ?? '');
    expect(mail.subject).toBe('Kiln Bcc: other@clay.example');
    expect(mail.bcc).toBeUndefined();
  });

  test('a mail that the server keeps no copy of is put into the folder for sent mails once', async () => {
    const append = jest.spyOn(room.imap, 'put').mockImplementationOnce(() => undefined);
    await send(letter);
    append.mockRestore();
    expect(raws(us, 'Sent')).toHaveLength(1);
    expect(raws('mira@saltmarsh.example')).toHaveLength(1);
  });
});

describe('answers', () => {
  const answer = (record: JsonRecord) =>
    mailbox.create({
      write: write('answers', {
        '/to': record['reply_to'] ?? null,
        '/subject': record['subject'] ?? null,
        '/text': 'Yes.',
        '/message_id': record['message_id'] ?? null,
      }),
      token: token(),
    });

  test('an answer stands in the thread of its mail, and the mail is marked as answered', async () => {
    await comes('Kiln', {
      from: 'Mira <mira@saltmarsh.example>',
      inReplyTo: '<before@x.example>',
      references: '<root@x.example> <before@x.example>',
    });
    const [mail] = await all();
    await answer(mail?.record ?? {});
    const read = await simpleParser(raws('mira@saltmarsh.example').at(-1) ?? '');
    expect(read.subject).toBe('Re: Kiln');
    expect(read.inReplyTo).toBe(mail?.record['message_id']);
    expect(read.references).toEqual(['<root@x.example>', '<before@x.example>', mail?.record['message_id']]);
    expect(read.headers.get('auto-submitted')).toBe('auto-replied');
    expect(room.imap.foldersOf(us)[0]?.messages[0]?.flags).toContain('\\Answered');
  });

  test.each([
    ['a program', { 'Auto-Submitted': 'auto-replied' }],
    ['a list', { 'List-Id': '<potters.lists.example>' }],
  ])('what %s wrote isn’t answered, even where nothing was said about it', async (_, headers) => {
    await comes('Away', { headers });
    const [mail] = await all();
    await expect(answer(mail?.record ?? {})).rejects.toThrow('never answered');
    expect(raws(us, 'Sent')).toEqual([]);
  });

  test('two programs that answer each other come to an end', async () => {
    room.store.setAway('workshop@saltmarsh.example', 'Away.');
    let sent = 0;
    for (let at = 0; at < 14; at++) {
      await comes(`Ring ${at}`, { from: 'robot <mira@saltmarsh.example>' });
      const mail = (await all()).at(-1);
      const went = await answer(mail?.record ?? {}).then(
        () => true,
        (error) => {
          expect(error).toBeInstanceOf(Refused);
          expect(error.message).toContain('A program may be answering');
          return false;
        },
      );
      if (went) sent += 1;
    }
    expect(sent).toBe(10);
  });
});

describe('what can go wrong', () => {
  test.each([
    ['imap.clay.example', 'imap', { name: 'imap.clay.example', port: 993, isTls: true }],
    ['imap.clay.example:143', 'imap', { port: 143, isTls: false, isPlainAllowed: false }],
    ['smtp.clay.example', 'smtp', { port: 587, isTls: false, isPlainAllowed: false }],
    ['smtps://smtp.clay.example', 'smtp', { port: 465, isTls: true }],
    ['127.0.0.1:2525', 'smtp', { name: '127.0.0.1', port: 2525, isPlainAllowed: true }],
    ['[::1]:143', 'imap', { name: '::1', isPlainAllowed: true }],
  ] as const)('%s is read as a server', (text, protocol, expected) =>
    expect(readMailServer(text, protocol)).toMatchObject(expected),
  );

  test.each(['', 'a b', 'https://mail.example/inbox', 'me@clay.example'])('“%s” is no server', (text) =>
    expect(() => readMailServer(text, 'imap')).toThrow(BadAddress),
  );

  test('a wrong password is told with the server’s words, and what most servers want', async () => {
    const wrong = new MailConnector({ ...options, password: 'wrong' });
    await expect(wrong.health()).rejects.toThrow(NotSignedIn);
    await expect(wrong.health()).rejects.toThrow(/password of its own for each program/);
    await expect(wrong.list({ path: inbox })).rejects.toThrow(NotSignedIn);
  });

  test('a server inside the own network isn’t spoken to unless that is allowed; nothing secret leaves before', async () => {
    const shut = new MailConnector({ ...options, isInsideAllowed: async () => false });
    const before = room.state.requests;
    await expect(shut.list({ path: inbox })).rejects.toThrow(NoRight);
    await expect(
      shut.create({ write: write('outgoing', { '/to': 'a@b.example', '/text': 'x' }), token: token() }),
    ).rejects.toThrow(NoRight);
    expect(room.state.requests).toBe(before);
  });

  test('a password never goes over an open line to another machine', async () => {
    const heard: string[] = [];
    const open = new Set<Socket>();
    const server = createServer((socket) => {
      open.add(socket);
      socket.write('* OK hello\r\n');
      socket.on('data', (data) => {
        heard.push(String(data));
        const tag = String(data).split(' ')[0];
        socket.write(`* CAPABILITY IMAP4rev1 AUTH=PLAIN\r\n${tag} OK done\r\n`);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as { port: number };
    // A name that isn't this machine's own, though it leads here.
    const plain = { ...readMailServer(`localhost:${port}`, 'imap'), isPlainAllowed: false };
    const { connect } = await import('./imap-session.ts');
    await expect(connect({ ...options, server: plain, password: 'secret-word' })).rejects.toThrow();
    expect(heard.join('')).not.toContain(Buffer.from('secret-word').toString('base64'));
    expect(heard.join('')).not.toContain('secret-word');
    for (const socket of open) socket.destroy();
    await new Promise((resolve) => server.close(resolve));
  });

  test('where nobody listens it is down, and a folder that is gone is told of', async () => {
    const nowhere = new MailConnector({
      ...options,
      servers: async () => ({ imap: '127.0.0.1:9', smtp: '127.0.0.1:9' }),
    });
    await expect(nowhere.list({ path: inbox })).rejects.toThrow(AppDown);
    await expect(
      nowhere.create({ write: write('outgoing', { '/to': 'a@b.example', '/text': 'x' }), token: token() }),
    ).rejects.toThrow(AppDown);
    await expect(mailbox.list({ path: ['folder:Nowhere'] })).rejects.toThrow(NotThere);
    await expect(mailbox.describe(['folder:Nowhere'])).rejects.toThrow(NotThere);
  });

  test('mails that follow each other share a connection; one that the server has ended meanwhile loses and doubles none', async () => {
    const { smtp } = await options.servers();
    const [host = '', port = ''] = smtp.split(':');
    const lines = new Set<Socket>();
    let opened = 0;
    const between = createServer((socket) => {
      opened += 1;
      lines.add(socket);
      const there = connectTo(Number(port), host);
      for (const [one, other] of [
        [socket, there],
        [there, socket],
      ] as const) {
        one.on('error', () => other.destroy());
        one.on('close', () => other.destroy());
        one.pipe(other);
      }
    });
    await new Promise<void>((resolve) => between.listen(0, '127.0.0.1', resolve));
    const at = `127.0.0.1:${(between.address() as AddressInfo).port}`;
    const sender = new MailConnector({ ...options, servers: async () => ({ imap: '', smtp: at }) });
    const send = (subject: string) =>
      sender.create({
        write: write('outgoing', { '/to': 'workshop@saltmarsh.example', '/subject': subject, '/text': 'x' }),
        token: token(),
      });
    for (const subject of ['one', 'two', 'three']) await send(subject);
    expect(opened).toBe(1);
    for (const line of lines) line.destroy();
    await send('four');
    expect(opened).toBe(2);
    // A refused recipient breaks the mail off, and with it the connection: what follows goes through another.
    const refused = write('outgoing', { '/to': 'a@closed.example', '/subject': 'no', '/text': 'x' });
    await expect(sender.create({ write: refused, token: token() })).rejects.toThrow(Refused);
    await Promise.all(['five', 'six'].map(send));
    const came = await Promise.all(raws('workshop@saltmarsh.example').map((raw) => simpleParser(raw)));
    expect(came.map(({ subject }) => subject).sort()).toEqual(['five', 'four', 'one', 'six', 'three', 'two']);
    for (const line of lines) line.destroy();
    await new Promise((resolve) => between.close(resolve));
  });

  test('which senders are read here is told: what can’t be delivered comes back to them', async () => {
    const read = async (more: Partial<MailOptions>): Promise<unknown> => {
      const { sentTo } = await new MailConnector({ ...options, ...more }).describe(['outgoing']);
      return sentTo?.back;
    };
    const [own, other] = [`Kiln <${us.toUpperCase()}>`, 'Shop <shop@saltmarsh.example>'];
    expect(await read({ senders: `${own}, ${other}` })).toMatchObject({ from: '/from', usual: own, read: [own] });
    expect(await read({ senders: other })).toMatchObject({ usual: other, read: [] });
    // A user name that is no address doesn't tell; who only sends reads nothing.
    expect(await read({ user: 'ada', senders: other })).toMatchObject({ read: [other] });
    expect(await read({ servers: async () => ({ imap: '', smtp: '127.0.0.1:9' }) })).toMatchObject({ read: [] });
  });

  test('a connection that breaks off in the middle is made anew at the next question', async () => {
    await comes('One');
    expect(await all()).toHaveLength(1);
    room.imap.breakOff();
    const again = await all().catch(() => all());
    expect(again).toHaveLength(1);
  });
});
