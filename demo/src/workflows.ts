import { emptyContent, type Filling, formatPointer, type Place, type Tidy, type WorkflowContent } from '@golden/core';

const field = (path: string, ...tidies: Tidy[]): Filling => ({ kind: 'field', ref: { step: 'start', path }, tidies });
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
