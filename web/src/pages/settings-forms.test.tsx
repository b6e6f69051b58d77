/** @jest-environment jsdom */
import { screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { show } from '../testing/screen.tsx';
import { useSavedForm } from './use-saved-form.ts';

interface Saved {
  readonly name: string;
  readonly town: string;
  readonly isOpen: boolean;
}

function Form({ saved, save }: { readonly saved: Saved; readonly save: (given: Saved) => Saved }) {
  const { register, handleSubmit, follow } = useSavedForm<Saved>(saved);
  const act = handleSubmit((given) => {
    follow(save(given));
  });
  return (
    <form onSubmit={act}>
      <input aria-label="Name" {...register('name')} />
      <input aria-label="Town" {...register('town')} />
      <input aria-label="Open" type="checkbox" {...register('isOpen')} />
      <button type="submit">Save</button>
    </form>
  );
}

const before: Saved = { name: 'Clay & Kiln', town: 'Cork', isOpen: false };
const textIn = (label: string): string => screen.getByLabelText<HTMLInputElement>(label).value;

test('what is typed stays when the rest is read anew; what wasn’t touched follows', async () => {
  const user = userEvent.setup();
  const { again } = show(<Form saved={before} save={(given) => given} />);
  await user.clear(screen.getByLabelText('Name'));
  await user.type(screen.getByLabelText('Name'), 'Clay, Kiln & Wheel');
  await user.click(screen.getByLabelText('Open'));
  again(<Form saved={{ name: 'Clay and Kiln', town: 'Kinsale', isOpen: false }} save={(given) => given} />);
  expect(textIn('Name')).toBe('Clay, Kiln & Wheel');
  expect(screen.getByLabelText<HTMLInputElement>('Open').checked).toBe(true);
  expect(textIn('Town')).toBe('Kinsale');
});

test('once saved it follows again, so what the server made of it is seen', async () => {
  const user = userEvent.setup();
  const saves: Saved[] = [];
  const save = (given: Saved): Saved => {
    saves.push(given);
    return { ...given, town: given.town.trim() };
  };
  const { again } = show(<Form saved={before} save={save} />);
  await user.type(screen.getByLabelText('Town'), '  ');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  expect(saves).toEqual([{ ...before, town: 'Cork  ' }]);
  await waitFor(() => expect(textIn('Town')).toBe('Cork'));
  again(<Form saved={{ ...before, town: 'Kinsale' }} save={save} />);
  expect(textIn('Town')).toBe('Kinsale');
});
