import { Changed, type Connector, type Page } from '@golden/connectors';
import {
  type ChangedSince,
  changedSince,
  type Field,
  isEmpty,
  isPlaced,
  type JsonRecord,
  readPointer,
  stepById,
} from '@golden/core';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import { holds } from '../engine/settle.ts';
import type { Undoing } from './undoing.ts';

/** The fields of a place: all of them, and those in which people may have written, which the app doesn't fill by itself. */
export interface PlaceFields {
  readonly all: readonly Field[];
  readonly written: readonly Field[];
}

export async function fieldsOf(
  { workflows }: Pick<EngineContext, 'workflows'>,
  item: Pick<ItemRow, 'workflow_id' | 'version'>,
  row: Pick<WriteRow, 'step'>,
): Promise<PlaceFields> {
  const { content } = await workflows.version(item.workflow_id, item.version);
  const step = stepById(content, row.step);
  const described = step && isPlaced(step) ? step.target?.described : undefined;
  const all = described?.fields ?? [];
  return { all, written: all.filter(({ path, readOnly }) => !readOnly && path !== described?.updated) };
}

/** How what is to be undone stands there now. */
export type Standing =
  | { readonly kind: 'as_written'; readonly id: string; readonly record: JsonRecord }
  /** What was to be removed is gone, what was changed has its former values already, or what was removed is there again. */
  | { readonly kind: 'undone'; readonly record: JsonRecord | null }
  /** What was to get its former values is gone. */
  | { readonly kind: 'gone' }
  | { readonly kind: 'changed'; readonly fields: readonly ChangedSince[] };

/**
 * Looks at what is to be undone. A row has no id of its own: it counts as there only where it can be seen to be the one
 * that was written.
 *
 * @param foreseen - how it will stand there once what was written to it later has gone back; null where it will be gone
 * @throws Changed where a row can't be told from what others wrote
 */
export async function standingOf(
  connector: Connector,
  undoing: Undoing,
  fields: PlaceFields,
  foreseen?: JsonRecord | null,
): Promise<Standing> {
  const { kind, id, written, read, former, isAsked } = undoing;
  const { path } = written.target;
  if (kind === 'recreate') {
    const back = await connector.fetch(path, id);
    if (!back && !isAsked) await expectNotMade(connector, undoing);
    return back ? { kind: 'undone', record: back.record } : { kind: 'as_written', id, record: read ?? {} };
  }
  const isRow = connector.batch !== undefined && kind === 'remove' && foreseen === undefined;
  const look = () => (isRow ? rowAsWritten(connector, undoing) : connector.fetch(path, id));
  const there = foreseen === undefined ? await look() : foreseen && { id, record: foreseen };
  if (!there && isRow) {
    if (!isAsked) throw new Changed('The row isn’t there any more as it was written.');
    await expectTakenOut(connector, undoing);
  }
  if (!there) return kind === 'remove' ? { kind: 'undone', record: null } : { kind: 'gone' };
  const { record } = there;
  if (kind === 'restore' && holds({ ...written, kind: 'update', id, values: former, before: record }, record))
    return { kind: 'undone', record };
  const changed = changedSince(written, record, read, fields.all, kind === 'remove' ? fields.written : []);
  return changed.length > 0 ? { kind: 'changed', fields: changed } : { kind: 'as_written', id: there.id, record };
}

/** @throws Changed where somebody has made it again since: a second one would double it */
async function expectNotMade(connector: Connector, { written: { target, key } }: Undoing): Promise<void> {
  if (!key) return;
  const [there] = await connector.find(target.path, key);
  if (there) throw new Changed(`Somebody has made it again since (${there.id}).`);
}

/** The row that still holds what was written to it. @throws Changed when its place holds something else of ours */
async function rowAsWritten(
  connector: Connector,
  { id, written, read }: Undoing,
): Promise<{ id: string; record: JsonRecord } | undefined> {
  const { path } = written.target;
  const isOurs = (record: JsonRecord): boolean => changedSince(written, record, read, []).length === 0;
  const there = await connector.fetch(path, id);
  if (there && isOurs(there.record)) return there;
  if (written.key) {
    const found = await connector.find(path, written.key);
    const ours = found.filter(({ record }) => isOurs(record));
    if (ours.length === 1) return ours[0];
    if (found.length > 0) throw new Changed('Somebody changed the row since it was written.');
    return undefined;
  }
  // Without a key a row is known by all that it holds.
  let cursor: string | null = null;
  do {
    const page: Page = await connector.list({ path, ...(cursor && { cursor }) });
    if (read && page.records.some(({ record }) => JSON.stringify(record) === JSON.stringify(read)))
      return { id, record: read };
    cursor = page.cursor;
  } while (cursor !== null);
  return undefined;
}

/**
 * A row that we asked to have taken out, and that isn't found as it was written, was taken out: unless its columns are
 * called otherwise by now, or much of it still stands where it was.
 *
 * @throws Changed where it may be there still
 */
async function expectTakenOut(connector: Connector, { id, written, read }: Undoing): Promise<void> {
  const { path } = written.target;
  const paths = Object.keys(written.values);
  const { fields } = await connector.describe(path);
  if (!paths.every((one) => fields.some((field) => field.path === one)))
    throw new Changed('The columns are called otherwise than when the row was written. Look whether it is there.');
  const there = await connector.fetch(path, id);
  if (!there) return;
  const filled = paths.filter((one) => !isEmpty(read ? readPointer(read, one) : written.values[one]));
  const changed = changedSince(written, there.record, read, []);
  const same = filled.filter((one) => !changed.some((field) => field.path === one));
  if (same.length * 2 >= Math.max(1, filled.length))
    throw new Changed('A row that is much like it stands in its place. Look whether it is the one.');
}

/** What is said of a record that somebody has changed: the first field of it. */
export const changedWords = ([first]: readonly ChangedSince[]): string =>
  `Somebody changed ${first?.label ?? 'it'} since it was written.`;
