import { alikeAs, decisionFor, type ItemState, type ManyAnswer } from '@golden/core';
import { isUnsettled } from '../db/item-states.ts';
import type { ItemRow } from '../db/schema.ts';
import { NotPossible } from '../engine/errors.ts';
import type { Services } from '../services.ts';
import { openStep } from './cases.ts';

/** A case that the same answer settles. */
export interface AlikeCase {
  readonly id: string;
  readonly title: string;
  readonly takenAt: string;
  readonly fields: NonNullable<ReturnType<typeof openStep>>[1]['fields'];
}

const mostShown = 1000;

/** The step of an item that needs a person, with its result; undefined when it waits no more. */
const openOf = (item: Pick<ItemRow, 'state' | 'item_state'> | undefined): ReturnType<typeof openStep> =>
  item?.state === 'unsettled' ? openStep(JSON.parse(item.item_state) as ItemState) : undefined;

/** The cases that are alike to one, itself among them, the oldest first. */
export async function alikeCases({ db }: Services, itemId: string): Promise<AlikeCase[]> {
  const item = await db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirst();
  const own = openOf(item);
  if (!item || !own) throw new NotPossible('This record doesn’t need anybody any more.');
  const rows = await db
    .selectFrom('item')
    .select(['id', 'title', 'taken_at', 'item_state'])
    .where('workflow_id', '=', item.workflow_id)
    .where(isUnsettled)
    .where('cause', '=', item.cause)
    .orderBy('seq')
    .limit(mostShown)
    .execute();
  return rows.flatMap(({ id, title, taken_at, item_state }): AlikeCase[] => {
    const open = openStep(JSON.parse(item_state) as ItemState);
    if (!open || alikeAs(...open) !== alikeAs(...own)) return [];
    return [{ id, title, takenAt: taken_at, fields: open[1].fields }];
  });
}

/**
 * Gives one answer to many cases, each by itself: one that is settled already, or can't be, is told, and the
 * others go on.
 */
export async function settleAlike(
  services: Services,
  itemId: string,
  ids: readonly string[],
  answer: ManyAnswer,
): Promise<{ settled: number; left: { id: string; title: string; message: string }[] }> {
  const alike = new Set((await alikeCases(services, itemId)).map(({ id }) => id));
  const left: { id: string; title: string; message: string }[] = [];
  let settled = 0;
  for (const id of new Set(ids)) {
    const item = await services.db
      .selectFrom('item')
      .select(['title', 'item_state', 'state'])
      .where('id', '=', id)
      .executeTakeFirst();
    const open = openOf(item);
    if (!item || !open || !alike.has(id)) {
      left.push({ id, title: item?.title ?? id, message: 'It was settled meanwhile, or isn’t like the others.' });
      continue;
    }
    try {
      await services.engine.decide(id, decisionFor(answer, ...open));
      settled += 1;
    } catch (error) {
      if (!(error instanceof NotPossible)) throw error;
      left.push({ id, title: item.title, message: error.message });
    }
  }
  return { settled, left };
}
