import type { BatchWriter, Connector, WriteRequest } from '@golden/connectors';
import { type Answer, isSameValue, type JsonRecord, type PlannedWrite, readPointer } from '@golden/core';
import type { WriteTable } from '../db/schema.ts';
import type { EngineContext } from './context.ts';

/** What is known of a write that has an intent and no result. */
export type Settled =
  | { readonly kind: 'done'; readonly id: string; readonly record?: JsonRecord }
  | { readonly kind: 'not_done' }
  /** The place changed so that the write has to be planned anew. */
  | { readonly kind: 'stale' }
  | { readonly kind: 'unknown'; readonly message: string };

const cannotTell =
  'It can’t be found out whether this was written. Look in the destination, then retry or accept what stands.';

/** Looks again after this long before a write that wasn't found counts as not done: it may still be under way. */
const secondLook = 1500;

/** The answer that a settled write gives to the item; undefined when it has to be sent again. */
export function answerOfSettled(settled: Settled): Answer | undefined {
  switch (settled.kind) {
    case 'done':
      return { kind: 'written', id: settled.id, ...(settled.record && { record: settled.record }) };
    case 'stale':
      return { kind: 'stale' };
    case 'unknown':
      return { kind: 'refused', cause: 'unsure', message: settled.message };
    case 'not_done':
      return undefined;
  }
}

/**
 * Finds out whether a write that was sent one by one was done: by its idempotency key (it may then
 * be sent again), by our reference, or by looking. What can't be looked up is unknown, never guessed.
 */
export async function settleDirect(
  context: EngineContext,
  connector: Connector,
  request: WriteRequest,
): Promise<Settled> {
  if (connector.settleBy === 'idempotency_key') return { kind: 'not_done' };
  const first = await look(connector, request);
  if (first.kind !== 'not_done') return first;
  await context.seams.pause(secondLook);
  return look(connector, request);
}

async function look(connector: Connector, { write, token }: WriteRequest): Promise<Settled> {
  const path = write.target.path;
  if (connector.settleBy === 'reference' && connector.findByToken) {
    const found = await connector.findByToken(path, token);
    if (found) return { kind: 'done', id: found.id, record: found.record };
    if (write.kind === 'create') return { kind: 'not_done' };
  }
  if (write.kind === 'update' && write.id !== undefined) {
    const there = await connector.fetch(path, write.id);
    if (!there) return { kind: 'stale' };
    return judgeUpdate(write, write.id, there.record);
  }
  return lookForCreated(connector, write);
}

function judgeUpdate(write: PlannedWrite, id: string, there: JsonRecord): Settled {
  if (holds(write, there)) return { kind: 'done', id, record: there };
  const isAsBefore = Object.keys(write.values).every((path) =>
    isSameValue(readPointer(there, path), readPointer(write.before ?? {}, path), write.types[path] ?? 'text'),
  );
  return isAsBefore ? { kind: 'not_done' } : { kind: 'stale' };
}

async function lookForCreated(connector: Connector, write: PlannedWrite): Promise<Settled> {
  if (!write.key) return { kind: 'unknown', message: cannotTell };
  const found = await connector.find(write.target.path, write.key);
  const [only] = found;
  if (found.length === 0 || !only) return { kind: 'not_done' };
  if (found.length === 1 && holds(write, only.record)) return { kind: 'done', id: only.id, record: only.record };
  return { kind: 'stale' };
}

/** True when a record holds every value that a write would put there. */
export function holds(write: PlannedWrite, record: JsonRecord): boolean {
  return Object.entries(write.values).every(([path, value]) =>
    isSameValue(readPointer(record, path), value, write.types[path] ?? 'text'),
  );
}

/** How the whole of a file stands towards the replacements that were made for a write. */
export type FileStanding = 'done' | 'not_done' | 'changed' | 'never_prepared';

/** Compares a file's hash with those of the replacements that a write was part of. */
export async function standingOf(
  context: EngineContext,
  batch: BatchWriter,
  write: WriteTable,
): Promise<{ standing: FileStanding; row?: string }> {
  const replacements = await context.db
    .selectFrom('replacement')
    .selectAll()
    .where('connection', '=', write.connection)
    .where('file', '=', batch.groupOf(JSON.parse(write.place)))
    .where('at', '>=', write.at)
    .orderBy('at', 'desc')
    .execute();
  const ours = replacements.filter((one) => write.token in JSON.parse(one.rows));
  if (ours.length === 0) return { standing: 'never_prepared' };
  const now = await batch.hashNow(batch.groupOf(JSON.parse(write.place)));
  const done = ours.find((one) => one.hash_after === now);
  if (done) return { standing: 'done', row: JSON.parse(done.rows)[write.token] };
  // A later replacement that was made from ours shows that ours was in place.
  const followed = ours.find((one) => replacements.some((later) => later.hash_before === one.hash_after));
  if (followed) return { standing: 'done', row: JSON.parse(followed.rows)[write.token] };
  const isBefore = ours[0]?.hash_before === now;
  return { standing: isBefore ? 'not_done' : 'changed', row: JSON.parse(ours[0]?.rows ?? '{}')[write.token] };
}

/** Finds out whether a write that was gathered into a replacement of a file was done. */
export async function settleBatched(
  context: EngineContext,
  connector: Connector,
  batch: BatchWriter,
  write: WriteTable,
): Promise<Settled> {
  const planned = JSON.parse(write.intent) as PlannedWrite;
  const { standing, row } = await standingOf(context, batch, write);
  if (standing === 'never_prepared' || standing === 'not_done') return { kind: 'not_done' };
  if (standing === 'done' && row !== undefined) return { kind: 'done', id: row };
  // Somebody saved the file since: on top of ours, or instead of it. The rows themselves tell, where they can.
  if (planned.key || planned.kind === 'update') {
    const settled = await look(connector, { write: planned, token: write.token });
    return settled.kind === 'not_done' ? { kind: 'stale' } : settled;
  }
  const there = row === undefined ? null : await connector.fetch(planned.target.path, row);
  if (there && row !== undefined && holds(planned, there.record))
    return { kind: 'done', id: row, record: there.record };
  return { kind: 'unknown', message: cannotTell };
}
