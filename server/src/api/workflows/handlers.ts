import { emptyContent, unwoven } from '@golden/core';
import { withOwnInbox } from '../../arrivals/beginnings.ts';
import { placesOfFile } from '../../building/blanks.ts';
import { copyBetween } from '../../building/copies.ts';
import { newerEdition } from '../../building/editions.ts';
import { contentsOfFile, exportFolder, exportWorkflow, lookAtFile } from '../../building/files.ts';
import { inboxesInUse } from '../../doors/doors.ts';
import { NotPossible } from '../../engine/errors.ts';
import { nobodyTakesIn } from '../../handing/keep-handed.ts';
import { switchOffTogether, switchOnTogether } from '../../handing/together.ts';
import { pairWith } from '../../in-step/pairs.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { workflowRows } from '../workspace/workflow-rows.ts';
import type { workflowsRoutes } from './routes.ts';
import { viewVersions } from './view-versions.ts';
import { viewWorkflow } from './view-workflow.ts';

/** What was imported becomes drafts: one, or a folder of its own. */
async function viewImported(services: Services, { contents, folder }: Awaited<ReturnType<typeof contentsOfFile>>) {
  const made = [];
  for (const content of contents) made.push(await services.workflows.add(content, folder));
  return viewWorkflow(services, made[0]?.id ?? '');
}

/** Workflows: their drafts, folders, versions, files. */
export function workflowHandlers(services: Services) {
  const { db, workflows, engine, ready, doors, mailDoors, forms } = services;
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
        blanks: [...look.blanks],
        connections: look.connections.map((one) => ({ ...one, does: [...one.does] })),
      };
    },
    'POST /api/workflows/import': async ({ body }) =>
      viewImported(services, await contentsOfFile(services, body.text, body)),
    'POST /api/workflows/import/places': ({ body }) => placesOfFile(services, body.text, body.connections),
    'GET /api/folders/export': async ({ query }) => ({ ...(await exportFolder(services, query.folder)) }),
    'POST /api/folders/turn': async ({ body }) => {
      const ids = (await workflows.list()).filter(({ folder }) => folder === body.folder).map(({ id }) => id);
      const turned = body.isOn ? await switchOnTogether(services, ids) : await switchOffTogether(services, ids);
      return { turned };
    },
    'GET /api/ready': async () => ready.list(),
    'GET /api/ready/:id': async ({ params }) => ({ text: ready.get(params.id) }),
    'GET /api/workflows/:id/export': async ({ params }) =>
      exportWorkflow(services, unwoven((await workflows.get(params.id)).draft)),
    'POST /api/workflows/:id/duplicate': async ({ params }) => {
      const { draft, folder } = await workflows.get(params.id);
      const own = await withOwnInbox(services, unwoven(draft));
      const made = await workflows.add({ ...own, name: `${draft.name.slice(0, 110)} (copy)` }, folder);
      return viewWorkflow(services, made.id);
    },
    'GET /api/workflows/:id/stored': ({ params }) => workflows.stored(params.id),
    'PUT /api/workflows/:id/folder': async ({ params, body }) => {
      await workflows.get(params.id);
      await workflows.putInFolder(params.id, body.folder);
      return done;
    },
    'GET /api/workflows/:id/edition': async ({ params }) => ({
      newer: (await newerEdition(services, (await workflows.get(params.id)).draft)) ?? null,
    }),
    'GET /api/workflows/:id/versions': ({ params }) => viewVersions(services, params.id),
    'GET /api/workflows/:id/versions/:number': async ({ params }) => ({
      content: (await workflows.version(params.id, Number(params.number))).content,
    }),
    'DELETE /api/workflows/:id': async ({ params }) => {
      const isUnreadable = (await workflows.unreadable()).some(({ id }) => id === params.id);
      if (!isUnreadable && (await workflows.get(params.id)).isOn)
        throw new NotPossible('Switch the workflow off before you remove it.');
      const pair = await pairWith(db, params.id);
      if (pair) throw new NotPossible(`It belongs to “${pair.name}”, which keeps two places in step. End that first.`);
      const before = await inboxesInUse(workflows);
      await workflows.remove(params.id);
      const after = await inboxesInUse(workflows);
      for (const inbox of before) {
        await doors.closeUnused(inbox, after);
        await mailDoors.closeUnused(inbox, after);
        await forms.closeUnused(inbox, after);
        if (!after.has(inbox)) await nobodyTakesIn(db, inbox);
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
