import {
  comparedWrite,
  type ReconcileSetting,
  type RepairPlan,
  repairHere,
  repairThere,
  type WorkflowContent,
  writeSteps,
} from '@golden/core';
import { sql } from 'kysely';
import { NotPossible } from '../engine/errors.ts';
import { saveLink } from '../matching/links.ts';
import type { Services } from '../services.ts';

/** The folder of the workflows that put things right. */
export const repairFolder = 'Repairs';

type Parts = Pick<
  Services,
  'db' | 'seams' | 'connections' | 'workflows' | 'engine' | 'reconciles' | 'events' | 'lists'
>;

/**
 * Plans the repair of what a comparison found: a workflow for each direction, of just these records, rehearsed at once.
 * A plan that was made before and not carried out is replaced.
 *
 * @throws NotPossible where nothing would be changed
 */
export async function planRepair(services: Parts, reconcileId: string, plan: RepairPlan): Promise<readonly string[]> {
  const { db, reconciles, workflows, engine, seams, lists } = services;
  const { row, setting } = await reconciles.get(reconcileId);
  if (row.state === 'running')
    throw new NotPossible('The comparison is still under way. Plan the repair when it ended.');
  const legs = [
    { content: repairThere(setting, plan, `Repair: ${row.name}`), side: 'left' as const, only: plan.makesThere },
    { content: repairHere(setting, plan, `Repair back: ${row.name}`), side: 'right' as const, only: plan.makesHere },
  ];
  const made: { content: WorkflowContent; ids: string[] }[] = [];
  for (const { content, side, only } of legs) {
    if (!content) continue;
    const into = writeSteps(content)[0]?.target;
    if (into && (await lists.holds(into.connection)))
      throw new NotPossible(
        'A file that was chosen is only compared: nothing is written into it. Save what differs, and put it right there.',
      );
    const ids = await idsOf(services, reconcileId, plan, side, only);
    if (ids.length > 0) made.push({ content, ids });
  }
  if (made.length === 0)
    throw new NotPossible('Nothing would be changed so. Choose what is put right, and from where.');
  await dropPlans(services, reconcileId);
  await rememberPairs(services, reconcileId, setting);
  const planned: string[] = [];
  for (const { content, ids } of made) {
    const { id: workflow } = await workflows.add(content, repairFolder);
    const id = seams.id();
    await db
      .insertInto('repair')
      .values({
        id,
        reconcile_id: reconcileId,
        workflow_id: workflow,
        ids: JSON.stringify(ids),
        run_id: null,
        made_at: seams.now(),
      })
      .execute();
    await engine.rehearseThese(workflow, ids);
    planned.push(workflow);
  }
  services.events.tell({ topic: 'reconcile', id: reconcileId });
  return planned;
}

/**
 * Carries out what is planned for a comparison, or by one workflow: each goes live and takes in its records. Where it
 * broke off it is carried on: what is done already isn't done again. Gives the runs.
 *
 * @throws NotPossible where nothing is planned
 */
export async function carryOutRepair(
  services: Parts,
  planned: { readonly reconcile: string } | { readonly workflow: string },
): Promise<readonly { workflow: string; run: string }[]> {
  const { db, workflows, engine, events, seams } = services;
  const plans = await db
    .selectFrom('repair')
    .selectAll()
    .where(
      'reconcile' in planned ? 'reconcile_id' : 'workflow_id',
      '=',
      'reconcile' in planned ? planned.reconcile : planned.workflow,
    )
    .where('run_id', 'is', null)
    .orderBy('made_at')
    .execute();
  if (plans.length === 0) throw new NotPossible('No repair is planned. Plan it first.');
  const runs: { workflow: string; run: string }[] = [];
  for (const { id, workflow_id, ids, reconcile_id } of plans) {
    const { liveVersion } = await workflows.get(workflow_id);
    if (liveVersion === null) await engine.makeLive(workflow_id);
    seams.reach('repair:after-live');
    const run =
      (await runOf(services, workflow_id, ids)) ?? (await engine.takeThese(workflow_id, JSON.parse(ids) as string[]));
    seams.reach('repair:after-run');
    await db.updateTable('repair').set({ run_id: run }).where('id', '=', id).execute();
    runs.push({ workflow: workflow_id, run });
    events.tell({ topic: 'reconcile', id: reconcile_id });
  }
  return runs;
}

/** The run that was begun for a plan before the process ended, where one was. */
async function runOf({ db }: Parts, workflow: string, ids: string): Promise<string | undefined> {
  const wanted = JSON.stringify({ kind: 'chosen', ids: JSON.parse(ids) });
  const run = await db
    .selectFrom('run')
    .select('id')
    .where('workflow_id', '=', workflow)
    .where('wanted', '=', wanted)
    .executeTakeFirst();
  return run?.id;
}

/** The records that a workflow is to put right. @throws NotPossible where it is none for that */
export async function recordsToRepair(db: Services['db'], workflow: string): Promise<string[]> {
  const row = await db.selectFrom('repair').select('ids').where('workflow_id', '=', workflow).executeTakeFirst();
  if (!row) throw new NotPossible('This workflow doesn’t repair what a comparison found. Rehearse all of its records.');
  return JSON.parse(row.ids) as string[];
}

/** Workflows of plans that were not carried out go away with them. */
async function dropPlans({ db, workflows, engine }: Parts, reconcileId: string): Promise<void> {
  const plans = await db
    .selectFrom('repair')
    .select('workflow_id')
    .where('reconcile_id', '=', reconcileId)
    .where('run_id', 'is', null)
    .execute();
  for (const { workflow_id } of plans) {
    await engine.rehearsals.stop(workflow_id);
    await workflows.remove(workflow_id);
  }
}

/** The records of one side that a plan is about: what is only there, and pairs that differ in a field that it changes. */
async function idsOf(
  { db }: Parts,
  reconcileId: string,
  plan: RepairPlan,
  side: 'left' | 'right',
  only: boolean,
): Promise<string[]> {
  const ways = side === 'left' ? ['from_here', 'newer', 'ask'] : ['from_there', 'newer'];
  const fields = Object.entries(plan.fields).flatMap(([path, way]) => (ways.includes(way) ? [path] : []));
  const rows = await db
    .selectFrom('reconcile_row')
    .select([sql<string>`json_extract(found, ${`$.${side}[0].id`})`.as('id')])
    .where('reconcile_id', '=', reconcileId)
    .where(({ or, and, eb }) =>
      or([
        ...(only ? [eb('kind', '=', side === 'left' ? 'only_left' : 'only_right')] : []),
        ...fields.map((path) => and([eb('kind', '=', 'differ'), eb(sql`instr(fields, ${` ${path} `})`, '>', 0)])),
      ]),
    )
    .orderBy('at')
    .execute();
  return rows.map(({ id }) => String(id));
}

/** The pairs as the comparison recognised them, both ways: so each repair goes to that very record. */
async function rememberPairs(
  { db, seams, connections }: Parts,
  reconcileId: string,
  setting: ReconcileSetting,
): Promise<void> {
  const { source, target } = comparedWrite(setting);
  const here = { account: connections.accountOf(source.connection), path: source.path };
  const there = { account: connections.accountOf(target.connection), path: target.path };
  const pairs = await db
    .selectFrom('reconcile_row')
    .select([
      sql<string>`json_extract(found, '$.left[0].id')`.as('left'),
      sql<string>`json_extract(found, '$.right[0].id')`.as('right'),
    ])
    .where('reconcile_id', '=', reconcileId)
    .where('kind', '=', 'differ')
    .execute();
  for (const { left, right } of pairs) {
    const [one, other] = [String(left), String(right)];
    await saveLink(
      db,
      seams,
      { account: here.account, place: here.path, id: one },
      { ...there, id: other },
      { origin: 'found' },
    );
    await saveLink(
      db,
      seams,
      { account: there.account, place: there.path, id: other },
      { ...here, id: one },
      { origin: 'found' },
    );
  }
}
