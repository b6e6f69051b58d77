import { undoKinds } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { data, large, ok } from '../schemas.ts';

const usedBy = z.object({
  itemId: z.string(),
  workflowId: z.string(),
  workflow: z.string(),
  runId: z.string(),
  title: z.string(),
  how: z.enum(['wrote', 'began', 'found']),
});

const part = z.object({ place: z.string(), removes: z.int(), restores: z.int(), makes: z.int() });

/** What undoing one record would do. */
const prospect = z.object({
  kind: z.enum(undoKinds),
  says: z.string(),
  parts: z.array(part),
  fields: z.array(z.object({ path: z.string(), label: z.string(), written: data, now: data })),
  used: z.array(usedBy),
});

const undo = z.object({
  id: z.string(),
  workflowId: z.string(),
  runId: z.string(),
  state: z.enum(['looking', 'looked', 'undoing', 'waiting', 'done', 'stopped', 'broken']),
  message: z.string().nullable(),
  madeAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  /** Records of the run, all of which are looked at. */
  total: z.int(),
  kinds: z.record(z.enum(undoKinds), z.int()),
  /** Of what was looked at and is neither chosen nor carried out. */
  looked: z.int(),
  chosen: z.int(),
  done: z.int(),
  stays: z.int(),
  /** What would be removed and changed back in each place, of each kind. */
  parts: z.array(part.extend({ kind: z.enum(undoKinds) })),
  /** How many of what went back can be sent again. */
  maySend: z.int(),
});

/** The routes of this feature. */
export const undoRoutes = {
  'POST /api/runs/:id/undo': {
    summary: 'Look at what undoing a run would do, as the apps are now; nothing is changed',
    response: z.object({ id: z.string() }),
  },
  'GET /api/runs/:id/undo': {
    summary: 'The newest undoing of a run',
    response: z.object({ undo: undo.nullable() }),
  },
  'GET /api/items/:id/undo': {
    summary: 'What undoing one record would do, as the apps are now; nothing is changed',
    response: prospect,
  },
  'GET /api/undos/:id': { summary: 'How far an undoing is, and what it would do', response: undo },
  'GET /api/undos/:id/rows': {
    summary: 'The records of an undoing, the last of the run first',
    query: z.object({
      kind: z.enum(undoKinds).optional(),
      state: z.enum(['looked', 'chosen', 'done', 'stays']).optional(),
      from: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    response: z.array(
      prospect.extend({
        itemId: z.string(),
        sourceId: z.string(),
        title: z.string(),
        state: z.enum(['looked', 'chosen', 'done', 'stays']),
        message: z.string().nullable(),
      }),
    ),
  },
  'POST /api/undos/:id/carry-out': {
    summary: 'Undo what was looked at: what goes back, and what else is wanted; `without` stays all the same',
    body: z.object({
      used: z.boolean().default(false),
      sent: z.boolean().default(false),
      without: z.array(z.string()).max(20_000).default([]),
    }),
    mostBody: large,
    response: ok,
  },
  'POST /api/undos/:id/stop': { summary: 'Stop after the record that it is at; what went back stays so', response: ok },
  'POST /api/undos/:id/send-again': {
    summary: 'Take in once more what went back, as it is in the source now',
    response: z.object({ run: z.string() }),
  },
} satisfies Record<string, Endpoint>;
