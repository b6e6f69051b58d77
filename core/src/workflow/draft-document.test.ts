import { aField } from '../testing/workflows.ts';
import type { JsonRecord } from '../values/value.ts';
import { type CopyEnd, draftCopy } from './draft-copy.ts';

// What is proposed for a document: how its file is called, and what of it says who the business itself is.

const from = (records: readonly JsonRecord[]): CopyEnd => ({
  app: 'Ledger',
  records,
  place: {
    connection: 'ledger',
    path: ['customers'],
    labels: ['customers'],
    described: {
      name: 'customers',
      singular: 'customer',
      plural: 'customers',
      can: { list: true, find: true, create: true, update: true, readBack: true },
      fields: [
        aField('/id', { type: 'id', readOnly: true }),
        aField('/taxNumber', { label: 'tax number' }),
        aField('/name', { label: 'name' }),
      ],
    },
  },
});
const to: CopyEnd = {
  app: 'Documents',
  records: [],
  place: {
    connection: 'documents',
    path: ['statement@1'],
    labels: ['Statement (PDF)'],
    described: {
      name: 'document',
      singular: 'Statement',
      plural: 'Statement',
      can: { list: false, find: false, create: true, update: true, readBack: true },
      fields: [
        aField('/$name', { label: 'file name', required: true }),
        aField('/seller/name', { label: 'seller · name' }),
      ],
      document: { name: '/$name', ours: { '/seller/name': '/name' } },
    },
  },
};
const drafted = (records: readonly JsonRecord[]) => {
  const [step] = draftCopy(from(records), to, 'in_step', '').steps;
  if (step?.kind !== 'write') throw new Error('No write was drafted.');
  return step;
};
const calledBy = (records: readonly JsonRecord[]): string | undefined => {
  const filling = drafted(records).mapping['/$name'];
  const part = filling?.kind === 'text' ? filling.parts[1] : undefined;
  return part?.kind === 'field' ? part.ref.path : undefined;
};

test.each<[string, readonly JsonRecord[], string]>([
  [
    'a number that each of them has',
    [
      { id: '1', taxNumber: 'A', name: 'X' },
      { id: '2', taxNumber: 'B', name: 'Y' },
    ],
    '/taxNumber',
  ],
  [
    'their name, where some have no number',
    [
      { id: '1', taxNumber: 'A', name: 'X' },
      { id: '2', name: 'Y' },
    ],
    '/name',
  ],
  [
    'their id, where two are called the same',
    [
      { id: '1', name: 'X' },
      { id: '2', name: 'X' },
    ],
    '/id',
  ],
])('a file is called by %s', (_what, records, path) => expect(calledBy(records)).toBe(path));

test('what says who the business itself is comes from what it says of itself, each marked as proposed', () => {
  const step = drafted([{ id: '1', name: 'X' }]);
  expect(step.mapping['/seller/name']).toEqual({ kind: 'field', ref: { step: 'business', path: '/name' }, tidies: [] });
  expect(Object.keys(step.suggested ?? {})).toEqual(expect.arrayContaining(['/$name', '/seller/name']));
  // Made once for each new one, whatever kind of copy was chosen.
  expect(step.mode).toBe('append');
});
