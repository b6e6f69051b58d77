import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { formulaCommand } from './formula.ts';

const now = '2026-11-24T09:00:00.000Z';
const folder = mkdtempSync(join(tmpdir(), 'formula-'));
const file = join(folder, 'record.json');
writeFileSync(
  file,
  JSON.stringify({
    customer: { email: 'zoe@clay.example', 'Full name': 'Zoë Marsh', since: '2026-03-04' },
    order: {
      lines: [
        { quantity: 2, price: '10.10' },
        { quantity: 1, price: '5' },
      ],
    },
  }),
);
const run = (...args: string[]) => formulaCommand(args, now);

test.each([
  ['0.1+0.2', 'number', '0.3'],
  ['-2^2', 'number', '4'],
  ['=UPPER(customer.email)', 'text', 'ZOE@CLAY.EXAMPLE'],
  ["$$'customer.Full name'", 'text', 'Zoë Marsh'],
  ['SUMPRODUCT(order.lines.quantity; order.lines.price)', 'number', '25.2'],
  ['customer.since + 30', 'date', '2026-04-03'],
  ['order.lines.quantity', 'list', ['2', '1']],
  ['1>2', 'boolean', false],
])('%s prints its type and value', (formula, type, value) => {
  const { out, code } = run(formula, '--record', file);
  expect(JSON.parse(out ?? '')).toEqual({ type, value });
  expect(code).toBe(0);
});

test.each([
  [['1/0'], 'Division by zero'],
  [['customer.emial', '--record', file], 'Did you mean customer.email?'],
  [['1 +'], 'Something is missing'],
  [[], 'Give one formula'],
  [['1', '--record', join(folder, 'none.json')], 'can’t be read'],
  [['1', '--nonsense'], 'nonsense'],
])('%j is told on the other stream', (args, message) => {
  const { out, error, code } = run(...(args as string[]));
  expect(out).toBeUndefined();
  expect(error).toContain(message);
  expect(code).toBe(1);
});
