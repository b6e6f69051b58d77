import { linksAmong } from '../../matching/link-list.ts';
import { asItIsNow } from '../../records/as-it-is-now.ts';
import { findRecords } from '../../records/find-records.ts';
import { identitiesOf, type RecordKey } from '../../records/identities.ts';
import { notSent } from '../../records/not-sent.ts';
import { trailOf } from '../../records/trail.ts';
import type { Services } from '../../services.ts';
import type { Handlers } from '../endpoint.ts';
import type { recordsRoutes } from './routes.ts';

/** Finding a record, and what happened to it. */
export function recordsHandlers(services: Services) {
  return {
    'GET /api/records': ({ query }) => findRecords(services, query.text),
    'GET /api/records/trail': async ({ query }) => {
      const { identities, entries } = await trailOf(services, query);
      return {
        identities,
        entries,
        links: await linksAmong(services, identities),
        takers: await takersOf(services, identities),
      };
    },
    'GET /api/workflows/:id/not-sent': async ({ params, query }) => {
      const { total, reasons, rows } = await notSent(services, params.id, query.kind, query.reason, query.from);
      return { total, reasons: [...reasons], rows: [...rows] };
    },
    'GET /api/records/now': async ({ query }) => {
      const { there, fields, isMore } = await asItIsNow(services, await identitiesOf(services.db, query));
      return { there, fields: fields.map(({ label, cells }) => ({ label, cells: [...cells] })), isMore };
    },
  } satisfies Handlers<typeof recordsRoutes>;
}

/** Workflows that have seen one of these records in their source. */
async function takersOf({ db, workflows }: Services, identities: readonly RecordKey[]) {
  const takers: { id: string; name: string; sourceId: string; isOn: boolean; isSent: boolean }[] = [];
  for (const { account, place, id } of identities) {
    const rows = await db
      .selectFrom('intake')
      .innerJoin('seen', 'seen.intake_id', 'intake.id')
      .select(['intake.workflow_id', 'seen.is_taken'])
      .where('intake.account', '=', account)
      .where('intake.place', '=', place)
      .where('seen.source_id', '=', id)
      .execute();
    for (const { workflow_id, is_taken } of rows) {
      const { draft, isOn, liveVersion } = await workflows.get(workflow_id);
      takers.push({
        id: workflow_id,
        name: draft.name,
        sourceId: id,
        isOn: isOn && liveVersion !== null,
        isSent: is_taken === 1,
      });
    }
  }
  return takers;
}
