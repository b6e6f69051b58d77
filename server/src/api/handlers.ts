import {
  addBalances,
  balanceOf,
  type Decision,
  emptyBalance,
  emptyContent,
  type ItemState,
  type PlannedWrite,
  startId,
} from '@golden/core';
import { NotPossible } from '../engine/engine.ts';
import type { Services } from '../services.ts';
import { loadSettings, saveSettings } from '../settings.ts';
import type { Handlers } from './endpoint.ts';
import type { Routes } from './routes.ts';
import { balanceOfRun, countItems, countSteps, viewItem, viewRehearsalItem, viewRun } from './views.ts';
import { workflowRows } from './workflow-rows.ts';

const done = { ok: true } as const;
const shownFirst = 5;

/** What every route does; the rules live in core and the engine. */
export function makeHandlers(services: Services): Handlers<Routes> {
  const { db, connections, workflows, engine, apps, addresses } = services;

  const viewWorkflow = async (id: string) => {
    const workflow = await workflows.get(id);
    const { newest, isDraftChanged } = await workflows.versionsOf(id);
    const trigger = await db.selectFrom('trigger_state').selectAll().where('workflow_id', '=', id).executeTakeFirst();
    return {
      id,
      content: workflow.draft,
      rev: workflow.draftRev,
      savedAt: workflow.draftAt,
      liveVersion: workflow.liveVersion,
      newestVersion: newest,
      isDraftChanged,
      isOn: workflow.isOn,
      nextAt: workflow.isOn ? (trigger?.next_at ?? null) : null,
      lastCheckedAt: trigger?.last_checked_at ?? null,
      message: trigger?.message ?? null,
    };
  };

  const usedBy = async (connectionId: string) =>
    (await workflows.list())
      .filter((one) => JSON.stringify(one.draft).includes(JSON.stringify(connectionId)))
      .map((one) => ({ id: one.id, name: one.draft.name }));

  const runRow = async (id: string) => {
    const run = await db.selectFrom('run').selectAll().where('id', '=', id).executeTakeFirst();
    if (!run)
      throw new NotPossible('This run isn’t there any more. A check that found nothing new leaves none behind.');
    return run;
  };

  return {
    'GET /api/settings': () => loadSettings(db),
    'PUT /api/settings': async ({ body }) => {
      await saveSettings(db, body);
      return loadSettings(db);
    },
    'GET /api/today': async () => {
      const rows = await workflowRows(services);
      const open = await db
        .selectFrom('item')
        .innerJoin('workflow', 'workflow.id', 'item.workflow_id')
        .select([
          'item.cause',
          'item.workflow_id',
          'item.run_id',
          'item.message',
          'item.taken_at',
          'item.waits_for',
          'workflow.draft',
        ])
        .where('item.state', '=', 'unsettled')
        .where('item.cause', '!=', 'behind')
        .orderBy('item.seq', 'desc')
        .execute();
      const groups = new Map<string, typeof open>();
      for (const item of open) {
        const name = `${item.workflow_id}|${item.cause}`;
        groups.set(name, [...(groups.get(name) ?? []), item]);
      }
      return {
        balance: rows.reduce((sum, row) => addBalances(sum, balanceOf(row.today, row.today.items)), emptyBalance),
        needs: [...groups.values()].map((items) => {
          const [first] = items as [(typeof items)[number]];
          return {
            cause: first.cause ?? ('unsure' as const),
            workflowId: first.workflow_id,
            workflow: JSON.parse(first.draft).name as string,
            runId: first.run_id,
            count: items.length,
            message: first.message ?? '',
            since: (items.at(-1) ?? first).taken_at,
            connectionId: first.waits_for,
          };
        }),
        workflows: rows,
      };
    },
    'GET /api/apps': async () =>
      apps.map((app) => ({
        id: app.id,
        title: app.title,
        holds: app.holds,
        settings: app.settings.map((setting) => ({ ...setting })),
        ...(addresses[app.id] && { screens: new URL('/', addresses[app.id]).href }),
      })),
    'GET /api/connections': () => connections.list(),
    'POST /api/connections': ({ body }) => connections.add({ ...body, key: body.key }),
    'GET /api/connections/:id': async ({ params }) => {
      const waiting = await db
        .selectFrom('item')
        .select((eb) => eb.fn.countAll<number>().as('count'))
        .where('waits_for', '=', params.id)
        .where('state', '=', 'unsettled')
        .executeTakeFirstOrThrow();
      return { ...(await connections.get(params.id)), usedBy: await usedBy(params.id), waiting: waiting.count };
    },
    'PUT /api/connections/:id': async ({ params, body }) => {
      await connections.change(params.id, body);
      await engine.retryConnection(params.id);
      return connections.get(params.id);
    },
    'DELETE /api/connections/:id': async ({ params }) => {
      const users = await usedBy(params.id);
      if (users.length > 0)
        throw new NotPossible(
          `It is used by ${users.map((one) => `“${one.name}”`).join(', ')}. Choose another connection there first.`,
        );
      await connections.remove(params.id);
      return done;
    },
    'POST /api/connections/:id/check': async ({ params }) => {
      await engine.retryConnection(params.id);
      return connections.get(params.id);
    },
    'GET /api/connections/:id/places': async ({ params, query }) => {
      const choices = await (await connections.connector(params.id)).places(pathOf(query.path));
      return choices.map((choice) => ({ ...choice }));
    },
    'GET /api/connections/:id/place': async ({ params, query }) => {
      const connector = await connections.connector(params.id);
      const at = pathOf(query.path);
      const described = await connector.describe(at);
      const page = described.can.list ? await connector.list({ path: at }) : undefined;
      return {
        described,
        holds: page && page.cursor === null ? page.records.length : null,
        first: (page?.records ?? []).slice(0, shownFirst).map((one) => one.record),
      };
    },
    'GET /api/workflows': () => workflowRows(services),
    'POST /api/workflows': async ({ body }) => {
      return viewWorkflow((await workflows.add(emptyContent(body.name))).id);
    },
    'GET /api/workflows/:id': ({ params }) => viewWorkflow(params.id),
    'DELETE /api/workflows/:id': async ({ params }) => {
      if ((await workflows.get(params.id)).isOn) throw new NotPossible('Switch the workflow off before you remove it.');
      await workflows.remove(params.id);
      return done;
    },
    'PUT /api/workflows/:id/draft': async ({ params, body }) => {
      const before = (await workflows.get(params.id)).draft.start;
      await workflows.saveDraft(params.id, body.content, body.rev);
      const after = body.content.start;
      const isSameSource =
        before.source?.connection === after.source?.connection &&
        before.source?.path.join() === after.source?.path.join();
      if (!isSameSource || before.identity !== after.identity) await engine.sources.forgetSamples(params.id);
      return viewWorkflow(params.id);
    },
    'GET /api/workflows/:id/samples': async ({ params, query }) =>
      (await engine.sources.samples(params.id, query.anew === 'yes')).map((one) => ({
        ...one,
        record: { ...one.record },
      })),
    'GET /api/workflows/:id/counts': async ({ params, query }) =>
      engine.sources.count((await workflows.get(params.id)).draft.start, query.since),
    'POST /api/workflows/:id/rehearsal': async ({ params, body }) => {
      await engine.rehearse(params.id, body.scope);
      return done;
    },
    'GET /api/workflows/:id/rehearsal': async ({ params }) => {
      const rehearsal = await db
        .selectFrom('rehearsal')
        .selectAll()
        .where('workflow_id', '=', params.id)
        .executeTakeFirst();
      if (!rehearsal) return null;
      const { draft, draftRev } = await workflows.get(params.id);
      const rows = await db
        .selectFrom('rehearsal_item')
        .select(['state', (eb) => eb.fn.countAll<number>().as('count')])
        .where('workflow_id', '=', params.id)
        .groupBy('state')
        .execute();
      const takenIn = rows.reduce((sum, row) => sum + row.count, 0);
      const counts = Object.fromEntries(rows.map((row) => [row.state, row.count]));
      return {
        scope: rehearsal.scope as 'samples',
        state: rehearsal.state,
        isOfThisDraft: rehearsal.draft_rev === draftRev,
        startedAt: rehearsal.started_at,
        endedAt: rehearsal.ended_at,
        total: rehearsal.total,
        message: rehearsal.message,
        balance: balanceOf({ inSource: takenIn, notedEarlier: 0, takenIn }, counts),
        writes: await countSteps(db, 'rehearsal_item', { column: 'workflow_id', id: params.id }, draft),
      };
    },
    'DELETE /api/workflows/:id/rehearsal': async ({ params }) => {
      await engine.rehearsals.stop(params.id);
      return done;
    },
    'GET /api/workflows/:id/rehearsal/items': async ({ params, query }) => {
      let rows = db.selectFrom('rehearsal_item').selectAll().where('workflow_id', '=', params.id).orderBy('at');
      if (query.state) rows = rows.where('state', '=', query.state);
      return (await rows.offset(query.from).limit(query.limit).execute()).map(viewRehearsalItem);
    },
    'POST /api/workflows/:id/send-one': async ({ params, body }) => ({
      itemId: await engine.sendOne(params.id, body.sourceId),
    }),
    'POST /api/workflows/:id/live': ({ params }) => engine.makeLive(params.id),
    'POST /api/workflows/:id/off': async ({ params }) => {
      await engine.switchOff(params.id);
      return done;
    },
    'POST /api/workflows/:id/check': async ({ params }) => ({ run: await engine.checkNow(params.id) }),
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
        writes: await countSteps(db, 'item', { column: 'run_id', id: run.id }, content),
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
      await engine.decide(params.id, body as Decision);
      return done;
    },
    'POST /api/items/:id/take-newest': async ({ params }) => {
      await engine.takeNewest(params.id);
      return done;
    },
    'POST /api/items/:id/take-up': async ({ params }) => {
      await engine.takeUp(params.id);
      return done;
    },
    'POST /api/items/:id/take-back': async ({ params }) => {
      await engine.takeBack(params.id);
      return done;
    },
  };
}

const pathOf = (given: string | string[] | undefined): string[] => (given === undefined ? [] : [given].flat());

async function viewItemWhole({ db, workflows, connections }: Services, id: string) {
  const item = await db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
  if (!item) throw new NotPossible('This record isn’t there any more.');
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
  for (const step of content.steps) {
    const result = state.steps[step.id];
    if (step.kind !== 'write' || !step.target || result?.kind !== 'written' || item.state === 'cancelled') continue;
    const connector = await connections.connector(step.target.connection).catch(() => undefined);
    const link = connector?.linkTo(step.target.path, result.id);
    if (link) links[step.id] = link;
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
      writes.map((write) => [
        write.step,
        {
          sent: { ...(JSON.parse(write.intent) as PlannedWrite).values },
          read: write.read ? JSON.parse(write.read) : null,
        },
      ]),
    ),
    mayTakeBack:
      (item.state === 'delivered' || item.state === 'unsettled') &&
      Object.entries(state.steps).some(
        ([step, result]) => step !== startId && result.kind === 'written' && result.outcome !== 'same',
      ),
  };
}
