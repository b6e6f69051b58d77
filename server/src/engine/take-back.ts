import { createHash } from 'node:crypto';
import { AppError, Changed, type Connector, type Page } from '@golden/connectors';
import {
  type Field,
  fieldAt,
  type ItemState,
  isPlaced,
  isSameJson,
  isSameValue,
  type JsonRecord,
  layOut,
  type PlannedWrite,
  readPointer,
  type StepResult,
  saysNo,
  stepById,
} from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import { dropNotTakenIn, handedItems } from '../handing/take-back-handed.ts';
import { Told } from '../told.ts';
import type { EngineContext } from './context.ts';
import { lastDone, writeOf } from './intents.ts';
import { forget } from './last-written.ts';
import { leftAs, leftGone } from './own-writes.ts';
import { isPassing } from './pauses.ts';
import { releaseBehind } from './predecessors.ts';
import { holds } from './settle.ts';

/** Something can't be taken back; nothing more was changed. */
export class CannotTakeBack extends Told {
  override readonly name = 'CannotTakeBack';
  readonly status = 409;
  readonly type = 'not-possible';
}

/** Taking back is held up by an app that doesn't answer; it goes on by itself. */
export class TakeBackWaits extends Error {
  override readonly name = 'TakeBackWaits';
}

const elsewhere = 'It was written in another account than the connection leads to now. Go back to that one first.';

/** How one write is undone, as it is stored before anything of it leaves. */
interface Undoing {
  readonly kind: 'remove' | 'restore';
  readonly id: string;
  /** What was written, and what was read back of it. */
  readonly written: PlannedWrite;
  readonly read: JsonRecord | null;
  /** The former values, for what was changed. */
  readonly former: PlannedWrite['values'];
  /** Consents that were withdrawn by it, by their labels: they stay so. */
  readonly refused?: readonly string[];
  /** True once taking a row out has been asked for: from then on a row that isn't there was taken out. */
  readonly isAsked?: boolean;
}

/**
 * Undoes what one item wrote: new records are removed, changed ones get their former values back,
 * each only while it still is as it was written. How each is undone is stored first, so that it is
 * gone on with after a crash. The record counts as not taken in afterwards.
 * @throws CannotTakeBack when it isn't known which record it is, or somebody changed it meanwhile
 * @throws TakeBackWaits when an app doesn't answer now
 */
export async function takeBack(context: EngineContext, itemId: string): Promise<void> {
  const item = await context.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirst();
  if (!item || item.state === 'cancelled') throw new CannotTakeBack('There is nothing to take back.');
  // What it handed over goes back with it, the last first, before what it wrote itself.
  const all = [...(await handedItems(context.db, itemId)).reverse(), item];
  const plans = await planAll(context, all);
  await context.commits.run(async (trx) => {
    for (const { item: one, undoings } of plans) {
      await claimForTakingBack(trx, one);
      for (const { row, undoing } of undoings) await storeUndoing(context, trx, row, undoing);
    }
    await dropNotTakenIn(trx, itemId);
  });
  context.seams.reach('take-back:after-store');
  for (const { item: one } of plans) await goOnTakingBack(context, one.id);
}

/** How each of several items would be undone. @throws CannotTakeBack before anything is changed */
async function planAll(context: EngineContext, items: readonly ItemRow[]) {
  const plans = [];
  for (const item of items) {
    if (item.state === 'cancelled') continue;
    plans.push({ item, undoings: await planUndoing(context, item) });
  }
  return plans;
}

async function claimForTakingBack(trx: Trx, item: ItemRow): Promise<void> {
  const claimed = await trx
    .updateTable('item')
    .set({ claimed: 1 })
    .where('id', '=', item.id)
    .where('claimed', '=', 0)
    .where('state', 'in', ['delivered', 'unsettled', 'left_out', 'dismissed'])
    .where('item_state', '=', item.item_state)
    .returning('id')
    .executeTakeFirst();
  if (!claimed)
    throw new CannotTakeBack(
      `There is nothing to take back, or “${item.title}” is still on its way. Wait until it has come to rest.`,
    );
  const open = await openUndoings(trx, item.id);
  if (open.length > 0) throw new CannotTakeBack('It is being taken back already.');
}

/** Goes on with taking an item back that is claimed for it: what is undone already isn't undone again. */
export async function goOnTakingBack(context: EngineContext, itemId: string): Promise<void> {
  const item = await context.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirstOrThrow();
  const open = await openUndoings(context.db, itemId);
  const notes: string[] = [];
  for (const row of open) {
    const { note, left, read } = await undo(context, item, row).catch((error) =>
      leave(context, item, open.slice(open.indexOf(row)), error),
    );
    if (note !== undefined) notes.push(note);
    context.seams.reach('take-back:before-result');
    await context.db
      .updateTable('write')
      .set({ status: 'done', done_at: context.seams.now(), left, read })
      .where('token', '=', row.token)
      .execute();
  }
  await release(context, item, notes);
}

/** Items that are being taken back, and that nobody moves at the moment; each is claimed for it. */
export async function claimTakingBack({ commits }: EngineContext): Promise<string[]> {
  return commits.run(async (trx) => {
    const rows = await trx
      .updateTable('item')
      .set({ claimed: 1 })
      .where('claimed', '=', 0)
      .where('id', 'in', (eb) =>
        eb.selectFrom('write').select('item_id').where('status', '=', 'intent').where('purpose', '=', 'take_back'),
      )
      .returning('id')
      .execute();
    return rows.map(({ id }) => id);
  });
}

/** How each write of an item would be undone, the last first. @throws CannotTakeBack */
async function planUndoing(
  context: EngineContext,
  item: ItemRow,
): Promise<{ readonly row: WriteRow; readonly undoing: Undoing }[]> {
  const state = JSON.parse(item.item_state) as ItemState;
  const version = await context.workflows.version(item.workflow_id, item.version);
  const undoings: { row: WriteRow; undoing: Undoing }[] = [];
  // Those of a "for each" have their turn in their id.
  for (const { id, step } of [...layOut(version.content, state.values)].reverse()) {
    const result = state.steps[id];
    if (!isPlaced(step) || result?.kind !== 'written' || result.outcome === 'same') continue;
    if (step.target?.described.sentTo) {
      // In a trial it went to whoever tried.
      if (state.instead !== undefined) continue;
      throw new CannotTakeBack('What has gone out can’t be taken back. Nothing was changed.');
    }
    const row = await lastDone(context.db, item.id, id);
    if (!row) throw new CannotTakeBack('It is no longer known what was written. Nothing was taken back.');
    if (context.connections.accountOf(row.connection) !== row.account) throw new CannotTakeBack(elsewhere);
    undoings.push({ row, undoing: undoingOf(row, result, step.target?.described.fields ?? []) });
  }
  return undoings;
}

function undoingOf(row: WriteRow, result: Extract<StepResult, { kind: 'written' }>, fields: readonly Field[]): Undoing {
  if (result.id === '')
    throw new CannotTakeBack(
      'It isn’t known which record was made: the app never said, and nobody chose it. Remove it in the app itself.',
    );
  const refused = result.changes.filter((change) => {
    if (result.outcome === 'new') return false;
    const field = fieldAt(fields, change.path) ?? change;
    return saysNo(field, change.after) && !saysNo(field, change.before);
  });
  const back = result.changes.filter((change) => !refused.includes(change));
  return {
    kind: result.outcome === 'new' ? 'remove' : 'restore',
    id: result.id,
    written: writeOf(row),
    read: row.read ? (JSON.parse(row.read) as JsonRecord) : null,
    former: Object.fromEntries(back.map(({ path, before }) => [path, before])),
    ...(refused.length > 0 && { refused: refused.map(({ label }) => label) }),
  };
}

async function storeUndoing({ seams }: EngineContext, trx: Trx, row: WriteRow, undoing: Undoing): Promise<void> {
  const base = `${row.token} back`;
  const { tried } = await trx
    .selectFrom('write')
    .select((eb) => eb.fn.countAll<number>().as('tried'))
    .where('base', '=', base)
    .executeTakeFirstOrThrow();
  await trx
    .insertInto('write')
    .values({
      ...row,
      token: createHash('sha256').update(`${base} ${tried}`).digest('hex').slice(0, 40),
      base,
      purpose: 'take_back',
      status: 'intent',
      intent: JSON.stringify(undoing),
      replacement_id: null,
      at: seams.now(),
      done_at: null,
      left: null,
    })
    .execute();
}

function openUndoings(db: EngineContext['db'] | Trx, itemId: string): Promise<WriteRow[]> {
  return db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', itemId)
    .where('purpose', '=', 'take_back')
    .where('status', '=', 'intent')
    .orderBy('rowid' as never)
    .execute();
}

/** How a write was undone, with what it left there. */
interface Undone extends Pick<WriteRow, 'left' | 'read'> {
  /** What a person should know of it. */
  readonly note: string | undefined;
}

async function undo(context: EngineContext, item: ItemRow, row: WriteRow): Promise<Undone> {
  const undoing = JSON.parse(row.intent) as Undoing;
  const { target } = undoing.written;
  const { connector, account } = await context.connections.opened(row.connection);
  if (account !== row.account) throw new Changed(elsewhere);
  let removed: Removed = { record: undoing.read, note: refusedNote(undoing) };
  const others = await fieldsOf(context, item, row);
  if (undoing.kind === 'restore') await restore(connector, row.token, undoing);
  else if (connector.batch) removed = (await removeRow(context, connector, row, undoing, others)) ?? removed;
  else removed = (await removeNew(connector, undoing, others)) ?? removed;
  context.seams.reach('take-back:after-send');
  const now = undoing.kind === 'remove' ? null : await connector.fetch(target.path, undoing.id);
  await context.mirrors.note({ account, path: target.path }, undoing.id, now?.record ?? null);
  await forget(context.db, { account, place: row.place, remote_id: undoing.id });
  if (undoing.kind === 'remove') await forgetLinks(context, row, undoing.id);
  const { record, note } = removed;
  if (undoing.kind === 'remove') return { note, left: record ? leftGone(record) : '', read: row.read };
  return { note, left: now ? leftAs(now.record) : '', read: now ? JSON.stringify(now.record) : row.read };
}

/** Said where something isn’t taken back. */
const refusedNote = ({ refused = [] }: Undoing): string | undefined =>
  refused.length === 0
    ? undefined
    : `${refused.join(', ')}: a no stays a no. Nobody’s consent is given back by taking back.`;

/** What was taken out, as it stood there. */
interface Removed {
  readonly record: JsonRecord | null;
  readonly note?: string | undefined;
}

/** The fields of the place in which people may have written since: those that the app doesn't fill by itself. */
async function fieldsOf({ workflows }: EngineContext, item: ItemRow, row: WriteRow): Promise<readonly Field[]> {
  const { content } = await workflows.version(item.workflow_id, item.version);
  const step = stepById(content, row.step);
  const described = step && isPlaced(step) ? step.target?.described : undefined;
  return (described?.fields ?? []).filter(({ path, readOnly }) => !readOnly && path !== described?.updated);
}

/** Whom nobody has written any more nobody is linked to. */
async function forgetLinks({ db }: EngineContext, row: WriteRow, id: string): Promise<void> {
  await db
    .deleteFrom('link')
    .where('to_account', '=', row.account)
    .where('to_place', '=', row.place)
    .where('to_id', '=', id)
    .execute();
}

/**
 * A row has no id of its own: it is taken out only where it can be seen to be the one that was written.
 * Undefined where it was taken out before.
 */
async function removeRow(
  context: EngineContext,
  connector: Connector,
  row: WriteRow,
  undoing: Undoing,
  others: readonly Field[],
): Promise<Removed | undefined> {
  const { id, written, read, isAsked } = undoing;
  const { path } = written.target;
  const there = await rowAsWritten(connector, path, id, written, read);
  if (there) expectUntouched(written, there.record, read, others);
  if (!there) {
    if (isAsked) return undefined;
    throw new Changed('The row isn’t there any more as it was written.');
  }
  const asked: Undoing = { ...undoing, isAsked: true };
  await context.commits.run((trx) =>
    trx
      .updateTable('write')
      .set({ intent: JSON.stringify(asked) })
      .where('token', '=', row.token)
      .execute(),
  );
  return { record: there.record, note: await connector.remove(path, there.id, there.record) };
}

async function removeNew(
  connector: Connector,
  { id, written, read }: Undoing,
  others: readonly Field[],
): Promise<Removed | undefined> {
  const { path } = written.target;
  const there = await connector.fetch(path, id);
  if (!there) return undefined;
  expectUntouched(written, there.record, read, others);
  return { record: there.record, note: await connector.remove(path, id, read ?? undefined) };
}

/** The row that still holds what was written to it. @throws Changed when its place holds something else of ours */
async function rowAsWritten(
  connector: Connector,
  path: readonly string[],
  id: string,
  written: PlannedWrite,
  read: JsonRecord | null,
): Promise<{ id: string; record: JsonRecord } | undefined> {
  const there = await connector.fetch(path, id);
  if (there && holdsThen(written, there.record, read)) return there;
  if (written.key) {
    const found = await connector.find(path, written.key);
    const ours = found.filter(({ record }) => holdsThen(written, record, read));
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

async function restore(connector: Connector, token: string, { id, written, read, former }: Undoing): Promise<void> {
  const there = await connector.fetch(written.target.path, id);
  if (!there) throw new Changed('The record isn’t there any more.');
  const back: PlannedWrite = { ...written, kind: 'update', id, values: former, before: there.record };
  if (holds(back, there.record)) return;
  expectUntouched(written, there.record, read);
  await connector.update({ write: back, token });
}

/** Every field we wrote must still hold what it held then, and so must the others that would go with them. */
function expectUntouched(
  written: PlannedWrite,
  there: JsonRecord,
  read: JsonRecord | null,
  others: readonly Field[] = [],
): void {
  const path =
    changedField(written, there, read) ??
    (read && others.find(({ path }) => !isSameJson(readPointer(there, path), readPointer(read, path)))?.path);
  if (typeof path === 'string') throw new Changed(`Somebody changed ${path.slice(1)} since it was written.`);
}

const holdsThen = (written: PlannedWrite, there: JsonRecord, read: JsonRecord | null): boolean =>
  changedField(written, there, read) === undefined;

function changedField(written: PlannedWrite, there: JsonRecord, read: JsonRecord | null): string | undefined {
  return Object.entries(written.values).find(([path, sent]) => {
    const then = read ? (readPointer(read, path) ?? null) : sent;
    return !isSameValue(readPointer(there, path), then, written.types[path] ?? 'text');
  })?.[0];
}

/** What can't be undone leaves the rest as it is; what an app keeps from being told is gone on with later. */
async function leave(context: EngineContext, item: ItemRow, rest: readonly WriteRow[], error: unknown): Promise<never> {
  const said = context.connections.masked(error instanceof Error ? error.message : 'It could not be taken back.');
  const mayGoOn = isPassing(error);
  if (mayGoOn) await context.pauses.note(rest[0]?.connection ?? '', error);
  await context.commits.run(async (trx) => {
    for (const { token } of mayGoOn ? [] : rest)
      await trx.updateTable('write').set({ status: 'void' }).where('token', '=', token).execute();
    await trx.updateTable('item').set({ claimed: 0 }).where('id', '=', item.id).execute();
  });
  context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
  if (mayGoOn) throw new TakeBackWaits(`${said} Taking it back goes on by itself as soon as the app answers.`);
  if (!(error instanceof AppError)) throw error;
  throw new CannotTakeBack(error instanceof Changed ? `${said} Nothing more was taken back.` : said, { cause: error });
}

/** The record may come in again when everything is asked for: its revision is freed, and it counts as noted only. */
async function release(context: EngineContext, item: ItemRow, notes: readonly string[]): Promise<void> {
  await context.commits.run(async (trx) => {
    await trx
      .updateTable('item')
      .set({
        state: 'cancelled',
        claimed: 0,
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
      .where('intake_id', '=', item.intake_id)
      .where('source_id', '=', item.source_id)
      .execute();
    await trx
      .insertInto('journal')
      .values({
        item_id: item.id,
        at: context.seams.now(),
        kind: 'taken_back',
        step: null,
        content: JSON.stringify({ notes }),
      })
      .execute();
    await releaseBehind(trx, item);
  });
  context.events.tell({ topic: 'item', workflow: item.workflow_id, id: item.run_id });
}
