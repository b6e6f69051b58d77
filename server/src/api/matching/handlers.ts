import { isPlaced, type Place, profileFields, type StepResult, stepById } from '@golden/core';
import { NotPossible } from '../../engine/errors.ts';
import { alikeCases, settleAlike } from '../../matching/alike.ts';
import { decideItems, matchCase, previewRule, withRule } from '../../matching/cases.ts';
import { retryAsking } from '../../matching/retry-asking.ts';
import { previewWeights, takeWeights } from '../../matching/weights.ts';
import type { Services } from '../../services.ts';
import { done } from '../done.ts';
import type { Handlers } from '../endpoint.ts';
import type { matchingRoutes } from './routes.ts';

/** Deciding unclear matches, what lookups find, and weights. */
export function matchingHandlers(services: Services) {
  const { db, workflows, engine, connections, duplicates, mirrors } = services;

  const itemRow = async (id: string) => {
    const item = await db.selectFrom('item').selectAll().where('id', '=', id).executeTakeFirst();
    if (!item) throw new NotPossible('This record isn’t there any more.');
    return item;
  };

  const placeOfStep = async (id: string, stepId: string): Promise<Place> => {
    const item = await itemRow(id);
    const { content } = await workflows.version(item.workflow_id, item.version);
    const step = stepById(content, stepId);
    if (!step || !isPlaced(step) || !step.target) throw new NotPossible('This step has no place any more.');
    return step.target;
  };

  return {
    'GET /api/decide': () => decideItems(services),
    'GET /api/items/:id/case': async ({ params }) => (await matchCase(services, await itemRow(params.id))) ?? null,
    'POST /api/items/:id/rule': async ({ params, body }) => {
      const preview = await previewRule(services, params.id, body.candidate, body.says);
      const { text, settles } = preview;
      if (!body.take) return { text, settles, version: null };
      const { draft, draftRev, liveVersion, isOn } = await workflows.get(preview.workflowId);
      const { isDraftChanged } = await workflows.versionsOf(preview.workflowId);
      await workflows.saveDraft(preview.workflowId, withRule(draft, preview.step, preview.rule), draftRev);
      // The rule alone goes live; a draft with other changes under the hand is left to its writer.
      const goesLive = liveVersion !== null && isOn && !isDraftChanged;
      const version = goesLive ? (await engine.makeLive(preview.workflowId)).version : null;
      const own = body.says === 'same' ? body.candidate : null;
      for (const { id, candidate } of [{ id: params.id, candidate: own }, ...settles]) {
        const step = await openStepId(services, id);
        if (step === undefined) continue;
        await engine.decide(id, candidate === null ? { kind: 'new', step } : { kind: 'choose', step, id: candidate });
      }
      return { text, settles, version };
    },
    'GET /api/items/:id/alike': ({ params }) => alikeCases(services, params.id),
    'POST /api/items/:id/alike': ({ params, body }) => settleAlike(services, params.id, body.ids, body.answer),
    'POST /api/items/:id/golden': async ({ params, body }) =>
      duplicates.goldenOf(await placeOfStep(params.id, body.step), body.survivor, body.others),
    'POST /api/items/:id/merge': async ({ params, body }) => {
      await duplicates.mergeRecords(await placeOfStep(params.id, body.step), body.survivor, body.others);
      await engine.decide(params.id, { kind: 'choose', step: body.step, id: body.survivor });
      // Who waited because of the two has one candidate fewer now.
      await retryAsking(services, [body.survivor, ...body.others]);
      return done;
    },
    'GET /api/workflows/:id/lookups': ({ params }) => engine.lookUpSamples(params.id),
    'GET /api/workflows/:id/weights': async ({ params, query }) => {
      const preview = await previewWeights(services, params.id, query.step);
      if (!preview) return null;
      const { model: _kept, ...shown } = preview;
      return shown;
    },
    'POST /api/workflows/:id/weights': async ({ params, body }) => ({
      number: await takeWeights(services, params.id, body.step),
    }),
    'POST /api/connections/:id/identifiers': async ({ params, body }) => {
      const place = { connection: params.id, path: body.path };
      const described = await (await connections.connector(params.id)).describe(body.path);
      await mirrors.sync(place);
      const records = (await mirrors.all(place)).map(({ record }) => record);
      return {
        count: records.length,
        fields: profileFields(records, described.fields).map(({ field, filled, distinct, frequent, fitness }) => ({
          path: field.path,
          label: field.label,
          filled,
          distinct,
          shared: frequent.filter(({ count }) => count > 1).length,
          fitness,
        })),
      };
    },
  } satisfies Handlers<typeof matchingRoutes>;
}

/** The step of a waiting item that needs a person; undefined when it waits no more. */
async function openStepId({ db }: Services, itemId: string): Promise<string | undefined> {
  const item = await db.selectFrom('item').select(['state', 'item_state']).where('id', '=', itemId).executeTakeFirst();
  if (item?.state !== 'unsettled') return undefined;
  const steps = JSON.parse(item.item_state).steps as Record<string, StepResult>;
  return Object.entries(steps).find(([, result]) => result.kind === 'unsettled')?.[0];
}
