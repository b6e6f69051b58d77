import { MatchIndex } from '../lookup/match-index.ts';

// Of an empty place only what is compared tells; names and addresses are invented (RFC 2606).
const index = (): MatchIndex =>
  new MatchIndex([
    { path: '/first', label: 'first', kind: 'given_name' },
    { path: '/last', label: 'last', kind: 'family_name' },
    { path: '/mail', label: 'mail', kind: 'email' },
  ]);

const levelOf = (one: string, other: string): string | undefined => {
  const [weighed] = index().weigh(['Ada', 'Nair', one], [{ id: '1', texts: ['Ada', 'Nair', other] }]);
  return weighed?.evidence.find(({ label }) => label === 'mail')?.level;
};

test('a slip in a domain is one of the same name before the @, and another figure is another domain', () => {
  expect(levelOf('ada@studio.example', 'ada@studoi.example')).toBe('domain with a slip');
  expect(levelOf('ada@studio.example', 'bernd.kowalski@studoi.example')).toBe('other domain');
  expect(levelOf('ada@ton1.example', 'ada@ton10.example')).toBe('other domain');
});

test('in an empty place a telephone with a slip doesn’t make two people of one family one', () => {
  const fields = [
    { path: '/first', label: 'first', kind: 'given_name' as const },
    { path: '/last', label: 'last', kind: 'family_name' as const },
    { path: '/phone', label: 'phone', kind: 'phone' as const },
  ];
  const [weighed] = new MatchIndex(fields).weigh(
    ['Jannis', 'Henning', '+493023125142'],
    [{ id: '1', texts: ['Käthe', 'Henning', '+493023125132'] }],
  );
  expect(weighed?.probability).toBeLessThan(0.5);
});
