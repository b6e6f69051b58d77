import type { RestDescription, RestRecordType } from './description.ts';

const lookUps: Readonly<Record<string, readonly string[]>> = {
  companies: ['name', 'email', 'phone', 'taxNumber'],
  people: ['email', 'phone', 'lastName', 'company'],
  leads: ['email', 'name'],
  deals: ['title'],
};

/** One record type of the Card index; all are listed, looked up, written and merged alike. */
export const cardType = (name: string, singular: string): RestRecordType => ({
  name,
  singular,
  plural: name,
  schema: name,
  id: '/id',
  created: '/createdAt',
  updated: '/updatedAt',
  list: {
    path: `/${name}`,
    items: '/data',
    limit: { query: 'page[size]', value: 100 },
    nextLink: '/links/next',
    since: 'filter[changedSince]',
  },
  fetch: `/${name}/{id}`,
  find: Object.fromEntries((lookUps[name] ?? ['name']).map((one) => [`/${one}`, `filter[${one}]`])),
  create: `/${name}`,
  update: { method: 'PATCH', path: `/${name}/{id}` },
  remove: `/${name}/{id}`,
  merge: `/${name}/{id}/merge`,
  retired: '/archived',
  screen: `/${name}/{id}`,
  newScreen: `/${name}/new`,
});

/** The practice app Card index. */
export const cardIndexDescription: RestDescription = {
  id: 'card_index',
  title: 'Card index',
  openapi: '/openapi.json',
  dialect: 'json_api',
  auth: { header: 'Authorization', value: 'Bearer {key}' },
  keyHint: 'On the index’s page “Access keys and faults”.',
  idempotencyHeader: 'Idempotency-Key',
  keepsKeysFor: 24,
  settlesWithin: 10,
  errors: { message: '/errors/0/detail', fields: '/errors', field: 'source', reason: 'detail' },
  me: { path: '/me', signedInAs: ['/name'], account: '/index', mayWrite: '/mayWrite', sees: '/sees' },
  ownTypes: { path: '/record-types', items: '/data', name: '/name', singular: '/singular', like: 'leads' },
  recordTypes: [
    cardType('companies', 'company'),
    cardType('people', 'person'),
    cardType('leads', 'lead'),
    cardType('deals', 'deal'),
  ],
};
