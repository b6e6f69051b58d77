import {
  businessId,
  type ItemState,
  type JsonRecord,
  type TakenOver,
  takenOver,
  type WokenBy,
  type WorkflowContent,
  type WorkflowVersion,
  waitLinksId,
} from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { isWaiting } from '../db/item-states.ts';
import type { Db } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { givenToItems } from './ingest.ts';
import { accountsNow } from './item-accounts.ts';
import { gatheredStep } from './parks.ts';
import { wakeTold } from './wake-told.ts';

// Records that wait stay on the version that they began with, unless a person lets a new one go on with them. It is
// carried out in pieces, so that nothing else is held up; what the process left is gone on with at the next start.

/** Records looked at in one piece. */
const pageSize = 200;

/** What would become of the records that wait on earlier versions, if another went on with them. */
export interface Waiters {
  readonly total: number;
  /** Those that it can go on with. */
  readonly canGoOn: number;
  /** How many of those then wait another time, and how many of these go on at once because that has passed. */
  readonly waitAnew: number;
  readonly atOnce: number;
  /** Why others stay, and how many. */
  readonly stay: readonly { readonly why: string; readonly count: number }[];
}

interface Waiter {
  readonly seq: number;
  readonly id: string;
  readonly version: number;
  readonly item_state: string;
  readonly accounts: string;
  /** 1 where a person has put it off. */
  readonly is_put_off: number;
}

/** What would become of those who wait if the draft went live and took over whom it can. */
export async function waitersFor(context: EngineContext, workflowId: string): Promise<Waiters> {
  const { db, workflows, seams } = context;
  const to = await workflows.draftVersion(workflowId);
  const { number } = await workflows.asVersion(workflowId);
  const stay = new Map<string, number>();
  const counts = { total: 0, canGoOn: 0, waitAnew: 0, atOnce: 0 };
  let after = 0;
  for (;;) {
    const page = await waitersAfter(db, workflowId, number, after);
    for (const waiter of page) {
      const { content } = await workflows.version(workflowId, waiter.version);
      const told = judge(content, to, waiter, seams.now());
      counts.total += 1;
      if (told.kind === 'stays') {
        stay.set(told.why, (stay.get(told.why) ?? 0) + 1);
        continue;
      }
      counts.canGoOn += 1;
      if (told.kind === 'goes_on') continue;
      counts.waitAnew += 1;
      if (told.until === undefined) counts.atOnce += 1;
    }
    if (page.length < pageSize) break;
    after = page.at(-1)?.seq ?? 0;
  }
  const reasons = [...stay].map(([why, count]) => ({ why, count })).sort((one, other) => other.count - one.count);
  return { ...counts, stay: reasons };
}

/** Lets versions that were to take over those who wait do so, as far as that isn't done yet; gives the workflows of which something can go on. */
export async function carryOutTakeOvers(context: EngineContext): Promise<string[]> {
  const { db } = context;
  const open = await db
    .selectFrom('workflow')
    .select(['id', 'takes_over'])
    .where('takes_over', 'is not', null)
    .execute();
  const woken = new Set<string>();
  for (const { id, takes_over } of open)
    for (const workflow of await takeOver(context, id, takes_over ?? 0)) woken.add(workflow);
  return [...woken];
}

async function takeOver(context: EngineContext, workflowId: string, number: number): Promise<string[]> {
  const { commits, workflows, seams } = context;
  const to = await workflows.version(workflowId, number);
  const woken = new Set<string>();
  let after = 0;
  for (;;) {
    const last = await commits.run(async (trx) => {
      const page = await waitersAfter(trx, workflowId, number, after);
      const given = await givenToItems(context, trx, to.content);
      for (const waiter of page) {
        const { content } = await workflows.version(workflowId, waiter.version, trx);
        const told = judge(content, to, waiter, seams.now());
        if (told.kind === 'stays') continue;
        await moveTo(context, trx, waiter, to, number, given);
        if (told.kind === 'waits_anew') await wakeToWaitAnew(trx, waiter.id);
      }
      for (const workflow of await wakeTold(trx)) woken.add(workflow);
      if (page.length === pageSize) return page.at(-1)?.seq;
      await trx
        .updateTable('workflow')
        .set({ takes_over: null })
        .where('id', '=', workflowId)
        .where('takes_over', '=', number)
        .execute();
      return undefined;
    });
    seams.reach('take-over:after-store');
    if (last === undefined) return [...woken];
    after = last;
  }
}

/** What waits for time, of versions before one. What has been woken already goes on as it is. */
function waitersAfter(db: Db | Trx, workflowId: string, version: number, after: number): Promise<Waiter[]> {
  return db
    .selectFrom('park')
    .innerJoin('item', 'item.id', 'park.item_id')
    .select(['item.seq', 'item.id', 'item.version', 'item.item_state', 'item.accounts'])
    .select(
      sql<number>`EXISTS (SELECT 1 FROM decision WHERE decision.item_id = item.id AND decision.at >= park.at
        AND decision.decision ->> 'kind' = 'put_off')`.as('is_put_off'),
    )
    .where('item.workflow_id', '=', workflowId)
    .where(isWaiting)
    .where('item.claimed', '=', 0)
    .where('item.version', '<', version)
    .where('item.seq', '>', after)
    .where('park.step', '!=', gatheredStep)
    .where('park.woken', 'is', null)
    .orderBy('item.seq')
    .limit(pageSize)
    .execute();
}

function judge(from: WorkflowContent, to: WorkflowVersion, waiter: Waiter, now: string): TakenOver {
  const told = takenOver(from, to, stateOf(waiter), now);
  return told.kind === 'waits_anew' && waiter.is_put_off === 1
    ? { kind: 'stays', why: 'A person has put it off, and its wait has changed.' }
    : told;
}

async function moveTo(
  { connections, seams }: EngineContext,
  trx: Trx,
  waiter: Waiter,
  { content }: WorkflowVersion,
  version: number,
  given: Awaited<ReturnType<typeof givenToItems>>,
): Promise<void> {
  const state = stateOf(waiter);
  // What the business says of itself, and links, as far as only the new version has use for them.
  const more: Record<string, JsonRecord | undefined> = {
    [businessId]: given.business,
    [waitLinksId]: given.linksOf?.(waiter.id),
  };
  const values: Record<string, JsonRecord> = { ...state.values };
  for (const [id, record] of Object.entries(more)) if (record) values[id] = { ...record, ...values[id] };
  const begun = JSON.parse(waiter.accounts) as Record<string, string>;
  await trx
    .updateTable('item')
    .set({
      version,
      item_state: JSON.stringify({ ...state, values } satisfies ItemState),
      // A connection that it meets for the first time leads where it leads now.
      accounts: JSON.stringify({ ...accountsNow(connections, content), ...begun }),
    })
    .where('id', '=', waiter.id)
    .execute();
  const change = JSON.stringify({ from: waiter.version, to: version });
  await trx
    .insertInto('journal')
    .values({ item_id: waiter.id, at: seams.now(), kind: 'version', step: null, content: change })
    .execute();
}

/** Its time is worked out anew, and what ends it is looked for anew, when it comes to its wait again. */
async function wakeToWaitAnew(trx: Trx, itemId: string): Promise<void> {
  const woken = JSON.stringify({ kind: 'time' } satisfies WokenBy);
  await trx.updateTable('park').set({ woken }).where('item_id', '=', itemId).execute();
}

const stateOf = ({ item_state }: Pick<Waiter, 'item_state'>): ItemState => JSON.parse(item_state) as ItemState;
