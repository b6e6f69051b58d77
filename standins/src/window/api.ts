import { Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { Kept } from '../kit/records.ts';
import type { PracticeState } from '../kit/trouble.ts';
import type { Entry, Mention, Section, WindowStore } from './store.ts';

const Given = z.object({
  section: z.coerce.number().int(),
  title: z.string().trim().min(1, 'An entry needs a title.').max(160),
  text: z.string().max(2000).optional(),
  author: z.string().max(120).nullable().optional(),
  link: z.url('This is no web address.').max(400).nullable().optional(),
  state: z.enum(['hidden', 'shown']).optional(),
});

const mostAtOnce = 100;
const Many = z.object({ entries: z.array(z.unknown()).min(1).max(mostAtOnce) });

const times = ({ created_at, updated_at }: Kept) => ({ made: created_at, changed: updated_at });
const sectionOf = (one: Section & Kept) => ({ id: String(one.id), name: one.name, ...times(one) });
const mentionOf = (one: Mention & Kept) => ({
  id: String(one.id),
  where: one.where,
  author: one.author,
  text: one.text,
  link: one.link,
  ...times(one),
});
const entryOf = (one: Entry & Kept) => ({
  id: String(one.id),
  section: String(one.section),
  title: one.title,
  text: one.text,
  author: one.author,
  link: one.link,
  state: one.state,
  ...times(one),
});

/** The Window display's interface: sections, entries that are hidden or shown, and mentions of the shop. */
export function windowApi(store: WindowStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'window'));
  app.get('/openapi.json', (c) => c.json(document));
  app.get('/me', (c) => c.json({ site: state.account, name: c.get('key').name, may_write: c.get('key').mayWrite }));
  app.get('/sections', (c) => {
    const name = c.req.query('name');
    const where = name === undefined ? {} : { name };
    const page = store.sections.page(50, c.req.query('after'), c.req.query('since'), where);
    return c.json({ sections: page.data.map(sectionOf), after: page.next_cursor });
  });
  app.get('/sections/:id', (c) => {
    const found = store.sections.get(Number(c.req.param('id')));
    return found ? c.json(sectionOf(found)) : problem(c, 404, 'Not found', 'There is no such section.');
  });
  app.get('/mentions', (c) => {
    const link = c.req.query('link');
    const page = store.mentions.page(
      50,
      c.req.query('after'),
      c.req.query('since'),
      link === undefined ? {} : { link },
    );
    return c.json({ mentions: page.data.map(mentionOf), after: page.next_cursor });
  });
  app.get('/mentions/:id', (c) => {
    const found = store.mentions.get(Number(c.req.param('id')));
    return found ? c.json(mentionOf(found)) : problem(c, 404, 'Not found', 'There is no such mention.');
  });
  app.get('/entries', (c) => {
    const { section, link } = c.req.query();
    const where = { ...(section !== undefined && { section }), ...(link !== undefined && { link }) };
    const page = store.entries.page(50, c.req.query('after'), c.req.query('since'), where);
    return c.json({ entries: page.data.map(entryOf), after: page.next_cursor });
  });
  app.get('/entries/:id', (c) => {
    const found = store.entries.get(Number(c.req.param('id')));
    return found ? c.json(entryOf(found)) : problem(c, 404, 'Not found', 'There is no such entry.');
  });
  app.post('/entries', async (c) => {
    const read = Given.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 422, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    if (!store.sections.get(read.data.section)) return problem(c, 422, 'Not accepted', 'There is no such section.');
    // Whoever says nothing shows it at once: that is how the website has always done it.
    const { text = '', author = null, link = null, state: shown = 'shown', ...rest } = read.data;
    const made = store.addOnce(c.req.header('idempotency-key'), { ...rest, text, author, link, state: shown });
    return c.json(entryOf(made), 201);
  });
  // Each is taken by itself; the same call with the same key is done once.
  app.post('/entries/batch', async (c) => {
    const read = Many.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 422, 'Not accepted', `It takes 1 to ${mostAtOnce} entries.`);
    const answer = store.answerOnce(c.req.header('idempotency-key'), () => ({
      results: read.data.entries.map((one) => {
        const given = Given.safeParse(one);
        if (!given.success) return { reason: given.error.issues[0]?.message ?? 'Not accepted.' };
        if (!store.sections.get(given.data.section)) return { reason: 'There is no such section.' };
        const { text = '', author = null, link = null, state: shown = 'shown', ...rest } = given.data;
        return { entry: entryOf(store.entries.add({ ...rest, text, author, link, state: shown })) };
      }),
    }));
    return c.json(answer);
  });
  app.patch('/entries/:id', async (c) => {
    const found = store.entries.get(Number(c.req.param('id')));
    if (!found) return problem(c, 404, 'Not found', 'There is no such entry.');
    const read = Given.partial().safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 422, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    const given = Object.fromEntries(Object.entries(read.data).filter(([, value]) => value !== undefined));
    return c.json(entryOf(store.entries.change(found.id, given) ?? found));
  });
  app.delete('/entries/:id', (c) =>
    store.entries.remove(Number(c.req.param('id')))
      ? c.body(null, 204)
      : problem(c, 404, 'Not found', 'There is no such entry.'),
  );
  return app;
}

const at = { type: 'string', format: 'date-time', readOnly: true };
const id = { type: 'string', readOnly: true };
const own = {
  section: { type: 'string', 'x-id-of': 'sections' },
  title: { type: 'string', maxLength: 160 },
  text: { type: 'string', maxLength: 2000 },
  author: { type: ['string', 'null'], maxLength: 120 },
  link: { type: ['string', 'null'], format: 'uri', maxLength: 400 },
  state: { type: 'string', enum: ['hidden', 'shown'] },
};

/** The interface as OpenAPI 3.1. */
const document = {
  openapi: '3.1.0',
  info: { title: 'Window display', version: '1' },
  paths: {},
  components: {
    schemas: {
      Section: { type: 'object', properties: { id, name: { type: 'string', readOnly: true }, made: at, changed: at } },
      Entry: { type: 'object', properties: { id, ...own, made: at, changed: at } },
      EntryInput: { type: 'object', required: ['section', 'title'], properties: own },
      Mention: {
        type: 'object',
        properties: {
          id,
          where: { type: 'string', readOnly: true },
          author: { type: 'string', readOnly: true },
          text: { type: 'string', readOnly: true },
          link: { type: 'string', format: 'uri', readOnly: true },
          made: at,
          changed: at,
        },
      },
    },
  },
};
