import { PointerSchema, RecordTypeSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok, record } from '../schemas.ts';

const identity = z.object({
  app: z.string(),
  origin: z.string(),
  who: z.string().nullable(),
  isTold: z.boolean(),
  label: z.string(),
});

const connection = z.object({
  id: z.string(),
  app: z.string(),
  appTitle: z.string(),
  name: z.string(),
  settings: z.record(z.string(), z.string()),
  /** Scheme, host and port of the app, or a folder. */
  leadsTo: z.string(),
  status: z.enum(['working', 'broken', 'unchecked']),
  message: z.string().nullable(),
  health: z
    .object({
      signedInAs: z.string(),
      sees: z.array(z.string()).readonly(),
      mayRead: z.boolean(),
      mayWrite: z.boolean(),
      readOnlyBecause: z.string().optional(),
      places: z
        .array(z.object({ label: z.string(), mayWrite: z.boolean() }))
        .readonly()
        .optional(),
    })
    .nullable(),
  checkedAt: z.string().nullable(),
  createdAt: z.string(),
  /** Present while a person has to say whether this is the same account as before. */
  asked: z.object({ was: identity, now: identity }).nullable(),
  /** False where the app doesn't tell who is signed in. */
  tellsAccount: z.boolean(),
});

const accountAnswer = {
  account: z.enum(['same', 'other']).optional(),
  /** What becomes of the records that the other account has already, for workflows that start from it. */
  already: z.enum(['taken', 'noted']).optional(),
};

const connectionInput = {
  name: z.string().min(1, 'A connection needs a name.').max(80),
  settings: z.record(z.string(), z.string()),
  key: z.string().optional(),
};

const path = z.object({ path: z.union([z.string(), z.array(z.string())]).optional() });

/** The routes of this feature. */
export const connectionsRoutes = {
  'GET /api/folders': {
    summary: 'The folders in a folder of this machine, to choose one from',
    query: z.object({ at: z.string().max(4000).optional() }),
    response: z.object({
      at: z.string(),
      above: z.string().nullable(),
      folders: z.array(z.object({ name: z.string(), path: z.string() })).readonly(),
      workbooks: z.int(),
    }),
  },
  'GET /api/connections': { summary: 'All connections', response: z.array(connection) },
  'POST /api/connections': {
    summary: 'Connect an app',
    body: z.object({ app: z.string(), ...connectionInput }),
    response: connection,
  },
  'POST /api/sign-ins': {
    summary: 'Begin signing in at an app; the answer says where to send the person',
    body: z.object({
      app: z.string(),
      name: connectionInput.name,
      settings: connectionInput.settings,
      mayWrite: z.boolean(),
      id: z.string().optional(),
    }),
    response: z.object({ url: z.string(), state: z.string() }),
  },
  'GET /api/sign-ins/:state': {
    summary: 'How a sign-in stands',
    response: z.object({
      state: z.enum(['waiting', 'done', 'failed']),
      connection: connection.nullable(),
      message: z.string().nullable(),
    }),
  },
  'GET /api/connections/:id': {
    summary: 'One connection, and where it is used',
    response: connection.extend({
      usedBy: z.array(z.object({ id: z.string(), name: z.string(), isRead: z.boolean(), isWritten: z.boolean() })),
      waiting: z.int(),
    }),
  },
  'PUT /api/connections/:id': {
    summary: 'Change a connection; where it leads elsewhere, it has to be said whether that is the same account',
    body: z.object({ ...connectionInput, ...accountAnswer }),
    response: connection,
  },
  'POST /api/connections/:id/account': {
    summary: 'Say whether who is signed in now is the same account as before',
    body: z.object({ ...accountAnswer, account: z.enum(['same', 'other']) }),
    response: connection,
  },
  'DELETE /api/connections/:id': { summary: 'Remove a connection that nothing uses', response: ok },
  'POST /api/connections/:id/check': {
    summary: 'Ask the app again, and retry what waits for it',
    response: connection,
  },
  'GET /api/connections/:id/place-from-link': {
    summary: 'The place that a pasted link leads to; null when it leads to none of this app',
    query: z.object({ link: z.string().max(2000) }),
    response: z.object({ place: z.object({ path: z.array(z.string()), labels: z.array(z.string()) }).nullable() }),
  },
  'POST /api/connections/:id/taken': {
    summary: 'Which of these values other records of a place have already in a field',
    body: z.object({ path: z.array(z.string()), field: PointerSchema, values: z.array(z.string()).max(50) }),
    response: z.object({ taken: z.array(z.string()) }),
  },
  'GET /api/connections/:id/places': {
    summary: 'The choices below a place',
    query: path,
    response: z.array(
      z.object({
        id: z.string(),
        label: z.string(),
        isPlace: z.boolean(),
        holds: z.int().optional(),
        remark: z.string().optional(),
      }),
    ),
  },
  'POST /api/connections/:id/places': {
    summary: 'Make a file or a tab with these columns',
    body: z.object({
      above: z.array(z.string()),
      name: z.string().min(1, 'Give it a name.').max(120),
      tab: z.string().optional(),
      columns: z.array(z.string()).min(1, 'Give it at least one column.').max(300),
    }),
    response: z.object({ path: z.array(z.string()) }),
  },
  'POST /api/connections/:id/columns': {
    summary: 'Add columns to a place',
    body: z.object({ path: z.array(z.string()), names: z.array(z.string().min(1)).min(1) }),
    response: ok,
  },
  'GET /api/connections/:id/place': {
    summary: 'What stands in a place: its fields, how much it holds, its first records',
    query: path,
    response: z.object({
      described: RecordTypeSchema,
      holds: z.int().nullable(),
      first: z.array(record),
      /** The page of the app where a person makes a new record. */
      newAt: z.string().nullable(),
      /** True when columns can be added from here. */
      canAddColumns: z.boolean(),
    }),
  },
} satisfies Record<string, Endpoint>;
