import { emptyContent, type Ladder, type WorkflowContent, type WriteStep } from '@golden/core';
import type { Services } from '../services.ts';
import { type Connected, fieldFilling, placeOf } from './world.ts';

/** E-mail first, then likeness of name, company's place and telephone. */
export const personLadder: Ladder = {
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
        { path: '/postcode', kind: 'postcode' },
      ],
    },
  ],
  atNone: 'create',
  atUnclear: 'best',
  remembers: 'start',
};

export const personMapping: WriteStep['mapping'] = {
  '/firstName': fieldFilling('/first_name'),
  '/lastName': fieldFilling('/last_name'),
  '/email': fieldFilling('/email', { kind: 'lower' }),
  '/phone': fieldFilling('/phone', { kind: 'phone' }),
  '/street': fieldFilling('/address/street'),
  '/postcode': fieldFilling('/address/postcode'),
};

/** A draft that carries shop customers to people of the Card index. */
export async function customersToPeople(
  services: Services,
  connected: Connected,
  cards: string,
  wishes: {
    readonly ladder?: Ladder;
    readonly policies?: WriteStep['policies'];
    readonly start?: Partial<WorkflowContent['start']>;
  } = {},
): Promise<string> {
  const content: WorkflowContent = {
    ...emptyContent('Shop customers to people'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added_or_changed',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      ...wishes.start,
    },
    steps: [
      {
        id: 'person',
        kind: 'write',
        target: await placeOf(services, cards, ['people']),
        mode: 'create_or_update',
        firstDifference: 'source',
        ladder: wishes.ladder ?? personLadder,
        ...(wishes.policies && { policies: wishes.policies }),
        mapping: personMapping,
      },
    ],
  };
  return (await services.workflows.add(content)).id;
}
