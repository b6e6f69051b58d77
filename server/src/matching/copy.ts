import { type IndexField, type JsonRecord, type Pointer, readPointer, toText } from '@golden/core';
import { sql } from 'kysely';
import type { Db } from '../db/open.ts';
import type { AccountPlace } from './links.ts';

// The copy of a place as the data file has it.

/** A record of a copy, as its JSON. */
export interface CopiedRecord {
  readonly id: string;
  readonly content: string;
}

/** Records of a copy that are read at once: a few milliseconds of work. */
const atOnce = 500;

export const keyOf = ({ account, path }: AccountPlace): string => `${account}|${path.join('/')}`;

/** The texts of a record that an index looks at. */
export function textsOf(record: JsonRecord, fields: readonly Pick<IndexField, 'path'>[]): string[] {
  return fields.map(({ path }) => toText(readPointer(record, path as Pointer)));
}

/** How many changes the copy of a place has had. */
export async function changesOf(db: Db, { account, path }: AccountPlace): Promise<number> {
  const row = await db
    .selectFrom('mirror_state')
    .select('changes')
    .where('account', '=', account)
    .where('place', '=', JSON.stringify(path))
    .executeTakeFirst();
  return row?.changes ?? 0;
}

/** A number for a change of a copy that is about to be made: none is given twice. */
export async function nextChange(db: Db, { account, path }: AccountPlace): Promise<number> {
  const place = JSON.stringify(path);
  const { changes } = await db
    .insertInto('mirror_state')
    .values({ account, place, since: null, round: 0, listed_at: null, changes: 1 })
    .onConflict((conflict) =>
      conflict.columns(['account', 'place']).doUpdateSet({ changes: sql`mirror_state.changes + 1` }),
    )
    .returning('changes')
    .executeTakeFirstOrThrow();
  return changes;
}

/** How many records the copy of a place has. */
export async function sizeOfCopy(db: Db, { account, path }: AccountPlace): Promise<number> {
  const { count } = await db
    .selectFrom('mirror')
    .select((eb) => eb.fn.countAll<number>().as('count'))
    .where('account', '=', account)
    .where('place', '=', JSON.stringify(path))
    .executeTakeFirstOrThrow();
  return count;
}

/**
 * The copy of a place, some records at a time.
 *
 * @param since - only what was changed by a change after this one
 */
export async function* copiedPages(
  db: Db,
  { account, path }: AccountPlace,
  since?: number,
): AsyncGenerator<readonly CopiedRecord[]> {
  const copied = db
    .selectFrom('mirror')
    .select(['id', 'content', 'changed'])
    .where('account', '=', account)
    .where('place', '=', JSON.stringify(path))
    .limit(atOnce);
  const page = (last: { readonly id: string; readonly changed: number } | undefined) => {
    if (since === undefined)
      return copied
        .where('id', '>', last?.id ?? '')
        .orderBy('id')
        .execute();
    const later = last
      ? copied.where(({ eb, refTuple, tuple }) => eb(refTuple('changed', 'id'), '>', tuple(last.changed, last.id)))
      : copied.where('changed', '>', since);
    return later.orderBy('changed').orderBy('id').execute();
  };
  for (let rows = await page(undefined); rows.length > 0; rows = await page(rows.at(-1))) yield rows;
}
