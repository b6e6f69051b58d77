import { readRowsOfFile, UnreadableWorkbook } from '@golden/connectors';
import {
  harmless,
  isPlaced,
  type JsonRecord,
  profileFields,
  recordTitle,
  type StepResult,
  stepById,
  toText,
} from '@golden/core';
import Papa from 'papaparse';
import type { DuplicateSearchTable } from '../../db/schema.ts';
import { NotPossible } from '../../engine/errors.ts';
import { decideItems, matchCase, previewRule, withRule } from '../../matching/cases.ts';
import type { SearchedRecord, SearchField, Settlement } from '../../matching/duplicates.ts';
import { importLinks, listLinks } from '../../matching/link-list.ts';
import type { MergeStep } from '../../matching/merges.ts';
import { previewWeights, takeWeights } from '../../matching/weights.ts';
import type { Services } from '../../services.ts';
import type { Handlers } from '../endpoint.ts';
import type { Routes } from '../routes.ts';
import { done } from './done.ts';

/** A group that is being merged is settled when its merge has ended, not before. */
const unsettled = ['open', 'merging'] as const;

/** Deciding unclear matches, links, weights, and the duplicates of a place. */
export function matchingHandlers(services: Services) {
  const { db, workflows, engine, connections, duplicates, mirrors } = services;

  const itemRow = async (id: string) => {
    const item = await db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
    if (!item) throw new NotPossible('This record isn’t there any more.');
    return item;
  };
  const searchRow = async (id: string) => {
    const row = await db.selectFrom('duplicate_search').selectAll().where('id', '=', id).executeTakeFirst();
    if (!row) throw new NotPossible('This search isn’t there any more.');
    return row;
  };

  return {
    'GET /api/decide': () => decideItems(services),
    'GET /api/items/:id/case': async ({ params }) => (await matchCase(services, await itemRow(params.id))) ?? null,
    'POST /api/items/:id/rule': async ({ params, body }) => {
      const preview = await previewRule(services, params.id, body.candidate, body.says);
      const { text, settles } = preview;
      if (!body.take) return { text, settles, version: null };
      const { draft, draftRev, liveVersion, isOn } = await workflows.get(preview.workflowId);
      const { isDraftChanged } = await workflows.versionsOf(preview.workflowId);
      await workflows.saveDraft(preview.workflowId, withRule(draft, preview.step, preview.rule), draftRev);
      // The rule alone goes live; a draft with other changes under the hand is left to its writer.
      const goesLive = liveVersion !== null && isOn && !isDraftChanged;
      const version = goesLive ? (await engine.makeLive(preview.workflowId)).version : null;
      const own = body.says === 'same' ? body.candidate : null;
      for (const { id, candidate } of [{ id: params.id, candidate: own }, ...settles]) {
        const step = await openStepId(services, id);
        if (step === undefined) continue;
        await engine.decide(id, candidate === null ? { kind: 'new', step } : { kind: 'choose', step, id: candidate });
      }
      return { text, settles, version };
    },
    'POST /api/items/:id/merge': async ({ params, body }) => {
      const item = await itemRow(params.id);
      const { content } = await workflows.version(item.workflow_id, item.version);
      const step = stepById(content, body.step);
      if (!step || !isPlaced(step) || !step.target) throw new NotPossible('This sentence has no place any more.');
      await duplicates.mergeRecords(step.target, body.survivor, body.others);
      await engine.decide(params.id, { kind: 'choose', step: body.step, id: body.survivor });
      // Who waited because of the two has one candidate fewer now.
      await retryAsking(services, [body.survivor, ...body.others]);
      return done;
    },
    'GET /api/workflows/:id/lookups': ({ params }) => engine.lookUpSamples(params.id),
    'GET /api/workflows/:id/weights': async ({ params, query }) => {
      const preview = await previewWeights(services, params.id, query.step);
      if (!preview) return null;
      const { model: _kept, ...shown } = preview;
      return shown;
    },
    'POST /api/workflows/:id/weights': async ({ params, body }) => ({
      number: await takeWeights(services, params.id, body.step),
    }),
    'POST /api/connections/:id/identifiers': async ({ params, body }) => {
      const place = { connection: params.id, path: body.path };
      const described = await (await connections.connector(params.id)).describe(body.path);
      await mirrors.sync(place);
      const records = (await mirrors.all(place)).map(({ record }) => record);
      return {
        count: records.length,
        fields: profileFields(records, described.fields).map(({ field, filled, distinct, frequent, fitness }) => ({
          path: field.path,
          label: field.label,
          filled,
          distinct,
          shared: frequent.filter(({ count }) => count > 1).length,
          fitness,
        })),
      };
    },
    'GET /api/links': ({ query }) => listLinks(services, query.search, query.workflow),
    'PUT /api/links/:id': async ({ params, body }) => {
      const link = await db.selectFrom('link').selectAll().where('id', '=', params.id).executeTakeFirst();
      if (!link) throw new NotPossible('This link isn’t there any more.');
      const by = connections.leadingTo(link.to_account);
      if (by === undefined) throw new NotPossible('No connection leads to the account of this link any more.');
      const connector = await connections.connector(by);
      const there = await connector.fetch(JSON.parse(link.to_place), body.toId.trim());
      if (!there) throw new NotPossible(`There is no record with the id ${body.toId.trim()} in that place.`);
      await db
        .updateTable('link')
        .set({ to_id: body.toId.trim(), origin: 'corrected', probability: null, made_at: services.seams.now() })
        .where('id', '=', params.id)
        .execute();
      return done;
    },
    'DELETE /api/links/:id': async ({ params }) => {
      await db.deleteFrom('link').where('id', '=', params.id).execute();
      return done;
    },
    'POST /api/links/import': ({ body }) => importLinks(services, body.from, body.to, body.text),
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
      try {
        const { columns, rows } = await readRowsOfFile(body.name, Buffer.from(body.bytes, 'base64'));
        const records = rows.map(({ number, record }) => ({ id: String(number), record }));
        return { id: await duplicates.begin({ kind: 'file', name: body.name, columns, records }, body.kinds) };
      } catch (error) {
        if (error instanceof UnreadableWorkbook) throw new NotPossible(error.message);
        throw error;
      }
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
  } satisfies Partial<Handlers<Routes>>;
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

/** Tries those again that wait for a decision between records of which some were merged. */
async function retryAsking({ db, engine }: Services, merged: readonly string[]): Promise<void> {
  const waiting = await db
    .selectFrom('item')
    .select(['id', 'item_state'])
    .where('state', '=', 'unsettled')
    .where('cause', '=', 'unclear')
    .orderBy('seq')
    .execute();
  for (const { id, item_state } of waiting) {
    const steps = Object.values(JSON.parse(item_state).steps as Record<string, StepResult>);
    const asks = steps.some(
      (result) => result.kind === 'unsettled' && result.candidates?.some((one) => merged.includes(one.id)),
    );
    if (asks) await engine.decide(id, { kind: 'retry' });
  }
}

/** The step of a waiting item that needs a person; undefined when it waits no more. */
async function openStepId({ db }: Services, itemId: string): Promise<string | undefined> {
  const item = await db.selectFrom('item').select(['state', 'item_state']).where('id', '=', itemId).executeTakeFirst();
  if (item?.state !== 'unsettled') return undefined;
  const steps = JSON.parse(item.item_state).steps as Record<string, StepResult>;
  return Object.entries(steps).find(([, result]) => result.kind === 'unsettled')?.[0];
}
