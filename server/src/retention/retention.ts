import { setImmediate } from 'node:timers/promises';
import type SQLite from 'better-sqlite3';
import type { Logger } from 'pino';
import type { Arrivals } from '../arrivals/arrivals.ts';
import type { Checkpoints } from '../db/checkpoints.ts';
import type { GroupCommit, Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { bytesOf, giveRoomBack } from '../db/room.ts';
import type { Events } from '../events.ts';
import type { RecordIndex } from '../records/record-index.ts';
import type { Seams } from '../seams.ts';
import { loadSettings } from '../settings.ts';
import type { Workflows } from '../workflows.ts';
import { emptyArrivals, emptyBesides } from './empty-arrivals.ts';
import { atTheStart, countFull, type Emptied, emptyItems, type Wish } from './empty-items.ts';

/** How often it is looked whether a day has passed since the last sweep. */
const looksEvery = 10 * 60_000;
const day = 24 * 60 * 60_000;

/** Records that are counted at the most. */
const mostCounted = 100_000;
/** Records after which it is told how far it is. */
const toldEvery = 500;

const notTakenOut = 'what is old could not be taken out';

/** Items, or arrivals, of a piece: some milliseconds, then others are answered. */
const piece = 20;

interface Parts {
  readonly db: Db;
  readonly sqlite: SQLite.Database;
  readonly commits: GroupCommit;
  readonly checkpoints: Pick<Checkpoints, 'carryOut'>;
  readonly seams: Seams;
  readonly workflows: Workflows;
  readonly arrivals: Pick<Arrivals, 'sweepOld'>;
  readonly recordIndex: Pick<RecordIndex, 'forgetWords'>;
  readonly events: Events;
  readonly log: Logger;
}

/** What is kept. */
export interface Standing {
  /** Of the data file. */
  readonly bytes: number;
  /** Ended records with their values that are older than the days in the settings, up to `most`. */
  readonly older: number;
  readonly most: number;
  /** How many have been emptied by the sweep that is under way; null where none is. */
  readonly underWay: number | null;
}

/** What a sweep came to. */
export interface Swept {
  readonly items: number;
  readonly arrivals: number;
  /** Bytes by which the data file is smaller. */
  readonly bytes: number;
}

/**
 * What records held is kept for the days in the settings after they ended: once a day what is older goes, piece by piece.
 * What became of each stays.
 */
export class Retention {
  private timer: NodeJS.Timeout | undefined;
  private lastAt = Number.NEGATIVE_INFINITY;
  private isStopped = false;
  private isClosed = false;
  private emptiedSoFar = 0;
  private underWay: Promise<Swept> | undefined;

  constructor(private readonly parts: Parts) {}

  start(): void {
    this.timer = setInterval(() => void this.look(), looksEvery);
    this.timer.unref();
  }

  async close(): Promise<void> {
    this.isClosed = true;
    this.isStopped = true;
    clearInterval(this.timer);
    await this.underWay?.catch(() => undefined);
  }

  /** Sweeps where the last time is a day ago. A failure is told in the log: nothing is lost by it. */
  async look(): Promise<void> {
    const now = Date.parse(this.parts.seams.now());
    if (Math.abs(now - this.lastAt) < day) return;
    this.lastAt = now;
    await this.sweep().catch((error: unknown) => this.parts.log.error(error, notTakenOut));
  }

  /** Begins to sweep at a person's wish, in the background. */
  begin(): void {
    this.sweep().catch((error: unknown) => this.parts.log.error(error, notTakenOut));
  }

  /** Ends what is under way between two pieces. */
  async stop(): Promise<void> {
    const { underWay } = this;
    if (!underWay) return;
    this.isStopped = true;
    await underWay.catch(() => undefined);
    this.isStopped = this.isClosed;
  }

  /** How much is kept that is older than the days in the settings, and how far a sweep is. */
  async standing(): Promise<Standing> {
    const { db, sqlite } = this.parts;
    return {
      bytes: bytesOf(sqlite),
      older: await countFull(db, await this.before(), mostCounted),
      most: mostCounted,
      underWay: this.underWay ? this.emptiedSoFar : null,
    };
  }

  /**
   * Takes out what is older than the days in the settings; one sweep at a time.
   *
   * @param days - in place of those in the settings
   */
  sweep(days?: number): Promise<Swept> {
    this.underWay ??= this.work(days).finally(() => {
      this.underWay = undefined;
      this.parts.events.tell({ topic: 'workspace' });
    });
    return this.underWay;
  }

  private async before(days?: number): Promise<string> {
    const { db, seams } = this.parts;
    const kept = days ?? (await loadSettings(db)).keepDays;
    return new Date(Date.parse(seams.now()) - kept * day).toISOString();
  }

  private async work(days: number | undefined): Promise<Swept> {
    const { sqlite, commits, checkpoints, seams, workflows, arrivals, recordIndex } = this.parts;
    this.emptiedSoFar = 0;
    const now = seams.now();
    const before = await this.before(days);
    const isStopped = () => this.isStopped;
    // Pages that become free meanwhile are overwritten, so that what goes is gone from the file.
    sqlite.pragma('secure_delete = ON');
    try {
      const items = await this.inPieces((trx, wish) => emptyItems(trx, workflows, wish), before, now);
      const came = await this.inPieces(emptyArrivals, before, now);
      const files = isStopped() ? 0 : await commits.run((trx) => emptyBesides(trx, { before, now }));
      if (!isStopped() && came + files > 0) await arrivals.sweepOld();
      if (items > 0) await recordIndex.forgetWords(isStopped);
      const bytes = await giveRoomBack(sqlite, isStopped, (statement) => checkpoints.carryOut(statement));
      return { items, arrivals: came, bytes };
    } finally {
      sqlite.pragma('secure_delete = FAST');
    }
  }

  private async inPieces(
    one: (trx: Trx, wish: Wish) => Promise<Emptied | undefined>,
    before: string,
    now: string,
  ): Promise<number> {
    let count = 0;
    for (let from = atTheStart; !this.isStopped; ) {
      const wish = { before, now, from, most: piece };
      const done = await this.parts.commits.run((trx) => one(trx, wish));
      if (!done) break;
      from = done.reached;
      count += done.count;
      this.tellProgress(done.count);
      await setImmediate();
    }
    return count;
  }

  /** Now and again, so that whoever looks sees it go on. */
  private tellProgress(count: number): void {
    const before = Math.floor(this.emptiedSoFar / toldEvery);
    this.emptiedSoFar += count;
    if (Math.floor(this.emptiedSoFar / toldEvery) > before) this.parts.events.tell({ topic: 'workspace' });
  }
}
