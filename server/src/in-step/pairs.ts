import type { InStep, WorkflowContent } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db, InStepRow } from '../db/schema.ts';

// Which workflows belong to one pair of places that are kept in step.

/** Whose base a workflow writes and judges by: its own, or that of its pair, which all of that share. */
export const baseOf = (
  { inStep, removalOf }: Pick<WorkflowContent, 'inStep' | 'removalOf'>,
  workflow: string,
): string => inStep?.pair ?? removalOf ?? workflow;

/** The workflows of a pair: both directions, and what carries removals. */
export const workflowsOf = ({ there_id, here_id, removed_here_id, removed_there_id }: InStepRow): string[] =>
  [there_id, here_id, removed_here_id, removed_there_id].filter((id): id is string => id !== null);

/** A pair; undefined where it isn't there any more. */
export const findPair = (db: Db | Trx, id: string): Promise<InStepRow | undefined> =>
  db.selectFrom('in_step').selectAll().where('id', '=', id).executeTakeFirst();

/** The pair that a workflow is a part of. */
export const pairWith = (db: Db | Trx, workflow: string): Promise<InStepRow | undefined> =>
  db
    .selectFrom('in_step')
    .selectAll()
    .where((eb) =>
      eb.or([
        eb('there_id', '=', workflow),
        eb('here_id', '=', workflow),
        eb('removed_here_id', '=', workflow),
        eb('removed_there_id', '=', workflow),
      ]),
    )
    .executeTakeFirst();

/** The other direction of a pair. */
export async function twinOf(db: Db | Trx, { pair }: InStep, workflow: string): Promise<string | undefined> {
  const row = await findPair(db, pair);
  if (row?.there_id === workflow) return row.here_id;
  return row?.here_id === workflow ? row.there_id : undefined;
}
