import type { GroupCommit } from '../db/group-commit.ts';
import type { Db } from '../db/open.ts';
import type { RefusalTable } from '../db/schema.ts';

/** Bytes of refused bodies that are kept, the newest ones; and how many refusals are listed at all. */
const [mostBytes, mostKept] = [50 * 1024 * 1024, 20_000];
/** Every so many refusals the oldest are looked at. */
const sweepEvery = 100;

/** What a door turned away, with its reason, so that a person can see why something never arrived. */
export class Refusals {
  private sinceSweep = 0;

  constructor(
    private readonly db: Db,
    private readonly commits: GroupCommit,
  ) {}

  /** Keeps one; once this resolves it outlives the process. */
  async keep(one: Omit<RefusalTable, 'seq'>): Promise<void> {
    await this.commits.run((trx) => trx.insertInto('refusal').values(one).execute());
    this.sinceSweep += 1;
    if (this.sinceSweep < sweepEvery && one.size < mostBytes / sweepEvery) return;
    this.sinceSweep = 0;
    await this.sweep();
  }

  /** Lets go of bodies beyond the newest 50 MB, and of refusals beyond the newest 20,000. */
  private async sweep(): Promise<void> {
    const rows = await this.db
      .selectFrom('refusal')
      .select((eb) => ['seq', eb.fn<number>('length', ['body']).as('bytes')])
      .orderBy('seq', 'desc')
      .execute();
    let sum = 0;
    const from = rows.find(({ bytes }) => {
      sum += bytes ?? 0;
      return sum > mostBytes;
    })?.seq;
    const last = rows[mostKept]?.seq;
    await this.commits.run(async (trx) => {
      if (from !== undefined)
        await trx
          .updateTable('refusal')
          .set({ body: null })
          .where('seq', '<=', from)
          .where('body', 'is not', null)
          .execute();
      if (last !== undefined) await trx.deleteFrom('refusal').where('seq', '<=', last).execute();
    });
  }
}
