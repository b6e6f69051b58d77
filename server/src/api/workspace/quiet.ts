import { openOn, quieterThanUsual, type Start, weeksBack } from '@golden/core';
import { sql } from 'kysely';
import { DateTime } from 'luxon';
import { z } from 'zod';
import { openCalendars } from '../../calendars.ts';
import type { Db } from '../../db/open.ts';
import type { Seams } from '../../seams.ts';
import { loadSettings } from '../../settings.ts';
import { nameIn } from '../../workflows.ts';

export const QuietSchema = z.object({
  workflowId: z.string(),
  workflow: z.string(),
  usual: z.int(),
  today: z.int(),
  /** By when so many are expected, where a person has said so. */
  by: z.string().optional(),
});

/**
 * Workflows that are on and have taken in far less today than they usually have by now on this weekday, or less than a
 * person expects by a time of a working day where they have said how many. Nothing is told on
 * a day off of the first working calendar, and such days don't count as usual.
 */
export async function quietOnes({
  db,
  seams,
}: {
  readonly db: Db;
  readonly seams: Pick<Seams, 'now'>;
}): Promise<z.infer<typeof QuietSchema>[]> {
  const { zone } = await loadSettings(db);
  const now = DateTime.fromISO(seams.now(), { zone });
  const [hours] = await openCalendars(db, seams.now());
  const isOff = (day: DateTime): boolean => hours?.off[day.toISODate() ?? ''] !== undefined;
  if (isOff(now)) return [];
  const spans = Array.from({ length: weeksBack }, (_, at) => now.minus({ weeks: at + 1 }))
    .filter((day) => !isOff(day))
    .map(spanOf);
  const on = await db
    .selectFrom('workflow')
    .innerJoin('workflow_version', (join) =>
      join
        .onRef('workflow_version.workflow_id', '=', 'workflow.id')
        .onRef('workflow_version.number', '=', 'live_version'),
    )
    .select(['id', 'draft', sql<string | null>`workflow_version.content -> '$.start.tellsBelow'`.as('own')])
    .where('is_on', '=', 1)
    .orderBy('workflow.created_at')
    .execute();
  const quiet: z.infer<typeof QuietSchema>[] = [];
  const isOpen = hours === undefined || openOn(now.toISODate() ?? '', hours, zone).length > 0;
  for (const { id, draft, own } of on) {
    if (own !== null) {
      const { records, by } = JSON.parse(own) as NonNullable<Start['tellsBelow']>;
      const today = await countBetween(db, id, ...spanOf(now));
      if (isOpen && now.toFormat('HH:mm') >= by && today < records)
        quiet.push({ workflowId: id, workflow: nameIn(draft), usual: records, today, by });
      continue;
    }
    const first = await db
      .selectFrom('item')
      .select('taken_at')
      .where('workflow_id', '=', id)
      .orderBy('taken_at')
      .limit(1)
      .executeTakeFirst();
    // Of a day that had begun before its first record came nothing is known.
    const known = first ? spans.filter(([from]) => from > first.taken_at) : [];
    const counts = await Promise.all([spanOf(now), ...known].map(([from, to]) => countBetween(db, id, from, to)));
    const [today = 0, ...earlier] = counts;
    const told = quieterThanUsual(earlier, today);
    if (told) quiet.push({ workflowId: id, workflow: nameIn(draft), ...told });
  }
  return quiet;
}

/** From the day's beginning to the same time of that day by the workspace's clock. */
const spanOf = (at: DateTime): [string, string] => [at.startOf('day').toUTC().toISO() ?? '', at.toUTC().toISO() ?? ''];

async function countBetween(db: Db, id: string, from: string, to: string): Promise<number> {
  const { rows } = await sql<{ count: number }>`SELECT COUNT(*) AS count FROM item
    WHERE workflow_id = ${id} AND taken_at >= ${from} AND taken_at < ${to}`.execute(db);
  return rows[0]?.count ?? 0;
}
