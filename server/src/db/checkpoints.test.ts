import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import SQLite from 'better-sqlite3';
import { sql } from 'kysely';
import pino from 'pino';
import { Checkpoints, type LogLimits } from './checkpoints.ts';
import { GroupCommit } from './group-commit.ts';
import { type OpenData, openDb } from './open.ts';

// The log is taken over into the data file by a thread, while others write. Judged by another connection and by the
// sizes of the files.

let folder: string;
let file: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-log-'));
  file = join(folder, 'golden.sqlite');
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

test('what is written gets into the file itself without whoever writes, and nothing of it is lost', async () => {
  const { db, sqlite } = await openDb(file);
  sqlite.exec('CREATE TABLE lines (id INTEGER PRIMARY KEY, content BLOB)');
  const { checkpoints } = around({ db, sqlite }, { every: 250, long: 8000 });
  checkpoints.start();
  const before = statSync(file).size;
  const insert = sqlite.prepare('INSERT INTO lines (content) VALUES (?)');
  let lines = 0;
  // Until it shows: how long that takes is up to the machine.
  while (statSync(file).size < before + 1024 * 1024) {
    insert.run(Buffer.alloc(8192, 7));
    lines += 1;
    await new Promise((resolve) => setImmediate(resolve));
  }
  await checkpoints.stop();
  await db.destroy();
  const reader = new SQLite(file, { readonly: true });
  expect(reader.prepare('SELECT count(*) AS n FROM lines').get()).toEqual({ n: lines });
  expect(reader.pragma('integrity_check', { simple: true })).toBe('ok');
  reader.close();
});

function around({ db, sqlite }: OpenData, limits: LogLimits) {
  const commits = new GroupCommit(db, { pause: () => Promise.resolve(), onFull: () => undefined });
  return { commits, checkpoints: new Checkpoints({ file, sqlite, commits, log: pino({ level: 'silent' }) }, limits) };
}

/** How often the log has begun anew: SQLite counts it in the log's head. */
const beginnings = (): number => readFileSync(`${file}-wal`).readUInt32BE(12);

test('beside commits without a pause the log begins anew all the same, and they go on when the thread ends', async () => {
  const { db, sqlite } = await openDb(file);
  sqlite.exec('CREATE TABLE lines (id INTEGER PRIMARY KEY, content BLOB)');
  const { commits, checkpoints } = around({ db, sqlite }, { every: 1, long: 50 });
  let lines = 0;
  const commit = async (): Promise<void> => {
    await commits.run(async (trx) => {
      for (let no = 0; no < 20; no++)
        await sql`INSERT INTO lines (content) VALUES (${Buffer.alloc(8192, 7)})`.execute(trx);
    });
    lines += 20;
  };
  checkpoints.start();
  await commit();
  const before = beginnings();
  while (beginnings() < before + 5) await commit();
  // In the middle of what it asks for, as often as not.
  const stopped = checkpoints.stop();
  for (let no = 0; no < 20; no++) await commit();
  await stopped;
  await commit();
  await db.destroy();
  const reader = new SQLite(file, { readonly: true });
  expect(reader.prepare('SELECT count(*) AS n FROM lines').get()).toEqual({ n: lines });
  expect(reader.pragma('integrity_check', { simple: true })).toBe('ok');
  reader.close();
});

test.each([true, false])(
  'a long statement (in the thread: %s) is carried out once, between commits, and its failure is told',
  async (isStarted) => {
    const { db, sqlite } = await openDb(file);
    sqlite.exec('CREATE TABLE steps (id INTEGER PRIMARY KEY, said TEXT)');
    const { commits, checkpoints } = around({ db, sqlite }, { every: 1000, long: 100_000 });
    if (isStarted) checkpoints.start();
    const said = (text: string) => commits.run((trx) => sql`INSERT INTO steps (said) VALUES (${text})`.execute(trx));
    const work: Promise<unknown>[] = [];
    for (let no = 0; no < 20; no++) {
      work.push(said(`before ${no}`));
      work.push(
        checkpoints
          .carryOut(`INSERT INTO steps (said) VALUES ('aside ${no}'), ('aside ${no}')`)
          .then((changed) => expect(changed).toBe(2)),
      );
      await new Promise((resolve) => setImmediate(resolve));
    }
    await expect(checkpoints.carryOut('INSERT INTO nowhere VALUES (1)')).rejects.toThrow(/nowhere/);
    await Promise.all(work);
    await said('after');
    const { n } = sqlite.prepare('SELECT count(*) AS n FROM steps').get() as { n: number };
    expect(n).toBe(20 + 40 + 1);
    await checkpoints.stop();
    expect(await checkpoints.carryOut("DELETE FROM steps WHERE said = 'after'")).toBe(1);
    await db.destroy();
  },
);

test('a process that ends in the middle leaves a whole file', () => {
  const program = `
    import { Worker } from 'node:worker_threads';
    import SQLite from 'better-sqlite3';
    const sqlite = new SQLite(process.argv[1]);
    sqlite.pragma('journal_mode = WAL');
    sqlite.pragma('wal_autocheckpoint = 0');
    sqlite.exec('CREATE TABLE lines (id INTEGER PRIMARY KEY, content BLOB)');
    new Worker(process.argv[2], { workerData: { file: process.argv[1], every: 1, long: 100000 }, execArgv: [] });
    const insert = sqlite.prepare('INSERT INTO lines (content) VALUES (?)');
    let lines = 0;
    setInterval(() => {
      for (let no = 0; no < 50; no++) insert.run(Buffer.alloc(4096, 7));
      lines += 50;
      process.stdout.write(lines + '\\n');
      if (lines >= 2000) process.kill(process.pid, 'SIGKILL');
    }, 0);`;
  const worker = join(__dirname, 'checkpoint-worker.mjs');
  const { stdout, signal } = spawnSync(process.execPath, ['--input-type=module', '--eval', program, file, worker], {
    encoding: 'utf8',
    cwd: __dirname,
  });
  expect(signal).toBe('SIGKILL');
  const told = Number(stdout.trim().split('\n').at(-1));
  const sqlite = new SQLite(file);
  const { n } = sqlite.prepare('SELECT count(*) AS n FROM lines').get() as { n: number };
  expect(n).toBeGreaterThanOrEqual(told);
  expect(sqlite.pragma('integrity_check', { simple: true })).toBe('ok');
  sqlite.close();
});
