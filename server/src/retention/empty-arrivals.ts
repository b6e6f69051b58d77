import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { Emptied, Reached, Wish } from './empty-items.ts';

/**
 * Takes out the bodies of the next few things that came by themselves before a time: posted events, mails, answers of
 * forms, and records that were handed over. Left whole is what isn't dealt with yet: what a workflow that starts by them
 * hasn't seen, what belongs to an open record, and the newest state of each record of a list, by which the next file is
 * told apart. That it came, and under which key, stays, so that a repeat is still known as one.
 *
 * @returns up to which it came and how many were emptied; undefined once there are no more
 */
export async function emptyArrivals(trx: Trx, { before, now, from, most }: Wish): Promise<Emptied | undefined> {
  const { rows } = await sql<Reached & { readonly isNeeded: number }>`
    SELECT seq, at, (refused IS NULL AND is_test = 0 AND (
        NOT EXISTS (SELECT 1 FROM intake WHERE intake.place = json_array(arrival.inbox_id))
        OR EXISTS (SELECT 1 FROM intake WHERE intake.place = json_array(arrival.inbox_id)
          AND NOT EXISTS (SELECT 1 FROM seen WHERE seen.intake_id = intake.id
            AND seen.source_id = coalesce(arrival.source, arrival.key)))
        OR EXISTS (SELECT 1 FROM intake JOIN item ON item.intake_id = intake.id
          WHERE intake.place = json_array(arrival.inbox_id) AND item.source_id = coalesce(arrival.source, arrival.key)
          AND item.state IN ('running', 'unsettled', 'waiting'))
        OR (source IS NOT NULL AND is_handed = 0 AND NOT EXISTS (SELECT 1 FROM arrival AS later
          WHERE later.inbox_id = arrival.inbox_id AND later.source = arrival.source AND later.seq > arrival.seq))
      )) AS isNeeded
    FROM arrival INDEXED BY arrival_full WHERE emptied_at IS NULL AND at < ${before} AND (at, seq) > (${from.at}, ${from.seq})
    ORDER BY at, seq LIMIT ${most}`.execute(trx);
  const last = rows.at(-1);
  if (!last) return undefined;
  const some = rows.filter(({ isNeeded }) => isNeeded === 0).map(({ seq }) => seq);
  if (some.length > 0)
    await trx
      .updateTable('arrival')
      // A body that isn't null lies in no file: that one goes with the next look at the files.
      .set({ body: Buffer.alloc(0), headers: '{}', emptied_at: now })
      .where('seq', 'in', some)
      .execute();
  return { reached: { at: last.at, seq: last.seq }, count: some.length };
}

/**
 * The files of a form's answers go once all that came before a time is emptied; so does what was refused then. Of files
 * with lists it stays that they came; the newest of each list that was taken in stays whole, since it may be brought in
 * once more.
 *
 * @returns how many files with lists were emptied
 */
export async function emptyBesides(trx: Trx, { before, now }: Pick<Wish, 'before' | 'now'>): Promise<number> {
  await sql`DELETE FROM form_file WHERE at < ${before} AND NOT EXISTS (SELECT 1 FROM arrival
    WHERE arrival.inbox_id = form_file.inbox_id AND arrival.emptied_at IS NULL AND arrival.at < ${before})`.execute(
    trx,
  );
  await sql`UPDATE refusal SET body = NULL, headers = '{}' WHERE at < ${before} AND (body IS NOT NULL OR headers <> '{}')`.execute(
    trx,
  );
  const files = await trx
    .updateTable('file')
    .set({ emptied_at: now })
    .where('at', '<', before)
    .where('emptied_at', 'is', null)
    .where(({ eb, exists, or, selectFrom }) =>
      or([
        eb('state', '=', 'refused'),
        eb('state', '=', 'read').and(
          exists(
            selectFrom('file as later')
              .select('later.seq')
              .whereRef('later.inbox_id', '=', 'file.inbox_id')
              .whereRef('later.series', '=', 'file.series')
              .whereRef('later.seq', '>', 'file.seq')
              .where('later.state', '=', 'read'),
          ),
        ),
      ]),
    )
    .executeTakeFirst();
  return Number(files.numUpdatedRows);
}
