import type { Asked } from '@golden/core';
import { sql } from 'kysely';
import { isWaiting } from '../db/item-states.ts';
import type { Db } from '../db/open.ts';
import type { Workflows } from '../workflows.ts';
import { nameOfAsk } from './letters.ts';

/** What a step asks of people, together. */
export interface OpenGroup {
  readonly workflowId: string;
  readonly workflow: string;
  readonly step: string;
  readonly name: string | null;
  readonly kind: Asked['what']['kind'];
  readonly count: number;
  readonly titles: string[];
  readonly since: string;
  readonly until: string | null;
  readonly to: string[];
  readonly trouble: string | null;
}

/** So many names stand for a group. */
const mostTitles = 3;

/** All that is asked and not answered, each step of a workflow once, the oldest first. */
export async function openGroups({
  db,
  workflows,
}: {
  readonly db: Db;
  readonly workflows: Pick<Workflows, 'get'>;
}): Promise<OpenGroup[]> {
  const groups = await db
    .selectFrom('ask')
    .innerJoin('park', 'park.item_id', 'ask.item_id')
    .innerJoin('item', 'item.id', 'ask.item_id')
    .select([
      'ask.workflow_id',
      'ask.step',
      sql<string>`min(ask.at)`.as('since'),
      sql<string | null>`min(park.until)`.as('until'),
    ])
    .select((eb) => [eb.fn.countAll<number>().as('count'), sql<number>`min(item.seq)`.as('first')])
    .where('park.woken', 'is', null)
    .where(isWaiting)
    .groupBy(['ask.workflow_id', 'ask.step'])
    .orderBy('since')
    .execute();
  return Promise.all(
    groups.map(async ({ workflow_id: workflowId, step, since, until, count, first }) => {
      const rows = await db
        .selectFrom('ask')
        .innerJoin('item', 'item.id', 'ask.item_id')
        .select(['item.title', 'ask.asked'])
        .where('ask.workflow_id', '=', workflowId)
        .where('ask.step', '=', step)
        .where('item.seq', '>=', first)
        .orderBy('item.seq')
        .limit(mostTitles)
        .execute();
      const trouble = await db
        .selectFrom('ask_letter')
        .select('trouble')
        .where('workflow_id', '=', workflowId)
        .where('step', '=', step)
        .where('sent_at', 'is', null)
        .where('trouble', 'is not', null)
        .limit(1)
        .executeTakeFirst();
      const asked = rows.map((row) => JSON.parse(row.asked) as Asked);
      return {
        workflowId,
        ...(await nameOfAsk(workflows, workflowId, step)),
        step,
        kind: asked[0]?.what.kind ?? 'approval',
        count,
        titles: rows.map(({ title }) => title),
        since,
        until,
        to: [...new Set(asked.flatMap(({ to }) => to))],
        trouble: trouble?.trouble ?? null,
      };
    }),
  );
}
