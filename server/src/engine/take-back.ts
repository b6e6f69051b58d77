import { createHash } from 'node:crypto';
import { AppError, Changed, type Connector } from '@golden/connectors';
import type { JsonRecord } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import { isIntentOpen } from '../db/item-states.ts';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import { dropNotTakenIn, handedItems } from '../handing/take-back-handed.ts';
import { holdUndone } from '../in-step/hold-undone.ts';
import { changedWords, fieldsOf, type Standing, standingOf } from '../undo/as-written.ts';
import { inStepAgain, makeAgain } from '../undo/make-again.ts';
import {
  CannotTakeBack,
  elsewhere,
  type PlannedUndoing,
  planUndoing,
  type Undoing,
  type UndoPlan,
} from '../undo/undoing.ts';
import type { EngineContext } from './context.ts';
import { forget } from './last-written.ts';
import { leftAs, leftGone } from './own-writes.ts';
import { isPassing } from './pauses.ts';
import { releaseBehind } from './predecessors.ts';

/** Taking back is held up by an app that doesn't answer; it goes on by itself. */
export class TakeBackWaits extends Error {
  override readonly name = 'TakeBackWaits';
}

/** What is wanted besides. */
export interface TakeBackWish {
  /** True where what has gone out to somebody stays sent, and the rest goes back. */
  readonly leavesSent?: boolean;
}

/**
 * Undoes what one item wrote: new records are removed, changed ones get their former values back, removed ones are made
 * again,
 * each only while all of them still are as they were written. How each is undone is stored first, so that it is
 * gone on with after a crash. The record counts as not taken in afterwards.
 * @throws CannotTakeBack when it isn't known which record it is, or somebody changed it meanwhile
 * @throws TakeBackWaits when an app doesn't answer now
 */
export async function takeBack(context: EngineContext, itemId: string, wish: TakeBackWish = {}): Promise<void> {
  const item = await context.db.selectFrom('item').selectAll().where('id', '=', itemId).executeTakeFirst();
  if (!item || item.state === 'undone') throw new CannotTakeBack('There is nothing to take back.');
  const plans = await planAll(context, await withHanded(context, item));
  if (!wish.leavesSent && plans.some(({ sent }) => sent > 0))
    throw new CannotTakeBack('What has gone out can’t be taken back. Nothing was changed.');
  // Nothing of it goes back where a part of it can't: no record is left half.
  const isOne = plans.reduce((sum, { undoings }) => sum + undoings.length, 0) < 2;
  if (!isOne) for (const { item: one, undoings } of plans) await expectAsWritten(context, one, undoings);
  await context.commits.run(async (trx) => {
    for (const { item: one, undoings } of plans) {
      await claimForTakingBack(trx, one);
      for (const { row, undoing } of undoings) await storeUndoing(context, trx, row, undoing);
    }
    await dropNotTakenIn(trx, itemId);
  });
  context.seams.reach('take-back:after-store');
  for (const [at, { item: one }] of plans.entries()) {
    await goOnTakingBack(context, one.id).catch(async (error: unknown) => {
      await letGo(context, plans.slice(at + 1), error instanceof TakeBackWaits);
      throw error;
    });
  }
}

/** An item with what it handed over, which goes back before what it wrote itself: the last first. */
export async function withHanded({ db }: Pick<EngineContext, 'db'>, item: ItemRow): Promise<ItemRow[]> {
  return [...(await handedItems(db, item.id)).reverse(), item];
}

interface Plan extends UndoPlan {
  readonly item: ItemRow;
}

/** How each of several items would be undone. @throws CannotTakeBack when it isn't known what one of them wrote */
export async function planAll(
  context: Pick<EngineContext, 'db' | 'workflows' | 'connections'>,
  items: readonly ItemRow[],
): Promise<Plan[]> {
  const plans: Plan[] = [];
  for (const item of items) if (item.state !== 'undone') plans.push({ item, ...(await planUndoing(context, item)) });
  return plans;
}

/** @throws CannotTakeBack where one isn't as it was written */
async function expectAsWritten(
  context: EngineContext,
  item: ItemRow,
  undoings: readonly PlannedUndoing[],
): Promise<void> {
  for (const { row, undoing } of undoings) {
    try {
      expectUntouched(await lookThere(context, item, row, undoing));
    } catch (error) {
      // What can't be asked now is asked again once it is stored, and waited for.
      if (isPassing(error)) return;
      throw error instanceof AppError ? refusalOf(context, error, 'Nothing was taken back.') : error;
    }
  }
}

/** How what is to be undone stands there now. @throws AppError */
export async function lookThere(
  context: Pick<EngineContext, 'connections' | 'workflows'>,
  item: ItemRow,
  row: WriteRow,
  undoing: Undoing,
  foreseen?: JsonRecord | null,
): Promise<Standing> {
  const { connector, account } = await context.connections.opened(row.connection);
  if (account !== row.account) throw new Changed(elsewhere);
  return standingOf(connector, undoing, await fieldsOf(context, item, row), foreseen);
}

/** @throws Changed where it isn't as it was written */
function expectUntouched(standing: Standing): void {
  if (standing.kind === 'changed') throw new Changed(changedWords(standing.fields));
  if (standing.kind === 'gone') throw new Changed('The record isn’t there any more.');
}

/** Items whose turn didn't come: they stand as they were, or are gone on with by themselves once the app answers. */
async function letGo(context: EngineContext, plans: readonly Plan[], goesOn: boolean): Promise<void> {
  await context.commits.run(async (trx) => {
    for (const { item } of plans) {
      if (!goesOn)
        for (const { token } of await openUndoings(trx, item.id))
          await trx.updateTable('write').set({ status: 'void' }).where('token', '=', token).execute();
      await trx.updateTable('item').set({ claimed: 0 }).where('id', '=', item.id).execute();
    }
  });
}

async function claimForTakingBack(trx: Trx, item: ItemRow): Promise<void> {
  const claimed = await trx
    .updateTable('item')
    .set({ claimed: 1 })
    .where('id', '=', item.id)
    .where('claimed', '=', 0)
    .where('state', 'in', ['delivered', 'unsettled', 'left_out', 'dismissed', 'cancelled'])
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
    const { note, ...undone } = await undo(context, item, row).catch((error) =>
      leave(context, item, open.slice(open.indexOf(row)), error),
    );
    if (note !== undefined) notes.push(note);
    context.seams.reach('take-back:before-result');
    await context.db
      .updateTable('write')
      .set({ status: 'done', done_at: context.seams.now(), ...undone })
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
        eb.selectFrom('write').select('item_id').where(isIntentOpen).where('purpose', '=', 'take_back'),
      )
      .returning(['id', 'seq'])
      .execute();
    // Whoever was handed something before whoever handed it over.
    return rows.sort((one, other) => other.seq - one.seq).map(({ id }) => id);
  });
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

/** How an item goes back, as far as that is stored and not done yet; in its order. */
export function openUndoings(db: EngineContext['db'] | Trx, itemId: string): Promise<WriteRow[]> {
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
  /** The id of what was made again. */
  readonly remote_id?: string;
  /** What a person should know of it. */
  readonly note: string | undefined;
}

async function undo(context: EngineContext, item: ItemRow, row: WriteRow): Promise<Undone> {
  const undoing = JSON.parse(row.intent) as Undoing;
  const { target } = undoing.written;
  const { connector, account } = await context.connections.opened(row.connection);
  const standing = await lookThere(context, item, row, undoing);
  expectUntouched(standing);
  if (undoing.kind === 'recreate') return madeAgain(context, connector, { item, row, undoing }, standing);
  const removed = await send(context, connector, row, undoing, standing);
  context.seams.reach('take-back:after-send');
  const now = undoing.kind === 'remove' ? null : await connector.fetch(target.path, undoing.id);
  await context.mirrors.note({ account, path: target.path }, undoing.id, now?.record ?? null);
  if (!(await holdUndone(context, item, row, undoing)))
    await forget(context.db, { account, place: row.place, remote_id: undoing.id });
  if (undoing.kind === 'remove') await forgetLinks(context, row, undoing.id);
  const { record, note } = removed;
  if (undoing.kind === 'remove') return { note, left: record ? leftGone(record) : '', read: row.read };
  return { note, left: now ? leftAs(now.record) : '', read: now ? JSON.stringify(now.record) : row.read };
}

/** Makes again what was removed, under an id of its own; nothing where it is there again. */
async function madeAgain(
  context: EngineContext,
  connector: Connector,
  { item, row, undoing }: { readonly item: ItemRow; readonly row: WriteRow; readonly undoing: Undoing },
  standing: Standing,
): Promise<Undone> {
  if (standing.kind !== 'as_written') return { note: 'It was there again already.', left: '', read: row.read };
  const made = await makeAgain(context, connector, row, undoing, () => noteAsked(context, row, undoing));
  context.seams.reach('take-back:after-send');
  const { target } = undoing.written;
  await context.mirrors.note({ account: row.account, path: target.path }, made.id, made.record);
  await inStepAgain(context, item, row, undoing.id, made.id);
  return { note: undefined, left: leftAs(made.record), read: JSON.stringify(made.record), remote_id: made.id };
}

/** Removes what was new, or brings the former values back; nothing where that was done before. */
async function send(
  context: EngineContext,
  connector: Connector,
  row: WriteRow,
  undoing: Undoing,
  standing: Standing,
): Promise<Removed> {
  const { kind, id, written, read, former } = undoing;
  const { path } = written.target;
  const nothing: Removed = { record: read, note: refusedNote(undoing) };
  if (standing.kind !== 'as_written') return nothing;
  const { id: thereId, record } = standing;
  if (kind === 'restore') {
    await connector.update({
      write: { ...written, kind: 'update', id, values: former, before: record },
      token: row.token,
    });
    return nothing;
  }
  // From here on a row that isn't there was taken out by us.
  if (connector.batch) await noteAsked(context, row, undoing);
  return { record, note: await connector.remove(path, thereId, connector.batch ? record : (read ?? undefined)) };
}

function noteAsked({ commits, seams }: EngineContext, row: WriteRow, undoing: Undoing): Promise<unknown> {
  const asked: Undoing = { ...undoing, isAsked: true, askedAt: seams.now() };
  return commits.run((trx) =>
    trx
      .updateTable('write')
      .set({ intent: JSON.stringify(asked) })
      .where('token', '=', row.token)
      .execute(),
  );
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

/** Whom nobody has written any more nobody is linked to. */
async function forgetLinks({ db }: EngineContext, row: WriteRow, id: string): Promise<void> {
  await db
    .deleteFrom('link')
    .where('to_account', '=', row.account)
    .where('to_place', '=', row.place)
    .where('to_id', '=', id)
    .execute();
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
  throw error instanceof AppError ? refusalOf(context, error, 'Nothing more was taken back.') : error;
}

/** What an app says against it, told as a refusal. */
function refusalOf({ connections }: EngineContext, error: AppError, left: string): CannotTakeBack {
  const said = connections.masked(error.message);
  return new CannotTakeBack(error instanceof Changed ? `${said} ${left}` : said, { cause: error });
}

/** The record may come in again when everything is asked for: its revision is freed, and it counts as noted only. */
async function release(context: EngineContext, item: ItemRow, notes: readonly string[]): Promise<void> {
  await context.commits.run(async (trx) => {
    await trx
      .updateTable('item')
      .set({
        state: 'undone',
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
