import { z } from 'zod';
import { notSentKinds } from '../../records/not-sent.ts';
import type { Endpoint } from '../endpoint.ts';
import { linkRow } from '../links/routes.ts';
import { data } from '../schemas.ts';

/** The path of a place as it is stored. */
const path = z.string().refine((text) => {
  try {
    return z.array(z.string()).safeParse(JSON.parse(text)).success;
  } catch {
    return false;
  }
}, 'A place is a list of texts, as JSON.');
const key = z.object({ account: z.string(), place: path, id: z.string() });

/** The routes of this feature. */
export const recordsRoutes = {
  'GET /api/records': {
    summary:
      'Records by what stands in them anywhere: a name, an e-mail, an order number, an id, a part of a telephone number',
    query: z.object({ text: z.string().max(200) }),
    response: z.object({
      records: z.array(
        z.object({
          key,
          title: z.string(),
          app: z.string(),
          singular: z.string(),
          state: z.string().nullable(),
          message: z.string().nullable(),
          at: z.string(),
          items: z.int(),
        }),
      ),
      isMore: z.boolean(),
      /** False while the words of what came in lately are still being made. */
      isComplete: z.boolean(),
    }),
  },
  'GET /api/records/trail': {
    summary: 'Everything that happened to one record, across workflows and apps, the oldest first',
    query: key,
    response: z.object({
      identities: z.array(key),
      entries: z.array(
        z.object({
          at: z.string(),
          text: z.string(),
          tone: z.enum(['plain', 'left_out', 'needs_you', 'waiting', 'undone']),
          itemId: z.string().nullable(),
          workflowId: z.string().nullable(),
          runId: z.string().nullable(),
        }),
      ),
      /** The remembered pairs of it: who it is in which app. */
      links: z.array(linkRow),
      /** Workflows that begin with this record, and can be given it once more. */
      takers: z.array(
        z.object({ id: z.string(), name: z.string(), sourceId: z.string(), isOn: z.boolean(), isSent: z.boolean() }),
      ),
    }),
  },
  'GET /api/workflows/:id/not-sent': {
    summary: 'Records of a workflow that a condition left out, or that were known before it began; with their reasons',
    query: z.object({
      kind: z.enum(notSentKinds),
      reason: z.string().optional(),
      from: z.coerce.number().int().min(0).default(0),
    }),
    response: z.object({
      total: z.int(),
      reasons: z.array(z.object({ reason: z.string(), count: z.int() })),
      rows: z.array(
        z.object({
          sourceId: z.string(),
          title: z.string(),
          reason: z.string(),
          at: z.string(),
          itemId: z.string().nullable(),
        }),
      ),
    }),
  },
  'GET /api/records/now': {
    summary: 'One record as it is now in each of its apps, side by side',
    query: key,
    response: z.object({
      there: z.array(
        z.object({
          key,
          app: z.string(),
          kind: z.string(),
          url: z.string().nullable(),
          problem: z.string().nullable(),
        }),
      ),
      fields: z.array(
        z.object({
          label: z.string(),
          cells: z.array(z.object({ value: data, differs: z.boolean() }).nullable()),
        }),
      ),
      isMore: z.boolean(),
    }),
  },
} satisfies Record<string, Endpoint>;
