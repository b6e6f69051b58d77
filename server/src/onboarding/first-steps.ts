import type { Db } from '../db/open.ts';
import type { Workflows } from '../workflows.ts';

/** The first steps of a workspace, each true once it was done. */
export interface FirstSteps {
  /** A workflow has real records on its sheet. */
  readonly hasSheet: boolean;
  readonly isRehearsed: boolean;
  /** One record was sent for real. */
  readonly isSent: boolean;
  readonly isLive: boolean;
}

/** Which of the first steps were done, by what is stored. */
export async function firstSteps(db: Db, workflows: Workflows): Promise<FirstSteps> {
  const all = await workflows.list();
  const has = async (find: Promise<object | undefined>): Promise<boolean> => (await find) !== undefined;
  return {
    hasSheet: all.some(({ draft }) => draft.start.source !== null),
    isRehearsed: await has(db.selectFrom('rehearsal').select('workflow_id').limit(1).executeTakeFirst()),
    isSent: await has(db.selectFrom('run').select('id').where('kind', '=', 'single').limit(1).executeTakeFirst()),
    isLive: all.some(({ liveVersion }) => liveVersion !== null),
  };
}
