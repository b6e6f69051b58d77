import fc from 'fast-check';
import { businessId, waitLinksId } from '../../mapping/refs.ts';
import type { Field } from '../../values/field.ts';
import { connectionsOf, deedsThrough, withConnections } from '../../workflow/file.ts';
import type { Place } from '../../workflow/place.ts';
import { emptyContent, type WorkflowContent } from '../../workflow/schema.ts';
import {
  type Ending,
  endedBecause,
  endingsFor,
  isOfTheRecord,
  keysThere,
  likelySame,
  newEndingId,
  watchesOf,
} from './endings.ts';

const fields: Field[] = [
  { path: '/email', label: 'email', type: 'email' },
  { path: '/phone', label: 'telephone', type: 'phone' },
  { path: '/guests', label: 'guests', type: 'list' },
  { path: '/status', label: 'status', type: 'text' },
];
const bookings: Place = {
  connection: 'shop',
  path: ['bookings'],
  labels: ['bookings'],
  described: {
    name: 'bookings',
    singular: 'booking',
    plural: 'bookings',
    fields,
    can: { list: true, find: true, create: true, update: true, readBack: true },
  },
};
const by = (there: string, more: Partial<Ending> = {}): Ending => ({
  id: 'ending-1',
  place: bookings,
  there,
  here: { step: 'start', path: '/contact' },
  does: 'stops',
  ...more,
});

/** Whether a record elsewhere ends the wait of one with this contact. */
function ends(ending: Ending, contact: string | null, record: Record<string, never> | object): boolean {
  const [one] = endingsFor([ending], { start: { contact } }, 'GB', []);
  return one !== undefined && keysThere(one.watch, record as never).includes(one.key);
}

test.each<[string, Ending, string | null, object, boolean]>([
  ['the same address', by('/email'), 'ada@clay.example', { email: 'ada@clay.example' }, true],
  ['in another case, with space', by('/email'), ' Ada@Clay.example', { email: 'ADA@clay.example ' }, true],
  ['another address', by('/email'), 'ada@clay.example', { email: 'tom@clay.example' }, false],
  ['nothing here, nothing there', by('/email'), null, { email: null }, false],
  ['nothing here, something there', by('/email'), '', { email: 'tom@clay.example' }, false],
  ['a number of the country, and with its code', by('/phone'), '020 7946 0123', { phone: '+44 20 7946 0123' }, true],
  ['another number', by('/phone'), '020 7946 0123', { phone: '+44 20 7946 0124' }, false],
  ['one of several', by('/guests'), 'ada@clay.example', { guests: ['tom@clay.example', 'Ada@clay.example'] }, true],
  [
    'with the value',
    by('/email', { value: { path: '/status', is: 'Paid' } }),
    'a@b.example',
    { email: 'a@b.example', status: 'paid' },
    true,
  ],
  [
    'without the value',
    by('/email', { value: { path: '/status', is: 'paid' } }),
    'a@b.example',
    { email: 'a@b.example', status: 'open' },
    false,
  ],
  ['what isn’t chosen yet', by('/email', { place: null }), 'a@b.example', { email: 'a@b.example' }, false],
  ['a field that isn’t chosen yet', by('/email', { here: null }), 'a@b.example', { email: 'a@b.example' }, false],
])('%s', (_what, ending, contact, record, isEnded) => {
  expect(ends(ending, contact, record)).toBe(isEnded);
});

test('for whatever text: it ends exactly where both are the same but for case and outer space', () => {
  fc.assert(
    fc.property(fc.string(), fc.string(), (one, other) => {
      const isSame = one.trim() !== '' && one.trim().toLowerCase() === other.trim().toLowerCase();
      if (isSame) expect(ends(by('/email'), one, { email: other })).toBe(true);
      if (one.trim() === '') expect(ends(by('/email'), one, { email: other })).toBe(false);
      expect(ends(by('/email'), one, { email: other })).toBe(ends(by('/email'), other, { email: one }));
    }),
  );
});

test('all that wait for the same share one watch, whatever they do then', () => {
  const watches = [by('/email'), by('/email', { id: 'ending-2', does: 'goes_on', countsEarlier: true })].flatMap(
    (one) => watchesOf(one, 'GB').map((watch) => JSON.stringify(watch)),
  );
  expect(new Set(watches).size).toBe(1);
  expect(endedBecause({ singular: 'booking', place: 'bookings' }, 'OD-1')).toBe('The booking “OD-1” came in bookings.');
});

test('where mails come in, who sent one or what it answers ends it; by another field only that field does', () => {
  const inbox: Place = {
    ...bookings,
    described: {
      ...bookings.described,
      fields: [...fields, { path: '/answers', label: 'answers these mails', type: 'list' }],
      answers: { from: '/email', ids: '/answers', byPerson: { path: '/status', is: 'person' } },
    },
  };
  const endedBy = (there: string, contact: string | null, record: object): boolean =>
    endingsFor([by(there, { place: inbox })], { start: { contact } }, 'GB', ['<1@us.example>', '<2@us.example>']).some(
      ({ watch, key }) => keysThere(watch, record as never).includes(key),
    );
  const answer = { email: 'private@home.example', answers: ['<0@us.example>', '<2@US.example>'] };
  expect(endedBy('/email', 'ada@clay.example', answer)).toBe(true);
  expect(endedBy('/email', null, answer)).toBe(true);
  expect(endedBy('/email', 'ada@clay.example', { ...answer, answers: ['<0@us.example>'] })).toBe(false);
  expect(endedBy('/phone', '020 7946 0123', answer)).toBe(false);
  expect(watchesOf(by('/email', { place: inbox }), 'GB')).toHaveLength(2);
  expect(watchesOf(by('/phone', { place: inbox }), 'GB')).toHaveLength(1);
});

test('ids of endings are never given twice', () => {
  expect(newEndingId([])).toBe('ending-1');
  expect(newEndingId([{ id: 'ending-4' }, { id: 'own' }])).toBe('ending-5');
});

test('the field that is likely meant is of the same kind, else called alike; else none', () => {
  const here = (...all: Partial<Field>[]) =>
    all.map((field) => ({ field: { path: '/x', label: 'x', type: 'text', ...field } as Field }));
  expect(likelySame(fields, here({}, { type: 'email' }))).toEqual([0, 1]);
  expect(likelySame(fields, here({ type: 'phone' }))).toEqual([1, 0]);
  expect(likelySame(fields, here({ label: 'Status' }))).toEqual([3, 0]);
  expect(likelySame(fields, here({ label: 'town' }))).toEqual([-1, -1]);
  // What is posted is known as text; an id of something else is none.
  expect(likelySame(fields, here({ label: 'id', type: 'id' }, { label: 'Email' }))).toEqual([0, 1]);
  const withId: Field[] = [{ path: '/id', label: 'id', type: 'id', idOf: 'bookings' }];
  expect(likelySame(withId, here({ label: 'id', type: 'id' }))).toEqual([-1, -1]);
  expect(likelySame(withId, here({ label: 'booking', type: 'id', idOf: 'bookings' }))).toEqual([0, 0]);
});

test('what the business says of itself tells no record from another: it can’t end a wait', () => {
  expect(isOfTheRecord({ step: 'start' })).toBe(true);
  expect([isOfTheRecord({ step: businessId }), isOfTheRecord({ step: waitLinksId })]).toEqual([false, false]);
});

test('a workflow file tells of the places that end its waits, and leads them to other connections', () => {
  const empty = emptyContent('Followed up');
  const content: WorkflowContent = {
    ...empty,
    steps: [
      {
        id: 'wait',
        kind: 'wait',
        until: { kind: 'time', amount: 1, unit: 'days', from: 'start' },
        endings: [by('/email')],
      },
    ],
  };
  expect(connectionsOf(content)).toEqual(['shop']);
  expect(deedsThrough(content, 'shop')).toEqual(['reads bookings']);
  expect(connectionsOf(withConnections(content, { shop: 'other' }))).toEqual(['other']);
});
