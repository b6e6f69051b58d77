import type { Found, MadeOf, Pointer } from '@golden/core';
import type { Insertable } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import { prepared } from '../db/prepared.ts';
import type { Db, LastWrittenTable } from '../db/schema.ts';

/** Values by field, with the app's own writing of those that it writes otherwise. */
type Fields = Readonly<Record<Pointer, MadeOf>>;

/** A record in a place of an account; `workflow` is who sent it something. */
interface RecordKey {
  readonly account: string;
  readonly place: string;
  readonly remote_id: string;
}

/**
 * Keeps what was last sent to a record by a workflow, beside what is known of its other fields: one row
 * at most for both, however often it is written.
 */
export async function keepSent(trx: Trx, workflow: string, key: RecordKey, fields: Fields): Promise<void> {
  if (Object.keys(fields).length === 0) return;
  const [row] = await lastOfWorkflow(trx, { ...key, workflow_id: workflow });
  const text = JSON.stringify({ ...(row && (JSON.parse(row.fields) as Fields)), ...fields });
  if (text === row?.fields) return;
  const { account, place, remote_id } = key;
  await putLast(trx, { account, place, remote_id, workflow_id: workflow, fields: text });
}

const lastOfWorkflow = prepared((trx, key: RecordKey & { readonly workflow_id: string }) =>
  trx
    .selectFrom('last_written')
    .select('fields')
    .where('account', '=', key.account)
    .where('place', '=', key.place)
    .where('remote_id', '=', key.remote_id)
    .where('workflow_id', '=', key.workflow_id),
);

const lastOfAll = prepared((db, key: RecordKey) =>
  db
    .selectFrom('last_written')
    .select(['workflow_id', 'fields'])
    .where('account', '=', key.account)
    .where('place', '=', key.place)
    .where('remote_id', '=', key.remote_id),
);

const putLast = prepared((trx, row: Insertable<LastWrittenTable>) =>
  trx
    .insertInto('last_written')
    .values(row)
    .onConflict((conflict) =>
      conflict.columns(['account', 'place', 'remote_id', 'workflow_id']).doUpdateSet({ fields: row.fields }),
    ),
);

/** Forgets what was sent to a record that is gone, or whose former values were brought back. */
export async function forget(db: Db | Trx, { account, place, remote_id }: RecordKey): Promise<void> {
  await db
    .deleteFrom('last_written')
    .where('account', '=', account)
    .where('place', '=', place)
    .where('remote_id', '=', remote_id)
    .execute();
}

/** What was sent to a record, or agreed with, holds for the one that was made in its place. */
export async function moveSent(trx: Trx, { account, place, remote_id }: RecordKey, to: string): Promise<void> {
  await trx
    .updateTable('last_written')
    .set({ remote_id: to })
    .where('account', '=', account)
    .where('place', '=', place)
    .where('remote_id', '=', remote_id)
    .execute();
}

/**
 * Found records with what this workflow sent them last, and with what their app made of values of ours.
 * A run and a rehearsal judge "the same" and "changed there" alike by it.
 */
export async function withLastWrites(
  db: Db,
  workflow: string,
  account: string,
  path: readonly string[],
  found: readonly Found[],
): Promise<Found[]> {
  const place = JSON.stringify(path);
  return Promise.all(
    found.map(async (one) => {
      const rows = await lastOfAll(db, { account, place, remote_id: one.id });
      return rows.length > 0 ? { ...one, ...lastOf(rows, workflow) } : one;
    }),
  );
}

function lastOf(
  rows: readonly { readonly workflow_id: string; readonly fields: string }[],
  workflow: string,
): Pick<Found, 'last' | 'made'> {
  const made: Record<Pointer, MadeOf[]> = {};
  let last: Fields | undefined;
  for (const row of rows) {
    const fields = JSON.parse(row.fields) as Fields;
    if (row.workflow_id === workflow) last = fields;
    else
      for (const [path, one] of Object.entries(fields))
        if ('read' in one) made[path as Pointer] = [...(made[path as Pointer] ?? []), one];
  }
  return { ...(last && { last }), ...(Object.keys(made).length > 0 && { made }) };
}
