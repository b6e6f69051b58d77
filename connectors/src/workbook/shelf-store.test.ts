import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Listening, listen, shelfAccounts, workbookShelf } from '@golden/standins';
import { Changed, NoRight, NotSignedIn, NotThere, NotUnderstood, Refused, Unsure } from '../errors.ts';
import { ShelfStore } from './shelf-store.ts';

const token = (mayEdit: boolean): string => shelfAccounts.find((one) => one.mayEdit === mayEdit)?.token ?? '';
const bytes = (text: string): Uint8Array => Buffer.from(text);
const textOf = (taken: { bytes?: Uint8Array | undefined }): string => Buffer.from(taken.bytes ?? []).toString();

describe('the practice shelf', () => {
  let folder: string;
  let at: Listening;
  const store = (key = token(true)) => new ShelfStore({ address: `${at.url}/api`, token: key, retries: 0 });
  beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), 'shelf-store-'));
    const shelf = workbookShelf(folder);
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
    expect((await store().list()).map((one) => one.name)).toContain(name);
    expect(store().linkTo(name, 'Tab 1', 7)).toBe(`${at.url}/files/${encodeURIComponent(name)}?tab=Tab+1#row-7`);
  });

  test('who may only view is told so before and when writing; a strange token and a file that is none are told', async () => {
    const viewer = store(token(false));
    expect(await viewer.whoAmI()).toMatchObject({ mayWrite: false });
    const { etag } = (await viewer.take('list.csv')) as { etag: string };
    await expect(viewer.replace('list.csv', bytes('A\n9\n'), etag)).rejects.toThrow(NoRight);
    await expect(store('nobody').list()).rejects.toThrow(NotSignedIn);
    await expect(store().take('gone.csv')).rejects.toThrow(NotThere);
  });
});

describe('a shelf that answers otherwise than it should', () => {
  let server: Server;
  let address = '';
  let answer: { status: number; headers: Record<string, string>; body: string };
  beforeEach(async () => {
    server = createServer((_request, response) => {
      response.writeHead(answer.status, answer.headers);
      response.end(answer.body);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterEach(() => new Promise((resolve) => server.close(resolve)));
  const store = () => new ShelfStore({ address, token: 'x', retries: 0 });

  test('a file without its mark isn’t taken: nobody could tell later whether it has changed', async () => {
    answer = { status: 200, headers: { 'x-right': 'edit' }, body: 'A\n1\n' };
    await expect(store().take('list.csv')).rejects.toThrow(NotUnderstood);
  });

  test('a page in place of the file is no file', async () => {
    answer = { status: 200, headers: { 'content-type': 'text/html', etag: '"1"' }, body: '<h1>Maintenance</h1>' };
    await expect(store().take('list.csv')).rejects.toThrow('a web page instead of data');
  });

  test('a write whose answer names no new mark is unsure, not done', async () => {
    answer = { status: 204, headers: {}, body: '' };
    await expect(store().replace('list.csv', bytes('A\n2\n'), '"1"')).rejects.toThrow(Unsure);
  });
});
