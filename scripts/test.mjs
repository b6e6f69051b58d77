import { spawnSync } from 'node:child_process';
import {
  accessSync,
  chmodSync,
  constants,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  statfsSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, giveUp, installPackages, needNode, root, say } from './common.mjs';
import { writeGroups } from './test-groups.mjs';

// Installs what is needed, then lint, types, unit tests and interface tests; the last line sums them all.
// `npm test -- --only core` runs a part: lint, types, e2e, or the unit tests of one folder; several are
// told apart by commas.

const parts = ['lint', 'types', 'core', 'connectors', 'server', 'standins', 'demo', 'web', 'e2e'];
const folders = parts.slice(2, -1);
const only = chosenParts(process.argv.slice(2));
const has = (part) => only.includes(part);

needNode();
installPackages();
if (has('e2e')) installChromium();
if (has('server') || has('e2e')) installPdfReader();

const bin = (name) => join(root, 'node_modules', '.bin', name);
const results = join(root, '.tmp', 'test');
rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });
const scratch = scratchFolder();
process.on('exit', () => rmSync(scratch, { recursive: true, force: true }));
const total = { passed: 0, failed: 0 };

if (has('lint')) check('Lint and format', bin('biome'), ['ci', '.']);
if (has('types')) check('Types', process.execPath, [join(root, 'scripts', 'types.mjs')]);

const unitFolders = folders.filter(has);
if (unitFolders.length > 0) {
  say('Unit tests.');
  const unitFile = join(results, 'unit.json');
  const groups = writeGroups(unitFolders);
  run(bin('jest'), ['--json', `--outputFile=${unitFile}`, '--roots', groups, '--testMatch', '**/*.test.cjs']);
  count(unitFile, (unit) => ({
    passed: unit.numPassedTests,
    failed: unit.numFailedTests + unit.numRuntimeErrorTestSuites,
  }));
}

if (has('e2e')) {
  build();
  say('Interface tests.');
  const interfaceFile = join(results, 'interface.json');
  run(bin('playwright'), ['test', '--config', 'e2e/playwright.config.ts'], { GOLDEN_E2E_JSON: interfaceFile });
  count(interfaceFile, ({ stats }) => ({ passed: stats.expected + stats.flaky, failed: stats.unexpected }));
}

console.log(`${total.passed} passed, ${total.failed} failed`);
process.exit(total.failed > 0 ? 1 : 0);

/** The parts asked for; all of them when none is named, and a list of what there is when one isn't known. */
function chosenParts(given) {
  const at = given.indexOf('--only');
  if (at < 0 && given.length === 0) return parts;
  const named = at < 0 ? [] : (given[at + 1] ?? '').split(',').filter(Boolean);
  const strange = named.filter((one) => !parts.includes(one));
  if (named.length === 0 || strange.length > 0)
    giveUp(`Usage: npm test -- --only PART[,PART]. The parts are ${parts.join(', ')}.`);
  return named;
}

function run(command, args, more = {}) {
  return spawnSync(command, args, {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, TMPDIR: scratch, ...more },
  }).status;
}

/**
 * Where the tests put what they make: in memory where there is room. Each commit waits for the disk, and on a
 * machine whose disk is shared that wait was most of what the tests took. A killed process loses nothing there.
 */
function scratchFolder() {
  const inMemory = '/dev/shm';
  const needed = 4 * 1024 ** 3;
  let parent = tmpdir();
  try {
    accessSync(inMemory, constants.W_OK);
    const { bavail, bsize } = statfsSync(inMemory);
    if (bavail * bsize >= needed) parent = inMemory;
  } catch {
    // There is none: the usual folder does.
  }
  const folder = mkdtempSync(join(parent, 'golden-'));
  // Servers of other users, which some tests start, have to get through to what is theirs in it.
  chmodSync(folder, 0o711);
  return folder;
}

/** A check that passes or fails as a whole counts as one. */
function check(name, command, args) {
  say(`${name}.`);
  const isPassed = run(command, args) === 0;
  total[isPassed ? 'passed' : 'failed'] += 1;
  if (!isPassed) console.error(`${name}: failed`);
}

/** A runner that left no results failed as a whole. */
function count(file, read) {
  if (!existsSync(file)) {
    total.failed += 1;
    return;
  }
  const { passed, failed } = read(JSON.parse(readFileSync(file, 'utf8')));
  total.passed += passed;
  total.failed += failed + (passed + failed === 0 ? 1 : 0);
}

/** The one without a window, where Debian has it: it does the same work in two thirds of the time. */
function installChromium() {
  if (isInstalled('chromium-headless-shell')) return;
  say('Installing Debian’s headless chromium for the interface tests, which takes about a minute.');
  apt('update');
  installDebian('chromium-headless-shell');
  if (!isInstalled('chromium-headless-shell', 'chromium')) installDebian('chromium');
  if (!isInstalled('chromium-headless-shell', 'chromium'))
    giveUp(
      'Chromium could not be installed: that needs the right to install Debian packages. Install the package “chromium-headless-shell” or “chromium” and run the tests again.',
    );
}

/** The judge of what stands in our PDFs. */
function installPdfReader() {
  if (isInstalled('pdftotext')) return;
  say('Installing Debian’s poppler-utils, which reads the PDFs of the tests.');
  apt('update');
  installDebian('poppler-utils');
  if (!isInstalled('pdftotext'))
    giveUp(
      'The tools that read PDFs could not be installed: that needs the right to install Debian packages. Install the package “poppler-utils” and run the tests again.',
    );
}

function isInstalled(...names) {
  return names.some((name) => spawnSync('sh', ['-c', `command -v ${name}`]).status === 0);
}

function installDebian(name) {
  return apt('install', '-y', '--no-install-recommends', name);
}

function apt(...args) {
  const isRoot = process.getuid?.() === 0;
  return spawnSync(isRoot ? 'apt-get' : 'sudo', isRoot ? args : ['-n', 'apt-get', ...args], {
    stdio: ['ignore', 'ignore', 'inherit'],
  }).status;
}
