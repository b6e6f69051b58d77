import type { RestDescription } from './description.ts';

/** The practice app Notice board: channels with messages. */
export const noticeBoardDescription: RestDescription = {
  id: 'notice_board',
  title: 'Notice board',
  settlesWithin: 10,
  openapi: '/openapi.json',
  auth: { header: 'Authorization', value: 'Bearer {key}' },
  keyHint: 'On the board’s page “Access keys and faults”. To post messages it needs the right to write.',
  me: { path: '/me', signedInAs: ['/name'], account: '/board', mayWrite: '/may_write', sees: '/sees' },
  within: { path: '/channels', items: '/channels', id: '/id', label: '/name' },
  events: {
    path: '/webhooks',
    items: '/data',
    names: ['{place}.message'],
    id: '/id',
    secret: '/secret',
    record: '/message/id',
    eventId: 'webhook-id',
    signature: 'standard',
  },
  recordTypes: [
    {
      name: 'messages',
      singular: 'message',
      plural: 'messages',
      schema: 'Message',
      inputSchema: 'MessageInput',
      id: '/id',
      created: '/posted_at',
      updated: '/edited_at',
      list: {
        path: '/channels/{place}/messages',
        items: '/messages',
        limit: { query: 'limit', value: 50 },
        cursor: { query: 'cursor', next: '/next' },
        since: 'since',
      },
      fetch: '/channels/{place}/messages/{id}',
      create: '/channels/{place}/messages',
      screen: '/channels/{place}#m{id}',
    },
  ],
};
