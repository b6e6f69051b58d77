import { type Context, Hono } from 'hono';
import { z } from 'zod';
import { type AppKey, bearerKeys, type KeyEnv } from '../kit/bearer.ts';
import { problem } from '../kit/problem.ts';
import type { PracticeState } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import type { EnquiryStore, Form } from './store.ts';

const Filled = z.object({
  name: z.string().max(120).nullable().default(null),
  email: z.email().max(120).nullable().default(null),
  phone: z.string().max(40).nullable().default(null),
  message: z.string().max(4000).nullable().default(null),
  answers: z.record(z.string(), z.union([z.string(), z.number(), z.boolean(), z.null()])).default({}),
});

/** The Enquiry box's HTTP interface: a bearer key, pages of a listing by the Link header (RFC 8288). */
export function enquiryApi(store: EnquiryStore, keys: readonly AppKey[], state: PracticeState): Hono<KeyEnv> {
  const app = new Hono<KeyEnv>();
  app.use('*', bearerKeys(keys, 'box'));
  app.get('/openapi.json', (c) => c.json(describe(store.forms())));
  app.get('/me', (c) =>
    c.json({
      box: state.account,
      name: c.get('key').name,
      mayWrite: c.get('key').mayWrite,
      sees: store
        .pages()
        .filter(({ allowed }) => allowed)
        .map(({ title }) => title),
    }),
  );
  app.get('/pages', (c) => c.json({ pages: store.pages() }));
  app.get('/pages/:page/forms', (c) => {
    const page = store.page(c.req.param('page'));
    if (!page) return problem(c, 404, 'Not found', 'There is no such page.');
    if (!page.allowed) return notAllowed(c, page.title);
    return c.json({ forms: store.forms(page.id).map(({ id, title }) => ({ id, title })) });
  });
  app.get('/forms/:form/submissions', (c) => {
    const form = store.form(c.req.param('form'));
    if (!form) return problem(c, 404, 'Not found', 'There is no such form.');
    const page = store.page(form.page);
    if (!page?.allowed) return notAllowed(c, page?.title ?? form.page);
    const perPage = Math.min(100, Number(c.req.query('per_page') ?? 50) || 50);
    const at = Math.max(1, Number(c.req.query('page') ?? 1) || 1);
    const since = c.req.query('since');
    const found = store.submissions.list({ form: form.id }, { limit: perPage + 1, offset: (at - 1) * perPage, since });
    const url = new URL(c.req.url);
    url.searchParams.set('page', String(at + 1));
    if (found.length > perPage) c.header('link', `<${url.href}>; rel="next", <${url.origin}/help>; rel="help"`);
    return c.json({ submissions: found.slice(0, perPage).map((one) => store.shown(one)) });
  });
  app.get('/submissions/:id', (c) => {
    const found = store.submissions.get(Number(c.req.param('id')));
    if (!found) return problem(c, 404, 'Not found', 'There is no such submission.');
    return c.json(store.shown(found));
  });
  app.post('/forms/:form/submissions', async (c) => {
    const form = store.form(c.req.param('form'));
    if (!form) return problem(c, 404, 'Not found', 'There is no such form.');
    const read = Filled.safeParse(await c.req.json().catch(() => null));
    if (!read.success) return problem(c, 400, 'Not accepted', read.error.issues[0]?.message ?? 'Not accepted.');
    return c.json(store.shown(store.submit({ form: form.id, ...read.data })), 201);
  });
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}

const notAllowed = (c: Context, title: string) =>
  problem(
    c,
    403,
    'Not allowed yet',
    `The page “${title}” is newer than the leave that was given. Allow it in the box, under “Access keys and faults”.`,
  );

const kinds = { text: { type: 'string' }, number: { type: 'number' }, yes_or_no: { type: 'boolean' } } as const;

/** The interface as OpenAPI 3.1: what each form asks is a schema of its own. */
function describe(forms: readonly Form[]): object {
  const schemaOf = ({ title, questions }: Form): object => ({
    title,
    type: 'object',
    properties: {
      id: { type: 'string', readOnly: true },
      page: { type: 'string' },
      form: { type: 'string' },
      formTitle: { type: 'string' },
      submittedAt: { type: 'string', format: 'date-time', readOnly: true },
      name: { type: ['string', 'null'], maxLength: 120 },
      email: { type: ['string', 'null'], format: 'email', maxLength: 120 },
      phone: { type: ['string', 'null'], format: 'phone', maxLength: 40 },
      message: { type: ['string', 'null'], maxLength: 4000 },
      answers: {
        type: 'object',
        properties: Object.fromEntries(
          questions.map(({ key, label, kind }) => [key, { ...kinds[kind], title: label }]),
        ),
      },
    },
  });
  return {
    openapi: '3.1.0',
    info: { title: 'Enquiry box', version: '1' },
    paths: {},
    components: { schemas: Object.fromEntries(forms.map((form) => [form.id, schemaOf(form)])) },
  };
}
