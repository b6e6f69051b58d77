import { z } from 'zod';
import { SettingsSchema } from '../../settings.ts';
import type { Endpoint } from '../endpoint.ts';
import { balance, ok, workflowRow } from '../schemas.ts';
import { NeedSchema } from './needs.ts';
import { QuietSchema } from './quiet.ts';

/** The routes of this feature. */
export const workspaceRoutes = {
  'GET /api/settings': { summary: 'The workspace', response: SettingsSchema },
  'PUT /api/settings': { summary: 'Change the workspace', body: SettingsSchema, response: SettingsSchema },
  'GET /api/today': {
    summary: 'What needs a person, and each workflow’s day',
    response: z.object({
      balance,
      needs: z.array(NeedSchema),
      workflows: z.array(workflowRow),
      /** Connections that don’t answer for the moment, and are tried again by themselves. */
      pauses: z.array(
        z.object({
          connectionId: z.string(),
          connection: z.string(),
          reason: z.string(),
          since: z.string(),
          until: z.string(),
          /** Records that wait for it. */
          count: z.int(),
        }),
      ),
      /** Workflows that have taken in far less today than they usually have by now. */
      quiet: z.array(QuietSchema),
      /** Comparisons of each day that aren't the same on both sides. */
      drifted: z.array(
        z.object({ id: z.string(), name: z.string(), at: z.string(), count: z.int(), says: z.string() }),
      ),
      /** Why nothing can be stored for the moment, such as a full disk. */
      trouble: z.string().nullable(),
      /** Since when everything is stopped, and why. */
      stopped: z.object({ since: z.string(), why: z.string() }).nullable(),
      /** The last time in which nothing was asked, until somebody has put it away. */
      off: z
        .object({
          from: z.string(),
          to: z.string(),
          caughtUp: z.int(),
          on: z.int(),
          asked: z.int(),
          hasDoors: z.boolean(),
        })
        .nullable(),
    }),
  },
  'GET /api/backups': {
    summary: 'Copies of the data file that lie beside it, the newest first',
    response: z.object({
      folder: z.string(),
      copies: z.array(z.object({ name: z.string(), at: z.string(), bytes: z.int() })),
      trouble: z.string().nullable(),
    }),
  },
  'POST /api/backups': {
    summary: 'Make a copy of the data file now',
    response: z.object({ name: z.string(), at: z.string(), bytes: z.int() }),
  },
  'GET /api/kept-values': {
    summary: 'How much of ended records is kept, and what of it is older than the days in the settings',
    response: z.object({
      /** Of the data file. */
      bytes: z.int(),
      /** Ended records that hold their values still, and that ended earlier; no more than `most` are counted. */
      older: z.int(),
      most: z.int(),
      /** How many have been emptied so far by what is under way; null where nothing is. */
      underWay: z.int().nullable(),
    }),
  },
  'POST /api/kept-values/take-out': {
    summary: 'Begin to take out what is older than the days in the settings',
    response: ok,
  },
  'POST /api/kept-values/stop': { summary: 'Stop taking out; what is out stays out', response: ok },
  'POST /api/stop': {
    summary: 'Stop all that asks, wakes and sends by itself',
    body: z.object({ why: z.string().trim().max(200) }),
    response: ok,
  },
  'POST /api/go-on': { summary: 'Let everything go on', response: ok },
  'POST /api/off/seen': { summary: 'Put the note of an off time away', response: ok },
  'GET /api/apps': {
    summary: 'Apps that can be connected',
    response: z.array(
      z.object({
        id: z.string(),
        title: z.string(),
        holds: z.string(),
        /** True when a person can sign in at the app itself. */
        signsIn: z.boolean(),
        /** True when a key, or a password, does. */
        takesKey: z.boolean(),
        /** True where reading and writing are one right. */
        isOneRight: z.boolean(),
        /** True when a person describes what is called there. */
        isCalled: z.boolean(),
        settings: z.array(
          z.object({
            name: z.string(),
            label: z.string(),
            hint: z.string().optional(),
            isSecret: z.boolean(),
            isOptional: z.boolean().optional(),
            only: z.enum(['key', 'sign_in']).optional(),
            value: z.string().optional(),
          }),
        ),
        makesPlaces: z.boolean(),
        /** Its places are templates that are added here; nothing is read from it. */
        takesTemplates: z.boolean(),
        /** The screens of a practice app. */
        screens: z.string().optional(),
      }),
    ),
  },
} satisfies Record<string, Endpoint>;
