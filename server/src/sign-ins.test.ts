import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Listening, listen, type PostRoom, postRoom } from '@golden/standins';
import { Hono } from 'hono';
import type { Services } from './services.ts';
import { makeServices } from './services.ts';
import { loadSettings, saveSettings } from './settings.ts';

// A mailbox anywhere, signed in to as a program that has a secret with the host: where the secret goes, and where it
// is kept. The host is the Post room behind a door that notes what it is told.

const us = 'mira@saltmarsh.example';
const secret = 'the secret of this program';
let folder: string;
let room: PostRoom;
let web: Listening;
let services: Services;
let servers: { readonly imap: string; readonly smtp: string };
/** What was told to the pages that give tokens, by the host. */
let told: { readonly host: string; readonly form: URLSearchParams }[];

/** A host of the mailboxes. */
function openHost(): Promise<Listening> {
  const host = new Hono();
  host.all('*', async (c) => {
    if (c.req.path === '/oauth/token')
      told.push({ host: new URL(c.req.url).origin, form: new URLSearchParams(await c.req.raw.clone().text()) });
    return room.app.fetch(c.req.raw, c.env as never);
  });
  return listen(host as never, 0);
}

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'golden-sign-ins-'));
  room = postRoom(join(folder, 'post.sqlite'));
  servers = await room.listen(0, 0);
  told = [];
  web = await openHost();
  services = await makeServices({
    dataFile: join(folder, 'golden.sqlite'),
    masterKey: 'a master key for tests',
    open: { timeout: 20_000, retries: 0 },
    logLevel: 'silent',
  });
  await saveSettings(services.db, { ...(await loadSettings(services.db)), mayCallInside: true });
});
afterEach(async () => {
  await services.close();
  await web.close();
  await room.close();
  rmSync(folder, { recursive: true, force: true });
});

const settings = (more: object = {}) => ({
  ...servers,
  user: us,
  issuer: web.url,
  client: 'golden-relay',
  scope: 'mail',
  ...more,
});

/** Signs in as a person does; gives how it ended. */
async function signIn(given: Record<string, string>, id?: string) {
  const wish = { app: 'mailbox', name: 'Mailbox', settings: given, mayWrite: true, ...(id && { id }) };
  const { url } = await services.signIns.begin(wish, 'http://127.0.0.1:4600/api/sign-in/back');
  const body = new URLSearchParams([...new URL(url).searchParams, ['user', us], ['answer', 'yes']]);
  const back = await fetch(`${new URL(url).origin}/oauth/authorize`, { method: 'POST', body, redirect: 'manual' });
  return services.signIns.end(new URL(back.headers.get('location') ?? '').searchParams);
}

test('the program’s secret goes to its host alone, and is sealed with the tokens; whoever signs in anew needn’t know it', async () => {
  const first = await signIn(settings({ secret }));
  expect(first).toMatchObject({ state: 'done', message: null });
  expect(told.map(({ form }) => form.get('client_secret'))).toEqual([secret]);
  const id = first.connection ?? '';
  const made = await services.connections.get(id);
  expect(made).toMatchObject({ status: 'working', settings: { signs_in: 'there', user: us } });
  const everything = JSON.stringify([
    made,
    await services.db.selectFrom('connection').selectAll().execute(),
    await services.db.selectFrom('account').selectAll().execute(),
  ]);
  expect(everything).not.toContain(secret);

  // A token that has ended is renewed with it.
  room.signIn.expireAll();
  expect((await services.connections.check(id)).status).toBe('working');
  expect(told.map(({ form }) => [form.get('grant_type'), form.get('client_secret')])).toEqual([
    ['authorization_code', secret],
    ['refresh_token', secret],
  ]);

  room.signIn.revokeAll();
  expect(await services.connections.check(id)).toMatchObject({ status: 'broken' });
  expect(await signIn(settings(), id)).toMatchObject({ state: 'done', connection: id });
  expect(told.at(-1)?.form.get('client_secret')).toBe(secret);
  expect((await services.connections.list()).length).toBe(1);
});

test('another sign-in page is never told the secret that was given for the first', async () => {
  const { connection } = await signIn(settings({ secret }));
  const elsewhere = await openHost();
  try {
    told = [];
    await signIn(settings({ issuer: elsewhere.url }), connection ?? '');
    expect(told.map(({ host, form }) => [host, form.get('client_secret')])).toEqual([[elsewhere.url, null]]);
  } finally {
    await elsewhere.close();
  }
});

test('settings that are given besides never take a secret into the open', async () => {
  const view = await services.connections.add({
    app: 'mailbox',
    name: 'Mailbox',
    settings: settings({ secret, key: secret }),
    key: 'a password',
  });
  expect(JSON.stringify(view)).not.toContain(secret);
});
