import { z } from 'zod';
import { unsubscribedHow } from '../../db/schema.ts';
import type { Endpoint } from '../endpoint.ts';
import { ok, wholeFile } from '../schemas.ts';

const unsubscribed = z.object({
  id: z.string(),
  /** An e-mail address, or a telephone number in E.164. */
  contact: z.string(),
  at: z.string(),
  how: z.enum(unsubscribedHow),
  said: z.string().nullable(),
  back: z.object({ at: z.string(), why: z.string() }).nullable(),
});

/** The routes of this feature. */
export const consentRoutes = {
  'GET /api/unsubscribed': {
    summary: 'Who doesn’t want news any more, the newest first; with those who came back',
    query: z.object({ search: z.string().default(''), from: z.coerce.number().int().min(0).default(0) }),
    response: z.object({ total: z.int(), now: z.int(), rows: z.array(unsubscribed) }),
  },
  'POST /api/unsubscribed': {
    summary: 'Put people on the list: lines with an e-mail address or a telephone number in them',
    body: z.object({
      text: z.string().min(1, 'Enter an e-mail address.').max(20_000_000),
      how: z.enum(['person', 'list']),
      said: z.string().trim().max(400).default(''),
    }),
    mostBody: wholeFile,
    response: z.object({ added: z.int(), already: z.int(), unread: z.array(z.string()) }),
  },
  'POST /api/unsubscribed/:id/back': {
    summary: 'Take somebody off the list, because they asked for it',
    body: z.object({ why: z.string().trim().min(1, 'Say when and how they asked for it.').max(400) }),
    response: ok,
  },
} satisfies Record<string, Endpoint>;
