import { z } from 'zod';
import type { Locale } from '../values/coerce.ts';
import type { FieldType } from '../values/field.ts';
import { type Pointer, readPointer } from '../values/pointer.ts';
import { isEmpty, isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';
import { applyTidies, type Tidied, TidySchema, typeAfter } from './tidy.ts';

/** A field of the record that an earlier sentence made known. `step` is `start` or a step's id. */
export const RefSchema = z.object({ step: z.string(), path: z.string() });
export type Ref = z.infer<typeof RefSchema>;

export const TextPartSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('words'), text: z.string() }),
  z.object({ kind: z.literal('field'), ref: RefSchema }),
]);
export type TextPart = z.infer<typeof TextPartSchema>;

/** How one destination field gets its value. */
export const FillingSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('field'), ref: RefSchema, tidies: z.array(TidySchema) }),
  z.object({ kind: z.literal('text'), parts: z.array(TextPartSchema), tidies: z.array(TidySchema) }),
  z.object({ kind: z.literal('choice'), value: z.string() }),
  z.object({ kind: z.literal('fixed'), value: z.string() }),
]);
export type Filling = z.infer<typeof FillingSchema>;

/** What earlier sentences made known, by step. */
export type Scope = Readonly<Record<string, JsonRecord>>;

/** The type of a field that a filling can refer to. */
export type TypeOf = (ref: Ref) => FieldType | undefined;

/** The value at a reference; null where the record has nothing there. */
export function readRef(scope: Scope, ref: Ref): Value {
  const record = scope[ref.step];
  return record === undefined ? null : (readPointer(record, ref.path as Pointer) ?? null);
}

/** The value a filling gives for one record, tidied, not yet made to fit its field. */
export function fill(filling: Filling, scope: Scope, locale: Locale): Tidied {
  switch (filling.kind) {
    case 'field':
      return applyTidies(readRef(scope, filling.ref), filling.tidies, locale);
    case 'text':
      return fillText(filling.parts, filling, scope, locale);
    case 'choice':
    case 'fixed':
      return { ok: true, value: filling.value };
  }
}

function fillText(
  parts: readonly TextPart[],
  filling: Extract<Filling, { kind: 'text' }>,
  scope: Scope,
  locale: Locale,
): Tidied {
  let text = '';
  let isFieldFilled = false;
  let hasField = false;
  for (const part of parts) {
    if (part.kind === 'words') {
      text += part.text;
      continue;
    }
    hasField = true;
    const value = readRef(scope, part.ref);
    if (isRecord(value))
      return { ok: false, message: 'A whole record can’t go into a text. Choose one of its fields.' };
    isFieldFilled ||= !isEmpty(value);
    text += toText(value);
  }
  // Words around fields that are all empty would be a value made of nothing: "Dear ," or a lone comma.
  const value = hasField && !isFieldFilled ? null : text;
  return applyTidies(value, filling.tidies, locale);
}

/** The fields a filling reads. */
export function refsOf(filling: Filling): Ref[] {
  if (filling.kind === 'field') return [filling.ref];
  if (filling.kind === 'text') return filling.parts.flatMap((part) => (part.kind === 'field' ? [part.ref] : []));
  return [];
}

/** The type of what a filling gives, known before it runs. */
export function typeOfFilling(filling: Filling, typeOf: TypeOf): FieldType {
  if (filling.kind === 'choice' || filling.kind === 'fixed') return 'text';
  const only = filling.kind === 'text' && filling.parts.length === 1 ? filling.parts[0] : undefined;
  const start =
    filling.kind === 'field'
      ? (typeOf(filling.ref) ?? 'any')
      : only?.kind === 'field'
        ? (typeOf(only.ref) ?? 'any')
        : 'text';
  return filling.tidies.reduce((type, tidy) => typeAfter(tidy, type), start);
}
