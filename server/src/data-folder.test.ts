import { execFileSync, spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { asSentence, holdFolder } from './data-folder.ts';

let folder: string;

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'golden-lock-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const root = join(__dirname, '..', '..');
const bundled = join(root, '.tmp', 'lock');

// As the server is started: bundled, in a process of its own.
beforeAll(() => {
  const entry = join(bundled, 'hold.ts');
  execFileSync('mkdir', ['-p', bundled]);
  writeFileSync(
    entry,
    `import { holdFolder } from '${join(__dirname, 'data-folder.ts')}';
     try { holdFolder(process.argv[2]); console.log('held'); setInterval(() => undefined, 1000); }
     catch (error) { console.log(error.message); process.exit(1); }`,
  );
  execFileSync(process.execPath, ['scripts/bundle.mjs', 'hold', entry, '.tmp/lock'], { cwd: root });
});

/** Another process that holds the folder; resolves with it and with what it said first. */
function other(): Promise<{
  said: string;
  end: (signal: NodeJS.Signals) => Promise<void>;
  signal: (name: NodeJS.Signals) => void;
}> {
  const child = spawn(process.execPath, [join(bundled, 'hold.mjs'), folder], { stdio: ['ignore', 'pipe', 'inherit'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  return new Promise((resolve) =>
    child.stdout.once('data', (text: Buffer) =>
      resolve({
        said: text.toString().trim(),
        end: (signal) => {
          child.kill(signal);
          return ended;
        },
        signal: (name) => child.kill(name),
      }),
    ),
  );
}

test('one process has the folder; a second one is told so, and has it the moment the first is killed', async () => {
  const first = await other();
  expect(first.said).toBe('held');
  expect((await other()).said).toContain('Another Golden Relay is running on');
  expect(() => holdFolder(folder)).toThrow('choose another folder with --data');
  await first.end('SIGKILL');
  holdFolder(folder).release();
});

test('a process that is paused keeps it', async () => {
  const first = await other();
  first.signal('SIGSTOP');
  expect(() => holdFolder(folder)).toThrow('Another Golden Relay');
  first.signal('SIGCONT');
  await first.end('SIGTERM');
});

test('what was held is free after it was let go, and can be held again', () => {
  const held = holdFolder(folder);
  held.release();
  holdFolder(folder).release();
});

test.each([
  [0x6969, 'NFS'],
  [0xff534d42, 'CIFS'],
  [0xfe534d42, 'SMB 2'],
])('a folder on a network (%i) is refused', (kind, name) => {
  expect(() => holdFolder(folder, () => kind)).toThrow(`lies on a network (${name})`);
});

test('each thing that keeps a folder from being used has a sentence of its own', () => {
  const file = join(folder, 'file');
  writeFileSync(file, '');
  expect(() => holdFolder(file)).toThrow('is a file, not a folder');
  const said = (code: string): string => asSentence('/data', Object.assign(new Error('x'), { code })).message;
  expect(said('SQLITE_FULL')).toContain('is full');
  expect(said('EROFS')).toContain('can’t be written');
  expect(said('SQLITE_NOTADB')).toContain('is damaged');
  expect(said('SOMETHING')).toBe('x');
  chmodSync(folder, 0o500);
  // The owner of everything may write everywhere: then there is nothing to refuse.
  if (process.getuid?.() !== 0) expect(() => holdFolder(folder)).toThrow('can’t be written');
  chmodSync(folder, 0o700);
});
