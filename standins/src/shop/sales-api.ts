import type { HttpBindings } from '@hono/node-server';
import { createRoute, type OpenAPIHono, z } from '@hono/zod-openapi';
import { problem } from '../kit/problem.ts';
import type { Kept, RecordTable } from '../kit/records.ts';
import { type PracticeState, suffers } from '../kit/trouble.ts';
import type { ShopKey } from './keys.ts';
import { orderStates, type Sales, totalsOf } from './sales.ts';
import type { ShopWebhooks } from './webhooks.ts';

type ShopApp = OpenAPIHono<{ Bindings: HttpBindings; Variables: { key: ShopKey } }>;

const readOnly = { readOnly: true };
/** Money as decimal text; the field named by `x-currency` says of which currency. */
const money = () =>
  z
    .string()
    .regex(/^-?\d+\.\d{2}$/, 'an amount such as 12.50')
    .openapi({ format: 'money', 'x-currency': '/currency' });
const currency = z.string().length(3);
const rate = z
  .string()
  .regex(/^\d+(\.\d{1,2})?$/)
  .openapi({ format: 'decimal' });
const text = (max: number) => z.string().max(max).nullable();
const instants = {
  created_at: z.iso.datetime().openapi(readOnly),
  updated_at: z.iso.datetime().openapi(readOnly),
};
const id = z.int().openapi(readOnly);

const productFields = {
  sku: z.string().max(24),
  name: z.string().max(80),
  price: money(),
  currency,
  tax_rate: rate,
  in_stock: z.int(),
  is_active: z.boolean(),
};
const ProductSchema = z.object({ id, ...productFields, ...instants }).openapi('Product');
const ProductInput = z.object(productFields).strict().openapi('ProductInput');

const lineFields = {
  sku: z.string().max(24),
  name: z.string().max(80),
  quantity: z.int().min(1),
  unit_price: money(),
  discount: money(),
  tax_rate: rate,
};
const orderFields = {
  number: z.string().max(20),
  status: z.enum(orderStates),
  customer_id: z.int().nullable().openapi({ 'x-id-of': 'customers' }),
  customer_name: z.string().max(120),
  email: z.email().max(120).nullable(),
  phone: z.string().max(40).nullable().openapi({ format: 'phone' }),
  company: text(80),
  currency,
  placed_at: z.iso.datetime(),
  paid_at: z.iso.datetime().nullable(),
  ship_to: z.object({
    street: text(80),
    city: text(60),
    postcode: text(12),
    country: z.string().length(2).nullable().openapi({ format: 'country' }),
  }),
  shipping: money(),
  note: text(500),
};
const OrderSchema = z
  .object({
    id,
    ...orderFields,
    lines: z.array(z.object({ ...lineFields, line_total: money().openapi(readOnly) })),
    tax_total: money().openapi(readOnly),
    total: money().openapi(readOnly),
    ...instants,
  })
  .openapi('Order');
const OrderInput = z
  .object({ ...orderFields, lines: z.array(z.object(lineFields).strict()).min(1) })
  .strict()
  .openapi('OrderInput');

const refundFields = {
  order_id: z.int().openapi({ 'x-id-of': 'orders' }),
  order_number: z.string().max(20),
  amount: money(),
  currency,
  reason: text(200),
};
const RefundSchema = z.object({ id, ...refundFields, ...instants }).openapi('Refund');
const RefundInput = z.object(refundFields).strict().openapi('RefundInput');

const bookingFields = {
  number: z.string().max(20),
  status: z.enum(['booked', 'cancelled']),
  day: z.iso.date(),
  name: z.string().max(120),
  email: z.email().max(120),
  phone: z.string().max(40).nullable().openapi({ format: 'phone' }),
  places: z.int().min(1),
};
const BookingSchema = z.object({ id, ...bookingFields, ...instants }).openapi('Booking');
const BookingInput = z.object(bookingFields).strict().openapi('BookingInput');

const json = <T extends z.ZodType>(schema: T, description: string) => ({
  description,
  content: { 'application/json': { schema } },
});
const Problem = z.object({ title: z.string(), status: z.int(), detail: z.string() });

/** Products, orders, refunds and bookings on the shop's interface; all but products tell those who asked to be told. */
export function addSales(app: ShopApp, sales: Sales, state: PracticeState, webhooks: ShopWebhooks): void {
  collection(app, state, webhooks, 'products', sales.products, ProductSchema, ProductInput, ['sku'], (one) => one);
  collection(
    app,
    state,
    webhooks,
    'orders',
    sales.orders,
    OrderSchema,
    OrderInput,
    ['number', 'status', 'email'],
    (order) => {
      const { lines, shipping } = order as unknown as { lines: Parameters<typeof totalsOf>[0]; shipping: string };
      return { ...order, ...totalsOf(lines, shipping) };
    },
  );
  collection(app, state, webhooks, 'refunds', sales.refunds, RefundSchema, RefundInput, ['order_number'], (one) => one);
  const lookUps = ['number', 'email'];
  collection(app, state, webhooks, 'bookings', sales.bookings, BookingSchema, BookingInput, lookUps, (one) => one);
}

function collection<T extends object>(
  app: ShopApp,
  state: PracticeState,
  webhooks: ShopWebhooks,
  name: string,
  table: RecordTable<T>,
  schema: z.ZodType,
  input: z.ZodObject,
  lookUps: readonly string[],
  complete: (record: Record<string, unknown>) => Record<string, unknown>,
): void {
  const tell = (event: string, record: (T & Kept) | undefined): void => {
    if (record) webhooks.tell(`${name}.${event}`, record);
  };
  const missing = (c: Parameters<typeof problem>[0]) =>
    problem(c, 404, 'Not found', 'There is no such record.') as never;
  const params = z.object({ id: z.coerce.number().int() });
  const query = z.object({
    limit: z.coerce.number().int().min(1).max(500).default(100),
    cursor: z.string().optional(),
    updated_since: z.iso.datetime().optional(),
    ...Object.fromEntries(lookUps.map((one) => [one, z.string().optional()])),
  });
  const body = (of: z.ZodType) => ({ required: true, content: { 'application/json': { schema: of } } });
  app.openapi(
    createRoute({
      method: 'get',
      path: `/${name}`,
      request: { query },
      responses: {
        200: json(
          z.object({ data: z.array(schema), next_cursor: z.string().nullable() }),
          'In the order they last changed',
        ),
      },
    }),
    (c) => {
      const asked = c.req.valid('query') as Record<string, string | undefined> & { limit: number };
      const where = Object.fromEntries(lookUps.flatMap((one) => (asked[one] ? [[one, asked[one]]] : [])));
      const page = table.page(asked.limit, asked['cursor'], asked['updated_since'], where);
      const data = suffers(state, 'answer_twice') ? page.data.flatMap((one) => [one, one]) : page.data;
      return c.json({ ...page, data } as never, 200);
    },
  );
  app.openapi(
    createRoute({
      method: 'get',
      path: `/${name}/{id}`,
      request: { params },
      responses: { 200: json(schema, 'The record'), 404: json(Problem, 'Not found') },
    }),
    (c) => {
      const found = table.get(c.req.valid('param').id);
      return found ? c.json(found as never, 200) : missing(c);
    },
  );
  app.openapi(
    createRoute({
      method: 'post',
      path: `/${name}`,
      request: { body: body(input) },
      responses: { 201: json(schema, 'Added'), 400: json(Problem, 'Refused') },
    }),
    (c) => {
      const added = table.add(complete(c.req.valid('json') as Record<string, unknown>) as T);
      tell('added', added);
      return c.json(added as never, 201);
    },
  );
  app.openapi(
    createRoute({
      method: 'patch',
      path: `/${name}/{id}`,
      request: { params, body: body(input.partial()) },
      responses: { 200: json(schema, 'Changed'), 404: json(Problem, 'Not found') },
    }),
    (c) => {
      const before = table.get(c.req.valid('param').id);
      if (!before) return missing(c);
      const { id: _id, created_at: _created, updated_at: _updated, ...old } = before;
      const changed = table.change(before.id, complete({ ...old, ...(c.req.valid('json') as object) }) as T);
      tell('changed', changed);
      return c.json(changed as never, 200);
    },
  );
  app.openapi(
    createRoute({
      method: 'delete',
      path: `/${name}/{id}`,
      request: { params },
      responses: { 204: { description: 'Removed' }, 404: json(Problem, 'Not found') },
    }),
    (c) => {
      const before = table.get(c.req.valid('param').id);
      if (!before || !table.remove(before.id)) return missing(c);
      tell('removed', before);
      return c.body(null, 204) as never;
    },
  );
}
