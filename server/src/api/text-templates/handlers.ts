import type { Services } from '../../services.ts';
import { putIntoDrafts, usesOfText } from '../../text-templates/uses.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { textTemplatesRoutes } from './routes.ts';

/** Templates: texts for several workflows. */
export function textTemplatesHandlers({ textTemplates, workflows, db }: Services) {
  return {
    'GET /api/text-templates': () => textTemplates.list(),
    'POST /api/text-templates': async ({ body }) => ({ id: await textTemplates.keep(body.name, body.text) }),
    'GET /api/text-templates/:id': async ({ params }) => {
      const text = await textTemplates.get(params.id);
      return {
        ...text,
        versions: await textTemplates.versions(params.id),
        uses: (await usesOfText({ db, workflows }, text)).map((use) => ({ ...use, lacking: [...use.lacking] })),
      };
    },
    'PUT /api/text-templates/:id': async ({ params, body }) => {
      await textTemplates.change(params.id, body.since, body.name, body.text);
      return done;
    },
    'POST /api/text-templates/:id/drafts': async ({ params, body }) => ({
      count: await putIntoDrafts(workflows, await textTemplates.get(params.id), body.workflows),
    }),
    'DELETE /api/text-templates/:id': async ({ params }) => {
      await textTemplates.remove(params.id);
      return done;
    },
  } satisfies Handlers<typeof textTemplatesRoutes>;
}
