import {
  emptyContent,
  type Filling,
  type Ladder,
  type Place,
  type Ref,
  type WorkflowContent,
  type WriteStep,
} from '@golden/core';
import { invoiceLines, invoiceMapping } from './orders.ts';

const start = (path: string): Ref => ({ step: 'start', path });
const field = (path: string, ...tidies: Extract<Filling, { kind: 'field' }>['tidies']): Filling => ({
  kind: 'field',
  ref: start(path),
  tidies,
});
const formula = (text: string, names: Readonly<Record<string, string>>): Filling => ({
  kind: 'formula',
  text,
  refs: Object.fromEntries(Object.entries(names).map(([name, path]) => [name, start(path)])),
});

/** How the bookkeeper's customers are recognised: by tax number, by e-mail, then by likeness. */
const ledgerLadder: Ladder = {
  rungs: [
    { id: 'tax', kind: 'exact', fields: ['/companyId'] },
    { id: 'mail', kind: 'exact', fields: ['/electronicMail'] },
    {
      id: 'alike',
      kind: 'alike',
      fields: [
        { path: '/name', kind: 'full_name' },
        { path: '/telephone', kind: 'phone' },
        { path: '/postalAddress/streetName', kind: 'street' },
        { path: '/postalAddress/cityName', kind: 'city' },
        { path: '/postalAddress/postalZone', kind: 'postcode' },
      ],
    },
  ],
  atNone: 'create',
  atUnclear: 'best',
  remembers: 'start',
};

const customerForBooks: WriteStep['mapping'] = {
  '/name': formula('IFEMPTY(TRIM(customer.company); TRIM(customer.first_name & " " & customer.last_name))', {
    'customer.company': '/company',
    'customer.first_name': '/first_name',
    'customer.last_name': '/last_name',
  }),
  '/contactName': formula('IF(TRIM(customer.company) = ""; ""; TRIM(customer.first_name & " " & customer.last_name))', {
    'customer.company': '/company',
    'customer.first_name': '/first_name',
    'customer.last_name': '/last_name',
  }),
  '/electronicMail': field('/email', { kind: 'trim' }, { kind: 'lower' }),
  '/telephone': field('/phone', { kind: 'phone' }),
  '/companyId': field('/vat_number', { kind: 'squeeze' }),
  '/postalAddress/streetName': field('/address/street'),
  '/postalAddress/cityName': field('/address/city'),
  '/postalAddress/postalZone': field('/address/postcode'),
  '/postalAddress/countryCode': field('/address/country'),
};

/** A shop customer becomes, or is found to be, a customer in the Ledger and a person in the Card index. */
export function customersIntoBooksAndCards(
  source: Place,
  books: Place,
  companies: Place,
  people: Place,
): WorkflowContent {
  return {
    ...emptyContent('Shop customers into the Ledger and the Card index'),
    note: 'Whoever is there already is found, not made again. One whose match isn’t clear is asked about.',
    start: {
      source,
      on: 'added_or_changed',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'now' },
      doubles: { by: ['/email'], treat: 'golden' },
    },
    steps: [
      {
        id: 'named',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [{ kind: 'test', ref: start('/last_name'), operator: 'is_not_empty', values: [] }],
        },
      },
      {
        id: 'books',
        kind: 'write',
        target: books,
        mode: 'create_or_update',
        firstDifference: 'source',
        ladder: ledgerLadder,
        policies: { '/name': 'if_empty', '/contactName': 'if_empty', '/telephone': 'newest' },
        mapping: customerForBooks,
      },
      {
        id: 'company',
        kind: 'lookup',
        target: companies,
        mapping: { '/name': field('/company', { kind: 'squeeze' }), '/postcode': field('/address/postcode') },
        ladder: { rungs: [{ id: 'name', kind: 'exact', fields: ['/name'] }], atNone: 'empty', atUnclear: 'best' },
      },
      {
        id: 'person',
        kind: 'write',
        target: people,
        mode: 'create_or_update',
        firstDifference: 'source',
        ladder: {
          rungs: [
            { id: 'mail', kind: 'exact', fields: ['/email'] },
            {
              id: 'alike',
              kind: 'alike',
              fields: [
                { path: '/firstName', kind: 'given_name' },
                { path: '/lastName', kind: 'family_name' },
                { path: '/phone', kind: 'phone' },
                { path: '/street', kind: 'street' },
                { path: '/city', kind: 'city' },
                { path: '/postcode', kind: 'postcode' },
              ],
            },
          ],
          atNone: 'create',
          atUnclear: 'best',
          remembers: 'start',
        },
        policies: { '/firstName': 'if_empty', '/lastName': 'if_empty', '/phone': 'newest' },
        mapping: {
          '/firstName': field('/first_name', { kind: 'squeeze' }),
          '/lastName': field('/last_name', { kind: 'squeeze' }),
          '/email': field('/email', { kind: 'trim' }, { kind: 'lower' }),
          '/phone': field('/phone', { kind: 'phone' }),
          '/street': field('/address/street'),
          '/city': field('/address/city'),
          '/postcode': field('/address/postcode'),
          '/country': field('/address/country'),
          '/mayBeMailed': field('/newsletter'),
          '/company': { kind: 'field', ref: { step: 'company', path: '/id' }, tidies: [] },
        },
      },
    ],
  };
}

/** An order that becomes paid is an invoice: whose it is and what was sold are looked up in the books. */
export function paidOrdersToInvoices(source: Place, customers: Place, items: Place, invoices: Place): WorkflowContent {
  const { mapping, ...lines } = invoiceLines;
  return {
    ...emptyContent('Paid orders to retail invoices'),
    note: 'Who is not in the Ledger yet is added. An article that the books don’t know is asked for.',
    start: {
      source,
      on: 'becomes',
      becomes: { path: '/status', value: 'paid' },
      trigger: { kind: 'every', minutes: 15 },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'customer',
        kind: 'lookup',
        target: customers,
        mapping: {
          '/name': formula('IFEMPTY(order.company; TRIM(order.customer_name))', {
            'order.company': '/company',
            'order.customer_name': '/customer_name',
          }),
          '/electronicMail': field('/email', { kind: 'trim' }),
          '/telephone': field('/phone', { kind: 'phone' }),
          '/postalAddress/streetName': field('/ship_to/street'),
          '/postalAddress/cityName': field('/ship_to/city'),
          '/postalAddress/postalZone': field('/ship_to/postcode'),
          '/postalAddress/countryCode': field('/ship_to/country'),
        },
        ladder: {
          ...ledgerLadder,
          rungs: ledgerLadder.rungs.filter((rung) => rung.id !== 'tax'),
          remembers: start('/customer_id'),
        },
      },
      { id: 'each', kind: 'each', over: start('/lines') },
      {
        id: 'item',
        kind: 'lookup',
        within: 'each',
        target: items,
        mapping: { '/sellersItemId': { kind: 'field', ref: { step: 'each', path: '/sku' }, tidies: [] } },
        ladder: {
          rungs: [{ id: 'code', kind: 'exact', fields: ['/sellersItemId'] }],
          atNone: 'ask',
          atUnclear: 'best',
        },
      },
      {
        id: 'invoice',
        kind: 'write',
        target: invoices,
        mode: 'create_or_update',
        firstDifference: 'source',
        key: '/invoiceNumber',
        mapping: {
          ...invoiceMapping,
          '/invoiceLines': {
            ...lines,
            mapping: { '/itemId': { kind: 'field', ref: { step: 'item', path: '/id' }, tidies: [] }, ...mapping },
          },
        },
      },
    ],
  };
}

/** A retail customer with a tax number is a customer of the trade company as well: two places of one app. */
export function retailToTrade(retail: Place, trade: Place): WorkflowContent {
  const same = (path: string): [string, Filling] => [path, field(path)];
  return {
    ...emptyContent('Retail firms as trade customers'),
    note: 'Firms that bought at the counter get an account with the trade company, once.',
    start: {
      source: retail,
      on: 'added_or_changed',
      trigger: { kind: 'every', minutes: 60 },
      fromWhen: { kind: 'now' },
    },
    steps: [
      {
        id: 'firms',
        kind: 'condition',
        condition: {
          kind: 'all',
          items: [{ kind: 'test', ref: start('/companyId'), operator: 'is_not_empty', values: [] }],
        },
      },
      {
        id: 'trade',
        kind: 'write',
        target: trade,
        mode: 'create_or_update',
        firstDifference: 'source',
        ladder: {
          ...ledgerLadder,
          rungs: ledgerLadder.rungs.map((rung) =>
            rung.kind === 'alike'
              ? {
                  ...rung,
                  fields: rung.fields.map((one) => (one.path === '/name' ? { ...one, kind: 'company' as const } : one)),
                }
              : rung,
          ),
        },
        mapping: Object.fromEntries(
          [
            '/name',
            '/contactName',
            '/electronicMail',
            '/telephone',
            '/companyId',
            '/postalAddress/streetName',
            '/postalAddress/cityName',
            '/postalAddress/postalZone',
            '/postalAddress/countryCode',
          ].map(same),
        ),
      },
    ],
  };
}
