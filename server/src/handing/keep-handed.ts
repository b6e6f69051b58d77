import {
  type HandedRecord,
  hopsHeader,
  hopsOf,
  type ItemState,
  type ItemStateName,
  plainStepId,
  startId,
} from '@golden/core';
import type { Insertable } from 'kysely';
import { hashOf } from '../arrivals/byte-store.ts';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { ArrivalTable, HandedTable, ItemRow } from '../db/schema.ts';

// What one workflow hands over to another is stored as what comes to that one, in the transaction in which the state
// of whoever hands it over moves on: neither is known without the other. From there it is taken in like anything else.

/** Records that are stored in one transaction. */
export const pieceSize = 200;

/** The header in which values stand that could not be made. */
const asksHeader = 'golden-asks';

/** What is handed over by one step of one item. */
export interface Handing {
  readonly item: Pick<ItemRow, 'id' | 'workflow_id' | 'source_id'>;
  /** The step, with the number of its own turn. */
  readonly step: string;
  readonly inbox: string;
  readonly state: ItemState;
  /** True for the items of a list, each by its number. */
  readonly isList: boolean;
}

const insertArrival = prepared((trx, row: Insertable<ArrivalTable>) =>
  trx
    .insertInto('arrival')
    .values(row)
    .onConflict((conflict) => conflict.columns(['inbox_id', 'key']).doNothing()),
);

const insertHanded = prepared((trx, row: Insertable<HandedTable>) =>
  trx
    .insertInto('handed')
    .values(row)
    .onConflict((conflict) => conflict.doNothing()),
);

/** Stores some records of what is handed over; one that was stored before is left as it is. */
export async function keepHanded(
  trx: Trx,
  { item, step, inbox, state, isList }: Handing,
  records: readonly HandedRecord[],
  now: string,
): Promise<void> {
  const hops = hopsOf(state.values[startId]) + 1;
  // A later change of one record is a later state of what is made of it; of a list nobody knows which item it was.
  const source = isList || plainStepId(step) !== step ? null : `${item.workflow_id}.${item.source_id}.${step}`;
  for (const { turn, record, problems } of records) {
    const key = isList ? `${item.id}.${step}#${turn}` : `${item.id}.${step}`;
    const body = Buffer.from(JSON.stringify(record));
    await insertArrival(trx, {
      inbox_id: inbox,
      key,
      at: now,
      media_type: 'application/json',
      headers: JSON.stringify({
        [hopsHeader]: String(hops),
        ...(problems.length > 0 && { [asksHeader]: JSON.stringify(problems) }),
      }),
      size: body.length,
      hash: hashOf(body),
      body,
      refused: null,
      source,
      is_handed: 1,
    });
    await insertHanded(trx, {
      parent_id: item.id,
      step,
      turn: isList ? turn : 0,
      inbox_id: inbox,
      key,
      child_id: null,
    });
  }
}

/** What the records of an arrival that was handed over say of it. */
export function markOfHanded({
  key,
  headers,
  is_handed,
}: Pick<ArrivalTable, 'key' | 'headers'> & { is_handed: number }) {
  if (is_handed !== 1) return undefined;
  const asks = (JSON.parse(headers) as Record<string, string>)[asksHeader];
  return { key, ...(asks !== undefined && { asks: JSON.parse(asks) as HandedRecord['problems'] }) };
}

/** How far handing over has come: how many are stored, and the number of the last one. */
export async function handedSoFar(
  db: Db | Trx,
  itemId: string,
  step: string,
): Promise<{ readonly count: number; readonly last: number }> {
  const { count, last } = await db
    .selectFrom('handed')
    .select((eb) => [eb.fn.countAll<number>().as('count'), eb.fn.max('turn').as('last')])
    .where('parent_id', '=', itemId)
    .where('step', '=', step)
    .executeTakeFirstOrThrow();
  return { count, last: last ?? 0 };
}

/** An item that something handed over has become. */
interface TakenIn {
  readonly key: string;
  readonly child: string;
  readonly state: ItemStateName;
}

const setChild = prepared((trx, { inbox, key, child, state }: TakenIn & { readonly inbox: string }) =>
  trx.updateTable('handed').set({ child_id: child, state }).where('inbox_id', '=', inbox).where('key', '=', key),
);

/** Notes which item a record that was handed over has become. */
export async function noteTakenIn(trx: Trx, inbox: string, taken: readonly TakenIn[]): Promise<void> {
  for (const one of taken) await setChild(trx, { inbox, ...one });
}

/** What lies in an inbox that no workflow begins with any more is never taken in: who waits for it is told. */
export async function nobodyTakesIn(db: Db, inbox: string): Promise<void> {
  await db
    .updateTable('handed')
    .set({ state: 'cancelled' })
    .where('inbox_id', '=', inbox)
    .where('state', '=', 'handed')
    .execute();
}
