import type { RestDescription } from './description.ts';

/** The practice app Newsletter list: lists with their subscribers, who unsubscribe there. */
export const newsletterListDescription: RestDescription = {
  id: 'newsletter_list',
  title: 'Newsletter list',
  settlesWithin: 10,
  openapi: '/openapi.json',
  auth: { header: 'Authorization', value: 'Bearer {key}' },
  keyHint: 'On the page “Access keys and faults” of the Newsletter list. To add people it needs the right to write.',
  me: { path: '/me', signedInAs: ['/name'], account: '/publisher', mayWrite: '/may_write', sees: '/sees' },
  within: { path: '/lists', items: '/lists', id: '/id', label: '/name' },
  events: {
    path: '/webhooks',
    items: '/data',
    names: ['{place}.subscriber'],
    id: '/id',
    secret: '/secret',
    record: '/subscriber/id',
    eventId: 'webhook-id',
    signature: 'standard',
  },
  recordTypes: [
    {
      name: 'subscribers',
      singular: 'subscriber',
      plural: 'subscribers',
      schema: 'Subscriber',
      inputSchema: 'SubscriberInput',
      id: '/id',
      created: '/joined_at',
      updated: '/changed_at',
      list: {
        path: '/lists/{place}/subscribers',
        items: '/subscribers',
        limit: { query: 'limit', value: 50 },
        cursor: { query: 'cursor', next: '/next' },
        since: 'since',
      },
      fetch: '/lists/{place}/subscribers/{id}',
      find: { '/email': 'email' },
      create: '/lists/{place}/subscribers',
      update: { method: 'PATCH', path: '/lists/{place}/subscribers/{id}' },
      remove: '/lists/{place}/subscribers/{id}',
      screen: '/lists/{place}#s{id}',
    },
  ],
};
