import type { Selectable } from 'kysely';
import type { Trx } from '../db/group-commit.ts';
import type { LinkTable } from '../db/schema.ts';
import { forget } from '../engine/last-written.ts';
import type { Services } from '../services.ts';
import { savePair } from './links.ts';

type LinkRow = Selectable<LinkTable>;
type Parts = Pick<Services, 'commits' | 'seams'>;

/** A person says who the record is instead. Of two that are in step both lead to each other afterwards. */
export async function correctLink({ commits, seams }: Parts, link: LinkRow, toId: string): Promise<void> {
  await commits.run(async (trx) => {
    if (!(await linkBack(trx, link))) {
      await trx
        .updateTable('link')
        .set({ to_id: toId, origin: 'corrected', probability: null, made_at: seams.now() })
        .where('id', '=', link.id)
        .execute();
      return;
    }
    await cutBoth(trx, link);
    const from = { account: link.from_account, place: JSON.parse(link.from_place) as string[], id: link.from_id };
    const to = { account: link.to_account, path: JSON.parse(link.to_place) as string[], id: toId };
    // Nothing was ever agreed on with this one.
    await forget(trx, { account: to.account, place: link.to_place, remote_id: toId });
    await savePair(trx, seams, from, to, { origin: 'corrected', workflow: link.workflow_id ?? undefined });
  });
}

/** A person says that the two aren't one. Of two that are in step neither leads to the other any more. */
export async function cutLink({ commits }: Parts, id: string): Promise<void> {
  await commits.run(async (trx) => {
    const link = await trx.selectFrom('link').selectAll().where('id', '=', id).executeTakeFirst();
    if (!link) return;
    if (await linkBack(trx, link)) await cutBoth(trx, link);
    else await trx.deleteFrom('link').where('id', '=', id).execute();
  });
}

/** The link that leads back, where the two are remembered in both directions. */
const linkBack = (trx: Trx, link: LinkRow): Promise<Pick<LinkRow, 'id'> | undefined> =>
  trx
    .selectFrom('link')
    .select('id')
    .where('from_account', '=', link.to_account)
    .where('from_place', '=', link.to_place)
    .where('from_id', '=', link.to_id)
    .where('to_account', '=', link.from_account)
    .where('to_place', '=', link.from_place)
    .where('to_id', '=', link.from_id)
    .executeTakeFirst();

/** Both links of a pair, with what the two had agreed on. */
async function cutBoth(trx: Trx, link: LinkRow): Promise<void> {
  const back = await linkBack(trx, link);
  await trx
    .deleteFrom('link')
    .where('id', 'in', [link.id, ...(back ? [back.id] : [])])
    .execute();
  await forget(trx, { account: link.from_account, place: link.from_place, remote_id: link.from_id });
  await forget(trx, { account: link.to_account, place: link.to_place, remote_id: link.to_id });
}
