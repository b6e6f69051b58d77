import type { HttpBindings } from '@hono/node-server';
import { createRoute, OpenAPIHono, z } from '@hono/zod-openapi';
import { tellDocument } from '../kit/document.ts';
import { problem } from '../kit/problem.ts';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import { webhooksApi } from '../kit/webhooks-api.ts';
import type { ShopKey } from './keys.ts';
import { addSales } from './sales-api.ts';
import type { CustomerInput, ShopStore } from './store.ts';

const text = (max: number) => z.string().max(max).nullable();
const fields = {
  first_name: text(60),
  last_name: text(60),
  company: text(80),
  email: z.email().max(120).nullable(),
  phone: z.string().max(40).nullable().openapi({ format: 'phone' }),
  account_type: z.enum(['trade', 'hobby']),
  vat_number: text(20),
  address: z.object({
    street: text(80),
    city: text(60),
    postcode: text(12),
    country: z.string().length(2).nullable().openapi({ format: 'country' }),
  }),
  newsletter: z.boolean(),
};
const CustomerInputSchema = z.object(fields);
const readOnly = { readOnly: true };
const CustomerSchema = z
  .object({
    id: z.int().openapi(readOnly),
    ...fields,
    created_at: z.iso.datetime().openapi(readOnly),
    updated_at: z.iso.datetime().openapi(readOnly),
  })
  .openapi('Customer');
const NewCustomerSchema = CustomerInputSchema.partial()
  .extend({ address: fields.address.partial().optional() })
  .strict()
  .openapi('CustomerInput');
const PageSchema = z
  .object({ data: z.array(CustomerSchema), next_cursor: z.string().nullable() })
  .openapi('CustomerPage');
const ProblemSchema = z
  .object({ type: z.string(), title: z.string(), status: z.int(), detail: z.string() })
  .openapi('Problem');

const json = <T extends z.ZodType>(schema: T, description: string) => ({
  description,
  content: { 'application/json': { schema } },
});
const idParam = z.object({ id: z.coerce.number().int() });
const refused = { 400: json(ProblemSchema, 'Refused'), 404: json(ProblemSchema, 'Not found') };

const blank: CustomerInput = {
  first_name: null,
  last_name: null,
  company: null,
  email: null,
  phone: null,
  account_type: 'hobby',
  vat_number: null,
  address: { street: null, city: null, postcode: null, country: null },
  newsletter: false,
};

/** The shop's HTTP interface: snake_case, a key in the header `Shop-Key`, cursor paging. */
export function shopApi(store: ShopStore, keys: readonly ShopKey[], state: PracticeState) {
  const app = new OpenAPIHono<{ Bindings: HttpBindings; Variables: { key: ShopKey } }>({
    defaultHook: (result, c) => {
      if (result.success) return undefined;
      const errors = result.error.issues.map((issue) => ({
        pointer: `/${issue.path.join('/')}`,
        detail: issue.message,
      }));
      return problem(c, 400, 'Not accepted', errors.map((one) => `${one.pointer.slice(1)}: ${one.detail}`).join('; '), {
        errors,
      });
    },
  });
  tellDocument(app, {
    title: 'Shop counter',
    version: '1',
    description:
      'Customers, products, orders, refunds and bookings of a small shop. Send a key in the header Shop-Key.',
  });
  app.use('*', async (c, next) => {
    if (c.req.path.endsWith('/openapi.json')) return next();
    const key = keys.find((one) => one.key === c.req.header('shop-key'));
    if (!key) return problem(c, 401, 'Not signed in', 'The header Shop-Key holds no key of this shop.');
    // Who may see what is sold may be told of it as well.
    const isTold = /\/webhooks(\/\d+)?$/.test(c.req.path);
    if (c.req.method !== 'GET' && !key.mayWrite && !isTold)
      return problem(c, 403, 'No right', `The key “${key.name}” may read, not write.`);
    c.set('key', key);
    return next();
  });
  app.get('/me', (c) => {
    const key = c.get('key');
    return c.json({
      shop_id: state.account,
      shop: 'Saltmarsh Kiln Supply',
      key_name: key.name,
      may_read: true,
      may_write: key.mayWrite,
      visible: ['customers', 'products', 'orders', 'refunds', 'bookings'],
    });
  });
  app.openapi(
    createRoute({
      method: 'get',
      path: '/customers',
      request: {
        query: z.object({
          limit: z.coerce.number().int().min(1).max(500).default(100),
          cursor: z.string().optional(),
          updated_since: z.iso.datetime().optional(),
          email: z.string().optional(),
        }),
      },
      responses: { 200: json(PageSchema, 'Customers in the order they last changed') },
    }),
    (c) => {
      const { limit, cursor, updated_since, email } = c.req.valid('query');
      const page = store.page(limit, cursor, updated_since, email);
      const data = suffers(state, 'answer_twice') ? page.data.flatMap((one) => [one, one]) : [...page.data];
      return c.json({ ...page, data }, 200);
    },
  );
  app.openapi(
    createRoute({
      method: 'get',
      path: '/customers/{id}',
      request: { params: idParam },
      responses: { 200: json(CustomerSchema, 'The customer'), ...refused },
    }),
    (c) => {
      const customer = store.get(c.req.valid('param').id);
      return customer ? c.json(customer, 200) : (problem(c, 404, 'Not found', 'There is no such customer.') as never);
    },
  );
  app.openapi(
    createRoute({
      method: 'post',
      path: '/customers',
      request: { body: { required: true, content: { 'application/json': { schema: NewCustomerSchema } } } },
      responses: { 201: json(CustomerSchema, 'The new customer'), ...refused },
    }),
    (c) => {
      const input = c.req.valid('json');
      const added = store.add({ ...blank, ...input, address: { ...blank.address, ...input.address } });
      store.webhooks.tell('customers.added', added);
      return c.json(added, 201);
    },
  );
  app.openapi(
    createRoute({
      method: 'patch',
      path: '/customers/{id}',
      request: {
        params: idParam,
        body: { required: true, content: { 'application/json': { schema: NewCustomerSchema } } },
      },
      responses: { 200: json(CustomerSchema, 'The changed customer'), ...refused },
    }),
    (c) => {
      const changed = store.change(c.req.valid('param').id, c.req.valid('json') as Partial<CustomerInput>);
      if (changed) store.webhooks.tell('customers.changed', changed);
      return changed ? c.json(changed, 200) : (problem(c, 404, 'Not found', 'There is no such customer.') as never);
    },
  );
  app.openapi(
    createRoute({
      method: 'delete',
      path: '/customers/{id}',
      request: { params: idParam },
      responses: { 204: { description: 'Removed' }, ...refused },
    }),
    (c) =>
      store.remove(c.req.valid('param').id)
        ? c.body(null, 204)
        : (problem(c, 404, 'Not found', 'There is no such customer.') as never),
  );
  addSales(app, store.sales, state, store.webhooks);
  app.route('/webhooks', webhooksApi(store.webhooks));
  return app;
}
