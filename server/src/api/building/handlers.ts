import type { SourceRecord } from '@golden/connectors';
import { type JsonRecord, recordTitle } from '@golden/core';
import { goneOf } from '../../building/gone.ts';
import { payloadFor } from '../../building/payload.ts';
import { driftsOf, swapConnection } from '../../building/places.ts';
import type { Services } from '../../services.ts';
import { asDocumentPreview } from '../documents/preview.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { buildingRoutes } from './routes.ts';

/** Records that a search shows at most. */
const mostFound = 40;

const found = ({ id, record }: SourceRecord) => ({ id, title: recordTitle(record), record: { ...record } });

/** What building needs: samples, counts, trying, drift, another connection. */
export function buildingHandlers(services: Services) {
  const { workflows, engine } = services;
  return {
    'POST /api/workflows/:id/payload': async ({ params, body }) => {
      const record = body.record as JsonRecord;
      const told = await engine.lookUp(params.id, [{ id: body.sourceId, record }]);
      const { made, document, ...payload } = await payloadFor(
        services,
        params.id,
        { ...body, record },
        told[body.sourceId],
      );
      return {
        ...payload,
        made: made ? { ...made } : null,
        document: document && asDocumentPreview(document),
      };
    },
    'GET /api/workflows/:id/samples': async ({ params, query }) =>
      (await engine.samples.of(params.id, query.anew === 'yes')).map((one) => ({ ...one, record: { ...one.record } })),
    'GET /api/workflows/:id/profile': async ({ params }) => [...(await engine.samples.profile(params.id))],
    'GET /api/workflows/:id/samples/search': async ({ params, query }) => {
      const { draft } = await workflows.get(params.id);
      return (await engine.sources.search(draft.start, query.text, mostFound)).map(found);
    },
    'POST /api/workflows/:id/samples': async ({ params, body }) => {
      const { draft } = await workflows.get(params.id);
      if (body.kind === 'chosen') await engine.samples.choose(params.id, draft.start, body.ids);
      else await engine.samples.addOwn(params.id, body.records as JsonRecord[], body.origin);
      return done;
    },
    'PUT /api/workflows/:id/samples/:sample': async ({ params, body }) => {
      await engine.samples.putOnSheet(params.id, params.sample, body.isOnSheet);
      return done;
    },
    'DELETE /api/workflows/:id/samples/:sample': async ({ params }) => {
      await engine.samples.remove(params.id, params.sample);
      return done;
    },
    'POST /api/workflows/:id/samples/listen': async ({ params }) => {
      await engine.samples.beginListening(params.id);
      return done;
    },
    'GET /api/workflows/:id/samples/heard': async ({ params }) => (await engine.samples.heard(params.id)).map(found),
    'GET /api/workflows/:id/drift': async ({ params }) =>
      (await driftsOf(services, (await workflows.get(params.id)).draft)).map((one) => ({
        ...one,
        drift: { ...one.drift, gone: [...one.drift.gone] },
      })),
    'GET /api/workflows/:id/gone': async ({ params }) => goneOf(services, (await workflows.get(params.id)).draft),
    'GET /api/workflows/:id/swap': async ({ params, query }) =>
      swapConnection(services, (await workflows.get(params.id)).draft, query.from, query.to),
    'POST /api/workflows/:id/try': async ({ params, body }) => [...(await engine.tryStep(params.id, body.step))],
    'GET /api/workflows/:id/counts': async ({ params }) => {
      const { content, locale } = await workflows.draftVersion(params.id);
      return engine.sources.count(content.start, locale.zone);
    },
  } satisfies Handlers<typeof buildingRoutes>;
}
