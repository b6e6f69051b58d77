import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Listening, listen, shelfAccounts, workbookShelf } from '@golden/standins';
import { Changed, Locked, NoRight, NotSignedIn, NotThere, NotUnderstood, Refused, Unsure } from '../../errors.ts';
import { OddServer } from '../../testing/odd-webdav.ts';
import { WebDavStore } from './webdav-store.ts';

const token = (mayEdit: boolean): string => shelfAccounts.find((one) => one.mayEdit === mayEdit)?.token ?? '';
const bytes = (text: string): Uint8Array => Buffer.from(text);
const textOf = (taken: { bytes?: Uint8Array | undefined }): string => Buffer.from(taken.bytes ?? []).toString();
const open = (address: string, key: string): WebDavStore =>
  new WebDavStore({ title: 'The server', address, signIn: { token: key }, retries: 0 });

describe('the practice shelf over WebDAV', () => {
  let folder: string;
  let at: Listening;
  let shelf: ReturnType<typeof workbookShelf>;
  const address = (): string => `${at.url}/api/files/`;
  const store = (key = token(true)) => open(address(), key);
  const ask = (method: string, name: string, headers: Record<string, string> = {}) =>
    fetch(`${address()}${name}`, { method, headers: { authorization: `Bearer ${token(true)}`, ...headers } });
  beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), 'webdav-store-'));
    shelf = workbookShelf(folder);
    shelf.files.replace('list.csv', Buffer.from('A\n1\n'), undefined);
    at = await listen(shelf.app, 0);
  });
  afterEach(async () => {
    await at.close();
    rmSync(folder, { recursive: true, force: true });
  });

  test('a file is taken with its mark, and not sent again while it is the same (RFC 9110, 13.1.2)', async () => {
    const first = await store().take('list.csv');
    if (!first.bytes) throw new Error('It was not sent.');
    expect(textOf(first)).toBe('A\n1\n');
    expect(await store().take('list.csv', first.etag)).toEqual({ bytes: undefined, mayWrite: true });
    await store().replace('list.csv', bytes('A\n2\n'), first.etag);
    expect(textOf(await store().take('list.csv', first.etag))).toBe('A\n2\n');
  });

  test('two who write over the same mark: the second is refused, and nothing of the first is lost (If-Match)', async () => {
    const { etag } = (await store().take('list.csv')) as { etag: string };
    const second = await store().replace('list.csv', bytes('A\n2\n'), etag);
    await expect(store().replace('list.csv', bytes('A\n3\n'), etag)).rejects.toThrow(Changed);
    expect(textOf(await store().take('list.csv'))).toBe('A\n2\n');
    expect(second).not.toBe(etag);
  });

  test('a new file never writes over one that is there, whatever its name holds', async () => {
    const name = 'Ön “stock” & 50 % #1.csv';
    await store().add(name, bytes('B\n1\n'));
    await expect(store().add(name, bytes('B\n2\n'))).rejects.toThrow(Refused);
    expect(textOf(await store().take(name))).toBe('B\n1\n');
    expect(await store().list()).toEqual([
      { name: 'list.csv', mayWrite: true },
      { name, mayWrite: true },
    ]);
  });

  test('who may only view is told so before and when writing; a strange token and a file that is none are told', async () => {
    const viewer = store(token(false));
    expect(await viewer.whoAmI()).toEqual({ account: 'visitor', id: 'shelf-1', mayWrite: false });
    const { etag } = (await viewer.take('list.csv')) as { etag: string };
    await expect(viewer.replace('list.csv', bytes('A\n9\n'), etag)).rejects.toThrow(NoRight);
    await expect(store('nobody').list()).rejects.toThrow(NotSignedIn);
    await expect(store().take('gone.csv')).rejects.toThrow(NotThere);
    await expect(open(`${at.url}/api/files/list.csv`, token(true)).whoAmI()).rejects.toThrow('leads to no folder');
  });

  test('the right of each file is the one of whoever asks (RFC 3744); user and password sign in too (RFC 7617)', async () => {
    shelf.files.set('list.csv', { right: 'view' });
    const signIn = { user: 'Zoë', password: token(true) };
    const named = new WebDavStore({ title: 'The server', address: address(), signIn, retries: 0 });
    expect(await named.list()).toEqual([{ name: 'list.csv', mayWrite: false }]);
    expect(await named.take('list.csv')).toMatchObject({ mayWrite: false });
    expect(await named.whoAmI()).toEqual({ account: 'front desk', id: 'shelf-1', mayWrite: true });
  });

  test('whether the server honours If-Match is asked once, and leaves nothing there', async () => {
    await store().whoAmI();
    const before = shelf.state.requests;
    await store().whoAmI();
    expect(shelf.state.requests - before).toBe(2);
    expect(shelf.state.writes).toBe(0);
    expect(shelf.files.list().map(({ name }) => name)).toEqual(['list.csv']);
  });

  test('a file that somebody has locked, or open in a desktop program, waits; ours is unlocked again', async () => {
    const { etag } = (await store().take('list.csv')) as { etag: string };
    const locked = await ask('LOCK', 'list.csv', { timeout: 'Second-600' });
    await expect(store().replace('list.csv', bytes('A\n2\n'), etag)).rejects.toThrow(Locked);
    expect((await ask('DELETE', 'list.csv')).status).toBe(423);
    await ask('UNLOCK', 'list.csv', { 'lock-token': locked.headers.get('lock-token') ?? '' });
    shelf.files.set('list.csv', { isLocked: true });
    await expect(store().replace('list.csv', bytes('A\n2\n'), etag)).rejects.toThrow('is open in another program');
    shelf.files.set('list.csv', { isLocked: false });
    const next = await store().replace('list.csv', bytes('A\n2\n'), etag);
    await store().replace('list.csv', bytes('A\n3\n'), next);
    expect(textOf(await store().take('list.csv'))).toBe('A\n3\n');
  });
});

describe('servers that do otherwise', () => {
  const server = new OddServer();
  beforeEach(() => server.start());
  afterEach(() => server.stop());
  const store = () => open(server.address, 'x');

  test('a server that ignores If-Match is only read, and says so; the question is taken away again', async () => {
    server.does.ignoresIfMatch = true;
    const { etag, readOnlyBecause } = (await store().take('list.csv')) as { etag: string; readOnlyBecause: string };
    expect(readOnlyBecause).toContain('ignores If-Match');
    expect(await store().whoAmI()).toMatchObject({ mayWrite: false, readOnlyBecause });
    await expect(store().replace('list.csv', bytes('A\n2\n'), etag)).rejects.toThrow(NoRight);
    expect([...server.files.keys()]).toEqual(['list.csv']);
    expect(server.textOf('list.csv')).toBe('A\n1\n');
  });

  test('what doesn’t speak WebDAV at all is only read', async () => {
    server.does.saysNoLevel = true;
    expect(await store().take('list.csv')).toMatchObject({ mayWrite: false, readOnlyBecause: expect.any(String) });
  });

  test('a file without its mark isn’t taken: nobody could tell later whether it has changed', async () => {
    server.does.hasNoEtag = true;
    await expect(store().take('list.csv')).rejects.toThrow(NotUnderstood);
  });

  test('a page in place of the folder or the file is neither', async () => {
    server.does.page = 'PROPFIND';
    await expect(store().list()).rejects.toThrow('a web page instead of data');
    server.does.page = 'GET';
    await expect(store().take('list.csv')).rejects.toThrow('a web page instead of data');
  });

  // RFC 9110 section 8.8.1: a weak mark never fits If-Match (strong comparison).
  test('a file saved a moment ago has a weak mark: it is replaced under the lasting one, if it is still the same', async () => {
    server.does.weakFor = 2;
    const one = store();
    const { etag } = (await one.take('list.csv')) as { etag: string };
    expect(etag).toMatch(/^W\//);
    await one.replace('list.csv', bytes('A\n2\n'), etag);
    expect(server.textOf('list.csv')).toBe('A\n2\n');
    server.does.weakFor = 2;
    const again = (await one.take('list.csv')) as { etag: string };
    server.files.set('list.csv', bytes('A\n9\n'));
    await expect(one.replace('list.csv', bytes('A\n3\n'), again.etag)).rejects.toThrow(Changed);
    expect(server.textOf('list.csv')).toBe('A\n9\n');
  });

  test('a server that doesn’t say the new mark is asked for it; what isn’t as it was put is unsure, not done', async () => {
    server.does.tellsNoNewEtag = true;
    const { etag } = (await store().take('list.csv')) as { etag: string };
    const next = await store().replace('list.csv', bytes('A\n2\n'), etag);
    expect(await store().take('list.csv', next)).toMatchObject({ bytes: undefined });
    server.does.savesBefore = (name) => server.files.set(name, bytes('A\n7\n'));
    await expect(store().replace('list.csv', bytes('A\n3\n'), next)).rejects.toThrow(Unsure);
  });

  test('it writes under a lock where there are locks, and without one where they are refused', async () => {
    server.does.hasLocks = true;
    const { etag } = (await store().take('list.csv')) as { etag: string };
    const next = await store().replace('list.csv', bytes('A\n2\n'), etag);
    expect(server.heard.slice(-3)).toEqual(['LOCK', 'PUT under the lock', 'UNLOCK']);
    server.does.refusesLocks = true;
    await store().replace('list.csv', bytes('A\n3\n'), next);
    expect(server.heard.slice(-2)).toEqual(['LOCK', 'PUT']);
  });

  test('the file that LibreOffice or a spreadsheet program puts beside an open one keeps it from being written', async () => {
    const { etag } = (await store().take('list.csv')) as { etag: string };
    for (const beside of ['.~lock.list.csv#', '~$list.csv']) {
      server.files.set(beside, bytes('Ada'));
      await expect(store().replace('list.csv', bytes('A\n2\n'), etag)).rejects.toThrow(Locked);
      expect(await store().list()).toHaveLength(1);
      server.files.delete(beside);
    }
    expect(server.textOf('list.csv')).toBe('A\n1\n');
  });
});
