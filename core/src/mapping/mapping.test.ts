import { codes, code as currency } from 'currency-codes';
import fc from 'fast-check';
import { evaluateFormula } from '../formula/formula.ts';
import { FormulaError } from '../formula/values.ts';
import type { WriteStep } from '../steps/write/schema.ts';
import { aField, contentWith, fromField, list, writeToList } from '../testing/workflows.ts';
import { coerce } from '../values/coerce.ts';
import { readCountry } from '../values/countries.ts';
import { orderTold, readSerial } from '../values/dates.ts';
import type { Field } from '../values/field.ts';
import { asGiven, harmless, readsAsFormula } from '../values/formula-text.ts';
import { fromMinor, minorUnits, readNumber, toMinor } from '../values/numbers.ts';
import { readPath } from '../values/paths.ts';
import type { JsonRecord } from '../values/value.ts';
import { evaluationContextOf } from '../workflow/references.ts';
import type { WorkflowContent } from '../workflow/schema.ts';
import { asField, asFormula, asTextParts, type ValueFilling } from './convert.ts';
import type { EvaluationContext } from './evaluation-context.ts';
import { type Filling, fill, type LinesFilling, refsOf } from './filling.ts';
import { mapField, mapLines, mapRecord } from './map-record.ts';
import { bindFormula, namedFields } from './names.ts';
import { remarksOnRow, valuesNotIn } from './row-checks.ts';
import { mappingRows, readMappingRows } from './sheet-rows.ts';
import { suggestLines } from './suggest-lines.ts';

const london = { zone: 'Europe/London', country: 'GB' };

describe('numbers as people write them', () => {
  test.each([
    ['1204.5', '1204.5', undefined],
    ['1.234,56', '1234.56', undefined],
    ['1,234.56', '1234.56', undefined],
    ['1 234,56', '1234.56', undefined],
    ['1’234.50', '1234.5', undefined],
    ['12,34,567.50', '1234567.5', undefined],
    ['£1,204.50', '1204.5', 'GBP'],
    ['1.204,50 €', '1204.5', 'EUR'],
    ['CHF 12.50', '12.5', 'CHF'],
    ['(12.50)', '-12.5', undefined],
    ['12.50-', '-12.5', undefined],
    ['−7', '-7', undefined],
    ['25 %', '0.25', undefined],
    ['12,5', '12.5', undefined],
    ['1.000.000', '1000000', undefined],
    ['.5', '0.5', undefined],
    ['0.500', '0.5', undefined],
  ])('%s is %s', (text, number, sign) => {
    expect(readNumber(text, 'point', 'GB')).toMatchObject({ ok: true, number, ...(sign && { currency: sign }) });
  });

  test('what figures alone can’t tell is read by custom, and said', () => {
    expect(readNumber('1,204', 'point')).toMatchObject({
      number: '1204',
      note: 'read with the comma between thousands',
    });
    expect(readNumber('1,204', 'comma')).toMatchObject({ number: '1.204', note: 'read with a decimal comma' });
    expect(readNumber('1.204', 'comma')).toMatchObject({ number: '1204' });
  });

  test.each(['abc', '1,20,4.50', '12.5.3,1', '1-2', '', '--5', 'GB12', '12abc', '1e9999'])(
    '%j is told, not guessed',
    (text) => expect(readNumber(text, 'point').ok).toBe(false),
  );

  test('property: a number written in any custom reads back as itself', () => {
    const customs = [
      ['en-GB', 'point'],
      ['de-DE', 'comma'],
      ['fr-FR', 'comma'],
      ['de-CH', 'point'],
      ['en-IN', 'point'],
    ] as const;
    fc.assert(
      fc.property(
        fc.integer({ min: -99_999_999, max: 99_999_999 }),
        fc.constantFrom(...customs),
        (cents, [locale, mark]) => {
          const shown = new Intl.NumberFormat(locale, { minimumFractionDigits: 2 }).format(cents / 100);
          expect(readNumber(shown, mark)).toMatchObject({ ok: true, number: String(cents / 100) });
        },
      ),
      { seed: 12 },
    );
  });

  test('currencies have their minor units (ISO 4217: JPY 0, EUR 2, KWD 3), there and back for all of them', () => {
    expect([minorUnits('JPY'), minorUnits('EUR'), minorUnits('KWD'), minorUnits('ABC')]).toEqual([0, 2, 3, undefined]);
    for (const code of codes()) {
      expect(currency(code)?.digits).toBe(minorUnits(code));
      expect(toMinor(fromMinor(123456, code), code)).toBe(123456);
    }
    expect(() => toMinor('1.005', 'GBP')).toThrow('more decimals than GBP (2)');
  });
});

describe('making values fit', () => {
  const fit = (value: unknown, more: Partial<Field>, around: EvaluationContext = london, sign?: string) =>
    coerce(value as never, aField('/x', more), around, sign);
  const pounds = { type: 'money', currency: { code: 'GBP' } } as const;

  test.each([
    ['£1,204.50', pounds, '1204.50'],
    [12, pounds, '12.00'],
    ['500', { type: 'money', currency: { code: 'JPY' } }, '500'],
    ['45350', { type: 'date' }, '2024-02-28'],
    ['20260304', { type: 'date' }, '2026-03-04'],
    ['Deutschland', { type: 'country' }, 'DE'],
    ['ABC-1', { pattern: '^[A-Z]+-\\d$' }, 'ABC-1'],
  ])('%j into %j is %s', (value, more, expected) =>
    expect(fit(value, more as never)).toMatchObject({ ok: true, value: expected }),
  );

  test.each([
    ['12.345', pounds, '12.345 has 3 decimals, and GBP has 2'],
    ['12 €', pounds, 'The amount is in EUR, but GBP is needed'],
    ['12.5', { type: 'money', currency: { code: 'JPY' } }, 'JPY has 0'],
    ['abc', { pattern: '^\\d+$' }, 'doesn’t have the form'],
    [{ a: 1 }, { type: 'decimal' }, 'One number is needed'],
    [['1', '2'], { type: 'integer' }, 'not several values'],
    ['Atlantis', { type: 'country' }, 'not a known country'],
    ['13', { type: 'date' }, 'can’t be read as a date'],
  ])('%j into %j says why not', (value, more, message) => {
    const result = fit(value, more as never);
    expect(result).toMatchObject({ ok: false, message: expect.stringContaining(message) });
  });

  test('what a person fixed for a field goes before the country’s custom', () => {
    expect(fit('3/4/26', { type: 'date' })).toMatchObject({ value: '2026-04-03', note: 'read with the day first' });
    expect(fit('3/4/26', { type: 'date' }, { ...london, order: 'month_first' })).toMatchObject({ value: '2026-03-04' });
    expect(fit('1.204', { type: 'decimal' }, { ...london, decimal: 'comma' })).toMatchObject({ value: '1204' });
    expect(fit('13', { type: 'date' }, { ...london, serial: true })).toMatchObject({ value: '1900-01-12' });
  });

  test('a moment put into a date names its zone, over both changes of the clocks (IANA, Europe/London 2026)', () => {
    const day = (moment: string) => fit(moment, { type: 'date' });
    expect(day('2026-03-28T23:30:00Z')).toMatchObject({ value: '2026-03-28', note: 'the day in Europe/London' });
    expect(day('2026-03-29T23:30:00Z')).toMatchObject({ value: '2026-03-30' });
    expect(day('2026-10-24T23:30:00Z')).toMatchObject({ value: '2026-10-25' });
    expect(day('2026-10-25T23:30:00Z')).toMatchObject({ value: '2026-10-25' });
    expect(fit('2026-03-04', { type: 'date' })).toEqual({ ok: true, value: '2026-03-04' });
  });

  test('day numbers of spreadsheets, the order that figures tell, countries by name', () => {
    expect([readSerial(1), readSerial(46085), readSerial(0)]).toEqual(['1899-12-31', '2026-03-04', undefined]);
    expect(['13/4/26', '4/13/26', '3/4/26', '4.4.26', '2026-03-04'].map(orderTold)).toEqual([
      'day_first',
      'month_first',
      'either',
      undefined,
      undefined,
    ]);
    expect(['U.K.', 'österreich', 'ie', 'Narnia'].map(readCountry)).toEqual(['GB', 'AT', 'IE', undefined]);
  });

  test('a path through a list is the list of what stands there, gaps kept; a member called * goes before', () => {
    const order = { lines: [{ sku: 'a' }, {}, { sku: 'c' }], '*': { sku: 'star' } } as JsonRecord;
    expect(readPath(order, '/lines/*/sku')).toEqual(['a', null, 'c']);
    expect(readPath(order, '/*/sku')).toBe('star');
    expect(readPath(order, '/none/*/sku')).toBeUndefined();
  });
});

const lines: Field = aField('/lines', {
  type: 'list',
  fields: [
    aField('/sku'),
    aField('/quantity', { type: 'integer' }),
    aField('/price', { type: 'money', currency: { path: '/currency' } }),
  ],
});
const invoiceLines: Field = aField('/invoiceLines', {
  type: 'list',
  required: true,
  fields: [
    aField('/name', { required: true }),
    aField('/count', { type: 'integer' }),
    aField('/net', { type: 'money', currency: { path: '/currencyCode' } }),
  ],
});

function content(step: WriteStep): WorkflowContent {
  const made = contentWith([step]);
  const { source } = made.start;
  if (!source) throw new Error('no source');
  const fields = [...source.described.fields, lines, aField('/currency'), aField('/born')];
  return { ...made, start: { ...made.start, source: { ...source, described: { ...source.described, fields } } } };
}
const step = writeToList();
const around = evaluationContextOf({ content: content(step), locale: london }, '2026-11-24T09:00:00.000Z');
const toLines = (mapping: Record<string, Filling>, keep?: LinesFilling['keep']): LinesFilling => ({
  kind: 'lines',
  ref: { step: 'start', path: '/lines' },
  mapping,
  ...(keep && { keep }),
});
const ofLine = (path: string): Filling => ({ kind: 'field', ref: { step: 'line', path }, tidies: [] });
const order = {
  currency: 'GBP',
  lines: [
    { sku: 'CLAY', quantity: 2, price: '10.10' },
    { sku: 'GLAZE', quantity: 1, price: '5' },
  ],
};
const usual = {
  '/name': ofLine('/sku'),
  '/count': ofLine('/quantity'),
  '/net': {
    kind: 'formula',
    text: 'line.quantity * line.price',
    refs: { 'line.quantity': { step: 'line', path: '/quantity' }, 'line.price': { step: 'line', path: '/price' } },
  } as Filling,
};

describe('lines', () => {
  test('each item through its own mapping, amounts in the record’s currency, numbered', () => {
    const cell = mapField(invoiceLines, toLines(usual), { start: order }, around);
    expect(cell).toMatchObject({
      state: 'filled',
      value: [
        { name: 'CLAY', count: '2', net: '20.2' },
        { name: 'GLAZE', count: '1', net: '5' },
      ].map((line) => ({ ...line, net: expect.stringMatching(/^(20\.20?|5(\.00)?)$/) })),
    });
    const kept = mapLines(
      invoiceLines,
      toLines(usual, { text: 'line.quantity > 1', refs: { 'line.quantity': { step: 'line', path: '/quantity' } } }),
      { start: order },
      around,
    );
    expect(kept).toMatchObject({ ok: true, lines: [{ number: 1 }] });
  });

  test('fields called alike are proposed, each source field once; a raw list is never handed over', () => {
    const there = aField('/items', {
      type: 'list',
      fields: [aField('/item_sku'), aField('/quantity', { type: 'integer' }), aField('/id', { readOnly: true })],
    });
    expect(suggestLines(there, lines, { step: 'start', path: '/lines' }).mapping).toEqual({
      '/item_sku': ofLine('/sku'),
      '/quantity': ofLine('/quantity'),
    });
    expect(mapField(invoiceLines, fromField('/lines'), { start: order }, around)).toMatchObject({
      state: 'problem',
      message: expect.stringContaining('line by line'),
    });
  });

  test('a problem in one line is told with its number; a required list without lines as well', () => {
    const wrong = { ...order, lines: [...order.lines, { sku: '', quantity: 'many', price: '1' }] };
    expect(mapField(invoiceLines, toLines(usual), { start: wrong }, around)).toMatchObject({
      state: 'problem',
      message: expect.stringContaining('Line 3, name: Required'),
    });
    expect(mapField(invoiceLines, toLines(usual), { start: { lines: [] } }, around)).toMatchObject({
      state: 'problem',
      message: 'Required, and there is no line.',
    });
  });

  test('amounts with more decimals than the destination’s currency, and of another currency, are told', () => {
    const fields = [
      invoiceLines,
      aField('/currencyCode'),
      aField('/total', { type: 'money', currency: { path: '/currencyCode' } }),
    ];
    const half = {
      ...usual,
      '/net': {
        kind: 'formula',
        text: 'line.price / 8',
        refs: { 'line.price': { step: 'line', path: '/price' } },
      } as Filling,
    };
    const mapped = mapRecord(
      { '/invoiceLines': toLines(half), '/currencyCode': fromField('/currency') },
      fields,
      { start: order },
      around,
    );
    expect(mapped.problems[0]?.message).toContain('Line 1, net: 1.2625 has 4 decimals');
    const euros = mapRecord(
      {
        '/currencyCode': { kind: 'fixed', value: 'EUR' },
        '/total': { kind: 'formula', text: 'MONEY(5; "GBP")', refs: {} },
      },
      fields.slice(1),
      { start: order },
      around,
    );
    expect(euros.problems[0]?.message).toBe('The amount is in GBP, but the record says EUR.');
  });
});

describe('tables of options', () => {
  const table: Extract<Filling, { kind: 'options' }> = {
    kind: 'options',
    ref: { step: 'start', path: '/name' },
    table: [{ from: 'Trade', to: 'T' }],
    otherwise: { kind: 'problem' },
  };
  const give = (name: unknown, otherwise = table.otherwise) =>
    fill({ ...table, otherwise }, { start: { name } as never }, around);

  test('values go through the table without regard to case; the rest by its rule', () => {
    expect(give(' trade ')).toEqual({ ok: true, value: 'T' });
    expect(give('hobby')).toMatchObject({ ok: false, message: expect.stringContaining('“hobby” isn’t in the table') });
    expect(give(null)).toEqual({ ok: true, value: null });
    expect(give('hobby', { kind: 'empty' })).toEqual({ ok: true, value: null });
    expect(give('hobby', { kind: 'same' })).toEqual({ ok: true, value: 'hobby' });
    expect(give('hobby', { kind: 'value', value: 'H' })).toEqual({ ok: true, value: 'H' });
    expect(give(['trade', 'TRADE'])).toEqual({ ok: true, value: ['T', 'T'] });
  });

  test('what occurs and isn’t in it is listed, the most frequent first', () => {
    const scopes = ['hobby', 'school', 'Hobby', 'trade', ''].map((name) => ({ start: { name } }));
    expect(valuesNotIn(table, scopes)).toEqual(['hobby', 'school']);
    expect(remarksOnRow(aField('/x'), table, scopes, [], around)[0]).toMatchObject({
      kind: 'not_in_table',
      values: ['hobby', 'school'],
    });
  });
});

describe('what all samples together show', () => {
  const born = fromField('/born', { kind: 'date' });
  const remarks = (dates: string[], more: EvaluationContext = around) => {
    const scopes = dates.map((one) => ({ start: { born: one, name: 'x' } }));
    const cells = scopes.map((scope) => mapField(aField('/d', { type: 'date' }), born, scope, more));
    return remarksOnRow(aField('/d', { type: 'date' }), born, scopes, cells, more);
  };

  test('day and month that can’t be told apart, told otherwise, or mixed', () => {
    expect(remarks(['3/4/26', '5/6/26'])[0]).toMatchObject({
      kind: 'order_unclear',
      message: 'Day and month can’t be told apart in 2 of 2 samples.',
    });
    expect(remarks(['3/4/26', '13/6/26'])).toEqual([]);
    expect(remarks(['3/4/26', '6/13/26'])[0]?.message).toContain('Other samples have the month first');
    expect(remarks(['13/4/26', '6/13/26'])[0]?.kind).toBe('order_mixed');
    expect(remarks(['3/4/26', '5/6/26'], { ...around, readings: { '/born': { dates: 'day_first' } } })).toEqual([]);
  });

  test('a point or comma that could mean either is told, until a person fixes it', () => {
    const budget = fromField('/name');
    const scopes = ['1,204', '12,5'].map((name) => ({ start: { name } }));
    const give = (more: EvaluationContext) => {
      const cells = scopes.map((scope) => mapField(aField('/b', { type: 'decimal' }), budget, scope, more));
      return remarksOnRow(aField('/b', { type: 'decimal' }), budget, scopes, cells, more);
    };
    expect(give(around)[0]).toMatchObject({ kind: 'mark_unclear', message: expect.stringContaining('1 of 2 samples') });
    expect(give({ ...around, readings: { '/name': { decimal: 'comma' } } })).toEqual([]);
  });

  test('the same value everywhere is worth a look, but not from few samples or an id still to come', () => {
    const scopes = [1, 2, 3, 4].map(() => ({ start: { name: 'x' } }));
    const filled = scopes.map(() => ({ state: 'filled' as const, value: 'x' }));
    expect(remarksOnRow(aField('/n'), fromField('/name'), scopes, filled, around)[0]?.kind).toBe('same_everywhere');
    expect(remarksOnRow(aField('/n'), fromField('/name'), scopes.slice(1), filled.slice(1), around)).toEqual([]);
  });
});

describe('three ways into one thing', () => {
  const names = namedFields(content(step), { before: step.id });
  const email = { step: 'start', path: '/email' };
  const name = { step: 'start', path: '/name' };
  const samples = ['  zoë O’NEILL ', 'x', '', '07700 900123', '3/4/26'];

  test.each<[ValueFilling, string]>([
    [fromField('/name', { kind: 'trim' }, { kind: 'lower' }) as ValueFilling, 'LOWER(STRIP(customer.name))'],
    [fromField('/phone', { kind: 'phone' }) as ValueFilling, 'PHONE(customer.phone)'],
    [
      fromField('/name', { kind: 'default', value: 'no "name"' }) as ValueFilling,
      'IFEMPTY(customer.name; "no ""name""")',
    ],
    [
      {
        kind: 'text',
        parts: [
          { kind: 'field', ref: name },
          { kind: 'words', text: ' <' },
          { kind: 'field', ref: email },
        ],
        tidies: [{ kind: 'squeeze' }],
      },
      'TRIM(customer.name&" <"&customer.email)',
    ],
    [{ kind: 'fixed', value: 'GBP' }, '"GBP"'],
  ])('%j is the formula %s, and back again', (filling, text) => {
    const formula = asFormula(filling, names);
    expect(formula.text).toBe(text);
    if (filling.kind === 'field') expect(asField(formula)).toEqual(filling);
    if (filling.kind === 'text') expect(asTextParts(formula)).toEqual(filling);
    for (const value of samples) {
      const scope = { start: { name: value, email: 'a@b.example', phone: value } };
      const [one, other] = [fill(filling, scope, around), fill({ kind: 'formula', ...formula }, scope, around)];
      if (one.ok && other.ok) expect(String(other.value ?? '')).toBe(String(one.value ?? ''));
      else expect(other.ok).toBe(one.ok);
    }
  });

  test('a table is a SWITCH; a formula that does more is not turned into less', () => {
    const table: ValueFilling = {
      kind: 'options',
      ref: name,
      table: [{ from: 'a', to: '1' }],
      otherwise: { kind: 'value', value: '9' },
    };
    expect(asFormula(table, names).text).toBe('SWITCH(customer.name; "a"; "1"; "9")');
    const more = bindFormula('ROUND(customer.name; 2)', names);
    expect([asField(more), asTextParts(more)]).toEqual([undefined, undefined]);
  });

  test('names are quoted where they need it, and two of one name are told apart', () => {
    const place = {
      ...list,
      described: { ...list.described, singular: 'row', fields: [aField('/Full name'), aField('/a.b'), aField('/a/b')] },
    };
    const made = namedFields(
      { ...content(step), start: { ...content(step).start, source: place } },
      { before: step.id },
    );
    expect(made.map((one) => one.name).filter((name) => name.startsWith('row.'))).toEqual([
      'row.Full name',
      'row.a.b',
      'row.a.b_2',
    ]);
    expect(bindFormula("$$'row.Full name' & ROW.a.b_2", made).refs).toEqual({
      'row.Full name': { step: 'start', path: '/Full name' },
      'ROW.a.b_2': { step: 'start', path: '/a/b' },
    });
  });
});

describe('a mapping as a table, and back', () => {
  const whole: WriteStep = {
    ...step,
    mapping: { ...step.mapping, '/E-mail': { kind: 'fixed', value: 'none@clay.example' } },
    notes: { '/Name': 'as on the van' },
  };
  const made = content(whole);

  test('saved and brought back it changes nothing', () => {
    const rows = mappingRows(made, whole, london);
    expect(rows[1]).toMatchObject({ field: '/Name', formula: 'customer.name', note: 'as on the van' });
    const { step: read, refused, changed } = readMappingRows(made, whole, rows);
    expect([refused, changed]).toEqual([[], 0]);
    expect(read.mapping).toEqual(whole.mapping);
  });

  test('changed rows are taken over each by itself; what can’t be read is told with its row', () => {
    const rows = mappingRows(made, whole, london).map((row) => {
      if (row.field === '/Name') return { ...row, formula: '=UPPER(customer.name)', note: '' };
      if (row.field === '/Phone') return { ...row, formula: 'UPPER(customer.fone)' };
      if (row.field === '/E-mail') return { ...row, formula: '' };
      return row;
    });
    const { step: read, refused } = readMappingRows(made, whole, [
      ...rows,
      { field: '/Nowhere', filledWith: '', formula: '1', note: '' },
    ]);
    expect(read.mapping['/Name']).toEqual(fromField('/name', { kind: 'upper' }));
    expect(read.mapping['/Phone']).toEqual(whole.mapping['/Phone']);
    expect(read.mapping).not.toHaveProperty('/E-mail');
    expect(read.notes).toBeUndefined();
    expect(refused).toEqual([
      { row: 4, message: 'There is no field “customer.fone” here.' },
      { row: 6, message: 'There is no field “/Nowhere” in the destination.' },
    ]);
  });
});

describe('a table from which columns are missing', () => {
  const whole: WriteStep = { ...step, notes: { '/Name': 'as on the van', '/Phone': 'office hours' } };
  const made = content(whole);

  test('changes nothing of what they hold: without “note” the notes stay, without “formula” the mapping', () => {
    const rows = mappingRows(made, whole, london);
    const withoutNotes = readMappingRows(
      made,
      whole,
      rows.map(({ field, formula }) => ({ field, formula })),
    );
    expect([withoutNotes.changed, withoutNotes.step.notes]).toEqual([0, whole.notes]);
    const withoutFormulas = readMappingRows(
      made,
      whole,
      rows.map(({ field }) => ({ field, note: field === '/Name' ? '' : (whole.notes?.[field] ?? '') })),
    );
    expect(withoutFormulas).toMatchObject({ changed: 1, refused: [] });
    expect(withoutFormulas.step.mapping).toEqual(whole.mapping);
    expect(withoutFormulas.step.notes).toEqual({ '/Phone': 'office hours' });
  });

  test('names that every object knows are no fields of a formula', () => {
    for (const name of ['constructor', 'toString', '__proto__', 'valueOf']) {
      expect(evaluateFormula({ text: name, refs: {} }, { start: {} }, london)).toBeInstanceOf(FormulaError);
      const read = readMappingRows(made, whole, [{ field: '/Name', formula: name }]);
      expect(read.refused).toEqual([{ row: 2, message: `There is no field “${name}” here.` }]);
    }
  });
});

describe('texts that a spreadsheet program would take for formulas (OWASP, CSV Injection)', () => {
  const file: Field = { path: '/Name', label: 'Name', type: 'text', readsFormulas: true };
  const cell = (value: string, more: Partial<EvaluationContext> = {}, field = file) =>
    mapField(field, fromField('/name'), { start: { name: value } }, { ...london, ...more });

  test.each(['=HYPERLINK("http://x.example")', '+44 1632 960 771', '-2+3+cmd', '@SUM(A1)', '\tx', '\r=1'])(
    '“%s” is told in a file, and made harmless where that was chosen',
    (text) => {
      expect(cell(text)).toMatchObject({ state: 'filled', value: text, note: expect.stringContaining('formula') });
      expect(cell(text, { formulaTexts: 'harmless' })).toMatchObject({ state: 'filled', value: `'${text}` });
      const { readsFormulas: _isFile, ...app } = file;
      expect(cell(text, { formulaTexts: 'harmless' }, app)).toEqual({ state: 'filled', value: text });
      const cells = [cell(text), cell('Ada')];
      const remarks = remarksOnRow(file, fromField('/name'), [{}, {}], cells, london);
      expect(remarks).toMatchObject([{ kind: 'formula_text', message: expect.stringContaining('1 of 2 samples') }]);
    },
  );

  test.each(['Ada', '-12.50', '', "O'Neill", '’=x', 'a=b'])('“%s” is not', (text) => {
    expect(harmless(text)).toBe(text);
  });

  test('what was made harmless is never read as a formula, and comes back as it was given', () => {
    const signs = fc.string({ unit: fc.constantFrom('=', '+', '-', '@', '\t', "'", '1', '.', 'a') });
    fc.assert(
      fc.property(fc.oneof(signs, fc.string()), (text) => {
        expect(readsAsFormula(harmless(text))).toBe(false);
        expect(asGiven(harmless(text))).toBe(text);
      }),
    );
  });
});

describe('values that can’t be read, and telephones by the record’s country', () => {
  const phone = aField('/phone', { type: 'phone' });
  const filling = (more: object): Filling => ({
    kind: 'field',
    ref: { step: 'start', path: '/phone' },
    tidies: [{ kind: 'phone' }],
    ...more,
  });
  const around = { zone: 'Europe/London', country: 'GB' };
  const cellOf = (given: Filling, record: JsonRecord, field = phone) =>
    mapField(field, given, { start: record }, around);

  test('a person is asked, the field stays empty, or it is written as it is', () => {
    const record = { phone: 'ask Robin' };
    expect(cellOf(filling({}), record)).toMatchObject({ state: 'problem', given: 'ask Robin' });
    expect(cellOf(filling({ unread: 'ask' }), record)).toMatchObject({ state: 'problem' });
    expect(cellOf(filling({ unread: 'empty' }), record)).toEqual({
      state: 'empty',
      note: '“ask Robin” can’t be read; left empty',
    });
    expect(cellOf(filling({ unread: 'keep' }), record)).toMatchObject({ state: 'filled', value: 'ask Robin' });
    // A required field is never left empty, and a number is never a text.
    expect(cellOf(filling({ unread: 'empty' }), record, { ...phone, required: true })).toMatchObject({
      state: 'problem',
    });
    const amount: Filling = { kind: 'field', ref: { step: 'start', path: '/sum' }, tidies: [], unread: 'keep' };
    expect(cellOf(amount, { sum: 'a lot' }, aField('/sum', { type: 'decimal' }))).toMatchObject({ state: 'problem' });
    expect(cellOf({ ...amount, unread: 'empty' }, { sum: 'a lot' }, aField('/sum', { type: 'decimal' }))).toMatchObject(
      {
        state: 'empty',
      },
    );
  });

  test('a number without a code is dialled in the record’s country; one of another country is marked', () => {
    const byCountry = filling({ tidies: [{ kind: 'phone', countryFrom: { step: 'start', path: '/country' } }] });
    expect(cellOf(byCountry, { phone: '020 915 4832', country: 'IE' })).toMatchObject({ value: '+353209154832' });
    expect(cellOf(byCountry, { phone: '020 7946 0123', country: 'GB' })).toMatchObject({ value: '+442079460123' });
    expect(cellOf(byCountry, { phone: '+44 20 7946 0123', country: 'IE' })).toMatchObject({
      value: '+442079460123',
      note: 'a number of GB, in a record of IE',
    });
    // Where the record says nothing the workspace’s country counts.
    expect(cellOf(byCountry, { phone: '020 7946 0123', country: null })).toMatchObject({ value: '+442079460123' });
    expect(refsOf(byCountry).map(({ path }) => path)).toEqual(['/phone', '/country']);
  });
});
