import type { Connector } from '@golden/connectors';
import type { Start } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { IntakeRow, RunRow } from '../db/schema.ts';
import type { EngineContext } from './context.ts';
import { sourcePlaces } from './source-pages.ts';

/** What a listing showed that went through to its end, where its places tell by a mark whether they have changed. */
export interface Listed {
  /** Of all its places, the same before and after. */
  readonly mark: string;
  /** The version by which it was judged. */
  readonly version: number;
  /** Records that it showed, and how many of them more than once. */
  readonly count: number;
  readonly repeats: number;
}

/** The marks of all places of a start as they are now; undefined where one of them has none. */
export async function markNow(connector: Connector, start: Start): Promise<string | undefined> {
  if (!connector.placeMark) return undefined;
  const marks: string[] = [];
  for (const { path } of await sourcePlaces(connector, start)) {
    const mark = await connector.placeMark(path);
    if (mark === undefined) return undefined;
    marks.push(mark);
  }
  return marks.join('\n');
}

/**
 * What the last whole listing of an intake showed, by the same version. While its places have the same mark, another
 * would show the very same records, of which every one is known.
 */
export function listedBefore({ listed }: IntakeRow, run: RunRow): Listed | undefined {
  if (listed === null || run.kind === 'first') return undefined;
  const before = JSON.parse(listed) as Listed;
  return before.version === run.version ? before : undefined;
}

/** What a listing may leave out because it has the place as it was; places that are compared as a whole leave out nothing. */
export const mayLeaveOut = (start: Start, before: Listed | undefined): string | undefined =>
  start.on === 'removed' || start.also ? undefined : before?.mark;

/** The places are as they were: all that they hold is counted as known, as a listing would. */
export async function storeUnchanged({ commits, events }: EngineContext, run: RunRow, listed: Listed): Promise<void> {
  await commits.run((trx) =>
    trx
      .updateTable('run')
      .set((eb) => ({
        in_source: eb('in_source', '+', listed.count),
        noted_earlier: eb('noted_earlier', '+', listed.count),
        repeats: eb('repeats', '+', listed.repeats),
        state: 'working' as const,
        wake_at: null,
        message: null,
      }))
      .where('id', '=', run.id)
      .execute(),
  );
  events.tell({ topic: 'run', workflow: run.workflow_id, id: run.id });
}

/** A listing went through to its end. */
export async function keepListed(trx: Trx, intake: IntakeRow, listed: Listed): Promise<void> {
  await trx
    .updateTable('intake')
    .set({ listed: JSON.stringify(listed) })
    .where('id', '=', intake.id)
    .where('epoch', '=', intake.epoch)
    .execute();
}
