import { fieldOwners, InStepSettingSchema } from '@golden/core';
import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';

const chosenPlace = z.object({ connection: z.string(), path: z.array(z.string()), labels: z.array(z.string()) });

const side = z.object({
  connection: z.string(),
  app: z.string(),
  labels: z.array(z.string()),
  singular: z.string(),
  plural: z.string(),
});

const named = z.object({ path: z.string(), label: z.string() });

const field = z.object({
  path: z.string(),
  there: named.nullable(),
  here: z.array(named),
  goes: z.enum(['both', 'there', 'here']),
  owner: z.enum(fieldOwners),
  isConsent: z.boolean(),
  isLookedUp: z.boolean(),
});

/** A field that can say that a record isn't used any more. */
const retiring = named.extend({ options: z.array(z.object({ value: z.string(), label: z.string() })) });

/** One of the workflows of a pair. */
const leg = z.object({
  workflow: z.string(),
  name: z.string(),
  carries: z.enum(['there', 'here', 'removed_here', 'removed_there']),
  isOn: z.boolean(),
  liveVersion: z.int().nullable(),
  isDraftChanged: z.boolean(),
  lastCheckedAt: z.string().nullable(),
  nextAt: z.string().nullable(),
  message: z.string().nullable(),
  unsettled: z.int(),
  /** What keeps its draft from going live. */
  problems: z.array(z.string()),
  /** Suggestions that somebody has to have looked at before it goes live. */
  toAccept: z.array(z.object({ label: z.string(), place: z.string(), reason: z.string() })),
  rehearsal: z
    .object({
      state: z.enum(['running', 'done', 'stopped', 'broken']),
      isOfThisDraft: z.boolean(),
      message: z.string().nullable(),
      total: z.int(),
      states: z.record(z.string(), z.int()),
      /** What it writes into the other place, and what it brings back. */
      writes: z.record(z.string(), z.int()),
      brings: z.record(z.string(), z.int()),
    })
    .nullable(),
});

const summary = z.object({
  id: z.string(),
  name: z.string(),
  here: side,
  there: side,
  /** Whether all that it is made of is on, some of it, or nothing; `draft` where it never was. */
  state: z.enum(['draft', 'on', 'partly', 'off']),
  unsettled: z.int(),
});

const name = z.string().trim().min(1, 'It needs a name.').max(120);

/** The routes of this feature. */
export const inStepRoutes = {
  'GET /api/in-step': { summary: 'Pairs of places that are kept in step both ways', response: z.array(summary) },
  'POST /api/in-step': {
    summary: 'Draft both directions between two places, or the second one of a workflow that is there',
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('places'), from: chosenPlace, to: chosenPlace }),
      z.object({ kind: z.literal('workflow'), workflow: z.string() }),
    ]),
    response: z.object({ id: z.string() }),
  },
  'GET /api/in-step/:id': {
    summary: 'A pair: its fields with whose they are, its rules, and how each direction stands',
    response: summary.extend({
      setting: InStepSettingSchema,
      fields: z.array(field),
      /** Whether both places say when a record was changed. */
      keepsTimes: z.boolean(),
      retiring: z.object({ here: z.array(retiring), there: z.array(retiring) }),
      /** Where records can be removed for good. */
      removing: z.object({ here: z.boolean(), there: z.boolean() }),
      legs: z.array(leg),
    }),
  },
  'PUT /api/in-step/:id': {
    summary: 'Change how a pair is kept in step; the drafts of both directions follow',
    body: z.object({ name, setting: InStepSettingSchema }),
    response: ok,
  },
  'POST /api/in-step/:id/rehearsal': { summary: 'Rehearse both directions over all records', response: ok },
  'POST /api/in-step/:id/accept': { summary: 'Accept what is suggested for both directions', response: ok },
  'POST /api/in-step/:id/live': { summary: 'Make both directions live', response: ok },
  'POST /api/in-step/:id/turn': {
    summary: 'Switch all of a pair on or off',
    body: z.object({ isOn: z.boolean() }),
    response: ok,
  },
  'POST /api/in-step/:id/check': {
    summary: 'Look at both sides now',
    response: z.object({ runs: z.array(z.string()) }),
  },
  'POST /api/in-step/:id/compare': {
    summary: 'Compare both places by what the pair recognises and copies: who is whom, before anything is written',
    response: z.object({ reconcile: z.string() }),
  },
  'DELETE /api/in-step/:id': {
    summary: 'End a pair; its directions stay as two workflows, and nothing that was written changes',
    response: ok,
  },
} satisfies Record<string, Endpoint>;
