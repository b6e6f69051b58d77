import type { Decision, ItemState, UnsettledResult } from '@golden/core';
import type { Services } from '@golden/server';

/** An item that needs somebody, with the step it stands at. */
interface Open {
  readonly id: string;
  readonly workflow: string;
  readonly step: string;
  readonly result: UnsettledResult;
}

/** What one has to learn to settle it: a value that doesn't fit, once for each workflow; a match, once for each kind. */
const lessonOf = ({ workflow, result }: Open): string =>
  result.cause === 'value' ? `value ${workflow}` : `${result.cause} ${result.message}`;

/** What the people at the desk did: a telephone that is none was left empty, and the likeliest card was theirs. */
function usualDecision({ step, result }: Open): Decision {
  const [likeliest] = result.candidates ?? [];
  if (result.cause === 'value')
    return { kind: 'set', step, values: Object.fromEntries(result.fields.map(({ path }) => [path, ''])) };
  return likeliest ? { kind: 'choose', step, id: likeliest.id } : { kind: 'dismiss', reason: 'Settled by hand there.' };
}

/**
 * Settles what needs somebody as the merchant's people did in the last days, and leaves one of each kind:
 * a handful to learn from. The newest of each kind is left.
 */
export async function settleAllButLessons(services: Services): Promise<void> {
  const left = new Map<string, string>();
  // What is settled at one step may need somebody at the next.
  for (let round = 0; round < 6; round++) {
    const others: Open[] = [];
    for (const open of await openItems(services)) {
      const lesson = lessonOf(open);
      if (!left.has(lesson)) left.set(lesson, open.id);
      if (left.get(lesson) !== open.id) others.push(open);
    }
    if (others.length === 0) return;
    for (const open of others) await services.engine.decide(open.id, usualDecision(open));
  }
}

async function openItems({ db }: Services): Promise<Open[]> {
  const rows = await db
    .selectFrom('item')
    .select(['id', 'workflow_id', 'item_state'])
    .where('state', '=', 'unsettled')
    .where('cause', '!=', 'behind')
    .orderBy('seq', 'desc')
    .execute();
  return rows.flatMap(({ id, workflow_id, item_state }): Open[] => {
    const { steps } = JSON.parse(item_state) as ItemState;
    const [step, result] = Object.entries(steps).find(([, one]) => one.kind === 'unsettled') ?? [];
    return step && result?.kind === 'unsettled' ? [{ id, workflow: workflow_id, step, result }] : [];
  });
}
