import { z } from 'zod';
import type { Endpoint } from '../endpoint.ts';
import { ok } from '../schemas.ts';

const name = z.string().trim().min(1).max(80);
const text = z.string().trim().min(1).max(20_000);
const textTemplate = z.object({ id: z.string(), name: z.string(), version: z.int(), text: z.string(), at: z.string() });

/** Templates: texts for several workflows. */
export const textTemplatesRoutes = {
  'GET /api/text-templates': {
    summary: 'The templates: texts for several workflows',
    response: z.array(textTemplate),
  },
  'POST /api/text-templates': {
    summary: 'Save a text as a template under a name. Gives its id',
    body: z.object({ name, text }),
    response: z.object({ id: z.string() }),
  },
  'GET /api/text-templates/:id': {
    summary: 'A template with its versions, where it is used, and for how many who wait it comes in an older one',
    response: textTemplate.extend({
      versions: z.array(z.object({ number: z.int(), text: z.string(), at: z.string() })),
      uses: z.array(
        z.object({
          id: z.string(),
          name: z.string(),
          isOn: z.boolean(),
          draft: z.int().nullable(),
          live: z.int().nullable(),
          waiting: z.int(),
          lacking: z.array(z.string()),
        }),
      ),
    }),
  },
  'PUT /api/text-templates/:id': {
    summary: 'Change the version `since` of a text, which is another version then, or its name',
    body: z.object({ since: z.int(), name, text }),
    response: ok,
  },
  'POST /api/text-templates/:id/drafts': {
    summary: 'Put the newest words of a text into the drafts of workflows that use it. Gives how many were changed',
    body: z.object({ workflows: z.array(z.string()).max(500) }),
    response: z.object({ count: z.int() }),
  },
  'DELETE /api/text-templates/:id': {
    summary: 'Remove a template; workflows that were given its words have them still',
    response: ok,
  },
} satisfies Record<string, Endpoint>;
