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

/** Time that passes at least between two looks, in milliseconds. */
const leastStep = 60_000;
/** So long is let pass at the most: what still waits then waits for a person, or for ever. */
const mostPassed = 12 * 60 * 60_000;

/** Lets everything else that is ready have its turn, so often. */
export async function turns(count: number): Promise<void> {
  for (let at = 0; at < count; at++) await new Promise((resolve) => setImmediate(resolve));
}

/** Waits for something to become true, however long that takes. */
export async function until(isTrue: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await isTrue())) await turns(1);
}

/** Lets time pass until nothing waits any more for an app: as overnight. What is parked stays so. */
export async function settled(services: Services): Promise<void> {
  const { engine, seams, db } = services;
  await engine.quiet();
  if (!(seams instanceof TestClock)) return;
  for (let passed = 0; passed < mostPassed; ) {
    const waits = await db
      .selectFrom('item')
      .select('wake_at')
      .where('state', '=', 'waiting')
      .where('wake_at', 'is not', null)
      .where('id', 'not in', (eb) => eb.selectFrom('park').select('item_id'))
      .orderBy('wake_at')
      .limit(1)
      .executeTakeFirst();
    const held = await db
      .selectFrom('run')
      .select('wake_at')
      .where('wake_at', 'is not', null)
      .orderBy('wake_at')
      .limit(1)
      .executeTakeFirst();
    const next = [waits?.wake_at, held?.wake_at].flatMap((at) => (at ? [Date.parse(at)] : []));
    if (next.length === 0) return;
    const step = Math.max(leastStep, Math.min(...next) - Date.parse(seams.now()));
    seams.pass(step);
    passed += step;
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
