import type { Db } from '../db/open.ts';

/** A record of an account: where it stands, and its id there. */
export interface RecordKey {
  readonly account: string;
  /** The path of its place, as JSON. */
  readonly place: string;
  readonly id: string;
}

export const nameOfKey = ({ account, place, id }: RecordKey): string => `${account}\n${place}\n${id}`;

/** More records than these are never one and the same; one to which many lead is told alone. */
const mostIdentities = 40;

/**
 * The records that are one and the same with a record, itself the first: those that are remembered as a pair with it, and
 * those that a workflow has written for it, and so on from each of them.
 */
export async function identitiesOf(db: Db, key: RecordKey): Promise<RecordKey[]> {
  const found = new Map([[nameOfKey(key), key]]);
  for (const one of found.values()) {
    for (const next of [...(await linkedWith(db, one)), ...(await writtenFor(db, one))]) {
      if (found.size >= mostIdentities) return [...found.values()];
      if (!found.has(nameOfKey(next))) found.set(nameOfKey(next), next);
    }
  }
  return [...found.values()];
}

async function linkedWith(db: Db, { account, place, id }: RecordKey): Promise<RecordKey[]> {
  const forth = await db
    .selectFrom('link')
    .select(['to_account as account', 'to_place as place', 'to_id as id'])
    .where('from_account', '=', account)
    .where('from_place', '=', place)
    .where('from_id', '=', id)
    .limit(mostIdentities)
    .execute();
  const back = await db
    .selectFrom('link')
    .select(['from_account as account', 'from_place as place', 'from_id as id'])
    .where('to_account', '=', account)
    .where('to_place', '=', place)
    .where('to_id', '=', id)
    .limit(mostIdentities)
    .execute();
  return [...forth, ...back];
}

async function writtenFor(db: Db, { account, place, id }: RecordKey): Promise<RecordKey[]> {
  const made = await db
    .selectFrom('item')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .innerJoin('write', 'write.item_id', 'item.id')
    .select(['write.account', 'write.place', 'write.remote_id as id'])
    .distinct()
    .where('intake.account', '=', account)
    .where('intake.place', '=', place)
    .where('item.source_id', '=', id)
    .where('write.status', '=', 'done')
    .where('write.purpose', '=', 'deliver')
    .where('write.remote_id', 'is not', null)
    .limit(mostIdentities)
    .execute();
  const madeOf = await db
    .selectFrom('write')
    .innerJoin('item', 'item.id', 'write.item_id')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .select(['intake.account', 'intake.place', 'item.source_id as id'])
    .distinct()
    .where('write.account', '=', account)
    .where('write.place', '=', place)
    .where('write.remote_id', '=', id)
    .where('write.status', '=', 'done')
    .where('write.purpose', '=', 'deliver')
    .limit(mostIdentities)
    .execute();
  return [...made, ...madeOf].flatMap(({ account: owner, place: where, id: its }) =>
    its === null ? [] : [{ account: owner, place: where, id: its }],
  );
}
