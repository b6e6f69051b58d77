import type { TextPart } from './filling.ts';
import type { NamedField } from './names.ts';
import type { Ref } from './refs.ts';

/**
 * A text with fields as a person types it: `Dear {first name, else customer},`. What stands in braces and names no field is
 * words like all others.
 */

/** What each field is called in a typed text: its label where no other has it, else its name in formulas. */
export function letterNames(fields: readonly NamedField[]): ReadonlyMap<NamedField, string> {
  const counts = new Map<string, number>();
  for (const { known } of fields) counts.set(fold(known.field.label), (counts.get(fold(known.field.label)) ?? 0) + 1);
  return new Map(
    fields.map((one) => {
      const { label } = one.known.field;
      const isPlain = counts.get(fold(label)) === 1 && !/[{},]/.test(label);
      return [one, isPlain ? label : one.name];
    }),
  );
}

const fold = (text: string): string => text.trim().toLowerCase();

/** Parts of a text as they are typed; a field that isn't known here keeps its path. */
export function letterOf(parts: readonly TextPart[], fields: readonly NamedField[]): string {
  const names = letterNames(fields);
  const nameOf = (ref: Ref): string => {
    const known = fields.find((one) => one.known.ref.step === ref.step && one.known.ref.path === ref.path);
    return (known && names.get(known)) ?? `${ref.step}${ref.path}`;
  };
  return parts
    .map((part) => {
      if (part.kind === 'words') return part.text;
      return part.otherwise === undefined ? `{${nameOf(part.ref)}}` : `{${nameOf(part.ref)}, else ${part.otherwise}}`;
    })
    .join('');
}

const inBraces = /\{([^{}\n,]+)(?:,\s*else ([^{}\n]*))?\}/g;

/** What stands in braces in a typed text and names no field that is known: each once, as it is typed. */
export function unknownInLetter(text: string, fields: readonly NamedField[]): string[] {
  const known = new Set(fieldsInLetter(text, fields).map(({ from }) => from));
  const names = [...text.matchAll(inBraces)]
    .filter(({ index }) => !known.has(index))
    .map(([, name = '']) => name.trim());
  return [...new Set(names)];
}

/** A place in a typed text that names a field. */
export interface LetterField {
  readonly from: number;
  readonly to: number;
  readonly ref: Ref;
  readonly otherwise?: string;
}

/** The fields that a typed text names, in their order. */
export function fieldsInLetter(
  text: string,
  fields: readonly NamedField[],
  before: readonly TextPart[] = [],
): LetterField[] {
  const byName = new Map<string, Ref>();
  // What isn't known here any more is kept as long as it is left alone.
  for (const part of before) if (part.kind === 'field') byName.set(fold(`${part.ref.step}${part.ref.path}`), part.ref);
  for (const one of fields) byName.set(fold(one.name), one.known.ref);
  for (const [one, name] of letterNames(fields)) byName.set(fold(name), one.known.ref);
  return [...text.matchAll(inBraces)].flatMap((found): LetterField[] => {
    const ref = byName.get(fold(found[1] ?? ''));
    const otherwise = found[2];
    const span = { from: found.index, to: found.index + found[0].length };
    return ref ? [{ ...span, ref, ...(otherwise !== undefined && { otherwise }) }] : [];
  });
}

/** A typed text as its parts. */
export function partsOfLetter(
  text: string,
  fields: readonly NamedField[],
  before: readonly TextPart[] = [],
): TextPart[] {
  const parts: TextPart[] = [];
  let at = 0;
  const words = (to: number): void => {
    if (to > at) parts.push({ kind: 'words', text: text.slice(at, to) });
  };
  for (const { from, to, ref, otherwise } of fieldsInLetter(text, fields, before)) {
    words(from);
    parts.push({ kind: 'field', ref, ...(otherwise !== undefined && { otherwise }) });
    at = to;
  }
  words(text.length);
  return parts;
}
