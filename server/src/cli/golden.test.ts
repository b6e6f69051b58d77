import { execFile } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import SQLite from 'better-sqlite3';
import { backupCommand } from './backup.ts';

const entry = join(__dirname, '..', 'golden.ts');

/** The command as somebody types it. */
const golden = (...args: string[]): Promise<{ code: number; out: string; error: string }> =>
  new Promise((resolve) => {
    execFile(process.execPath, ['--import', 'tsx', entry, ...args], (error, out, said) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, error: said }),
    );
  });

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-cli-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

test('each command is listed by help; an unknown one lists them and fails; a formula may begin with a minus', async () => {
  const [help, unknown, formula] = await Promise.all([golden('help'), golden('whatever'), golden('formula', '-2^2')]);
  for (const command of ['formula', 'duplicates', 'match', 'backup', 'help'])
    expect(help.out).toMatch(new RegExp(`^golden ${command}`, 'm'));
  expect(help.code).toBe(0);
  expect(unknown).toMatchObject({ code: 2, out: '' });
  expect(unknown.error).toContain('There is no command “whatever”.');
  expect(unknown.error).not.toContain('    at ');
  expect(JSON.parse(formula.out)).toEqual({ type: 'number', value: '4' });
});

test('duplicates of a CSV file are written as pairs with how sure they are; a wrong column is named', async () => {
  const people = join(folder, 'people.csv');
  const out = join(folder, 'pairs.csv');
  const rows = Array.from({ length: 60 }, (_, at) => `${at},Person ${at},person${at}@clay.example`);
  writeFileSync(
    people,
    ['id,full_name,email', ...rows, '90,Zoë Ó Briain,zoe@obriain.example', '91,Zoe O’Briain,zoe@obriain.example'].join(
      '\n',
    ),
  );
  const [done, wrong] = await Promise.all([
    golden('duplicates', people, '--key', 'id', '--out', out),
    golden('duplicates', people, '--key', 'number', '--out', join(folder, 'no.csv')),
  ]);
  expect(done.code).toBe(0);
  expect(readFileSync(out, 'utf8')).toMatch(/^(?=.*\b90\b)(?=.*\b91\b).*$/m);
  expect(wrong.code).not.toBe(0);
  expect(wrong.error).toContain('has no column "number". Its columns are "id", "full_name", "email".');
});

// Too long within Jest, where computing takes several times as long. Bars of the project for invented data with labels.
test('70,000 contacts: found again, and in a large table too 60 % means 60 %', async () => {
  const [people, truth] = ['contacts_70k', 'contacts_70k_truth'].map((name) => {
    const path = join(folder, `${name}.csv`);
    writeFileSync(path, gunzipSync(readFileSync(join(__dirname, `../../../core/testdata/matching/${name}.csv.gz`))));
    return path;
  }) as [string, string];
  const done = await golden('duplicates', people, '--truth', truth, '--out', join(folder, 'pairs.csv'));
  const said = JSON.parse(done.out) as Record<'f1' | 'calibrationGap' | 'peakMemoryMb' | 'records' | 'ask', number>;
  expect(said.records).toBe(70_000);
  expect(said.f1).toBeGreaterThan(0.96);
  expect(said.calibrationGap).toBeLessThan(0.15);
  expect(said.ask).toBeLessThan(0.08 * said.records);
});

test('a backup is a whole copy of the data file; without a file or a folder it says what is missing', async () => {
  const data = join(folder, 'data');
  mkdirSync(data);
  const db = new SQLite(join(data, 'golden.sqlite'));
  db.exec("CREATE TABLE kept (text TEXT); INSERT INTO kept VALUES ('a row')");
  db.close();
  const to = join(folder, 'copies');
  const made = await backupCommand([to, '--data', data], '2026-11-24T09:00:00.000Z');
  expect(made).toMatchObject({ code: 0 });
  const [copy = ''] = readdirSync(to).filter((name) => name.endsWith('.sqlite'));
  const read = new SQLite(join(to, copy), { readonly: true });
  expect(read.prepare('SELECT text FROM kept').get()).toEqual({ text: 'a row' });
  read.close();
  expect(await backupCommand([])).toMatchObject({ code: 2 });
  expect(await backupCommand([to, '--data', join(folder, 'nowhere')])).toMatchObject({ code: 1 });
  expect((await backupCommand([to, '--dta', data])).error).toContain('golden backup FOLDER');
});
