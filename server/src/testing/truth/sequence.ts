import type { Step } from '@golden/core';
import { shopKeys, type TroubleKind } from '@golden/standins';
import type { Services } from '../../services.ts';
import { unbalanced } from '../checks.ts';
import { customer } from '../world.ts';
import type { Command, Deed } from './commands.ts';
import { contentOf, type Scenario } from './scenarios.ts';
import { type Destination, type Seen, TruthWorld } from './world.ts';

/** How often everything that can be settled is tried at the end. */
const mostRounds = 14;

/** What the outside knows of a customer, beside the shop itself. */
interface Known {
  readonly email: string;
  /** Every name that the customer ever had. */
  readonly names: Set<string>;
  /** True once a person said that a record needn't arrive: dismissed, taken back, or deleted there. */
  isExcused: boolean;
  /** True as long as there is no address, so that a condition leaves the customer out. */
  isBare?: boolean;
}

/** Which of the two shops, and which customer of it: both count alike. */
type CustomerKey = `${0 | 1}:${number}`;

/**
 * Takes a scenario through a sequence of what happens, settles everything that can be settled as a
 * careful person would, and compares the shop with the destination without our tables.
 * Gives what is wrong, in sentences; none when the promise holds.
 *
 * @param mischief - what goes wrong with each request, until everything is settled
 */
export async function runSequence(
  scenario: Scenario,
  commands: readonly Command[],
  mischief?: () => TroubleKind | undefined,
): Promise<string[]> {
  const world = new TruthWorld();
  await world.open();
  const source = await world.connectShop();
  const { destination, connection, steps } = await scenario.open(world, source);
  try {
    const play = new Play(world, scenario, source, connection, destination, steps);
    await play.begin();
    if (mischief) for (const state of [world.shop.state, destination.state]) state.mischief = mischief;
    for (const command of commands) await play.act(command);
    for (const state of [world.shop.state, destination.state]) delete state.mischief;
    await play.settle();
    return await play.compare();
  } finally {
    await world.close();
    await destination.close();
  }
}

class Play {
  private workflow = '';
  private readonly known = new Map<CustomerKey, Known>();
  /** Where the source and the destination lead, as far as was asked for. */
  private here: 0 | 1 = 0;
  private there: 0 | 1 = 0;
  private readonly hasSwapped = { source: false, target: false };
  private added = 0;
  private lives = 0;
  /** True after a column was renamed, until the new mapping is live. */
  private isToBeMapped = false;
  private wishes: { mostPerRun?: number; gather?: number; holds?: number; note?: string } = {};

  constructor(
    private readonly world: TruthWorld,
    private readonly scenario: Scenario,
    private readonly source: string,
    private readonly target: string,
    private readonly destination: Destination,
    private steps: Step[],
  ) {}

  private get services(): Services {
    return this.world.services;
  }

  async begin(): Promise<void> {
    const content = await contentOf(this.services, this.source, this.scenario, this.steps);
    this.workflow = (await this.services.workflows.add(content)).id;
    this.add(3);
    // The other shop has customers of its own, under the very same numbers.
    this.here = 1;
    this.add(3);
    this.here = 0;
    await this.services.engine.makeLive(this.workflow);
    await this.world.quiet();
  }

  /** Does one thing. What can't be done now is refused by the product, as it would be to a person. */
  async act(command: Command): Promise<void> {
    await this.world.ensureRunning();
    const work = this.carryOut(command).catch((error: unknown) => {
      // A refusal in a sentence is an answer; anything else would be a fault of ours.
      if (this.world.isDropped || isRefusal(error)) return;
      throw error;
    });
    await this.world.orDropped(work);
    if (command.do !== 'drop_at') await this.world.ensureRunning();
  }

  private async carryOut(command: Command): Promise<void> {
    const { engine } = this.services;
    switch (command.do) {
      case 'add':
        return this.add(command.count);
      case 'change':
        return this.change(command.at);
      case 'remove':
        return this.removeThere(command.at);
      case 'check':
        await engine.checkNow(this.workflow);
        if (command.waits) await this.world.quiet();
        return;
      case 'stop':
        for (const { id } of await this.runs()) await engine.stopRun(id);
        return;
      case 'pass':
        return this.world.pass(command.seconds * 1000);
      case 'off':
        return engine.switchOff(this.workflow);
      case 'on':
        return engine.switchOn(this.workflow, 'send');
      case 'live':
        return this.live(command);
      case 'trouble': {
        const { troubles } = command.app === 'source' ? this.world.shop.state : this.destination.state;
        troubles.set(command.kind, command.times);
        return;
      }
      case 'calm':
        return this.calm();
      case 'drop':
        return this.world.dropAndStart();
      case 'drop_at':
        return this.world.dropWhenReached(command.point, command.passes);
      case 'decide':
        return this.decide(command.at, command.as, command.twice);
      case 'back':
        return this.takeBack(command.at);
      case 'undo_run':
        return this.undoRun(command.at, command.sendsAgain);
      case 'newest':
        return this.onItem(['unsettled'], command.at, (id) => engine.takeNewest(id));
      case 'up':
        return this.onItem(['cancelled'], command.at, (id) => engine.takeUp(id));
      case 'clock':
        this.world.clock.step(command.minutes * 60_000);
        return;
      case 'retry_connection':
        return engine.retryConnection(command.app === 'source' ? this.source : this.target);
      case 'rename':
        return this.rename();
      case 'swap':
        return command.app === 'source'
          ? this.leadSource(this.here === 0 ? 1 : 0)
          : this.leadTarget(this.there === 0 ? 1 : 0);
      case 'add_bare':
        if (this.scenario.waitsToFit) this.addBare();
        return;
      case 'fit':
        return this.fit(command.at);
      case 'vanish':
        return this.vanish(command.at);
      case 'let_in':
        return this.letIn();
      case 'sweep':
        await this.services.retention.sweep(0);
        return;
      case 'halt':
        return engine.stopEverything('to see');
      case 'go_on':
        return engine.goOn();
    }
  }

  private shop(at: 0 | 1 = this.here) {
    return at === 0 ? this.world.shop : this.world.otherShop;
  }

  private add(count: number): void {
    for (let at = 0; at < count; at++) {
      this.added += 1;
      const email = `c${this.added}@clay.example`;
      const { id } = this.shop().store.add(customer({ first_name: 'A', last_name: `N${this.added}`, email }));
      this.known.set(`${this.here}:${id}`, { email, names: new Set([`A N${this.added}`]), isExcused: false });
    }
  }

  private addBare(): void {
    this.added += 1;
    const name = `N${this.added}`;
    const { id } = this.shop().store.add(customer({ first_name: 'A', last_name: name, email: null }));
    const email = `c${this.added}@clay.example`;
    this.known.set(`${this.here}:${id}`, { email, names: new Set([`A ${name}`]), isExcused: false, isBare: true });
  }

  /** Somebody without an address gets one: from now on the customer belongs there. */
  private fit(at: number): void {
    const bare = this.present(this.here).filter(({ key }) => this.known.get(key)?.isBare);
    const one = bare[at % Math.max(1, bare.length)];
    const known = one && this.known.get(one.key);
    if (!one || !known) return;
    this.shop().store.change(one.id, { email: known.email });
    known.isBare = false;
  }

  private present(at: 0 | 1): { key: CustomerKey; id: number; name: string }[] {
    const all = this.shop(at).store.search('', 10_000, 0);
    return all
      .map(({ id, first_name, last_name }) => ({ key: `${at}:${id}` as const, id, name: `${first_name} ${last_name}` }))
      .sort(byId);
  }

  private change(at: number): void {
    const all = this.present(this.here);
    const one = all[at % Math.max(1, all.length)];
    const known = one && this.known.get(one.key);
    if (!one || !known) return;
    // Now and then back to a value that it had before: A, B, A.
    const first_name = known.names.size % 3 === 2 ? 'A' : `B${known.names.size}`;
    const changed = this.shop().store.change(one.id, { first_name });
    known.names.add(`${first_name} ${changed?.last_name}`);
  }

  private removeThere(at: number): void {
    const all = this.present(this.here);
    const one = all[at % Math.max(1, all.length)];
    if (one) this.shop().store.remove(one.id);
  }

  /** The source leads to the other shop: all that is there belongs in the destination as well. */
  private async leadSource(to: 0 | 1): Promise<void> {
    this.here = to;
    this.hasSwapped.source = true;
    const at = to === 0 ? this.world.shopAt : this.world.otherShopAt;
    await this.services.engine.changeConnection(
      this.source,
      { name: 'Shop counter', settings: { address: `${at?.url}/api` }, key: shopKeys[0]?.key ?? '' },
      { account: 'other', already: 'taken' },
    );
  }

  private async leadTarget(to: 0 | 1): Promise<void> {
    const { accounts } = this.destination;
    if (!accounts) return;
    this.there = to;
    this.hasSwapped.target = true;
    await this.services.engine.changeConnection(
      this.target,
      { name: 'Destination', settings: { address: accounts.addresses[to] }, key: accounts.key },
      { account: 'other' },
    );
  }

  /** Somebody deletes a record there: it needn't be there any more. */
  private vanish(at: number): void {
    const email = this.destination.vanish?.(at);
    const known = [...this.known.values()].find((one) => one.email === email);
    if (known) known.isExcused = true;
  }

  private async letIn(): Promise<void> {
    const trigger = await this.services.db
      .selectFrom('trigger_state')
      .select('held')
      .where('workflow_id', '=', this.workflow)
      .executeTakeFirst();
    if (!trigger?.held) return;
    const { kind, count } = JSON.parse(trigger.held);
    await this.services.engine.letIn(this.workflow, { kind, count, answer: 'take' });
  }

  private calm(): void {
    this.world.shop.state.troubles.clear();
    this.world.otherShop.state.troubles.clear();
    this.destination.state.troubles.clear();
  }

  private async live(wishes: Extract<Command, { do: 'live' }>): Promise<void> {
    this.wishes = {
      ...(wishes.mostPerRun > 0 && { mostPerRun: wishes.mostPerRun }),
      ...(wishes.gather > 0 && { gather: wishes.gather }),
      ...(wishes.holds && { holds: wishes.holds }),
      ...(wishes.note !== '' && { note: wishes.note }),
    };
    await this.makeLive();
  }

  private async makeLive(): Promise<void> {
    // A draft is made from what the apps say of themselves, so they have to be there.
    this.calm();
    const { draftRev } = await this.services.workflows.get(this.workflow);
    const content = await contentOf(this.services, this.source, this.scenario, this.steps, this.wishes);
    await this.services.workflows.saveDraft(this.workflow, content, draftRev);
    this.lives += 1;
    // Every other version goes on with those who wait on earlier ones.
    await this.services.engine.makeLive(this.workflow, undefined, 'send', this.lives % 2 === 1);
    this.isToBeMapped = false;
  }

  private async rename(): Promise<void> {
    if (!this.destination.rename) return;
    this.steps = await this.destination.rename();
    this.isToBeMapped = true;
    await this.makeLive();
  }

  private async runs(): Promise<{ id: string }[]> {
    return this.services.db
      .selectFrom('run')
      .select('id')
      .where('workflow_id', '=', this.workflow)
      .where('state', 'in', ['listing', 'working'])
      .execute();
  }

  private async items(states: readonly ItemStates[]) {
    return this.services.db
      .selectFrom('item')
      .selectAll()
      .where('workflow_id', '=', this.workflow)
      .where('state', 'in', [...states])
      .orderBy('seq')
      .execute();
  }

  private async onItem(
    states: readonly ItemStates[],
    at: number,
    deed: (id: string, known: Known | undefined) => Promise<void>,
  ): Promise<void> {
    const items = await this.items(states);
    const item = items[at % Math.max(1, items.length)];
    if (item) await deed(item.id, await this.knownOf(item));
  }

  /** The customer that an item is about: the same number means somebody else in the other shop. */
  private async knownOf(item: { readonly intake_id: string; readonly source_id: string }): Promise<Known | undefined> {
    const intake = await this.services.db
      .selectFrom('intake')
      .innerJoin('account', 'account.id', 'intake.account')
      .select('account.who')
      .where('intake.id', '=', item.intake_id)
      .executeTakeFirst();
    const shop = intake?.who === this.world.otherShop.state.account ? 1 : 0;
    return this.known.get(`${shop}:${Number(item.source_id)}`);
  }

  private decide(at: number, as: Deed, twice: boolean): Promise<void> {
    return this.onItem(['unsettled'], at, async (id, known) => {
      if (as === 'look') return this.lookAndDecide(id, twice);
      if (as === 'dismiss' && known) known.isExcused = true;
      const decision =
        as === 'dismiss' ? ({ kind: 'dismiss', reason: 'Not wanted.' } as const) : ({ kind: 'retry' } as const);
      await this.post(id, decision, twice);
    });
  }

  /** The same decision may be posted twice at once: by two people, or by two clicks. */
  private async post(id: string, decision: Parameters<Services['engine']['decide']>[1], twice: boolean): Promise<void> {
    const { engine } = this.services;
    const posted = [engine.decide(id, decision), ...(twice ? [engine.decide(id, decision)] : [])];
    for (const result of await Promise.allSettled(posted))
      if (result.status === 'rejected' && !isRefusal(result.reason) && !this.world.isDropped) throw result.reason;
  }

  /** A careful person looks into the destination, after a while, before saying whether something is there. */
  private async lookAndDecide(id: string, twice: boolean): Promise<void> {
    const item = (await this.items(['unsettled'])).find((one) => one.id === id);
    if (!item) return;
    const known = await this.knownOf(item);
    const open = Object.entries(JSON.parse(item.item_state).steps as Record<string, { kind: string; cause?: string }>);
    const unsure = open.find(([, result]) => result.kind === 'unsettled' && result.cause === 'unsure')?.[0];
    const altered = open.find(([, result]) => result.kind === 'unsettled' && result.cause === 'altered')?.[0];
    const gone = open.find(([, result]) => result.kind === 'unsettled' && result.cause === 'gone')?.[0];
    if (gone) {
      // Every other one is wanted again.
      const isWanted = Number(item.source_id) % 2 === 0;
      if (known) known.isExcused = true;
      return this.post(id, isWanted ? { kind: 'new', step: gone } : { kind: 'leave_gone', step: gone }, twice);
    }
    if (altered) return this.post(id, { kind: 'retry' }, twice);
    if (!unsure) return this.post(id, { kind: 'retry' }, twice);
    await this.world.pass(20_000);
    const there = await this.lookInto(unsure);
    // Of a change it isn't enough that the record is there: the values have to be those that were sent.
    const sent = this.scenario.keeps === 'same' ? item.title : undefined;
    const isThere = there.some((one) => one.email === known?.email && (sent === undefined || one.name === sent));
    await this.post(id, isThere ? { kind: 'accept', step: unsure } : { kind: 'send_again', step: unsure }, twice);
  }

  private async lookInto(step: string): Promise<readonly Seen[]> {
    if (step === 'two' && this.destination.also) return this.destination.also();
    return [...(await this.destination.read()), ...((await this.destination.elsewhere?.()) ?? [])];
  }

  private takeBack(at: number): Promise<void> {
    return this.onItem(['delivered'], at, async (id, known) => {
      if (known) known.isExcused = true;
      await this.services.engine.takeBack(id);
    });
  }

  /** A person undoes a run: what goes back needn't be there any more. */
  private async undoRun(at: number, sendsAgain: boolean): Promise<void> {
    const { db, undos, engine } = this.services;
    const runs = await db
      .selectFrom('run')
      .select('id')
      .where('workflow_id', '=', this.workflow)
      .where('state', 'not in', ['listing', 'working'])
      .where('taken_in', '>', 0)
      .orderBy('started_at')
      .execute();
    const run = runs[at % Math.max(1, runs.length)];
    if (!run) return;
    const items = await db.selectFrom('item').selectAll().where('run_id', '=', run.id).execute();
    for (const item of items) {
      const known = await this.knownOf(item);
      if (known) known.isExcused = true;
    }
    const id = await undos.look(run.id);
    await undos.wait(id);
    if ((await undos.get(id)).state !== 'looked') return;
    await undos.carryOut(id, { used: true, sent: false });
    await undos.wait(id);
    if (sendsAgain) await engine.finish(await undos.sendAgain(id));
  }

  /** Everything that can be settled is settled, as by a careful person when all is calm again. */
  async settle(): Promise<void> {
    const sources = this.hasSwapped.source ? ([0, 1] as const) : ([this.here] as const);
    const targets = this.hasSwapped.target ? ([0, 1] as const) : ([this.there] as const);
    for (let round = 0; round < mostRounds; round++) {
      let isQuiet = true;
      for (const target of targets)
        for (const source of sources) isQuiet = (await this.settleIn(source, target)) && isQuiet;
      if (isQuiet) return;
    }
  }

  /** The same with the connections leading to these accounts. True when nothing was left, and nothing new came. */
  private async settleIn(source: 0 | 1, target: 0 | 1): Promise<boolean> {
    await this.world.ensureRunning();
    this.calm();
    const { engine } = this.services;
    await engine.goOn();
    if (this.hasSwapped.source) await this.leadSource(source);
    if (this.hasSwapped.target) await this.leadTarget(target);
    // Renamed while everything was stopped: nobody could make the new mapping live then.
    if (this.isToBeMapped) await this.makeLive();
    await engine.switchOn(this.workflow, 'send');
    await this.sendLate();
    await engine.retryConnection(this.source);
    await engine.retryConnection(this.target);
    await this.world.pass(20_000);
    await this.world.quiet();
    for (const { id } of await this.items(['unsettled'])) await this.lookAndDecide(id, false).catch(refusalsOnly);
    for (const { id } of await this.items(['cancelled'])) await engine.takeUp(id).catch(refusalsOnly);
    // Gathered records are let go once the first has waited long enough.
    await this.world.pass(40 * 60_000);
    await this.world.quiet();
    const run = await engine.checkNow(this.workflow);
    await engine.finish(run);
    await this.world.quiet();
    const row = await this.services.db.selectFrom('run').selectAll().where('id', '=', run).executeTakeFirst();
    await this.letIn();
    await this.world.quiet();
    const open = await this.items(['unsettled', 'waiting', 'running']);
    return (await this.undoneWhole()) && open.length === 0 && row?.taken_in === 0 && row.state === 'done';
  }

  /** An undoing that a drop or a trouble has held up goes on by itself. */
  private async undoneWhole(): Promise<boolean> {
    const { db, undos } = this.services;
    await undos.goOn();
    for (const { id } of await db.selectFrom('undo').select('id').execute()) await undos.wait(id);
    return (await this.openUndos()).length === 0;
  }

  private openUndos(): Promise<{ id: string; state: string; message: string | null }[]> {
    return this.services.db
      .selectFrom('undo')
      .select(['id', 'state', 'message'])
      .where('state', 'in', ['undoing', 'waiting'])
      .execute();
  }

  /** Who waits for a date that the clock was put far away from is sent on by a person: a wait goes by the date. */
  private async sendLate(): Promise<void> {
    // No wait of a scenario is as long; what an account that was swapped kept from going on is sent the next time.
    const far = Date.parse(this.world.clock.now()) + 3_600_000;
    const late = (await this.items(['waiting'])).filter(({ wake_at }) => Date.parse(wake_at ?? '') > far);
    await this.services.engine.actOnWaiting(
      late.map(({ id }) => id),
      { kind: 'now' },
    );
  }

  /** What differs between the shops and the destination; looked at without our tables. */
  async compare(): Promise<string[]> {
    const problems: string[] = [];
    const { strangers = [] } = this.destination;
    const isStranger = (one: Seen): boolean =>
      strangers.some(({ email, name }) => one.email === email && one.name === name);
    const found = (await this.destination.elsewhere?.()) ?? [];
    const elsewhere = found.filter((one) => !isStranger(one));
    const touched = strangers.length - (found.length - elsewhere.length);
    if (touched > 0) problems.push(`${touched} strangers of the other account were written over.`);
    const places = [this.destination.read(), ...(this.destination.also ? [this.destination.also()] : [])];
    const listed = await this.listed();
    for (const [at, read] of (await Promise.all(places)).entries()) {
      const where = at === 0 ? '' : ' (second place)';
      for (const problem of this.compareWith(read, at === 0 ? elsewhere : [], listed))
        problems.push(`${problem}${where}`);
    }
    problems.push(...(await this.undoneAndThere([...(await this.destination.read()), ...elsewhere])));
    const items = await this.items(['unsettled', 'waiting', 'running']);
    for (const { source_id, state, cause, message } of items)
      problems.push(`${source_id} is still ${state} (${cause}): ${message}`);
    for (const run of await this.runs()) problems.push(`The run ${run.id} hasn’t ended.`);
    return [...problems, ...(await unbalanced(this.services))];
  }

  /** Customers of whom the product says that all it wrote was undone, and who are there all the same. */
  private async undoneAndThere(all: readonly Seen[]): Promise<string[]> {
    const items = await this.services.db
      .selectFrom('item')
      .selectAll()
      .where('workflow_id', '=', this.workflow)
      .execute();
    const [undone, others] = [new Set<Known>(), new Set<Known>()];
    for (const item of items) {
      const known = await this.knownOf(item);
      if (known) (item.state === 'undone' ? undone : others).add(known);
    }
    return [
      ...(await this.openUndos()).map(({ state, message }) => `An undoing is still ${state}: ${message}`),
      ...[...undone]
        .filter((known) => !others.has(known) && all.some(({ email }) => email === known.email))
        .map(({ email }) => `${email} was undone, and is there.`),
    ];
  }

  /** The customers that the product itself says are missing, with their reason. */
  private async listed(): Promise<ReadonlySet<Known>> {
    const items = await this.items(['unsettled', 'cancelled', 'undone', 'dismissed', 'waiting']);
    const known = await Promise.all(items.map((item) => this.knownOf(item)));
    return new Set(known.filter((one) => one !== undefined));
  }

  /** What stands there and shouldn't. */
  private strangers(all: readonly Seen[]): string[] {
    return all.flatMap(({ email, name }) => {
      const known = [...this.known.values()].find((one) => one.email === email);
      if (!known) return [`“${email}” is there, and is no customer.`];
      if (known.isBare) return [`${email} is there without fitting.`];
      return known.names.has(name) ? [] : [`${email} is there as “${name}”, which it never was.`];
    });
  }

  /** Of two accounts that the destination led to, each has a customer at most once, and one of them the newest. */
  private compareWith(there: readonly Seen[], elsewhere: readonly Seen[], listed: ReadonlySet<Known>): string[] {
    const all = [...there, ...elsewhere];
    const problems = [...twice(there, ''), ...twice(elsewhere, ' (other account)'), ...this.strangers(all)];
    const shops = this.hasSwapped.source ? ([0, 1] as const) : ([this.here] as const);
    for (const { key, name } of shops.flatMap((shop) => this.present(shop))) {
      const known = this.known.get(key) as Known;
      if (known.isExcused || known.isBare) continue;
      const mine = all.filter((one) => one.email === known.email);
      if (mine.length === 0 && !listed.has(known)) problems.push(`${known.email} is missing, and nothing says so.`);
      if (mine.length > 0 && this.scenario.keeps === 'same' && mine.every((one) => one.name !== name))
        problems.push(`${known.email} is there as “${mine[0]?.name}” instead of “${name}”.`);
      if (this.scenario.keeps === 'once' && mine.length > 1) problems.push(`${known.email} is in both accounts.`);
    }
    return problems;
  }
}

function twice(seen: readonly Seen[], where: string): string[] {
  const counts = new Map<string, number>();
  for (const { email } of seen) counts.set(email, (counts.get(email) ?? 0) + 1);
  return [...counts].flatMap(([email, count]) => (count > 1 ? [`${email} is there ${count} times${where}.`] : []));
}

type ItemStates = 'delivered' | 'unsettled' | 'waiting' | 'running' | 'cancelled' | 'undone' | 'dismissed';

const byId = (one: { id: number }, other: { id: number }): number => one.id - other.id;

const refusals = new Set(['NotPossible', 'CannotTakeBack', 'TakeBackWaits', 'UnknownWorkflow']);

/** True for a refusal that a person is told in a sentence. */
const isRefusal = (error: unknown): boolean => error instanceof Error && refusals.has(error.name);

function refusalsOnly(error: unknown): void {
  if (!isRefusal(error)) throw error;
}
