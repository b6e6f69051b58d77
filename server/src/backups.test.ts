import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { type BackupCopy, backupFrom } from './backups.ts';
import { backupCommand } from './cli/backup.ts';
import { expectContent, holdFolder } from './data-folder.ts';
import { openDb } from './db/open.ts';
import { realSeams } from './seams.ts';
import { masterKey } from './secrets/sealing.ts';
import { productAroundEach } from './testing/around.ts';
import { goLive } from './testing/checks.ts';
import { addCustomers, customersWorkflow } from './testing/world.ts';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-backup-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const count = (file: string, table: string): number => {
  const db = new SQLite(file, { readonly: true });
  try {
    return (db.prepare(`SELECT count(*) AS count FROM ${table}`).get() as { count: number }).count;
  } finally {
    db.close();
  }
};

describe('copies of the data file', () => {
  const product = productAroundEach();

  test('hold all that was finished, also what stands beside the file only; and open as a workspace', async () => {
    addCustomers(product.world, 9);
    const id = await customersWorkflow(product.services, product.connected);
    await goLive(product.services, id);
    const dataFile = join(product.world.folder, 'golden.sqlite');
    const result = await backupCommand([folder, '--data', product.world.folder], '2026-11-27T09:03:54.000Z');
    expect(result).toMatchObject({ code: 0, out: expect.stringContaining('golden-2026-11-27T090354Z.sqlite') });
    const byCommand = join(folder, 'golden-2026-11-27T090354Z.sqlite');
    const own = join(product.services.backups.folder, (await product.services.backups.make()).name);
    for (const copy of [byCommand, own]) {
      for (const table of ['item', 'write', 'seen', 'journal', 'connection'])
        expect(count(copy, table)).toBe(count(dataFile, table));
      expect(statSync(copy).mode & 0o077).toBe(0);
    }
    // Put back in a folder of its own, it is the workspace of that moment.
    const { db, sqlite } = await openDb(byCommand);
    expect(sqlite.pragma('integrity_check', { simple: true })).toBe('ok');
    expect((await db.selectFrom('item').select('state').execute()).map(({ state }) => state)).toEqual(
      Array.from({ length: 9 }, () => 'delivered'),
    );
    await db.destroy();
  });

  test('one that is made while records are written is of one moment: what it holds balances', async () => {
    addCustomers(product.world, 120);
    const id = await customersWorkflow(product.services, product.connected);
    const copies: Promise<BackupCopy>[] = [];
    const going = goLive(product.services, id);
    for (let at = 0; at < 4; at++)
      copies.push(backupFrom(join(product.world.folder, 'golden.sqlite'), folder, clockAt(at)));
    const own = await product.services.backups.make();
    await going;
    for (const { name } of await Promise.all(copies)) expectConsistent(join(folder, name));
    expectConsistent(join(product.services.backups.folder, own.name));
  });

  test('one each night, in the zone of the workspace; seven are kept, and other files are left alone', async () => {
    const clock = { at: 0 };
    await product.reopen({ seams: { ...realSeams, now: () => new Date(clock.at).toISOString() } });
    const { backups } = product.services;
    clock.at = Date.parse('2026-11-27T02:59:00Z');
    expect(await backups.isDue()).toBe(true);
    await backups.make();
    expect(await backups.isDue()).toBe(false);
    clock.at = Date.parse('2026-11-27T03:01:00Z');
    expect(await backups.isDue()).toBe(true);
    writeFileSync(join(backups.folder, 'mine.sqlite'), '');
    writeFileSync(join(backups.folder, 'golden-2020-01-01T000000Z.sqlite.part'), '');
    for (let night = 0; night < 9; night++) {
      clock.at = Date.parse('2026-11-27T03:01:00Z') + night * 86_400_000;
      expect(await backups.isDue()).toBe(true);
      await backups.make();
      expect(await backups.isDue()).toBe(false);
    }
    expect((await backups.list()).map(({ at }) => at.slice(8, 10))).toEqual(['05', '04', '03', '02', '01', '30', '29']);
    expect(readdirSync(backups.folder)).toContain('mine.sqlite');
  });

  test('one that can’t be made is told, and leaves nothing that looks like one', async () => {
    const file = join(folder, 'not a folder');
    writeFileSync(file, '');
    await product.reopen({ backupFolder: file });
    await expect(product.services.backups.make()).rejects.toThrow('No backup could be made');
    expect(product.services.backups.trouble).toContain('not a folder');
    expect(await backupCommand([file, '--data', product.world.folder])).toMatchObject({ code: 1 });
    expect(await backupCommand([folder, '--data', '/nowhere'])).toMatchObject({
      code: 1,
      error: expect.stringContaining('no data file'),
    });
    expect(await backupCommand([])).toMatchObject({ code: 2 });
    expect(readdirSync(folder)).toEqual(['not a folder']);
  });

  test('a damaged data file makes no copy', async () => {
    const damaged = join(folder, 'golden.sqlite');
    writeFileSync(damaged, Buffer.alloc(8192, 7));
    await expect(backupFrom(damaged, join(folder, 'copies'), clockAt(0))).rejects.toThrow('No backup was made');
    expect(readdirSync(join(folder, 'copies'))).toEqual([]);
  });

  const clockAt = (at: number): string => `2026-11-27T09:00:0${at}.000Z`;
});

/** Each delivered item has the write that delivered it, and nothing refers to what isn't there. */
function expectConsistent(file: string): void {
  const db = new SQLite(file, { readonly: true });
  expect(db.pragma('integrity_check', { simple: true })).toBe('ok');
  expect(db.pragma('foreign_key_check')).toEqual([]);
  const { count } = db
    .prepare(
      `SELECT count(*) AS count FROM item WHERE state = 'delivered'
       AND NOT EXISTS (SELECT 1 FROM write WHERE write.item_id = item.id AND write.status = 'done')`,
    )
    .get() as { count: number };
  expect(count).toBe(0);
  db.close();
}

describe('what lies in the data folder', () => {
  const root = join(__dirname, '..', '..');
  // As it is started: bundled, in a process of its own.
  beforeAll(() => {
    execFileSync(process.execPath, ['scripts/bundle.mjs', 'golden', 'server/src/main.ts', '.tmp/start'], { cwd: root });
  });

  test('is readable by its owner only, also what an earlier release left open', async () => {
    const data = join(folder, 'data');
    mkdirSync(data, { mode: 0o755 });
    const { db } = await openDb(join(data, 'golden.sqlite'));
    holdFolder(data).release();
    for (const name of readdirSync(data)) expect([name, statSync(join(data, name)).mode & 0o077]).toEqual([name, 0]);
    expect(statSync(data).mode & 0o077).toBe(0);
    masterKey(undefined, join(folder, 'key'));
    expect(statSync(join(folder, 'key')).mode & 0o777).toBe(0o600);
    await db.destroy();
  });

  test('an empty key file is refused, and nothing is put in its place', () => {
    const key = join(folder, 'key');
    writeFileSync(key, ' \n');
    expect(() => masterKey(undefined, key)).toThrow('is empty. Put a copy of it back');
    expect(statSync(key).size).toBe(2);
    expect(masterKey('from outside', key)).toBe('from outside');
  });

  test('a data file that has lost its content isn’t taken for a new workspace', () => {
    const [data, key] = [join(folder, 'golden.sqlite'), join(folder, 'key')];
    writeFileSync(key, 'k');
    expect(() => expectContent(data, key)).not.toThrow();
    writeFileSync(data, '');
    expect(() => expectContent(data, key)).toThrow('--new');
    // What was written and not yet taken over lies beside it.
    writeFileSync(`${data}-wal`, 'x');
    expect(() => expectContent(data, key)).not.toThrow();
    truncateSync(`${data}-wal`);
    rmSync(key);
    expect(() => expectContent(data, key)).not.toThrow();
  });

  test.each([
    ['no database', 'is damaged'],
    ['cut off', 'is damaged'],
    ['newer', 'newer Golden Relay'],
    ['empty beside its key', '--new'],
    ['empty key', 'is empty. Put a copy of it back'],
  ])('%s: the server says so in a sentence and ends', async (kind, sentence) => {
    const data = join(folder, 'data');
    const file = join(data, 'golden.sqlite');
    mkdirSync(data);
    const { db, sqlite } = await openDb(file);
    if (kind === 'newer')
      sqlite.prepare("INSERT INTO kysely_migration (name, timestamp) VALUES ('999_later', '2030-01-01')").run();
    sqlite.pragma('wal_checkpoint(TRUNCATE)');
    await db.destroy();
    writeFileSync(`${data}.key`, kind === 'empty key' ? '' : 'k');
    if (kind === 'no database') writeFileSync(file, 'This is no database at all, whatever it is called.'.repeat(100));
    if (kind === 'cut off') truncateSync(file, 5000);
    if (kind === 'empty beside its key') truncateSync(file);
    try {
      execFileSync(
        process.execPath,
        [join(root, '.tmp/start/golden.mjs'), '--data', data, '--port', '0', '--door-port', '0', '--mail-port', '0'],
        {
          stdio: ['ignore', 'pipe', 'pipe'],
        },
      );
      throw new Error('It started.');
    } catch (error) {
      const said = String((error as { stderr?: Buffer }).stderr ?? error);
      expect(said).toContain(sentence);
      expect(said).not.toContain('    at ');
    }
  });
});
