import { Hono } from 'hono';
import { z } from 'zod';
import type { KeyEnv } from './bearer.ts';
import { problem } from './problem.ts';
import type { Webhooks } from './webhooks.ts';

const Wanted = z.object({ url: z.url(), events: z.array(z.string().max(120)).max(20).default([]) });

/** Who is told of what: kept with a secret of their own that signs each message. */
export function webhooksApi(webhooks: Webhooks): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.get('/', (c) => c.json({ data: webhooks.list().map(({ id, url, events }) => ({ id, url, events })) }));
  app.post('/', async (c) => {
    const read = Wanted.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 400, 'Not accepted', 'A webhook needs a url, and may name its events.');
    return c.json(webhooks.add(read.data.url, read.data.events), 201);
  });
  app.delete('/:id', (c) =>
    webhooks.remove(Number(c.req.param('id')))
      ? c.body(null, 204)
      : problem(c, 404, 'Not found', 'There is no such webhook.'),
  );
  return app;
}
