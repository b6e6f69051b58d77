import { isPlaced, type Place, type WorkflowContent } from '@golden/core';
import { sql } from 'kysely';
import type { Trx } from '../db/group-commit.ts';

/** What is kept of a place by its name. */
const keptByPlace = [
  ['link', 'from_account', 'from_place'],
  ['link', 'to_account', 'to_place'],
  ['last_written', 'account', 'place'],
  ['not_same', 'account', 'place'],
] as const;

/**
 * Carries what is known of places over to the names that they have by now: a person has said that they are the same.
 * What is known of the new name already stays as it is.
 */
export async function carryOver(
  trx: Trx,
  content: WorkflowContent,
  accountOf: (connection: string) => string,
): Promise<void> {
  const places = [content.start.source, ...content.steps.map((step) => (isPlaced(step) ? step.target : null))];
  for (const place of places)
    for (const former of place?.formerly ?? [])
      await carry(trx, accountOf((place as Place).connection), former, (place as Place).path);
}

async function carry(trx: Trx, account: string, from: readonly string[], to: readonly string[]): Promise<void> {
  const [before, now] = [JSON.stringify(from), JSON.stringify(to)];
  if (before === now) return;
  for (const [table, of, place] of keptByPlace)
    await sql`UPDATE OR IGNORE ${sql.table(table)} SET ${sql.ref(place)} = ${now}
      WHERE ${sql.ref(of)} = ${account} AND ${sql.ref(place)} = ${before}`.execute(trx);
}
