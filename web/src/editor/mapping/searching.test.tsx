/** @jest-environment jsdom */
import type { KnownField } from '@golden/core';
import { fireEvent, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import fc from 'fast-check';
import { show } from '../../testing/screen.tsx';
import { FieldPicker } from './FieldPicker.tsx';

const known = (...labels: string[]): KnownField[] =>
  labels.map((label) => ({
    ref: { step: 'start', path: `/${label}` },
    from: 'the customer',
    field: { path: `/${label}`, label, type: 'text' },
  }));

const shown = () => screen.getAllByRole('option').map((one) => one.querySelector('.underlined')?.textContent);

test('while nothing is typed the likeliest stands first; what begins with the letters comes before what holds them', async () => {
  const user = userEvent.setup();
  const picked: string[] = [];
  const all = known('address · email', 'paid at', 'id', 'email', 'emergency contact');
  show(
    <FieldPicker
      known={all}
      samples={[]}
      likely={[{ step: 'start', path: '/id' }]}
      onPick={(one) => picked.push(one.field.label)}
      isFocused
    />,
  );
  expect(shown()[0]).toBe('id');
  await user.keyboard('em');
  expect(shown()).toEqual(['email', 'emergency contact', 'address · email']);
  await user.keyboard('{Enter}');
  expect(picked).toEqual(['email']);
});

test('whatever is typed, what is called exactly so is the first, and nothing is shown that doesn’t hold it', () => {
  const labels = ['id', 'paid at', 'email', 'mail', 'account type', 'type', 'name', 'first name', 'at'];
  show(<FieldPicker known={known(...labels)} samples={[]} onPick={() => undefined} />);
  const input = screen.getByPlaceholderText('Search the fields');
  const letters = fc
    .tuple(fc.constantFrom(...labels), fc.nat(), fc.nat())
    .map(([label, from, to]) => label.slice(from % label.length, (to % label.length) + 1) || label);
  fc.assert(
    fc.property(letters, (typed) => {
      fireEvent.change(input, { target: { value: typed } });
      const found = shown();
      const wanted = typed.trim();
      expect([...found].sort()).toEqual(labels.filter((label) => label.includes(wanted)).sort());
      if (labels.includes(wanted)) expect(found[0]).toBe(wanted);
    }),
    { numRuns: 60 },
  );
});
