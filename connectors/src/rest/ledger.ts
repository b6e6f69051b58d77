import type { RestDescription } from './description.ts';

type Type = RestDescription['recordTypes'][number];

/** One kind of record in a company of the Ledger; all are listed, looked up and written alike. */
const type = (name: string, singular: string, schema: string, lookUps: readonly string[], hasScreen = true): Type => ({
  name,
  singular,
  plural: name,
  schema,
  inputSchema: `${schema}Input`,
  id: '/id',
  created: '/createdAt',
  updated: '/modifiedAt',
  list: {
    path: `/{place}/${name}`,
    items: '/items',
    limit: { query: 'pageSize', value: 100 },
    page: { query: 'page', total: '/totalPages' },
    since: 'modifiedSince',
  },
  fetch: `/{place}/${name}/{id}`,
  find: Object.fromEntries(lookUps.map((one) => [`/${one}`, one])),
  create: `/{place}/${name}`,
  update: { method: 'PUT', path: `/{place}/${name}/{id}` },
  remove: `/{place}/${name}/{id}`,
  reference: { field: '/reference', query: 'reference' },
  ...(hasScreen && { screen: `/{place}/${name}/{id}` }),
});

/** The practice app Ledger. */
export const ledgerDescription: RestDescription = {
  id: 'ledger',
  title: 'Ledger',
  settlesWithin: 10,
  openapi: '/openapi.json',
  oauth: {
    clientId: 'golden-relay',
    read: ['ledger.read'],
    write: ['ledger.read', 'ledger.write'],
  },
  me: { path: '/me', signedInAs: ['/name'], account: '/ledger', mayWrite: '/mayWrite', sees: '/companies' },
  errors: { message: '/error/message', fields: '/error/fields', field: 'field', reason: 'reason' },
  within: { path: '/companies', items: '/items', id: '/id', label: '/name' },
  recordTypes: [
    type('customers', 'customer', 'Customer', ['electronicMail', 'name', 'companyId']),
    type('items', 'item', 'Item', ['sellersItemId']),
    type('invoices', 'invoice', 'Invoice', ['invoiceNumber', 'customerId']),
    type('payments', 'payment', 'Payment', ['invoiceId'], false),
    {
      ...type('creditNotes', 'credit note', 'CreditNote', ['creditNoteNumber', 'invoiceId'], false),
      plural: 'credit notes',
    },
  ],
};
