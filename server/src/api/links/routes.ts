import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok, placeKey, wholeFile } from '../schemas.ts';

/** A remembered pair. */
export const linkRow = z.object({
  id: z.string(),
  from: z.object({ connection: z.string(), place: z.array(z.string()), id: z.string() }),
  to: z.object({ connection: z.string(), place: z.array(z.string()), id: z.string() }),
  title: z.string().nullable(),
  fromUrl: z.string().nullable(),
  toUrl: z.string().nullable(),
  origin: z.enum(['found', 'created', 'chosen', 'imported', 'corrected']),
  probability: z.number().nullable(),
  madeAt: z.string(),
});

/** The routes of this feature. */
export const linksRoutes = {
  'GET /api/links': {
    summary: 'Which record is remembered to be which, the newest first',
    query: z.object({ search: z.string().default(''), workflow: z.string().optional() }),
    response: z.object({ total: z.int(), links: z.array(linkRow) }),
  },
  'PUT /api/links/:id': {
    summary: 'Correct a link: it leads to another record of the same place',
    body: z.object({ toId: z.string().min(1, 'Say which record it is.') }),
    response: ok,
  },
  'DELETE /api/links/:id': { summary: 'Remove a link: the next change searches for its record again', response: ok },
  'POST /api/links/import': {
    summary: 'Links that another system has already: lines of two ids, from and to',
    body: z.object({ from: placeKey, to: placeKey, text: z.string().max(20_000_000) }),
    mostBody: wholeFile,
    response: z.object({ taken: z.int(), left: z.array(z.string()) }),
  },
} satisfies Record<string, Endpoint>;
