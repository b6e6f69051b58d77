import type { RestDescription } from './description.ts';

/** The practice app Shop counter. */
export const shopCounterDescription: RestDescription = {
  id: 'shop_counter',
  title: 'Shop counter',
  openapi: '/openapi.json',
  auth: { header: 'Shop-Key', value: '{key}' },
  keyHint: 'A key from the shop’s page “Keys and trouble”. Copying from the shop needs only the right to read.',
  me: { path: '/me', signedInAs: ['/key_name', '/shop'], mayWrite: '/may_write', sees: '/visible' },
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
  ],
};
