import type { Services } from '../services.ts';
import type { HandedState } from './handed-back.ts';
import { receiverOf } from './receivers.ts';

/** Of what one step handed over so many are shown one by one. */
const mostShown = 200;

/** What a record has handed over, by step, and by whom it was handed over itself. */
export async function viewHanded(services: Services, itemId: string) {
  const { db } = services;
  const counts = await db
    .selectFrom('handed')
    .select((eb) => ['step', 'inbox_id', 'state', eb.fn.countAll<number>().as('count')])
    .where('parent_id', '=', itemId)
    .groupBy(['step', 'inbox_id', 'state'])
    .execute();
  const steps = new Map<string, { inbox: string; states: Partial<Record<HandedState, number>> }>();
  for (const { step, inbox_id, state, count } of counts) {
    const known = steps.get(step) ?? { inbox: inbox_id, states: {} };
    known.states[state] = count;
    steps.set(step, known);
  }
  return {
    by: await handedBy(services, itemId),
    steps: await Promise.all(
      [...steps].map(async ([step, { inbox, states }]) => {
        const receiver = await receiverOf(services, inbox);
        const items = await db
          .selectFrom('handed')
          .leftJoin('item', 'item.id', 'handed.child_id')
          .select(['handed.turn', 'handed.state', 'item.id', 'item.run_id', 'item.title', 'item.message'])
          .where('handed.parent_id', '=', itemId)
          .where('handed.step', '=', step)
          .orderBy('handed.turn')
          .limit(mostShown)
          .execute();
        return {
          step,
          workflowId: receiver?.id ?? null,
          workflow: receiver?.draft.name ?? 'a workflow that isn’t there any more',
          isOn: receiver?.isOn ?? false,
          count: Object.values(states).reduce((sum, count) => sum + count, 0),
          states,
          items: items.map(({ run_id, title, ...one }) => ({ ...one, runId: run_id, title: title ?? '' })),
        };
      }),
    ),
  };
}

async function handedBy({ db, workflows }: Services, itemId: string) {
  const row = await db
    .selectFrom('handed')
    .innerJoin('item', 'item.id', 'handed.parent_id')
    .select(['item.id', 'item.run_id', 'item.title', 'item.workflow_id'])
    .where('handed.child_id', '=', itemId)
    .executeTakeFirst();
  if (!row) return null;
  const { draft } = await workflows.get(row.workflow_id);
  return { id: row.id, runId: row.run_id, title: row.title, workflowId: row.workflow_id, workflow: draft.name };
}
