import { AppError } from '@golden/connectors';
import {
  type ChangedSince,
  type ItemState,
  isPlaced,
  type JsonRecord,
  stepById,
  type UndoKind,
  writePointer,
} from '@golden/core';
import type { ItemRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import { isPassing } from '../engine/pauses.ts';
import { lookThere, planAll, withHanded } from '../engine/take-back.ts';
import { nameOfKey } from '../records/identities.ts';
import type { RecordIndex } from '../records/record-index.ts';
import { CannotTakeBack, type PlannedUndoing, type Undoing } from './undoing.ts';
import { type UsedBy, usedSince } from './used-since.ts';

/** What is done in one place. */
interface UndoPart {
  readonly place: string;
  removes: number;
  restores: number;
  makes: number;
}

/** What undoing one record would do. */
export interface FoundToUndo {
  /** In a sentence, where it isn't plain. */
  readonly says: string;
  /** How much is removed, changed back and made again in which place: "Ledger → Retail → Customers". */
  readonly parts: readonly UndoPart[];
  /** What somebody changed since, with both values. */
  readonly fields: readonly ChangedSince[];
  readonly used: readonly UsedBy[];
}

export interface Prospect {
  readonly kind: UndoKind;
  readonly found: FoundToUndo;
}

export type UndoParts = Pick<EngineContext, 'db' | 'workflows' | 'connections'> & { readonly recordIndex: RecordIndex };

/** Records by their name (`nameOfKey`) as they will stand; null where they will be gone. */
export type Foreseen = Map<string, JsonRecord | null>;

const withFormer = (record: JsonRecord, { former }: Undoing): JsonRecord =>
  Object.entries(former).reduce((all, [path, value]) => writePointer(all, path, value), record);

const none: FoundToUndo = { says: '', parts: [], fields: [], used: [] };

/**
 * What undoing an item, with all that it handed over, would do as the apps are now. Nothing is changed.
 *
 * @param foreseen - how records will stand there once other items have gone back before; what this one leaves is added
 * @throws AppError when an app doesn't answer
 */
export async function prospectOf(parts: UndoParts, item: ItemRow, foreseen: Foreseen = new Map()): Promise<Prospect> {
  const all = await withHanded(parts, item);
  const told = (kind: UndoKind, says: string, more: Partial<FoundToUndo> = {}): Prospect => ({
    kind,
    found: { ...none, says, ...more },
  });
  if (item.state === 'undone') return told('nothing', 'Undone already.');
  const moving = all.find(({ state, claimed }) => claimed === 1 || state === 'running' || state === 'waiting');
  if (moving) return told('open', moving === item ? 'It is still on its way.' : 'What it handed over is on its way.');
  const plans = await planAll(parts, all).catch((error: unknown) => {
    if (error instanceof CannotTakeBack) return error;
    throw error;
  });
  if (plans instanceof CannotTakeBack) return told('cannot', plans.message);
  const sent = plans.reduce((sum, plan) => sum + plan.sent, 0);
  const undoings = plans.flatMap((plan) => plan.undoings.map((one) => ({ ...one, item: plan.item })));
  if (undoings.length === 0 && all.some(isTrial)) return told('back', tried);
  if (undoings.length === 0) return sent > 0 ? told('only_sent', sentWords(sent)) : told('nothing', '');
  const after = new Map(foreseen);
  for (const { item: one, row, undoing } of undoings) {
    const stays = await whyItStays(parts, one, { row, undoing }, after);
    if (stays) return told(stays.kind, stays.says, { fields: stays.fields });
  }
  for (const [key, record] of after) foreseen.set(key, record);
  const how = { parts: await partsOf(parts, undoings) };
  const own = new Set(all.map(({ id }) => id));
  const used = await usesOf(parts, undoings, (one) => own.has(one.id) || one.run_id === item.run_id);
  if (sent > 0) return told('sent', sentWords(sent), { ...how, used });
  return used.length > 0 ? told('used', '', { ...how, used }) : told('back', '', how);
}

/** Mails of a trial went to whoever tried; taken back, the record counts as not sent. */
const isTrial = ({ item_state }: ItemRow): boolean => (JSON.parse(item_state) as ItemState).instead !== undefined;
const tried = 'It was a trial: nothing has gone to anybody else, and the record counts as not sent afterwards.';

const sentWords = (sent: number): string =>
  sent === 1 ? 'What has gone out stays sent.' : `${sent} that have gone out stay sent.`;

interface Stays {
  readonly kind: 'changed' | 'gone' | 'cannot';
  readonly says: string;
  readonly fields: readonly ChangedSince[];
}

/** Why a record stays as it is there; undefined where it goes back. */
async function whyItStays(
  parts: UndoParts,
  item: ItemRow,
  { row, undoing }: PlannedUndoing,
  foreseen: Foreseen,
): Promise<Stays | undefined> {
  try {
    const connector = await parts.connections.connector(row.connection);
    if (undoing.kind === 'remove' && connector.removes?.(undoing.written.target.path) === false)
      return { kind: 'cannot', says: 'The app lets nobody remove it.', fields: [] };
    const key = nameOfKey({ account: row.account, place: row.place, id: undoing.id });
    const standing = await lookThere(parts, item, row, undoing, foreseen.get(key));
    if (standing.kind === 'gone') return { kind: 'gone', says: 'The record isn’t there any more.', fields: [] };
    if (standing.kind === 'changed') return { kind: 'changed', says: '', fields: standing.fields };
    foreseen.set(key, undoing.kind === 'remove' ? null : withFormer(standing.record ?? {}, undoing));
    return undefined;
  } catch (error) {
    // What doesn't answer now says nothing of the record.
    const saysNothing: boolean = isPassing(error);
    if (saysNothing || !(error instanceof AppError)) throw error;
    return { kind: 'changed', says: parts.connections.masked(error.message), fields: [] };
  }
}

interface OfItem extends PlannedUndoing {
  readonly item: ItemRow;
}

const counted = { remove: 'removes', restore: 'restores', recreate: 'makes' } as const;

async function partsOf(parts: UndoParts, undoings: readonly OfItem[]): Promise<FoundToUndo['parts']> {
  const byPlace = new Map<string, UndoPart>();
  for (const { item, row, undoing } of undoings) {
    const place = await placeWords(parts, item, row.step);
    const part = byPlace.get(place) ?? { place, removes: 0, restores: 0, makes: 0 };
    part[counted[undoing.kind]] += 1;
    byPlace.set(place, part);
  }
  return [...byPlace.values()];
}

async function placeWords({ db, workflows }: UndoParts, item: ItemRow, stepId: string): Promise<string> {
  const { content } = await workflows.version(item.workflow_id, item.version);
  const step = stepById(content, stepId);
  if (!step || !isPlaced(step) || !step.target) return '';
  const app = await db
    .selectFrom('connection')
    .select('name')
    .where('id', '=', step.target.connection)
    .executeTakeFirst();
  return [...(app ? [app.name] : []), ...step.target.labels].join(' → ');
}

/** Who has used what would be removed. */
async function usesOf(
  parts: UndoParts,
  undoings: readonly OfItem[],
  besides: Parameters<typeof usedSince>[2],
): Promise<UsedBy[]> {
  const used: UsedBy[] = [];
  for (const { row, undoing } of undoings)
    if (undoing.kind === 'remove')
      used.push(...(await usedSince(parts, { account: row.account, place: row.place, id: undoing.id }, besides)));
  return [...new Map(used.map((one) => [one.itemId, one])).values()];
}
