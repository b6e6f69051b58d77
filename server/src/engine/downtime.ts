import { z } from 'zod';
import type { Db } from '../db/open.ts';
import { readSetting, writeSetting } from '../settings.ts';

const OffSchema = z.object({ from: z.string(), to: z.string() });
const AliveSchema = z.object({ at: z.string() });

/** A time in which nothing was asked: the machine, or Golden Relay, was off. */
export type Downtime = z.infer<typeof OffSchema>;

/** What became of an off time. */
export interface AfterDowntime extends Downtime {
  /** Records that the first checks afterwards took in. */
  readonly caughtUp: number;
  /** Workflows that have been asked since or are about to be, and how many have been. */
  readonly on: number;
  readonly asked: number;
  /** Whether events are posted to one of them: those that came meanwhile met nobody. */
  readonly hasDoors: boolean;
}

/** Shorter gaps aren't worth a word, in milliseconds. */
const leastTold = 10 * 60_000;
/** How often it is noted that we are at work, in milliseconds. */
const beat = 60_000;

/** Notes that we are at work now, and a gap since the last time as an off time. */
export async function noteAlive(db: Db, now: string): Promise<void> {
  const last = await readSetting(db, 'alive', AliveSchema);
  const gap = last ? Date.parse(now) - Date.parse(last.at) : 0;
  // Below zero the clock was put back: there is nothing to tell of it.
  if (last && gap >= 0 && gap < beat) return;
  if (last && gap >= leastTold) await writeSetting(db, 'off', { from: last.at, to: now });
  await writeSetting(db, 'alive', { at: now });
}

/** The last off time that nobody has put away yet, with what was caught up since; null when there is none. */
export async function afterDowntime(db: Db, now: string): Promise<AfterDowntime | null> {
  const off = await readSetting(db, 'off', OffSchema);
  if (!off) return null;
  const on = await db.selectFrom('workflow').select('id').where('is_on', '=', 1).execute();
  const first = await db
    .selectFrom('run')
    .select(['workflow_id', 'taken_in'])
    .where('started_at', '>=', off.to)
    .where('kind', '!=', 'single')
    .orderBy('started_at')
    .execute();
  const firsts = new Map([...first].reverse().map((run) => [run.workflow_id, run.taken_in]));
  const checked = await db
    .selectFrom('trigger_state')
    .select('workflow_id')
    .where('last_checked_at', '>=', off.to)
    .where(
      'workflow_id',
      'in',
      on.map(({ id }) => id),
    )
    .execute();
  // What begins by hand, or not before its time, isn't waited for.
  const due = await db
    .selectFrom('trigger_state')
    .select('workflow_id')
    .where('next_at', '<=', now)
    .where(
      'workflow_id',
      'in',
      on.map(({ id }) => id),
    )
    .execute();
  const asked = new Set(checked.map(({ workflow_id }) => workflow_id));
  const door = await db.selectFrom('door').select('inbox_id').limit(1).executeTakeFirst();
  return {
    ...off,
    caughtUp: [...firsts.values()].reduce((sum, count) => sum + count, 0),
    on: new Set([...asked, ...due.map(({ workflow_id }) => workflow_id)]).size,
    asked: asked.size,
    hasDoors: door !== undefined,
  };
}

/** A person has read it. */
export const dismissDowntime = (db: Db): Promise<void> => writeSetting(db, 'off', null);
