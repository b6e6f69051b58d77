import { draftOfList, withCopy } from '@golden/core';
import { copyBetween, lookAt } from '../../building/copies.ts';
import { NotPossible } from '../../engine/errors.ts';
import { firstSteps } from '../../onboarding/first-steps.ts';
import { practiceUse, startPractising, stopPractising } from '../../onboarding/practising.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import { viewWorkflow } from '../workflows/view-workflow.ts';
import type { onboardingRoutes } from './routes.ts';

/** From nothing to a first workflow: a list that is dropped, the practice apps, the first steps. */
export function onboardingHandlers(services: Services) {
  const { db, workflows, connections, lists, practice, events } = services;
  /** Keeps a list; gives the first tab of it. */
  const kept = async ({ name, bytes }: { readonly name: string; readonly bytes: string }) => {
    const { connection, file } = await lists.keep(name, Buffer.from(bytes, 'base64'));
    const connector = await connections.connector(connection);
    const [tab] = (await connector.places([file])) ?? [];
    if (!tab) throw new NotPossible(`“${name}” has no rows.`);
    return { connection, path: [file, tab.id], labels: [file, tab.label] };
  };
  return {
    'GET /api/first-steps': () => firstSteps(db, workflows),
    'POST /api/lists': async ({ body }) => {
      const place = await kept(body);
      const from = await lookAt(services, place);
      const content = draftOfList(from, (place.path[0] ?? '').replace(/\.(csv|xls[xm])$/i, ''));
      return viewWorkflow(services, (await workflows.add(content)).id);
    },
    'POST /api/lists/place': async ({ body }) => {
      const place = await kept(body);
      return { ...place, app: (await connections.get(place.connection)).name };
    },
    'POST /api/workflows/:id/where-to': async ({ params, body }) => {
      const { draft } = await workflows.get(params.id);
      if (!draft.start.source) throw new NotPossible('Choose where the records come from first.');
      const { connection, path, labels } = draft.start.source;
      const copy = await copyBetween(services, { connection, path, labels }, body.to, body.kind);
      return { content: { ...withCopy(draft, copy) } };
    },
    'GET /api/practice': async () => {
      const use = await practiceUse(services);
      return { state: practice.state, connections: [...use.connections], workflows: [...use.workflows] };
    },
    'POST /api/practice': async () => {
      const workflow = await startPractising(services);
      events.tell({ topic: 'workspace' });
      return { workflow };
    },
    'DELETE /api/practice': async () => {
      await stopPractising(services);
      events.tell({ topic: 'workspace' });
      return done;
    },
  } satisfies Handlers<typeof onboardingRoutes>;
}
