import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyContent, type Filling, type Start, type WriteStep } from '@golden/core';
import type { Services } from '../services.ts';
import { type Connected, fieldFilling, placeOf, type World } from './world.ts';

// A document for each customer of the shop, put into a folder.

interface Around {
  readonly services: Services;
  readonly connected: Connected;
  readonly world: World;
}

/** A template of the business: a delivery note. */
export const noteTemplate = readFileSync(join(__dirname, '../../testdata/documents/delivery-note.docx'));

/** Where the notes lie. */
export const notesFolder = ({ world }: Around): string => join(world.folder, 'notes');

/** A text of words and fields of the start. */
export const textFilling = (...parts: (string | { readonly ref: string })[]): Filling => ({
  kind: 'text',
  parts: parts.map((part) =>
    typeof part === 'string'
      ? { kind: 'words', text: part }
      : { kind: 'field', ref: { step: 'start', path: part.ref } },
  ),
  tidies: [],
});

/** A document is made again when its record changes. */
export const madeAgain: Partial<WriteStep> = {
  mode: 'create_or_update',
  ladder: { rungs: [], atNone: 'create', atUnclear: 'ask', remembers: 'start' },
  empties: 'all',
  firstDifference: 'source',
};

interface Wishes {
  readonly mapping?: WriteStep['mapping'];
  readonly name?: string;
  readonly bytes?: string | Buffer;
  readonly step?: Partial<WriteStep>;
  readonly start?: Partial<Start>;
  /** Where they lie, in place of a folder of this machine. */
  readonly connection?: string;
}

/** A workflow that makes a note for each customer; gives its id. */
export async function notesWorkflow(
  around: Around,
  { mapping = {}, name = 'Delivery note.docx', bytes = noteTemplate, step = {}, start = {}, connection }: Wishes = {},
): Promise<string> {
  const { services, connected } = around;
  const folder = notesFolder(around);
  mkdirSync(folder, { recursive: true });
  const { id, edition } = await services.documentTemplates.put(name, Buffer.from(bytes));
  const notes =
    connection ?? (await services.connections.add({ app: 'documents', name: 'Notes', settings: { folder } })).id;
  const content = {
    ...emptyContent('A note for each customer'),
    start: {
      source: await placeOf(services, connected.shop, ['customers']),
      on: 'added' as const,
      trigger: { kind: 'every' as const, minutes: 5 },
      fromWhen: { kind: 'all' as const },
      ...start,
    },
    steps: [
      {
        id: 'note',
        kind: 'write' as const,
        target: await placeOf(services, notes, [`${id}@${edition}`]),
        mode: 'append' as const,
        mapping: {
          '/$name': textFilling('Note ', { ref: '/first_name' }),
          '/number': fieldFilling('/email'),
          '/customer/name': fieldFilling('/first_name'),
          ...mapping,
        },
        ...step,
      },
    ],
  };
  return (await services.workflows.add(content)).id;
}
