import { emptyContent } from '@golden/core';
import { withOwnInbox } from '../../arrivals/beginnings.ts';
import { copyBetween } from '../../building/copies.ts';
import { contentOfFile, exportWorkflow, lookAtFile } from '../../building/files.ts';
import { inboxesInUse } from '../../doors/doors.ts';
import { NotPossible } from '../../engine/errors.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { workflowRows } from '../workspace/workflow-rows.ts';
import type { workflowsRoutes } from './routes.ts';
import { viewVersions } from './view-versions.ts';
import { viewWorkflow } from './view-workflow.ts';

/** Workflows: their drafts, folders, versions, files. */
export function workflowHandlers(services: Services) {
  const { workflows, engine, ready, doors, mailDoors, forms } = services;
  return {
    'GET /api/workflows': () => workflowRows(services),
    'POST /api/workflows': async ({ body }) => {
      return viewWorkflow(services, (await workflows.add(emptyContent(body.name))).id);
    },
    'GET /api/workflows/:id': ({ params }) => viewWorkflow(services, params.id),
    'POST /api/workflows/from-choices': async ({ body }) => {
      const content = await copyBetween(services, body.from, body.to, body.kind);
      return viewWorkflow(services, (await workflows.add(content, body.folder)).id);
    },
    'POST /api/workflows/import/look': async ({ body }) => {
      const look = await lookAtFile(services, body.text);
      return {
        ...look,
        sentences: [...look.sentences],
        connections: look.connections.map((one) => ({ ...one, does: [...one.does] })),
      };
    },
    'POST /api/workflows/import': async ({ body }) =>
      viewWorkflow(services, (await workflows.add(await contentOfFile(services, body.text, body.connections))).id),
    'GET /api/ready': async () => ready.list(),
    'GET /api/ready/:id': async ({ params }) => ready.get(params.id),
    'GET /api/workflows/:id/export': async ({ params }) =>
      exportWorkflow(services, (await workflows.get(params.id)).draft),
    'POST /api/workflows/:id/duplicate': async ({ params }) => {
      const { draft, folder } = await workflows.get(params.id);
      const own = await withOwnInbox(services, draft);
      const made = await workflows.add({ ...own, name: `${draft.name.slice(0, 110)} (copy)` }, folder);
      return viewWorkflow(services, made.id);
    },
    'GET /api/workflows/:id/stored': ({ params }) => workflows.stored(params.id),
    'PUT /api/workflows/:id/folder': async ({ params, body }) => {
      await workflows.get(params.id);
      await workflows.putInFolder(params.id, body.folder);
      return done;
    },
    'GET /api/workflows/:id/versions': ({ params }) => viewVersions(services, params.id),
    'GET /api/workflows/:id/versions/:number': async ({ params }) => ({
      content: (await workflows.version(params.id, Number(params.number))).content,
    }),
    'DELETE /api/workflows/:id': async ({ params }) => {
      const isUnreadable = (await workflows.unreadable()).some(({ id }) => id === params.id);
      if (!isUnreadable && (await workflows.get(params.id)).isOn)
        throw new NotPossible('Switch the workflow off before you remove it.');
      const before = await inboxesInUse(workflows);
      await workflows.remove(params.id);
      const after = await inboxesInUse(workflows);
      for (const inbox of before) {
        await doors.closeUnused(inbox, after);
        await mailDoors.closeUnused(inbox, after);
        await forms.closeUnused(inbox, after);
      }
      return done;
    },
    'PUT /api/workflows/:id/draft': async ({ params, body }) => {
      const before = (await workflows.get(params.id)).draft.start;
      await workflows.saveDraft(params.id, body.content, body.rev);
      const after = body.content.start;
      const isSameSource =
        before.source?.connection === after.source?.connection &&
        before.source?.path.join() === after.source?.path.join();
      const shape = (start: typeof before): string => JSON.stringify([start.identity, start.also, start.fields]);
      if (!isSameSource || shape(before) !== shape(after)) await engine.samples.forget(params.id);
      return viewWorkflow(services, params.id);
    },
  } satisfies Handlers<typeof workflowsRoutes>;
}
