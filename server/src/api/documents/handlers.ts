import type { JsonRecord } from '@golden/core';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { asDocumentPreview } from './preview.ts';
import type { documentsRoutes } from './routes.ts';

/** Templates of documents. */
export function documentsHandlers({ documentTemplates, documents }: Services) {
  return {
    'GET /api/document-templates': () => documentTemplates.list(),
    'POST /api/document-templates': ({ body }) => documentTemplates.put(body.name, Buffer.from(body.bytes, 'base64')),
    'GET /api/document-templates/:id/page': ({ params }) => documentTemplates.page(params.id),
    'POST /api/document-templates/preview': async ({ body }) =>
      asDocumentPreview(await documents.previewPage(body.name, body.page, body.record as JsonRecord | undefined)),
    'DELETE /api/document-templates/:id': async ({ params }) => {
      await documentTemplates.remove(params.id);
      return done;
    },
  } satisfies Handlers<typeof documentsRoutes>;
}
