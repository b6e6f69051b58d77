import fc from 'fast-check';
import type { EvaluationContext } from '../mapping/evaluation-context.ts';
import type { Field } from '../values/field.ts';
import { splitName } from '../values/person-name.ts';
import { checkFormula, type KnownName } from './check.ts';
import { evaluateFormula } from './formula.ts';
import { formulaFunctions } from './functions/index.ts';
import { spellingOf, toStored, toTyped } from './spelling.ts';
import { namesIn, parseFormula, quoteName } from './syntax.ts';
import { FormulaError, type FormulaValue, kindOf, toValue } from './values.ts';

const order = {
  number: 'S-1001',
  email: 'zoe@clay.example',
  currency: 'GBP',
  total: '120.50',
  discount: null,
  placed_at: '2026-03-28T23:30:00Z',
  due: '2026-03-31',
  born: '3/4/26',
  'Full name': 'Zoë Marsh',
  lines: [
    { sku: 'CLAY-5', quantity: 3, price: '10.10' },
    { sku: 'GLAZE-1', quantity: 1, price: '90.20' },
  ],
};
const money: Partial<Field> = { type: 'money', currency: { path: '/currency' } };
const types: Record<string, Partial<Field>> = {
  '/total': money,
  '/lines/*/price': money,
  '/placed_at': { type: 'instant' },
  '/due': { type: 'date' },
  '/lines/*/quantity': { type: 'integer' },
};
const fieldOf = ({ path }: { path: string }): Field => ({ path, label: path, type: 'text', ...types[path] });
const london: EvaluationContext = {
  zone: 'Europe/London',
  country: 'GB',
  takenAt: '2026-06-30T23:30:00.000Z',
  fieldOf,
};

const refOf = (name: string) => {
  const path = name.replace(/^order\./, '').replace(/^lines\.(?=.)/, 'lines/*/');
  return { step: 'start', path: `/${path}` };
};
function give(text: string, around: EvaluationContext = london): FormulaValue {
  const refs = Object.fromEntries(namesIn(text).map((name) => [name, refOf(name)]));
  return evaluateFormula({ text, refs }, { start: order }, around);
}
const result = (text: string, around?: EvaluationContext): unknown => {
  const value = give(text, around);
  return value instanceof FormulaError ? value.message : toValue(value);
};

describe('what a formula gives for a record', () => {
  test.each([
    ['0.1+0.2', '0.3'],
    ['order.email', 'zoe@clay.example'],
    ['$$\'order.Full name\' & " (" & order.number & ")"', 'Zoë Marsh (S-1001)'],
    ['order.total * 1.2', '144.6'],
    ['ROUND(order.total / 3; 2)', '40.17'],
    ['CURRENCY(order.total)', 'GBP'],
    ['order.lines.quantity', ['3', '1']],
    ['SUM(order.lines.quantity)', '4'],
    ['SUMPRODUCT(order.lines.quantity; order.lines.price)', '120.5'],
    ['SUM(order.lines.quantity * order.lines.price)', '120.5'],
    ['TEXTJOIN(", "; TRUE; order.lines.sku)', 'CLAY-5, GLAZE-1'],
    ['TEXTJOIN("+"; TRUE; LOWER(order.lines.sku))', 'clay-5+glaze-1'],
    ['COUNT(order.lines.quantity)', '2'],
    ['FIRST(order.lines.sku)', 'CLAY-5'],
    ['LAST(order.lines.sku)', 'GLAZE-1'],
    ['ITEM(order.lines.sku; 2)', 'GLAZE-1'],
    ['SUM(FILTER(order.lines.price; order.lines.sku; "glaze*"))', '90.2'],
    ['SUMIF(order.lines.sku; "CLAY*"; order.lines.quantity)', '3'],
    ['order.discount + 1', '1'],
    ['ISBLANK(order.discount)', true],
    ['IFEMPTY(order.discount; "none")', 'none'],
    ['order.due + 30', '2026-04-30'],
    ['order.due - DATE(2026;3;1)', '30'],
    ['EOMONTH(order.due; 1)', '2026-04-30'],
    ['DATEVALUE(order.born)', '2026-04-03'],
    ['DATEVALUE(order.born; "month first")', '2026-03-04'],
    ['SERIALDATE(46085)', '2026-03-04'],
    ['TODAY()', '2026-07-01'],
    ['NOW()', '2026-06-30T23:30:00.000Z'],
    ['VALUE("1.234,56")', '1234.56'],
    ['VALUE("£1,204.50")', '1204.5'],
    ['MONEY(12.5; "eur") + MONEY(1; "EUR")', '13.5'],
    ['ROUND.MONEY(MONEY(12.345; "JPY"))', '12'],
    ['ROUND.MONEY(MONEY(12.3455; "KWD"))', '12.346'],
    ['EMAIL.DOMAIN(order.email)', 'clay.example'],
    ['COUNTRY.CODE("Deutschland") & COUNTRY.CODE("U.K.")', 'DEGB'],
    ["NAME.FIRST($$'order.Full name')", 'Zoë'],
    ['LINES("a" & UNICHAR(10) & "b")', '2'],
    ['REGEX.FIND(order.number; "([A-Z])-([0-9]+)"; 2)', '1001'],
    ['REGEX.REPLACE("07700 900123"; "[^0-9]"; "")', '07700900123'],
    ['REGEX.TEST(order.number; "^S-")', true],
    ['FROM.TABLE("germany"; "codes")', 'DE'],
    ['FROM.TABLE("Mars"; "codes"; "?")', '?'],
    ['IF(order.total > 100; "large"; 1/0)', 'large'],
    ['order.lines.quantity > 2', [true, false]],
  ])('%s', (text, expected) =>
    expect(result(text, { ...london, tables: [{ name: 'Codes', rows: [{ from: 'Germany', to: 'DE' }] }] })).toEqual(
      expected,
    ),
  );

  test.each([
    ['order.email * 2', 'is not a plain number'],
    ['1 / SUM(order.discount)', 'Division by zero'],
    ['MONEY(1; "EUR") + order.total', 'EUR and GBP can’t be calculated'],
    ['order.total * order.total', 'can’t be multiplied'],
    ['MONEY(1; "XXX0")', 'not a currency code'],
    ['FROM.TABLE("Mars"; "codes")', 'no table “codes”'],
    ['REGEX.TEST("a"; "(?=a)")', 'The pattern can’t be used'],
    ['"' + '1,2,3' + '" + 1', 'VALUE reads numbers as people write them'],
    ['UPPER(order.lines)', 'A whole record is not a text'],
    ['order.due + order.due', 'Two dates can’t be added'],
    ['DATEIN(NOW(); "Atlantis/City")', 'no time zone'],
    ['LINE.NUMBER()', 'No line is being filled'],
    ['nobody.email', 'nobody.email'],
  ])('%s is an error that says what to do', (text, message) => {
    const value = evaluateFormula(
      {
        text,
        refs: Object.fromEntries(
          namesIn(text)
            .filter((name) => name.startsWith('order.'))
            .map((name) => [name, refOf(name)]),
        ),
      },
      { start: order },
      london,
    );
    expect(value).toBeInstanceOf(FormulaError);
    expect((value as FormulaError).message).toContain(message);
  });

  test('a moment is a day only in a zone, over both changes of the clocks (IANA, Europe/London 2026)', () => {
    // 2026-03-29 01:00 UTC the clocks go forward, 2026-10-25 01:00 UTC back.
    expect(result('DAY(order.placed_at)')).toBe('28');
    expect(result('DAY(order.placed_at)', { ...london, zone: 'Europe/Berlin' })).toBe('29');
    expect(result('HOUR(DATE(2026;3;29) + TIME(3;0;0))')).toBe('4');
    expect(result('DATEIN(NOW(); "America/New_York")')).toBe('2026-06-30');
    expect(result('order.placed_at + 1')).toBe('2026-03-29T22:30:00.000Z');
  });
});

describe('the checker', () => {
  const known: KnownName[] = [
    { name: 'customer.email', type: 'text' },
    { name: 'customer.born', type: 'date' },
    { name: 'order.total', type: 'money' },
    { name: 'order.lines.quantity', type: 'list' },
    { name: 'order.address', type: 'record' },
  ];
  test.each([
    ['LOWER(customer.email)', 'text'],
    ['order.total * 2', 'money'],
    ['order.total / order.total', 'number'],
    ['customer.born + 1', 'date'],
    ['IF(TRUE; customer.born; customer.born)', 'date'],
    ['SUM(order.lines.quantity)', 'number'],
    ['order.lines.quantity * 2', 'list'],
    ['ROUND(order.total; 2)', 'money'],
    ['IFS(TRUE; 1; FALSE; "a")', 'any'],
  ])('%s gives a %s', (text, type) => expect(checkFormula(text, known)).toEqual({ type, issues: [] }));

  test.each([
    ['customer.emial', 'customer.emial', 'Did you mean customer.email?', 'customer.email'],
    ['email', 'email', 'Did you mean customer.email?', 'customer.email'],
    ['ROUDN(1)', 'ROUDN', 'Did you mean ROUND?', 'ROUND'],
    ['ROUND()', 'ROUND', 'takes 1 to 2 arguments, not 0', undefined],
    ['ROUND(1;2;3)', 'ROUND', 'takes 1 to 2 arguments, not 3', undefined],
    ['customer.born * 2', 'customer.born', 'A number is needed here, not a date', undefined],
    ['YEAR(1) + "x"', '"x"', 'A number is needed', undefined],
    ['EDATE(5; 1)', '5', 'needs a date here, not a number', undefined],
    ['order.address', 'order.address', 'A whole record comes out', undefined],
    ['REGEX.TEST(customer.email; "(")', '"("', 'The pattern can’t be used', undefined],
    ['FROM.TABLE("a"; "coeds")', '"coeds"', 'Did you mean “codes”?', '"codes"'],
    ['LEFT(; 2)', '(;', 'LEFT needs its text here', undefined],
  ])('%s underlines %s', (text, underlined, message, suggestion) => {
    const [issue] = checkFormula(text, known, ['codes']).issues;
    expect(issue?.message).toContain(message);
    expect(text.slice(issue?.from, issue?.to)).toBe(underlined);
    expect(issue?.suggestion).toBe(suggestion);
  });

  test.each([
    ['', 'empty'],
    ['=', 'empty'],
    ['1 +', 'Something is missing'],
    ['IF(1; 2', 'closing bracket is missing'],
    ['1)', 'no opening bracket'],
    ['"abc', 'no closing quotation mark'],
    ['‘abc’', 'straight double quotation marks'],
    ['1 2', '“2” can’t be used here'],
    [`${'-'.repeat(300)}1`, 'nested more than'],
    [`${'1+'.repeat(5000)}1`, 'at most 8000 characters'],
  ])('%j is told where it breaks', (text, message) => {
    const { expression, issues } = parseFormula(text);
    expect(expression).toBeUndefined();
    expect(issues[0]?.message).toContain(message);
  });

  test('what it says of the type holds for what comes out', () => {
    for (const [text, kind] of [
      ['ROUND(order.total; 2)', 'money'],
      ['order.due + 1', 'date'],
      ['NOW()', 'instant'],
    ]) {
      const names = [
        { name: 'order.total', type: 'money' as const },
        { name: 'order.due', type: 'date' as const },
      ];
      expect(checkFormula(text as string, names).type).toBe(kind);
      expect(kindOf(give(text as string))).toBe(kind);
    }
  });
});

describe('as a person writes it', () => {
  test('an English comma and a German semicolon are stored alike; texts are left alone', () => {
    const [english, german] = [spellingOf('en-GB'), spellingOf('de-DE')];
    expect(toStored('ROUND(1.5, 0) & "a, b"', english)).toBe('ROUND(1.5; 0) & "a, b"');
    expect(toStored('RUNDE(1,5; 0) & "a, b"', german)).toBe('RUNDE(1.5; 0) & "a, b"');
    expect(toTyped('ROUND(1.5; 0) & "a; b"', english)).toBe('ROUND(1.5, 0) & "a; b"');
    expect(toTyped('ROUND(1.5; line.2)', german)).toBe('ROUND(1,5; line.2)');
  });

  test('property: stored, typed and stored again is the same, with every character in its place', () => {
    const part = fc.constantFrom('ROUND(', '1.5', ';', ' ', '"a, ""b;"', "$$'x, y'", 'order.a_1', ')', '&', '{1;2}');
    fc.assert(
      fc.property(
        fc.array(part).map((parts) => parts.join('')),
        fc.constantFrom('en-GB', 'de-DE'),
        (stored, locale) => {
          const typed = toTyped(stored, spellingOf(locale));
          expect(typed).toHaveLength(stored.length);
          expect(toStored(typed, spellingOf(locale))).toBe(stored);
        },
      ),
      { seed: 7 },
    );
  });

  test('property: a quoted name reads back as itself', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), (name) => {
        const [node] = [parseFormula(quoteName(name)).expression];
        expect(node).toMatchObject({ kind: 'name', name });
      }),
      { seed: 8 },
    );
  });

  test.each([
    ['Nair, Priya', 'Priya', 'Nair'],
    ['Dr. Priya van der Berg', 'Priya', 'van der Berg'],
    ['Anna Marie O’Neill', 'Anna Marie', 'O’Neill'],
    ['Boyle', '', 'Boyle'],
    ['Anke', 'Anke', ''],
    ['M. Yilmaz', 'M.', 'Yilmaz'],
    ['Müller, Jürgen', 'Jürgen', 'Müller'],
    ['Müller, Dr. Jürgen', 'Jürgen', 'Müller'],
    ['Schäfer Anke', 'Anke', 'Schäfer'],
    ['Kowalska Anna', 'Anna', 'Kowalska'],
    // Given names that are family names too don't turn a name about.
    ['Käthe Henning', 'Käthe', 'Henning'],
    ['Farid Hassan', 'Farid', 'Hassan'],
    ['Ravi Martin', 'Ravi', 'Martin'],
    ['Aliou Ali', 'Aliou', 'Ali'],
    ['Gonzalez R.', 'R.', 'Gonzalez'],
    ['Prof. Dr. Anna-Lena Weber', 'Anna-Lena', 'Weber'],
    ['Herr Weber', '', 'Weber'],
    ['van der Wal', '', 'van der Wal'],
    ['María García López', 'María', 'García López'],
    ['John Fitzgerald Boyle', 'John Fitzgerald', 'Boyle'],
    ['Priya Nair, PhD', 'Priya', 'Nair'],
    ['田中', '', '田中'],
    ['Dr.', '', ''],
  ])('%s is split where people split it', (full, first, last) => expect(splitName(full)).toEqual({ first, last }));
});

describe('properties: evaluating never throws and always ends', () => {
  const leaf = fc.constantFrom(
    '1',
    '0',
    '"a"',
    '""',
    '"12,5"',
    'TRUE',
    'order.total',
    'order.lines.quantity',
    'order.discount',
    'order.due',
    'order.placed_at',
    'order.lines',
    '{1;"b";3}',
    '1e300',
    'NA()',
  );
  const names = formulaFunctions.map((fn) => fn.name);
  const { text } = fc.letrec((tie) => ({
    text: fc.oneof({ depthSize: 'small', withCrossShrink: true }, leaf, tie('binary'), tie('call'), tie('other')),
    binary: fc
      .tuple(tie('text'), fc.constantFrom('+', '-', '*', '/', '^', '&', '=', '<', '>='), tie('text'))
      .map((parts) => `(${parts.join('')})`),
    other: fc
      .tuple(fc.constantFrom('-', '+', ''), tie('text'), fc.constantFrom('%', ''))
      .map((parts) => `(${parts.join('')})`),
    call: fc
      .tuple(fc.constantFrom(...names), fc.array(tie('text'), { maxLength: 4 }))
      .map(([name, args]) => `${name}(${args.join(';')})`),
  }));

  test('any formula made of any functions gives a value or an error, the same each time, and never “not a number”', () => {
    fc.assert(
      fc.property(text as fc.Arbitrary<string>, (formula) => {
        const value = give(formula);
        const shown = JSON.stringify(toValue(value));
        expect(shown).not.toMatch(/NaN|Infinity|\[object/);
        expect(JSON.stringify(toValue(give(formula)))).toBe(shown);
        checkFormula(formula, []);
      }),
      { seed: 4, numRuns: 1500 },
    );
  });

  test('any text at all is either a formula or told why not', () => {
    fc.assert(
      fc.property(
        fc.string({
          unit: fc.constantFrom(
            '(',
            ')',
            '"',
            ';',
            '+',
            '1',
            'A',
            '.',
            '$',
            "'",
            '{',
            '}',
            '%',
            '#',
            '=',
            '<',
            ' ',
            'é',
          ),
        }),
        (any) => {
          const { expression, issues } = parseFormula(any);
          expect((expression === undefined) === issues.length > 0).toBe(true);
        },
      ),
      { seed: 5, numRuns: 500 },
    );
  });

  test('what would compute for ever is given up', () => {
    const nested = Array.from({ length: 12 }).reduce<string>((inner) => `REPT(${inner};99)`, '"x"');
    for (const heavy of [
      nested,
      'REPT("x";1e9)',
      '9^9^9^9',
      '1.0000001^99999999',
      'SUBSTITUTE(REPT("a";100000);"a";REPT("b";100000))',
    ]) {
      // Given up with a sentence; a test that hangs ends at the runner's limit.
      expect(give(heavy)).toMatchObject({ code: '#NUM!', message: expect.stringMatching(/too much|too large/) });
    }
    // Patterns that hang engines with going back are linear here.
    expect(result('REGEX.TEST(REPT("a";5000) & "!"; "^(a+)+$")')).toBe(false);
  });
});
