import {
  type Found,
  isSameValue,
  type JsonRecord,
  type MadeOf,
  type PlannedWrite,
  type Pointer,
  readPointer,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/schema.ts';

/**
 * What an app made of our values, for the fields that it writes its own way: a field that came back
 * as it was sent needs no note. `also` names fields that are kept although nothing was sent to them,
 * such as the app's own time of the change.
 */
export function rewrittenFields(
  write: PlannedWrite,
  read: JsonRecord,
  also: readonly Pointer[] = [],
): Record<Pointer, MadeOf> {
  const made: Record<Pointer, MadeOf> = {};
  for (const [path, sent] of Object.entries(write.values)) {
    const there = readPointer(read, path) ?? null;
    if (!isSameValue(sent, there, write.types[path] ?? 'text')) made[path] = { sent, read: there };
  }
  for (const path of also) made[path] = { sent: null, read: readPointer(read, path) ?? null };
  return made;
}

/**
 * Keeps what was read back of a write, beside what is known of the record's other fields: one row a
 * record at most, however often it is written.
 */
export async function keepMade(
  trx: Trx,
  account: string,
  write: PlannedWrite,
  id: string,
  read: JsonRecord,
  also: readonly Pointer[],
): Promise<void> {
  const key = { account, place: JSON.stringify(write.target.path), remote_id: id };
  const known = await lastFields(trx, key);
  const made = rewrittenFields(write, read, also);
  const kept = Object.entries(known ?? {}).filter(([path]) => !(path in write.values) && !also.includes(path));
  const fields = { ...Object.fromEntries(kept), ...made };
  if (Object.keys(fields).length === 0) {
    if (known) await forget(trx, key);
    return;
  }
  const text = JSON.stringify(fields);
  await trx
    .insertInto('last_written')
    .values({ ...key, fields: text })
    .onConflict((conflict) => conflict.columns(['account', 'place', 'remote_id']).doUpdateSet({ fields: text }))
    .execute();
}

type Key = { readonly account: string; readonly place: string; readonly remote_id: string };

/** Forgets what was made of a record that is gone. */
export async function forget(db: Db | Trx, { account, place, remote_id }: Key): Promise<void> {
  await db
    .deleteFrom('last_written')
    .where('account', '=', account)
    .where('place', '=', place)
    .where('remote_id', '=', remote_id)
    .execute();
}

/**
 * Found records with what the app made of our own values. A run and a rehearsal judge "the same"
 * alike by it.
 */
export async function withLastWrites(
  db: Db,
  account: string,
  path: readonly string[],
  found: readonly Found[],
): Promise<Found[]> {
  const place = JSON.stringify(path);
  return Promise.all(
    found.map(async (one) => {
      const last = await lastFields(db, { account, place, remote_id: one.id });
      return last ? { ...one, last } : one;
    }),
  );
}

async function lastFields(
  db: Db | Trx,
  { account, place, remote_id }: Key,
): Promise<Readonly<Record<Pointer, MadeOf>> | undefined> {
  const row = await db
    .selectFrom('last_written')
    .select('fields')
    .where('account', '=', account)
    .where('place', '=', place)
    .where('remote_id', '=', remote_id)
    .executeTakeFirst();
  return row && (JSON.parse(row.fields) as Record<Pointer, MadeOf>);
}
