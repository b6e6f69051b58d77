import { proposeReconcile, unwoven } from '@golden/core';
import { InSteps } from '../../in-step/in-steps.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { inStepRoutes } from './routes.ts';
import { viewPair, viewSummary } from './view-pair.ts';

/** Two places that are kept in step both ways. */
export function inStepHandlers(services: Services) {
  const inSteps = new InSteps(services);
  return {
    'GET /api/in-step': async () => {
      const rows = await inSteps.list();
      return Promise.all(rows.map(async ({ id }) => viewSummary(services, await inSteps.get(id))));
    },
    'POST /api/in-step': async ({ body }) => ({
      id: body.kind === 'places' ? await inSteps.add(body.from, body.to) : await inSteps.addTo(body.workflow),
    }),
    'GET /api/in-step/:id': async ({ params }) => viewPair(services, await inSteps.get(params.id)),
    'PUT /api/in-step/:id': async ({ params, body }) => {
      await inSteps.change(params.id, body.name, body.setting);
      return done;
    },
    'POST /api/in-step/:id/rehearsal': async ({ params }) => {
      await inSteps.rehearse(params.id);
      return done;
    },
    'POST /api/in-step/:id/accept': async ({ params }) => {
      await inSteps.accept(params.id);
      return done;
    },
    'POST /api/in-step/:id/live': async ({ params }) => {
      await inSteps.makeLive(params.id);
      return done;
    },
    'POST /api/in-step/:id/turn': async ({ params, body }) => {
      await inSteps.turn(params.id, body.isOn);
      return done;
    },
    'POST /api/in-step/:id/check': async ({ params }) => ({ runs: await inSteps.check(params.id) }),
    'POST /api/in-step/:id/compare': async ({ params }) => {
      const { row, legs } = await inSteps.get(params.id);
      const content = unwoven(legs.there);
      const step = legs.there.inStep?.step ?? '';
      const setting = proposeReconcile(content, step, row.there_id);
      return { reconcile: await services.reconciles.add(row.name, setting) };
    },
    'DELETE /api/in-step/:id': async ({ params }) => {
      await inSteps.remove(params.id);
      return done;
    },
  } satisfies Handlers<typeof inStepRoutes>;
}
