import type { Found, ItemState, WorkflowContent } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import { isUnsettled } from '../db/item-states.ts';
import type { Db } from '../db/schema.ts';
import { type AccountPlace, linkedTo } from '../matching/links.ts';
import { twinOf } from './pairs.ts';

/** Whose direction asks, and what it finds records for. */
interface Asking {
  readonly content: WorkflowContent;
  readonly workflow: string;
  /** Where its records come from. */
  readonly source: AccountPlace;
}

/**
 * Found records of the other place of a pair, with the one here that each is in step with, and about which of
 * their fields somebody is being asked already. Others are given back as they are.
 */
export async function withPartners(
  db: Db | Trx,
  { content, workflow, source }: Asking,
  there: AccountPlace,
  found: readonly Found[],
): Promise<Found[]> {
  const { inStep } = content;
  const target = content.steps.find(({ id }) => id === inStep?.step);
  const isThere = target?.kind === 'write' && JSON.stringify(target.target?.path) === JSON.stringify(there.path);
  if (!inStep || !isThere) return [...found];
  const twin = await twinOf(db, inStep, workflow);
  return Promise.all(
    found.map(async (one) => {
      const partner = await linkedTo(db, { account: there.account, place: there.path, id: one.id }, source);
      const askedAbout = twin === undefined ? [] : await askedIn(db, twin, one.id);
      return {
        ...one,
        ...(partner && { pairedWith: partner.id }),
        ...(askedAbout.length > 0 && { askedAbout }),
      };
    }),
  );
}

/** The fields about which a direction asks a person for a record of its own: both sides have changed them. */
async function askedIn(db: Db | Trx, workflow: string, sourceId: string): Promise<string[]> {
  const open = await db
    .selectFrom('item')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .select('item.item_state')
    .where('intake.workflow_id', '=', workflow)
    .where('item.source_id', '=', sourceId)
    .where(isUnsettled)
    .where('item.cause', '=', 'differs')
    .execute();
  return open.flatMap(({ item_state }) =>
    Object.values((JSON.parse(item_state) as ItemState).steps).flatMap((result) =>
      result.kind === 'unsettled' && result.cause === 'differs' ? result.fields.map(({ path }) => path) : [],
    ),
  );
}
