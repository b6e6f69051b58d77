import { FieldKindSchema, survivorRules } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok, placeKey, record, wholeFile } from '../schemas.ts';

const searchProgress = z.object({
  phase: z.enum(['finding pairs', 'learning weights', 'weighing pairs', 'grouping']),
  done: z.number(),
  of: z.number(),
});

const survivorChoice = z.union([z.object({ rule: z.enum(survivorRules) }), z.object({ from: z.string() })]);

const searchRow = z.object({
  id: z.string(),
  connectionId: z.string().nullable(),
  labels: z.array(z.string()),
  state: z.enum(['running', 'done', 'stopped', 'broken']),
  progress: searchProgress.nullable(),
  message: z.string().nullable(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  figures: z
    .object({
      records: z.int(),
      comparedPairs: z.int(),
      shareOfPairs: z.number(),
      estimatedLoss: z.number(),
    })
    .nullable(),
  groups: z.int(),
  open: z.int(),
});

/** The routes of this feature. */
export const duplicatesRoutes = {
  'GET /api/duplicates': { summary: 'Searches for duplicates, the newest first', response: z.array(searchRow) },
  'POST /api/duplicates': {
    summary: 'Search a place or a file for duplicates',
    body: z.discriminatedUnion('kind', [
      z.object({
        kind: z.literal('place'),
        place: placeKey,
        labels: z.array(z.string()),
        kinds: z.record(z.string(), FieldKindSchema).optional(),
      }),
      z.object({
        kind: z.literal('file'),
        name: z.string().max(200),
        /** The file itself, in base64. */
        bytes: z.string(),
        kinds: z.record(z.string(), FieldKindSchema).optional(),
      }),
    ]),
    mostBody: wholeFile,
    response: z.object({ id: z.string() }),
  },
  'GET /api/duplicates/:id': {
    summary: 'A search with what it took the fields for',
    response: searchRow.extend({
      fields: z.array(
        z.object({
          path: z.string(),
          label: z.string(),
          kind: FieldKindSchema,
          because: z.string(),
          /** Part of a golden record: what a person or another app fills, not the app itself. */
          isMerged: z.boolean(),
        }),
      ),
      canMerge: z.boolean(),
    }),
  },
  'DELETE /api/duplicates/:id': { summary: 'Stop a search, or forget one that ended', response: ok },
  'GET /api/duplicates/:id/groups': {
    summary: 'What a search found, the surest first',
    query: z.object({
      state: z.enum(['open', 'settled']).optional(),
      from: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(200).default(100),
    }),
    response: z.array(
      z.object({
        id: z.string(),
        probability: z.number(),
        isAsked: z.boolean(),
        state: z.enum(['open', 'merging', 'merged', 'different', 'undone', 'unsure']),
        message: z.string().nullable(),
        survivor: z.string().nullable(),
        records: z.array(
          z.object({ id: z.string(), title: z.string(), record, url: z.string().nullable(), links: z.int() }),
        ),
      }),
    ),
  },
  'POST /api/duplicates/groups/:id/settle': {
    summary: 'Make one record of a group, or keep its records apart',
    body: z.discriminatedUnion('kind', [
      z.object({
        kind: z.literal('merge'),
        survivor: z.string(),
        usual: z.enum(survivorRules),
        choices: z.record(z.string(), survivorChoice),
      }),
      z.object({ kind: z.literal('different') }),
    ]),
    response: ok,
  },
  'POST /api/duplicates/groups/:id/undo': { summary: 'Take back how a group was settled', response: ok },
  'POST /api/duplicates/:id/settle-above': {
    summary: 'Merge every open group that is at least so sure',
    body: z.object({ line: z.number().min(0.5).max(1), usual: z.enum(survivorRules) }),
    response: z.object({ merged: z.int(), left: z.int() }),
  },
  'GET /api/merges': {
    summary: 'What was merged, the newest first; each can be undone',
    response: z.array(
      z.object({
        id: z.string(),
        place: z.array(z.string()),
        connectionId: z.string(),
        survivor: z.object({ id: z.string(), title: z.string().nullable() }),
        others: z.array(z.string()),
        state: z.enum(['merging', 'merged', 'undoing', 'undone', 'unsure']),
        message: z.string().nullable(),
        madeAt: z.string(),
      }),
    ),
  },
  'POST /api/merges/:id/undo': { summary: 'Put everything of a merge back as it was', response: ok },
  'GET /api/duplicates/:id/export': {
    summary: 'The records of all groups as CSV',
    response: z.object({ name: z.string(), text: z.string() }),
  },
} satisfies Record<string, Endpoint>;
