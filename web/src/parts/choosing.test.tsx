/** @jest-environment jsdom */
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { show } from '../testing/screen.tsx';
import { Chooser } from './Chooser.tsx';
import { DateField } from './DateField.tsx';
import { TextField } from './Field.tsx';

const choices = [
  { value: 'c', label: 'Customer list.xlsx', hint: '1,275 rows' },
  { value: 'e', label: 'Open day enquiries.csv' },
  { value: 'p', label: 'Trade prices.xlsx', isOff: true },
];

function Choosing({ onLookAgain }: { readonly onLookAgain?: () => void }) {
  const [value, setValue] = useState('');
  return (
    <Chooser
      aria-label="Place"
      value={value}
      choices={choices}
      onChoose={setValue}
      {...(onLookAgain && { onLookAgain })}
    />
  );
}

test('a list is opened by arrow down, searched by typing, chosen by Enter; what can’t be chosen isn’t', async () => {
  const user = userEvent.setup();
  show(<Choosing />);
  const place = screen.getByRole('combobox', { name: 'Place' });
  expect(place.textContent).toBe('Choose…');
  place.focus();
  await user.keyboard('{ArrowDown}');
  expect(screen.getAllByRole('option')).toHaveLength(3);
  await user.keyboard('enq');
  expect(screen.getAllByRole('option').map((one) => one.textContent)).toEqual(['Open day enquiries.csv']);
  await user.keyboard('{Enter}');
  expect(screen.queryByRole('option')).toBeNull();
  expect(place.textContent).toBe('Open day enquiries.csv');
  await user.click(place);
  await user.keyboard('prices{Enter}');
  expect(place.textContent).toBe('Open day enquiries.csv');
  await user.keyboard('zzz');
  expect(screen.getByText('Nothing found.')).toBeTruthy();
  await user.keyboard('{Escape}');
  expect(document.activeElement).toBe(place);
});

test('an app that was slow is asked again from the list itself', async () => {
  const user = userEvent.setup();
  let asked = 0;
  show(<Choosing onLookAgain={() => (asked += 1)} />);
  await user.click(screen.getByRole('combobox', { name: 'Place' }));
  await user.click(screen.getByRole('button', { name: /Look again/ }));
  expect(asked).toBe(1);
});

function Dated({ told }: { readonly told: (date: string) => void }) {
  const [value, setValue] = useState('');
  return (
    <DateField
      label="Begin"
      value={value}
      onChange={(date) => {
        setValue(date);
        told(date);
      }}
    />
  );
}

// The order of day and month in figures by country: common practice, as Unicode CLDR has it.
test.each([
  ['GB', '03/11/2026', '2026-11-03'],
  ['US', '11/03/2026', '2026-11-03'],
  ['DE', '3.11.2026', '2026-11-03'],
  ['GB', '3 November 2026', '2026-11-03'],
  ['GB', '2026-11-03', '2026-11-03'],
])('in %s a person types %s', async (country, typed, date) => {
  const user = userEvent.setup();
  const told: string[] = [];
  show(<Dated told={(one) => told.push(one)} />, { settings: { country } });
  await user.type(screen.getByRole('textbox', { name: 'Begin' }), `${typed}{Enter}`);
  expect(told).toEqual([date]);
});

test('what is no date is marked, told to nobody, and can be put right', async () => {
  const user = userEvent.setup();
  const told: string[] = [];
  show(<Dated told={(one) => told.push(one)} />, { settings: { country: 'GB' } });
  const box = screen.getByRole('textbox', { name: 'Begin' });
  await user.type(box, '31/02/2026{Enter}');
  expect(box.getAttribute('aria-invalid')).toBe('true');
  expect(told).toEqual([]);
  await user.clear(box);
  await user.type(box, '28/02/2026');
  await user.tab();
  expect([box.getAttribute('aria-invalid'), told]).toEqual(['false', ['2026-02-28']]);
});

test('an error is said with its input, beside the hint that stands there already', () => {
  const { again } = show(<TextField label="Folder" hint="The full path." />);
  const described = () =>
    (screen.getByRole('textbox', { name: 'Folder' }).getAttribute('aria-describedby') ?? '')
      .split(' ')
      .map((id) => document.getElementById(id)?.textContent);
  expect(described()).toEqual(['The full path.']);
  again(<TextField label="Folder" hint="The full path." error="There is no such folder." />);
  expect(described()).toEqual(['The full path.', 'There is no such folder.']);
  expect(screen.getByRole('textbox').getAttribute('aria-invalid')).toBe('true');
  expect(screen.getByRole('alert').textContent).toBe('There is no such folder.');
});
