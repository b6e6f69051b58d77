import type { RestDescription } from './description.ts';

type Type = RestDescription['recordTypes'][number];

/** What the shop sold and sells; all are listed, looked up and written alike. */
const sold = (name: string, singular: string, schema: string, lookUps: readonly string[]): Type => ({
  name,
  singular,
  plural: name,
  schema,
  inputSchema: `${schema}Input`,
  id: '/id',
  created: '/created_at',
  updated: '/updated_at',
  list: {
    path: `/${name}`,
    items: '/data',
    limit: { query: 'limit', value: 200 },
    cursor: { query: 'cursor', next: '/next_cursor' },
    since: 'updated_since',
  },
  fetch: `/${name}/{id}`,
  find: Object.fromEntries(lookUps.map((one) => [`/${one}`, one])),
  create: `/${name}`,
  update: { method: 'PATCH', path: `/${name}/{id}` },
  remove: `/${name}/{id}`,
  screen: `/${name}/{id}`,
  ...(name === 'orders' && { newScreen: '/orders/new' }),
});

/** The practice app Shop counter. */
export const shopCounterDescription: RestDescription = {
  id: 'shop_counter',
  title: 'Shop counter',
  settlesWithin: 10,
  openapi: '/openapi.json',
  auth: { header: 'Shop-Key', value: '{key}' },
  keyHint: 'A key from the shop’s page “Access keys and faults”. Copying from the shop needs only the right to read.',
  me: {
    path: '/me',
    signedInAs: ['/key_name', '/shop'],
    account: '/shop_id',
    mayWrite: '/may_write',
    sees: '/visible',
  },
  events: {
    path: '/webhooks',
    items: '/data',
    names: ['{type}.added', '{type}.changed'],
    id: '/id',
    secret: '/secret',
    record: '/record/id',
    eventId: 'shop-message',
    signature: {
      header: 'shop-signature',
      algorithm: 'sha256',
      encoding: 'base64',
      prefix: '',
      signs: '{id}.{time}.{body}',
      timeHeader: 'shop-time',
      idHeader: 'shop-message',
    },
  },
  recordTypes: [
    {
      name: 'customers',
      singular: 'customer',
      plural: 'customers',
      schema: 'Customer',
      inputSchema: 'CustomerInput',
      id: '/id',
      created: '/created_at',
      updated: '/updated_at',
      list: {
        path: '/customers',
        items: '/data',
        limit: { query: 'limit', value: 200 },
        cursor: { query: 'cursor', next: '/next_cursor' },
        since: 'updated_since',
      },
      fetch: '/customers/{id}',
      find: { '/email': 'email' },
      create: '/customers',
      update: { method: 'PATCH', path: '/customers/{id}' },
      remove: '/customers/{id}',
      screen: '/customers/{id}',
      newScreen: '/customers/new',
    },
    sold('products', 'product', 'Product', ['sku']),
    sold('orders', 'order', 'Order', ['number', 'email']),
    sold('refunds', 'refund', 'Refund', ['order_number']),
    sold('bookings', 'booking', 'Booking', ['number', 'email']),
  ],
};
