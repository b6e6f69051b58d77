import { type Condition, type Operator, operatorsFor } from '../conditions/condition.ts';
import { evaluate } from '../conditions/evaluate.ts';
import { chooseAwkward } from '../mapping/awkward.ts';
import type { ValueFilling } from '../mapping/convert.ts';
import { type Filling, fill } from '../mapping/filling.ts';
import { mapField } from '../mapping/map-record.ts';
import { aField, contentWith, fromField, keepBritish, list, priya, shop, writeToList } from '../testing/workflows.ts';
import { recordTitle } from '../values/title.ts';
import { sentenceText, writeBrief } from './brief.ts';
import { checkReadiness, isReady } from './readiness.ts';
import { emptyContent, WorkflowContentSchema } from './schema.ts';

const london = { zone: 'Europe/London', country: 'GB' };
const scope = (record: object) => ({ start: record as never });

describe('conditions', () => {
  const meets = (operator: Operator, value: unknown, ...values: string[]) =>
    evaluate({ kind: 'test', ref: { step: 'start', path: '/x' }, operator, values }, scope({ x: value }), london)
      .isKept;

  test.each<[Operator, unknown, string[], boolean]>([
    ['is', 'Trade ', ['TRADE'], true],
    ['is', 'Straße', ['STRASSE'], true],
    ['is_not', 'hobby', ['trade'], true],
    ['contains', 'Earth, Fire & Sons', ['fire'], true],
    ['contains_not', null, ['fire'], true],
    ['starts_with', '+44 1632', ['+44'], true],
    ['ends_with', 'a@clay.example', ['CLAY.example'], true],
    ['is_one_of', 'ie', ['GB', 'IE'], true],
    ['is_none_of', 'SE', ['GB', 'IE'], true],
    ['is_empty', '  ', [], true],
    ['is_not_empty', 0, [], true],
    ['equals', '12.50', ['12.5'], true],
    ['less', '9', ['10'], true],
    ['at_least', 'ten', ['10'], false],
    ['more', null, ['0'], false],
    ['on', '2026-03-29T23:30:00Z', ['2026-03-30'], true],
    ['before', '1/2/2026', ['2026-02-02'], true],
    ['after', 'soon', ['2026-02-02'], false],
    ['is_yes', true, [], true],
    ['is_no', 'no', [], true],
    ['is_yes', 'perhaps', [], false],
    ['is', ['red', 'blue'], ['Blue'], true],
  ])('%s %j %j', (operator, value, values, expected) => expect(meets(operator, value, ...values)).toBe(expected));

  test('groups join with all and any, and the reason names what told', () => {
    const test = (path: string, operator: Operator, ...values: string[]): Condition => ({
      kind: 'test',
      ref: { step: 'start', path },
      operator,
      values,
    });
    const condition: Condition = {
      kind: 'all',
      items: [test('/a', 'is', '1'), { kind: 'any', items: [test('/b', 'is', '2'), test('/c', 'is', '3')] }],
    };
    expect(evaluate(condition, scope({ a: '1', b: 'x', c: '3' }), london)).toEqual({
      isKept: true,
      why: 'a is “1” and c is “3”',
    });
    expect(evaluate(condition, scope({ a: '1', b: 'x', c: 'y' }), london)).toMatchObject({
      isKept: false,
      why: expect.stringContaining('b is “x”'),
    });
    expect(evaluate({ kind: 'all', items: [] }, scope({}), london).isKept).toBe(true);
  });

  test('operators fit the field', () => {
    expect(operatorsFor('decimal')).toContain('at_least');
    expect(operatorsFor('boolean')).not.toContain('contains');
    expect(operatorsFor('choice')[0]).toBe('is_one_of');
  });
});

describe('fillings and tidies', () => {
  const text = (...parts: ({ f: string } | string)[]): Filling => ({
    kind: 'text',
    tidies: [{ kind: 'squeeze' }],
    parts: parts.map((part) =>
      typeof part === 'string'
        ? { kind: 'words', text: part }
        : { kind: 'field', ref: { step: 'start', path: part.f } },
    ),
  });
  const filled = (filling: Filling, record: object) => fill(filling as ValueFilling, scope(record), london);

  test('words around fields that are all empty make no value', () => {
    const name = text({ f: '/first' }, ' ', { f: '/last' });
    expect(filled(name, { first: ' Zoë', last: 'Ó Briain ' })).toEqual({ ok: true, value: 'Zoë Ó Briain' });
    expect(filled(name, { first: null, last: 'Nair' })).toEqual({ ok: true, value: 'Nair' });
    expect(filled(text('Dear ', { f: '/first' }, ','), { first: '' })).toEqual({ ok: true, value: null });
  });

  test('tidies work in their order; the default stands in only when empty', () => {
    const tidied = fromField('/x', { kind: 'trim' }, { kind: 'lower' }, { kind: 'default', value: 'none' });
    expect(filled(tidied, { x: ' A@B.EXAMPLE ' })).toEqual({ ok: true, value: 'a@b.example' });
    expect(filled(tidied, { x: '  ' })).toEqual({ ok: true, value: 'none' });
    expect(filled(fromField('/x', { kind: 'phone', country: 'IE' }), { x: '020 914 1974' })).toEqual({
      ok: true,
      value: '+353209141974',
    });
    expect(filled(fromField('/x', { kind: 'phone' }), { x: 'see e-mail' })).toMatchObject({ ok: false });
    expect(filled(fromField('/x', { kind: 'title' }), { x: 'ADA LOVELACE' })).toEqual({
      ok: true,
      value: 'Ada Lovelace',
    });
    expect(filled(fromField('/x', { kind: 'upper' }), { x: ['a', 'b'] })).toEqual({ ok: true, value: ['A', 'B'] });
    expect(filled(fromField('/x', { kind: 'trim' }), { x: { a: 1 } })).toMatchObject({ ok: false });
  });

  test('a cell says whether it is filled, empty, not filled, or a problem', () => {
    const cell = (filling: Filling | undefined, record: object, more = {}) =>
      mapField(aField('/x', more), filling, scope(record), london);
    expect(cell(fromField('/x'), { x: 'a' })).toEqual({ state: 'filled', value: 'a' });
    expect(cell(fromField('/x'), {})).toEqual({ state: 'empty' });
    expect(cell(undefined, {})).toEqual({ state: 'not_filled' });
    expect(cell(undefined, {}, { required: true })).toMatchObject({
      state: 'problem',
      message: 'Required, and not filled.',
    });
    expect(
      cell({ kind: 'choice', value: 'gold' }, {}, { type: 'choice', options: [{ value: 'silver', label: 'Silver' }] }),
    ).toMatchObject({ state: 'problem' });
    expect(cell({ kind: 'fixed', value: '3/4/26' }, {}, { type: 'date' })).toEqual({
      state: 'filled',
      value: '2026-04-03',
      note: 'read with the day first',
    });
  });
});

describe('awkward samples', () => {
  test('the richest in traits come first, each adding something new, and a typical one closes', () => {
    const records = [
      { ...priya, name: 'Ada' },
      { ...priya, phone: null },
      { ...priya, phone: null, email: null, name: '  花 ' },
      { ...priya, name: 'Zoë' },
    ];
    const chosen = chooseAwkward(records, (record) => record as never, shop.described.fields, 4);
    expect(chosen.map((one) => one.sample.name)).toEqual(['  花 ', 'Zoë', 'Ada']);
    expect(chosen[0]?.why).toBe('another script, stray spaces');
    expect(chosen.at(-1)?.why).toBe('typical');
  });

  test('a record goes by its name, else by what it has', () => {
    expect(recordTitle({ first_name: 'Zoë', last_name: 'Ó Briain' })).toBe('Zoë Ó Briain');
    expect(recordTitle({ first_name: null, company: 'Kiln & Co.' })).toBe('Kiln & Co.');
    expect(recordTitle({})).toBe('no name');
  });
});

describe('readiness and the brief', () => {
  const messages = (content: Parameters<typeof checkReadiness>[0]) =>
    checkReadiness(content).map((problem) => problem.message);

  test('a finished draft is ready; an empty one says what to do', () => {
    expect(isReady(contentWith([keepBritish, writeToList()]))).toBe(true);
    expect(messages(emptyContent('x'))).toEqual([
      'Choose where the records come from.',
      'Add a step that writes the records somewhere.',
    ]);
  });

  test.each([
    [contentWith([writeToList({ key: undefined })]), 'Choose the field that existing'],
    [contentWith([writeToList({ target: null })]), 'Choose where the records go.'],
    [contentWith([writeToList({ mapping: { '/Number': fromField('/id') } })]), '“Name” is required and not filled.'],
    [
      contentWith([writeToList({ mapping: { ...writeToList().mapping, '/Gone': fromField('/id') } })]),
      '“Gone” isn’t there any more.',
    ],
    [
      contentWith([writeToList({ mapping: { ...writeToList().mapping, '/Phone': fromField('/mobile') } })]),
      'filled with a field that doesn’t exist here',
    ],
    [
      contentWith([
        {
          ...keepBritish,
          condition: { kind: 'test', ref: { step: 'start', path: '/email' }, operator: 'is', values: [''] },
        } as never,
        writeToList(),
      ]),
      'to compare',
    ],
    [contentWith([writeToList()], { source: list }), 'identifies each row'],
    [contentWith([writeToList()], { fromWhen: { kind: 'since', at: 'soon' } }), 'Choose the date'],
    [
      contentWith([
        writeToList({ target: { ...list, described: { ...list.described, readOnlyBecause: 'View only.' } } }),
      ]),
      'View only.',
    ],
  ])('%#: %s', (content, message) => expect(messages(content).join(' ')).toContain(message));

  test('the brief reads as sentences', () => {
    const names = { shop: 'Shop counter', shelf: 'Workbook shelf' };
    expect(
      writeBrief(contentWith([keepBritish, writeToList(), writeToList({ id: 'b', mode: 'append' })]), names).map(
        sentenceText,
      ),
    ).toEqual([
      'When a customer is added in the Shop counter, which is checked every 5 minutes, as soon as it meets the conditions, from now on.',
      'Keep those whose address · country is one of GB, IE.',
      'Create or update the row in the Workbook shelf, list.xlsx → Customers that has the same Number, writing only what differs.',
      'Append a row to the Workbook shelf, list.xlsx → Customers.',
    ]);
    expect(writeBrief(emptyContent('x'), {}).map(sentenceText)).toEqual(['When a record comes up in an app.']);
  });

  test('a content survives storing, and one of another shape is refused', () => {
    const content = contentWith([keepBritish, writeToList()]);
    expect(WorkflowContentSchema.parse(JSON.parse(JSON.stringify(content)))).toEqual(
      JSON.parse(JSON.stringify(content)),
    );
    expect(WorkflowContentSchema.safeParse({ ...content, schema: 2 }).success).toBe(false);
  });
});
