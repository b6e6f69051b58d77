import { emptyContent, type Filling, formatPointer, type Place, type Tidy, type WorkflowContent } from '@golden/core';

const field = (path: string, ...tidies: Tidy[]): Filling => ({ kind: 'field', ref: { step: 'start', path }, tidies });
const to = (column: string): string => formatPointer([column]);

/** The ready workflow of the demo: shop customers in Britain and Ireland onto the front desk's list. */
export function customersOntoTheList(source: Place, target: Place, since: string): WorkflowContent {
  return {
    ...emptyContent('Shop customers onto the customer list'),
    start: { source, on: 'added_or_changed', everyMinutes: 5, fromWhen: { kind: 'since', at: since } },
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
        key: to('Number'),
        mapping: {
          [to('Number')]: field('/id'),
          [to('Name')]: {
            kind: 'text',
            parts: [
              { kind: 'field', ref: { step: 'start', path: '/first_name' } },
              { kind: 'words', text: ' ' },
              { kind: 'field', ref: { step: 'start', path: '/last_name' } },
            ],
            tidies: [{ kind: 'squeeze' }],
          },
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
