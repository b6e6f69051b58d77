import type { RestDescription } from './description.ts';

const paged = (path: string, items: string) => ({
  path,
  items,
  limit: { query: 'limit', value: 50 },
  cursor: { query: 'cursor', next: '/next' },
  since: 'since',
});

/** The practice app Pocket messages: text messages to phones, and the answers to them. */
export const pocketMessagesDescription: RestDescription = {
  id: 'pocket_messages',
  title: 'Pocket messages',
  settlesWithin: 10,
  openapi: '/openapi.json',
  auth: { header: 'Authorization', value: 'Bearer {key}' },
  keyHint: 'On the page “Access keys and faults” of Pocket messages. To send it needs the right to send.',
  me: { path: '/me', signedInAs: ['/name'], account: '/sender', mayWrite: '/may_write', sees: '/sees' },
  idempotencyHeader: 'Idempotency-Key',
  events: {
    path: '/webhooks',
    items: '/data',
    names: ['{type}.received'],
    id: '/id',
    secret: '/secret',
    record: '/reply/id',
    eventId: 'webhook-id',
    signature: 'standard',
  },
  recordTypes: [
    {
      name: 'messages',
      singular: 'text message',
      plural: 'text messages',
      schema: 'Message',
      inputSchema: 'MessageInput',
      id: '/id',
      created: '/sent_at',
      updated: '/sent_at',
      list: paged('/messages', '/messages'),
      fetch: '/messages/{id}',
      create: '/messages',
      message: { to: '/phone', text: '/text' },
    },
    {
      name: 'replies',
      singular: 'answer to a text message',
      plural: 'answers to text messages',
      schema: 'Reply',
      id: '/id',
      created: '/received_at',
      updated: '/received_at',
      list: paged('/replies', '/replies'),
      fetch: '/replies/{id}',
    },
  ],
};
