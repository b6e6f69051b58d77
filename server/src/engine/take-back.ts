import { Changed, type Connector } from '@golden/connectors';
import {
  type ItemState,
  isPlaced,
  isSameValue,
  type JsonRecord,
  layOut,
  type PlacedStep,
  type PlannedWrite,
  readPointer,
  type StepResult,
} from '@golden/core';
import type { ItemRow, WriteTable } from '../db/schema.ts';
import type { EngineContext } from './context.ts';

/** Something can't be taken back; nothing more was changed. */
export class CannotTakeBack extends Error {
  override readonly name = 'CannotTakeBack';
}

/**
 * Undoes what one item wrote: new records are removed, changed ones get their former values back;
 * each only while it still is as it was written. The record counts as not taken in afterwards.
 * @throws CannotTakeBack when somebody changed it meanwhile
 */
export async function takeBack(context: EngineContext, itemId: string): Promise<void> {
  const item = await context.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirst();
  if (!item || item.state === 'running' || item.state === 'cancelled')
    throw new CannotTakeBack('There is nothing to take back.');
  const state = JSON.parse(item.item_state) as ItemState;
  const version = await context.workflows.version(item.workflow_id, item.version);
  // The last write first; those of a "for each" have their turn in their id.
  for (const { id, step } of [...layOut(version.content, state.values)].reverse()) {
    const result = state.steps[id];
    if (isPlaced(step) && result?.kind === 'written' && result.outcome !== 'same')
      await undoStep(context, item, { ...step, id }, result);
  }
  await release(context, item);
}

async function undoStep(
  context: EngineContext,
  item: ItemRow,
  step: PlacedStep,
  result: Extract<StepResult, { kind: 'written' }>,
): Promise<void> {
  const { target } = step;
  const done = await lastWrite(context, item.id, step.id);
  if (!target || !done) throw new CannotTakeBack('What was written isn’t known any more.');
  const connector = await context.connections.connector(target.connection);
  const written = JSON.parse(done.intent) as PlannedWrite;
  const read = done.read ? (JSON.parse(done.read) as JsonRecord) : undefined;
  const token = context.seams.id();
  await context.commits.run((trx) =>
    trx
      .insertInto('write')
      .values({
        ...done,
        token,
        purpose: 'take_back',
        status: 'intent',
        replacement_id: null,
        at: context.seams.now(),
        done_at: null,
      })
      .execute(),
  );
  try {
    if (result.outcome === 'new') await removeNew(connector, target.path, result.id, written, read);
    else await restore(connector, token, result, written, read);
  } catch (error) {
    await context.db.updateTable('write').set({ status: 'void' }).where('token', '=', token).execute();
    throw new CannotTakeBack(error instanceof Error ? error.message : 'It could not be taken back.', { cause: error });
  }
  await context.db
    .updateTable('write')
    .set({ status: 'done', done_at: context.seams.now() })
    .where('token', '=', token)
    .execute();
  await context.mirrors.note(target, result.id, result.outcome === 'new' ? null : (result.before ?? null));
  // Whom nobody has written any more nobody is linked to.
  if (result.outcome === 'new')
    await context.db
      .deleteFrom('link')
      .where('to_connection', '=', target.connection)
      .where('to_place', '=', JSON.stringify(target.path))
      .where('to_id', '=', result.id)
      .execute();
}

async function removeNew(
  connector: Connector,
  path: readonly string[],
  id: string,
  written: PlannedWrite,
  read: JsonRecord | undefined,
): Promise<void> {
  if (!connector.batch) {
    const there = await connector.fetch(path, id);
    if (there) expectUntouched(written, there.record, read);
  }
  await connector.remove(path, id, read);
}

async function restore(
  connector: Connector,
  token: string,
  result: Extract<StepResult, { kind: 'written' }>,
  written: PlannedWrite,
  read: JsonRecord | undefined,
): Promise<void> {
  const there = await connector.fetch(written.target.path, result.id);
  if (!there) throw new Changed('The record isn’t there any more.');
  expectUntouched(written, there.record, read);
  const values = Object.fromEntries(result.changes.map(({ path, before }) => [path, before]));
  const back: PlannedWrite = { ...written, kind: 'update', id: result.id, values, before: there.record };
  await connector.update({ write: back, token });
}

/** Every field we wrote must still hold what it held then. */
function expectUntouched(written: PlannedWrite, there: JsonRecord, read: JsonRecord | undefined): void {
  for (const [path, sent] of Object.entries(written.values)) {
    const then = read ? (readPointer(read, path) ?? null) : sent;
    if (!isSameValue(readPointer(there, path), then, written.types[path] ?? 'text')) {
      throw new Changed(`Somebody changed ${path.slice(1)} since it was written. Nothing was taken back.`);
    }
  }
}

async function lastWrite(context: EngineContext, itemId: string, step: string): Promise<WriteTable | undefined> {
  return (await context.db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', itemId)
    .where('step', '=', step)
    .where('status', '=', 'done')
    .where('purpose', '=', 'deliver')
    .orderBy('done_at', 'desc')
    .executeTakeFirst()) as WriteTable | undefined;
}

/** The record may come in again when everything is asked for: its revision is freed, and it counts as noted only. */
async function release(context: EngineContext, item: ItemRow): Promise<void> {
  await context.commits.run(async (trx) => {
    await trx
      .updateTable('item')
      .set({
        state: 'cancelled',
        message: 'Taken back.',
        revision: `${item.revision} (taken back ${item.id})`,
        cause: null,
        waits_for: null,
      })
      .where('id', '=', item.id)
      .execute();
    await trx
      .updateTable('seen')
      .set({ is_taken: 0 })
      .where('workflow_id', '=', item.workflow_id)
      .where('source_id', '=', item.source_id)
      .execute();
    await trx
      .insertInto('journal')
      .values({ item_id: item.id, at: context.seams.now(), kind: 'taken_back', step: null, content: '{}' })
      .execute();
  });
  context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
}
