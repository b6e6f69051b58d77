import { tableFile } from '@golden/connectors';
import {
  aroundWorkflow,
  CannotCompare,
  comparableFields,
  comparedWrite,
  fieldBack,
  fillingWords,
  type Place,
  proposeReconcile,
  type ReconcileSetting,
  writeSteps,
} from '@golden/core';
import { sql } from 'kysely';
import Papa from 'papaparse';
import { copyBetween } from '../../building/copies.ts';
import type { ReconcileRow, ReconcileRowTable } from '../../db/schema.ts';
import { NotPossible } from '../../engine/errors.ts';
import { foundOf, reconcileTable } from '../../reconcile/reconcile-table.ts';
import type { ReconcileProgress, ReconcileResult } from '../../reconcile/reconciles.ts';
import { carryOutRepair, planRepair } from '../../reconcile/repairs.ts';
import { whyNotThere } from '../../reconcile/why-not-there.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { reconcileRoutes } from './routes.ts';

/** Comparisons of two places, and putting right what they find. */
export function reconcileHandlers(services: Services) {
  const { db, reconciles, duplicates } = services;
  return {
    'GET /api/reconciles': async () => {
      const rows = await db.selectFrom('reconcile').selectAll().orderBy('made_at', 'desc').limit(100).execute();
      return Promise.all(rows.map(async (row) => viewReconcile(services, row, (await reconciles.get(row.id)).setting)));
    },
    'POST /api/reconciles/propose': async ({ body }) => {
      const setting = await asked(() =>
        body.kind === 'places'
          ? proposedForPlaces(services, body.from, body.to)
          : proposedForWorkflow(services, body.workflow, body.step),
      );
      const { source, target } = comparedWrite(setting);
      const name = `${await sideName(services, source)} and ${await sideName(services, target)}`;
      return { name: name.slice(0, 120), setting, ...(await viewFields(services, setting)) };
    },
    'POST /api/reconciles': async ({ body }) => ({ id: await asked(() => reconciles.add(body.name, body.setting)) }),
    'GET /api/reconciles/:id': async ({ params }) => {
      const { row, setting } = await reconciles.get(params.id);
      const { source, target } = comparedWrite(setting);
      return {
        ...(await viewReconcile(services, row, setting)),
        setting,
        ...(await viewFields(services, setting)),
        makesThere: target.described.can.create,
        makesHere: source.described.can.create && hasWayBack(setting),
        repairs: await viewRepairs(services, params.id),
      };
    },
    'PUT /api/reconciles/:id': async ({ params, body }) => {
      await asked(() => reconciles.change(params.id, body.name, body.setting));
      return done;
    },
    'PUT /api/reconciles/:id/daily': async ({ params, body }) => {
      await reconciles.schedule(params.id, body.at);
      return done;
    },
    'POST /api/reconciles/:id/again': async ({ params }) => {
      await reconciles.look(params.id);
      return done;
    },
    'POST /api/reconciles/:id/stop': async ({ params }) => {
      await reconciles.stop(params.id);
      return done;
    },
    'DELETE /api/reconciles/:id': async ({ params }) => {
      await reconciles.remove(params.id);
      return done;
    },
    'GET /api/reconciles/:id/rows': async ({ params, query }) => {
      const { setting } = await reconciles.get(params.id);
      const { source, target } = comparedWrite(setting);
      const [leftLink, rightLink] = [await linksOf(services, source), await linksOf(services, target)];
      let rows = db.selectFrom('reconcile_row').selectAll().where('reconcile_id', '=', params.id).orderBy('at');
      if (query.kind) rows = rows.where('kind', '=', query.kind);
      if (query.field !== undefined) rows = rows.where(sql`instr(fields, ${` ${query.field} `})`, '>', 0);
      const some = await rows.offset(query.from).limit(query.limit).execute();
      const why = await whyNotThere(services, setting, some);
      return some.map((row) => {
        const { left, right, differences } = foundOf(row);
        return {
          at: row.at,
          kind: row.kind,
          title: row.title,
          left: left.map(({ id, record }) => ({ id, record: { ...record }, url: leftLink(id) })),
          right: right.map(({ id, record }) => ({ id, record: { ...record }, url: rightLink(id) })),
          differences: [...differences],
          why: why.get(row.at) ?? null,
        };
      });
    },
    'GET /api/reconciles/:id/export': async ({ params, query }) => {
      const { row, setting } = await reconciles.get(params.id);
      const { source, target } = comparedWrite(setting);
      const rows = await rowsOf(params.id);
      const { head, lines } = reconcileTable(rows, await sideName(services, source), await sideName(services, target));
      const bytes =
        query.as === 'xlsx'
          ? Buffer.from(await tableFile('Differences', head, lines))
          : Buffer.from(Papa.unparse([head, ...lines], { newline: '\r\n' }), 'utf8');
      return { name: `${row.name}.${query.as}`, bytes: bytes.toString('base64') };
    },
    'POST /api/reconciles/:id/repair': async ({ params, body }) => ({
      workflows: [...(await planRepair(services, params.id, body))],
    }),
    'POST /api/reconciles/:id/repair/carry-out': async ({ params }) => ({
      runs: [...(await carryOutRepair(services, { reconcile: params.id }))],
    }),
    'POST /api/workflows/:id/repair': async ({ params }) => {
      const [first] = await carryOutRepair(services, { workflow: params.id });
      return { run: first?.run ?? '' };
    },
    'POST /api/reconciles/:id/duplicates': async ({ params }) => {
      const { setting } = await reconciles.get(params.id);
      const { target } = comparedWrite(setting);
      const rows = (await rowsOf(params.id)).filter(({ kind }) => kind === 'doubled');
      const groups = rows.map((row) => foundOf(row).right).filter((group) => group.length > 1);
      if (groups.length === 0) throw new NotPossible('Nothing is doubled there.');
      const place = { connection: target.connection, path: target.path };
      return { id: await duplicates.adopt(place, target.labels, groups) };
    },
  } satisfies Handlers<typeof reconcileRoutes>;

  function rowsOf(id: string): Promise<ReconcileRowTable[]> {
    return db.selectFrom('reconcile_row').selectAll().where('reconcile_id', '=', id).orderBy('at').execute();
  }
}

/** What can't be compared is said to whoever asked for it. */
async function asked<T>(work: () => Promise<T> | T): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof CannotCompare) throw new NotPossible(error.message);
    throw error;
  }
}

async function proposedForPlaces(
  services: Services,
  from: Parameters<typeof copyBetween>[1],
  to: Parameters<typeof copyBetween>[2],
): Promise<ReconcileSetting> {
  const content = await copyBetween(services, from, to, 'in_step');
  const write = writeSteps(content)[0];
  return proposeReconcile(content, write?.id ?? '');
}

async function proposedForWorkflow(
  { workflows }: Services,
  id: string,
  step: string | undefined,
): Promise<ReconcileSetting> {
  const { liveVersion, draft } = await workflows.get(id);
  const content = liveVersion === null ? draft : (await workflows.version(id, liveVersion)).content;
  const writes = writeSteps(content).filter((one) => !one.isOff && one.within === undefined);
  const write = step === undefined ? writes[0] : writes.find((one) => one.id === step);
  if (!write)
    throw new NotPossible('This workflow writes no record for each of its own, so there is nothing to compare.');
  return proposeReconcile(content, write.id, id);
}

/** Where a person sees the records of a place; null where nobody can say. */
async function linksOf({ connections }: Services, place: Place): Promise<(id: string) => string | null> {
  const connector = await connections.connector(place.connection).catch(() => undefined);
  return (id) => {
    try {
      return connector?.linkTo(place.path, id) ?? null;
    } catch {
      return null;
    }
  };
}

/** What a connection is called. */
const appName = async ({ connections }: Services, id: string): Promise<string> =>
  connections.get(id).then(
    ({ name }) => name,
    () => 'a connection that is gone',
  );

/** The app and what its records are called. */
const sideName = async (services: Services, { connection, described }: Place): Promise<string> =>
  `${await appName(services, connection)} ${described.plural}`;

async function viewReconcile(services: Services, row: ReconcileRow, setting: ReconcileSetting) {
  const { source, target } = comparedWrite(setting);
  const side = async (place: Place) => ({
    app: await appName(services, place.connection),
    place: [...place.labels],
    plural: place.described.plural,
  });
  return {
    id: row.id,
    name: row.name,
    left: await side(source),
    right: await side(target),
    state: row.state,
    progress: row.progress ? (JSON.parse(row.progress) as ReconcileProgress) : null,
    message: row.message,
    startedAt: row.started_at,
    endedAt: row.ended_at,
    dailyAt: row.daily_at,
    figures: row.figures ? (JSON.parse(row.figures) as ReconcileResult) : null,
  };
}

async function viewFields({ workflows }: Services, setting: ReconcileSetting) {
  const { write } = comparedWrite(setting);
  const { fields, others } = comparableFields(setting);
  const locale = await workflows.locale(setting.content);
  const { nameOf } = aroundWorkflow(setting.content);
  const { fields: proposed } = proposeReconcile(setting.content, setting.step);
  return {
    fields: fields.map(({ path, label }) => ({
      path,
      label,
      from: write.mapping[path] ? fillingWords(nameOf, write.mapping[path], locale) : '',
      as: setting.fields[path] ?? null,
      proposed: proposed[path] ?? ('spaces' as const),
      leadsBack: fieldBack(setting, path) !== undefined,
    })),
    others: [...others],
  };
}

/** Whether anything of what is there can be brought here. */
function hasWayBack(setting: ReconcileSetting): boolean {
  return comparableFields(setting).fields.some(({ path }) => fieldBack(setting, path) !== undefined);
}

async function viewRepairs({ db, workflows }: Services, id: string) {
  const rows = await db
    .selectFrom('repair')
    .selectAll()
    .where('reconcile_id', '=', id)
    .orderBy('made_at', 'desc')
    .execute();
  return Promise.all(
    rows.map(async ({ workflow_id, ids, run_id, made_at }) => ({
      workflow: workflow_id,
      name: (await workflows.get(workflow_id)).draft.name,
      records: (JSON.parse(ids) as string[]).length,
      run: run_id,
      madeAt: made_at,
    })),
  );
}
