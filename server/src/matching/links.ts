import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import { prepared } from '../db/prepared.ts';
import type { LinkTable } from '../db/schema.ts';
import type { Seams } from '../seams.ts';

/** A place of one account; its ids mean something there only. */
export interface AccountPlace {
  readonly account: string;
  readonly path: readonly string[];
}

/** A record of one account whose match is remembered. */
export interface LinkEnd {
  readonly account: string;
  readonly place: readonly string[];
  readonly id: string;
}

/** The record of a place that another one is remembered to be, and whether it is left gone; undefined where nothing is. */
export async function linkedTo(
  db: Db | Trx,
  from: LinkEnd,
  to: AccountPlace,
): Promise<{ readonly id: string; readonly isLeft: boolean } | undefined> {
  const [row] = await linkBetween(db, {
    from_account: from.account,
    from_place: JSON.stringify(from.place),
    from_id: from.id,
    to_account: to.account,
    to_place: JSON.stringify(to.path),
  });
  return row && { id: row.to_id, isLeft: row.left_gone === 1 };
}

type LinkKey = Pick<LinkTable, 'from_account' | 'from_place' | 'from_id' | 'to_account' | 'to_place'>;
const linkBetween = prepared((db, key: LinkKey) =>
  db
    .selectFrom('link')
    .select(['to_id', 'left_gone'])
    .where('from_account', '=', key.from_account)
    .where('from_place', '=', key.from_place)
    .where('from_id', '=', key.from_id)
    .where('to_account', '=', key.to_account)
    .where('to_place', '=', key.to_place),
);

/** What is remembered of a pair besides whom it joins. */
export interface LinkNote {
  readonly origin: LinkTable['origin'];
  readonly workflow?: string | undefined;
  readonly probability?: number | undefined;
}

/** Remembers who is whom; what was remembered of the same record in the same place before is replaced. */
export async function saveLink(
  db: Db | Trx,
  seams: Seams,
  from: LinkEnd,
  to: AccountPlace & { readonly id: string },
  note: LinkNote,
): Promise<void> {
  const values = {
    to_id: to.id,
    left_gone: 0,
    origin: note.origin,
    workflow_id: note.workflow ?? null,
    probability: note.probability ?? null,
    made_at: seams.now(),
  };
  await db
    .insertInto('link')
    .values({
      id: seams.id(),
      from_account: from.account,
      from_place: JSON.stringify(from.place),
      from_id: from.id,
      to_account: to.account,
      to_place: JSON.stringify(to.path),
      ...values,
    })
    .onConflict((conflict) =>
      conflict
        .columns(['from_account', 'from_place', 'from_id', 'to_account', 'to_place'])
        .doUpdateSet(values)
        // The same pair found again is no news.
        .where('link.to_id', '!=', to.id),
    )
    .execute();
}

/** A person said that the record is gone for good: it isn't made again for this one. */
export async function leaveGone(db: Db | Trx, from: LinkEnd, to: AccountPlace): Promise<void> {
  await db
    .updateTable('link')
    .set({ left_gone: 1 })
    .where('from_account', '=', from.account)
    .where('from_place', '=', JSON.stringify(from.place))
    .where('from_id', '=', from.id)
    .where('to_account', '=', to.account)
    .where('to_place', '=', JSON.stringify(to.path))
    .execute();
}

/** Two records aren't remembered to be the same any more, from either side. */
export async function cutPair(db: Db | Trx, one: LinkEnd, other: LinkEnd): Promise<void> {
  await cutBetween(db, one, other);
  await cutBetween(db, other, one);
}

const cutBetween = (db: Db | Trx, from: LinkEnd, to: LinkEnd) =>
  db
    .deleteFrom('link')
    .where('from_account', '=', from.account)
    .where('from_place', '=', JSON.stringify(from.place))
    .where('from_id', '=', from.id)
    .where('to_account', '=', to.account)
    .where('to_place', '=', JSON.stringify(to.place))
    .where('to_id', '=', to.id)
    .execute();

/** Links that led to a record lead to another one afterwards: two were merged. Gives how many. */
export async function moveLinks(db: Db | Trx, place: AccountPlace, from: string, to: string): Promise<number> {
  const moved = await db
    .updateTable('link')
    .set({ to_id: to })
    .where('to_account', '=', place.account)
    .where('to_place', '=', JSON.stringify(place.path))
    .where('to_id', '=', from)
    .executeTakeFirst();
  return Number(moved.numUpdatedRows);
}

/**
 * Remembers that two records are in step: each leads to the other, and no third one of either place to one of them.
 */
export async function savePair(
  db: Db | Trx,
  seams: Seams,
  from: LinkEnd,
  to: AccountPlace & { readonly id: string },
  note: LinkNote,
): Promise<void> {
  const there: LinkEnd = { account: to.account, place: to.path, id: to.id };
  const here = { account: from.account, path: from.place, id: from.id };
  await cutOthers(db, from, there);
  await cutOthers(db, there, from);
  await saveLink(db, seams, from, to, note);
  await saveLink(db, seams, there, here, note);
}

/** Cuts what else leads from one end's place to the other end. */
const cutOthers = (db: Db | Trx, from: LinkEnd, to: LinkEnd) =>
  db
    .deleteFrom('link')
    .where('from_account', '=', from.account)
    .where('from_place', '=', JSON.stringify(from.place))
    .where('to_account', '=', to.account)
    .where('to_place', '=', JSON.stringify(to.place))
    .where('to_id', '=', to.id)
    .where('from_id', '!=', from.id)
    .execute();
