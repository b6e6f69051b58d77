import fc from 'fast-check';
import { getCountries, getExampleNumber } from 'libphonenumber-js';
import examples from 'libphonenumber-js/mobile/examples';
import { coerce, isSameValue } from './coerce.ts';
import { readDate, readInstant } from './dates.ts';
import type { Field } from './field.ts';
import { readPhone } from './phone.ts';
import { formatPointer, nest, PointerError, parsePointer, readPointer, writePointer } from './pointer.ts';
import { foldCase, squeezeSpaces, titleCase } from './text.ts';
import { canonicalText, toText } from './value.ts';

const london = { zone: 'Europe/London', country: 'GB' };

describe('JSON Pointer, the examples of RFC 6901 section 5', () => {
  const document = {
    foo: ['bar', 'baz'],
    '': 0,
    'a/b': 1,
    'c%d': 2,
    'e^f': 3,
    'g|h': 4,
    'i\\j': 5,
    'k"l': 6,
    ' ': 7,
    'm~n': 8,
  };
  test.each([
    ['', document],
    ['/foo', ['bar', 'baz']],
    ['/foo/0', 'bar'],
    ['/', 0],
    ['/a~1b', 1],
    ['/c%d', 2],
    ['/e^f', 3],
    ['/g|h', 4],
    ['/i\\j', 5],
    ['/k"l', 6],
    ['/ ', 7],
    ['/m~0n', 8],
  ])('%j', (pointer, value) => expect(readPointer(document, pointer)).toEqual(value));

  test('what is none is refused, what is missing is undefined, and nothing of the prototype is read', () => {
    expect(() => parsePointer('foo')).toThrow(PointerError);
    expect(readPointer(document, '/foo/7')).toBeUndefined();
    expect(readPointer(document, '/constructor')).toBeUndefined();
  });

  test('property: any tokens are read back; a written value is read at its place', () => {
    const tokens = fc.array(
      fc.string({ minLength: 1 }).filter((token) => token !== '__proto__'),
      { minLength: 1, maxLength: 4 },
    );
    fc.assert(
      fc.property(tokens, fc.string(), (path, value) => {
        const pointer = formatPointer(path);
        expect(parsePointer(pointer)).toEqual(path);
        expect(readPointer(writePointer({}, pointer, value), pointer)).toBe(value);
        expect(readPointer(nest({ [pointer]: value }), pointer)).toBe(value);
      }),
    );
  });
});

describe('phones to E.164', () => {
  test('the example number of every region in libphonenumber-js, dialled at home, reads as its international form', () => {
    for (const country of getCountries()) {
      const example = getExampleNumber(country, examples);
      if (!example) continue;
      expect([country, readPhone(example.formatNational(), country)]).toEqual([country, example.number]);
      expect(readPhone(example.formatInternational(), 'GB')).toBe(example.number);
    }
  });

  // Ofcom keeps 01632 960xxx and 07700 900xxx for fiction (from memory).
  test.each([
    ['01632 960 771', '+441632960771'],
    ['(01632) 960-771', '+441632960771'],
    ['+44 7700 900123', '+447700900123'],
    ['0044 1632 960771', '+441632960771'],
  ])('%s', (given, expected) => expect(readPhone(given, 'GB')).toBe(expected));

  test.each(['ask for Dirk', '', '12', 'zoe@clay.example', '+44 1632 960 771 or 772'])('“%s” is none', (given) =>
    expect(readPhone(given, 'GB')).toBeUndefined(),
  );
});

describe('dates', () => {
  test.each([
    ['2026-03-04', '2026-03-04'],
    ['3 Mar 2026', '2026-03-03'],
    ['March 3, 2026', '2026-03-03'],
    ['3rd March 2026', '2026-03-03'],
    ['31/12/2026', '2026-12-31'],
    ['12/31/2026', '2026-12-31'],
    ['31.12.26', '2026-12-31'],
    ['2026/3/4', '2026-03-04'],
    ['1/2/70', '1970-02-01'],
  ])('%s', (given, date) => expect(readDate(given, 'Europe/London', 'day_first')).toMatchObject({ ok: true, date }));

  test('figures whose order can’t be told are read as the country writes them, and noted', () => {
    expect(readDate('3/4/26', 'utc', 'day_first')).toEqual({
      ok: true,
      date: '2026-04-03',
      note: 'read with the day first',
    });
    expect(readDate('3/4/26', 'utc', 'month_first')).toEqual({
      ok: true,
      date: '2026-03-04',
      note: 'read with the month first',
    });
  });

  test.each(['31/02/2026', '2026-13-01', 'soon', '00420', '12.5', '2026-02-30'])('“%s” is no date', (given) =>
    expect(readDate(given, 'utc', 'day_first').ok).toBe(false),
  );

  // IANA: Europe/London changes on 29 March and 25 October 2026, at 01:00 UTC.
  test('an instant is a date only in a zone, on both sides of the spring change', () => {
    const dateIn = (text: string, zone: string) => readDate(text, zone, 'day_first');
    expect(dateIn('2026-03-28T23:30:00Z', 'Europe/London')).toMatchObject({ date: '2026-03-28' });
    expect(dateIn('2026-03-29T23:30:00Z', 'Europe/London')).toMatchObject({ date: '2026-03-30' });
    expect(dateIn('2026-10-24T23:30:00Z', 'Europe/London')).toMatchObject({ date: '2026-10-25' });
    expect(dateIn('2026-10-25T23:30:00Z', 'Europe/London')).toMatchObject({ date: '2026-10-25' });
    expect(dateIn('2026-03-04T10:00:00+01:00', 'America/Los_Angeles')).toMatchObject({ date: '2026-03-04' });
  });

  // Common practice: Monday 06:00 US Pacific is 14:00 UTC in winter and 13:00 in summer.
  test('local times without an offset are read in the zone', () => {
    expect(readInstant('2026-01-12T06:00', 'America/Los_Angeles')).toBe('2026-01-12T14:00:00.000Z');
    expect(readInstant('2026-07-13T06:00', 'America/Los_Angeles')).toBe('2026-07-13T13:00:00.000Z');
  });
});

describe('text', () => {
  // Unicode case folding, CaseFolding.txt status F and C, and UAX 15 (from memory).
  test.each([
    ['STRASSE', 'straße'],
    ['ΣΊΣΥΦΟΣ', 'σίσυφος'],
    ['ﬁne', 'FINE'],
    ['Ｗｉｄｅ', 'wide'],
    ['ÉCLAIR', 'e\u0301clair'],
  ])('%s and %s are one when case is ignored', (one, other) => expect(foldCase(one)).toBe(foldCase(other)));

  test('accents are kept apart', () => expect(foldCase('Zoë')).not.toBe(foldCase('Zoe')));

  test.each([
    ['ANNA-MARIE O’NEILL', 'Anna-Marie O’Neill'],
    ['ólafur ragnar', 'Ólafur Ragnar'],
    ["st. bride's primary school", "St. Bride's Primary School"],
  ])('title case of %s', (given, expected) => expect(titleCase(given)).toBe(expected));

  test('spaces of any kind are squeezed', () => expect(squeezeSpaces(' a\u00a0\u00a0b\t\nc ')).toBe('a b c'));
});

describe('making a value fit its field', () => {
  const field = (more: Partial<Field>): Field => ({ path: '/x', label: 'x', type: 'text', ...more });
  const fit = (value: Parameters<typeof coerce>[0], more: Partial<Field>) => coerce(value, field(more), london);

  test.each([
    ['00420', { type: 'text' }, '00420'],
    [420, { type: 'text' }, '420'],
    ['0.1', { type: 'decimal' }, '0.1'],
    ['12.50', { type: 'decimal' }, '12.5'],
    ['1234567890123456.01', { type: 'decimal' }, '1234567890123456.01'],
    ['7', { type: 'integer' }, '7'],
    ['Yes', { type: 'boolean' }, true],
    [' TRADE ', { type: 'choice', options: [{ value: 'trade', label: 'Trade' }] }, 'trade'],
    ['gb', { type: 'country' }, 'GB'],
    ['zoe@clay.example', { type: 'email' }, 'zoe@clay.example'],
    ['2026-03-29T23:30:00Z', { type: 'date' }, '2026-03-30'],
    ['  ', { type: 'integer' }, null],
    [['a', 'b'], { type: 'text' }, 'a, b'],
  ] as const)('%j into %j', (value, more, expected) =>
    expect(fit(value as never, more as never)).toMatchObject({ ok: true, value: expected }),
  );

  test.each([
    ['1,20,4.50', { type: 'decimal' }, 'can’t be read as a number'],
    ['7.5', { type: 'integer' }, 'not a whole number'],
    ['12345678901234567890.01', { type: 'decimal' }, 'too large'],
    ['NaN', { type: 'decimal' }, 'can’t be read as a number'],
    ['perhaps', { type: 'boolean' }, 'neither yes nor no'],
    ['wholesale', { type: 'choice', options: [{ value: 'trade', label: 'Trade' }] }, 'not one of the options (trade)'],
    ['zoe at clay', { type: 'email' }, 'not an e-mail address'],
    ['', { required: true }, 'Required, and empty'],
    ['abcdef', { maxLength: 5 }, '6 characters, and at most 5 fit'],
    [{ a: 1 }, { type: 'text' }, 'whole record'],
  ] as const)('%j does not fit %j', (value, more, message) => {
    expect(fit(value as never, more as never)).toMatchObject({ ok: false, message: expect.stringContaining(message) });
  });

  test('a limit counts characters as people do: four letters beyond the basic plane are four', () => {
    expect(fit('𝒶𝒷𝒸𝒹', { maxLength: 4 })).toMatchObject({ ok: true });
  });

  test('sameness goes by the type', () => {
    expect(isSameValue('12.50', 12.5, 'decimal')).toBe(true);
    expect(isSameValue('12.50', '12.5', 'text')).toBe(false);
    expect(isSameValue(null, '', 'text')).toBe(true);
    expect(isSameValue('2026-03-04T10:00:00+01:00', '2026-03-04T09:00:00Z', 'instant')).toBe(true);
  });

  test('property: nothing ever becomes "[object Object]", NaN or undefined in a text', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const text = toText(value as never);
        expect(text).not.toContain('[object');
        expect(text).not.toBe('NaN');
        const fitted = fit(value as never, { type: 'any' });
        expect(fitted.ok).toBe(true);
      }),
    );
  });

  test('property: the canonical text doesn’t depend on the order of names', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (record) => {
        const turned = Object.fromEntries(Object.entries(record).reverse());
        expect(canonicalText(turned as never)).toBe(canonicalText(record as never));
      }),
    );
  });
});

test('nested lists become one line of text, with a note where the field takes anything', () => {
  const locale = { zone: 'Europe/London', country: 'GB' };
  const nested = ['clay', ['glaze', ['kiln', null]]];
  expect(coerce(nested, { path: '/a', label: 'a', type: 'text' }, locale)).toEqual({
    ok: true,
    value: 'clay, glaze, kiln',
  });
  expect(coerce(nested, { path: '/a', label: 'a', type: 'any' }, locale)).toMatchObject({
    note: 'several values as one text',
  });
  expect(coerce([], { path: '/a', label: 'a', type: 'text', required: true }, locale)).toMatchObject({ ok: false });
});
