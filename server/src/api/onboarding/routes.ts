import { copyKinds } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok, wholeFile } from '../schemas.ts';
import { place, workflow } from '../workflows/routes.ts';

/** The routes of this feature. */
export const onboardingRoutes = {
  'GET /api/first-steps': {
    summary: 'The first steps of a workspace, each true once it was done',
    response: z.object({ hasSheet: z.boolean(), isRehearsed: z.boolean(), isSent: z.boolean(), isLive: z.boolean() }),
  },
  'POST /api/lists': {
    summary: 'Keep a CSV or XLSX list that was dropped, and make a draft that starts from it',
    body: z.object({ name: z.string().min(1).max(200), bytes: z.string().min(1) }),
    mostBody: wholeFile,
    response: workflow,
  },
  'POST /api/lists/place': {
    summary: 'Keep a list that was chosen to be compared, and give where its records stand',
    body: z.object({ name: z.string().min(1).max(200), bytes: z.string().min(1) }),
    mostBody: wholeFile,
    response: z.object({
      connection: z.string(),
      app: z.string(),
      path: z.array(z.string()),
      labels: z.array(z.string()),
    }),
  },
  'POST /api/workflows/:id/where-to': {
    summary: 'The saved draft with a copy to a place: what it would be, not yet saved',
    body: z.object({ to: place, kind: z.enum(copyKinds) }),
    response: z.object({ content: z.looseObject({}) }),
  },
  'GET /api/practice': {
    summary: 'How the practice apps stand, and what uses them',
    response: z.object({
      state: z.enum(['none', 'off', 'starting', 'on', 'beside']),
      connections: z.array(z.object({ id: z.string(), name: z.string() })),
      workflows: z.array(z.object({ id: z.string(), name: z.string(), isOn: z.boolean() })),
    }),
  },
  'POST /api/practice': {
    summary: 'Start the practice apps, connect them, and make a first draft between two of them',
    response: z.object({ workflow: z.string() }),
  },
  'DELETE /api/practice': {
    summary: 'Remove the practice apps with their data, their connections and the workflows that use them',
    response: ok,
  },
} satisfies Record<string, Endpoint>;
