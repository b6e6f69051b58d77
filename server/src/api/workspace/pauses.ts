import { isWaiting } from '../../db/item-states.ts';
import type { Services } from '../../services.ts';

/** Connections that are held up for the moment, with why, until when, and how many records wait for each. */
export async function pausesOf({ db, pauses, connections }: Services) {
  const held = pauses.all();
  if (held.size === 0) return [];
  const waiting = await db
    .selectFrom('item')
    .select(['waits_for', (eb) => eb.fn.countAll<number>().as('count')])
    .where(isWaiting)
    .where('waits_for', 'in', [...held.keys()])
    .groupBy('waits_for')
    .execute();
  const names = new Map((await connections.list()).map((one) => [one.id, one.name]));
  return [...held].map(([connectionId, { reason, since, until }]) => ({
    connectionId,
    connection: names.get(connectionId) ?? '',
    reason: connections.masked(reason),
    since,
    until,
    count: waiting.find((row) => row.waits_for === connectionId)?.count ?? 0,
  }));
}
