import { type Balance, checkBalance } from '@golden/core';
import { balanceOfRun, countItems } from '../api/views.ts';
import type { Services } from '../services.ts';

/** The balance of a run as it stands. */
export async function balanceNow({ db }: Services, runId: string): Promise<Balance> {
  const run = await db.selectFrom('run').selectAll().where('id', '=', runId).executeTakeFirstOrThrow();
  return balanceOfRun(run, (await countItems(db, [runId])).get(runId));
}

/** Where any run's books don't balance; none is the law. */
export async function unbalanced(services: Services): Promise<string[]> {
  const runs = await services.db.selectFrom('run').select('id').execute();
  const problems = await Promise.all(runs.map(async (run) => checkBalance(await balanceNow(services, run.id))));
  return problems.flat();
}

/** Makes a workflow live and waits for its first run. */
export async function goLive({ engine }: Services, workflowId: string): Promise<string> {
  const { run } = await engine.makeLive(workflowId);
  await engine.finish(run);
  return run;
}

/** Asks the source now and waits. */
export async function checkNow({ engine }: Services, workflowId: string): Promise<string> {
  const run = await engine.checkNow(workflowId);
  await engine.finish(run);
  return run;
}
