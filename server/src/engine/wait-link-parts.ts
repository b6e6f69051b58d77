import type { JsonRecord, WaitLinkKind, WokenBy } from '@golden/core';
import type { Trx } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { Sealing } from '../secrets/sealing.ts';

/** What the links of records that wait are made of. Nothing of them is stored: each is worked out from its record's id. */
export interface WaitLinkParts {
  readonly sealing: Pick<Sealing, 'markOf'>;
  /** Where the door is reached, without a path. */
  readonly base: (db: Db | Trx) => Promise<string>;
}

/** The links of a record: two end its waits, by the third a recipient unsubscribes. */
type LinkKind = WaitLinkKind | 'unsubscribe';

/** What tells a link that was made here from one that was guessed. */
export const linkMark = (sealing: WaitLinkParts['sealing'], kind: LinkKind, itemId: string): string =>
  sealing.markOf(`wait link ${kind} ${itemId}`);

/** Makes the links of items that begin now. */
export async function waitLinkMaker(
  { sealing, base }: WaitLinkParts,
  db: Db | Trx,
): Promise<(itemId: string) => JsonRecord> {
  const address = await base(db);
  const link = (kind: LinkKind, itemId: string): string =>
    `${address}/go/${kind}/${itemId}/${linkMark(sealing, kind, itemId)}`;
  return (itemId) => ({
    stop: link('stop', itemId),
    continue: link('continue', itemId),
    unsubscribe: link('unsubscribe', itemId),
  });
}

/** What a link says to whoever waits. */
export const wokenByLink = (kind: WaitLinkKind): WokenBy => ({
  kind: 'event',
  event: `${kind} link`,
  ...(kind === 'stop' && { told: { stops: 'Stopped by its stop link.' } }),
});
