import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { openDb } from './open.ts';
import { giveRoomBack, letRoomGo } from './room.ts';

// A data file gives the room of what was taken out back to the disk. Judged by the size of the file itself.

let folder: string;
let file: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-room-'));
  file = join(folder, 'golden.sqlite');
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Fills a table with so many megabytes, and takes all but one row out of it. */
function fillAndTakeOut(sqlite: SQLite.Database, megabytes: number): void {
  sqlite.exec('CREATE TABLE filled (id INTEGER PRIMARY KEY, content BLOB)');
  const insert = sqlite.prepare('INSERT INTO filled (content) VALUES (?)');
  sqlite.transaction(() => {
    for (let no = 0; no < megabytes; no++) insert.run(Buffer.alloc(1024 * 1024, no));
  })();
  sqlite.exec('DELETE FROM filled WHERE id > 1');
}

const megabytes = (sqlite: SQLite.Database): number => {
  sqlite.pragma('wal_checkpoint(TRUNCATE)');
  return statSync(file).size / 1024 / 1024;
};

test('a new file gives its room back piece by piece, keeps a little, and others are answered in between', async () => {
  const { db, sqlite } = await openDb(file);
  fillAndTakeOut(sqlite, 40);
  expect(megabytes(sqlite)).toBeGreaterThan(40);
  let answered = 0;
  const ticking = setInterval(() => {
    answered += 1;
  }, 0);
  const bytes = await giveRoomBack(sqlite, () => false);
  clearInterval(ticking);
  expect(bytes / 1024 / 1024).toBeGreaterThan(28);
  expect(megabytes(sqlite)).toBeLessThan(12);
  expect(answered).toBeGreaterThan(10);
  expect(sqlite.prepare('SELECT length(content) AS size FROM filled').all()).toEqual([{ size: 1024 * 1024 }]);
  expect(sqlite.pragma('integrity_check', { simple: true })).toBe('ok');
  await db.destroy();
});

test('each piece is carried out by whom it is given to', async () => {
  const { db, sqlite } = await openDb(file);
  fillAndTakeOut(sqlite, 12);
  const before = Number(sqlite.pragma('freelist_count', { simple: true }));
  const asked: string[] = [];
  let pieces = 0;
  await giveRoomBack(
    sqlite,
    () => {
      pieces += 1;
      return pieces > 3;
    },
    async (statement) => asked.push(statement),
  );
  expect(asked).toHaveLength(3);
  expect(sqlite.pragma('freelist_count', { simple: true })).toBe(before);
  sqlite.exec(asked[0] ?? '');
  expect(sqlite.pragma('freelist_count', { simple: true })).toBe(before - 16);
  await db.destroy();
});

test('it can be stopped in the middle, and goes on the next time', async () => {
  const { db, sqlite } = await openDb(file);
  fillAndTakeOut(sqlite, 30);
  let pieces = 0;
  await giveRoomBack(sqlite, () => {
    pieces += 1;
    return pieces > 5;
  });
  expect(megabytes(sqlite)).toBeGreaterThan(25);
  await giveRoomBack(sqlite, () => false);
  expect(megabytes(sqlite)).toBeLessThan(12);
  await db.destroy();
});

test('a file of an earlier release is written anew once, with all that is in it', async () => {
  const sqlite = new SQLite(file);
  sqlite.pragma('journal_mode = WAL');
  fillAndTakeOut(sqlite, 20);
  expect(await giveRoomBack(sqlite, () => false)).toBe(0);
  let told = 0;
  const reason = letRoomGo(sqlite, (bytes) => {
    told = bytes;
  });
  expect(reason).toBeUndefined();
  expect(told).toBeGreaterThan(20 * 1024 * 1024);
  expect(megabytes(sqlite)).toBeLessThan(3);
  expect(sqlite.prepare('SELECT id FROM filled').all()).toEqual([{ id: 1 }]);
  sqlite.exec('DROP TABLE filled');
  fillAndTakeOut(sqlite, 20);
  expect(await giveRoomBack(sqlite, () => false)).toBeGreaterThan(0);
  expect(sqlite.pragma('integrity_check', { simple: true })).toBe('ok');
  sqlite.close();
});
