import { Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import { type NoticeStore, shown } from './store.ts';

const Written = z.object({ text: z.string().min(1).max(4000), author: z.string().max(80).optional() });

/** The Notice board's HTTP interface: a bearer key, pages of a channel by a cursor. */
export function noticeApi(store: NoticeStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'board'));
  app.get('/openapi.json', (c) => c.json(description));
  app.get('/me', (c) =>
    c.json({
      board: state.account,
      name: c.get('key').name,
      may_write: c.get('key').mayWrite,
      sees: store.channels().map(({ name }) => name),
    }),
  );
  app.get('/channels', (c) => c.json({ channels: store.channels() }));
  app.get('/channels/:channel/messages', (c) => {
    const channel = c.req.param('channel');
    if (!store.channels().some(({ id }) => id === channel))
      return problem(c, 404, 'Not found', 'There is no such channel.');
    const limit = Math.min(100, Number(c.req.query('limit') ?? 50) || 50);
    const page = store.messages.page(limit, c.req.query('cursor'), c.req.query('since'), { channel });
    return c.json({ messages: page.data.map(shown), next: page.next_cursor });
  });
  app.get('/channels/:channel/messages/:id', (c) => {
    const found = store.messages.get(Number(c.req.param('id')));
    if (!found || found.channel !== c.req.param('channel'))
      return problem(c, 404, 'Not found', 'There is no such message.');
    return c.json(shown(found));
  });
  app.post('/channels/:channel/messages', async (c) => {
    const channel = c.req.param('channel');
    if (!store.channels().some(({ id }) => id === channel))
      return problem(c, 404, 'Not found', 'There is no such channel.');
    const read = Written.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 400, 'Not accepted', 'A message needs a text of up to 4,000 characters.');
    const { text, author = c.get('key').name } = read.data;
    return c.json(shown(store.write({ channel, author, text })), 201);
  });
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}

const own = {
  text: { type: 'string', maxLength: 4000 },
  author: { type: 'string', maxLength: 80 },
};

const description = {
  openapi: '3.1.0',
  info: { title: 'Notice board', version: '1' },
  paths: {},
  components: {
    schemas: {
      Message: {
        type: 'object',
        properties: {
          id: { type: 'string', readOnly: true },
          channel: { type: 'string', readOnly: true },
          ...own,
          posted_at: { type: 'string', format: 'date-time', readOnly: true },
          edited_at: { type: 'string', format: 'date-time', readOnly: true },
        },
      },
      MessageInput: { type: 'object', required: ['text'], properties: own },
    },
  },
};
