import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { documentsRoutes } from './routes.ts';

/** Templates of documents. */
export function documentsHandlers({ documentTemplates }: Services) {
  return {
    'GET /api/document-templates': () => documentTemplates.list(),
    'POST /api/document-templates': ({ body }) => documentTemplates.put(body.name, Buffer.from(body.bytes, 'base64')),
    'DELETE /api/document-templates/:id': async ({ params }) => {
      await documentTemplates.remove(params.id);
      return done;
    },
  } satisfies Handlers<typeof documentsRoutes>;
}
