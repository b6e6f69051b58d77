import { execFile, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { labelledPairs } from '../demo/src/pairs.ts';
import { scoreSuggestions, summed } from '../demo/src/suggested.ts';
import { bundle } from '../scripts/bundle.mjs';
import { levelMemory } from '../scripts/common.mjs';
import { programs } from '../scripts/programs.mjs';
import { measureEditor } from './editor.ts';
import { measureAppending, measureFiles } from './files.ts';
import { measureFillings } from './fillings.ts';

// Timing claims, as ratios measured in one run. Each measurement is a process of its own, so that
// none leaves memory or a warm compiler to the next.

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const outdir = join(root, '.tmp', 'bench');

/** A run that appends rows to a workbook, in a process of its own. */
async function measureGathering(count: number, into: number): Promise<Gathered> {
  return { rows: count, into, ...(await program<Omit<Gathered, 'rows' | 'into'>>('gathering', count, into)) };
}

interface Gathered {
  readonly rows: number;
  readonly into: number;
  readonly seconds: number;
  readonly replacements: number;
  readonly ratio: number;
  readonly pollMs: number;
}

/** What a measurement prints as its last line. */
export interface Measured {
  readonly seconds: number;
  readonly cpuMs: number;
  readonly peakMb: number;
  readonly [more: string]: number;
}

async function measure(task: string, ...args: (string | number)[]): Promise<Measured> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-bench-'));
  const started = performance.now();
  const out = await new Promise<string>((resolve, reject) => {
    const child = spawn(
      process.execPath,
      [levelMemory, join(outdir, 'measure.mjs'), task, folder, ...args.map(String)],
      {
        stdio: ['ignore', 'pipe', 'inherit'],
      },
    );
    let text = '';
    child.stdout.on('data', (chunk) => {
      text += chunk;
    });
    child.once('exit', (code) => (code === 0 ? resolve(text) : reject(new Error(`${task} failed`))));
  });
  rmSync(folder, { recursive: true, force: true });
  const measured = JSON.parse(out.trim().split('\n').at(-1) ?? '{}') as Measured;
  console.log(`  ${task} ${args.join(' ')}: ${((performance.now() - started) / 1000).toFixed(1)} s in all`);
  return measured;
}

const few = process.argv.includes('--quick') ? 1000 : 10_000;
const many = process.argv.includes('--quick') ? 4000 : 100_000;
const fixed = (value: number, digits = 2): string => value.toFixed(digits);

/** One measurement of matching over a file of the test data. */
async function measureMatching(task: string, name: string): Promise<Record<string, number>> {
  const { stdout } = await promisify(execFile)(process.execPath, [
    levelMemory,
    join(outdir, 'matching.mjs'),
    task,
    name,
    join(root, 'core', 'testdata', 'matching'),
  ]);
  return JSON.parse(stdout.trim().split('\n').at(-1) ?? '{}') as Record<string, number>;
}

async function benchMatching(): Promise<void> {
  const files = process.argv.includes('--quick') ? ['contacts_1k', 'contacts_10k'] : ['contacts_10k', 'contacts_70k'];
  const searches: Record<string, number>[] = [];
  for (const name of files) {
    const found = await measureMatching('search', name);
    const plainly = await measureMatching('reference', name);
    searches.push(found);
    const { seconds = 0, records = 0, comparedPairs = 0, peakMb = 0, precision = 0, recall = 0, f1 = 0 } = found;
    console.log(`
Duplicates among ${records} contacts
  seconds                      ${fixed(seconds, 1)}   (peak ${fixed(peakMb, 0)} MB, ${comparedPairs} pairs compared)
  to Jaro–Winkler of each field of the same pairs by a library, one thread  ${fixed(seconds / (plainly['seconds'] ?? 1))}
  precision, recall, F1        ${fixed(precision, 3)}, ${fixed(recall, 3)}, ${fixed(f1, 3)}`);
  }
  const [small, large] = searches as [Record<string, number>, Record<string, number>];
  const ratio = (of: string): number => (large[of] ?? 0) / (small[of] ?? 1);
  const looked = await measureMatching('index', files[1] as string);
  const labelled = await measureMatching('labelled', 'contacts_10k');
  console.log(`
Time grows                     ${fixed(ratio('seconds') / ratio('records'))} times as fast as the records   (goal at most 1.30)
An index of 100,000 records    built in ${fixed(looked['buildSeconds'] ?? 0, 1)} s, peak ${fixed(looked['peakMb'] ?? 0, 0)} MB
  an exact way                 ${fixed((looked['exactMedian'] ?? 0) * 1000, 0)} µs, the middle one
  likeness                     ${fixed(looked['alikeMedian'] ?? 0, 1)} ms, the middle one; 95 of 100 within ${fixed(looked['alike95'] ?? 0, 1)} ms
A learner with labels on half of contacts_10k, on the other half: precision ${fixed(labelled['precision'] ?? 0, 3)}, recall ${fixed(labelled['recall'] ?? 0, 3)}, F1 ${fixed(labelled['f1'] ?? 0, 3)}
`);
}

/**
 * Handing over, beside the same writes without: into an app that takes 20 ms for an answer, as apps do, where the goal
 * stands; and into one that answers at once, where nothing hides what each record costs us.
 */
async function benchHanding(): Promise<void> {
  const direct = await measure('engine', few, 20);
  const handing = await measure('handing', few, 20);
  const directAtOnce = await measure('engine', few, 0);
  const handingAtOnce = await measure('handing', few, 0);
  const bulk = await measure('many', 1000, 0);
  console.log(`
${few} rows handed over to a second workflow that writes them, to the same writes without
  seconds, 20 ms an answer     ${fixed(handing.seconds / direct.seconds)}   (goal at most 1.50; ${fixed(handing.seconds)} s)
  seconds, answered at once    ${fixed(handingAtOnce.seconds / directAtOnce.seconds)}   (${fixed(handingAtOnce.seconds)} s)
  CPU                          ${fixed(handingAtOnce.cpuMs / directAtOnce.cpuMs)}
1000 new records into an app that takes 100 in one call   ${fixed(bulk.seconds)} s, ${bulk['calls'] ?? 0} calls
`);
}

/** Two places compared from their copies, and a record found among many items. */
async function benchArrived(): Promise<void> {
  const isQuick = process.argv.includes('--quick');
  const records = isQuick ? 10_000 : 100_000;
  const run = (task: string, count: number): Promise<Measured> => program<Measured>('arrived', task, count);
  const small = await run('reconcile', records / 10);
  const large = await run('reconcile', records);
  const items = isQuick ? 50_000 : 1_000_000;
  const found = await run('find', items);
  console.log(`
${records} records reconciled with as many, from copies   ${fixed(large.seconds, 1)} s   (goal at most 10 s)
  to a tenth of them           ${fixed(large.seconds / small.seconds, 1)} times the time
  held besides what is given   ${fixed(large['heldMb'] ?? 0, 0)} MB
  found                        ${large['differ']} differ, ${large['onlyLeft']} only here, ${large['doubled']} doubled
A record among ${items} items
  in the middle                ${fixed(found['middleMs'] ?? 0, 1)} ms
  the slowest search           ${fixed(found['slowestMs'] ?? 0, 1)} ms   (goal 50 ms)
  their words made in          ${fixed(found.seconds, 0)} s, ${fixed((found.seconds / items) * 1e6, 0)} µs an item
`);
}

/** A record with many lines beside one with an eighth of them. */
async function benchLines(): Promise<void> {
  const { few, many, some, all } = await program<Lines>('lines');
  console.log(`
A record with ${many} lines to one with ${few}, each line a customer that is made   (goal: linear, ${many / few})
  processor time               ${fixed(all.cpu / some.cpu)} times   (${fixed(all.cpu)} s)
  written to the disk          ${fixed(all.mb / some.mb)} times   (${fixed(all.mb, 0)} MB)
`);
}

interface Lines {
  readonly few: number;
  readonly many: number;
  readonly some: { readonly cpu: number; readonly mb: number };
  readonly all: { readonly cpu: number; readonly mb: number };
}

/** What keeps the server from answering while it searches and compares. */
async function benchLoop(): Promise<void> {
  const records = process.argv.includes('--quick') ? 10_000 : 100_000;
  const found = await program<Record<'search' | 'reconcile', Measured>>('loop', records);
  const told = ({ seconds, longestMs }: Measured) =>
    `${fixed(longestMs ?? 0, 0)} ms at most   (in ${fixed(seconds, 0)} s; goal 50 ms)`;
  console.log(`
The server kept from answering, with ${records} records
  a search for duplicates      ${told(found.search)}
  two lists reconciled         ${told(found.reconcile)}
`);
}

/** A program of the bench in a folder of its own; gives what it printed last. */
async function program<T>(name: string, ...args: (string | number)[]): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), 'golden-bench-'));
  const all = [levelMemory, join(outdir, `${name}.mjs`), folder, ...args.map(String)];
  const { stdout } = await promisify(execFile)(process.execPath, all);
  rmSync(folder, { recursive: true, force: true });
  return JSON.parse(stdout.trim().split('\n').at(-1) ?? '{}') as T;
}

/** Many workflows asked every minute, one connection slow. */
async function benchBusy(): Promise<void> {
  const found = await program<Record<string, number>>('busy', process.argv.includes('--quick') ? 2000 : 50_000, 3);
  console.log(`
A busy day: ${found['workflows']} workflows asked every minute over 20 connections, one of them slow, beside ${found['parked']} parked records
  from shown to made           ${fixed(found['middle'] ?? 0, 0)} ms in the middle, 95 of 100 within ${fixed(found['slow'] ?? 0, 0)} ms, ${fixed(found['slowest'] ?? 0, 0)} ms at most (${found['delivered']} records)
  the server kept from answering ${fixed(found['longestMs'] ?? 0, 0)} ms at most   (goal 50 ms)
  processor                    ${fixed((found['cpuShare'] ?? 0) * 100, 0)} % of one; ${found['memoryMb']} MB
`);
}

/** Records rehearsed through a lookup that goes by likeness. */
async function benchLookups(): Promise<void> {
  const found = await program<Record<string, number>>('lookups', 1000, 3000);
  console.log(`
${found['count']} records rehearsed through a lookup by mail and likeness, against ${found['known']}
  the first time, with the copy to make   ${fixed(found['seconds'] ?? 0, 1)} s
  again                                   ${fixed(found['again'] ?? 0, 1)} s   (goal 3 s)
`);
}

/** The first lookup after a start, beside a large copy. */
async function benchMirror(): Promise<void> {
  const found = await program<Record<string, number>>('mirror', process.argv.includes('--quick') ? 20_000 : 100_000);
  const built = found['built'] ?? 1;
  const told = (seconds = 0) => `${fixed(seconds, 2)} s, ${fixed(seconds / built, 3)} times building it anew`;
  console.log(`
The first lookup after a start, by likeness among ${found['count']} records: ${found['same'] ? 'the same is found' : 'SOMETHING ELSE IS FOUND'}
  its index built anew         ${fixed(built, 1)} s   (stored beside it in ${fixed(found['storing'] ?? 0, 1)} s)
  taken up as it was stored    ${told(found['takenUp'])}   (goal 1 s)
  one in fifty changed since   ${told(found['withChanges'])}
  the server kept from answering ${fixed(found['longestMs'] ?? 0, 0)} ms at most   (goal 50 ms)
`);
}

/** A run undone as a whole, beside the run itself. */
async function benchUndo(): Promise<void> {
  const found = await program<Measured>('undo', 2000);
  const ran = found['ran'] ?? 1;
  console.log(`
2000 new records of a run, undone as a whole
  looked at                    ${fixed((found['looked'] ?? 0) / ran)} times the run's own time
  undone                       ${fixed(found.seconds / ran)} times   (${fixed(found.seconds, 1)} s)
  the server kept from answering ${fixed(found['longestMs'] ?? 0, 0)} ms at most
`);
}

interface Year {
  readonly items: number;
  readonly bytesAnItem: number;
  readonly startSeconds: number;
  readonly memoryMb: number;
  readonly removed: { readonly seconds: number; readonly longestMs: number };
  readonly swept: {
    readonly items: number;
    readonly seconds: number;
    readonly longestMs: number;
    readonly bytesAnItem: number;
  };
  readonly lists: Readonly<Record<string, { readonly few: number; readonly many: number }>>;
}

/** A file with a year of use in it: the lists, the start and a removal, beside a file with a few hundred items. */
async function benchYear(): Promise<void> {
  const items = process.argv.includes('--quick') ? 50_000 : 1_000_000;
  const found = await program<Year>('year', items, items / 100);
  const lists = Object.entries(found.lists).map(
    ([name, { few: before, many: now }]) =>
      `  ${name.padEnd(28)} ${fixed(now, 0)} ms, ${fixed(now / before, 1)} times that of 300 items`,
  );
  console.log(`
A year of use: ${found.items} items of 60 workflows, one in a hundred of which needs a person   (goal: each list under 200 ms)
${lists.join('\n')}
  start                        ${fixed(found.startSeconds, 1)} s until everything is taken up   (goal 2 s)
  memory afterwards            ${fixed(found.memoryMb, 0)} MB
  in the file                  ${fixed(found.bytesAnItem, 0)} bytes an item
  a workflow removed           ${fixed(found.removed.seconds, 1)} s, the server kept from answering ${fixed(found.removed.longestMs, 0)} ms at most
  what ${found.swept.items} of them held, taken out   ${fixed(found.swept.seconds, 0)} s, the server kept from answering ${fixed(found.swept.longestMs, 0)} ms at most; ${fixed(found.swept.bytesAnItem, 0)} bytes an item then
`);
}

/** One-page PDFs, made and put into a folder. */
async function benchDocuments(): Promise<void> {
  const made = await measure('documents', 1000, 0);
  console.log(`
1000 one-page PDFs put into a folder   ${fixed(made.seconds, 1)} s   (goal at most 60 s; peak ${fixed(made.peakMb, 0)} MB)
  the server kept from answering       ${fixed(made['longestMs'] ?? 0, 0)} ms at most
`);
}

await bundle(
  {
    measure: 'bench/measure.ts',
    matching: 'bench/matching.ts',
    arrived: 'bench/arrived.ts',
    undo: 'bench/undo.ts',
    lines: 'bench/lines.ts',
    loop: 'bench/loop.ts',
    busy: 'bench/busy.ts',
    lookups: 'bench/lookups.ts',
    mirror: 'bench/mirror.ts',
    'matching-worker': programs['matching-worker'],
    year: 'bench/year.ts',
    gathering: 'bench/gathering.ts',
    'workbook-worker': programs['workbook-worker'],
    'document-worker': programs['document-worker'],
    'checkpoint-worker': programs['checkpoint-worker'],
  },
  outdir,
);
const isQuick = process.argv.includes('--quick');
console.log('Measuring…');
if (process.argv.includes('--handing')) {
  await benchHanding();
  process.exit(0);
}
if (process.argv.includes('--documents')) {
  await benchDocuments();
  process.exit(0);
}
if (process.argv.includes('--year')) {
  await benchYear();
  process.exit(0);
}
if (process.argv.includes('--lines')) {
  await benchLines();
  process.exit(0);
}
if (process.argv.includes('--busy')) {
  await benchBusy();
  process.exit(0);
}
if (process.argv.includes('--lookups')) {
  await benchLookups();
  process.exit(0);
}
if (process.argv.includes('--mirror')) {
  await benchMirror();
  process.exit(0);
}
if (process.argv.includes('--loop')) {
  await benchLoop();
  process.exit(0);
}
if (process.argv.includes('--undo')) {
  await benchUndo();
  process.exit(0);
}
if (process.argv.includes('--arrived')) {
  await benchArrived();
  process.exit(0);
}
await benchMatching();
if (process.argv.includes('--matching')) process.exit(0);
await benchHanding();
await benchArrived();
await benchUndo();
await benchLines();
await benchLoop();
await benchLookups();
await benchMirror();
await benchBusy();
await benchYear();
await benchDocuments();
const plain = await measure('plain', few, 20);
const engine = await measure('engine', few, 20);
const instant = await measure('engine', few, 0);
const large = await measure('engine', many, 0);
const rehearsal = await measure('rehearse', 1000);
const start = await measure('start', few, 0);
const dueAtOnce = isQuick ? 1000 : 10_000;
const waits = await measure('waits', dueAtOnce, 0);
const parked = isQuick ? waits : await measure('waits', 50_000, 0);
const events = await measure('events', isQuick ? 10 : 60, 0);

console.log(`
${few} customers to an HTTP sink with 20 ms latency, 8 at once
  plain script                 ${fixed(plain.seconds)} s
  engine                       ${fixed(engine.seconds)} s
  ratio                        ${fixed(engine.seconds / plain.seconds)}   (goal at most 1.20)
  of it: taking in             ${fixed(engine['takeInSeconds'] ?? 0)} s
CPU an item, instant sink       ${fixed(instant.cpuMs / few)} ms   (${fixed(instant.seconds)} s in all)
Peak memory
  ${few} records              ${fixed(instant.peakMb, 0)} MB
  ${many} records             ${fixed(large.peakMb, 0)} MB
  ratio                        ${fixed(large.peakMb / instant.peakMb)}   (goal at most 1.20)
The server kept from answering  ${fixed(large['longestMs'] ?? 0, 0)} ms at most, by ${many} records   (goal 50 ms; a thousandth of the time more than ${fixed(large['oftenMs'] ?? 0, 0)} ms)
Rehearsal of 1000 records       ${fixed(rehearsal.seconds)} s   (goal under 2 s)
Start with ${start['open'] ?? 0} open records  ${fixed(start['startSeconds'] ?? 0)} s until it serves, ${fixed(start.seconds)} s until all is done   (the same without a stop ${fixed(instant.seconds)} s)
${dueAtOnce} records that come due in one moment, each read again first, none sent twice
  seconds                      ${fixed(waits.seconds)}, ${fixed(waits.cpuMs / dueAtOnce / (instant.cpuMs / few))} times the CPU of an item without a wait
A look for what is due, with ${isQuick ? dueAtOnce : 50_000} parked to none parked   ${fixed((parked['parkedMicros'] ?? 0) / (parked['emptyMicros'] ?? 1))}   (goal at most 1.5; all sent in ${fixed(parked.seconds, 0)} s)
Posted events, 10 at once: from the post to the row in the sink
  in the middle                ${fixed(events['middle'] ?? 0, 0)} ms
  95 of 100 within             ${fixed(events['slow'] ?? 0, 0)} ms   (goal 250 ms)
50 a second for ${fixed(events.seconds, 0)} s         all stored, memory ${fixed(events['growth'] ?? 0)} times that before   (goal: flat)
`);

const filled = measureFillings(few);
console.log(`
To the same mapping written by hand in TypeScript
  20 fillings a record         ${fixed(filled.fillings)}   (goal at most 5; ${fixed(filled.fillingsMicros, 0)} µs a record)
  20 decimal formulas          ${fixed(filled.formulas)}   (goal at most 10; ${fixed(filled.formulasMicros, 0)} µs a record)
`);
const openedFiles = await measureFiles(isQuick ? 60_000 : 600_000, isQuick ? 6000 : 60_000);
console.log(`
Large files, opened and listed while something else waits for its turn
${openedFiles
  .map(
    ({ what, megabytes, rows, seconds, longestPause }) =>
      `  ${what.padEnd(12)} ${fixed(megabytes, 1)} MB, ${rows} rows   ${fixed(seconds)} s, the longest pause ${fixed(longestPause, 0)} ms = ${fixed(longestPause / 1000 / seconds, 3)} of it   (goal under 200 ms)`,
  )
  .join('\n')}
`);
const appending = await measureAppending(isQuick ? [1000, 20_000] : [1000, 20_000, 100_000]);
console.log(`
Rows put below the last one of a workbook, as a ratio to unpacking and packing the same file with nothing changed
${appending
  .map(
    ({ rows, into, seconds, ratio }) =>
      `  ${rows} rows into ${String(into).padEnd(8)} ${fixed(ratio)} (${fixed(seconds)} s)   (goal at most 3)`,
  )
  .join('\n')}
`);
const gathered = await measureGathering(isQuick ? 500 : 5000, isQuick ? 2000 : 20_000);
console.log(`
Rows appended by one run
  ${gathered.rows} into ${gathered.into}   ${fixed(gathered.seconds, 1)} s in ${gathered.replacements} replacements of the file, ${fixed(gathered.ratio, 1)} times the change alone   (goal one or two replacements, 3 s)
  a check of the file as it is, unchanged   ${fixed(gathered.pollMs, 0)} ms   (goal 20 ms at 100,000 rows)
`);
console.log('Measuring the editor in the browser…');
await (await import('vite')).build({
  root: join(root, 'web'),
  logLevel: 'error',
  configFile: join(root, 'web', 'vite.config.ts'),
});
await bundle(programs, join(root, 'dist'));
const editor = await measureEditor();
const scores = await scoreSuggestions(labelledPairs);
const shares = summed(scores);
console.log(`
From a key to the painted values, 95 of 100 keys within
  40 fields × 50 samples, 20 by formula   ${fixed(editor.forty.p95, 0)} ms   (goal under 50 ms; the middle one ${fixed(editor.forty.median, 0)} ms)
  300 fields × 50 samples      ${fixed(editor.threeHundred.p95, 0)} ms   (goal under 100 ms; the middle one ${fixed(editor.threeHundred.median, 0)} ms)
Opening a workflow with 210 samples   ${fixed(editor.openMs, 0)} ms   (goal under 500 ms)
First load, packed                    ${fixed(editor.firstLoadBytes / 1024, 0)} kB   (goal at most 250 kB)

Proposals for ${scores.length} labelled pairs of places
  right, of what is proposed           ${fixed(shares.right * 100, 1)} %   (goal at least 95 %)
  rightly proposed, of what is mapped  ${fixed(shares.covered * 100, 1)} %   (goal at least 90 %)
  wrong money, ids or recognising fields  ${shares.dear}   (goal 0)
${scores.flatMap((one) => [...one.wrong, ...one.missing].map((said) => `  ${one.name}: ${said}`)).join('\n')}
`);
process.exit(0);
