import type { SourceRecord } from '@golden/connectors';
import { readDate, type Start } from '@golden/core';
import { isFromTheStart } from './change-detection.ts';
import type { EngineContext } from './context.ts';
import { sourcePages } from './source-pages.ts';
import { isFetched, wantedPages } from './wanted.ts';

/** How many records each starting point means. */
export interface FromWhenCounts {
  readonly all: number;
  /** Of these, what beginning with everything would take in: all, or those that have the value already that they have to get. */
  readonly startable: number;
  /** Today's date by the zone's clock. */
  readonly today: string;
  /** The startable ones by the day (`2026-11-03`) on which they were added or changed; those without a date aren't among them. */
  readonly days: readonly { readonly day: string; readonly count: number }[];
}

/** Reads from sources for building and rehearsing; takes nothing in. */
export class Sources {
  /** What the samples of other workflows would hand over to an inbox. */
  handedTo: (inbox: string) => Promise<readonly SourceRecord[]> = async () => [];

  constructor(private readonly context: EngineContext) {}

  /** Every record of the source, page after page. */
  async *all(start: Start): AsyncGenerator<SourceRecord> {
    if (!start.source) return;
    const connector = await this.context.connections.connector(start.source.connection);
    let isEmpty = true;
    for await (const page of sourcePages(connector, start)) {
      if (page.records.length > 0) isEmpty = false;
      yield* page.records;
    }
    // As long as nothing was handed over, what would be is what there is to build with.
    if (isEmpty && start.trigger.kind === 'handed') yield* await this.handedTo(start.source.path[0] ?? '');
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

  /** These records as they are now; those that aren't there any more are left out. */
  async these(start: Start, ids: readonly string[]): Promise<SourceRecord[]> {
    if (!start.source) return [];
    const connector = await this.context.connections.connector(start.source.connection);
    const found: SourceRecord[] = [];
    for await (const { records } of wantedPages(connector, start, { kind: 'chosen', ids }, null))
      found.push(...records);
    return found;
  }

  async everything(start: Start): Promise<SourceRecord[]> {
    const all: SourceRecord[] = [];
    for await (const record of this.all(start)) all.push(record);
    return all;
  }

  /** How many records there are, by the clock of a zone: days begin at its midnight. */
  async count(start: Start, zone: string): Promise<FromWhenCounts> {
    const everything: Start = { ...start, fromWhen: { kind: 'all' } };
    const today = readDate(this.context.seams.now(), zone, 'day_first');
    let all = 0;
    let startable = 0;
    const days = new Map<string, number>();
    for await (const record of this.all(start)) {
      all += 1;
      if (!isFromTheStart(record, everything)) continue;
      startable += 1;
      const told = start.on === 'added' ? (record.created ?? record.updated) : (record.updated ?? record.created);
      const day = told === undefined ? undefined : readDate(told, zone, 'day_first');
      if (day?.ok) days.set(day.date, (days.get(day.date) ?? 0) + 1);
    }
    const sorted = [...days].sort().map(([day, count]) => ({ day, count }));
    return { all, startable, today: today.ok ? today.date : '', days: sorted };
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
    const { source } = start;
    // Otherwise a record is known by its listing only.
    if (!source || !isFetched(start)) return undefined;
    const connector = await this.context.connections.connector(source.connection);
    return (await connector.fetch(source.path, id)) ?? undefined;
  }
}
