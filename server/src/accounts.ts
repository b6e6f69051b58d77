import { createHash } from 'node:crypto';
import type { App, Health } from '@golden/connectors';
import { sql } from 'kysely';
import type { Trx } from './db/group-commit.ts';
import type { Db } from './db/open.ts';
import type { AccountRow } from './db/schema.ts';
import type { Seams } from './seams.ts';

/** By what an account is told apart from every other one. */
export interface Identity {
  readonly app: string;
  /** Where the app is: scheme, host and port of its address, or a folder. */
  readonly origin: string;
  /** The app's own stable id of who is signed in, or a mark of the key; null as long as nobody could ask. */
  readonly who: string | null;
  /** False where the app doesn't tell who is signed in, so that the key has to do. */
  readonly isTold: boolean;
  /** How the app calls it. */
  readonly label: string;
}

/** What a person says of a connection that leads elsewhere now. */
export type AccountAnswer = 'same' | 'other';

/** What has to be asked before a connection may be used on. */
export interface AccountQuestion {
  readonly was: Identity;
  readonly now: Identity;
}

/** Who a connection's app says we are, or what stands for it. */
export function identityOf(
  app: App,
  settings: Readonly<Record<string, string>>,
  health: Health | null,
  markOfKey: string | null,
): Identity {
  const origin = app.originOf(settings);
  if (health === null) return { app: app.id, origin, who: null, isTold: true, label: '' };
  const { account, signedInAs: label } = health;
  return account
    ? { app: app.id, origin, who: account, isTold: true, label }
    : { app: app.id, origin, who: markOfKey ?? '', isTold: false, label };
}

/** True when nothing tells the two apart: what nobody could ask of one of them doesn't. */
export function isSameAccount(one: Identity, other: Identity): boolean {
  if (one.app !== other.app) return false;
  // Accounts of an earlier release don't know where they are.
  if (one.origin !== other.origin && one.origin !== '' && other.origin !== '') return false;
  return one.who === null || other.who === null || (one.who === other.who && one.isTold === other.isTold);
}

/** By what an account is told apart, from its stored row. */
export const identityFrom = (row: AccountRow): Identity => ({
  app: row.app,
  origin: row.origin,
  who: row.who,
  isTold: row.is_told === 1,
  label: row.label,
});

/** The account of exactly this identity that was used before, if any. */
export function knownAccount(db: Db | Trx, { app, origin, who, isTold }: Identity): Promise<AccountRow | undefined> {
  return db
    .selectFrom('account')
    .selectAll()
    .where('app', '=', app)
    .where('origin', '=', origin)
    .where('who', '=', who)
    .where('is_told', '=', isTold ? 1 : 0)
    .orderBy('made_at')
    .executeTakeFirst();
}

/** Whether anything rests on an account: what was read or written there, or what is to begin there. */
export async function isUsed(db: Db | Trx, account: string): Promise<boolean> {
  const { rows } = await sql`SELECT 1 FROM intake WHERE account = ${account} LIMIT 1`.execute(db);
  return rows.length > 0 || hasIds(db, account);
}

/** Whether ids of an account are kept anywhere. */
async function hasIds(db: Db | Trx, account: string): Promise<boolean> {
  const seen = await sql`SELECT 1 FROM seen JOIN intake ON intake.id = seen.intake_id
    WHERE intake.account = ${account} LIMIT 1`.execute(db);
  if (seen.rows.length > 0) return true;
  const columns = [
    ['link', 'from_account'],
    ['link', 'to_account'],
    ['write', 'account'],
    ['mirror', 'account'],
    ['merge', 'account'],
    ['not_same', 'account'],
    ['duplicate_search', 'account'],
  ] as const;
  for (const [table, column] of columns) {
    const { rows } = await sql`SELECT 1 FROM ${sql.table(table)} WHERE ${sql.ref(column)} = ${account} LIMIT 1`.execute(
      db,
    );
    if (rows.length > 0) return true;
  }
  return false;
}

/**
 * A connection was led to an account while its app couldn't be asked, and by now it is known that this
 * is one that was used before: what was to begin there begins in that one, unless it has long begun.
 * False where ids of the other are kept, so that it has to stay.
 */
export async function becomeKnown(trx: Trx, provisional: string, known: string): Promise<boolean> {
  if (await hasIds(trx, provisional)) return false;
  await sql`UPDATE OR IGNORE intake SET account = ${known} WHERE account = ${provisional}`.execute(trx);
  await trx.deleteFrom('intake').where('account', '=', provisional).execute();
  await trx.deleteFrom('account').where('id', '=', provisional).execute();
  return true;
}

/** The account of this identity: the one that was used before, or a new one. Gives its id. */
export async function takeAccount(trx: Db | Trx, seams: Seams, identity: Identity): Promise<string> {
  const known = identity.who === null ? undefined : await knownAccount(trx, identity);
  if (known) return known.id;
  const id = await newId(trx, seams, identity);
  await trx
    .insertInto('account')
    .values({ id, ...columnsOf(identity), made_at: seams.now() })
    .execute();
  return id;
}

/** Derived where it can be: a copy of the data file that was put back comes to the same one. */
async function newId(db: Db | Trx, seams: Seams, { app, origin, who, isTold }: Identity): Promise<string> {
  if (who === null) return seams.id();
  const derived = createHash('sha256')
    .update(JSON.stringify([app, origin, who, isTold]))
    .digest('hex')
    .slice(0, 32);
  const isTaken = await db.selectFrom('account').select('id').where('id', '=', derived).executeTakeFirst();
  return isTaken ? seams.id() : derived;
}

/** An account is found at another address, or under another name, than before: it stays what it is. */
export async function moveAccount(trx: Db | Trx, id: string, identity: Identity): Promise<void> {
  const { who, label, ...rest } = columnsOf(identity);
  const told = who === null ? {} : { who, is_told: rest.is_told, label };
  await trx
    .updateTable('account')
    .set({ origin: identity.origin, ...told })
    .where('id', '=', id)
    .execute();
}

const columnsOf = ({ app, origin, who, isTold, label }: Identity) => ({
  app,
  origin,
  who,
  is_told: isTold ? 1 : 0,
  label,
});
