import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Step } from '@golden/core';
import { type Listening, listen, type PracticeState, shopCounter, shopKeys } from '@golden/standins';
import type { KillPoint } from '../../seams.ts';
import { makeServices, type Services } from '../../services.ts';
import { TestClock } from '../clock.ts';
import { emptyDataFile } from '../data-file.ts';

/** The destination side of a scenario: an app of the outside, and how to look into it without our tables. */
export interface Destination {
  readonly state: PracticeState;
  /** All records that are there: the customer's mail address, and the name as it stands. */
  read(): Promise<readonly Seen[]>;
  /** A second place that each record goes to. */
  also?(): Promise<readonly Seen[]>;
  /** Addresses of this app and of another of its kind, with records of its own, and the key of both. */
  readonly accounts?: { readonly addresses: readonly [string, string]; readonly key: string };
  /** Records that the other app has of its own, under the very ids that the first one gives out: nobody may touch them. */
  readonly strangers?: readonly Seen[];
  /** The records of that other app. */
  elsewhere?(): Promise<readonly Seen[]>;
  /** Somebody deletes a record; gives the mail address that it had. */
  vanish?(at: number): string | undefined;
  /** Somebody gives a column another name; gives the steps as they are mapped again afterwards. */
  rename?(): Promise<Step[]>;
  close(): Promise<void>;
}

export interface Seen {
  readonly email: string;
  readonly name: string;
}

/** Milliseconds that one look takes; what is slow or late in an app comes to its end in them. */
const moment = 4;

/**
 * The outside of one sequence: a shop as the source, a destination, and our server, which can be
 * dropped as a killed process is and started again on its data.
 */
export class TruthWorld {
  readonly folder = mkdtempSync(join(tmpdir(), 'golden-truth-'));
  readonly shop = shopCounter(':memory:');
  /** A second shop, whose customers have the same numbers. */
  readonly otherShop = shopCounter(':memory:');
  shopAt: Listening | undefined;
  otherShopAt: Listening | undefined;
  clock = new TestClock();
  private running: Services | undefined;
  private readonly late = new Set<Promise<void>>();
  /** Where the server is to be dropped, and how often the point is passed first. */
  /** Told when a point has dropped the server. */
  private readonly onDrop = new Set<() => void>();
  private dropAt: { readonly point: KillPoint; passes: number } | undefined;
  private dropping: Promise<void> | undefined;

  async open(): Promise<void> {
    this.shopAt = await listen(this.shop.app, 0);
    this.otherShop.state.account = 'kiln-supply-2';
    this.otherShopAt = await listen(this.otherShop.app, 0);
    this.slowDown(this.shop.state);
    this.slowDown(this.otherShop.state);
    await this.start();
  }

  get services(): Services {
    if (!this.running) throw new Error('The server isn’t running.');
    return this.running;
  }

  /** An app's own pauses go by the clock of the test: what is late comes when that time has passed. */
  slowDown(state: PracticeState): void {
    state.pause = (milliseconds) => {
      const until = this.clock.uptime() + milliseconds;
      const over = (async () => {
        while (this.clock.uptime() < until) await new Promise((resolve) => setTimeout(resolve, 1));
      })();
      this.late.add(over);
      return over.finally(() => this.late.delete(over));
    };
  }

  private async start(): Promise<void> {
    const clock = this.clock;
    clock.onReach = (point) => this.reached(point);
    await emptyDataFile(join(this.folder, 'golden.sqlite'));
    this.running = await makeServices({
      dataFile: join(this.folder, 'golden.sqlite'),
      masterKey: 'a master key for tests',
      open: { timeout: 4000, retries: 1 },
      logLevel: 'silent',
      seams: clock,
    });
    await this.running.engine.start();
  }

  /** Drops the server as a killed process is, and starts it again on its data. */
  async dropAndStart(): Promise<void> {
    await this.drop();
    await this.start();
  }

  /** Drops the server when it passes a point; it is started again by whoever notices. */
  dropWhenReached(point: KillPoint, passes: number): void {
    this.dropAt = { point, passes };
  }

  /** Starts the server again if a point has dropped it. */
  async ensureRunning(): Promise<void> {
    this.dropAt = undefined;
    if (this.dropping) {
      await this.dropping;
      this.dropping = undefined;
      await this.start();
    }
  }

  get isDropped(): boolean {
    return this.dropping !== undefined;
  }

  private reached(point: KillPoint): void {
    if (this.dropAt?.point !== point) return;
    this.dropAt.passes -= 1;
    if (this.dropAt.passes >= 0) return;
    this.dropAt = undefined;
    this.dropping = this.drop();
    for (const heard of this.onDrop) heard();
    throw new Error(`Dropped at ${point}.`);
  }

  private async drop(): Promise<void> {
    const { running } = this;
    this.running = undefined;
    const before = this.clock;
    // A new process begins its own counting of time; what the old one still does is nobody's business.
    before.onReach = () => {
      throw new Error('This process was dropped.');
    };
    this.clock = before.next();
    await running?.drop();
  }

  /** Lets time pass, and what is late in the apps come to its end. */
  async pass(milliseconds: number): Promise<void> {
    this.clock.pass(milliseconds);
    await Promise.all(this.late);
    await new Promise((resolve) => setTimeout(resolve, moment));
    if (!this.isDropped) await this.services.engine.tick().catch(() => undefined);
  }

  /** Resolves when the server has nothing under way; at once when it was dropped. */
  async quiet(): Promise<void> {
    if (this.running) await this.orDropped(this.running.engine.quiet());
  }

  /** Resolves when the work is done, or when the server was dropped before. */
  async orDropped(work: Promise<unknown>): Promise<void> {
    if (this.isDropped) return;
    let heard = (): void => undefined;
    const dropped = new Promise<void>((resolve) => {
      heard = resolve;
    });
    this.onDrop.add(heard);
    await Promise.race([work, dropped]).finally(() => this.onDrop.delete(heard));
  }

  async connectShop(): Promise<string> {
    const made = await this.services.connections.add({
      app: 'shop_counter',
      name: 'Shop counter',
      settings: { address: `${this.shopAt?.url}/api` },
      key: shopKeys[0]?.key ?? '',
    });
    return made.id;
  }

  async close(): Promise<void> {
    await this.ensureRunning();
    await this.services.close();
    await this.shopAt?.close();
    await this.otherShopAt?.close();
    this.shop.store.close();
    this.otherShop.store.close();
    rmSync(this.folder, { recursive: true, force: true });
  }
}
