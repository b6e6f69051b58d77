import type { WorkflowContent } from '@golden/core';
import type { TroubleKind } from '@golden/standins';
import { Cron } from 'croner';
import fc from 'fast-check';
import { lookAt } from '../../building/copies.ts';
import { makeDoor } from '../../doors/door-app.ts';
import { newDoorSetting } from '../../doors/setting.ts';
import type { KillPoint } from '../../seams.ts';
import { productAroundEach } from '../around.ts';
import { askApi } from '../ask.ts';
import { settled, unbalanced } from '../checks.ts';
import type { TestClock } from '../clock.ts';
import { dropAt } from '../drop.ts';
import { emptyWorkbook, fieldFilling, openServices, placeOf, rowsOf } from '../world.ts';

// The truth from outside, for starts that nobody polls: senders post until they are answered, files come and are
// corrected, midnight passes, the server is killed, the shelf makes trouble. In the end each event that was answered,
// each row of the newest files and each time is in its list once, and nothing else. The account that is compared with
// knows nothing of our tables; the times are those of another library.

const around = productAroundEach();
const day = 24 * 60 * 60_000;

type Command =
  /** A sender posts until it is answered, and then so many times more. */
  | { readonly do: 'post'; readonly no: number; readonly more: number }
  /** Somebody posts who doesn't know the secret. */
  | { readonly do: 'stranger'; readonly no: number }
  | { readonly do: 'file'; readonly name: string; readonly rows: readonly (readonly [number, string])[] }
  /** Days go by, and the server is on. */
  | { readonly do: 'pass'; readonly days: number }
  /** The server is off for some days. */
  | { readonly do: 'off'; readonly days: number }
  /** The process ends when it comes to a point for the so-many-eth time. */
  | { readonly do: 'drop_at'; readonly point: KillPoint; readonly passes: number }
  | { readonly do: 'trouble'; readonly kind: TroubleKind };

const points = [
  'arrival:before-store',
  'arrival:after-store',
  'take-in:before-store',
  'take-in:after-store',
  'intent:after-store',
  'file:before-record',
  'file:after-put',
  'result:before-store',
  'outcome:after-store',
] as const;

const rowsOfFile = fc.uniqueArray(fc.tuple(fc.integer({ min: 1, max: 5 }), fc.constantFrom('clay', 'glaze', 'kiln')), {
  selector: ([no]) => no,
  minLength: 1,
  maxLength: 4,
});
const commands = fc.array(
  fc.oneof(
    { weight: 3, arbitrary: fc.record({ do: fc.constant('post' as const), no: fc.nat(6), more: fc.nat(2) }) },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('stranger' as const), no: fc.nat(9) }) },
    {
      weight: 3,
      arbitrary: fc.record({
        do: fc.constant('file' as const),
        name: fc.constantFrom('till.csv', 'till (1).csv', 'stall.csv'),
        rows: rowsOfFile,
      }),
    },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('pass' as const), days: fc.integer({ min: 1, max: 3 }) }) },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('off' as const), days: fc.integer({ min: 1, max: 3 }) }) },
    {
      weight: 3,
      arbitrary: fc.record({
        do: fc.constant('drop_at' as const),
        point: fc.constantFrom(...points),
        passes: fc.nat(2),
      }),
    },
    {
      weight: 1,
      arbitrary: fc.record({
        do: fc.constant('trouble' as const),
        kind: fc.constantFrom<TroubleKind>('rate_limit', 'fault', 'down', 'break_off', 'fault_after'),
      }),
    },
  ),
  { minLength: 3, maxLength: 14 },
);

/** One life of a product with three such workflows, and what its lists ought to hold. */
class Life {
  readonly events = new Map<number, string>();
  readonly files = new Map<number, string>();
  readonly times: string[] = [];
  private door = '';
  private fileInbox = '';
  private next = '';
  private dropped: Promise<void> | undefined;
  private isDropped = false;

  private get clock(): TestClock {
    return around.services.seams as TestClock;
  }

  async begin(): Promise<void> {
    const { services } = around;
    // Three in the morning: what waits for an app waits far from midnight.
    const now = Date.parse(this.clock.now());
    this.clock.step(Math.ceil(now / day) * day + 3 * 60 * 60_000 - now);
    for (const [file, names] of [
      ['events.xlsx', ['No', 'What']],
      ['files.xlsx', ['No', 'What']],
      ['times.xlsx', ['When']],
    ] as const)
      around.world.shelf.files.replace(file, await emptyWorkbook('List', names), undefined);
    const secret = 'a secret of the sender';
    const posted = await services.doors.add('Orders');
    const [door = ''] = posted.path;
    await services.doors.change(door, { ...newDoorSetting, eventId: { kind: 'field', path: '/no' } }, secret);
    this.door = `/in/${(await services.doors.of(door)).address}`;
    await services.arrivals.storeRecord(door, 'a sample', { no: -1, what: 'sample' });
    await this.live('events.xlsx', { '/No': '/no', '/What': '/what' }, undefined, {
      connection: posted.connection,
      path: [...posted.path],
    });
    const files = await services.files.add('Till');
    [this.fileInbox = ''] = files.path;
    await services.files.take({
      inbox: this.fileInbox,
      name: 'sample.csv',
      bytes: Buffer.from('No,What\r\n900,sample\r\n'),
      came: 'dropped',
    });
    const setting = await services.files.setting(this.fileInbox);
    await services.files.change(this.fileInbox, {
      ...setting,
      isProposed: false,
      recognise: { kind: 'field', path: '/No' },
    });
    await this.live('files.xlsx', { '/No': '/No', '/What': '/What' }, '/No', {
      connection: files.connection,
      path: [...files.path],
    });
    const { content } = await askApi<{ content: WorkflowContent }>(services, 'POST', '/api/starts', {
      kind: 'time',
      name: 'Midnight',
    });
    await this.live('times.xlsx', { '/When': '/date' }, undefined, content.start.source ?? undefined, {
      kind: 'times',
      at: ['00:00'],
      days: [1, 2, 3, 4, 5, 6, 7],
    });
    this.next = this.midnightAfter(this.clock.now());
  }

  private async live(
    file: string,
    mapping: Readonly<Record<string, string>>,
    key: string | undefined,
    from: { readonly connection: string; readonly path: readonly string[] } | undefined,
    trigger: WorkflowContent['start']['trigger'] = { kind: 'event' },
  ): Promise<void> {
    const { services, connected } = around;
    const path = [...(from?.path ?? [])];
    const { place } = await lookAt(services, { connection: from?.connection ?? '', path, labels: [file] });
    const { id } = await services.workflows.add({
      schema: 1,
      name: file,
      zone: 'UTC',
      start: { source: place, on: key ? 'added_or_changed' : 'added', trigger, fromWhen: { kind: 'now' } },
      steps: [
        {
          id: 'list',
          kind: 'write',
          target: await placeOf(services, connected.shelf, [file, 'List']),
          mode: key ? 'create_or_update' : 'append',
          firstDifference: 'source',
          ...(key && { key }),
          mapping: Object.fromEntries(Object.entries(mapping).map(([to, at]) => [to, fieldFilling(at)])),
        },
      ],
    });
    await services.engine.finish((await services.engine.makeLive(id)).run);
    await settled(services);
  }

  /** The next midnight (UTC) by a library of its own. */
  private midnightAfter(instant: string): string {
    return new Cron('0 0 * * *', { timezone: 'UTC' }).nextRun(new Date(instant))?.toISOString() ?? '';
  }

  async carryOut(command: Command): Promise<void> {
    switch (command.do) {
      case 'post':
        for (let times = 0; times <= command.more; times++)
          await this.untilAnswered(() => this.post(command.no, `thing ${command.no}`, 'a secret of the sender'));
        this.events.set(command.no, `thing ${command.no}`);
        break;
      case 'stranger':
        await this.post(command.no, 'stolen', 'another').catch(() => undefined);
        break;
      case 'file': {
        const text = ['No,What', ...command.rows.map(([no, what]) => `${no},${what}`)].join('\r\n');
        const bytes = Buffer.from(`${text}\r\n`);
        await this.untilAnswered(() =>
          around.services.files.take({ inbox: this.fileInbox, name: command.name, bytes, came: 'dropped' }),
        );
        for (const [no, what] of command.rows) this.files.set(no, what);
        break;
      }
      case 'pass':
        this.clock.pass(command.days * day);
        break;
      case 'off':
        if (!this.isDropped) await around.services.close();
        await this.reopen(command.days);
        break;
      case 'drop_at':
        this.isDropped = false;
        this.dropped = dropAt(around.services, command.point, command.passes).then(() => {
          this.isDropped = true;
        });
        break;
      case 'trouble':
        around.world.shelf.state.troubles.set(command.kind, 1);
        break;
    }
    await this.rest();
  }

  private async post(no: number, what: string, secret: string): Promise<Response> {
    return makeDoor(around.services).request(this.door, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-secret': secret },
      body: JSON.stringify({ no, what }),
    });
  }

  /** Does something until it is answered; where the process ends over it, the next one is asked again. */
  private async untilAnswered(ask: () => Promise<unknown>): Promise<void> {
    for (;;) {
      const asked = ask().then(
        () => true,
        () => false,
      );
      if (await Promise.race([asked, this.ended()])) return;
      await this.reopen();
    }
  }

  private ended(): Promise<false> {
    return new Promise((resolve) => void this.dropped?.then(() => resolve(false)));
  }

  private async reopen(days = 0): Promise<void> {
    const next = this.clock.next();
    next.pass(days * day);
    this.dropped = undefined;
    this.isDropped = false;
    around.services = await openServices(around.world, { seams: next });
    await around.services.arrivals.sweep();
    await around.services.files.resume();
    await around.services.engine.resume();
  }

  /** Lets everything come to rest, over as many processes as it takes. */
  private async rest(): Promise<void> {
    for (;;) {
      const quiet = async (): Promise<true> => {
        for (let times = 0; times < 3; times++) {
          await around.services.engine.tick();
          await around.services.engine.quiet();
          await settled(around.services);
        }
        return true;
      };
      // What a dropped process still had in hand fails with it.
      const resting = quiet().catch((): false => false);
      const isAtRest = await Promise.race([resting, this.ended()]);
      if (isAtRest && !this.isDropped) break;
      await this.reopen();
    }
    const now = this.clock.now();
    if (now < this.next) return;
    // However many midnights were missed, they are made up for once.
    this.times.push(this.next.slice(0, 10));
    this.next = this.midnightAfter(now);
  }

  /** What each list holds, and what it ought to. */
  async compared(): Promise<readonly (readonly [string[], string[]])[]> {
    const lines = async (file: string): Promise<string[]> =>
      (await rowsOf(around.world.shelf.files.get(file)?.bytes ?? Buffer.alloc(0), 'List'))
        .map((row) => Object.values(row).map(asText).join(' '))
        .sort();
    const wanted = (map: ReadonlyMap<number, string>): string[] => [...map].map(([no, what]) => `${no} ${what}`).sort();
    return [
      [await lines('events.xlsx'), wanted(this.events)],
      [await lines('files.xlsx'), wanted(this.files)],
      [await lines('times.xlsx'), [...this.times].sort()],
    ];
  }
}

const asText = (value: unknown): string =>
  value instanceof Date ? value.toISOString().slice(0, 10) : String(value ?? '');

async function livedThrough(given: readonly Command[]): Promise<void> {
  const life = new Life();
  await life.begin();
  for (const command of given) await life.carryOut(command);
  for (const [there, wanted] of await life.compared()) expect(there).toEqual(wanted);
  expect(await unbalanced(around.services)).toEqual([]);
}

// Each life has a product of its own.
test.each(Array.from({ length: 12 }, (_, at) => at))(
  'life %i: events, files and times are in their lists once',
  async (at) => {
    const [given = []] = fc.sample(commands, { numRuns: 1, seed: 1969 + at });
    await livedThrough(given);
  },
);
