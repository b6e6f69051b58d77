import { mkdirSync, readFileSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, type Start } from '@golden/core';
import fc from 'fast-check';
import type { Services } from '../services.ts';
import { unbalanced } from '../testing/checks.ts';
import { fieldFilling, openServices, openWorld, placeOf, type World } from '../testing/world.ts';

// A file that hasn't changed isn't listed again, and of one that has only what changed is compared. The books and
// what arrives are those of a place that is listed whole each time.

let world: World;
let services: Services;
let folder: string;
let connection: string;

beforeEach(async () => {
  world = await openWorld();
  services = await openServices(world);
  folder = join(world.folder, 'files');
  mkdirSync(folder);
  put([['1', 'Ada']]);
  writeFileSync(join(folder, 'out.csv'), 'Key,Name\n');
  ({ id: connection } = await services.connections.add({ app: 'folder', name: 'Files', settings: { folder } }));
});
afterEach(async () => {
  await services.close();
  await world.close();
});

type Row = readonly [string, string];

let saved = 1_600_000_000;
/** Saves the file as a person does, at a later time each. */
function put(rows: readonly Row[], name = 'list.csv'): void {
  writeFileSync(join(folder, name), ['Key,Name', ...rows.map((row) => row.join(','))].join('\n'));
  saved += 10;
  utimesSync(join(folder, name), saved, saved);
}

async function workflow(on: Start['on']): Promise<string> {
  const { id } = await services.workflows.add({
    ...emptyContent('Copy'),
    start: {
      source: await placeOf(services, connection, ['list.csv', 'list']),
      on,
      identity: '/Key',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: on === 'removed' ? 'now' : 'all' },
      holdsAbove: 10_000,
    },
    steps: [
      {
        id: 'write',
        kind: 'write',
        target: await placeOf(services, connection, ['out.csv', 'out']),
        mode: 'append',
        mapping: { '/Key': fieldFilling('/Key'), '/Name': fieldFilling('/Name') },
      },
    ],
  });
  return id;
}

async function check(id: string) {
  const run = await services.engine.checkNow(id);
  await services.engine.finish(run);
  await services.engine.quiet();
  const { in_source, noted_earlier, taken_in } = await services.db
    .selectFrom('run')
    .selectAll()
    .where('id', '=', run)
    .executeTakeFirstOrThrow();
  return [in_source, noted_earlier, taken_in];
}

async function live(id: string): Promise<void> {
  const { run } = await services.engine.makeLive(id);
  await services.engine.finish(run);
  await services.engine.quiet();
}

const arrived = (): string[] => readFileSync(join(folder, 'out.csv'), 'utf8').split(/\r?\n/).slice(1).filter(Boolean);
const seenInRuns = async () =>
  (await services.db.selectFrom('seen').select('run_id').distinct().execute()).map(({ run_id }) => run_id).length;

test('an unchanged file is counted as known and not listed; of a changed one only what changed is compared', async () => {
  put([
    ['1', 'Ada'],
    ['2', 'Zoë'],
    ['2', 'Zoë again'],
    ['', 'Nobody'],
  ]);
  const id = await workflow('added_or_changed');
  await live(id);
  expect(await check(id)).toEqual([4, 4, 0]);
  expect(await seenInRuns()).toBe(1);
  put([
    ['1', 'Ada'],
    ['2', 'Zoë B.'],
    ['2', 'Zoë again'],
    ['', 'Nobody'],
    ['5', 'Eve'],
  ]);
  expect(await check(id)).toEqual([5, 3, 2]);
  // What was left out keeps the run in which it was seen last.
  expect(await seenInRuns()).toBe(2);
  expect(await check(id)).toEqual([5, 5, 0]);
  expect(arrived().sort()).toEqual([',Nobody', '1,Ada', '2,Zoë', '2,Zoë B.', '2,Zoë again', '5,Eve']);
  expect(await unbalanced(services)).toEqual([]);
});

test('after a restart too, and not by another version than it was listed by', async () => {
  const id = await workflow('added');
  await live(id);
  expect(await check(id)).toEqual([1, 1, 0]);
  await services.close();
  services = await openServices(world);
  expect(await check(id)).toEqual([1, 1, 0]);
  put([
    ['1', 'Ada'],
    ['2', 'Zoë'],
  ]);
  expect(await check(id)).toEqual([2, 1, 1]);
  const { draft, draftRev } = await services.workflows.get(id);
  await services.workflows.saveDraft(id, { ...draft, start: { ...draft.start, on: 'added_or_changed' } }, draftRev);
  await live(id);
  put([
    ['1', 'Ada L.'],
    ['2', 'Zoë'],
  ]);
  expect(await check(id)).toEqual([2, 1, 1]);
});

test('a file put back as it was two saves ago is looked at anew, though its time is that of then', async () => {
  const id = await workflow('added_or_changed');
  await live(id);
  const { mtime } = statSync(join(folder, 'list.csv'));
  put([['1', 'Ada B.']]);
  expect(await check(id)).toEqual([1, 0, 1]);
  put([['1', 'Ada']]);
  utimesSync(join(folder, 'list.csv'), mtime, mtime);
  expect(await check(id)).toEqual([1, 0, 1]);
  expect(arrived()).toEqual(['1,Ada', '1,Ada B.', '1,Ada']);
});

test('what was removed shows, though nothing else has changed', async () => {
  put([
    ['1', 'Ada'],
    ['2', 'Zoë'],
  ]);
  const id = await workflow('removed');
  await live(id);
  expect(await check(id)).toEqual([2, 2, 0]);
  put([['2', 'Zoë']]);
  expect(await check(id)).toEqual([2, 1, 1]);
  expect(await check(id)).toEqual([1, 1, 0]);
  expect(arrived()).toEqual(['1,Ada']);
});

// The judge is a list kept by hand: each content that a key had at some check, in order.
test('whatever is saved between the checks, each change of each key arrives once and in order', async () => {
  const row = fc.tuple(fc.constantFrom('1', '2', '3', '4'), fc.constantFrom('Ada', 'Zoë', 'Eve'));
  const content = fc.uniqueArray(row, { selector: ([key]) => key, maxLength: 4 });
  const act = fc.oneof(
    { weight: 3, arbitrary: content.map((rows) => ({ kind: 'save' as const, rows })) },
    { weight: 3, arbitrary: fc.constant({ kind: 'check' as const, rows: [] as Row[] }) },
    { weight: 1, arbitrary: fc.constant({ kind: 'restart' as const, rows: [] as Row[] }) },
  );
  let round = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(act, { maxLength: 12 }), async (acts) => {
      put([]);
      writeFileSync(join(folder, 'out.csv'), 'Key,Name\n');
      const id = await workflow('added_or_changed');
      await live(id);
      const [last, expected] = [new Map<string, string>(), [] as string[]];
      let now: readonly Row[] = [];
      for (const { kind, rows } of [...acts, { kind: 'check' as const, rows: [] }]) {
        if (kind === 'save') {
          now = rows;
          put(now);
        }
        if (kind === 'restart') {
          await services.close();
          services = await openServices(world);
        }
        if (kind !== 'check') continue;
        for (const [key, name] of now) if (last.get(key) !== name) expected.push(`${key},${name}`);
        for (const [key, name] of now) last.set(key, name);
        const [inSource] = await check(id);
        expect(inSource).toBe(now.length);
      }
      const ofKey = (all: readonly string[], key: string) => all.filter((one) => one.startsWith(key));
      for (const key of ['1', '2', '3', '4']) expect(ofKey(arrived(), key)).toEqual(ofKey(expected, key));
      expect(await unbalanced(services)).toEqual([]);
      await services.engine.switchOff(id);
      round += 1;
    }),
    { numRuns: 15 },
  );
  expect(round).toBeGreaterThan(0);
});
