import { counterparts, type ItemState, type MadeOf } from '@golden/core';
import type { ItemRow, WriteRow } from '../db/schema.ts';
import type { EngineContext } from '../engine/context.ts';
import { ItemAccounts } from '../engine/item-accounts.ts';
import { forget, keepSent } from '../engine/last-written.ts';
import { cutPair } from '../matching/links.ts';
import type { Undoing } from '../undo/undoing.ts';

/**
 * What was written to one side of a pair and undone is held: its fields are written over on neither side until a person
 * has said what holds. Where the record itself was taken out, the two aren't in step any more.
 *
 * @returns whether the write belongs to a pair
 */
export async function holdUndone(
  { workflows, commits }: Pick<EngineContext, 'workflows' | 'commits'>,
  item: ItemRow,
  row: WriteRow,
  { kind, id, former }: Undoing,
): Promise<boolean> {
  const { content } = await workflows.version(item.workflow_id, item.version);
  const paths = Object.keys(former);
  const other = counterparts(content, row.step, paths);
  if (!content.inStep || !other) return false;
  const { pair } = content.inStep;
  const otherEnd = {
    account: otherAccount(item, content, other.isHere, other.place.connection),
    place: JSON.stringify(other.place.path),
    remote_id: other.isHere ? item.source_id : writtenThere(item, content.inStep.step),
  };
  const ownEnd = { account: row.account, place: row.place, remote_id: id };
  await commits.run(async (trx) => {
    if (kind === 'remove') {
      await forget(trx, ownEnd);
      await forget(trx, otherEnd);
      await cutPair(trx, linkEnd(ownEnd), linkEnd(otherEnd));
      return;
    }
    await keepSent(trx, pair, ownEnd, held(paths));
    await keepSent(trx, pair, otherEnd, held(other.paths));
  });
  return true;
}

const held = (paths: readonly string[]): Record<string, MadeOf> =>
  Object.fromEntries(paths.map((path) => [path, { sent: null, isHeld: true }]));

function otherAccount(
  item: ItemRow,
  content: ConstructorParameters<typeof ItemAccounts>[1],
  isHere: boolean,
  connection: string,
): string {
  const accounts = new ItemAccounts(item, content);
  return isHere ? accounts.source : accounts.of(connection);
}

/** The id of the record of the other place that an item wrote to. */
function writtenThere(item: ItemRow, step: string): string {
  const result = (JSON.parse(item.item_state) as ItemState).steps[step];
  return result?.kind === 'written' ? result.id : '';
}

interface End {
  readonly account: string;
  readonly place: string;
  readonly remote_id: string;
}

const linkEnd = ({ account, place, remote_id }: End) => ({
  account,
  place: JSON.parse(place) as string[],
  id: remote_id,
});
