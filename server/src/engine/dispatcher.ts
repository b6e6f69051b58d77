import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { isToBeMoved } from '../db/item-states.ts';
import type { ItemRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { hasNoOpenIntent } from './intents.ts';
import { letsPass } from './parks.ts';
import { markBehind } from './predecessors.ts';
import type { Seating } from './seats.ts';

/** Items on their way at once, over all workflows. */
const mostUnderWay = 256;
/** Items on their way at once of one workflow; requests are limited for each connection besides. */
const mostOfOne = 128;
/** Items of one workflow that have left their seat, as while they wait for the one replacement of a file. */
const mostAside = 5000;
/** Items that are claimed in one transaction. */
const claimedAtOnce = 128;

/** An item as it was when it was claimed. */
export interface Claimed extends ItemRow {
  /** 1 where the result of one of its writes isn't known. */
  readonly has_intent: number;
}

interface Lane {
  /** Claimed, and not begun yet. */
  readonly claimed: Claimed[];
  underWay: number;
  /** Those under way that have left their seat. */
  aside: number;
  /** True when the data file may hold more for this lane. */
  hasMore: boolean;
  isFilling: boolean;
}

/**
 * The one queue: everything that moves an item goes through it. What is to be done stands in the data
 * file as items that are running and unclaimed; of these each workflow in turn gets a few claimed and
 * driven, so that one with ten thousand keeps no other waiting, and memory holds no more than is
 * under way.
 *
 * Items of one record keep their order: one is claimed only when none before it is open.
 */
export class Dispatcher implements Seating {
  private readonly lanes = new Map<string, Lane>();
  private readonly listeners = new Set<() => void>();
  /** Items that have a seat. */
  private readonly seated = new Map<string, Lane>();
  private underWay = 0;
  private aside = 0;
  private isClosed = false;
  private isHeld = false;

  constructor(
    private readonly context: EngineContext,
    private readonly drive: (item: Claimed) => Promise<unknown>,
  ) {}

  /** There may be something to do in a workflow. */
  wake(workflowId: string): void {
    if (this.isClosed) return;
    const lane = this.lanes.get(workflowId) ?? newLane();
    lane.hasMore = true;
    this.lanes.set(workflowId, lane);
    this.pump();
  }

  /** Wakes every workflow that has something to do. */
  async wakeAll(): Promise<void> {
    const left = await this.context.db.selectFrom('item').select('workflow_id').distinct().where(isToBeMoved).execute();
    for (const { workflow_id } of left) this.wake(workflow_id);
  }

  /** True while something of a workflow is under way or may be. */
  isAtWork(workflowId: string): boolean {
    const lane = this.lanes.get(workflowId);
    return this.isHeld ? lane !== undefined && lane.underWay + lane.aside > 0 : lane !== undefined;
  }

  /** True while anything is under way or left to do. */
  isBusy(): boolean {
    return this.isHeld ? this.underWay + this.aside > 0 : this.lanes.size > 0;
  }

  /** True while items of a workflow are claimed and wait for their turn: it is far from done. */
  isFull(workflowId: string): boolean {
    return (this.lanes.get(workflowId)?.claimed.length ?? 0) > 0;
  }

  /** Resolves when something has come to rest since. */
  changed(): Promise<void> {
    return new Promise((resolve) => {
      const heard = (): void => {
        this.listeners.delete(heard);
        resolve();
      };
      this.listeners.add(heard);
    });
  }

  /** Resolves when nothing is under way and nothing is left to do. */
  async idle(): Promise<void> {
    while (this.isBusy()) await this.changed();
  }

  /**
   * Gives items that were claimed and not begun back, and does something with the workflow's items in
   * the same transaction, such as cancelling those of a run that a person stops.
   */
  async giveBack(workflowId: string, also: (trx: Trx) => Promise<unknown> = async () => undefined): Promise<void> {
    const lane = this.lanes.get(workflowId);
    const ids = (lane?.claimed.splice(0) ?? []).map(({ id }) => id);
    await this.context.commits.run(async (trx) => {
      if (ids.length > 0) await trx.updateTable('item').set({ claimed: 0 }).where('id', 'in', ids).execute();
      await also(trx);
    });
    if (lane) lane.hasMore = true;
    this.pump();
  }

  /** Begins nothing more until it is let go; what is under way ends. */
  hold(): void {
    this.isHeld = true;
    this.tell();
  }

  letGo(): void {
    this.isHeld = false;
    this.pump();
  }

  /** Begins nothing more and waits for what is under way. */
  async close(): Promise<void> {
    this.isClosed = true;
    for (const workflowId of this.lanes.keys()) await this.giveBack(workflowId);
    while (this.underWay + this.aside > 0 || [...this.lanes.values()].some((lane) => lane.isFilling))
      await this.changed();
    this.lanes.clear();
  }

  leave(itemId: string): void {
    const lane = this.seated.get(itemId);
    if (!lane || lane.aside >= mostAside) return;
    this.seated.delete(itemId);
    lane.underWay -= 1;
    this.underWay -= 1;
    lane.aside += 1;
    this.aside += 1;
    this.pump();
  }

  isComing(workflowId: string): boolean {
    const lane = this.lanes.get(workflowId);
    if (!lane || this.isClosed || this.isHeld) return false;
    return lane.underWay > 0 || lane.claimed.length > 0 || lane.hasMore || lane.isFilling;
  }

  private pump(): void {
    if (this.isClosed || this.isHeld) return;
    for (let isMoving = true; isMoving && this.underWay < mostUnderWay; ) {
      isMoving = false;
      const share = Math.min(mostOfOne, Math.max(8, Math.floor(mostUnderWay / Math.max(1, this.lanes.size))));
      for (const [workflowId, lane] of this.lanes) {
        if (this.underWay >= mostUnderWay) break;
        if (lane.claimed.length === 0 && lane.hasMore) void this.fill(workflowId, lane);
        const item = lane.underWay < share ? lane.claimed.shift() : undefined;
        if (!item) continue;
        isMoving = true;
        this.begin(workflowId, lane, item);
      }
    }
    for (const [workflowId, lane] of this.lanes) this.dropIdle(workflowId, lane);
  }

  private begin(workflowId: string, lane: Lane, item: Claimed): void {
    lane.underWay += 1;
    this.underWay += 1;
    this.seated.set(item.id, lane);
    const ended = (): void => {
      const left = this.seated.delete(item.id) ? 'underWay' : 'aside';
      lane[left] -= 1;
      this[left] -= 1;
      this.dropIdle(workflowId, lane);
      this.tell();
      this.pump();
    };
    this.drive(item)
      .catch((error: unknown) => {
        const said = error instanceof Error ? error.message : String(error);
        this.context.log.error({ item: item.id, said: this.context.redaction.clean(said) }, 'an item was left');
      })
      .then(ended);
  }

  private async fill(workflowId: string, lane: Lane): Promise<void> {
    if (lane.isFilling) return;
    lane.isFilling = true;
    lane.hasMore = false;
    try {
      const claimed = await this.context.commits.run((trx) => claimNext(trx, workflowId));
      if (claimed.length > 0) this.context.seams.reach('claim:after-store');
      if (claimed.length === claimedAtOnce) lane.hasMore = true;
      lane.claimed.push(...claimed.sort((one, other) => one.seq - other.seq));
    } catch (error) {
      // Nothing was claimed; the next that wakes this lane tries again.
      const said = error instanceof Error ? error.message : String(error);
      this.context.log.error({ said: this.context.redaction.clean(said) }, 'items could not be claimed');
    }
    lane.isFilling = false;
    if (this.isClosed) {
      await this.giveBack(workflowId).catch(() => undefined);
      this.tell();
      return;
    }
    this.dropIdle(workflowId, lane);
    this.tell();
    this.pump();
  }

  private dropIdle(workflowId: string, lane: Lane): void {
    const isIdle = lane.underWay + lane.aside === 0 && lane.claimed.length === 0 && !lane.hasMore && !lane.isFilling;
    if (isIdle && this.lanes.get(workflowId) === lane) {
      this.lanes.delete(workflowId);
      this.tell();
    }
  }

  private tell(): void {
    for (const heard of [...this.listeners]) heard();
  }
}

const newLane = (): Lane => ({ claimed: [], underWay: 0, aside: 0, hasMore: true, isFilling: false });

const isOpenBefore = sql`EXISTS (SELECT 1 FROM item AS earlier WHERE earlier.intake_id = item.intake_id
  AND earlier.source_id = item.source_id AND earlier.seq < item.seq
  AND earlier.state IN ('running', 'unsettled', 'waiting') AND NOT ${letsPass('earlier')})`;

/**
 * Claims the next items of a workflow by one conditional update, and gives them as they are then.
 * What stands behind an item that needs a person, or that waits, is marked so.
 */
async function claimNext(trx: Trx, workflowId: string): Promise<Claimed[]> {
  const { rows } = await sql<Claimed>`UPDATE item SET claimed = 1 WHERE id IN (
      SELECT id FROM item WHERE workflow_id = ${workflowId} AND state = 'running' AND claimed = 0 AND NOT ${isOpenBefore}
      AND run_id NOT IN (SELECT id FROM run WHERE workflow_id = ${workflowId} AND state IN ('listing', 'working') AND is_marked = 0)
      ORDER BY seq LIMIT ${claimedAtOnce})
    RETURNING *, NOT ${hasNoOpenIntent} AS has_intent`.execute(trx);
  if (rows.length === claimedAtOnce) return rows;
  await markBehind(trx, workflowId);
  return rows;
}
