/** @jest-environment jsdom */
import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { show } from '../testing/screen.tsx';
import { ErrorBoundary } from './ErrorBoundary.tsx';

function Page({ fails }: { readonly fails: boolean }) {
  const [isOpen, setOpen] = useState(false);
  if (fails) throw new Error('there is no such field');
  return (
    <button type="button" onClick={() => setOpen(true)}>
      {isOpen ? 'open' : 'shut'}
    </button>
  );
}

const at = (page: string, fails = false) => (
  <ErrorBoundary page={page}>
    <Page fails={fails} />
  </ErrorBoundary>
);

test('what was opened stays open when another tab of the same page is gone to', async () => {
  const { again } = show(at('/workflows/1/rehearse'));
  await userEvent.click(screen.getByRole('button', { name: 'shut' }));
  again(at('/workflows/1'));
  expect(screen.getByRole('button', { name: 'open' })).toBeTruthy();
});

test('a page that failed says why, and is tried anew when another one is gone to, not before', () => {
  const told = jest.spyOn(console, 'error').mockImplementation(() => undefined);
  const { again } = show(at('/today', true));
  expect(screen.getByText(/there is no such field/)).toBeTruthy();
  again(at('/today'));
  expect(screen.getByText(/there is no such field/)).toBeTruthy();
  again(at('/workflows'));
  expect(screen.getByRole('button', { name: 'shut' })).toBeTruthy();
  told.mockRestore();
});
