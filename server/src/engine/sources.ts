import type { SourceRecord } from '@golden/connectors';
import { readDate, readInstant, type Start } from '@golden/core';
import type { EngineContext } from './context.ts';
import { isSince } from './news.ts';
import { sourcePages } from './source-pages.ts';

/** How many records each starting point means. */
export interface FromWhenCounts {
  readonly all: number;
  /** Of these, added (or changed) since the asked instant; absent when none was asked. */
  readonly since?: number;
  /** Added or changed by day (`2026-11-03`), for the time axis. */
  readonly days: readonly { readonly day: string; readonly count: number }[];
}

/** Reads from sources for building and rehearsing; takes nothing in. */
export class Sources {
  constructor(private readonly context: EngineContext) {}

  /** Every record of the source, page after page. */
  async *all(start: Start): AsyncGenerator<SourceRecord> {
    if (!start.source) return;
    const connector = await this.context.connections.connector(start.source.connection);
    for await (const page of sourcePages(connector, start)) yield* page.records;
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

  /** How many records there are, by the clock of a zone: days begin at its midnight. */
  async count(start: Start, since: string | undefined, zone: string): Promise<FromWhenCounts> {
    const from = since === undefined ? undefined : readInstant(since, zone);
    let all = 0;
    let later = 0;
    const days = new Map<string, number>();
    for await (const record of this.all(start)) {
      all += 1;
      if (from && isSince(record, start.on, from)) later += 1;
      const told = start.on === 'added' ? (record.created ?? record.updated) : (record.updated ?? record.created);
      const day = told === undefined ? undefined : readDate(told, zone, 'day_first');
      if (day?.ok) days.set(day.date, (days.get(day.date) ?? 0) + 1);
    }
    const sorted = [...days].sort().map(([day, count]) => ({ day, count }));
    return { all, ...(since && { since: later }), days: sorted };
  }

  /** The records in which the text occurs, in any field, the newest first; at most `count`. */
  async search(start: Start, text: string, count: number): Promise<SourceRecord[]> {
    const wanted = text.trim().toLowerCase();
    const found: SourceRecord[] = [];
    for await (const record of this.all(start)) {
      if (record.id.toLowerCase() !== wanted && !JSON.stringify(record.record).toLowerCase().includes(wanted)) continue;
      found.push(record);
      if (found.length > count * 4) found.splice(0, found.length - count);
    }
    return found.slice(-count).reverse();
  }

  /** The record as its app has it now; undefined where the place gives no ids, or it isn't there. */
  async now(start: Start, id: string): Promise<SourceRecord | undefined> {
    const { source, identity, also, fields } = start;
    // With a key of its own, several places or picked fields a record is known by its listing only.
    if (!source || identity || also || fields) return undefined;
    const hasIds = source.described.fields.some((field) => field.type === 'id' && field.readOnly);
    if (!hasIds) return undefined;
    const connector = await this.context.connections.connector(source.connection);
    return (await connector.fetch(source.path, id)) ?? undefined;
  }
}
