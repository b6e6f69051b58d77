import { type Connector, Drifted, type Page, PageWatch, type SourceRecord } from '@golden/connectors';
import {
  driftOf,
  driftSentence,
  type Field,
  fetchedFields,
  type JsonRecord,
  readPointer,
  type Start,
  startId,
  type WorkflowContent,
  writePointer,
} from '@golden/core';

/** One place of a start, with what its records' ids begin with so that two places never share one. */
export interface SourcePlace {
  readonly path: readonly string[];
  readonly label: string;
  readonly prefix: string;
}

/** All places that a start means now: its own, and the further ones that were chosen or have come. */
export async function sourcePlaces(connector: Connector, start: Start): Promise<SourcePlace[]> {
  const { source, also } = start;
  if (!source) return [];
  const own: SourcePlace = { path: source.path, label: source.labels.at(-1) ?? '', prefix: '' };
  if (!also) return [own];
  const others =
    also.kind === 'some'
      ? also.places.map((place) => ({ path: place.path, label: place.labels.at(-1) ?? '' }))
      : (await connector.places(source.path.slice(0, -1)))
          // An empty tab holds nothing that could be missed.
          .filter((choice) => choice.isPlace && choice.holds !== 0)
          .map((choice) => ({ path: [...source.path.slice(0, -1), choice.id], label: choice.label }));
  const further = others.filter((place) => place.path.join('\n') !== source.path.join('\n'));
  return [own, ...further.map((place) => ({ ...place, prefix: `${place.label} · ` }))];
}

/**
 * Looks whether every place still has the fields that the workflow rests on.
 * @throws Drifted with a sentence, before a record is read with a hole where a value was
 */
export async function checkSource(connector: Connector, content: WorkflowContent): Promise<void> {
  const { source } = content.start;
  if (!source) return;
  for (const place of await sourcePlaces(connector, content.start)) {
    const now = await connector.describe(place.path);
    const drift = driftOf(content, startId, source.described, now);
    if (drift.isStopping) throw new Drifted(driftSentence(drift, `“${place.label}”`));
  }
}

export interface PagesRequest {
  readonly since?: string | undefined;
  readonly cursor?: string | undefined;
  /** Records that are as they were under this mark may be left out. */
  readonly unlessAsAt?: string | undefined;
}

/** Records of one place of a start. */
export interface SourcePage extends Page {
  readonly path: readonly string[];
}

const wholes = new WeakMap<JsonRecord, JsonRecord>();

/** All of a record of which a page gives the fields to fetch only. */
export const wholeOf = (picked: JsonRecord): JsonRecord => wholes.get(picked) ?? picked;

/** The records of all places of a start, page after page; a page's cursor goes on after it. */
export async function* sourcePages(
  connector: Connector,
  start: Start,
  ask: PagesRequest = {},
): AsyncGenerator<SourcePage> {
  const places = await sourcePlaces(connector, start);
  const begin = ask.cursor === undefined ? { at: 0, cursor: null } : readCursor(ask.cursor, places, start);
  let cursor = begin.cursor;
  for (const [at, place] of places.entries()) {
    if (at < begin.at) continue;
    const watch = new PageWatch();
    do {
      const page: Page = await connector.list({
        path: place.path,
        ...(ask.since && { since: ask.since }),
        ...(cursor && { cursor }),
        ...(start.identity && { identity: start.identity }),
        ...(ask.unlessAsAt !== undefined && { unlessAsAt: ask.unlessAsAt }),
      });
      watch.pass(page);
      cursor = page.cursor;
      const isLast = cursor === null && at === places.length - 1;
      const next = isLast ? null : writeCursor(cursor === null ? places[at + 1] : place, cursor, start);
      yield {
        ...page,
        path: place.path,
        records: page.records.map((one) => picked(one, place, start)),
        cursor: next,
      };
    } while (cursor !== null);
  }
}

/** Of a start with one place the app's own cursor; of one with further places, which place it belongs to besides. */
function writeCursor(place: SourcePlace | undefined, cursor: string | null, start: Start): string {
  return start.also ? JSON.stringify([place?.path.join('\n') ?? '', cursor]) : (cursor ?? '');
}

function readCursor(text: string, places: readonly SourcePlace[], start: Start): { at: number; cursor: string | null } {
  if (!start.also) return { at: 0, cursor: text };
  const [name, cursor] = JSON.parse(text) as [string, string | null];
  const at = places.findIndex((place) => place.path.join('\n') === name);
  // A place that is gone since: all are listed again, and what was read counts as a repeat.
  return at < 0 ? { at: 0, cursor: null } : { at, cursor };
}

/** A record with only the fields to fetch, under an id of its own among all places. */
function picked(record: SourceRecord, place: SourcePlace, start: Start): SourceRecord {
  const id = `${place.prefix}${record.id}`;
  if (!start.fields) return place.prefix === '' ? record : { ...record, id };
  const { updated: _updated, version: _version, ...rest } = record;
  // Of what isn't fetched no change is told, so the app's own mark of changes is left out as well.
  const fetched = pickFields(record.record, fetchedFields(start));
  wholes.set(fetched, record.record);
  return { ...rest, id, record: fetched };
}

/** Of a record these fields only. */
export function pickFields(record: JsonRecord, fields: readonly Field[]): JsonRecord {
  return fields.reduce<JsonRecord>((all, { path }) => {
    const value = readPointer(record, path);
    return value === undefined ? all : writePointer(all, path, value);
  }, {});
}
