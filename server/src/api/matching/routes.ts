import { ManyAnswerSchema } from '@golden/core';
import { z } from 'zod';
import { DecideItemSchema, MatchCaseSchema } from '../../matching/desk.ts';
import type { Endpoint } from '../endpoint.ts';
import { data, ok } from '../schemas.ts';

/** The routes of this feature. */
export const matchingRoutes = {
  'GET /api/decide': {
    summary: 'Everything that waits for a decision',
    response: z.array(DecideItemSchema),
  },
  'GET /api/items/:id/case': {
    summary: 'An unclear match, field by field; null for what waits for another reason',
    response: MatchCaseSchema.nullable(),
  },
  'POST /api/items/:id/rule': {
    summary: 'What deciding like this from now on would mean; with `take` it is taken',
    body: z.object({ candidate: z.string(), says: z.enum(['same', 'new']), take: z.boolean() }),
    response: z.object({
      text: z.string(),
      settles: z.array(z.object({ id: z.string(), title: z.string(), candidate: z.string().nullable() })).readonly(),
      /** The version that has the rule, once it is taken and live. */
      version: z.int().nullable(),
    }),
  },
  'GET /api/items/:id/alike': {
    summary: 'The cases that one answer settles, this one among them',
    response: z
      .array(z.object({ id: z.string(), title: z.string(), takenAt: z.string(), fields: z.array(data).readonly() }))
      .readonly(),
  },
  'POST /api/items/:id/alike': {
    summary: 'One answer for many cases that are alike',
    body: z.object({ ids: z.array(z.string()).min(1).max(1000), answer: ManyAnswerSchema }),
    response: z.object({
      settled: z.int(),
      left: z.array(z.object({ id: z.string(), title: z.string(), message: z.string() })),
    }),
  },
  'POST /api/items/:id/golden': {
    summary: 'The one record that a merge would make of several, field by field',
    body: z.object({ step: z.string(), survivor: z.string(), others: z.array(z.string()).min(1).max(7) }),
    response: z.array(
      z.object({ path: z.string(), label: z.string(), value: z.string(), from: z.string().nullable() }),
    ),
  },
  'POST /api/items/:id/merge': {
    summary: 'Two candidates are one: they are merged there, and the record goes on with the one that stays',
    body: z.object({ step: z.string(), survivor: z.string(), others: z.array(z.string()).min(1).max(7) }),
    response: ok,
  },
  'GET /api/workflows/:id/lookups': {
    summary: 'What the saved draft’s lookups find for each sample, by sample and step',
    response: z.record(z.string(), z.record(z.string(), data)),
  },
  'GET /api/workflows/:id/weights': {
    summary: 'What the decisions so far would make of a sentence’s weights',
    query: z.object({ step: z.string() }),
    response: z
      .object({
        now: z.int().nullable(),
        learnt: z.int().nullable(),
        decisions: z.int(),
        changes: z
          .array(z.object({ label: z.string(), level: z.string(), before: z.number(), after: z.number() }))
          .readonly(),
        verdicts: z
          .array(
            z.object({
              title: z.string(),
              candidate: z.string(),
              before: z.number(),
              after: z.number(),
              isSame: z.boolean(),
            }),
          )
          .readonly(),
      })
      .nullable(),
  },
  'POST /api/workflows/:id/weights': {
    summary: 'Take the weights that the decisions make, under a number of their own, into the draft',
    body: z.object({ step: z.string() }),
    response: z.object({ number: z.int() }),
  },
  'POST /api/connections/:id/identifiers': {
    summary: 'How well each field of a place tells its records apart, over all of them',
    body: z.object({ path: z.array(z.string()).min(1) }),
    response: z.object({
      count: z.int(),
      fields: z.array(
        z.object({
          path: z.string(),
          label: z.string(),
          filled: z.number(),
          distinct: z.number(),
          /** Values that more than one record has. */
          shared: z.int(),
          fitness: z.enum(['fit', 'weak', 'unfit']),
        }),
      ),
    }),
  },
} satisfies Record<string, Endpoint>;
