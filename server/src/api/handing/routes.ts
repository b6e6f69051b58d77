import { FieldSchema, PlaceSchema } from '@golden/core';
import { z } from 'zod';
import { HandedFieldsSchema } from '../../handing/start-fields.ts';

const end = z.object({
  id: z.string(),
  name: z.string(),
  isOn: z.boolean(),
  liveVersion: z.int().nullable(),
  mayGoOn: z.boolean(),
  lacks: z.array(z.string()),
});

/** What a step that hands over is given by the workflow that it hands over to. */
const receiver = z.object({ id: z.string(), target: PlaceSchema, back: z.array(FieldSchema) });

/** The routes of this feature. */
export const handingRoutes = {
  'GET /api/workflows/:id/handing': {
    summary: 'Which workflows a workflow hands over to, and which hand over to it',
    response: z.object({ to: z.array(end), from: z.array(end) }),
  },
  'GET /api/workflows/:id/receivers': {
    summary: 'The workflows to which a workflow can hand over; one that would lead back to it is told',
    response: z.array(z.object({ id: z.string(), name: z.string(), inbox: z.string(), isRound: z.boolean() })),
  },
  'POST /api/workflows/:id/receivers/choose': {
    summary: 'What a step is given that hands over to a workflow: its start with what it needs, and what comes back',
    body: z.object({ receiver: z.string() }),
    response: receiver,
  },
  'POST /api/workflows/:id/receivers': {
    summary: 'Make a workflow that takes in what this one hands over, with these fields',
    body: z.object({
      name: z.string().trim().min(1, 'Give it a name.').max(120),
      singular: z.string().trim().min(1).max(60),
      fields: HandedFieldsSchema,
    }),
    response: receiver,
  },
  'POST /api/workflows/:id/needed': {
    summary: 'Change what a workflow needs of what is handed over to it; gives the draft as it is then, not yet saved',
    body: z.object({ fields: HandedFieldsSchema, singular: z.string().trim().min(1).max(60).optional() }),
    response: z.object({ content: z.looseObject({}) }),
  },
  'GET /api/items/:id/handed': {
    summary: 'What a record has handed over by each of its steps, and whose record it was handed over by',
    response: z.object({
      by: z
        .object({ id: z.string(), runId: z.string(), title: z.string(), workflowId: z.string(), workflow: z.string() })
        .nullable(),
      steps: z.array(
        z.object({
          step: z.string(),
          workflowId: z.string().nullable(),
          workflow: z.string(),
          isOn: z.boolean(),
          count: z.int(),
          states: z.record(z.string(), z.int()),
          items: z.array(
            z.object({
              turn: z.int(),
              id: z.string().nullable(),
              runId: z.string().nullable(),
              title: z.string(),
              state: z.string(),
              message: z.string().nullable(),
            }),
          ),
        }),
      ),
    }),
  },
};
