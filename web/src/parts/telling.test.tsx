/** @jest-environment jsdom */
import { balanceOf, type Field } from '@golden/core';
import { act, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { SentAndRead } from '../steps/placed/SentAndRead.tsx';
import { show } from '../testing/screen.tsx';
import { BalanceStrip } from './BalanceStrip.tsx';
import { Drawer } from './Drawer.tsx';
import { HintLayer } from './HintLayer.tsx';
import { OutcomeMark, writeLooks } from './OutcomeMark.tsx';

const strip = (inSource: number, notedEarlier: number, takenIn: number, items: Parameters<typeof balanceOf>[1]) =>
  show(<BalanceStrip balance={balanceOf({ inSource, notedEarlier, takenIn }, items)} source="in Shop counter" />);

test.each([
  [200, { delivered: 196, unsettled: 4 }, 'All 200 accounted for, 4 need you'],
  [3, { delivered: 2, unsettled: 1 }, 'All 3 accounted for, 1 needs you'],
  [1, { delivered: 1 }, 'The one record is accounted for'],
  [1318, { delivered: 1300, left_out: 18 }, 'All 1,318 accounted for'],
])('of %i it says what is accounted for, and who is needed', (count, items, said) => {
  strip(count, 0, count, items);
  expect(screen.getByRole('status').textContent).toBe(said);
});

test('books that don’t add up say so, and never that all is accounted for', () => {
  strip(10, 2, 7, { delivered: 6 });
  expect(screen.getByRole('status').textContent).toBe(
    '10 in the source, but 2 already known and 7 taken in. 7 taken in, but 6 accounted for.',
  );
});

test('one needs you, several need you', () => {
  const { again } = show(<OutcomeMark look={writeLooks.unsettled} count={1} />);
  expect(screen.getByText('1 needs you')).toBeTruthy();
  again(<OutcomeMark look={writeLooks.unsettled} count={3} />);
  expect(screen.getByText('3 need you')).toBeTruthy();
});

const fields: Field[] = [
  { path: '/invoiceNumber', label: 'invoice number', type: 'text' },
  {
    path: '/invoiceLines',
    label: 'invoice lines',
    type: 'list',
    fields: [
      { path: '/sku', label: 'article', type: 'text' },
      { path: '/quantity', label: 'quantity', type: 'decimal' },
    ],
  },
];

const cells = (table: HTMLElement): string[][] =>
  within(table)
    .getAllByRole('row')
    .slice(1)
    .map((row) => [...row.children].map((cell) => cell.textContent ?? ''));

test('a receipt is told by the fields’ names, lines as a table, and what came back otherwise is marked', () => {
  show(
    <SentAndRead
      sent={{
        '/invoiceNumber': 'S-1',
        '/invoiceLines': [
          { sku: 'CLAY', quantity: '2' },
          { sku: 'GLAZE', quantity: '1' },
        ],
      }}
      read={{ invoiceNumber: 'S-1', invoiceLines: [{ sku: 'CLAY', quantity: '3' }] }}
      result={undefined}
      fields={fields}
    />,
  );
  const [record, lines] = screen.getAllByRole('table') as [HTMLElement, HTMLElement];
  expect(cells(record)).toEqual([['invoice number', 'S-1', 'S-1']]);
  expect(lines.querySelector('caption')?.textContent).toBe('invoice lines: 2 sent, 1 read back');
  expect(cells(lines)).toEqual([
    ['1', 'article', 'CLAY', 'CLAY'],
    ['', 'quantity', '2', '3'],
    ['2', 'article', 'GLAZE', 'empty'],
    ['', 'quantity', '1', 'empty'],
  ]);
  const marked = [...lines.querySelectorAll('td.text-slate')].map((cell) => cell.textContent);
  expect(marked).toEqual(['3', 'empty', 'empty']);
});

test('a hint is said on a tap and when the keyboard comes, put away by Escape, and not where all can be read', async () => {
  const user = userEvent.setup();
  show(
    <>
      <button type="button" data-hint="Switch it off, but keep it">
        On
      </button>
      <button type="button" data-hint="All there is">
        All there is
      </button>
      <HintLayer />
    </>,
  );
  const first = screen.getByRole('button', { name: 'On' });
  await user.pointer({ keys: '[TouchA]', target: first });
  expect(screen.getByRole('tooltip').textContent).toBe('Switch it off, but keep it');
  expect(first.getAttribute('aria-describedby')).toBe('hint');
  await user.keyboard('{Escape}');
  expect(screen.queryByRole('tooltip')).toBeNull();
  expect(first.getAttribute('aria-describedby')).toBeNull();
  // All of it can be read on the next one already.
  await user.tab();
  expect(document.activeElement?.textContent).toBe('All there is');
  expect(screen.queryByRole('tooltip')).toBeNull();
  await user.tab({ shift: true });
  expect(document.activeElement).toBe(first);
  expect(screen.getByRole('tooltip').textContent).toBe('Switch it off, but keep it');
  await user.tab();
  expect(screen.queryByRole('tooltip')).toBeNull();
});

test('a drawer keeps the Tab key while a hint shows; Escape puts the hint away first, then the drawer', async () => {
  const user = userEvent.setup();
  let isOpen = true;
  show(
    <>
      <button type="button">Behind</button>
      <HintLayer />
      <Drawer title="A case" isOpen onClose={() => (isOpen = false)}>
        <button type="button" data-hint="Leaves it as it is">
          Last
        </button>
      </Drawer>
    </>,
  );
  const drawer = screen.getByRole('dialog');
  const last = within(drawer).getByRole('button', { name: 'Last' });
  while (document.activeElement !== last) await user.tab();
  expect(screen.getByRole('tooltip').textContent).toBe('Leaves it as it is');
  await user.tab();
  expect(drawer.contains(document.activeElement)).toBe(true);
  await user.tab({ shift: true });
  expect(screen.getByRole('tooltip').textContent).toBe('Leaves it as it is');
  await user.keyboard('{Escape}');
  expect(screen.queryByRole('tooltip')).toBeNull();
  expect(isOpen).toBe(true);
  await user.keyboard('{Escape}');
  expect(isOpen).toBe(false);
});

test('a hint comes to what the pointer is moved to, not to what moves beneath the pointer', () => {
  jest.useFakeTimers();
  show(
    <>
      <button type="button" data-hint="Switch it off, but keep it">
        On
      </button>
      <HintLayer />
    </>,
  );
  const button = screen.getByRole('button');
  const over = (target: Element, clientX: number): void => {
    // jsdom has no pointer events; a mouse event under that name carries the same.
    const event = new MouseEvent('pointerover', { bubbles: true, clientX });
    act(() => {
      target.dispatchEvent(Object.assign(event, { pointerType: 'mouse' }));
      jest.runOnlyPendingTimers();
    });
  };
  over(document.body, 40);
  // The page is laid out anew; the pointer is where it was.
  over(button, 40);
  expect(screen.queryByRole('tooltip')).toBeNull();
  over(document.body, 90);
  over(button, 41);
  expect(screen.getByRole('tooltip').textContent).toBe('Switch it off, but keep it');
  jest.useRealTimers();
});
