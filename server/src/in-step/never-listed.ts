import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { IntakeRow, RunRow, SeenTable } from '../db/schema.ts';
import type { PlaceOfAccount } from '../engine/own-writes.ts';

/**
 * Records of a place in step that were made there and removed again between two looks: no listing has ever shown them,
 * and their partners would stay for ever. Each as it was written last.
 *
 * @param to - the other place of the pair
 */
export async function neverListed(
  trx: Trx,
  { id: run, started_at }: Pick<RunRow, 'id' | 'started_at'>,
  { id: intake, account, place }: Pick<IntakeRow, 'id' | 'account' | 'place'>,
  to: PlaceOfAccount,
): Promise<SeenTable[]> {
  const { rows } = await sql<{ id: string; made_at: string; read: string | null }>`
    SELECT from_id AS id, made_at,
      (SELECT read FROM write WHERE account = link.from_account AND place = link.from_place AND remote_id = link.from_id
        AND status = 'done' AND read IS NOT NULL ORDER BY done_at DESC LIMIT 1) AS read
    FROM link
    WHERE from_account = ${account} AND from_place = ${place} AND to_account = ${to.account} AND to_place = ${to.place}
      AND made_at < ${started_at}
      AND NOT EXISTS (SELECT 1 FROM seen WHERE intake_id = ${intake} AND source_id = link.from_id)`.execute(trx);
  return rows.map(({ id, made_at, read }) => ({
    intake_id: intake,
    source_id: id,
    revision: '',
    fingerprint: '',
    counter: 0,
    is_taken: 1,
    run_id: run,
    kept: read ?? '{}',
    is_gone: 0,
    seen_at: made_at,
  }));
}
