import { dailyMail, isBetween, needsMail, newNeeds, type Summary } from './mails.ts';

const calm: Summary = {
  day: 'Sunday 29 November',
  days: [{ workflow: 'Customers onto the list', takenIn: 1320, delivered: 1300, leftOut: 18, waiting: 2 }],
  needs: [],
  quiet: [],
  troubles: [],
  address: 'https://relay.clay.example',
};

test('a quiet day has its mail too', () => {
  expect(
    dailyMail({ ...calm, days: [{ workflow: 'Leads', takenIn: 0, delivered: 0, leftOut: 0, waiting: 0 }] }),
  ).toEqual({
    subject: 'Sunday 29 November: 0 records taken in, 0 delivered',
    text: 'Sunday 29 November: 0 records taken in, 0 delivered, nothing needs you.\n\nWorkflows\n- Leads: nothing came\n\nOpen Golden Relay: https://relay.clay.example\n',
  });
  expect(dailyMail({ ...calm, days: [], address: '' }).text).toContain('No workflow is on.');
});

test('what needs somebody stands first, then what is quieter than usual, then each workflow', () => {
  const { subject, text } = dailyMail({
    ...calm,
    needs: [
      { workflow: 'Orders', count: 3, message: 'The number isn’t one.' },
      { workflow: 'Leads', count: 0, message: 'The source can’t be read.' },
    ],
    quiet: [{ workflow: 'Orders', usual: 40, today: 0 }],
    troubles: ['Everything is stopped: stocktaking.'],
  });
  expect(subject).toBe('Sunday 29 November: 4 cases need you');
  const order = [
    'stocktaking',
    '- Orders: 3 records. The number',
    '- Leads: The source',
    '0 so far, usually 40',
    '18 left out, 2 waiting',
  ];
  const at = order.map((part) => text.indexOf(part));
  expect(at).toEqual([...at].sort((a, b) => a - b));
  expect(at.every((one) => one >= 0)).toBe(true);
});

test('a mail of needs counts cases, one as one', () => {
  expect(needsMail([{ workflow: 'Orders', count: 1, message: 'Refused.' }], '').subject).toBe('1 case needs you');
});

test.each<[string, Record<string, number>, Record<string, number>, boolean]>([
  ['the first of its kind', { a: 1 }, {}, true],
  ['the same still', { a: 3 }, { a: 3 }, false],
  ['a few more of the same', { a: 9 }, { a: 3 }, false],
  ['many more of the same', { a: 40 }, { a: 3 }, true],
  ['another kind beside it', { a: 3, b: 1 }, { a: 3 }, true],
  ['settled', {}, { a: 3 }, false],
])('%s', (_what, now, told, isNews) => {
  const needs = Object.entries(now).map(([key, count]) => ({ key, count, workflow: 'Orders', message: '' }));
  expect(newNeeds(needs, told).isNews).toBe(isNews);
});

test('a slow growth is told once it has come far from what was told', () => {
  let told: Readonly<Record<string, number>> = {};
  const news: number[] = [];
  for (let count = 1; count <= 60; count++) {
    const next = newNeeds([{ key: 'a', count, workflow: 'Orders', message: '' }], told);
    if (next.isNews) news.push(count);
    ({ told } = next);
  }
  expect(news).toEqual([1, 12, 25, 51]);
});

test.each([
  ['21:00', '20:00', '07:00', true],
  ['06:59', '20:00', '07:00', true],
  ['07:00', '20:00', '07:00', false],
  ['12:00', '20:00', '07:00', false],
  ['12:30', '12:00', '13:00', true],
  ['12:00', '08:00', '08:00', false],
])('%s between %s and %s: %s', (time, from, to, is) => {
  expect(isBetween(time, from, to)).toBe(is);
});
