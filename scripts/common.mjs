import { spawn, spawnSync } from 'node:child_process';
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

// What the commands share. Plain Node: nothing is installed yet when this runs.

export const root = dirname(dirname(fileURLToPath(import.meta.url)));

/** Ends with a sentence for the person. */
export function giveUp(sentence) {
  console.error(`\n${sentence}`);
  process.exit(1);
}

export const say = (sentence) => console.log(`· ${sentence}`);

/** Ends when this Node is too old. */
export function needNode() {
  const major = Number(process.versions.node.split('.')[0]);
  if (major < 20) giveUp(`Golden Relay needs Node 20 or newer; this is ${process.versions.node}.`);
}

/** Installs the packages when they are missing or the lock file is newer than what stands there. */
export function installPackages() {
  const mark = join(root, 'node_modules', '.golden-installed');
  const lock = join(root, 'package-lock.json');
  const isCurrent =
    existsSync(mark) && readFileSync(mark, 'utf8') === String(statSync(lock).size + readFileSync(lock, 'utf8').length);
  if (isCurrent) return;
  needCompiler();
  say('Installing packages. better-sqlite3 is compiled on this machine, which takes about two minutes.');
  const done = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel', 'error'], {
    cwd: root,
    stdio: 'inherit',
  });
  if (done.status !== 0)
    giveUp(
      'The packages could not be installed. Is the package registry reached, and are python3, make and g++ there to compile better-sqlite3?',
    );
  writeFileSync(mark, String(statSync(lock).size + readFileSync(lock, 'utf8').length));
}

/** One package is compiled at the install; what that takes is installed where Debian's packages can be. */
function needCompiler() {
  const missing = ['python3', 'make', 'g++'].filter(
    (tool) => spawnSync('sh', ['-c', `command -v ${tool}`]).status !== 0,
  );
  if (missing.length === 0) return;
  say(`Installing ${missing.join(', ')}, by which better-sqlite3 is compiled.`);
  const apt = process.getuid?.() === 0 ? ['apt-get'] : ['sudo', '-n', 'apt-get'];
  const run = (...args) =>
    spawnSync(apt[0], [...apt.slice(1), ...args], { stdio: ['ignore', 'ignore', 'inherit'] }).status;
  run('update');
  if (run('install', '-y', '--no-install-recommends', ...missing) !== 0) {
    giveUp(
      `${missing.join(', ')} could not be installed: that needs the right to install Debian packages. Install them and try again.`,
    );
  }
}

/** Builds the web pages and the servers into dist folders. */
export function build() {
  say('Building.');
  const done = spawnSync(process.execPath, [join(root, 'scripts', 'build.mjs')], {
    cwd: root,
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  if (done.status !== 0) giveUp('The build failed; what is wrong stands above.');
}

/** Ends with a sentence when a port can't be had. */
export async function needPort(port, what) {
  const isFree = await new Promise((resolve) => {
    const probe = createServer();
    probe.once('error', () => resolve(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
  });
  if (!isFree) giveUp(`Port ${port}, which ${what} needs, is in use. End the program that uses it and try again.`);
}

/** A small young generation: peak memory stays level, however many records a run has (docs/measurements.md). */
export const levelMemory = '--max-semi-space-size=4';

/** Runs built programs side by side until one ends or the person stops them. */
export function runTogether(programs) {
  const children = programs.map(([file, ...args]) =>
    spawn(process.execPath, [levelMemory, join(root, file), ...args], { cwd: root, stdio: 'inherit' }),
  );
  const endAll = () => {
    for (const child of children) child.kill('SIGTERM');
  };
  process.on('SIGINT', endAll);
  process.on('SIGTERM', endAll);
  for (const child of children) {
    child.on('exit', (code) => {
      endAll();
      process.exitCode ||= code ?? 0;
    });
  }
}
