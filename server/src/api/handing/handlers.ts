import { draftOfHanded, type WorkflowContent } from '@golden/core';
import { fieldsWritten } from '../../arrivals/beginnings.ts';
import { lookAt } from '../../building/copies.ts';
import { NotPossible } from '../../engine/errors.ts';
import { viewHanded } from '../../handing/handed-view.ts';
import { takesHanded, whereToHandOver } from '../../handing/receivers.ts';
import { addHandedInbox, changeNeeded } from '../../handing/start-fields.ts';
import { endsToTell } from '../../handing/together.ts';
import type { Services } from '../../services.ts';
import type { Workflow } from '../../workflows.ts';
import type { Handlers } from '../endpoint.ts';
import type { handingRoutes } from './routes.ts';

/** Handing over from workflow to workflow. */
export function handingHandlers(services: Services) {
  const { workflows } = services;
  const given = async ({ id, draft }: Pick<Workflow, 'id' | 'draft'>) => {
    const { source } = draft.start;
    if (!source || takesHanded(draft) === undefined)
      throw new NotPossible('Nothing can be handed over to this workflow: it begins in another way.');
    const { place } = await lookAt(services, { ...source, labels: [draft.name] });
    return { id, target: { ...place, labels: [draft.name] }, back: fieldsWritten(draft) };
  };
  return {
    'GET /api/workflows/:id/handing': async ({ params }) => {
      const { to, from } = await endsToTell(services, params.id);
      const shown = (ends: typeof to) => ends.map((end) => ({ ...end, lacks: [...end.lacks] }));
      return { to: shown(to), from: shown(from) };
    },
    'GET /api/workflows/:id/receivers': async ({ params }) => [...(await whereToHandOver(services, params.id))],
    'POST /api/workflows/:id/receivers/choose': async ({ body }) => given(await workflows.get(body.receiver)),
    'POST /api/workflows/:id/receivers': async ({ params, body }) => {
      const { folder } = await workflows.get(params.id);
      const inbox = await addHandedInbox(services, body.name, body.singular, body.fields);
      const { place } = await lookAt(services, { ...inbox, labels: [body.name] });
      return given(await workflows.add(draftOfHanded(place, body.name), folder));
    },
    'POST /api/workflows/:id/needed': async ({ params, body }) => {
      const { draft } = await workflows.get(params.id);
      const content: WorkflowContent = await changeNeeded(services, draft, body);
      await services.engine.samples.forget(params.id);
      return { content: { ...content } };
    },
    'GET /api/items/:id/handed': ({ params }) => viewHanded(services, params.id),
  } satisfies Handlers<typeof handingRoutes>;
}
