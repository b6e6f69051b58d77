import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { mkdtemp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import type { IndexField, JsonRecord } from '@golden/core';
import fc from 'fast-check';
import { pino } from 'pino';
import type { Connections } from '../connections.ts';
import { type Db, openDb } from '../db/open.ts';
import { TestClock } from '../testing/clock.ts';
import { emptyDataFile } from '../testing/data-file.ts';
import { IndexHost } from './index-host.ts';
import { Mirrors } from './mirrors.ts';
import type { MatchingWorker } from './worker-client.ts';

// Copies of a place and their stored indexes through whatever lives: changed by the app, by our own writes and by what is
// on its way, stored in the middle, killed, started again, files lost or damaged. Judged by the app's own records.

const fields: IndexField[] = [
  { path: '/name', label: 'Name', kind: 'full_name' },
  { path: '/mail', label: 'E-mail', kind: 'email' },
];
/** A second index of the place: both are given each change, one after the other. */
const byMail = fields.slice(1);
const place = { connection: 'cards', path: ['people'] };
const minute = 60_000;
const mailOf = (number: number, edition: number) => `p${number}.${edition}@studio.example`;

/** An app of which one place is listed. */
class App {
  readonly records = new Map<string, { readonly record: JsonRecord; readonly updated: string }>();
  /** Whether it can say what has changed since. */
  constructor(private readonly tellsChanges: boolean) {}

  set(number: number, edition: number, updated: string): JsonRecord {
    const record = { name: `Ada Holm${number}`, mail: mailOf(number, edition) };
    this.records.set(String(number), { record, updated });
    return record;
  }

  connections(): Connections {
    const connector = {
      describe: async () => ({ can: { list: true }, ...(this.tellsChanges && { updated: '/updated' }) }),
      list: async ({ since }: { since?: string }) => {
        await setImmediate();
        const all = [...this.records].map(([id, one]) => ({ id, ...one }));
        return { records: all.filter(({ updated }) => since === undefined || updated >= since), cursor: null };
      },
    };
    return { accountOf: () => 'an account', opened: async () => ({ connector, account: 'an account' }) } as never;
  }
}

/** A matching thread in this process: one call after the other, each answered some turns later; nothing once it is killed. */
class Thread {
  readonly real = new IndexHost('this release');
  isKilled = false;
  taken = 0;
  private last: Promise<unknown> = Promise.resolve();

  readonly worker = {
    onLost: () => undefined,
    host: new Proxy(
      {},
      {
        get:
          (_, method: keyof IndexHost) =>
          (...args: never[]) => {
            const call = this.last.then(async () => {
              await setImmediate();
              // A killed process neither answers nor goes on.
              if (this.isKilled) return new Promise(() => undefined);
              const value = (this.real[method] as (...all: never[]) => unknown)(...structuredClone(args));
              if (method === 'takeUp' && value === true) this.taken += 1;
              return value;
            });
            this.last = call.catch(() => undefined);
            return call;
          },
      },
    ),
  } as unknown as MatchingWorker;
}

interface Process {
  readonly mirrors: Mirrors;
  readonly thread: Thread;
}

class Life {
  readonly app: App;
  readonly clock = new TestClock();
  process: Process;
  private edition = 0;
  private coming = 0;
  private readonly underWay: Promise<unknown>[] = [];

  private constructor(
    private readonly folder: string,
    readonly db: Db,
    tellsChanges: boolean,
  ) {
    this.app = new App(tellsChanges);
    for (let at = 0; at < 8; at++) this.app.set(at, 0, this.clock.now());
    this.process = this.start();
  }

  static async begin(folder: string, tellsChanges: boolean): Promise<Life> {
    const file = join(folder, 'golden.sqlite');
    await emptyDataFile(file);
    return new Life(folder, (await openDb(file)).db, tellsChanges);
  }

  private start(): Process {
    const thread = new Thread();
    const storing = {
      log: pino({ level: 'silent' }),
      folder: join(this.folder, 'indexes'),
      limits: { leastStored: 3, leastChanged: 1, apart: 0 },
    };
    return { thread, mirrors: new Mirrors(this.db, this.app.connections(), this.clock, thread.worker, storing) };
  }

  begin(work: Promise<unknown>): void {
    this.underWay.push(work);
  }

  async settled(): Promise<void> {
    await Promise.all(this.underWay.splice(0));
    await this.process.mirrors.stored();
  }

  change(number: number, isNoted: boolean): void {
    this.edition += 1;
    const record = this.app.set(number, this.edition, this.clock.now());
    if (isNoted) this.begin(this.process.mirrors.note(place, String(number), record));
  }

  remove(number: number, isNoted: boolean): void {
    this.app.records.delete(String(number));
    if (isNoted) this.begin(this.process.mirrors.note(place, String(number), null));
  }

  /** A record on its way: told of, and dropped some turns later. */
  come(): void {
    const { mirrors } = this.process;
    this.coming += 1;
    const id = `coming-${this.coming}`;
    this.begin(
      mirrors
        .putComing(place, id, { name: 'Tom Field', mail: `${id}@studio.example` })
        .then(() => setImmediate())
        .then(() => mirrors.dropComing(place, id)),
    );
  }

  sync(): void {
    // What is changed in the app is asked for again a little later, as listings are.
    this.clock.pass(20_000);
    this.begin(this.process.mirrors.sync(place, true));
  }

  look(isByMail = false): void {
    this.begin(this.process.mirrors.index(place, isByMail ? byMail : fields, undefined));
  }

  /** The process is killed where it stands, and another one starts. */
  async restart(isKilled: boolean): Promise<void> {
    if (isKilled) this.process.thread.isKilled = true;
    else await this.settled();
    this.underWay.length = 0;
    this.process = this.start();
    await this.process.mirrors.warmUp();
  }

  files(): string[] {
    return readdirSync(join(this.folder, 'indexes')).map((name) => join(this.folder, 'indexes', name));
  }

  /** What the index holds, once the place was listed, against what the app has. */
  async judged(): Promise<void> {
    const { mirrors, thread } = this.process;
    await this.settled();
    this.clock.pass(minute);
    await mirrors.sync(place, true);
    for (const some of [fields, byMail]) {
      const name = await mirrors.index(place, some, undefined);
      expect(thread.real.ids(name).sort()).toEqual([...this.app.records.keys()].sort());
      for (const [id, { record }] of this.app.records) {
        const texts = some.map(({ path }) => String(record[path.slice(1)]));
        expect(thread.real.exact(name, ['/mail'], texts)).toEqual([id]);
      }
    }
    await this.settled();
  }
}

const number = fc.nat({ max: 11 });
type Deed = readonly [string, (life: Life) => unknown];
const deed: fc.Arbitrary<Deed> = fc.oneof(
  {
    weight: 5,
    arbitrary: fc
      .tuple(number, fc.boolean())
      .map(([at, isNoted]): Deed => [`change ${at} ${isNoted}`, (life) => life.change(at, isNoted)]),
  },
  {
    weight: 3,
    arbitrary: fc
      .tuple(number, fc.boolean())
      .map(([at, isNoted]): Deed => [`remove ${at} ${isNoted}`, (life) => life.remove(at, isNoted)]),
  },
  { weight: 2, arbitrary: fc.constant<Deed>(['come', (life) => life.come()]) },
  { weight: 4, arbitrary: fc.constant<Deed>(['sync', (life) => life.sync()]) },
  { weight: 3, arbitrary: fc.constant<Deed>(['look', (life) => life.look()]) },
  { weight: 3, arbitrary: fc.constant<Deed>(['look by mail', (life) => life.look(true)]) },
  { weight: 3, arbitrary: fc.constant<Deed>(['settle', (life) => life.settled()]) },
  {
    weight: 4,
    arbitrary: fc.nat({ max: 6 }).map(
      (turns): Deed => [
        `${turns} turns`,
        async () => {
          for (let turn = 0; turn < turns; turn++) await setImmediate();
        },
      ],
    ),
  },
  { weight: 2, arbitrary: fc.constant<Deed>(['restart', (life) => life.restart(false)]) },
  { weight: 2, arbitrary: fc.constant<Deed>(['kill', (life) => life.restart(true)]) },
);

let folder: string;
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'golden-indexes-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

test('whatever comes in between, an index holds what the app has', async () => {
  let takenUp = 0;
  await fc.assert(
    fc.asyncProperty(fc.boolean(), fc.array(deed, { minLength: 4, maxLength: 30 }), async (tellsChanges, deeds) => {
      rmSync(folder, { recursive: true, force: true });
      const life = await Life.begin(folder, tellsChanges);
      try {
        for (const [, carryOut] of deeds) await carryOut(life);
        await life.restart(false);
        await life.judged();
        takenUp += life.process.thread.taken;
      } finally {
        await life.db.destroy();
      }
    }),
    { numRuns: 150 },
  );
  // Else nothing would have been tried.
  expect(takenUp).toBeGreaterThan(20);
});

/** A life whose index is stored. */
async function stored(): Promise<Life> {
  const life = await Life.begin(folder, true);
  life.sync();
  life.look();
  await life.settled();
  expect(life.files()).toHaveLength(1);
  return life;
}

const firstFile = (life: Life): string => life.files()[0] as string;

test.each<[string, (life: Life) => unknown]>([
  ['is gone', (life) => rmSync(firstFile(life))],
  ['is cut short', (life) => writeFileSync(firstFile(life), readFileSync(firstFile(life)).subarray(0, -100))],
  [
    'has another byte somewhere',
    (life) => {
      const bytes = readFileSync(firstFile(life));
      bytes[bytes.length >> 1] = (bytes[bytes.length >> 1] as number) ^ 1;
      writeFileSync(firstFile(life), bytes);
    },
  ],
  [
    'is of another release',
    (life) => {
      const text = readFileSync(firstFile(life), 'latin1').replace('this release', 'that release');
      writeFileSync(firstFile(life), text, 'latin1');
    },
  ],
  [
    // The rows of the copy are of another time than the file: nothing in it counts.
    'isn’t the one that the data file speaks of',
    (life) => life.db.updateTable('mirror_index').set({ stored_as: 'of-a-backup.index' }).execute(),
  ],
])('a stored index that %s is built anew', async (_, harm) => {
  const life = await stored();
  await harm(life);
  await life.restart(false);
  expect(life.process.thread.taken).toBe(0);
  await life.judged();
  await life.db.destroy();
});

test('an index isn’t stored while it was not given yet what another one of the place was', async () => {
  const life = await Life.begin(folder, false);
  life.look();
  life.look(true);
  life.sync();
  await life.settled();
  life.change(0, true);
  for (let turn = 0; turn < 2; turn++) await setImmediate();
  for (const _ of [1, 2]) life.change(0, false);
  life.sync();
  life.remove(1, true);
  await life.restart(false);
  await life.judged();
  await life.db.destroy();
});

test('one is taken up with what has changed, without what is gone, and nobody else’s files stay', async () => {
  const life = await stored();
  writeFileSync(join(folder, 'indexes', 'left in the middle.index.part'), 'half');
  life.change(3, true);
  life.change(9, true);
  life.remove(4, true);
  await life.restart(true);
  expect(life.process.thread.taken).toBe(1);
  expect(life.files()).toHaveLength(1);
  await life.judged();
  await life.db.destroy();
});
