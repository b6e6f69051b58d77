import { Changed, type Connector, NoAnswer } from '@golden/connectors';
import type { JsonRecord } from '@golden/core';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import { ItemAccounts } from '../engine/item-accounts.ts';
import { moveSent } from '../engine/last-written.ts';
import { settleDirect } from '../engine/settle.ts';
import { savePair } from '../matching/links.ts';
import type { Undoing } from './undoing.ts';

// What was removed for good is made again from what was kept of it. Its app gives it another id.

/** A record that was made again. */
export interface MadeAgain {
  readonly id: string;
  readonly record: JsonRecord;
}

/**
 * Makes a record again, once: where that was asked for already it is found out first whether it was done.
 *
 * @param noteAsked - stores that it is about to be asked for
 * @throws AppError when it can't be made, or it isn't known whether it was
 */
export async function makeAgain(
  { seams }: Pick<EngineContext, 'seams'>,
  connector: Connector,
  row: WriteRow,
  { written, isAsked, askedAt }: Undoing,
  noteAsked: () => Promise<unknown>,
): Promise<MadeAgain> {
  const { path } = written.target;
  const create = async (): Promise<MadeAgain> => {
    await noteAsked();
    const { id, record } = await connector.create({ write: written, token: row.token });
    return asItStands(connector, path, id, record);
  };
  if (!isAsked) return create();
  const age = Math.max(0, Date.parse(seams.now()) - Date.parse(askedAt ?? row.at));
  const settled = await settleDirect(connector, { ...row, intent: JSON.stringify(written) }, age);
  switch (settled.kind) {
    case 'done':
      return asItStands(connector, path, settled.id, settled.record);
    case 'later':
      throw new NoAnswer('The app gave no answer to whether the record was made again.');
    case 'unknown':
      throw new Changed('It can’t be found out whether it was made again. Look in the app.');
    case 'stale':
      throw new Changed('There is one like it in the app now. Look whether it is the one.');
    default:
      return create();
  }
}

async function asItStands(
  connector: Connector,
  path: readonly string[],
  id: string,
  record: JsonRecord | undefined,
): Promise<MadeAgain> {
  const there = await connector.fetch(path, id);
  return { id, record: there?.record ?? record ?? {} };
}

/** What was made again is in step again with whoever it was removed for, and what both agreed on last holds. */
export async function inStepAgain(
  { workflows, commits, seams }: Pick<EngineContext, 'workflows' | 'commits' | 'seams'>,
  item: ItemRow,
  { account, place }: WriteRow,
  before: string,
  now: string,
): Promise<void> {
  const { content } = await workflows.version(item.workflow_id, item.version);
  const { source } = content.start;
  if (!source || content.removalOf === undefined) return;
  const from = { account: new ItemAccounts(item, content).source, place: source.path, id: item.source_id };
  const to = { account, path: JSON.parse(place) as string[], id: now };
  await commits.run(async (trx) => {
    await savePair(trx, seams, from, to, { origin: 'found', workflow: item.workflow_id });
    await moveSent(trx, { account, place, remote_id: before }, now);
  });
}
