import { draftOfEvents, startId } from '@golden/core';
import fc from 'fast-check';
import { beginningOf } from '../arrivals/beginnings.ts';
import type { KillPoint } from '../seams.ts';
import type { Services } from '../services.ts';
import { settled, unbalanced } from '../testing/checks.ts';
import type { TestClock } from '../testing/clock.ts';
import { dropAt } from '../testing/drop.ts';
import { customersHandedOver, receiverInto } from '../testing/handing.ts';
import {
  connectBoth,
  customer,
  emptyWorkbook,
  openServices,
  openWorld,
  placeOf,
  rowsOf,
  type World,
} from '../testing/world.ts';

// Lists that come, row by row, and customers of the shop, handed over to one workflow that appends each to a workbook:
// after any sequence of comings, faults, kills, switching of either end, new versions and taking back, each row that came
// stands there once, or its own record says why not. Who waits goes on once all of it is there. What is right is told by
// what was put in, never by our own tables.

const point = fc.constantFrom<KillPoint>(
  'hand-over:before-store',
  'hand-over:after-piece',
  'hand-over:after-store',
  'take-in:before-store',
  'take-in:after-store',
  'intent:after-store',
  'send:after',
  'file:after-put',
  'result:after-store',
  'park:after-store',
  'park:after-wake',
  'outcome:after-store',
  'take-back:after-store',
  'take-back:after-send',
);
const command = fc.oneof(
  { weight: 4, arbitrary: fc.record({ does: fc.constant('list' as const), rows: fc.constantFrom(0, 1, 3, 7, 230) }) },
  { weight: 3, arbitrary: fc.record({ does: fc.constant('customer' as const) }) },
  {
    weight: 2,
    arbitrary: fc.record({ does: fc.constant('turn' as const), which: fc.nat({ max: 2 }), isOn: fc.boolean() }),
  },
  { weight: 2, arbitrary: fc.record({ does: fc.constant('edit' as const), which: fc.nat({ max: 2 }) }) },
  { weight: 2, arbitrary: fc.record({ does: fc.constant('back' as const), at: fc.nat({ max: 5 }) }) },
  { weight: 2, arbitrary: fc.record({ does: fc.constant('time' as const), minutes: fc.constantFrom(1, 90) }) },
  {
    weight: 2,
    arbitrary: fc.record({
      does: fc.constant('fault' as const),
      kind: fc.constantFrom('fault' as const, 'break_off' as const, 'refuse_rights' as const),
    }),
  },
  { weight: 3, arbitrary: fc.record({ does: fc.constant('kill' as const), point, passes: fc.nat({ max: 2 }) }) },
);
type Command = typeof command extends fc.Arbitrary<infer C> ? C : never;

/** Two workflows that hand over, one that takes in, and all that was put in. */
class Handed {
  services!: Services;
  private inbox = '';
  /** The one that takes in, and those that hand over: lists row by row, and customers. */
  private ids: string[] = [];
  private made = 0;
  /** The rows of each list by its name, and of each customer. */
  private readonly came = new Map<string, readonly string[]>();
  /** Whose rows somebody took back, or began to. */
  private readonly back = new Set<string>();
  stand = 0;

  constructor(readonly world: World) {}

  async begin(): Promise<void> {
    this.world.shelf.files.replace('people.xlsx', await emptyWorkbook('People', ['E-mail', 'Name']), undefined);
    this.services = await openServices(this.world);
    const { services } = this;
    const { shop, shelf } = await connectBoth(this.world, services);
    const { receiver, step } = await receiverInto(services, shelf, 'people.xlsx');
    const { draft, draftRev } = await services.workflows.get(receiver);
    // Appended, so that whatever came twice stands there twice.
    const steps = draft.steps.map((one) => {
      if (one.kind !== 'write') return one;
      const { key: _key, ...rest } = one;
      return { ...rest, mode: 'append' as const };
    });
    await services.workflows.saveDraft(receiver, { ...draft, steps }, draftRev);
    const { start } = await beginningOf(services, { kind: 'posted', name: 'Lists' });
    const source = start.source;
    if (!source) throw new Error('no source');
    this.inbox = source.path[0] ?? '';
    await services.arrivals.storeRecord(this.inbox, 'shape', { rows: [{ mail: 'shape@clay.example' }] });
    const content = draftOfEvents(await placeOf(services, source.connection, source.path), 'Lists, row by row');
    const mail = { kind: 'field' as const, ref: { step: 'each', path: '/mail' }, tidies: [] };
    const lists = await services.workflows.add({
      ...content,
      steps: [
        { id: 'each', kind: 'each', over: { step: startId, path: '/rows' } },
        { ...step, within: 'each', mapping: { '/email': mail }, awaits: true },
      ],
    });
    const customers = await customersHandedOver(services, shop, [step]);
    this.ids = [receiver, lists.id, customers];
    for (const id of this.ids) await services.engine.finish((await services.engine.makeLive(id)).run);
    await this.rest();
  }

  async play(one: Command): Promise<void> {
    const { engine, workflows } = this.services;
    switch (one.does) {
      case 'list':
        return this.comes(one.rows);
      case 'customer': {
        this.made += 1;
        const email = `c${this.made}@clay.example`;
        const { id } = this.world.shop.store.add(customer({ email }));
        this.came.set(String(id), [email]);
        await engine.checkNow(this.ids[2] ?? '').catch(() => undefined);
        return this.rest();
      }
      case 'turn': {
        const id = this.ids[one.which] ?? '';
        await (one.isOn ? engine.switchOn(id) : engine.switchOff(id));
        return this.rest();
      }
      case 'edit': {
        const { draft, draftRev } = await workflows.get(this.ids[one.which] ?? '');
        this.made += 1;
        await workflows.saveDraft(this.ids[one.which] ?? '', { ...draft, note: `Edit ${this.made}` }, draftRev);
        await engine.makeLive(this.ids[one.which] ?? '');
        return this.rest();
      }
      case 'back':
        return this.takeBack(one.at);
      case 'time':
        this.clock.pass(one.minutes * 60_000);
        return this.rest();
      case 'fault':
        this.world.shelf.state.troubles.set(one.kind, 1);
        return;
      case 'kill':
        return this.kill(one.point, one.passes);
    }
  }

  private async comes(count: number): Promise<void> {
    this.made += 1;
    const name = `list ${this.made}`;
    const rows = Array.from({ length: count }, (_, at) => `l${this.made}r${at}@clay.example`);
    this.came.set(name, rows);
    await this.services.arrivals.storeRecord(this.inbox, name, { rows: rows.map((mail) => ({ mail })) });
    await this.rest();
  }

  private async takeBack(at: number): Promise<void> {
    const parents = await this.services.db
      .selectFrom('item')
      .select(['id', 'source_id'])
      .where('workflow_id', '!=', this.ids[0] ?? '')
      .where('state', '=', 'delivered')
      .orderBy('seq')
      .execute();
    const one = parents[at % Math.max(1, parents.length)];
    if (!one) return;
    this.back.add(one.source_id);
    await this.services.engine.takeBack(one.id).catch(() => undefined);
    await this.rest();
  }

  /** The process ends at a point of what comes next, or just so where it doesn't come by there. */
  private async kill(at: KillPoint, passes: number): Promise<void> {
    let isDropped = false;
    const dropped = dropAt(this.services, at, passes).then(() => {
      isDropped = true;
    });
    const busy = (at.startsWith('take-back') ? this.takeBack(passes) : this.comes(203)).catch(() => undefined);
    await Promise.race([busy, dropped]);
    const seams = this.clock.next();
    if (!isDropped) await this.services.drop();
    this.services = await openServices(this.world, { seams });
    await this.services.engine.start();
    await this.rest();
  }

  private async rest(): Promise<void> {
    for (let times = 0; times < 4; times++) {
      await this.services.engine.quiet();
      await this.services.engine.tick();
    }
    await settled(this.services);
  }

  private get clock(): TestClock {
    return this.services.seams as TestClock;
  }

  /** What is wrong with what stands there, once everything is on and every app answers. */
  async faults(): Promise<string[]> {
    this.world.shelf.state.troubles.clear();
    const { engine, db } = this.services;
    for (const id of this.ids) await engine.switchOn(id);
    for (const { id } of await this.services.connections.list())
      await engine.retryConnection(id).catch(() => undefined);
    for (let times = 0; times < 3; times++) {
      this.clock.pass(3_600_000);
      await this.rest();
    }
    const open = await db.selectFrom('item').select('id').where('state', '=', 'unsettled').execute();
    for (const { id } of open) await engine.decide(id, { kind: 'retry' }).catch(() => undefined);
    await this.rest();
    const bytes = this.world.shelf.files.get('people.xlsx')?.bytes ?? Buffer.alloc(0);
    const there = (await rowsOf(bytes, 'People')).map((row) => String(row['E-mail']));
    this.stand += there.length;
    const times = new Map<string, number>();
    for (const mail of there) times.set(mail, (times.get(mail) ?? 0) + 1);
    const told = new Set(
      (await db.selectFrom('item').select('item_state').where('state', '!=', 'delivered').execute()).flatMap(
        ({ item_state }) => String(JSON.parse(item_state).values.start?.email ?? ''),
      ),
    );
    const put = new Set([...this.came.values()].flat());
    const problems: string[] = [];
    for (const [name, rows] of this.came) {
      const isBack = this.back.has(name);
      for (const mail of rows) {
        const count = times.get(mail) ?? 0;
        if (count > 1) problems.push(`${mail} stands there ${count} times`);
        if (count === 0 && !isBack && !told.has(mail)) problems.push(`${mail} isn’t there, and nothing says why`);
      }
    }
    for (const mail of there) if (!put.has(mail)) problems.push(`nobody put ${mail} in`);
    // Who waits for it goes on once nothing of it is open any more.
    const waiting = await db
      .selectFrom('item')
      .select(['source_id', 'message'])
      .where('workflow_id', '=', this.ids[1] ?? '')
      .where('state', '=', 'waiting')
      .execute();
    const isOpen = [...told].some((mail) => times.get(mail) === undefined && put.has(mail));
    if (!isOpen) problems.push(...waiting.map(({ source_id, message }) => `${source_id} still waits: ${message}`));
    return [...problems, ...(await unbalanced(this.services))];
  }
}

test('law: whatever happens in whatever order, what is handed over arrives once, or its record says why not', async () => {
  let stand = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(command, { minLength: 6, maxLength: 18 }), async (commands) => {
      const handed = new Handed(await openWorld());
      try {
        await handed.begin();
        for (const one of commands) await handed.play(one);
        expect(await handed.faults()).toEqual([]);
        stand += handed.stand;
      } finally {
        await handed.services.close();
        await handed.world.close();
      }
    }),
    {
      numRuns: Number(process.env['GOLDEN_RUNS'] ?? 8),
      seed: Number(process.env['GOLDEN_SEED'] ?? 22),
      endOnFailure: true,
    },
  );
  // It says something only where rows do come to stand there.
  expect(stand).toBeGreaterThan(0);
});
