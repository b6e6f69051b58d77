import { BlankSchema, copyKinds, WorkflowContentSchema, WorkflowFileSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { switched } from '../runs/routes.ts';
import { large, ok, workflowRow } from '../schemas.ts';

/** A workflow with its draft. */
export const workflow = z.object({
  id: z.string(),
  content: WorkflowContentSchema,
  folder: z.string(),
  rev: z.int(),
  savedAt: z.string(),
  liveVersion: z.int().nullable(),
  newestVersion: z.int(),
  isDraftChanged: z.boolean(),
  /** A newer edition of the ready-made one that it was made from. */
  newerEdition: z.int().nullable(),
  isOn: z.boolean(),
  nextAt: z.string().nullable(),
  /** True while everything is stopped. */
  isStopped: z.boolean(),
  lastCheckedAt: z.string().nullable(),
  message: z.string().nullable(),
  /** Records that a change of their place has stopped; they go on with the version made live next. */
  stopped: z.int(),
});

/** A place as it was chosen. */
export const place = z.object({
  connection: z.string(),
  path: z.array(z.string()).min(1),
  labels: z.array(z.string()),
});

/** The connection here, by the one in a file. */
const chosenConnections = z.record(z.string(), z.string());

const change = z.object({ kind: z.enum(['added', 'removed', 'changed']), text: z.string() });

/** The routes of this feature. */
export const workflowsRoutes = {
  'GET /api/workflows': { summary: 'All workflows', response: z.array(workflowRow) },
  'POST /api/workflows': {
    summary: 'A new workflow',
    body: z.object({ name: z.string().min(1).max(120) }),
    response: workflow,
  },
  'POST /api/workflows/from-choices': {
    summary: 'A whole draft from three choices: from, to, and the kind of copy',
    body: z.object({ from: place, to: place, kind: z.enum(copyKinds), folder: z.string().max(60).optional() }),
    response: workflow,
  },
  'POST /api/workflows/import/look': {
    summary: 'What an exported file holds, and which connections have to be chosen',
    body: z.object({ text: z.string() }),
    mostBody: large,
    response: z.object({
      name: z.string(),
      note: z.string().nullable(),
      /** How many workflows it holds. */
      workflows: z.int(),
      sentences: z.array(z.string()),
      connections: z.array(
        z.object({
          id: z.string(),
          app: z.string(),
          appTitle: z.string(),
          name: z.string(),
          here: z.string().nullable(),
          /** What the workflow does through it, in a few words each. */
          does: z.array(z.string()),
        }),
      ),
      /** What a ready-made one leaves to each business to say. */
      blanks: z.array(
        BlankSchema.omit({ id: true, at: true }).extend({ key: z.string(), workflow: z.string(), text: z.string() }),
      ),
    }),
  },
  'POST /api/workflows/import/places': {
    summary: 'The places of an exported file, and whether they are there with these connections',
    body: z.object({ text: z.string(), connections: chosenConnections }),
    mostBody: large,
    response: z.array(
      z.object({
        key: z.string(),
        /** As the file knows it. */
        connection: z.string(),
        path: z.array(z.string()),
        labels: z.array(z.string()),
        purpose: z.enum(['from', 'to']),
        /** The sentences that reach it. */
        sentences: z.array(z.string()),
        /** Null while no connection is chosen for it. */
        isThere: z.boolean().nullable(),
        /** Why it can't be reached, and what is otherwise in it. */
        differences: z.array(z.string()),
      }),
    ),
  },
  'POST /api/workflows/import': {
    summary: 'A new draft from an exported file, with these connections, places and texts',
    body: z.object({
      text: z.string(),
      connections: chosenConnections,
      /** By the keys of the places in the file. */
      places: z.record(z.string(), place).optional(),
      /** By the keys of the blanks. */
      texts: z.record(z.string(), z.string().max(400)).optional(),
    }),
    mostBody: large,
    response: workflow,
  },
  'GET /api/folders/export': {
    summary: 'All workflows of a folder as one file, with what hands over to what; it holds no key',
    query: z.object({ folder: z.string() }),
    response: z.looseObject({}),
  },
  'POST /api/folders/turn': {
    summary: 'Switch all workflows of a folder on or off; those that can’t be are told with why',
    body: z.object({ folder: z.string(), isOn: z.boolean() }),
    response: z.object({ turned: switched }),
  },
  'GET /api/ready': {
    summary: 'Ready-made workflows to start from',
    response: z.array(z.object({ id: z.string(), name: z.string(), note: z.string().nullable() })),
  },
  'GET /api/ready/:id': {
    summary: 'The file of a ready-made workflow, or of several in a folder',
    response: z.object({ text: z.string() }),
  },
  'GET /api/workflows/:id/edition': {
    summary: 'A newer edition of the ready-made workflow that it was made from, and what differs',
    response: z.object({
      newer: z
        .object({
          number: z.int(),
          before: z.int(),
          note: z.string().nullable(),
          content: WorkflowContentSchema,
          sentences: z.array(z.object({ mine: z.string().nullable(), newer: z.string().nullable() })),
          changes: z.array(change),
        })
        .nullable(),
    }),
  },
  'GET /api/workflows/:id/export': { summary: 'The draft as a file; it holds no key', response: WorkflowFileSchema },
  'POST /api/workflows/:id/duplicate': { summary: 'A second draft that says the same', response: workflow },
  'GET /api/workflows/:id/stored': {
    summary: 'What is stored of a workflow, as it is, also where it can’t be read',
    response: z.object({ draft: z.string(), versions: z.array(z.object({ number: z.int(), content: z.string() })) }),
  },
  'PUT /api/workflows/:id/folder': {
    summary: 'Put it into a folder',
    body: z.object({ folder: z.string().max(60) }),
    response: ok,
  },
  'GET /api/workflows/:id/versions': {
    summary: 'What changed from version to version, in sentences, the newest first',
    response: z.object({
      /** The draft against the newest version. */
      draft: z.array(change),
      versions: z.array(
        z.object({
          number: z.int(),
          createdAt: z.string(),
          isLive: z.boolean(),
          runs: z.int(),
          items: z.int(),
          changes: z.array(change),
          sentences: z.array(z.string()),
        }),
      ),
    }),
  },
  'GET /api/workflows/:id/versions/:number': {
    summary: 'The content of a version',
    response: z.object({ content: WorkflowContentSchema }),
  },
  'GET /api/workflows/:id': { summary: 'One workflow with its draft', response: workflow },
  'DELETE /api/workflows/:id': { summary: 'Remove a workflow that is off', response: ok },
  'PUT /api/workflows/:id/draft': {
    summary: 'Save the draft made from revision `rev`',
    body: z.object({ content: WorkflowContentSchema, rev: z.int() }),
    mostBody: large,
    response: workflow,
  },
} satisfies Record<string, Endpoint>;
