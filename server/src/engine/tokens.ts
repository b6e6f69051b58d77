import { createHash } from 'node:crypto';
import { canonicalText, type ItemState, startId, type WorkflowContent } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import { prepared } from '../db/prepared.ts';
import type { ItemRow } from '../db/schema.ts';
import { ItemAccounts } from './item-accounts.ts';

/** What every token of one write of one state of one record has in common. */
export function tokenBase(
  item: Pick<ItemRow, 'workflow_id' | 'accounts' | 'source_id' | 'revision'>,
  content: WorkflowContent,
  state: Pick<ItemState, 'values'>,
  step: string,
  account: string,
): string {
  const record = canonicalText(state.values[startId] ?? {});
  const from = [new ItemAccounts(item, content).source, content.start.source?.path, content.start.identity];
  return digest(
    [account, item.workflow_id, JSON.stringify(from), item.source_id, item.revision, record, step].join('\n'),
  );
}

/**
 * The token of the next attempt at a write. It is derived from what is written and never drawn, so
 * that a copy of the data file that was put back comes to the same one, and the app recognises it.
 */
export async function nextToken(trx: Trx, base: string): Promise<string> {
  const [counted] = await countTried(trx, { base });
  return digest(`${base}\n${counted?.tried ?? 0}`).slice(0, 40);
}

const countTried = prepared((trx, { base }: { base: string }) =>
  trx
    .selectFrom('write')
    .select((eb) => eb.fn.countAll<number>().as('tried'))
    .where('base', '=', base),
);

const digest = (text: string): string => createHash('sha256').update(text).digest('hex');
