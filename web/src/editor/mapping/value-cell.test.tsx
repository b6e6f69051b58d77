/** @jest-environment jsdom */
import { render, screen } from '@testing-library/react';
import { ValueCell } from './ValueCell.tsx';

const inRow = (cell: React.ReactNode) =>
  render(
    <table>
      <tbody>
        <tr>{cell}</tr>
      </tbody>
    </table>,
  );

test.each([[{ state: 'empty' } as const], [{ state: 'problem', message: 'It is required.' } as const]])(
  'what is still being looked up is neither empty nor wrong: %p',
  (cell) => {
    inRow(<ValueCell cell={cell} isNumber={false} isOpen />);
    expect(screen.getByText('still being looked up')).toBeTruthy();
    expect(screen.queryByText('empty')).toBeNull();
    expect(document.querySelector('[data-problem]')).toBeNull();
  },
);

test('what is known is shown, whatever is still open; what isn’t open is said as it is', () => {
  inRow(<ValueCell cell={{ state: 'filled', value: 'CLAYSTW12' }} isNumber={false} isOpen />);
  expect(screen.getByText('CLAYSTW12')).toBeTruthy();
  inRow(<ValueCell cell={{ state: 'empty' }} isNumber={false} />);
  expect(screen.getByText('empty')).toBeTruthy();
});
