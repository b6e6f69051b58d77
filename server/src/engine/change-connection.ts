import type { AccountAnswer } from '../accounts.ts';
import type { ConnectionInput } from '../connections.ts';
import type { Trx } from '../db/group-commit.ts';
import type { EngineContext } from './context.ts';
import { ingestStateOf } from './ingest-state.ts';

/** What a person says when a connection leads elsewhere than before. */
export interface AccountWish {
  /** Whether it is the same account, moved, or another one. */
  readonly account?: AccountAnswer | undefined;
  /** What becomes of the records that another account has already, for workflows that start from it. */
  readonly already?: 'taken' | 'noted' | undefined;
}

/**
 * Changes a connection. Gives true when it leads to another account from now on.
 * @throws AccountAsked when a person has to say first whether it does; nothing is changed then
 */
export function changeConnection(
  context: EngineContext,
  id: string,
  input: Omit<ConnectionInput, 'app'>,
  { account: answer, already }: AccountWish = {},
): Promise<boolean> {
  const onOther = begin(context, id, already);
  return isOther(context, id, () => context.connections.change(id, input, { answer, onOther }));
}

/** Takes what a person says of who is signed in now. Gives true when that is another account from now on. */
export function answerAccount(
  context: EngineContext,
  id: string,
  answer: AccountAnswer,
  already: AccountWish['already'],
): Promise<boolean> {
  return isOther(context, id, () => context.connections.answerAccount(id, answer, begin(context, id, already)));
}

async function isOther({ connections }: EngineContext, id: string, work: () => Promise<unknown>): Promise<boolean> {
  const before = connections.accountOf(id);
  await work();
  return connections.accountOf(id) !== before;
}

/** What the other account has already is taken in, or counts as known, for each workflow that starts from it. */
function begin({ workflows, seams }: EngineContext, connectionId: string, already: AccountWish['already']) {
  return async (trx: Trx, account: string): Promise<void> => {
    if (!already) return;
    for (const { id, draft, liveVersion } of await workflows.list(trx)) {
      const live = liveVersion === null ? undefined : (await workflows.readableVersion(id, liveVersion, trx))?.content;
      const { start } = live ?? draft;
      if (start.source?.connection !== connectionId) continue;
      const there = { connections: { accountOf: () => account }, seams };
      await ingestStateOf(trx, there, id, start, { kind: already === 'taken' ? 'all' : 'now' });
    }
  };
}
