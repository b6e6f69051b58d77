import { type ChildProcess, spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { formatPointer, type JsonRecord, type PlannedWrite } from '@golden/core';
import pRetry from 'p-retry';
import { appsFor } from '../../apps.ts';
import type { Connector } from '../../connector.ts';
import { Changed, Locked, NotSignedIn } from '../../errors.ts';
import { newXlsx } from '../xlsx.ts';
import { WebDavStore } from './webdav-store.ts';

// Debian's Apache HTTP Server with mod_dav, where it is installed: a server that isn't ours.

const program = '/usr/sbin/apache2';
const modules = '/usr/lib/apache2/modules';
const isThere = existsSync(program) && existsSync(join(modules, 'mod_dav_fs.so'));
const names = ['mpm_event', 'authn_core', 'authn_file', 'authz_core', 'authz_user', 'auth_basic', 'dav', 'dav_fs'];

/** A port that nobody listens at just now. */
async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

const describeHere = isThere ? describe : describe.skip;

describeHere('Apache with mod_dav', () => {
  let folder: string;
  let files: string;
  let port: number;
  let apache: ChildProcess;
  const address = (): string => `http://127.0.0.1:${port}/office/`;
  const store = (password = 'kiln') =>
    new WebDavStore({ title: 'The server', address: address(), signIn: { user: 'mira', password }, retries: 0 });
  const open = (): Connector =>
    appsFor([], {})
      .find(({ id }) => id === 'file_server')
      ?.open({ address: address(), user: 'mira', key: 'kiln' }, { mayCallInside: async () => true }) as Connector;
  const put = async (name: string): Promise<void> => {
    writeFileSync(join(files, name), await newXlsx('List', ['Number', 'Name']));
    chmodSync(join(files, name), 0o666);
    // Saved long ago: a file of this very second has no lasting mark yet.
    utimesSync(join(files, name), 1_700_000_000, 1_700_000_000);
  };

  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'apache-'));
    files = join(folder, 'office');
    mkdirSync(files);
    for (const one of [folder, files]) chmodSync(one, 0o777);
    port = await freePort();
    // The password “kiln”, as htpasswd writes it with SHA-1.
    writeFileSync(join(folder, 'users'), 'mira:{SHA}eQjqUNrLuakYmK9R1woFQhHUbe4=\n');
    const lines = [
      `ServerRoot ${folder}`,
      'ServerName localhost',
      `Listen 127.0.0.1:${port}`,
      `PidFile ${join(folder, 'pid')}`,
      `ErrorLog ${join(folder, 'errors')}`,
      `DocumentRoot ${folder}`,
      ...(process.getuid?.() === 0 ? ['User www-data', 'Group www-data'] : []),
      ...[...names, 'authz_host'].map((name) => `LoadModule ${name}_module ${modules}/mod_${name}.so`),
      `DavLockDB ${join(folder, 'locks')}`,
      `<Directory ${files}>`,
      'Dav On',
      'AuthType Basic',
      'AuthName office',
      `AuthUserFile ${join(folder, 'users')}`,
      'Require valid-user',
      '</Directory>',
    ];
    writeFileSync(join(folder, 'apache.conf'), `${lines.join('\n')}\n`);
    apache = spawn(program, ['-f', join(folder, 'apache.conf'), '-D', 'FOREGROUND'], { stdio: 'ignore' });
    const asked = (): Promise<unknown> =>
      fetch(address()).catch((error: unknown) => {
        throw new Error('Apache doesn’t answer yet.', { cause: error });
      });
    await pRetry(asked, { retries: 60, minTimeout: 100, factor: 1.1 });
  });
  afterAll(async () => {
    const ended = new Promise((resolve) => apache.on('exit', resolve));
    apache.kill('SIGTERM');
    await ended;
    rmSync(folder, { recursive: true, force: true });
  });
  beforeEach(async () => {
    for (const name of readdirSync(files)) rmSync(join(files, name), { recursive: true, force: true });
    await put('list.xlsx');
  });

  test('its folder is listed, a file is taken and replaced under its mark, and an older mark is refused', async () => {
    await expect(store('wrong').list()).rejects.toThrow(NotSignedIn);
    expect(await store().whoAmI()).toEqual({ account: 'mira', mayWrite: true });
    expect(await store().list()).toEqual([{ name: 'list.xlsx', mayWrite: true }]);
    const one = store();
    const first = (await one.take('list.xlsx')) as { bytes: Uint8Array; etag: string };
    expect(await one.take('list.xlsx', first.etag)).toEqual({ bytes: undefined, mayWrite: true });
    const changed = await newXlsx('Other', ['A']);
    const next = await one.replace('list.xlsx', changed, first.etag);
    expect(Buffer.from((await one.take('list.xlsx')).bytes ?? [])).toEqual(Buffer.from(changed));
    await expect(one.replace('list.xlsx', first.bytes, first.etag)).rejects.toThrow(Changed);
    // Replaced a moment ago: the lasting mark is waited for.
    await one.replace('list.xlsx', first.bytes, next);
    expect(readdirSync(files).filter((name) => !name.startsWith('.'))).toEqual(['list.xlsx']);
  });

  test('what somebody has locked waits', async () => {
    const { etag } = (await store().take('list.xlsx')) as { etag: string };
    const authorization = `Basic ${Buffer.from('mira:kiln').toString('base64')}`;
    const lockinfo =
      '<D:lockinfo xmlns:D="DAV:"><D:lockscope><D:exclusive/></D:lockscope><D:locktype><D:write/></D:locktype></D:lockinfo>';
    const lock = await fetch(`${address()}list.xlsx`, {
      method: 'LOCK',
      headers: { authorization, 'content-type': 'application/xml' },
      body: lockinfo,
    });
    await expect(store().replace('list.xlsx', Buffer.from('x'), etag)).rejects.toThrow(Locked);
    const token = lock.headers.get('lock-token') ?? '';
    await fetch(`${address()}list.xlsx`, { method: 'UNLOCK', headers: { authorization, 'lock-token': token } });
    await store().replace('list.xlsx', await newXlsx('List', ['A']), etag);
  });

  test('as a connection: rows are put below, found, changed and taken out', async () => {
    const connector = open();
    const write = (values: JsonRecord, more: Partial<PlannedWrite> = {}): PlannedWrite => ({
      kind: 'create',
      target: { connection: 'c', path: ['list.xlsx', 'List'], recordType: 'List' },
      values: Object.fromEntries(Object.entries(values).map(([name, value]) => [formatPointer([name]), value])),
      types: {},
      ...more,
    });
    const path = ['list.xlsx', 'List'];
    const { id } = await connector.create({ token: 'a', write: write({ Number: 'N 1', Name: 'Zoë' }) });
    expect(await connector.find(path, { path: '/Number', value: 'N 1' })).toMatchObject([{ id }]);
    await connector.update({ token: 'b', write: write({ Name: 'Ada' }, { kind: 'update', id }) });
    expect((await open().list({ path })).records).toMatchObject([{ record: { Number: 'N 1', Name: 'Ada' } }]);
    await connector.remove(path, id, { Number: 'N 1', Name: 'Ada' });
    expect((await open().list({ path })).records).toEqual([]);
    expect(await connector.shape?.addPlace({ above: [], name: 'New list', columns: ['A'] })).toEqual([
      'New list.xlsx',
      'Records',
    ]);
    expect((await connector.health()).sees).toEqual(['New list.xlsx', 'list.xlsx']);
  });
});

if (!isThere) test('Apache isn’t installed here, so it wasn’t asked', () => undefined);
