import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Listening, listen, shelfAccounts, workbookShelf } from '@golden/standins';
import { Changed, Locked, NoRight, NotThere } from '../../errors.ts';
import { DavDocuments } from './dav-documents.ts';

// Files of any kind in folders of a server, judged by what lies there.

let folder: string;
let at: Listening;
let shelf: ReturnType<typeof workbookShelf>;
const bytes = (text: string): Uint8Array => Buffer.from(text);
const server = (mayEdit = true) =>
  new DavDocuments({
    title: 'The server',
    address: `${at.url}/api/files/`,
    signIn: { user: 'mira', password: shelfAccounts.find((one) => one.mayEdit === mayEdit)?.token ?? '' },
    retries: 0,
  });
const textAt = (path: string) => shelf.files.get(path)?.bytes.toString();

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'dav-documents-'));
  shelf = workbookShelf(folder);
  at = await listen(shelf.app, 0);
});
afterEach(async () => {
  await at.close();
  rmSync(folder, { recursive: true, force: true });
});

test('folders are made one in the other, however often and by whomever; a file in them is new once', async () => {
  const path = ['Notes & more', 'Ön #1', '山田'];
  await Promise.all([server().makeFolders(path), server().makeFolders(path)]);
  const file = [...path, 'Note 50 %.pdf'].join('/');
  const added = await Promise.all(['one', 'two', 'three'].map((text) => server().addNew(file, bytes(text))));
  expect(added.filter(Boolean)).toHaveLength(1);
  expect(textAt(file)).toBe(['one', 'two', 'three'][added.indexOf(true)]);
  expect(await server().addNew(file, bytes('four'))).toBe(false);
  // The question whether the server honours marks leaves nothing.
  expect(readdirSync(join(folder, 'files'))).toEqual(['Notes & more']);
});

test('what is there is written over and removed only as it was read', async () => {
  await server().addNew('note.pdf', bytes('one'));
  const read = await server().read('note.pdf');
  if (!read) throw new Error('It is there.');
  const mark = await server().replace('note.pdf', bytes('two'), read.etag);
  await expect(server().replace('note.pdf', bytes('three'), read.etag)).rejects.toThrow(Changed);
  await expect(server().remove('note.pdf', read.etag)).rejects.toThrow(Changed);
  expect(textAt('note.pdf')).toBe('two');
  await server().remove('note.pdf', mark);
  expect(textAt('note.pdf')).toBeUndefined();
  // Gone is as wished.
  await server().remove('note.pdf', mark);
  expect(await server().read('note.pdf')).toBeUndefined();
});

test('nothing is put where nobody may, and a file that is open elsewhere waits', async () => {
  await expect(server(false).addNew('note.pdf', bytes('one'))).rejects.toThrow(NoRight);
  await server().addNew('note.pdf', bytes('one'));
  const { etag } = (await server().read('note.pdf')) ?? { etag: '' };
  shelf.files.set('note.pdf', { isLocked: true });
  await expect(server().remove('note.pdf', etag)).rejects.toThrow(Locked);
  expect(textAt('note.pdf')).toBe('one');
});

test.each(['', '../note.pdf', 'a/../../note.pdf', 'a//note.pdf', 'a\\note.pdf', './note.pdf'])(
  '“%s” leads to no file of the folder',
  async (path) => {
    await expect(server().addNew(path, bytes('one'))).rejects.toThrow(NotThere);
    expect(shelf.files.others()).toEqual([]);
  },
);

test('files that were taken are put away one after the other, into a folder that is there from the first on', async () => {
  const store = server();
  for (const name of ['monday.csv', 'tuesday.csv']) {
    shelf.files.replace(name, Buffer.from(`A\n${name}\n`), undefined);
    const [file] = await store.handIns.files();
    expect(await store.handIns.putAway(name, file?.mark ?? '', 'moved')).toMatch(new RegExp(`/${name}$`));
  }
  expect(await store.handIns.files()).toEqual([]);
  expect(shelf.files.others().map(({ name }) => name.split('/').at(-1))).toEqual(['monday.csv', 'tuesday.csv']);
});
