import { emptyContent, type Filling, formatPointer, type Place, type Tidy, type WorkflowContent } from '@golden/core';

/** A field of the record that starts it, tidied. */
export const field = (path: string, ...tidies: Tidy[]): Filling => ({
  kind: 'field',
  ref: { step: 'start', path },
  tidies,
});
/** The name that the shop keeps in two parts. */
const wholeName: Filling = {
  kind: 'text',
  parts: [
    { kind: 'field', ref: { step: 'start', path: '/first_name' } },
    { kind: 'words', text: ' ' },
    { kind: 'field', ref: { step: 'start', path: '/last_name' } },
  ],
  tidies: [{ kind: 'squeeze' }],
};
const to = (column: string): string => formatPointer([column]);

/** The ready workflow of the demo: shop customers in Britain and Ireland onto the front desk's list. */
export function customersOntoTheList(source: Place, target: Place, since: string): WorkflowContent {
  return {
    ...emptyContent('Shop customers onto the customer list'),
    note: 'The front desk rings from this list, so telephone numbers are in one form.',
    start: {
      source,
      on: 'added_or_changed',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'since', at: since },
    },
    steps: [
      {
        id: 'keep',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [
            {
              kind: 'test',
              ref: { step: 'start', path: '/address/country' },
              operator: 'is_one_of',
              values: ['GB', 'IE'],
            },
            { kind: 'test', ref: { step: 'start', path: '/email' }, operator: 'is_not_empty', values: [] },
          ],
        },
        note: 'Overseas accounts go to the agent, not to us.',
      },
      {
        id: 'list',
        kind: 'write',
        target,
        mode: 'create_or_update',
        firstDifference: 'source',
        key: to('Number'),
        mapping: {
          [to('Number')]: field('/id'),
          [to('Name')]: wholeName,
          [to('Company')]: field('/company', { kind: 'squeeze' }),
          [to('E-mail')]: field('/email', { kind: 'lower' }),
          [to('Phone')]: field('/phone', { kind: 'phone' }),
          [to('Street')]: field('/address/street'),
          [to('Postcode')]: field('/address/postcode', { kind: 'upper' }),
          [to('Country')]: field('/address/country'),
          [to('Account')]: field('/account_type'),
          [to('Since')]: field('/created_at', { kind: 'date' }),
        },
      },
    ],
  };
}

/** A shop customer whose account becomes a trade account is put onto the bookkeeper's list, once. */
export function newTradeAccounts(source: Place, target: Place): WorkflowContent {
  return {
    ...emptyContent('New trade accounts for the bookkeeper'),
    note: 'Fires when an account becomes trade, not for those that are it already.',
    start: {
      source,
      on: 'becomes',
      becomes: { path: '/account_type', value: 'trade' },
      trigger: { kind: 'every', minutes: 15 },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'accounts',
        kind: 'write',
        target,
        mode: 'append',
        mapping: {
          [to('Number')]: field('/id'),
          [to('Company')]: field('/company', { kind: 'squeeze' }),
          [to('Name')]: wholeName,
          [to('E-mail')]: field('/email', { kind: 'lower' }),
          [to('Tax number')]: field('/vat_number', { kind: 'squeeze' }),
          [to('Seen')]: field('/updated_at', { kind: 'date' }),
        },
      },
    ],
  };
}

/** Enquiries from the open day's list onto the front desk's tab of them. */
export function enquiriesOntoTheTab(source: Place, target: Place): WorkflowContent {
  return {
    ...emptyContent('Open-day enquiries for the front desk'),
    note: 'The list comes as a file from the till; each name is taken over once.',
    start: {
      source,
      on: 'added',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: 'all' },
      identity: to('E-mail'),
    },
    steps: [
      {
        id: 'open-day',
        kind: 'write',
        target,
        mode: 'create_or_update',
        firstDifference: 'source',
        key: to('E-mail'),
        mapping: {
          [to('Name')]: field(to('Name'), { kind: 'squeeze' }),
          [to('E-mail')]: field(to('E-mail'), { kind: 'lower' }),
        },
      },
    ],
  };
}

/** Leads who want news onto the list of the newsletter, each address once, the name in its two parts. */
export function leadsOntoTheNewsletter(source: Place, target: Place): WorkflowContent {
  const name = { 'lead.name': { step: 'start', path: '/name' } };
  return {
    ...emptyContent('Leads onto the newsletter list'),
    note: 'Only who asked for news. Somebody who is on the list already is not added again.',
    start: { source, on: 'added', trigger: { kind: 'every', minutes: 60 }, fromWhen: { kind: 'now' } },
    steps: [
      {
        id: 'wanted',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [
            { kind: 'test', ref: { step: 'start', path: '/wantsNews' }, operator: 'is_yes', values: [] },
            { kind: 'test', ref: { step: 'start', path: '/email' }, operator: 'is_not_empty', values: [] },
          ],
        },
      },
      {
        id: 'news',
        kind: 'write',
        target,
        mode: 'create_or_update',
        firstDifference: 'there',
        key: to('E-mail'),
        mapping: {
          [to('E-mail')]: field('/email', { kind: 'lower' }),
          [to('First name')]: { kind: 'formula', text: 'NAME.FIRST(lead.name)', refs: name },
          [to('Last name')]: { kind: 'formula', text: 'NAME.LAST(lead.name)', refs: name },
          [to('Met at')]: field('/source'),
          [to('Since')]: field('/createdAt', { kind: 'date' }),
        },
      },
    ],
  };
}

/** An invoice is an order card in sales: whose it is looked up in the books, then the firm and the person by that. */
export function invoicesToDeals(
  invoices: Place,
  customers: Place,
  companies: Place,
  people: Place,
  deals: Place,
): WorkflowContent {
  const buyer = (path: string, ...tidies: Tidy[]): Filling => ({
    kind: 'field',
    ref: { step: 'customer', path },
    tidies,
  });
  return {
    ...emptyContent('Trade invoices as order cards'),
    note: 'Sales see what was sold, with the firm and the person. Who is not in the Card index is left open there.',
    start: { source: invoices, on: 'added', trigger: { kind: 'every', minutes: 15 }, fromWhen: { kind: 'now' } },
    steps: [
      {
        id: 'customer',
        kind: 'lookup',
        target: customers,
        mapping: {},
        fetchId: field('/customerId'),
        ladder: { rungs: [], atNone: 'ask', atUnclear: 'ask' },
      },
      {
        id: 'company',
        kind: 'lookup',
        target: companies,
        mapping: { '/name': buyer('/name', { kind: 'squeeze' }), '/postcode': buyer('/postalAddress/postalZone') },
        ladder: {
          rungs: [
            { id: 'name', kind: 'exact', fields: ['/name'] },
            {
              id: 'alike',
              kind: 'alike',
              fields: [
                { path: '/name', kind: 'company' },
                { path: '/postcode', kind: 'postcode' },
              ],
            },
          ],
          atNone: 'empty',
          atUnclear: 'ask',
          remembers: { step: 'start', path: '/customerId' },
        },
      },
      {
        id: 'person',
        kind: 'lookup',
        target: people,
        mapping: { '/email': buyer('/electronicMail', { kind: 'lower' }) },
        ladder: {
          rungs: [{ id: 'mail', kind: 'exact', fields: ['/email'] }],
          atNone: 'empty',
          atUnclear: 'ask',
          remembers: { step: 'start', path: '/customerId' },
        },
      },
      {
        id: 'deal',
        kind: 'write',
        target: deals,
        mode: 'create_or_update',
        firstDifference: 'there',
        key: '/title',
        mapping: {
          '/title': {
            kind: 'text',
            parts: [
              { kind: 'words', text: 'Invoice ' },
              { kind: 'field', ref: { step: 'start', path: '/invoiceNumber' } },
            ],
            tidies: [],
          },
          '/value': field('/taxExclusiveAmount'),
          '/stage': { kind: 'choice', value: 'won' },
          '/expectedOn': field('/dueDate'),
          '/person': { kind: 'field', ref: { step: 'person', path: '/id' }, tidies: [] },
          '/company': { kind: 'field', ref: { step: 'company', path: '/id' }, tidies: [] },
        },
      },
    ],
  };
}
