import type { WaitLinkKind } from '@golden/core';
import { sql } from 'kysely';
import { isAsked } from '../asking/asks.ts';
import type { EngineContext } from './context.ts';
import { gatheredStep } from './parks.ts';
import { linkMark, wokenByLink } from './wait-link-parts.ts';
import { wakeTold } from './wake-told.ts';

/** What a link is good for now: it acts, it was used, nothing waits any more, or it is none of ours. */
export type LinkState = 'open' | 'used' | 'over' | 'unknown';

export interface LinkAsked {
  readonly kind: WaitLinkKind;
  readonly itemId: string;
  readonly mark: string;
}

/** What is known of a link; changes nothing. */
export async function lookAtLink(context: EngineContext, { kind, itemId, mark }: LinkAsked): Promise<LinkState> {
  if (mark !== linkMark(context.waitLinks.sealing, kind, itemId)) return 'unknown';
  const item = await context.db.selectFrom('item').select('state').where('id', '=', itemId).executeTakeFirst();
  if (!item) return 'over';
  const used = await context.db
    .selectFrom('wait_link')
    .select('at')
    .where('item_id', '=', itemId)
    .where('kind', '=', kind)
    .executeTakeFirst();
  if (used) return 'used';
  if (kind !== 'continue') return isEnded(item.state) ? 'over' : 'open';
  // What a person is asked goes on by their answer alone.
  const asked = await context.db.selectFrom('ask').select('step').where('item_id', '=', itemId).executeTakeFirst();
  return item.state === 'waiting' && !asked ? 'open' : 'over';
}

const isEnded = (state: string): boolean =>
  ['delivered', 'left_out', 'dismissed', 'cancelled', 'undone'].includes(state);

/**
 * Uses a link, once. A stop counts for later waits of the record too, also where it isn't waiting at this moment.
 * Gives what it came to, and the workflows of which something can go on.
 */
export async function useLink(
  context: EngineContext,
  asked: LinkAsked,
): Promise<{ readonly state: LinkState; readonly workflows: readonly string[] }> {
  const state = await lookAtLink(context, asked);
  if (state !== 'open') return { state, workflows: [] };
  const { kind, itemId } = asked;
  return context.commits.run(async (trx) => {
    const kept = await trx
      .insertInto('wait_link')
      .values({ item_id: itemId, kind, at: context.seams.now() })
      .onConflict((conflict) => conflict.doNothing())
      .executeTakeFirst();
    if (Number(kept.numInsertedOrUpdatedRows ?? 0) === 0) return { state: 'used' as const, workflows: [] };
    await sql`UPDATE park SET woken = ${JSON.stringify(wokenByLink(kind))}
      WHERE item_id = ${itemId} AND woken IS NULL AND step <> ${gatheredStep}
      AND (${kind === 'stop' ? 1 : 0} OR NOT ${isAsked('park.item_id')})`.execute(trx);
    return { state: 'open' as const, workflows: await wakeTold(trx) };
  });
}
