import { z } from 'zod';
import { FormSettingSchema } from '../../forms/setting.ts';
import { refusal } from '../doors/routes.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';

/** Pages on which people fill in what starts a workflow. */
export const formsRoutes = {
  'GET /api/forms/:id': {
    summary: 'A form, its address, its versions, and what was filled in and refused',
    response: z.object({
      name: z.string(),
      url: z.string(),
      /** Whether others than this machine reach it. */
      isPublic: z.boolean(),
      setting: FormSettingSchema,
      version: z.int(),
      /** When each version began. */
      versions: z.array(z.object({ number: z.int(), at: z.string() })),
      counts: z.object({ came: z.int(), repeats: z.int(), refused: z.int() }),
      came: z.array(z.object({ seq: z.int(), at: z.string(), version: z.int(), title: z.string() })),
      refused: z.array(refusal),
    }),
  },
  'PUT /api/forms/:id': {
    summary: 'Change the version `since` of a form, which is another version then',
    body: z.object({ setting: FormSettingSchema, since: z.int() }),
    response: z.object({ version: z.int() }),
  },
  'POST /api/forms/:id/renew': {
    summary: 'Another address; whoever opens the old one is told that it is gone',
    response: ok,
  },
} satisfies Record<string, Endpoint>;
