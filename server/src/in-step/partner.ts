import type { Found, WorkflowContent } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
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
 * Found records of the other place of a pair, with the one here that each is in step with, and whether somebody is
 * being asked about the two already. Others are given back as they are.
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
      const isAskedAbout = twin !== undefined && (await openCases(db, twin, one.id)).length > 0;
      return {
        ...one,
        ...(partner && { pairedWith: partner.id }),
        ...(isAskedAbout && { isAskedAbout: true as const }),
      };
    }),
  );
}

/** What a direction asks a person about a record of its own: both sides have changed it. */
export const openCases = (db: Db | Trx, workflow: string, sourceId: string) =>
  db
    .selectFrom('item')
    .innerJoin('intake', 'intake.id', 'item.intake_id')
    .select(['item.id', 'item.workflow_id', 'item.version'])
    .where('intake.workflow_id', '=', workflow)
    .where('item.source_id', '=', sourceId)
    .where('item.state', '=', 'unsettled')
    .where('item.cause', '=', 'differs')
    .execute();
