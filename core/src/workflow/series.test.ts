import fc from 'fast-check';
import type { Step } from '../steps/schemas.ts';
import type { WaitStep, WaitUntil } from '../steps/wait/schema.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { contentWith, fromField, keepBritish, shop, writeToList } from '../testing/workflows.ts';
import type { Place } from './place.ts';
import { type Series, seriesOf } from './series.ts';

const outgoing: Place = {
  connection: 'post',
  path: ['outgoing'],
  labels: ['Mails to send'],
  described: {
    name: 'outgoing',
    singular: 'mail',
    plural: 'mails',
    can: { list: false, find: false, create: true, update: false, readBack: false },
    sentTo: { to: '/to', copies: [], subject: '/subject', body: '/text' },
    fields: ['/to', '/subject', '/text'].map((path) => ({ path, label: path.slice(1), type: 'text' as const })),
  },
};
const mail = (id: string, more: Partial<WriteStep> = {}): WriteStep => ({
  id,
  kind: 'write',
  target: outgoing,
  mode: 'append',
  purpose: 'news',
  mapping: { '/to': fromField('/email') },
  ...more,
});
const wait = (
  id: string,
  until: Partial<Extract<WaitUntil, { kind: 'time' }>> = {},
  more: Partial<WaitStep> = {},
): WaitStep => ({
  id,
  kind: 'wait',
  until: { kind: 'time', amount: 1, unit: 'working_days', from: 'start', ...until },
  ...more,
});
const text = ({ phrases }: Series): string => phrases.map((one) => one.text).join('');
const times = ({ messages }: Series): string[] =>
  messages.map(({ waits, name }) => [...waits.map(({ when }) => when), name].join(' '));

test('messages with waits between them read as one: to whom, when each goes, and what ends it', () => {
  const booked = {
    id: 'e',
    place: shop,
    there: '/email',
    here: { step: 'start', path: '/email' },
    does: 'stops' as const,
  };
  const steps = [
    keepBritish,
    wait('w1', {}, { endings: [booked] }),
    mail('m1', { name: 'Welcome' }),
    wait('w2', { amount: 2, unit: 'days', from: 'step' }),
    mail('m2'),
    wait('w3', { amount: 4 }),
    writeToList(),
  ];
  const [series, ...others] = seriesOf(contentWith(steps)) as [Series, ...Series[]];
  expect(others).toEqual([]);
  // The last wait belongs to the row that is written after it.
  expect(series.steps).toEqual(['w1', 'm1', 'w2', 'm2']);
  expect(text(series)).toBe('Send 2 mails to email, as news, one after the other.');
  expect(times(series)).toEqual(['after 1 working day Welcome', '2 days later message 2']);
  expect(series.endings.map((one) => one.text).join('')).toBe(
    ' When something comes in customers with the same email, nothing more is done.',
  );
});

test('where all are counted from the start it is said once', () => {
  const [series] = seriesOf(contentWith([wait('w1'), mail('m1'), wait('w2', { amount: 2 }), mail('m2')])) as [Series];
  expect(text(series)).toBe('Send 2 mails to email, as news, each counted from the start.');
});

test.each<[string, Step[]]>([
  ['one message alone', [wait('w'), mail('m')]],
  ['messages at once, without a wait between', [mail('m1'), mail('m2')]],
  ['a wait before both only', [wait('w'), mail('m1'), mail('m2')]],
  ['rows that are written, not sent', [writeToList({ id: 'a' }), wait('w'), writeToList({ id: 'b' })]],
  ['something else between', [mail('m1'), wait('w'), keepBritish, mail('m2')]],
  ['within a “for each”', [mail('m1', { within: 'each' }), wait('w'), mail('m2', { within: 'each' })]],
])('no series: %s', (_what, steps) => {
  expect(seriesOf(contentWith(steps))).toEqual([]);
});

test('what differs between the messages isn’t said of all of them', () => {
  const steps = [
    mail('m1'),
    wait('w', { amount: 30, unit: 'minutes', from: 'step' }),
    mail('m2', { purpose: 'service', mapping: {}, isOff: true }),
  ];
  const [series] = seriesOf(contentWith(steps)) as [Series];
  expect(text(series)).toBe('Send 2 mails, one after the other.');
  expect(times(series)).toEqual(['message 1', '30 minutes later message 2']);
  expect(series.messages.map(({ isOff }) => isOff)).toEqual([false, true]);
});

test('laws: a step is in one series at most; each message in it once, in the order of the steps; every other step stays a sentence', () => {
  const kinds = fc.array(fc.constantFrom('wait', 'mail', 'row'), { maxLength: 14 });
  fc.assert(
    fc.property(kinds, (all) => {
      const steps = all.map((kind, at): Step => {
        if (kind === 'wait') return wait(`s${at}`);
        return kind === 'mail' ? mail(`s${at}`) : writeToList({ id: `s${at}` });
      });
      const found = seriesOf(contentWith(steps));
      const within = found.flatMap(({ steps: ids }) => ids);
      expect(new Set(within).size).toBe(within.length);
      const order = steps.map(({ id }) => id).filter((id) => within.includes(id));
      expect(within).toEqual(order);
      for (const series of found) {
        const told = series.messages.flatMap(({ step, waits }) => [...waits.map((one) => one.step), step]);
        expect(told).toEqual(series.steps);
        expect(series.messages.length).toBeGreaterThanOrEqual(2);
      }
    }),
  );
});
