import { linkedTo } from '../../matching/links.ts';
import type { MatchWorld } from '../../matching/matcher.ts';
import { apartFrom } from '../../matching/not-same.ts';
import { type Asker, type Reading, readRecord } from './reading.ts';

/** The record by the ways of a ladder. */
export const match: Reading<'match'> = (asker, effect) => asker.context.matcher.answer(effect, worldOf(asker));

/** What a run sees of the places it looks in: the apps as they are now, and what is remembered. */
function worldOf(asker: Asker): MatchWorld {
  const { context, accounts } = asker;
  return {
    read: (target, id) => readRecord(asker, target, id),
    linked: async ({ link, target: { connection, path } }) =>
      link && linkedTo(context.db, accounts.linkEnd(link), { account: accounts.of(connection), path }),
    apart: ({ connection, path }, id) => apartFrom(context.db, { account: accounts.of(connection), path }, id),
    coming: (target, ids) => context.comings.among(target, ids),
  };
}
