import type { Field } from '@golden/core';
import { emptyContent, type Suggestion, type WriteStep } from '@golden/core';
import { keyName } from '../../parts/shortcuts.ts';
import { withAccepted, withFilling, withNewStep, withSuggestions } from '../draft/edits.ts';
import { chooseColumns } from './on-sheet.ts';
import { readList, readPasted } from './own-samples.ts';
import type { SampleOnSheet } from './sample-run.ts';

const field = (path: string, label: string): Field => ({ path, label, type: 'text' });
const fields = [
  field('/first_name', 'first name'),
  field('/email', 'email'),
  field('/address/postcode', 'address · postcode'),
];

describe('pasted JSON', () => {
  test('one record, or a list of them', () => {
    expect(readPasted('{"a": 1}')).toEqual({ ok: true, records: [{ a: 1 }] });
    expect(readPasted('[{"a": [1, [2]]}, {"b": null}]')).toMatchObject({ ok: true });
  });

  test.each([
    ['{"a": ', 'This is not valid JSON'],
    ['[]', 'The list is empty'],
    ['[{"a": 1}, 3]', 'Entry 2 is not a record'],
    ['"text"', 'Entry 1 is not a record'],
  ])('%s is told', (text, sentence) => {
    const read = readPasted(text);
    expect(read.ok ? '' : read.message).toContain(sentence);
  });
});

describe('past records from a CSV file', () => {
  const read = (text: string | Uint8Array) =>
    readList(typeof text === 'string' ? new TextEncoder().encode(text) : text, fields);

  test('columns go where the source has the same or means the same; others are kept and told', () => {
    expect(read('First name;E-mail;Post code;Kiln\nZoë;zoe@clay.example;00420;front\n')).toEqual({
      ok: true,
      records: [{ first_name: 'Zoë', email: 'zoe@clay.example', address: { postcode: '00420' }, Kiln: 'front' }],
      note: 'Not in the source, kept as they are: Kiln.',
    });
  });

  test('another encoding is read; an empty file, one of names only and one of bytes are told', () => {
    expect(read(new Uint8Array([0x65, 0x6d, 0x61, 0x69, 0x6c, 0x0a, 0xe9, 0x0a]))).toMatchObject({
      records: [{ email: 'é' }],
    });
    expect(read('')).toMatchObject({ ok: false });
    expect(read('email\n')).toMatchObject({ ok: false, message: 'There are no rows below the first one.' });
    expect(read(new Uint8Array([0x00, 0xff, 0x80]))).toMatchObject({ ok: false });
  });
});

describe('the columns of the sheet', () => {
  const run = (id: string, more: object = {}): SampleOnSheet => ({
    id,
    title: id,
    record: { email: `${id}@x.example` },
    sample: { id, record: {}, origin: 'real', ...more },
    results: {},
    reached: new Set(),
    scope: {},
  });

  test('chosen ones come first, the others fill up to six; one taken off stays off', () => {
    const many = Array.from({ length: 10 }, (_, at) => run(`s${at}`));
    const shown = chooseColumns(
      [...many, run('mine', { isOnSheet: true }), run('off', { isOnSheet: false })],
      fields,
      'w',
    );
    expect(shown[0]).toMatchObject({ id: 'mine', why: 'chosen' });
    expect(shown.map((one) => one.id)).not.toContain('off');
    const fifty = Array.from({ length: 50 }, (_, at) => run(`s${at}`, { isOnSheet: true }));
    expect(chooseColumns(fifty, fields, 'w')).toHaveLength(50);
  });

  test('one that the sentence can’t be done for comes by itself, and says where', () => {
    const problem = { path: '/Phone', label: 'Phone', message: 'no number' };
    const troubled: SampleOnSheet = {
      ...run('trouble'),
      results: { w: { kind: 'unsettled', cause: 'value', message: 'Phone: no number', fields: [problem] } },
    };
    const many = Array.from({ length: 10 }, (_, at) => run(`s${at}`));
    expect(chooseColumns([...many, troubled], fields, 'w')[0]).toMatchObject({
      id: 'trouble',
      why: 'problem in Phone',
    });
  });

  test('what was made up says so', () => {
    expect(chooseColumns([run('m', { isOnSheet: true, origin: 'made_up' })], fields, 'w')[0]?.why).toBe('made up');
  });
});

describe('proposals in a draft', () => {
  const step: WriteStep = { id: 'w', kind: 'write', target: null, mode: 'append', mapping: {} };
  const content = { ...emptyContent('x'), steps: [step] };
  const suggestion = (path: string): Suggestion => ({
    path,
    filling: { kind: 'field', ref: { step: 'start', path }, tidies: [] },
    reason: 'same name',
    score: 1,
  });
  const write = (draft: typeof content): WriteStep => draft.steps[0] as WriteStep;

  test('they fill only what is open, are marked, and lose the mark when accepted, changed or cleared', () => {
    const proposed = withSuggestions('w', [suggestion('/a'), suggestion('/b'), suggestion('/c')])(
      content,
    ) as typeof content;
    expect(Object.keys(write(proposed).suggested ?? {})).toEqual(['/a', '/b', '/c']);
    const accepted = withAccepted('w', '/a')(proposed) as typeof content;
    expect(write(accepted).mapping['/a']).toEqual(suggestion('/a').filling);
    expect(Object.keys(write(accepted).suggested ?? {})).toEqual(['/b', '/c']);
    const cleared = withFilling('w', '/b', undefined)(accepted) as typeof content;
    expect(write(cleared).mapping['/b']).toBeUndefined();
    const changed = withFilling('w', '/c', { kind: 'fixed', value: 'x' })(cleared) as typeof content;
    expect(write(changed)).not.toHaveProperty('suggested');
    const again = withSuggestions('w', [suggestion('/c')])(changed) as typeof content;
    expect(write(again).mapping['/c']).toEqual({ kind: 'fixed', value: 'x' });
    expect(write(withAccepted('w')(proposed) as typeof content)).not.toHaveProperty('suggested');
  });

  test('a sentence asked for after another stands right behind it; after the start, first', () => {
    const condition = { id: 'c', kind: 'condition' as const, condition: { kind: 'all' as const, items: [] } };
    expect(withNewStep(condition, 'w')(content).steps.map((one) => one.id)).toEqual(['w', 'c']);
    expect(withNewStep(condition, 'start')(content).steps.map((one) => one.id)).toEqual(['c', 'w']);
    expect(withNewStep(condition)(content).steps.map((one) => one.id)).toEqual(['c', 'w']);
  });
});

test('keys have one name on every keyboard', () => {
  const key = (name: string, more: Partial<KeyboardEvent> = {}): string =>
    keyName({ key: name, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect(key('?', { shiftKey: true })).toBe('?');
  expect(key('N', { shiftKey: true })).toBe('shift+n');
  expect(key('ArrowUp', { altKey: true })).toBe('alt+arrowup');
  expect(key('k', { metaKey: true })).toBe('ctrl+k');
});
