import type { IntakeRow, RunRow, RunTable } from '../db/schema.ts';
import type { Seams } from '../seams.ts';

/** A run at its beginning: it lists from where its intake stands. */
export function newRun(
  { seams }: { readonly seams: Pick<Seams, 'id' | 'now'> },
  intake: Pick<IntakeRow, 'id' | 'workflow_id' | 'since' | 'epoch'>,
  version: number,
  kind: RunTable['kind'],
  more: Partial<RunRow> = {},
): RunRow {
  const now = seams.now();
  return {
    id: seams.id(),
    workflow_id: intake.workflow_id,
    intake_id: intake.id,
    epoch: intake.epoch,
    version,
    kind,
    state: 'listing',
    started_at: now,
    ended_at: null,
    in_source: 0,
    noted_earlier: 0,
    taken_in: 0,
    repeats: 0,
    cursor: null,
    // Later than now tells of a time that nobody can trust: all is listed, and what is known counts as a repeat.
    since: intake.since !== null && intake.since > now ? null : intake.since,
    high_water: null,
    message: null,
    note: null,
    wake_at: null,
    is_marked: 0,
    wanted: null,
    never_posted: 0,
    own: 0,
    ...more,
  };
}
