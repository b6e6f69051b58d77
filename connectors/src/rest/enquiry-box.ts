import type { RestDescription } from './description.ts';

/** The practice app Enquiry box: pages of a website, each with forms, each with what was filled in. */
export const enquiryBoxDescription: RestDescription = {
  id: 'enquiry_box',
  title: 'Enquiry box',
  settlesWithin: 10,
  openapi: '/openapi.json',
  auth: { header: 'Authorization', value: 'Bearer {key}' },
  keyHint: 'On the box’s page “Access keys and faults”. Copying from it needs only the right to read.',
  me: { path: '/me', signedInAs: ['/name'], account: '/box', mayWrite: '/mayWrite', sees: '/sees' },
  within: { path: '/pages', items: '/pages', id: '/id', label: '/title', allowed: '/allowed' },
  ownTypes: {
    path: '/pages/{place}/forms',
    items: '/forms',
    name: '/id',
    singular: '/id',
    label: '/title',
    like: 'submissions',
  },
  events: {
    path: '/webhooks',
    items: '/data',
    names: ['{type}.submitted'],
    id: '/id',
    secret: '/secret',
    record: '/data/id',
    eventId: 'webhook-id',
    signature: 'standard',
  },
  recordTypes: [
    {
      name: 'submissions',
      singular: 'submission',
      plural: 'submissions',
      isModel: true,
      schema: '{type}',
      id: '/id',
      created: '/submittedAt',
      updated: '/submittedAt',
      list: {
        path: '/forms/{type}/submissions',
        items: '/submissions',
        limit: { query: 'per_page', value: 50 },
        linkHeader: true,
        since: 'since',
      },
      fetch: '/submissions/{id}',
      screen: '/submissions/{id}',
    },
  ],
};
