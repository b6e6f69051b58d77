import type { Advance, StepResult } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { ItemRow } from '../db/schema.ts';
import { baseOf } from '../in-step/pairs.ts';
import { keepApart } from '../matching/not-same.ts';
import type { EngineContext } from './context.ts';
import type { ItemAccounts } from './item-accounts.ts';
import { keepSent } from './last-written.ts';

/**
 * Keeps what a step was done with together with the item's next state: what was sent, and of somebody
 * new that none of those who were asked about is the same.
 */
export async function keepSettled(
  { seams }: EngineContext,
  trx: Trx,
  item: ItemRow,
  accounts: ItemAccounts,
  { settled, state }: Advance,
): Promise<void> {
  if (!settled) return;
  const { step, target, id } = settled;
  const account = accounts.of(target.connection);
  const base = baseOf(accounts.workflow, item.workflow_id);
  for (const { target, id, fields } of [settled, ...(settled.also ? [settled.also] : [])]) {
    const key = { account: accounts.of(target.connection), place: JSON.stringify(target.path), remote_id: id };
    await keepSent(trx, base, key, fields);
  }
  if (state.choices[step] !== '') return;
  const refused = await lastAsked(trx, item, step);
  const pairs = refused.filter((other) => other !== id).map((other) => [id, other] as const);
  await keepApart(trx, { account, path: target.path }, pairs, seams.now());
}

/** Whom a person was asked about last, for this step. */
async function lastAsked(trx: Trx, item: ItemRow, step: string): Promise<string[]> {
  const row = await trx
    .selectFrom('journal')
    .select('content')
    .where('item_id', '=', item.id)
    .where('kind', '=', 'unclear')
    .where('step', '=', step)
    .orderBy('id', 'desc')
    .executeTakeFirst();
  const asked = row && (JSON.parse(row.content) as Extract<StepResult, { kind: 'unsettled' }>);
  return (asked?.candidates ?? []).map((candidate) => candidate.id);
}
