import { type Connector, pagesOf } from '@golden/connectors';
import type { JsonRecord } from '@golden/core';
import { foldersIn } from '../../building/folders.ts';
import { placeFromLink } from '../../building/place-link.ts';
import { takenValues } from '../../building/taken.ts';
import { usedBy } from '../../building/used-by.ts';
import { isUnsettled } from '../../db/item-states.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { connectionsRoutes } from './routes.ts';

const shownFirst = 50;

/** Connections, the places behind them, and what can be made there. */
export function connectionHandlers({ db, connections, signIns, workflows, engine }: Services) {
  return {
    'GET /api/folders': ({ query }) => foldersIn(query.at),
    'GET /api/connections': () => connections.list(),
    'POST /api/connections': ({ body }) => connections.add({ ...body, key: body.key }),
    'POST /api/sign-ins': ({ body, context }) =>
      signIns.begin(body, new URL('/api/sign-in/back', context.req.url).href),
    'GET /api/sign-ins/:state': async ({ params }) => {
      const { state, connection, message } = signIns.outcome(params.state);
      return { state, message, connection: connection ? await connections.get(connection) : null };
    },
    'GET /api/connections/:id': async ({ params }) => {
      const waiting = await db
        .selectFrom('item')
        .select((eb) => eb.fn.countAll<number>().as('count'))
        .where('waits_for', '=', params.id)
        .where(isUnsettled)
        .executeTakeFirstOrThrow();
      return {
        ...(await connections.get(params.id)),
        usedBy: await usedBy(workflows, params.id),
        waiting: waiting.count,
      };
    },
    'PUT /api/connections/:id': async ({ params, body }) => {
      const { account, already, ...input } = body;
      await engine.changeConnection(params.id, input, { account, already });
      return connections.get(params.id);
    },
    'POST /api/connections/:id/account': async ({ params, body }) => {
      await engine.answerAccount(params.id, body.account, body.already);
      return connections.get(params.id);
    },
    'DELETE /api/connections/:id': async ({ params }) => {
      const users = await usedBy(workflows, params.id);
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
    'GET /api/connections/:id/place-from-link': async ({ params, query }) => ({
      place: (await placeFromLink(await connections.connector(params.id), query.link)) ?? null,
    }),
    'POST /api/connections/:id/taken': async ({ params, body }) => ({
      taken: await takenValues(await connections.connector(params.id), body.path, body.field, body.values),
    }),
    'POST /api/connections/:id/places': async ({ params, body }) => {
      const { shape } = await connections.connector(params.id);
      if (!shape)
        throw new NotPossible('In this app, places are created in the app itself. Create it there, then look again.');
      return { path: [...(await shape.addPlace(body))] };
    },
    'POST /api/connections/:id/columns': async ({ params, body }) => {
      const { shape } = await connections.connector(params.id);
      if (!shape)
        throw new NotPossible('In this app, fields are created in the app itself. Create it there, then look again.');
      await shape.addColumns(body.path, body.names);
      return done;
    },
    'GET /api/connections/:id/place': async ({ params, query }) => {
      const connector = await connections.connector(params.id);
      const at = pathOf(query.path);
      const described = await connector.describe(at);
      const { first, holds } = described.can.list ? await countPlace(connector, at) : { first: [], holds: null };
      return {
        described,
        holds,
        first,
        newAt: connector.linkToNew?.(at) ?? null,
        canAddColumns: connector.shape !== undefined && !described.readOnlyBecause,
      };
    },
  } satisfies Handlers<typeof connectionsRoutes>;
}

const pathOf = (given: string | string[] | undefined): string[] => (given === undefined ? [] : [given].flat());

/** How much a place holds is counted up to here. */
const mostCounted = 5000;

/** The first records of a place, and how many there are; null when there are too many to count by listing. */
async function countPlace(connector: Connector, path: readonly string[]) {
  const first: JsonRecord[] = [];
  let holds = 0;
  for await (const { records, cursor } of pagesOf(connector, { path })) {
    holds += records.length;
    first.push(...records.slice(0, shownFirst - first.length).map((one) => one.record));
    if (cursor !== null && holds >= mostCounted) return { first, holds: null };
  }
  return { first, holds };
}
