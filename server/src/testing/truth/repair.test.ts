import { proposeReconcile, type RepairPlan, writeSteps } from '@golden/core';
import fc from 'fast-check';
import { copyBetween } from '../../building/copies.ts';
import { carryOutRepair, planRepair } from '../../reconcile/repairs.ts';
import type { KillPoint } from '../../seams.ts';
import { productAroundEach } from '../around.ts';
import { goLive, settled, unbalanced } from '../checks.ts';
import type { TestClock } from '../clock.ts';
import { dropAt } from '../drop.ts';
import { connectLedger, customer, openServices } from '../world.ts';

// The truth from outside, for reconciling and repairing: people change, copy, remove and add customers in the Ledger,
// the shop goes on, a workflow copies, comparisons are made and put right, runs of repairs are undone, the server is
// killed. What a comparison counts is counted a second time by a plain script over the apps' own stores, which knows of
// each record in the Ledger for whom it was made; after a repair nothing differs and nobody is missing.

const around = productAroundEach();

type Command =
  | { readonly do: 'shop_adds' }
  | { readonly do: 'shop_changes'; readonly at: number }
  /** Somebody writes another telephone number into the Ledger, takes a customer out, or copies one. */
  | { readonly do: 'there_changes' | 'there_removes' | 'there_copies'; readonly at: number }
  | { readonly do: 'there_adds' }
  | { readonly do: 'check' }
  | { readonly do: 'compare' }
  | { readonly do: 'repair'; readonly dropsAt: KillPoint | undefined; readonly passes: number }
  /** The run of the last repair is undone as a whole. */
  | { readonly do: 'undo_repair' };

const points = [
  'repair:after-live',
  'repair:after-run',
  'take-in:after-store',
  'intent:after-store',
  'send:after',
  'result:before-store',
  'outcome:after-store',
] as const;

const at = fc.nat(20);
const commands = fc.array(
  fc.oneof(
    { weight: 2, arbitrary: fc.record({ do: fc.constant('shop_adds' as const) }) },
    { weight: 2, arbitrary: fc.record({ do: fc.constant('shop_changes' as const), at }) },
    {
      weight: 7,
      arbitrary: fc.record({
        do: fc.constantFrom('there_changes' as const, 'there_removes' as const, 'there_copies' as const),
        at,
      }),
    },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('there_adds' as const) }) },
    { weight: 2, arbitrary: fc.record({ do: fc.constant('check' as const) }) },
    { weight: 3, arbitrary: fc.record({ do: fc.constant('compare' as const) }) },
    {
      weight: 3,
      arbitrary: fc.record({
        do: fc.constant('repair' as const),
        dropsAt: fc.option(fc.constantFrom(...points), { nil: undefined }),
        passes: fc.nat(2),
      }),
    },
    { weight: 1, arbitrary: fc.record({ do: fc.constant('undo_repair' as const) }) },
  ),
  { minLength: 10, maxLength: 22 },
);

interface There {
  readonly id: number;
  readonly electronicMail: string | null;
  readonly telephone: string | null;
  readonly name: string;
}

/** The digits by which a number is told apart, whichever way it is written. */
const digits = (phone: string | null): string => (phone ?? '').replace(/\D/g, '').slice(-9);

class Life {
  private workflow = '';
  private comparison = '';
  private written = 0;
  private lastRun: string | undefined;
  /** Records in the Ledger that the shop's customers don't account for. */
  private readonly byHand = new Set<number>();
  compared = 0;
  repaired = 0;

  private get shop() {
    return around.world.shop.store.page(1000, undefined, undefined, undefined).data;
  }

  private get there(): There[] {
    return around.world.ledger.store.customers.list({ company: 'retail' }, { limit: 1000 });
  }

  async begin(): Promise<void> {
    const { world, connected } = around;
    const ledger = await connectLedger(world, around.services);
    for (let count = 0; count < 8; count++) this.shopAdds();
    const place = (connection: string, path: string[]) => ({ connection, path, labels: path });
    const content = await copyBetween(
      around.services,
      place(connected.shop, ['customers']),
      place(ledger, ['retail', 'customers']),
      'all_in_step',
    );
    this.workflow = (await around.services.workflows.add(content)).id;
    await goLive(around.services, this.workflow);
    expect(this.there).toHaveLength(8);
    const setting = proposeReconcile(content, writeSteps(content)[0]?.id ?? '', this.workflow);
    this.comparison = await around.services.reconciles.add('Shop and Ledger', setting);
    await around.services.reconciles.wait(this.comparison);
  }

  private shopAdds(): void {
    this.written += 1;
    const no = this.written;
    around.world.shop.store.add(
      customer({
        first_name: 'Ada',
        last_name: `Nair ${no}`,
        email: `${no % 2 ? 'ADA' : 'ada'}${no}@clay.example`,
        phone: `01632 960 ${100 + no}`,
      }),
    );
  }

  private one<T>(all: readonly T[], at: number): T | undefined {
    return all[at % Math.max(1, all.length)];
  }

  async act(command: Command): Promise<void> {
    const { store } = around.world.shop;
    const { customers } = around.world.ledger.store;
    const there = 'at' in command ? this.one(this.there, command.at) : undefined;
    switch (command.do) {
      case 'shop_adds':
        return this.shopAdds();
      case 'shop_changes': {
        const one = this.one(this.shop, command.at);
        if (one) store.change(one.id, { phone: `01632 961 ${100 + ++this.written}` });
        return;
      }
      case 'there_changes':
        if (there) customers.change(there.id, { telephone: `+44 1632 962 ${100 + ++this.written}` });
        return;
      case 'there_removes':
        if (there) customers.remove(there.id);
        return;
      case 'there_copies':
        if (there) this.addThere(there, {});
        return;
      case 'there_adds': {
        const [like] = this.there;
        const mail = `only${++this.written}@there.example`;
        if (like) this.byHand.add(this.addThere(like, { name: `Only ${mail}`, electronicMail: mail, telephone: null }));
        return;
      }
      case 'check':
        await around.services.engine.finish(await around.services.engine.checkNow(this.workflow));
        return settled(around.services);
      case 'compare':
        return this.compare();
      case 'repair':
        return this.repair(command.dropsAt, command.passes);
      case 'undo_repair':
        return this.undoRepair();
    }
  }

  private addThere(one: There, more: object): number {
    const content: Record<string, unknown> = { ...one };
    for (const name of ['id', 'createdAt', 'updatedAt']) delete content[name];
    return (around.world.ledger.store.customers.add({ ...content, ...more } as never) as { id: number }).id;
  }

  /** What a plain script counts over both stores: by the e-mail, which nobody changes here. */
  private counted() {
    const byMail = new Map<string, There[]>();
    for (const one of this.there) {
      const mail = (one.electronicMail ?? '').toLowerCase();
      byMail.set(mail, [...(byMail.get(mail) ?? []), one]);
    }
    const counts = { agree: 0, differ: 0, onlyLeft: 0, onlyRight: 0, doubledLeft: 0, doubledRight: 0 };
    for (const one of this.shop) {
      const mail = (one.email ?? '').toLowerCase();
      const found = byMail.get(mail) ?? [];
      byMail.delete(mail);
      if (found.length === 0) counts.onlyLeft += 1;
      else if (found.length > 1) {
        counts.doubledLeft += 1;
        counts.doubledRight += found.length;
      } else if (digits(found[0]?.telephone ?? null) === digits(one.phone)) counts.agree += 1;
      else counts.differ += 1;
    }
    for (const found of byMail.values())
      if (found.length > 1) counts.doubledRight += found.length;
      else counts.onlyRight += 1;
    return counts;
  }

  private async figures() {
    const { reconciles } = around.services;
    await reconciles.look(this.comparison);
    await reconciles.wait(this.comparison);
    const { row } = await reconciles.get(this.comparison);
    expect([row.state, row.message]).toEqual(['done', null]);
    return JSON.parse(row.figures ?? '{}') as Record<string, number>;
  }

  private async compare(): Promise<void> {
    this.compared += 1;
    const figures = await this.figures();
    expect(figures).toMatchObject({ ...this.counted(), unclear: 0, left: this.shop.length, right: this.there.length });
  }

  /** Everything is put right from the shop, over as many processes as it takes. */
  private async repair(point: KillPoint | undefined, passes: number): Promise<void> {
    const found = await this.figures();
    const { setting } = await around.services.reconciles.get(this.comparison);
    const plan: RepairPlan = {
      makesThere: true,
      makesHere: false,
      empties: true,
      fields: Object.fromEntries(Object.keys(setting.fields).map((path) => [path, 'from_here' as const])),
    };
    const { differ = 0, onlyLeft = 0 } = found;
    if (differ + onlyLeft === 0) {
      await expect(planRepair(around.services, this.comparison, plan)).rejects.toThrow('Nothing would be changed so.');
      return;
    }
    const before = this.there;
    const planned = await planRepair(around.services, this.comparison, plan);
    for (const workflow of planned) await around.services.engine.rehearsals.wait(workflow);
    // A plan is a rehearsal: nothing is written by it.
    expect(this.there).toEqual(before);
    await this.carryOut(point, passes);
    this.repaired += 1;
    const { onlyRight, doubledLeft } = this.counted();
    expect(await this.figures()).toMatchObject({ differ: 0, onlyLeft: 0, onlyRight, doubledLeft });
    expect(this.counted()).toMatchObject({ differ: 0, onlyLeft: 0 });
    // Nobody else was touched: what only stands there, and what is doubled, is as it was.
    for (const id of this.byHand)
      expect(this.there.find((one) => one.id === id)).toEqual(before.find((one) => one.id === id));
  }

  private async carryOut(point: KillPoint | undefined, passes: number): Promise<void> {
    const all = async (): Promise<void> => {
      for (const { run } of await carryOutRepair(around.services, { reconcile: this.comparison })) {
        this.lastRun = run;
        await around.services.engine.finish(run);
      }
      await settled(around.services);
    };
    if (!point) return all();
    const dropped = dropAt(around.services, point, passes);
    const isDone = await Promise.race([
      all().then(
        () => true,
        () => false,
      ),
      dropped.then(() => false),
    ]);
    if (isDone) {
      (around.services.seams as TestClock).onReach = () => undefined;
      return;
    }
    await dropped;
    around.services = await openServices(around.world, { seams: (around.services.seams as TestClock).next() });
    await around.services.engine.resume();
    await settled(around.services);
    await all().catch((error: Error) => expect(error.message).toBe('No repair is planned. Plan it first.'));
    await settled(around.services);
  }

  private async undoRepair(): Promise<void> {
    if (!this.lastRun) return;
    const { undos } = around.services;
    const id = await undos.look(this.lastRun);
    await undos.wait(id);
    await undos.carryOut(id, { used: true, sent: false }).catch(() => undefined);
    await undos.wait(id);
    this.lastRun = undefined;
  }

  async end(): Promise<void> {
    await this.act({ do: 'check' });
    await this.compare();
    await this.repair(undefined, 0);
    await this.compare();
    expect(await unbalanced(around.services)).toEqual([]);
  }
}

const [first, lives] = [Number(process.env['GOLDEN_SEED'] ?? 26), Number(process.env['GOLDEN_RUNS'] ?? 6)];

test.each(Array.from({ length: lives }, (_, no) => first + no))(
  'life %i: a comparison counts what a plain script counts, and after a repair nobody is missing and nothing differs',
  async (seed) => {
    const life = new Life();
    await life.begin();
    const [given = []] = fc.sample(commands, { numRuns: 1, seed });
    for (const command of given) await life.act(command);
    await life.end();
    expect(life.compared).toBeGreaterThan(1);
  },
);
