import { z } from 'zod';
import { TellingSchema } from '../../telling/telling.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';

const told = z.object({
  telling: TellingSchema,
  /** Connections through which mails can be sent, and web addresses to which events can be posted. */
  senders: z.array(z.object({ id: z.string(), name: z.string(), kind: z.enum(['mail', 'event']) })),
  /** Why the last could not be sent. */
  trouble: z.string().nullable(),
});

/** Who is told of what, and when. */
export const tellingRoutes = {
  'GET /api/telling': { summary: 'Who is told of what, and when', response: told },
  'PUT /api/telling': { summary: 'Change who is told of what', body: TellingSchema, response: told },
  'POST /api/telling/try': { summary: 'Send one now, to see whether it comes', body: TellingSchema, response: ok },
} satisfies Record<string, Endpoint>;
