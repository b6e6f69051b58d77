import { createHash } from 'node:crypto';
import type { Asked, AskVerdict, JsonRecord, Park } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { isWaiting } from '../db/item-states.ts';
import type { Db } from '../db/open.ts';
import type { ItemRow } from '../db/schema.ts';

// What people are asked about items that wait for their answer. It goes with what the item waits for.

/** What an answer is bound to: another text of what is asked has another one. */
export const printOf = (asked: string): string => createHash('sha256').update(asked).digest('hex').slice(0, 32);

/** Keeps what is asked about an item that is parked now. Mails go out by `mail_at`. */
export async function keepAsk(
  trx: Trx,
  item: Pick<ItemRow, 'id' | 'workflow_id'>,
  { asks }: Pick<Park, 'asks'>,
  now: string,
): Promise<void> {
  if (!asks) return;
  const asked = JSON.stringify(asks);
  const isMailed = asks.through !== null && asks.to.length > 0;
  await trx
    .insertInto('ask')
    .values({
      item_id: item.id,
      workflow_id: item.workflow_id,
      step: asks.step,
      asked,
      print: printOf(asked),
      at: now,
      mail_at: isMailed ? now : null,
    })
    .execute();
}

/** True of an item, by its name in the statement, that waits for a person's answer: nothing but that is one. */
export const isAsked = (item: string) => sql<boolean>`EXISTS (SELECT 1 FROM ask WHERE ask.item_id = ${sql.ref(item)})`;

/** Something that is asked and hasn't been answered. */
export interface OpenAsk {
  readonly itemId: string;
  readonly runId: string;
  readonly workflowId: string;
  readonly title: string;
  readonly print: string;
  readonly asked: Asked;
  readonly at: string;
  /** Until when it can be answered, before what was chosen for that happens. */
  readonly until: string | null;
}

/** What is open, the oldest first: of a step, of a letter, or of one item. */
export async function openAsks(
  db: Db | Trx,
  of: { readonly workflowId: string; readonly step: string } | { readonly letter: string } | { readonly item: string },
  limit: number,
): Promise<{ readonly asks: OpenAsk[]; readonly total: number }> {
  let rows = db
    .selectFrom('ask')
    .innerJoin('park', 'park.item_id', 'ask.item_id')
    .innerJoin('item', 'item.id', 'ask.item_id')
    .select(['ask.item_id', 'ask.asked', 'ask.print', 'ask.at', 'park.until', 'item.run_id', 'item.title'])
    .select(['item.workflow_id', (eb) => eb.fn.countAll<number>().over().as('total')])
    .where('park.woken', 'is', null)
    .where(isWaiting);
  if ('workflowId' in of) rows = rows.where('ask.workflow_id', '=', of.workflowId).where('ask.step', '=', of.step);
  else if ('item' in of) rows = rows.where('ask.item_id', '=', of.item);
  else
    rows = rows
      .innerJoin('ask_letter_item', 'ask_letter_item.item_id', 'ask.item_id')
      .innerJoin('ask_letter', 'ask_letter.id', 'ask_letter_item.letter_id')
      .whereRef('ask_letter.step', '=', 'ask.step')
      .where('ask_letter.id', '=', of.letter);
  const found = await rows.orderBy('item.seq').limit(limit).execute();
  return {
    total: found[0]?.total ?? 0,
    asks: found.map((row) => ({
      itemId: row.item_id,
      runId: row.run_id,
      workflowId: row.workflow_id,
      title: row.title,
      print: row.print,
      asked: JSON.parse(row.asked) as Asked,
      at: row.at,
      until: row.until,
    })),
  };
}

/** What somebody has answered, as it is kept among the decisions. */
export interface KeptAnswer {
  readonly kind: 'answer';
  readonly step: string;
  readonly who: string;
  readonly says: AskVerdict['kind'];
  readonly reason?: string;
  /** Of an approval: what they have changed. */
  readonly changes?: JsonRecord;
}

/** Who answered for an item last at a step, and when; undefined where nobody has. */
export async function lastAnswer(
  db: Db | Trx,
  itemId: string,
  step: string,
): Promise<(KeptAnswer & { readonly at: string }) | undefined> {
  const row = await db
    .selectFrom('decision')
    .select(['decision', 'at'])
    .where('item_id', '=', itemId)
    .where(sql<boolean>`json_extract(decision, '$.kind') = 'answer' AND json_extract(decision, '$.step') = ${step}`)
    .orderBy('at', 'desc')
    .limit(1)
    .executeTakeFirst();
  return row && { ...(JSON.parse(row.decision) as KeptAnswer), at: row.at };
}
