import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok, wholeFile } from '../schemas.ts';

/** Files that go along with mails. */
export const attachmentsRoutes = {
  'GET /api/attachments': {
    summary: 'The files that can go along with mails',
    response: z.array(z.object({ name: z.string(), size: z.int(), at: z.string() })),
  },
  'POST /api/attachments': {
    summary: 'Keep a file that can go along with mails; one of the same name is replaced. Gives its name',
    body: z.object({
      name: z.string().min(1).max(300),
      mediaType: z.string().max(200),
      /** Base64. */
      bytes: z.string(),
    }),
    mostBody: wholeFile,
    response: z.object({ name: z.string() }),
  },
  'POST /api/attachments/remove': {
    summary: 'Take a file away',
    body: z.object({ name: z.string() }),
    response: ok,
  },
} satisfies Record<string, Endpoint>;
