import { Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import { type PocketStore, shownMessage, shownReply } from './store.ts';

/** The most characters of one message, in however many parts. */
const longest = 1530;

const Sent = z.object({
  phone: z.string().regex(/^\+[1-9]\d{6,14}$/, 'Write the number with its country, such as +441632960771.'),
  text: z.string().min(1, 'A message needs a text.').max(longest, `A message has at most ${longest} characters.`),
});

const ways = { messages: 'out', replies: 'in' } as const;
const shown = { messages: shownMessage, replies: shownReply } as const;

/** Pocket messages' HTTP interface: messages that were sent, and answers to them, by pages with a cursor. */
export function pocketApi(store: PocketStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'sender'));
  app.get('/openapi.json', (c) => c.json(description));
  app.get('/me', (c) =>
    c.json({
      sender: state.account,
      name: c.get('key').name,
      may_write: c.get('key').mayWrite,
      sees: ['messages', 'replies'],
    }),
  );
  for (const kind of ['messages', 'replies'] as const) {
    app.get(`/${kind}`, (c) => {
      const limit = Math.min(100, Number(c.req.query('limit') ?? 50) || 50);
      const page = store.messages.page(limit, c.req.query('cursor'), c.req.query('since'), { way: ways[kind] });
      return c.json({ [kind]: page.data.map(shown[kind]), next: page.next_cursor });
    });
    app.get(`/${kind}/:id`, (c) => {
      const found = store.messages.get(Number(c.req.param('id')));
      if (found?.way !== ways[kind]) return problem(c, 404, 'Not found', 'There is no such message.');
      return c.json(shown[kind](found));
    });
  }
  app.post('/messages', async (c) => {
    const read = Sent.safeParse(await c.req.json().catch(() => null));
    if (!read.success)
      return problem(c, 422, 'Not sent', read.error.issues[0]?.message ?? 'A message needs a number and a text.');
    const { phone: number, text: said } = read.data;
    return c.json(shownMessage(store.send(number, said, c.req.header('idempotency-key'))), 201);
  });
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}

const id = { type: 'string', readOnly: true };
const at = { type: 'string', format: 'date-time', readOnly: true };
const text = { type: 'string', maxLength: longest };
const phone = { type: 'string', format: 'phone' };

const description = {
  openapi: '3.1.0',
  info: { title: 'Pocket messages', version: '1' },
  paths: {},
  components: {
    schemas: {
      Message: { type: 'object', properties: { id, phone, text, sent_at: at } },
      MessageInput: { type: 'object', required: ['phone', 'text'], properties: { phone, text } },
      Reply: {
        type: 'object',
        properties: { id, from: { type: 'string', format: 'phone', readOnly: true }, text, received_at: at },
      },
    },
  },
};
