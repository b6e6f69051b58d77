import { equalities, ReconcileSettingSchema, RepairPlanSchema } from '@golden/core';
import { z } from 'zod';
import { reconcileKinds } from '../../db/schema.ts';
import type { Endpoint } from '../endpoint.ts';
import { data, large, ok, record } from '../schemas.ts';

const chosenPlace = z.object({ connection: z.string(), path: z.array(z.string()), labels: z.array(z.string()) });

const found = z.object({ id: z.string(), record, url: z.string().nullable() });

const figures = z.object({
  left: z.int(),
  right: z.int(),
  agree: z.int(),
  differ: z.int(),
  onlyLeft: z.int(),
  onlyRight: z.int(),
  doubled: z.int(),
  doubledLeft: z.int(),
  doubledRight: z.int(),
  unclear: z.int(),
  unclearLeft: z.int(),
  unclearRight: z.int(),
  leftOut: z.int(),
  settledMeanwhile: z.int(),
  byField: z.record(z.string(), z.int()),
  seconds: z.number(),
});

const summary = z.object({
  id: z.string(),
  name: z.string(),
  /** The apps of both sides, and what their records are called. */
  left: z.object({ app: z.string(), place: z.array(z.string()), plural: z.string() }),
  right: z.object({ app: z.string(), place: z.array(z.string()), plural: z.string() }),
  state: z.enum(['running', 'done', 'stopped', 'broken']),
  progress: z.object({ phase: z.enum(['left', 'right', 'compare']), done: z.int() }).nullable(),
  message: z.string().nullable(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  /** At which time it is looked at each day by itself. */
  dailyAt: z.string().nullable(),
  figures: figures.nullable(),
});

const fieldChoice = z.object({
  path: z.string(),
  label: z.string(),
  /** What a record here has for it, in words. */
  from: z.string(),
  /** What counts as equal; null where it isn't compared. */
  as: z.enum(equalities).nullable(),
  /** What would be proposed. */
  proposed: z.enum(equalities),
  /** Whether what is there can be written here. */
  leadsBack: z.boolean(),
});

const proposal = z.object({
  name: z.string(),
  setting: ReconcileSettingSchema,
  fields: z.array(fieldChoice),
  /** Fields that can't be compared, with the reason. */
  others: z.array(z.object({ path: z.string(), label: z.string(), why: z.string() })),
});

/** The routes of this feature. */
export const reconcileRoutes = {
  'GET /api/reconciles': { summary: 'Comparisons of two places, the newest first', response: z.array(summary) },
  'POST /api/reconciles/propose': {
    summary: 'What a comparison of two places, or of what a workflow copies, would compare; nothing is kept',
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('places'), from: chosenPlace, to: chosenPlace }),
      z.object({ kind: z.literal('workflow'), workflow: z.string(), step: z.string().optional() }),
    ]),
    response: proposal,
  },
  'POST /api/reconciles': {
    summary: 'Keep a comparison and look at both places now',
    body: z.object({
      name: z.string().trim().min(1, 'A comparison needs a name.').max(120),
      setting: ReconcileSettingSchema,
    }),
    mostBody: large,
    response: z.object({ id: z.string() }),
  },
  'GET /api/reconciles/:id': {
    summary: 'A comparison with its setting, what the last look counted, and what is planned to put it right',
    response: summary.extend({
      setting: ReconcileSettingSchema,
      fields: z.array(fieldChoice),
      others: proposal.shape.others,
      makesThere: z.boolean(),
      makesHere: z.boolean(),
      repairs: z.array(
        z.object({
          workflow: z.string(),
          name: z.string(),
          records: z.int(),
          run: z.string().nullable(),
          madeAt: z.string(),
        }),
      ),
    }),
  },
  'PUT /api/reconciles/:id': {
    summary: 'Change what is compared, and look at both places anew',
    body: z.object({ name: z.string().trim().min(1).max(120), setting: ReconcileSettingSchema }),
    mostBody: large,
    response: ok,
  },
  'PUT /api/reconciles/:id/daily': {
    summary: 'Have a comparison looked at each day at a time, or not any more',
    body: z.object({
      at: z
        .string()
        .regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'Enter a time such as 06:00.')
        .nullable(),
    }),
    response: ok,
  },
  'POST /api/reconciles/:id/again': { summary: 'Look at both places as they are now', response: ok },
  'POST /api/reconciles/:id/stop': { summary: 'Stop a look that is under way', response: ok },
  'DELETE /api/reconciles/:id': { summary: 'Forget a comparison; neither place is changed', response: ok },
  'GET /api/reconciles/:id/rows': {
    summary: 'What the last look found not to be the same',
    query: z.object({
      kind: z.enum(reconcileKinds).optional(),
      field: z.string().optional(),
      from: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    response: z.array(
      z.object({
        at: z.int(),
        kind: z.enum(reconcileKinds),
        title: z.string(),
        left: z.array(found),
        right: z.array(found),
        differences: z.array(z.object({ path: z.string(), label: z.string(), left: data, right: data })),
        /** Of what a workflow should have brought there: what became of it. */
        why: z.string().nullable(),
      }),
    ),
  },
  'GET /api/reconciles/:id/export': {
    summary: 'What was found as a file, a line for each field that differs',
    query: z.object({ as: z.enum(['csv', 'xlsx']).default('csv') }),
    response: z.object({ name: z.string(), /** In base64. */ bytes: z.string() }),
  },
  'POST /api/reconciles/:id/repair': {
    summary: 'Plan the repair: workflows of these records, rehearsed; nothing is written',
    body: RepairPlanSchema,
    response: z.object({ workflows: z.array(z.string()) }),
  },
  'POST /api/reconciles/:id/repair/carry-out': {
    summary: 'Carry the planned repair out: its workflows go live and take in their records',
    response: z.object({ runs: z.array(z.object({ workflow: z.string(), run: z.string() })) }),
  },
  'POST /api/workflows/:id/repair': {
    summary: 'Carry out what one workflow is planned to put right',
    response: z.object({ run: z.string() }),
  },
  'POST /api/reconciles/:id/duplicates': {
    summary: 'Put what is doubled there among the duplicates, to be merged; gives the search',
    response: z.object({ id: z.string() }),
  },
} satisfies Record<string, Endpoint>;
