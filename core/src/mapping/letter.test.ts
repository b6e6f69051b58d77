import fc from 'fast-check';
import { aField } from '../testing/workflows.ts';
import { fill, type TextPart } from './filling.ts';
import { fieldsInLetter, letterOf, partsOfLetter } from './letter.ts';
import { mapField } from './map-record.ts';
import type { NamedField } from './names.ts';

const named = (path: string, label: string, step = 'start'): NamedField =>
  ({
    name: `${step}.${path.slice(1)}`,
    type: 'text',
    known: { ref: { step, path }, field: aField(path, { label }), from: 'mail' },
  }) as never;
const fields = [
  named('/first', 'first name'),
  named('/size', 'kiln size'),
  named('/name', 'name'),
  named('/name', 'name', 'list'),
];
const first = { step: 'start', path: '/first' };
const locale = { zone: 'Europe/London', country: 'GB' };

test('a letter is typed with fields in braces, and read back as its parts', () => {
  const typed = 'Dear {first name, else customer},\n\nyour {Kiln Size} kiln {is} ready. {list.name}';
  expect(partsOfLetter(typed, fields)).toEqual([
    { kind: 'words', text: 'Dear ' },
    { kind: 'field', ref: first, otherwise: 'customer' },
    { kind: 'words', text: ',\n\nyour ' },
    { kind: 'field', ref: { step: 'start', path: '/size' } },
    { kind: 'words', text: ' kiln {is} ready. ' },
    { kind: 'field', ref: { step: 'list', path: '/name' } },
  ]);
});

test('whatever its parts are, they are the same after they were typed', () => {
  const words = fc.string({ minLength: 1 }).filter((text) => !/[{}]/.test(text));
  const part: fc.Arbitrary<TextPart> = fc.oneof(
    words.map((text): TextPart => ({ kind: 'words', text })),
    fc.constantFrom(...fields).map(({ known }): TextPart => ({ kind: 'field', ref: known.ref })),
    fc
      .tuple(fc.constantFrom(...fields), fc.stringMatching(/^[a-zé ,.]{0,12}$/))
      .map(([{ known }, otherwise]): TextPart => ({ kind: 'field', ref: known.ref, otherwise })),
  );
  const joined = (parts: readonly TextPart[]): TextPart[] =>
    parts.reduce<TextPart[]>((all, one) => {
      const last = all.at(-1);
      if (one.kind === 'words' && last?.kind === 'words')
        return [...all.slice(0, -1), { kind: 'words', text: last.text + one.text }];
      return [...all, one];
    }, []);
  fc.assert(
    fc.property(fc.array(part, { maxLength: 8 }).map(joined), (parts) =>
      expect(partsOfLetter(letterOf(parts, fields), fields)).toEqual(parts),
    ),
  );
});

test('a field that isn’t known here any more stays what it was while it is left alone', () => {
  const gone: TextPart = { kind: 'field', ref: { step: 'old', path: '/gone' } };
  const typed = letterOf([gone], fields);
  expect(partsOfLetter(typed, fields, [gone])).toEqual([gone]);
  expect(fieldsInLetter(typed, fields)).toEqual([]);
});

test('a gap is told with the letter, words stand in for what is empty, and the letter is never left out', () => {
  const text = aField('/text', { isLong: true, tellsGaps: true });
  const around = {
    ...locale,
    fieldOf: ({ path }: { path: string }) => aField(path, { label: path === '/first' ? 'first name' : 'kiln size' }),
  };
  const filling = (otherwise?: string) => ({
    kind: 'text' as const,
    parts: partsOfLetter(`Dear {first name${otherwise ? `, else ${otherwise}` : ''}}, thank you.`, fields),
    tidies: [],
  });
  const scope = { start: { first: ' ' } };
  expect(mapField(text, filling(), scope, around)).toEqual({
    state: 'filled',
    value: 'Dear , thank you.',
    note: 'empty here: first name',
  });
  expect(mapField(text, filling('customer'), scope, around)).toEqual({
    state: 'filled',
    value: 'Dear customer, thank you.',
  });
  // A plain text of nothing but empty fields is still nothing.
  expect(fill(filling(), scope, locale)).toEqual({ ok: true, value: null });
});
