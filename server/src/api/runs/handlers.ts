import { balanceOf, type Decision, type ItemState, isPlaced, layOut, type PlannedWrite, startId } from '@golden/core';
import { alsoWrites } from '../../building/also-writes.ts';
import { cover, coverageOf } from '../../building/covering.ts';
import { expectMayGoLive } from '../../building/may-go-live.ts';
import { NotPossible } from '../../engine/errors.ts';
import { rehearsalCounts } from '../../engine/rehearsal-counts.ts';
import { rehearsedFingerprint } from '../../engine/rehearse.ts';
import { standsAt } from '../../engine/stored-state.ts';
import { proposedLimit } from '../../engine/surge-guard.ts';
import { switchOnTogether } from '../../handing/together.ts';
import { InSteps } from '../../in-step/in-steps.ts';
import { recordsToRepair } from '../../reconcile/repairs.ts';
import type { Services } from '../../services.ts';
import { loadSettings } from '../../settings.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { daysOf } from '../workspace/days.ts';
import { recordsToChoose } from './records-to-choose.ts';
import { changesFile, changesOfRow, rehearsedRows } from './rehearsed.ts';
import type { runsRoutes } from './routes.ts';
import { askedOf, balanceOfRun, countItems, countSteps, viewItem, viewRehearsalItem, viewRun } from './views.ts';

/** Rehearsing, going live, runs and their items. */
export function runHandlers(services: Services) {
  const { db, workflows, engine, seams } = services;
  const inSteps = new InSteps(services);

  const runRow = async (id: string) => {
    const run = await db.selectFrom('run').selectAll().where('id', '=', id).executeTakeFirst();
    if (!run)
      throw new NotPossible('This run isn’t there any more. A check that found nothing new leaves none behind.');
    return run;
  };

  return {
    'POST /api/workflows/:id/rehearsal': async ({ params, body }) => {
      await inSteps.weaveAround(params.id);
      if (body.scope === 'chosen') await engine.rehearseThese(params.id, await recordsToRepair(db, params.id));
      else await engine.rehearse(params.id, body.scope);
      return done;
    },
    'GET /api/workflows/:id/rehearsal': async ({ params }) => {
      const rehearsal = await db
        .selectFrom('rehearsal')
        .selectAll()
        .where('workflow_id', '=', params.id)
        .executeTakeFirst();
      if (!rehearsal) return null;
      const { draft } = await workflows.get(params.id);
      const { states, steps, marks } = rehearsalCounts.parse(JSON.parse(rehearsal.counts));
      const takenIn = Object.values(states).reduce((sum, count) => sum + count, 0);
      return {
        scope: rehearsal.scope as 'samples',
        state: rehearsal.state,
        isOfThisDraft: rehearsal.fingerprint === rehearsedFingerprint(draft),
        startedAt: rehearsal.started_at,
        endedAt: rehearsal.ended_at,
        total: rehearsal.total,
        message: rehearsal.message,
        balance: balanceOf({ inSource: takenIn, notedEarlier: 0, takenIn }, states),
        writes: Object.fromEntries(draft.steps.map(({ id }) => [id, steps[id] ?? {}])),
        marks,
      };
    },
    'DELETE /api/workflows/:id/rehearsal': async ({ params }) => {
      await engine.rehearsals.stop(params.id);
      return done;
    },
    'GET /api/workflows/:id/rehearsal/items': async ({ params, query }) => {
      const rows = await rehearsedRows(db, params.id, query).offset(query.from).limit(query.limit).execute();
      return rows.map(viewRehearsalItem);
    },
    'GET /api/workflows/:id/rehearsal/changes': async ({ params, query }) => {
      const { draft } = await workflows.get(params.id);
      const rows = await rehearsedRows(db, params.id, query).offset(query.from).limit(query.limit).execute();
      return rows.flatMap((row) => changesOfRow(row, draft));
    },
    'GET /api/workflows/:id/rehearsal/changes-file': async ({ params, query }) =>
      changesFile(db, params.id, (await workflows.get(params.id)).draft, query.format),
    'POST /api/workflows/:id/send-one': async ({ params, body }) => ({
      itemId: await engine.sendOne(params.id, body.sourceId, body.instead),
    }),
    'GET /api/workflows/:id/between': async ({ params }) => {
      const lies = await engine.liesBetween(params.id);
      return { ...lies, between: lies.between && { ...lies.between, titles: [...lies.between.titles] } };
    },
    'GET /api/workflows/:id/waiters': async ({ params }) => {
      const waiters = await engine.waitersFor(params.id);
      return { ...waiters, stay: [...waiters.stay] };
    },
    'GET /api/workflows/:id/not-covered': ({ params }) => coverageOf(services, params.id),
    'POST /api/workflows/:id/cover': ({ params, body }) => cover(services, params.id, body.what, body.how),
    'GET /api/workflows/:id/also-writes': async ({ params }) =>
      alsoWrites(services, params.id, (await workflows.get(params.id)).draft),
    'GET /api/workflows/:id/usual': async ({ params }) => ({ limit: await proposedLimit(db, params.id) }),
    'POST /api/workflows/:id/let-in': async ({ params, body }) => ({ run: await engine.letIn(params.id, body) }),
    'POST /api/workflows/:id/live': async ({ params, query }) => {
      await inSteps.weaveAround(params.id);
      await expectMayGoLive(services, params.id);
      const also = query.also ? await switchOnTogether(services, query.also.split(',')) : [];
      const made = await engine.makeLive(params.id, query.seen, query.overdue, query.waiting === 'goes_on');
      return { ...made, also };
    },
    'POST /api/workflows/:id/on': async ({ params, query }) => {
      await engine.switchOn(params.id, query.overdue);
      return { also: query.also ? await switchOnTogether(services, query.also.split(',')) : [] };
    },
    'GET /api/workflows/:id/days': async ({ params, query }) => {
      const { zone } = await loadSettings(db);
      return (await daysOf(db, params.id, zone, seams.now(), query.count)).map(({ day, items }) => ({
        day,
        items: { ...items },
      }));
    },
    'POST /api/workflows/:id/off': async ({ params, query }) => {
      await engine.switchOff(params.id, query.waiting === 'goes_on');
      return done;
    },
    'POST /api/workflows/:id/check': async ({ params }) => ({ run: await engine.checkNow(params.id) }),
    'GET /api/workflows/:id/records': ({ params, query }) => recordsToChoose(services, params.id, query.text),
    'POST /api/workflows/:id/these': async ({ params, body }) => ({ run: await engine.takeThese(params.id, body.ids) }),
    'GET /api/workflows/:id/runs': async ({ params }) => {
      const runs = await db
        .selectFrom('run')
        .selectAll()
        .where('workflow_id', '=', params.id)
        .orderBy('started_at', 'desc')
        .limit(200)
        .execute();
      const counts = await countItems(
        db,
        runs.map((run) => run.id),
      );
      return runs.map((run) => viewRun(run, counts.get(run.id)));
    },
    'GET /api/runs/:id': async ({ params }) => {
      const run = await runRow(params.id);
      const counts = await countItems(db, [run.id]);
      const { content } = await workflows.version(run.workflow_id, run.version);
      return {
        ...viewRun(run, counts.get(run.id)),
        balance: balanceOfRun(run, counts.get(run.id)),
        content,
        asked: await askedOf(db, run, content),
        writes: await countSteps(db, run.id, content),
      };
    },
    'GET /api/runs/:id/items': async ({ params, query }) => {
      let rows = db.selectFrom('item').selectAll().where('run_id', '=', params.id).orderBy('seq');
      if (query.state) rows = rows.where('state', '=', query.state);
      return (await rows.offset(query.from).limit(query.limit).execute()).map(viewItem);
    },
    'POST /api/runs/:id/stop': async ({ params }) => {
      await engine.stopRun(params.id);
      return done;
    },
    'GET /api/items/:id': ({ params }) => viewItemWhole(services, params.id),
    'POST /api/items/:id/decide': async ({ params, body }) => {
      await soon(engine.decide(params.id, body as Decision));
      return done;
    },
    'POST /api/items/:id/take-newest': async ({ params }) => {
      await soon(engine.takeNewest(params.id));
      return done;
    },
    'POST /api/items/:id/take-up': async ({ params }) => {
      await soon(engine.takeUp(params.id));
      return done;
    },
    'POST /api/items/:id/take-back': async ({ params, body }) => {
      await engine.takeBack(params.id, body);
      return done;
    },
  } satisfies Handlers<typeof runsRoutes>;
}

/** Milliseconds for which an answer waits to show what came of a decision; the queue goes on with it in any case. */
const patience = 4000;

/** Waits for what follows from a decision, as long as that is quick; a refusal is told in any case. */
function soon(work: Promise<void>): Promise<void> {
  work.catch(() => undefined);
  return Promise.race([work, new Promise<void>((resolve) => setTimeout(resolve, patience).unref())]);
}

async function viewItemWhole({ db, workflows, connections }: Services, id: string) {
  const row = await db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
  if (!row) throw new NotPossible('This record isn’t there any more.');
  const item = { ...row, ...(row.state === 'running' && (await standsAt(db, id))) };
  const { content } = await workflows.version(item.workflow_id, item.version);
  const journal = await db.selectFrom('journal').selectAll().where('item_id', '=', id).orderBy('id').execute();
  const writes = await db
    .selectFrom('write')
    .selectAll()
    .where('item_id', '=', id)
    .where('status', '=', 'done')
    .where('purpose', '=', 'deliver')
    .orderBy('done_at')
    .execute();
  const state = JSON.parse(item.item_state) as ItemState;
  const links: Record<string, string> = {};
  for (const { id: stepId, step } of layOut(content, state.values)) {
    const result = state.steps[stepId];
    if (!isPlaced(step) || !step.target || item.state === 'undone') continue;
    if (result?.kind !== 'written' && result?.kind !== 'found') continue;
    const connector = await connections.connector(step.target.connection).catch(() => undefined);
    const link = connector?.linkTo(step.target.path, result.id);
    if (link) links[stepId] = link;
  }
  const { source } = content.start;
  const sourceConnector = source ? await connections.connector(source.connection).catch(() => undefined) : undefined;
  return {
    ...viewItem(item),
    workflowId: item.workflow_id,
    runId: item.run_id,
    version: item.version,
    takenAt: item.taken_at,
    endedAt: item.ended_at,
    content,
    journal: journal.map((line) => ({
      at: line.at,
      kind: line.kind,
      step: line.step,
      content: JSON.parse(line.content),
    })),
    links,
    sourceLink: (source && !content.start.identity && sourceConnector?.linkTo(source.path, item.source_id)) || null,
    sent: Object.fromEntries(
      (item.emptied_at === null ? writes : []).map((write) => [
        write.step,
        {
          sent: { ...(JSON.parse(write.intent) as PlannedWrite).values },
          read: write.read ? JSON.parse(write.read) : null,
        },
      ]),
    ),
    emptiedAt: item.emptied_at,
    mayTakeBack:
      item.emptied_at === null &&
      ['delivered', 'unsettled', 'left_out', 'dismissed', 'cancelled'].includes(item.state) &&
      Object.entries(state.steps).some(
        ([step, result]) =>
          step !== startId &&
          ((result.kind === 'written' && result.outcome !== 'same') || (result.kind === 'handed' && result.count > 0)),
      ),
  };
}
