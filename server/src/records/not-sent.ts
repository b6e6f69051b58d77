import { recordTitle } from '@golden/core';
import { sql } from 'kysely';
import { wantedPages } from '../engine/wanted.ts';
import type { Services } from '../services.ts';

/**
 * Why a record of a workflow's source isn't there: a condition left it out, it was known before, or a person put it
 * aside: dismissed, stopped, or undone.
 */
export const notSentKinds = ['left_out', 'noted', 'put_aside'] as const;
export type NotSentKind = (typeof notSentKinds)[number];

export interface NotSent {
  readonly total: number;
  /** Reasons with how many have each, the most frequent first. */
  readonly reasons: readonly { readonly reason: string; readonly count: number }[];
  readonly rows: readonly {
    readonly sourceId: string;
    readonly title: string;
    readonly reason: string;
    readonly at: string;
    /** The item that was left out; null for what was never taken in. */
    readonly itemId: string | null;
  }[];
}

/** Reasons that are told, and rows of one page. */
const mostReasons = 20;
const page = 50;

type Parts = Pick<Services, 'db' | 'workflows' | 'connections'>;

/** Records of a workflow that were left out as they are now, or were already known; those with a reason where one is named. */
export async function notSent(
  services: Parts,
  workflow: string,
  kind: NotSentKind,
  reason: string | undefined,
  from: number,
): Promise<NotSent> {
  return kind === 'noted' ? noted(services, workflow, from) : byItems(services, workflow, kind, reason, from);
}

/** The states of the newest item of a record that isn't sent. */
const statesOf = { left_out: ['left_out'], put_aside: ['dismissed', 'cancelled', 'undone'] } as const;

async function byItems(
  { db }: Parts,
  workflow: string,
  kind: keyof typeof statesOf,
  reason: string | undefined,
  from: number,
): Promise<NotSent> {
  // What a person did is told with the word for it; a condition's reason says it all.
  const why = sql<string>`CASE item.state WHEN 'left_out' THEN coalesce(item.message, '') WHEN 'dismissed' THEN 'dismissed'
    WHEN 'cancelled' THEN 'cancelled' ELSE 'undone' END`;
  const now = db
    .selectFrom('item')
    .where('item.workflow_id', '=', workflow)
    .where('item.state', 'in', statesOf[kind])
    // Of a record that came again later only how it stands now counts.
    .where(({ not, exists, selectFrom }) =>
      not(
        exists(
          selectFrom('item as later')
            .select('later.seq')
            .whereRef('later.intake_id', '=', 'item.intake_id')
            .whereRef('later.source_id', '=', 'item.source_id')
            .whereRef('later.seq', '>', 'item.seq'),
        ),
      ),
    );
  const reasons = await now
    .select([why.as('reason'), (eb) => eb.fn.countAll<number>().as('count')])
    .groupBy('reason')
    .orderBy('count', 'desc')
    .limit(mostReasons)
    .execute();
  const those = reason === undefined ? now : now.where(why, '=', reason);
  const { total } = await those.select((eb) => eb.fn.countAll<number>().as('total')).executeTakeFirstOrThrow();
  const rows = await those
    .select(['item.id', 'item.source_id', 'item.title', why.as('message'), 'item.taken_at', 'item.ended_at'])
    .orderBy('item.seq', 'desc')
    .offset(from)
    .limit(page)
    .execute();
  return {
    total,
    reasons,
    rows: rows.map(({ id, source_id, title, message, taken_at, ended_at }) => ({
      sourceId: source_id,
      title,
      reason: message,
      at: ended_at ?? taken_at,
      itemId: id,
    })),
  };
}

async function noted(services: Parts, workflow: string, from: number): Promise<NotSent> {
  const { db } = services;
  const those = db
    .selectFrom('seen')
    .innerJoin('intake', 'intake.id', 'seen.intake_id')
    .leftJoin('run', 'run.id', 'seen.run_id')
    .where('intake.workflow_id', '=', workflow)
    .where('seen.is_taken', '=', 0)
    .where('seen.is_gone', '=', 0)
    .where(({ not, exists, selectFrom }) =>
      not(
        exists(
          selectFrom('item')
            .select('item.id')
            .whereRef('item.intake_id', '=', 'seen.intake_id')
            .whereRef('item.source_id', '=', 'seen.source_id'),
        ),
      ),
    );
  const { total } = await those.select((eb) => eb.fn.countAll<number>().as('total')).executeTakeFirstOrThrow();
  const rows = await those
    .select(['seen.source_id', 'run.started_at', 'seen.seen_at'])
    .orderBy('seen.source_id')
    .offset(from)
    .limit(page)
    .execute();
  const titles = await titlesNow(
    services,
    workflow,
    rows.map(({ source_id }) => source_id),
  );
  const told = rows.map(({ source_id, started_at, seen_at }) => ({
    sourceId: source_id,
    title: titles.get(source_id) ?? source_id,
    reason: 'it was there before the workflow began, or a workflow of ours wrote it',
    at: seen_at ?? started_at ?? '',
    itemId: null,
  }));
  return { total, reasons: [], rows: told };
}

/** What records are called now: nothing was kept of them, so their app is asked. */
async function titlesNow({ workflows, connections }: Parts, workflow: string, ids: readonly string[]) {
  const titles = new Map<string, string>();
  const { liveVersion, draft } = await workflows.get(workflow);
  const start = liveVersion === null ? draft.start : (await workflows.version(workflow, liveVersion)).content.start;
  if (!start.source || ids.length === 0) return titles;
  try {
    const connector = await connections.connector(start.source.connection);
    for await (const { records } of wantedPages(connector, start, { kind: 'chosen', ids }, null))
      for (const { id, record } of records) titles.set(id, recordTitle(record));
  } catch {
    // An app that doesn't answer: they are shown by their ids.
  }
  return titles;
}
