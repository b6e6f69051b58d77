import type { Asked } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';

const value = z.json();

const group = z.object({
  workflowId: z.string(),
  workflow: z.string(),
  /** The step that asks, and how it is called. */
  step: z.string(),
  name: z.string().nullable(),
  kind: z.enum(['approval', 'questions']),
  count: z.int(),
  titles: z.array(z.string()),
  since: z.string(),
  /** When the first of them is over. */
  until: z.string().nullable(),
  /** Who was written to. */
  to: z.array(z.string()),
  /** Why somebody could not be written to. */
  trouble: z.string().nullable(),
});

const says = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('yes'), changes: z.record(z.string(), value) }),
  z.object({ kind: z.literal('no'), reason: z.string().trim().max(300) }),
  z.object({ kind: z.literal('answers'), answers: z.record(z.string(), value) }),
]);

const answered = z.discriminatedUnion('state', [
  z.object({ state: z.literal('taken') }),
  z.object({ state: z.literal('before'), who: z.string(), at: z.string() }),
  z.object({ state: z.literal('changed') }),
  z.object({ state: z.literal('over') }),
  z.object({
    state: z.literal('unfit'),
    problems: z.array(z.object({ path: z.string(), label: z.string(), message: z.string() })),
  }),
]);

/** What people are asked. */
export const askingRoutes = {
  'GET /api/asks': {
    summary: 'What people are asked by workflows and haven’t answered: each step that asks once',
    response: z.array(group),
  },
  'GET /api/workflows/:id/asks/:step': {
    summary: 'What a step asks about each record that waits for an answer, the oldest first',
    response: z.object({
      workflow: z.string(),
      name: z.string().nullable(),
      total: z.int(),
      rows: z.array(
        z.object({
          id: z.string(),
          runId: z.string(),
          title: z.string(),
          /** What an answer is bound to. */
          print: z.string(),
          at: z.string(),
          until: z.string().nullable(),
          asked: z.custom<Asked>(),
        }),
      ),
    }),
  },
  'POST /api/asks': {
    summary: 'Answer what is asked: each answer counts once, and only for what was seen',
    body: z.object({
      answers: z
        .array(z.object({ itemId: z.string(), print: z.string(), says }))
        .min(1)
        .max(500),
    }),
    response: z.object({ results: z.array(answered) }),
  },
} satisfies Record<string, Endpoint>;
