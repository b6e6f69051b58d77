import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { AccountPlace } from './links.ts';

// Records of a place that a person said are not one: never put together again, by a search or a lookup.

/** Keeps that none of these is the same as another of them. */
export async function keepApart(
  db: Db | Trx,
  { account, path }: AccountPlace,
  pairs: readonly (readonly [string, string])[],
  at: string,
): Promise<void> {
  if (pairs.length === 0) return;
  const place = JSON.stringify(path);
  const rows = pairs.map((pair) => {
    const [one = '', other = ''] = [...pair].sort();
    return { account, place, one, other, at };
  });
  await db
    .insertInto('not_same')
    .values(rows)
    .onConflict((conflict) => conflict.doNothing())
    .execute();
}

/** All that a person said are not the same as this record. */
export async function apartFrom(db: Db, { account, path }: AccountPlace, id: string): Promise<ReadonlySet<string>> {
  const rows = await db
    .selectFrom('not_same')
    .select(['one', 'other'])
    .where('account', '=', account)
    .where('place', '=', JSON.stringify(path))
    .where((eb) => eb.or([eb('one', '=', id), eb('other', '=', id)]))
    .execute();
  return new Set(rows.map(({ one, other }) => (one === id ? other : one)));
}
