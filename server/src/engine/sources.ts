import type { SourceRecord } from '@golden/connectors';
import { type Start, WorkflowContentSchema } from '@golden/core';
import type { EngineContext } from './context.ts';
import { isSince } from './take-in.ts';

/** How many records each starting point means. */
export interface FromWhenCounts {
  readonly all: number;
  /** Of these, added (or changed) since the asked instant; absent when none was asked. */
  readonly since?: number;
  /** Added or changed by day (`2026-11-03`), for the time axis. */
  readonly days: readonly { readonly day: string; readonly count: number }[];
}

const mostSamples = 50;

/** Reads from sources for building and rehearsing; takes nothing in. */
export class Sources {
  constructor(private readonly context: EngineContext) {}

  /** Every record of the source, page after page. */
  async *all(start: Start): AsyncGenerator<SourceRecord> {
    const { source } = start;
    if (!source) return;
    const connector = await this.context.connections.connector(source.connection);
    let cursor: string | null = null;
    do {
      const page = await connector.list({
        path: source.path,
        ...(cursor && { cursor }),
        ...(start.identity && { identity: start.identity }),
      });
      yield* page.records;
      cursor = page.cursor;
    } while (cursor !== null);
  }

  /** The records that came or changed last, the newest first. */
  async last(start: Start, count: number): Promise<SourceRecord[]> {
    const kept: SourceRecord[] = [];
    for await (const record of this.all(start)) {
      kept.push(record);
      if (kept.length > count * 4) kept.splice(0, kept.length - count);
    }
    return kept.slice(-count).reverse();
  }

  async everything(start: Start): Promise<SourceRecord[]> {
    const all: SourceRecord[] = [];
    for await (const record of this.all(start)) all.push(record);
    return all;
  }

  async count(start: Start, since: string | undefined): Promise<FromWhenCounts> {
    let all = 0;
    let later = 0;
    const days = new Map<string, number>();
    for await (const record of this.all(start)) {
      all += 1;
      if (since && isSince(record, start.on, since)) later += 1;
      const told = start.on === 'added' ? (record.created ?? record.updated) : (record.updated ?? record.created);
      if (told) days.set(told.slice(0, 10), (days.get(told.slice(0, 10)) ?? 0) + 1);
    }
    const sorted = [...days].sort().map(([day, count]) => ({ day, count }));
    return { all, ...(since && { since: later }), days: sorted };
  }

  /** The samples kept to build with; loaded from the source when there are none yet or anew when asked. */
  async samples(workflowId: string, isAnew: boolean): Promise<SourceRecord[]> {
    const { db, workflows } = this.context;
    const { draft } = await workflows.get(workflowId);
    if (!draft.start.source) return [];
    const kept = await db
      .selectFrom('sample')
      .select('content')
      .where('workflow_id', '=', workflowId)
      .orderBy('at')
      .execute();
    if (kept.length > 0 && !isAnew) return kept.map((row) => JSON.parse(row.content) as SourceRecord);
    const records = await this.last(WorkflowContentSchema.parse(draft).start, mostSamples);
    await this.context.commits.run(async (trx) => {
      await trx.deleteFrom('sample').where('workflow_id', '=', workflowId).execute();
      const rows = records.map((record, at) => ({
        workflow_id: workflowId,
        source_id: record.id,
        at,
        content: JSON.stringify(record),
      }));
      if (rows.length > 0)
        await trx
          .insertInto('sample')
          .values(rows)
          .onConflict((conflict) => conflict.doNothing())
          .execute();
    });
    return records;
  }

  /** Forgets the samples, as when the source is another one. */
  async forgetSamples(workflowId: string): Promise<void> {
    await this.context.db.deleteFrom('sample').where('workflow_id', '=', workflowId).execute();
  }
}
