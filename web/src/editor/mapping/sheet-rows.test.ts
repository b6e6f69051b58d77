import type { Field, KnownField } from '@golden/core';
import { canTurn, turned } from '../filling/turn.ts';
import { gridRows, matching } from './sheet-rows.ts';

const field = (path: string, more: Partial<Field> = {}): Field => ({
  path,
  label: path.slice(1).replaceAll('/', ' · '),
  type: 'text',
  ...more,
});

describe('rows of the sheet', () => {
  const fields = ['/name', '/address/street', '/address/city', '/mail', '/one/only'].map((path) => field(path));
  const filled = { '/address/city': { kind: 'fixed' as const, value: 'Saltmarsh' } };

  test('nested fields stand under a head with how many are filled; one alone needs none', () => {
    const rows = gridRows(fields, filled, new Set());
    expect(
      rows.map((row) => (row.kind === 'group' ? `${row.label} ${row.filled}/${row.count}` : row.field.path)),
    ).toEqual(['/name', 'address 1/2', '/address/street', '/address/city', '/mail', '/one/only']);
  });

  test('folded, the head stands for them', () => {
    const rows = gridRows(fields, filled, new Set(['address']));
    expect(rows).toHaveLength(4);
    expect(rows[1]).toMatchObject({ kind: 'group', isFolded: true });
  });

  test('the search finds a field by its name and by what fills it', () => {
    const words = (one: Field): string => (one.path === '/mail' ? 'customer email' : '');
    expect(matching(fields, 'STREET', words).map((one) => one.path)).toEqual(['/address/street']);
    expect(matching(fields, 'customer', words).map((one) => one.path)).toEqual(['/mail']);
    expect(matching(fields, '  ', words)).toHaveLength(fields.length);
  });
});

describe('one way of filling turned into another', () => {
  const known: KnownField = { ref: { step: 'start', path: '/kind' }, field: field('/kind'), from: 'customer' };
  const context = {
    field: field('/account', { options: [{ value: 'T', label: 'Trade' }] }),
    names: [{ name: 'customer.kind', type: 'text' as const, known }],
    known: [known],
    scopes: [{ start: { kind: 'trade' } }, { start: { kind: 'school' } }],
  };
  const asField = { kind: 'field' as const, ref: known.ref, tidies: [] };

  test('a table begins with the options that are called alike', () => {
    expect(turned('options', asField, context)).toEqual({
      kind: 'options',
      ref: known.ref,
      table: [{ from: 'trade', to: 'T' }],
      otherwise: { kind: 'problem' },
    });
  });

  test('a table becomes a formula with all its rows, and a formula that does more isn’t turned into less', () => {
    const table = turned('options', asField, context);
    const formula = turned('formula', table, context);
    expect(formula).toMatchObject({ kind: 'formula', text: 'SWITCH(customer.kind; "trade"; "T")' });
    expect(canTurn('field', formula)).toBe(false);
    expect(canTurn('fixed', formula)).toBe(true);
    expect(canTurn('field', turned('formula', asField, context))).toBe(true);
  });

  test('nothing known, nothing turned into lines', () => {
    expect(turned('lines', undefined, context)).toBeUndefined();
  });
});
