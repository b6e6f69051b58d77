import {
  type Advance,
  type ItemState,
  isPlaced,
  type Outcome,
  type StateChange,
  stepById,
  type WorkflowVersion,
} from '@golden/core';
import type { Insertable } from 'kysely';
import { relayRecord } from '../arrivals/relays.ts';
import { alreadyIn } from '../consent/once.ts';
import type { Trx } from '../db/group-commit.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemRow, JournalTable } from '../db/schema.ts';
import { saveLink, savePair } from '../matching/links.ts';
import { unclearIn } from '../matching/unclear.ts';
import type { EngineContext } from './context.ts';
import { ItemAccounts } from './item-accounts.ts';
import type { JournalLine } from './journal-lines.ts';
import { parkItem, unpark } from './parks.ts';
import { releaseBehind } from './predecessors.ts';
import type { StoredState } from './stored-state.ts';

/** An item with the version it stays on to its end. */
export interface Work {
  readonly item: ItemRow;
  readonly version: WorkflowVersion;
}

/** Why an item stands still without a person being needed, and when it goes on by itself. */
export interface Standstill {
  readonly message: string;
  /** The connection that has to answer again; null where only time has to pass. */
  readonly waitsFor: string | null;
  readonly wakeAt: string | null;
}

type StoredItem = Pick<
  ItemRow,
  'id' | 'item_state' | 'effect' | 'state' | 'claimed' | 'cause' | 'message' | 'waits_for' | 'wake_at' | 'ended_at'
>;

/** How an item is left in the data file: on its way, ended, or standing still. */
export interface Left {
  /** What was stored last: only what is new since is remembered as links. */
  readonly stored: StoredState;
  readonly next: Advance;
  readonly journal: readonly JournalLine[];
  readonly standstill?: Standstill;
  /** True while whoever moves it goes on with it. */
  readonly keepsClaim: boolean;
}

/**
 * Stores where an item stands now, with the links and journal lines that belong to it. Once nobody
 * moves it any more, what stands behind it is let go: true when something can go on by that.
 */
export async function storeItem(
  context: EngineContext,
  trx: Trx,
  { item, version }: Work,
  left: Left,
): Promise<boolean> {
  const { stored, next, journal, keepsClaim } = left;
  const before = stored.state;
  const { outcome, park } = next;
  const now = context.seams.now();
  const change = keepsClaim ? stored.change(version.content, next.state) : undefined;
  if (change) await stored.add(trx, item.id, change, next.effect);
  else {
    await stored.whole(trx, item.id);
    await setItem(trx, { id: item.id, ...rowOf(version, left, now) });
  }
  if (outcome?.kind === 'delivered') await relayRecord(trx, item, next.state, now);
  if (park) await parkItem(context, trx, item, park, await alreadyIn(trx, item, version.content));
  else if (before.phase === 'parked' && next.state.phase !== 'parked') await unpark(trx, item.id);
  await saveNewLinks(context, trx, { item, version }, before, next.state, change);
  // What was asked is kept beside what was decided: weights learn from both.
  const asked = outcome?.kind === 'unsettled' ? unclearIn(next.state) : [];
  const lines = [...journal, ...asked.map(({ step, result }) => ({ kind: 'unclear', step, content: result }))];
  for (const { kind, step, content } of lines) {
    const text = JSON.stringify(context.redaction.cleanAnswer(content));
    await insertLine(trx, { item_id: item.id, at: now, kind, step, content: text });
  }
  return keepsClaim ? false : releaseBehind(trx, item);
}

/** What an item's row says of where it stands. */
function rowOf(version: WorkflowVersion, { next, standstill, keepsClaim }: Left, now: string): Omit<StoredItem, 'id'> {
  const { outcome, park } = next;
  const isConnection = outcome?.kind === 'unsettled' && outcome.cause === 'connection';
  return {
    item_state: JSON.stringify(next.state),
    effect: next.effect ? JSON.stringify(next.effect) : null,
    state: outcome?.kind ?? (standstill || park ? 'waiting' : 'running'),
    claimed: keepsClaim ? 1 : 0,
    cause: outcome?.kind === 'unsettled' ? outcome.cause : null,
    message: standstill?.message ?? park?.message ?? (messageOf(outcome) || null),
    waits_for: standstill?.waitsFor ?? (isConnection ? connectionOf(version, outcome.step) : null),
    wake_at: standstill?.wakeAt ?? null,
    ended_at: outcome ? now : null,
  };
}

const setItem = prepared((trx, { id, ...values }: StoredItem) =>
  trx.updateTable('item').set(values).where('id', '=', id),
);

const insertLine = prepared((trx, line: Insertable<JournalTable>) => trx.insertInto('journal').values(line));

/**
 * Remembers the matches that this transition has settled, with the state that rests on them. A match
 * that stood before isn't remembered again: a person may have corrected it since.
 *
 * @param change - what has changed between the two, where that is known
 */
export async function saveNewLinks(
  { seams }: Pick<EngineContext, 'seams'>,
  trx: Trx,
  { item, version }: Work,
  before: ItemState,
  state: ItemState,
  change?: StateChange,
): Promise<void> {
  for (const [id, result] of Object.entries(change?.steps ?? state.steps)) {
    if ((result?.kind !== 'found' && result?.kind !== 'written') || !result.link) continue;
    const known = before.steps[id];
    if (known === result || JSON.stringify(known) === JSON.stringify(result)) continue;
    const step = stepById(version.content, id);
    if (!step || !isPlaced(step) || !step.target || result.id === '') continue;
    const how = result.by?.how;
    const isNew = result.kind === 'written' && result.outcome === 'new';
    const origin = isNew ? 'created' : how === 'chosen' ? 'chosen' : 'found';
    if (how === 'link') continue;
    const accounts = new ItemAccounts(item, version.content);
    const from = accounts.linkEnd(result.link);
    const to = { account: accounts.of(step.target.connection), path: step.target.path, id: result.id };
    const note = { origin, workflow: item.workflow_id, probability: result.by?.probability } as const;
    if (version.content.inStep?.step === id) await savePair(trx, seams, from, to, note);
    else await saveLink(trx, seams, from, to, note);
  }
}

function messageOf(outcome: Outcome | undefined): string {
  if (outcome?.kind === 'unsettled') return outcome.message;
  if (outcome?.kind === 'left_out') return outcome.why;
  return outcome?.kind === 'dismissed' ? outcome.reason : '';
}

/** The connection that a step writes through. */
function connectionOf(version: WorkflowVersion, stepId: string): string | null {
  const step = stepById(version.content, stepId);
  // What has waited is read anew in its source.
  if (step?.kind === 'wait') return version.content.start.source?.connection ?? null;
  return step && isPlaced(step) ? (step.target?.connection ?? null) : null;
}
