import { harmless, type JsonRecord, recordTitle, toText } from '@golden/core';
import Papa from 'papaparse';
import { rowsOfGiven } from '../../building/given-file.ts';
import type { DuplicateSearchTable } from '../../db/schema.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { SearchedRecord, SearchField, Settlement } from '../../matching/duplicates.ts';
import type { MergeStep } from '../../matching/merges.ts';
import { retryAsking } from '../../matching/retry-asking.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { duplicatesRoutes } from './routes.ts';

/** A group that is being merged is settled when its merge has ended, not before. */
const unsettled = ['open', 'merging'] as const;

/** Searches for duplicates, and what was merged. */
export function duplicatesHandlers(services: Services) {
  const { db, connections, duplicates, mirrors } = services;
  const searchRow = async (id: string) => {
    const row = await db.selectFrom('duplicate_search').selectAll().where('id', '=', id).executeTakeFirst();
    if (!row) throw new NotPossible('This search isn’t there any more.');
    return row;
  };
  return {
    'GET /api/duplicates': async () => {
      const rows = await db
        .selectFrom('duplicate_search')
        .selectAll()
        .orderBy('started_at', 'desc')
        .limit(50)
        .execute();
      return Promise.all(rows.map((row) => viewSearch(services, row)));
    },
    'POST /api/duplicates': async ({ body }) => {
      if (body.kind === 'place')
        return { id: await duplicates.begin({ kind: 'place', place: body.place, labels: body.labels }, body.kinds) };
      const { columns, rows } = await rowsOfGiven(body.name, Buffer.from(body.bytes, 'base64'));
      const records = rows.map(({ number, record }) => ({ id: String(number), record }));
      return { id: await duplicates.begin({ kind: 'file', name: body.name, columns, records }, body.kinds) };
    },
    'GET /api/duplicates/:id': async ({ params }) => {
      const row = await searchRow(params.id);
      return {
        ...(await viewSearch(services, row)),
        fields: JSON.parse(row.fields) as SearchField[],
        canMerge: row.connection !== null,
      };
    },
    'DELETE /api/duplicates/:id': async ({ params }) => {
      const { state } = await searchRow(params.id);
      if (state === 'running') await duplicates.stop(params.id);
      else await db.deleteFrom('duplicate_search').where('id', '=', params.id).execute();
      return done;
    },
    'GET /api/duplicates/:id/groups': async ({ params, query }) => {
      const search = await searchRow(params.id);
      let rows = db.selectFrom('duplicate_group').selectAll().where('search_id', '=', params.id).orderBy('at');
      if (query.state) rows = rows.where('state', query.state === 'open' ? 'in' : 'not in', unsettled);
      const connector = search.connection
        ? await connections.connector(search.connection).catch(() => undefined)
        : undefined;
      const path = search.place ? (JSON.parse(search.place) as string[]) : [];
      const found = await rows.offset(query.from).limit(query.limit).execute();
      return Promise.all(
        found.map(async (row) => {
          const records = JSON.parse(row.records) as SearchedRecord[];
          const links = await duplicates.linkCounts(row.id);
          const settled = row.settled ? (JSON.parse(row.settled) as Settlement) : undefined;
          return {
            id: row.id,
            probability: row.probability,
            isAsked: row.is_asked === 1,
            state: row.state,
            message: row.message,
            survivor: settled?.survivor ?? duplicates.proposedSurvivor(records, links) ?? null,
            records: records.map(({ id, record }) => ({
              id,
              title: recordTitle(record),
              record: { ...record },
              url: connector?.linkTo(path, id) ?? null,
              links: links.get(id) ?? 0,
            })),
          };
        }),
      );
    },
    'POST /api/duplicates/groups/:id/settle': async ({ params, body }) => {
      if (body.kind === 'different') await duplicates.keepApart(params.id);
      else {
        await duplicates.mergeGroup(params.id, { survivor: body.survivor, choices: body.choices, usual: body.usual });
        await retryAsking(services, await duplicates.idsOf(params.id));
      }
      return done;
    },
    'POST /api/duplicates/groups/:id/undo': async ({ params }) => {
      await duplicates.undo(params.id);
      return done;
    },
    'POST /api/duplicates/:id/settle-above': ({ params, body }) =>
      duplicates.mergeAbove(params.id, body.line, body.usual),
    'GET /api/merges': async () => {
      const rows = await db.selectFrom('merge').selectAll().orderBy('made_at', 'desc').limit(100).execute();
      return Promise.all(
        rows.map(async (row) => {
          const path = JSON.parse(row.place) as string[];
          const record = await mirrors.get({ connection: row.connection, path }, row.survivor);
          const steps = JSON.parse(row.steps) as MergeStep[];
          return {
            id: row.id,
            place: path,
            connectionId: row.connection,
            survivor: { id: row.survivor, title: record ? recordTitle(record) : null },
            others: steps.flatMap((step) => (step.kind === 'links' ? [step.from] : [])),
            state: row.state,
            message: row.message,
            madeAt: row.made_at,
          };
        }),
      );
    },
    'POST /api/merges/:id/undo': async ({ params }) => {
      await services.merges.undo(params.id);
      return done;
    },
    'GET /api/duplicates/:id/export': async ({ params }) => {
      const search = await searchRow(params.id);
      const groups = await db
        .selectFrom('duplicate_group')
        .selectAll()
        .where('search_id', '=', params.id)
        .orderBy('at')
        .execute();
      const fields = JSON.parse(search.fields) as SearchField[];
      const rows = groups.flatMap((group, at) =>
        (JSON.parse(group.records) as SearchedRecord[]).map(({ id, record }) => ({
          group: at + 1,
          probability: group.probability.toFixed(4),
          verdict: group.is_asked === 1 ? 'ask' : 'same',
          settled: group.state === 'open' ? '' : group.state,
          id: harmless(id),
          ...Object.fromEntries(
            fields.map(({ path, label }) => [harmless(label), harmless(toText(valueAt(record, path)))]),
          ),
        })),
      );
      const name = `duplicates of ${(JSON.parse(search.labels) as string[]).at(-1) ?? 'records'}.csv`;
      // A byte order mark lets spreadsheets read the letters as they are.
      return { name, text: `\ufeff${Papa.unparse(rows)}\r\n` };
    },
  } satisfies Handlers<typeof duplicatesRoutes>;
}

function valueAt(record: JsonRecord, path: string) {
  return path
    .split('/')
    .slice(1)
    .reduce<unknown>(
      (at, name) => (at as Record<string, unknown> | undefined)?.[name.replaceAll('~1', '/').replaceAll('~0', '~')],
      record,
    ) as never;
}

async function viewSearch({ db }: Services, row: DuplicateSearchTable) {
  const counts = await db
    .selectFrom('duplicate_group')
    .select((eb) => [
      eb.fn.countAll<number>().as('groups'),
      eb.fn.sum<number | null>(eb.case().when('state', 'in', unsettled).then(1).else(0).end()).as('open'),
    ])
    .where('search_id', '=', row.id)
    .executeTakeFirstOrThrow();
  return {
    id: row.id,
    connectionId: row.connection,
    labels: JSON.parse(row.labels) as string[],
    state: row.state,
    progress: row.progress ? JSON.parse(row.progress) : null,
    message: row.message,
    startedAt: row.started_at,
    endedAt: row.ended_at,
    figures: row.figures ? JSON.parse(row.figures) : null,
    groups: counts.groups,
    open: counts.open ?? 0,
  };
}
