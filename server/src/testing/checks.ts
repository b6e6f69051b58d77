import { type Balance, checkBalance } from '@golden/core';
import { balanceOfRun, countItems } from '../api/runs/views.ts';
import type { Services } from '../services.ts';
import { TestClock } from './clock.ts';

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

/** Time that passes at once between two looks, in milliseconds. */
const step = 60_000;
/** So many hours are let pass at the most: what still waits then waits for a person, or for ever. */
const mostSteps = 12 * 60;

/** Lets time pass until nothing waits any more for an app: as overnight. What is parked stays so. */
export async function settled(services: Services): Promise<void> {
  const { engine, seams, db } = services;
  await engine.quiet();
  if (!(seams instanceof TestClock)) return;
  for (let steps = 0; steps < mostSteps; steps++) {
    const waits = await db
      .selectFrom('item')
      .select('id')
      .where('state', '=', 'waiting')
      .where('wake_at', 'is not', null)
      .where('id', 'not in', (eb) => eb.selectFrom('park').select('item_id'))
      .limit(1)
      .executeTakeFirst();
    const held = await db.selectFrom('run').select('id').where('wake_at', 'is not', null).limit(1).executeTakeFirst();
    if (!waits && !held) return;
    seams.pass(step);
    await engine.tick();
    await engine.quiet();
  }
}

/** Makes a workflow live and waits for its first run. */
export async function goLive(services: Services, workflowId: string): Promise<string> {
  const { run } = await services.engine.makeLive(workflowId);
  await services.engine.finish(run);
  await settled(services);
  return run;
}

/** Asks the source now and waits. */
export async function checkNow(services: Services, workflowId: string): Promise<string> {
  const run = await services.engine.checkNow(workflowId);
  await services.engine.finish(run);
  await settled(services);
  return run;
}

/** Retries all that waits for a connection, and waits. */
export async function retryConnection(services: Services, connection: string): Promise<void> {
  await services.engine.retryConnection(connection);
  await settled(services);
}

/** A person's decision, and all that follows from it. */
export async function decide(
  services: Services,
  item: string,
  decision: Parameters<Services['engine']['decide']>[1],
): Promise<void> {
  await services.engine.decide(item, decision);
  await settled(services);
}
