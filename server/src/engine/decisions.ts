import { advance, type Decision, type ItemState, isPlaced, stepById, type WorkflowVersion } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { ItemRow } from '../db/schema.ts';
import { leaveGone } from '../matching/links.ts';
import type { EngineContext } from './context.ts';
import { NotPossible } from './errors.ts';
import { closeIntent } from './intents.ts';
import { ItemAccounts } from './item-accounts.ts';
import { storeItem } from './item-store.ts';
import { overtaken } from './parks.ts';
import { releaseBehind } from './predecessors.ts';
import { StoredState } from './stored-state.ts';

/** What is said when something else has moved the item since the person looked at it. */
const movedOn = 'This record has changed in the meantime. Look at it again.';

/**
 * Takes an item by one conditional update, from the states that the deed expects: undefined when it
 * isn't in one of them, or when somebody else has it.
 */
async function claim(trx: Trx, itemId: string, from: readonly ItemRow['state'][]): Promise<ItemRow | undefined> {
  return trx
    .updateTable('item')
    .set({ claimed: 1 })
    .where('id', '=', itemId)
    .where('state', 'in', [...from])
    .where('claimed', '=', 0)
    .returningAll()
    .executeTakeFirst();
}

/**
 * Stores a person's decision on an unsettled item together with the state that follows from it. What
 * is to be done then is done by the queue.
 * @throws NotPossible when it has moved on since, or stands behind another change
 */
export async function decide(context: EngineContext, itemId: string, decision: Decision): Promise<void> {
  const item = await loadItem(context, itemId);
  await context.workflows.version(item.workflow_id, item.version);
  await context.commits.run((trx) => decideWithin(context, trx, itemId, decision));
  context.seams.reach('decision:after-store');
  tell(context, item);
}

/** The same for many at once, each by itself: one that has moved on is passed over. */
export async function decideAll(
  context: EngineContext,
  items: readonly Pick<ItemRow, 'id' | 'workflow_id' | 'version'>[],
  decision: Decision,
): Promise<void> {
  for (const one of items) await context.workflows.readableVersion(one.workflow_id, one.version);
  await Promise.all(
    items.map(({ id }) =>
      context.commits
        .run((trx) => decideWithin(context, trx, id, decision))
        .catch((error: unknown) => {
          if (!(error instanceof NotPossible)) throw error;
        }),
    ),
  );
}

async function decideWithin(context: EngineContext, trx: Trx, itemId: string, decision: Decision): Promise<void> {
  const item = await claim(trx, itemId, ['unsettled']);
  if (!item) throw new NotPossible(movedOn);
  if (item.cause === 'behind' && decision.kind !== 'dismiss')
    throw new NotPossible('An earlier change of this record needs you. Settle that one first, or use the newest.');
  if (!context.workflows.knownVersion(item.workflow_id, item.version)) throw new NotPossible(movedOn);
  const version = await context.workflows.version(item.workflow_id, item.version, trx);
  const before = JSON.parse(item.item_state) as ItemState;
  const next = advance(version, before, { kind: 'decided', decision, at: context.seams.now() });
  await trx
    .insertInto('decision')
    .values({ id: context.seams.id(), item_id: itemId, at: context.seams.now(), decision: JSON.stringify(decision) })
    .execute();
  if (decision.kind === 'send_again') await endIntent(context, trx, item, decision.step, 'void');
  if (decision.kind === 'accept') await endIntent(context, trx, item, decision.step, 'done');
  if (decision.kind === 'leave_gone') await rememberGone(trx, item, version, before, decision.step);
  const journal = [{ kind: 'decided', step: null, content: decision }];
  await storeItem(
    context,
    trx,
    { item, version },
    { stored: new StoredState(before), next, journal, keepsClaim: false },
  );
}

/** Whom a person leaves gone isn't made again by a later change of the same record either. */
async function rememberGone(
  trx: Trx,
  item: ItemRow,
  { content }: WorkflowVersion,
  state: ItemState,
  stepId: string,
): Promise<void> {
  const result = state.steps[stepId];
  const step = stepById(content, stepId);
  if (result?.kind !== 'unsettled' || !result.gone || !step || !isPlaced(step) || !step.target) return;
  const accounts = new ItemAccounts(item, content);
  const { connection, path } = step.target;
  await leaveGone(trx, accounts.linkEnd(result.gone.link), { account: accounts.of(connection), path });
}

/** A person has looked: what this step sent is there, or isn't. What other steps sent is left as it is. */
async function endIntent(
  context: EngineContext,
  trx: Trx,
  item: ItemRow,
  step: string,
  status: 'done' | 'void',
): Promise<void> {
  const open = await trx
    .selectFrom('write')
    .select('token')
    .where('item_id', '=', item.id)
    .where('step', '=', step)
    .where('status', '=', 'intent')
    .where('purpose', '=', 'deliver')
    .execute();
  for (const { token } of open) await closeIntent(context, trx, token, status, null);
}

/**
 * Lets an item go on that was cancelled by stopping its run.
 * @throws NotPossible when a later change of its record came since: the older must not overwrite it
 */
export async function takeUp(context: EngineContext, itemId: string): Promise<void> {
  const item = await loadItem(context, itemId);
  await context.commits.run(async (trx) => {
    const taken = await claim(trx, itemId, ['cancelled']);
    if (!taken) throw new NotPossible('Only a cancelled record can be resumed.');
    if (taken.emptied_at !== null)
      throw new NotPossible(
        'What this record held isn’t kept any more. Send it again from “Not sent”: then it is read anew.',
      );
    const later = await trx
      .selectFrom('item')
      .select('id')
      .where('intake_id', '=', taken.intake_id)
      .where('source_id', '=', taken.source_id)
      .where('seq', '>', taken.seq)
      .where('state', 'not in', ['cancelled', 'undone'])
      .executeTakeFirst();
    if (later)
      throw new NotPossible('A later change of this record has been taken in since. The older one would overwrite it.');
    await trx
      .updateTable('item')
      .set({ state: 'running', claimed: 0, message: null, ended_at: null })
      .where('id', '=', itemId)
      .execute();
  });
  context.seams.reach('decision:after-store');
  tell(context, item);
}

/**
 * Dismisses the earlier changes of a record as overtaken and lets the newest go on, all in one: none
 * in between is written. Gives the newest.
 * @throws NotPossible when one of them is just being moved
 */
export async function takeNewest(context: EngineContext, itemId: string): Promise<string> {
  const item = await loadItem(context, itemId);
  const newest = await context.commits.run(async (trx) => {
    const open = await trx
      .selectFrom('item')
      .selectAll()
      .where('intake_id', '=', item.intake_id)
      .where('source_id', '=', item.source_id)
      .where('state', 'in', ['unsettled', 'waiting', 'running'])
      .orderBy('seq')
      .execute();
    if (open.some((one) => one.claimed === 1 || one.state === 'running')) throw new NotPossible(movedOn);
    const earlier = open.slice(0, -1);
    const now = context.seams.now();
    const decision = JSON.stringify({ kind: 'dismiss', reason: overtaken });
    for (const { id } of earlier) {
      await trx
        .updateTable('item')
        .set({ state: 'dismissed', cause: null, message: overtaken, waits_for: null, wake_at: null, ended_at: now })
        .where('id', '=', id)
        .execute();
      await trx.insertInto('decision').values({ id: context.seams.id(), item_id: id, at: now, decision }).execute();
      await trx
        .insertInto('journal')
        .values({ item_id: id, at: now, kind: 'decided', step: null, content: decision })
        .execute();
    }
    await releaseBehind(trx, item);
    return open.at(-1)?.id ?? itemId;
  });
  context.seams.reach('decision:after-store');
  tell(context, item);
  return newest;
}

/** Lets everything go on that waits for a connection, or these whose time has come; gives their workflows. */
export async function wakeWaiting(
  context: EngineContext,
  which: { readonly connection: string; readonly most?: number } | { readonly items: readonly string[] },
): Promise<string[]> {
  const { rows } = await context.commits.run((trx) => {
    const condition =
      'connection' in which
        ? sql`waits_for = ${which.connection}`
        : sql`waits_for IS NULL AND wake_at IS NOT NULL AND id NOT IN (SELECT item_id FROM park) AND id IN (SELECT value FROM json_each(${JSON.stringify(which.items)}))`;
    const limit = 'connection' in which && which.most !== undefined ? which.most : -1;
    return sql<{
      workflow_id: string;
    }>`UPDATE item SET state = 'running', message = NULL, waits_for = NULL, wake_at = NULL
      WHERE id IN (SELECT id FROM item WHERE state = 'waiting' AND claimed = 0 AND cause IS NULL AND ${condition}
      ORDER BY seq LIMIT ${limit}) RETURNING workflow_id`.execute(trx);
  });
  return [...new Set(rows.map((row) => row.workflow_id))];
}

async function loadItem({ db }: EngineContext, id: string): Promise<ItemRow> {
  const item = await db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
  if (!item) throw new NotPossible('This record isn’t there any more.');
  return item;
}

function tell({ events }: EngineContext, item: ItemRow): void {
  events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
}
