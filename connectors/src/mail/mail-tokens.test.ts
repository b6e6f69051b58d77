import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Listening, listen, type PostRoom, postRoom } from '@golden/standins';
import { simpleParser } from 'mailparser';
import { NotSignedIn } from '../errors.ts';
import { beginSignIn, endSignIn, type Tokens } from '../http/tokens.ts';
import { mailboxApp, postRoomApp } from './mail-apps.ts';

// A mailbox is opened with a token that its owner gave on the host's own page: RFC 6749, RFC 7636 and RFC 7628 against
// the Post room, which keeps no password of ours then.

let folder: string;
let room: PostRoom;
let web: Listening;
const us = 'mira@saltmarsh.example';

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-tokens-'));
  room = postRoom(join(folder, 'post.sqlite'));
  await room.listen(0, 0);
  web = await listen(room.app, 0);
});
afterEach(async () => {
  await web.close();
  await room.close();
  rmSync(folder, { recursive: true, force: true });
});

const app = () => postRoomApp(`${web.url}/api`);
const settings = () => ({ address: `${web.url}/api`, user: us, signs_in: 'there', senders: '', sent: '' });

/** What the owner does on the host's page, without a browser. */
async function allow(answer: 'yes' | 'no' = 'yes', as = us): Promise<Tokens> {
  const { signIn } = app();
  if (!signIn) throw new Error('Nobody can sign in there.');
  const redirect = 'http://127.0.0.1:1/back';
  const begun = await beginSignIn(signIn.app(settings()), redirect, signIn.scopes(settings(), true));
  const asked = Object.fromEntries(new URL(begun.url).searchParams);
  expect(asked['login_hint']).toBe(us);
  const body = new URLSearchParams({ ...asked, user: as, answer });
  const back = await fetch(`${web.url}/oauth/authorize`, { method: 'POST', body, redirect: 'manual' });
  const sent = new URL(back.headers.get('location') ?? '').searchParams;
  return endSignIn(signIn.app(settings()), redirect, begun, sent);
}

const opened = (tokens: Tokens, keep: (tokens: Tokens) => void = () => undefined) =>
  app().open(
    { ...settings(), key: JSON.stringify(tokens) },
    { keepTokens: async (made) => keep(made), timeout: 20_000 },
  );

const mailOut = {
  write: {
    kind: 'create',
    target: { connection: 'c', path: ['outgoing'], recordType: 'mail' },
    values: { '/from': us, '/to': 'ada@clay.example', '/subject': 'Kiln', '/text': 'It is ready.' },
    types: {},
  },
  token: 'token-1',
} as const;

test('mails are read and sent with a token; what a person owns is what the token opens', async () => {
  const mailbox = opened(await allow());
  const health = await mailbox.health();
  expect(health.signedInAs).toBe(us);
  expect(health.mayRead && health.mayWrite).toBe(true);
  await room.delivery.write({ from: 'ada@clay.example', to: [us], subject: 'A kiln', text: 'Is it ready?' });
  const { records } = await mailbox.list({ path: ['folder:INBOX'] });
  expect(records.map(({ record }) => record['subject'])).toEqual(['A kiln']);
  await mailbox.create(mailOut);
  const sent = room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages ?? [];
  expect((await simpleParser(sent[0]?.raw ?? '')).subject).toBe('Kiln');

  // Whose token it isn't doesn't come in, and nothing leaves in that name.
  const stranger = opened(await allow('yes', 'workshop@saltmarsh.example'));
  await expect(stranger.health()).rejects.toThrow(NotSignedIn);
  await expect(stranger.create({ ...mailOut, token: 'token-2' })).rejects.toThrow(NotSignedIn);
  expect(room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages).toHaveLength(1);
});

test('a token that has ended is renewed, for reading as for sending, and kept; a withdrawn one is told', async () => {
  const kept: Tokens[] = [];
  const first = await allow();
  const mailbox = opened(first, (made) => kept.push(made));
  room.signIn.expireAll();
  await mailbox.health();
  expect(kept).toHaveLength(1);
  expect(kept[0]?.access).not.toBe(first.access);

  // Ended before its time between two mails: the mail goes out all the same, once.
  room.signIn.expireAll();
  await mailbox.create(mailOut);
  expect(kept).toHaveLength(2);
  expect(room.imap.foldersOf(us).find(({ path }) => path === 'Sent')?.messages).toHaveLength(1);

  room.signIn.revokeAll();
  await expect(opened(kept[1] as Tokens).health()).rejects.toThrow('Sign in again');
});

test('what is refused on the page is told; a mailbox elsewhere asks for the rights that its host names', async () => {
  await expect(allow('no')).rejects.toThrow('leave was refused');
  const { signIn } = mailboxApp;
  const given = {
    user: us,
    issuer: web.url,
    client: 'golden-relay',
    secret: 'a secret of the host',
    scope: ' mail.read  mail.send ',
  };
  expect(signIn?.scopes(given, true)).toEqual(['mail.read', 'mail.send']);
  expect(signIn?.app(given)).toMatchObject({ issuer: web.url, clientId: 'golden-relay', clientSecret: given.secret });
  // Tokens go to no other page than the one that gave them.
  const at = (issuer: string) => mailboxApp.originOf({ imap: 'imap.clay.example', signs_in: 'there', issuer });
  expect(at('https://one.example')).not.toBe(at('https://other.example'));
  expect(mailboxApp.originOf({ imap: 'imap.clay.example' })).toBe('imap.clay.example');
});
