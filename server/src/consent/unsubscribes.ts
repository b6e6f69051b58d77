import { contactKey } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { likeAnywhere } from '../db/like.ts';
import type { Db } from '../db/open.ts';
import type { UnsubscribedHow } from '../db/schema.ts';
import type { Seams } from '../seams.ts';

// Who doesn't want news, for the whole workspace. What was said stays: a copy of a workflow, what is taken back
// or sent again gives no consent back. Only a person takes somebody off the list, with a reason, and that is kept.

/** One who unsubscribed. */
export interface Unsubscribed {
  readonly id: string;
  /** As `contactKey` gives it. */
  readonly contact: string;
  readonly at: string;
  readonly how: UnsubscribedHow;
  readonly said: string | null;
  /** Why a person has taken them off the list again. */
  readonly back: { readonly at: string; readonly why: string } | null;
}

export interface NewUnsubscribe {
  readonly contact: string;
  readonly how: UnsubscribedHow;
  readonly said?: string | undefined;
  readonly itemId?: string | undefined;
}

/** Puts somebody on the list; false where they are on it already. What they said first stays as it was. */
export async function unsubscribe(
  { seams }: { readonly seams: Pick<Seams, 'now' | 'id'> },
  trx: Trx,
  { contact, how, said, itemId }: NewUnsubscribe,
): Promise<boolean> {
  const kept = await trx
    .insertInto('unsubscribe')
    .values({
      id: seams.id(),
      contact,
      at: seams.now(),
      how,
      said: said ?? null,
      item_id: itemId ?? null,
      taken_back_at: null,
      taken_back_why: null,
    })
    .onConflict((conflict) => conflict.doNothing())
    .executeTakeFirst();
  return Number(kept.numInsertedOrUpdatedRows ?? 0) > 0;
}

/** When somebody unsubscribed; undefined for who gets news. */
export async function unsubscribedAt(db: Db | Trx, contact: string): Promise<string | undefined> {
  const row = await db
    .selectFrom('unsubscribe')
    .select('at')
    .where('contact', '=', contact)
    .where('taken_back_at', 'is', null)
    .executeTakeFirst();
  return row?.at;
}

/** A person takes somebody off the list, because they asked for it. False where they aren't on it. */
export async function takeBack(
  { seams }: { readonly seams: Pick<Seams, 'now'> },
  trx: Trx,
  id: string,
  why: string,
): Promise<boolean> {
  const changed = await trx
    .updateTable('unsubscribe')
    .set({ taken_back_at: seams.now(), taken_back_why: why })
    .where('id', '=', id)
    .where('taken_back_at', 'is', null)
    .executeTakeFirst();
  return Number(changed.numUpdatedRows) > 0;
}

/** The list, the newest first; with those who came back. */
export async function listUnsubscribed(
  db: Db,
  search: string,
  { from, most }: { readonly from: number; readonly most: number },
): Promise<{ readonly total: number; readonly now: number; readonly rows: Unsubscribed[] }> {
  const needle = contactKey(search) ?? '';
  let found = db.selectFrom('unsubscribe');
  if (needle !== '') found = found.where(sql<boolean>`contact LIKE ${likeAnywhere(needle)} ESCAPE '\\'`);
  const { total, now } = await found
    .select((eb) => [
      eb.fn.countAll<number>().as('total'),
      eb.fn.count<number>(eb.case().when('taken_back_at', 'is', null).then(1).end()).as('now'),
    ])
    .executeTakeFirstOrThrow();
  const rows = await found.selectAll().orderBy('at', 'desc').orderBy('id').offset(from).limit(most).execute();
  return {
    total,
    now,
    rows: rows.map(({ id, contact, at, how, said, taken_back_at, taken_back_why }) => ({
      id,
      contact,
      at,
      how,
      said,
      back: taken_back_at === null ? null : { at: taken_back_at, why: taken_back_why ?? '' },
    })),
  };
}

/** Whom a text names, one on a line, as a list from another program has them: their keys, and the lines that name nobody. */
export function contactsIn(text: string, country: string): { readonly contacts: string[]; readonly unread: string[] } {
  const contacts = new Set<string>();
  const unread: string[] = [];
  for (const line of text.split(/\r?\n/).map((one) => one.trim())) {
    if (line === '') continue;
    const key = line
      .split(/[;,\t]/)
      .map((cell) => contactKey(cell.replace(/^"|"$/g, ''), country))
      .find((one) => one !== undefined && isContact(one));
    if (key === undefined) unread.push(line);
    else contacts.add(key);
  }
  return { contacts: [...contacts], unread };
}

/** True of what can be written to: an e-mail address, or a number in E.164. */
export const isContact = (key: string): boolean => /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(key) || /^\+\d{6,15}$/.test(key);
