import type { SourceRecord } from '@golden/connectors';
import {
  chooseAwkward,
  type FieldProfile,
  fetchedFields,
  type JsonRecord,
  profileFields,
  type Start,
} from '@golden/core';
import type { SampleOrigin, SampleTable } from '../db/schema.ts';
import { fingerprintOf } from './change-detection.ts';
import type { EngineContext } from './context.ts';
import type { Sources } from './sources.ts';

/** A record kept to build and rehearse with. */
export interface Sample extends SourceRecord {
  readonly origin: SampleOrigin;
  /** A person's choice for or against the sheet; undefined leaves it to how awkward the record is. */
  readonly isOnSheet?: boolean;
}

/** Samples loaded at once: the newest, and beside them the most awkward of a larger number. */
const newestKept = 50;
const awkwardKept = 20;
const lookedAt = 1000;

/** The samples of each workflow. Real ones come from its source; a person may add others. */
export class Samples {
  /** What the source had when somebody began to listen: fingerprints by id. */
  private readonly heardBefore = new Map<string, ReadonlyMap<string, string>>();

  constructor(
    private readonly context: EngineContext,
    private readonly sources: Sources,
  ) {}

  /** The samples kept; loaded from the source when there are none of it yet, or anew when asked. */
  async of(workflowId: string, isAnew = false): Promise<Sample[]> {
    const { draft } = await this.context.workflows.get(workflowId);
    if (!draft.start.source) return [];
    const kept = await this.rows(workflowId);
    if (kept.some((row) => row.origin === 'real') && !isAnew) return kept.map(toSample);
    const records = await this.load(draft.start);
    const choices = new Map(kept.map((row) => [row.source_id, row.is_on_sheet]));
    await this.context.commits.run(async (trx) => {
      await trx.deleteFrom('sample').where('workflow_id', '=', workflowId).where('origin', '=', 'real').execute();
      const rows = records.map((record, at) => toRow(workflowId, record, at, 'real', choices.get(record.id) ?? null));
      if (rows.length > 0)
        await trx
          .insertInto('sample')
          .values(rows)
          .onConflict((conflict) => conflict.doNothing())
          .execute();
    });
    return (await this.rows(workflowId)).map(toSample);
  }

  /** What each field holds, over the last thousand records: samples chosen for being awkward would mislead. */
  async profile(workflowId: string): Promise<readonly FieldProfile[]> {
    const { draft } = await this.context.workflows.get(workflowId);
    const records = await this.sources.last(draft.start, lookedAt);
    return profileFields(
      records.map((one) => one.record),
      fetchedFields(draft.start),
    );
  }

  /** Adds records as samples, on the sheet, before all others. */
  async add(workflowId: string, records: readonly SourceRecord[], origin: SampleOrigin): Promise<void> {
    if (records.length === 0) return;
    const first = (await this.rows(workflowId)).reduce((least, row) => Math.min(least, row.at), 0);
    const rows = records.map((record, at) => toRow(workflowId, record, first - records.length + at, origin, 1));
    await this.context.db
      .insertInto('sample')
      .values(rows)
      .onConflict((conflict) =>
        conflict.columns(['workflow_id', 'source_id']).doUpdateSet((eb) => ({
          content: eb.ref('excluded.content'),
          at: eb.ref('excluded.at'),
          is_on_sheet: eb.ref('excluded.is_on_sheet'),
        })),
      )
      .execute();
  }

  /** Adds made-up records or past ones from a list under ids of their own. */
  async addOwn(workflowId: string, records: readonly JsonRecord[], origin: 'made_up' | 'list'): Promise<void> {
    const known = (await this.rows(workflowId)).filter((row) => row.origin === origin).length;
    const word = origin === 'list' ? 'list' : 'made up';
    const named = records.map((record, at) => ({ id: `${word} ${known + at + 1}`, record }));
    await this.add(workflowId, named, origin);
  }

  /** Adds records of the source by their ids, as a search has found them. */
  async choose(workflowId: string, start: Start, ids: readonly string[]): Promise<void> {
    const wanted = new Set(ids);
    const found: SourceRecord[] = [];
    for await (const record of this.sources.all(start)) if (wanted.has(record.id)) found.push(record);
    await this.add(workflowId, found, 'real');
  }

  async putOnSheet(workflowId: string, id: string, isOnSheet: boolean | null): Promise<void> {
    await this.context.db
      .updateTable('sample')
      .set({ is_on_sheet: isOnSheet === null ? null : isOnSheet ? 1 : 0 })
      .where('workflow_id', '=', workflowId)
      .where('source_id', '=', id)
      .execute();
  }

  async remove(workflowId: string, id: string): Promise<void> {
    await this.context.db
      .deleteFrom('sample')
      .where('workflow_id', '=', workflowId)
      .where('source_id', '=', id)
      .execute();
  }

  /** Notes what is there, so that what comes afterwards can be told. */
  async beginListening(workflowId: string): Promise<void> {
    const { draft } = await this.context.workflows.get(workflowId);
    const before = new Map<string, string>();
    for await (const record of this.sources.all(draft.start)) before.set(record.id, fingerprintOf(record.record));
    this.heardBefore.set(workflowId, before);
  }

  /** The records that came or changed since listening began; they are samples from then on. */
  async heard(workflowId: string): Promise<readonly SourceRecord[]> {
    const before = this.heardBefore.get(workflowId);
    if (!before) {
      await this.beginListening(workflowId);
      return [];
    }
    const { draft } = await this.context.workflows.get(workflowId);
    const news: SourceRecord[] = [];
    for await (const record of this.sources.all(draft.start)) {
      const known = before.get(record.id);
      const isChange = draft.start.on === 'added' ? known === undefined : known !== fingerprintOf(record.record);
      if (isChange) news.push(record);
    }
    if (news.length === 0) return [];
    this.heardBefore.delete(workflowId);
    await this.add(workflowId, news, 'real');
    return news;
  }

  /** Forgets the real samples, as when the source is another one; what a person made up stays. */
  async forget(workflowId: string): Promise<void> {
    this.heardBefore.delete(workflowId);
    await this.context.db
      .deleteFrom('sample')
      .where('workflow_id', '=', workflowId)
      .where('origin', '=', 'real')
      .execute();
  }

  /** The newest records, and the most awkward of the last thousand. */
  private async load(start: Start): Promise<SourceRecord[]> {
    const pool = await this.sources.last(start, lookedAt);
    const fields = start.source?.described.fields ?? [];
    const awkward = chooseAwkward(pool, (one) => one.record, fields, awkwardKept).map((one) => one.sample);
    return [...new Map([...awkward, ...pool.slice(0, newestKept)].map((one) => [one.id, one])).values()];
  }

  private rows(workflowId: string): Promise<SampleTable[]> {
    return this.context.db
      .selectFrom('sample')
      .selectAll()
      .where('workflow_id', '=', workflowId)
      .orderBy('at')
      .execute();
  }
}

function toRow(
  workflowId: string,
  record: SourceRecord,
  at: number,
  origin: SampleOrigin,
  isOnSheet: number | null,
): SampleTable {
  return {
    workflow_id: workflowId,
    source_id: record.id,
    at,
    content: JSON.stringify(record),
    origin,
    is_on_sheet: isOnSheet,
  };
}

function toSample(row: SampleTable): Sample {
  const record = JSON.parse(row.content) as SourceRecord;
  return {
    ...record,
    origin: row.origin,
    ...(row.is_on_sheet !== null && { isOnSheet: row.is_on_sheet === 1 }),
  };
}
