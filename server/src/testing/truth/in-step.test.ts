import type { Decision, ItemState } from '@golden/core';
import fc from 'fast-check';
import { InSteps } from '../../in-step/in-steps.ts';
import { type AppName, appNames, chainDescriptions, connectApps, keepInStep } from '../../in-step/testing.ts';
import type { KillPoint } from '../../seams.ts';
import { productAroundEach } from '../around.ts';
import { decide, settled, unbalanced } from '../checks.ts';
import type { TestClock } from '../clock.ts';
import { dropAt } from '../drop.ts';
import { type PeopleApp, type Person, peopleApp } from '../people-app.ts';
import { openServices } from '../world.ts';

// Three apps in a row, each in step with the next, whose people work in all of them at the same time, while the process
// is killed now and then. The truth is looked for in the apps: in the end everybody is in each of them once, with the
// same values, each value is one that somebody wrote last in one of the apps, and whoever was removed from one of them
// is in none.

const around = productAroundEach();
let apps: Record<AppName, PeopleApp>;
let pairs: string[];

beforeEach(async () => {
  apps = { shop: await peopleApp(), index: await peopleApp(), books: await peopleApp() };
  // The books write names their own way.
  apps.books.writes = (name) => name.toUpperCase();
  await around.services.close();
  around.services = await openServices(around.world, { descriptions: chainDescriptions });
});
afterEach(async () => {
  for (const { at } of Object.values(apps)) await at.close();
});

const points = [
  'take-in:after-store',
  'intent:after-store',
  'result:before-store',
  'result:after-store',
  'read-back:after',
  'outcome:after-store',
] as const satisfies readonly KillPoint[];

type Deed =
  | { readonly do: 'edit'; readonly app: AppName; readonly who: number; readonly field: 'name' | 'ref' }
  | { readonly do: 'add'; readonly app: AppName }
  | { readonly do: 'remove'; readonly app: AppName; readonly who: number }
  | { readonly do: 'look'; readonly at: number; readonly drops: KillPoint | undefined; readonly passes: number }
  | { readonly do: 'sweep' }
  | { readonly do: 'answer'; readonly whose: 'given' | 'there' };

const app = fc.constantFrom(...appNames);
const deed: fc.Arbitrary<Deed> = fc.oneof(
  {
    weight: 6,
    arbitrary: fc.record({
      do: fc.constant('edit' as const),
      app,
      who: fc.nat(5),
      field: fc.constantFrom('name' as const, 'ref' as const),
    }),
  },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('add' as const), app }) },
  { weight: 1, arbitrary: fc.constant({ do: 'sweep' as const }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('remove' as const), app, who: fc.nat(5) }) },
  {
    weight: 6,
    arbitrary: fc.record({
      do: fc.constant('look' as const),
      at: fc.nat(7),
      drops: fc.option(fc.constantFrom(...points), { nil: undefined, freq: 2 }),
      passes: fc.nat(1),
    }),
  },
  {
    weight: 1,
    arbitrary: fc.record({
      do: fc.constant('answer' as const),
      whose: fc.constantFrom('given' as const, 'there' as const),
    }),
  },
);

const folded = (value: string | null): string => (value ?? '').toLowerCase();

/** One life of the three offices. */
class Life {
  private written = 0;
  private made = 0;
  readonly legs: string[] = [];
  private readonly removals: string[] = [];
  /** What was written last in each app since all were the same, by person and field. */
  private readonly edits = new Map<string, Map<AppName, string>>();
  private readonly removed = new Set<string>();

  async begin(): Promise<void> {
    for (let at = 0; at < 3; at++) this.act({ do: 'add', app: appNames[at % 2] as AppName });
    const [one] = apps.shop.people;
    // One is known to two of them already, by the same address.
    if (one) apps.index.people.push({ ...one, id: 'known', ref: null });
    const at = await connectApps(around.services, apps);
    const removed = { here: { kind: 'remove' }, there: { kind: 'remove' } } as const;
    const more = { first: 'here', usual: 'ask', removed } as const;
    pairs = [
      await keepInStep(around.services, at['shop'] ?? '', at['index'] ?? '', more),
      await keepInStep(around.services, at['index'] ?? '', at['books'] ?? '', more),
    ];
    for (const pair of pairs) {
      const { row } = await new InSteps(around.services).get(pair);
      this.legs.push(row.there_id, row.here_id);
      this.removals.push(row.removed_here_id ?? '', row.removed_there_id ?? '');
    }
    this.legs.push(...this.removals);
    await this.rest();
  }

  async act(one: Deed): Promise<void> {
    if (one.do === 'edit') this.edit(one.app, one.who, one.field);
    if (one.do === 'add') this.add(one.app);
    if (one.do === 'remove') this.remove(one.app, one.who);
    if (one.do === 'look') await this.look(this.legs[one.at] as string, one.drops, one.passes);
    // Long afterwards: what records held that have ended isn't kept any more.
    if (one.do === 'sweep') await around.services.retention.sweep(0);
    if (one.do === 'answer') await this.answer(one.whose);
  }

  private add(app: AppName): void {
    this.made += 1;
    const email = `p${this.made}@clay.example`;
    apps[app].people.push({ id: `own-${this.made}`, email, name: `New ${this.made}`, ref: `made ${this.made}` });
  }

  private remove(app: AppName, who: number): void {
    const { people } = apps[app];
    const [one] = people.length > 2 ? people.splice(who % people.length, 1) : [];
    if (one) this.removed.add(one.email);
  }

  private edit(app: AppName, who: number, field: 'name' | 'ref'): void {
    const { people } = apps[app];
    const one = people[who % people.length];
    if (!one) return;
    const value = `by hand ${++this.written}`;
    one[field] = value;
    const key = `${one.email} ${field}`;
    this.edits.set(key, (this.edits.get(key) ?? new Map()).set(app, value));
  }

  private async look(leg: string, drops: KillPoint | undefined, passes: number): Promise<void> {
    const { engine } = around.services;
    const dropped = drops && dropAt(around.services, drops, passes);
    const run = await engine.checkNow(leg).catch(() => undefined);
    const ended = run === undefined ? Promise.resolve() : engine.finish(run).then(() => settled(around.services));
    await Promise.race([
      ended.catch(() => new Promise(() => undefined)),
      ...(dropped ? [dropped.then(() => 'dropped')] : []),
    ]);
    const { seams } = around.services;
    (seams as TestClock).onReach = () => undefined;
    const isDropped = await around.services.db
      .selectFrom('setting')
      .selectAll()
      .execute()
      .then(
        () => false,
        () => true,
      );
    if (isDropped) {
      around.services = await openServices(around.world, {
        descriptions: chainDescriptions,
        seams: (seams as TestClock).next(),
      });
      await around.services.engine.resume();
    }
    await this.rest();
  }

  private async rest(): Promise<void> {
    const open = await around.services.db.selectFrom('run').select('id').where('state', '!=', 'done').execute();
    for (const { id } of open) await around.services.engine.finish(id);
    await settled(around.services);
  }

  private async answer(whose: 'given' | 'there'): Promise<number> {
    const open = await around.services.db
      .selectFrom('item')
      .select(['id', 'item_state', 'cause', 'workflow_id'])
      .where('state', '=', 'unsettled')
      .execute();
    for (const { id, item_state, cause, workflow_id } of open) {
      if (cause === 'behind') continue;
      const state = JSON.parse(item_state) as ItemState;
      const [step, result] = Object.entries(state.steps).find(([, one]) => one.kind === 'unsettled') ?? [];
      if (step === undefined || result?.kind !== 'unsettled') throw new Error(`Nobody can answer ${cause}.`);
      await decide(around.services, id, this.answerTo(step, result, state, this.legs.indexOf(workflow_id), whose));
      await settled(around.services);
    }
    return open.length;
  }

  /** What a person says: whose value counts; and of a write that nobody is sure of they look whether it is there. */
  private answerTo(
    step: string,
    { cause, fields }: Extract<ItemState['steps'][string], { kind: 'unsettled' }>,
    { values }: ItemState,
    leg: number,
    whose: 'given' | 'there',
  ): Decision {
    if (cause === 'differs')
      return { kind: 'set', step, values: Object.fromEntries(fields.map((one) => [one.path, one[whose] ?? null])) };
    if (cause === 'removal') return { kind: 'remove', step };
    if (cause !== 'unsure') return { kind: 'retry' };
    const there = (['index', 'shop', 'books', 'index'] as const)[leg] as AppName;
    const isThere = apps[there].people.some(({ email }) => email === values['start']?.['email']);
    return isThere ? { kind: 'accept', step } : { kind: 'send_again', step };
  }

  private writes(): number {
    return Object.values(apps).flatMap(({ asked }) => asked.filter((one) => !one.startsWith('GET'))).length;
  }

  /** Nobody touches anything any more: it comes to rest, and all three hold the same. */
  async judge(): Promise<void> {
    for (let round = 0; ; round++) {
      const before = this.writes();
      for (const leg of this.legs) await this.look(leg, undefined, 0);
      const asked = await this.answer('given');
      if (asked === 0 && this.writes() === before) break;
      if (round > 8) throw new Error('It never comes to rest.');
    }
    const known = (people: readonly Person[]) =>
      people.map(({ email, name, ref }) => [email, folded(name), folded(ref)]).sort();
    expect(known(apps.index.people)).toEqual(known(apps.shop.people));
    expect(known(apps.books.people)).toEqual(known(apps.shop.people));
    expect(new Set(apps.shop.people.map(({ email }) => email)).size).toBe(apps.shop.people.length);
    expect(apps.shop.people.filter(({ email }) => this.removed.has(email))).toEqual([]);
    for (const { email, name, ref } of apps.shop.people)
      for (const [field, value] of [
        ['name', name],
        ['ref', ref],
      ] as const) {
        const written = this.edits.get(`${email} ${field}`);
        if (written)
          expect([email, [...written.values()].map(folded)]).toEqual([email, expect.arrayContaining([folded(value)])]);
      }
    this.edits.clear();
    expect(await unbalanced(around.services)).toEqual([]);
  }
}

const seed = Number(process.env['GOLDEN_SEED'] ?? 1);
const lives = Number(process.env['GOLDEN_RUNS'] ?? 5);

test.each(Array.from({ length: lives }, (_, at) => seed + at))(
  'law, life %i: whatever people do in three apps in a row, all come to hold the same, and nobody’s change is lost',
  async (at) => {
    const life = new Life();
    await life.begin();
    await life.judge();
    const [deeds = []] = fc.sample(fc.array(deed, { minLength: 24, maxLength: 24 }), { numRuns: 1, seed: at });
    for (const [count, one] of deeds.entries()) {
      await life.act(one);
      if (count === 12) await life.judge();
    }
    await life.judge();
  },
);
