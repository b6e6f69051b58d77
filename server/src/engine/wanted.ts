import type { Connector, Page, SourceRecord } from '@golden/connectors';
import { comesByItself, type Start } from '@golden/core';
import { sourcePages } from './source-pages.ts';

/** Records that a run takes in instead of listing its source. */
export interface Wanted {
  /** Those a person chose, or those that events told of. */
  readonly kind: 'chosen' | 'told';
  readonly ids: readonly string[];
}

/** Some of them as they are now. */
export interface WantedPage extends Page {
  /** Of the ones that were asked for, those that aren't there. */
  readonly missing: readonly string[];
}

/** Records that are fetched and stored at once. */
const atOnce = 25;

export const wantedOf = ({ wanted }: { readonly wanted: string | null }): Wanted | undefined =>
  wanted === null ? undefined : (JSON.parse(wanted) as Wanted);

/**
 * The wanted records as their app has them now, page after page: each by its id, or, where the place gives none,
 * out of one listing.
 *
 * @param cursor - of a page, to go on after it
 */
export async function* wantedPages(
  connector: Connector,
  start: Start,
  { ids }: Wanted,
  cursor: string | null,
): AsyncGenerator<WantedPage> {
  const from = Number(cursor ?? 0);
  if (!isFetched(start)) {
    yield* outOfListing(connector, start, ids);
    return;
  }
  for (let at = from; at < ids.length || at === from; at += atOnce) {
    const some = ids.slice(at, at + atOnce);
    const records: SourceRecord[] = [];
    const missing: string[] = [];
    for (const id of some) {
      const record = await connector.fetch(start.source?.path ?? [], id);
      if (record) records.push(record);
      else missing.push(id);
    }
    const next = at + atOnce;
    yield { records, missing, cursor: next < ids.length ? String(next) : null };
  }
}

/** Whether a record of a start can be fetched by its id: with a key of its own, several places or picked fields it can't. */
export function isFetched({ source, identity, also, fields }: Start): boolean {
  if (!source || identity || also || fields) return false;
  return source.described.fields.some((field) => field.type === 'id' && field.readOnly);
}

/** Whether the record that an item began with can be read anew after a wait: what comes by itself stays as it came. */
export function isReadAgain(start: Start): start is Start & { source: NonNullable<Start['source']> } {
  const { source, identity, also, on } = start;
  if (!source || identity || also || on === 'removed' || comesByItself(start)) return false;
  return source.described.fields.some((field) => field.type === 'id' && field.readOnly);
}

async function* outOfListing(connector: Connector, start: Start, ids: readonly string[]): AsyncGenerator<WantedPage> {
  const wanted = new Set(ids);
  const found = new Map<string, SourceRecord>();
  for await (const page of sourcePages(connector, start))
    for (const record of page.records) if (wanted.has(record.id)) found.set(record.id, record);
  yield { records: [...found.values()], missing: ids.filter((id) => !found.has(id)), cursor: null };
}
