import {
  callIn,
  type Field,
  fieldAt,
  type ItemState,
  isEmpty,
  isPlaced,
  isSameValue,
  type JsonRecord,
  layOut,
  type PlannedWrite,
  type RecordType,
  readPointer,
  type Step,
  saysNo,
  stepById,
  type WorkflowContent,
} from '@golden/core';
import type { Db } from '../db/open.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import { writeOf } from '../engine/intents.ts';
import { Told } from '../told.ts';

/** Something can't be taken back; nothing more was changed. */
export class CannotTakeBack extends Told {
  override readonly name = 'CannotTakeBack';
  readonly status = 409;
  readonly type = 'not-possible';
}

/** How what was written to one record is undone, as it is stored before anything of it leaves. */
export interface Undoing {
  /** To `recreate` makes anew what was removed for good: its app gives it another id. */
  readonly kind: 'remove' | 'restore' | 'recreate';
  readonly id: string;
  /** What was written, and what was read back of it. */
  readonly written: PlannedWrite;
  readonly read: JsonRecord | null;
  /** The former values, for what was changed or removed. */
  readonly former: PlannedWrite['values'];
  /** Consents that were withdrawn by it, by their labels: they stay so. */
  readonly refused?: readonly string[];
  /**
   * True once taking a row out has been asked for: from then on a row that isn't there was taken out. The same of what is
   * made again: from then on it may have been.
   */
  readonly isAsked?: boolean;
  /** When that, or making it again, was asked for last. */
  readonly askedAt?: string;
  /** All the writes that go back with it. */
  readonly tokens?: readonly string[];
}

/** An undoing with the write that was the last to that record. */
export interface PlannedUndoing {
  readonly row: WriteRow;
  readonly undoing: Undoing;
}

/** How one item goes back: what is undone, the last write first, and how many have gone out for good. */
export interface UndoPlan {
  readonly undoings: readonly PlannedUndoing[];
  readonly sent: number;
}

export const elsewhere =
  'It was written in another account than the connection leads to now. Go back to that one first.';

const notKnown = 'It is no longer known what was written. Nothing was taken back.';
const notKept =
  'It ended too long ago: what was there before isn’t kept any more. Settings say for how many days it is.';
const neverSaid =
  'It isn’t known which record was made: the app never said, and nobody chose it. Remove it in the app itself.';
const unsure = 'It can’t be found out whether all of it was written. Settle that first. Nothing was taken back.';

/**
 * How an item's writes would be undone. It goes by the writes themselves and not by what its steps came to: one that
 * stands although its step needs somebody, one that a person took as it stands, and one that was changed once more
 * after it was made go back as a whole.
 *
 * @throws CannotTakeBack when it isn't known what was written
 */
export async function planUndoing(
  { db, workflows, connections }: Pick<EngineContext, 'db' | 'workflows' | 'connections'>,
  item: ItemRow,
): Promise<UndoPlan> {
  const state = JSON.parse(item.item_state) as ItemState;
  const { content } = await workflows.version(item.workflow_id, item.version);
  const rows = await standingWrites(db, item.id);
  if (item.emptied_at !== null && rows.length > 0) throw new CannotTakeBack(notKept);
  expectKnown(content, state, rows);
  const [undoings, sent]: [PlannedUndoing[], Set<string>] = [[], new Set()];
  for (const group of byRecord(rows)) {
    const last = group.at(-1) as WriteRow;
    const step = stepById(content, last.step);
    const target = step && isPlaced(step) ? step.target : undefined;
    if (target && goesOut(target)) {
      // In a trial it went to whoever tried.
      if (state.instead === undefined) sent.add(last.step);
      continue;
    }
    if (connections.accountOf(last.connection) !== last.account) throw new CannotTakeBack(elsewhere);
    if (!last.remote_id) throw new CannotTakeBack(neverSaid);
    undoings.push({ row: last, undoing: undoingOf(group, target?.described) });
  }
  return { undoings, sent: sent.size };
}

/** True for what goes out to somebody, or is called: no program brings it back. */
const goesOut = ({ path, described }: NonNullable<Extract<Step, { kind: 'write' }>['target']>): boolean =>
  described.sentTo !== undefined || callIn(path)?.onlyReads === false;

/** The writes of an item that were done and haven't been taken back, the last first. */
async function standingWrites(db: Db, itemId: string): Promise<WriteRow[]> {
  const rows = await db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', itemId)
    .where('status', 'in', ['done', 'intent'])
    .orderBy('done_at', 'desc')
    .orderBy('rowid' as never, 'desc')
    .execute();
  const back = new Set(
    rows.flatMap(({ purpose, status, base, intent }) => {
      if (purpose !== 'take_back' || status !== 'done') return [];
      const { tokens } = JSON.parse(intent) as Undoing;
      return tokens ?? [(base ?? '').replace(/ back$/, '')];
    }),
  );
  return rows.filter(({ purpose, token }) => purpose === 'deliver' && !back.has(token));
}

/** @throws CannotTakeBack where a write may have been done, or is known no more */
function expectKnown(content: WorkflowContent, state: ItemState, rows: readonly WriteRow[]): void {
  if (rows.some(({ status }) => status === 'intent')) throw new CannotTakeBack(unsure);
  for (const { id, step } of layOut(content, state.values)) {
    const result = state.steps[id];
    if (!isPlaced(step) || rows.some((row) => row.step === id)) continue;
    if (result?.kind === 'unsettled' && result.cause === 'unsure') throw new CannotTakeBack(unsure);
    if (result?.kind !== 'written' || result.outcome === 'same') continue;
    throw new CannotTakeBack(result.id === '' ? neverSaid : notKnown);
  }
}

/** Writes to one record in the order in which they were done; whichever record was written last stands first. */
function byRecord(rows: readonly WriteRow[]): WriteRow[][] {
  const groups = new Map<string, WriteRow[]>();
  for (const row of rows) {
    const key = row.remote_id ? `${row.account}\n${row.place}\n${row.remote_id}` : row.token;
    groups.set(key, [row, ...(groups.get(key) ?? [])]);
  }
  return [...groups.values()];
}

/** How several writes to one record go back as one: removed where the first made it, else as it was before the first. */
function undoingOf(rows: readonly WriteRow[], described: RecordType | undefined): Undoing {
  const writes = rows.map(writeOf);
  const last = rows.at(-1) as WriteRow;
  const fields = described?.fields ?? [];
  if (writes.at(-1)?.kind === 'remove') return recreating(rows, described);
  const written: PlannedWrite = {
    ...(writes.at(-1) as PlannedWrite),
    values: Object.assign({}, ...writes.map(({ values }) => values)),
    types: Object.assign({}, ...writes.map(({ types }) => types)),
  };
  const key = writes.findLast((write) => write.key)?.key;
  const isNew = writes.some(({ kind }) => kind === 'create');
  const { former, refused } = isNew ? { former: {}, refused: [] } : formerOf(writes, fields);
  return {
    kind: isNew ? 'remove' : 'restore',
    id: last.remote_id ?? '',
    written: { ...written, ...(key && { key }) },
    read: last.read ? (JSON.parse(last.read) as JsonRecord) : null,
    former,
    ...(refused.length > 0 && { refused }),
    tokens: rows.map(({ token }) => token),
  };
}

/** What was removed is made again, with all that can be written of what it held before the first of the writes. */
function recreating(rows: readonly WriteRow[], described: RecordType | undefined): Undoing {
  if (!described?.can.create)
    throw new CannotTakeBack('It was removed, and its app lets nobody make it again. Nothing was taken back.');
  const last = rows.at(-1) as WriteRow;
  const before = rows.map(writeOf).find((write) => write.before)?.before ?? {};
  const fields = described.fields.filter(
    ({ path, readOnly }) => !readOnly && path !== described.updated && !isEmpty(readPointer(before, path)),
  );
  const former = Object.fromEntries(fields.map(({ path }) => [path, readPointer(before, path) ?? null]));
  const key = (described.findBy ?? []).find((path) => !isEmpty(former[path]));
  return {
    kind: 'recreate',
    id: last.remote_id ?? '',
    written: {
      kind: 'create',
      target: writeOf(last).target,
      values: former,
      types: Object.fromEntries(fields.map(({ path, type }) => [path, type])),
      ...(key !== undefined && { key: { path: key, value: former[key] ?? null } }),
    },
    read: before,
    former,
    tokens: rows.map(({ token }) => token),
  };
}

/** What each changed field held before the first change; a consent that was withdrawn stays so. */
function formerOf(writes: readonly PlannedWrite[], fields: readonly Field[]) {
  const former: Record<string, PlannedWrite['values'][string]> = {};
  const refused: string[] = [];
  for (const { values, types, before } of writes)
    for (const [path, after] of Object.entries(values)) {
      const was = readPointer(before ?? {}, path) ?? null;
      const field = fieldAt(fields, path) ?? { path, label: path.slice(1), type: types[path] ?? 'text' };
      if (path in former || isSameValue(was, after, types[path] ?? 'text')) continue;
      if (saysNo(field, after) && !saysNo(field, was)) refused.push(field.label);
      else former[path] = was;
    }
  return { former, refused: [...new Set(refused)] };
}
