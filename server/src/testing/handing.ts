import { draftOfHanded, emptyContent, type Field, type HandOverStep, type WorkflowContent } from '@golden/core';
import { addHandedInbox } from '../handing/start-fields.ts';
import type { Services } from '../services.ts';
import { fieldFilling, placeOf } from './world.ts';

/** What the receiving workflow of a test needs. */
export const needed: readonly Field[] = [
  { path: '/email', label: 'E-mail', type: 'email', required: true },
  { path: '/name', label: 'Name', type: 'text' },
];

/** Two workflows: one hands people over, the other writes each into a list by its e-mail. */
export interface Handing {
  readonly inbox: string;
  readonly receiver: string;
  /** The step that hands over, as it is put into another workflow. */
  readonly step: HandOverStep;
}

/** A workflow that takes in people and writes them into the tab “People” of a file. */
export async function receiverInto(
  services: Services,
  shelf: string,
  file: string,
  fields: readonly Field[] = needed,
): Promise<Handing> {
  const inbox = await addHandedInbox(services, 'People onto the list', 'person', fields);
  const source = { ...(await placeOf(services, inbox.connection, inbox.path)), labels: ['People onto the list'] };
  const content: WorkflowContent = {
    ...draftOfHanded(source, 'People onto the list'),
    steps: [
      {
        id: 'list',
        kind: 'write',
        target: await placeOf(services, shelf, [file, 'People']),
        mode: 'create_or_update',
        firstDifference: 'source',
        key: '/E-mail',
        mapping: { '/E-mail': fieldFilling('/email'), '/Name': fieldFilling('/name') },
      },
    ],
  };
  const { id } = await services.workflows.add(content);
  const step: HandOverStep = {
    id: 'hand',
    kind: 'hand_over',
    target: source,
    mapping: { '/email': fieldFilling('/email'), '/name': fieldFilling('/first_name') },
  };
  return { inbox: inbox.path[0] ?? '', receiver: id, step };
}

/** A workflow that hands every shop customer over. */
export async function customersHandedOver(
  services: Services,
  shop: string,
  steps: WorkflowContent['steps'],
  more: Partial<WorkflowContent['start']> = {},
): Promise<string> {
  const content: WorkflowContent = {
    ...emptyContent('Shop customers, handed over'),
    start: {
      source: await placeOf(services, shop, ['customers']),
      on: 'added_or_changed',
      trigger: { kind: 'every', minutes: 5 },
      fromWhen: { kind: 'all' },
      ...more,
    },
    steps,
  };
  return (await services.workflows.add(content)).id;
}
