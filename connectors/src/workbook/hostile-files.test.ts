import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { NoRight, NotThere } from '../errors.ts';
import { FolderStore } from './folder-store.ts';

// What a folder and the files in it can hold against whoever opens them.

let above: string;
let folder: string;
beforeEach(() => {
  above = mkdtempSync(join(tmpdir(), 'golden-hostile-'));
  folder = join(above, 'folder');
  mkdirSync(folder);
  writeFileSync(join(above, 'secret.key'), 'Name\nour own key\n');
  writeFileSync(join(folder, 'own.csv'), 'Name\nAda\n');
});
afterEach(() => rmSync(above, { recursive: true, force: true }));

describe('a folder on this machine', () => {
  test('a link that leads out of it is neither listed nor read nor written', async () => {
    symlinkSync(join(above, 'secret.key'), join(folder, 'out.csv'));
    symlinkSync('/etc/passwd', join(folder, 'users.csv'));
    symlinkSync(above, join(folder, 'up'));
    symlinkSync(join(folder, 'own.csv'), join(folder, 'alias.csv'));
    const store = new FolderStore(folder);
    expect((await store.list()).map(({ name }) => name)).toEqual(['alias.csv', 'own.csv']);
    await expect(store.take('out.csv')).rejects.toThrow(NoRight);
    await expect(store.take('users.csv')).rejects.toThrow('leads out of the folder');
    await expect(store.take('up/secret.key')).rejects.toThrow(NotThere);
    await expect(store.replace('out.csv', Buffer.from('x'), 'any')).rejects.toThrow(NoRight);
    // One that stays within is the file that it leads to, also after writing.
    const taken = await store.take('alias.csv');
    await store.replace('alias.csv', Buffer.from('Name\nZoë\n'), (taken as { etag: string }).etag);
    expect(readFileSync(join(folder, 'own.csv'), 'utf8')).toBe('Name\nZoë\n');
    expect(readFileSync(join(above, 'secret.key'), 'utf8')).toBe('Name\nour own key\n');
  });

  test('a link that waits under the name of our own part is not written through', async () => {
    symlinkSync(join(above, 'secret.key'), join(folder, 'own.csv.golden-part'));
    symlinkSync(join(above, 'secret.key'), join(folder, 'new.csv.golden-part'));
    const store = new FolderStore(folder);
    const { etag } = (await store.take('own.csv')) as { etag: string };
    await store.replace('own.csv', Buffer.from('Name\nTom\n'), etag);
    await store.add('new.csv', Buffer.from('Name\n'));
    expect(readFileSync(join(above, 'secret.key'), 'utf8')).toBe('Name\nour own key\n');
    expect(readFileSync(join(folder, 'own.csv'), 'utf8')).toBe('Name\nTom\n');
  });

  test('what is no file doesn’t hold anything up, and one too large is told', async () => {
    execFileSync('mkfifo', [join(folder, 'pipe.csv')]);
    mkdirSync(join(folder, 'folder.csv'));
    execFileSync('truncate', ['-s', '65M', join(folder, 'large.csv')]);
    const store = new FolderStore(folder);
    await expect(store.take('pipe.csv')).rejects.toThrow(NoRight);
    await expect(store.take('folder.csv')).rejects.toThrow('no file that can be read');
    await expect(store.take('large.csv')).rejects.toThrow('larger than 64 MB');
    await expect(store.take('gone.csv')).rejects.toThrow('no file “gone.csv”');
    await expect(store.replace('gone.csv', Buffer.from(''), 'x')).rejects.toThrow(NotThere);
  });
});
