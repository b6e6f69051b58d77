import type { StepResult } from '@golden/core';
import { isUnsettled } from '../db/item-states.ts';
import type { Services } from '../services.ts';

/** Tries those again that wait for a decision between records of which some were merged. */
export async function retryAsking({ db, engine }: Services, merged: readonly string[]): Promise<void> {
  const waiting = await db
    .selectFrom('item')
    .select(['id', 'item_state'])
    .where(isUnsettled)
    .where('cause', '=', 'unclear')
    .orderBy('seq')
    .execute();
  for (const { id, item_state } of waiting) {
    const steps = Object.values(JSON.parse(item_state).steps as Record<string, StepResult>);
    const asks = steps.some(
      (result) => result.kind === 'unsettled' && result.candidates?.some((one) => merged.includes(one.id)),
    );
    if (asks) await engine.decide(id, { kind: 'retry' });
  }
}
