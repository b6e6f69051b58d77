import { z } from 'zod';
import { evaluateFormula } from '../formula/formula.ts';
import { fieldTypeOf, type StaticType } from '../formula/function.ts';
import { FormulaError, kindOf, Money, toValue } from '../formula/values.ts';
import { cellError } from '../values/cell-error.ts';
import { readCountry } from '../values/countries.ts';
import type { FieldType } from '../values/field.ts';
import { IdSchema } from '../values/id.ts';
import { currencyFor } from '../values/money.ts';
import { readPath } from '../values/paths.ts';
import { type Pointer, PointerSchema } from '../values/pointer.ts';
import { type PrintedField, printedValue } from '../values/printed.ts';
import { keyText } from '../values/text.ts';
import { isEmpty, isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';
import type { EvaluationContext, FieldOf } from './evaluation-context.ts';
import { type Ref, RefSchema } from './refs.ts';

export { type Ref, RefSchema, refNamed } from './refs.ts';

import { applyTidies, type Tidied, type Tidy, TidySchema, typeAfter } from './tidy.ts';

/** The name under which the line being filled stands in references. */
export const lineId = 'line';

export const TextPartSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('words'), text: z.string() }),
  z.object({
    kind: z.literal('field'),
    ref: RefSchema,
    /** The words that stand in for it where it is empty. */
    otherwise: z.string().max(400).optional(),
  }),
]);
export type TextPart = z.infer<typeof TextPartSchema>;

/** A formula in its stored form, with the field that each of its names stands for. */
export const FormulaSchema = z.object({ text: z.string().max(8000), refs: z.record(z.string(), RefSchema) });
export type Formula = z.infer<typeof FormulaSchema>;

/** What an option gets that isn't in the table. */
export const OtherwiseSchema = z.discriminatedUnion('kind', [
  /** A person has to say. */
  z.object({ kind: z.literal('problem') }),
  z.object({ kind: z.literal('empty') }),
  /** The value itself. */
  z.object({ kind: z.literal('same') }),
  z.object({ kind: z.literal('value'), value: z.string() }),
]);
export type Otherwise = z.infer<typeof OtherwiseSchema>;

/** What becomes of a value that can't be read: a person is asked, the field stays empty, or it is written as it is. */
export const unreadChoices = ['ask', 'empty', 'keep'] as const;
export type Unread = (typeof unreadChoices)[number];

const FieldFillingSchema = z.object({
  kind: z.literal('field'),
  ref: RefSchema,
  tidies: z.array(TidySchema),
  /** A person is asked when absent. */
  unread: z.enum(unreadChoices).optional(),
});
const TextFillingSchema = z.object({
  kind: z.literal('text'),
  parts: z.array(TextPartSchema),
  tidies: z.array(TidySchema),
  unread: z.enum(unreadChoices).optional(),
  /** The template that it is, and which version of it; absent for a text of its own. */
  template: z.object({ id: IdSchema, version: z.int().positive() }).optional(),
});
const ChoiceFillingSchema = z.object({ kind: z.literal('choice'), value: z.string() });
const FixedFillingSchema = z.object({ kind: z.literal('fixed'), value: z.string() });
const FormulaFillingSchema = FormulaSchema.extend({ kind: z.literal('formula') });
/** A field's values translated by a small table. */
const OptionsFillingSchema = z.object({
  kind: z.literal('options'),
  ref: RefSchema,
  table: z.array(z.object({ from: z.string(), to: z.string() })).max(500),
  otherwise: OtherwiseSchema,
});

export interface LinesFilling {
  kind: 'lines';
  /** The list whose items become lines. */
  ref: Ref;
  mapping: Record<string, Filling>;
  /** Only the items for which this formula holds. */
  keep?: Formula | undefined;
}
/** A list filled line by line: each item of a source list through a mapping of its own. */
const LinesFillingSchema: z.ZodType<LinesFilling> = z.object({
  kind: z.literal('lines'),
  ref: RefSchema,
  get mapping() {
    return z.record(PointerSchema, FillingSchema);
  },
  keep: FormulaSchema.optional(),
});

export type Filling =
  | z.infer<typeof FieldFillingSchema>
  | z.infer<typeof TextFillingSchema>
  | z.infer<typeof ChoiceFillingSchema>
  | z.infer<typeof FixedFillingSchema>
  | z.infer<typeof FormulaFillingSchema>
  | z.infer<typeof OptionsFillingSchema>
  | LinesFilling;

/** How one destination field gets its value. */
export const FillingSchema: z.ZodType<Filling> = z.union([
  FieldFillingSchema,
  TextFillingSchema,
  ChoiceFillingSchema,
  FixedFillingSchema,
  FormulaFillingSchema,
  OptionsFillingSchema,
  LinesFillingSchema,
]);

/** What earlier sentences made known, by step. */
export type Scope = Readonly<Record<string, JsonRecord>>;

/** What a filling gives, before it is made to fit its field. */
export type Filled = Tidied & {
  /** For an amount of money, where it says its currency. */
  readonly currency?: string;
  /** What a formula turned out to give. */
  readonly type?: FieldType;
};

/** The value at a reference; null where the record has nothing there. */
export function readRef(scope: Scope, ref: Ref): Value {
  const record = scope[ref.step];
  return record === undefined ? null : (readPath(record, ref.path as Pointer) ?? null);
}

/** The evaluation context with the reading that a person fixed for the field a filling reads. */
export function aroundOf(filling: Filling | undefined, around: EvaluationContext): EvaluationContext {
  if (!around.readings || !filling) return around;
  const ref = refsOf(filling).find((one) => one.step === 'start' && around.readings?.[one.path]);
  const reading = ref && around.readings[ref.path];
  if (!reading) return around;
  return {
    ...around,
    order: reading.dates ?? around.order,
    decimal: reading.decimal ?? around.decimal,
    serial: reading.serial ?? around.serial,
  };
}

/** The value a filling gives for one record, tidied, not yet made to fit its field. Lines have a way of their own. */
export function fill(filling: Exclude<Filling, LinesFilling>, scope: Scope, around: EvaluationContext): Filled {
  switch (filling.kind) {
    case 'field':
      return printed(
        withCurrency(
          applyTidies(readRef(scope, filling.ref), tidiesFor(filling.tidies, scope), aroundOf(filling, around)),
          filling.ref,
          scope,
          around,
        ),
        around.fieldOf?.(filling.ref),
        around,
      );
    case 'text':
      return fillText(filling.parts, filling.tidies, scope, around);
    case 'choice':
    case 'fixed':
      return { ok: true, value: filling.value };
    case 'formula': {
      const filled = fillFormula(filling, scope, around);
      return printed(filled, filled.ok && filled.type ? { type: filled.type } : undefined, around);
    }
    case 'options':
      return translate(readRef(scope, filling.ref), filling);
  }
}

/** A value that people read, as they write it; other fields get values as they travel. */
function printed(filled: Filled, field: PrintedField | undefined, around: EvaluationContext): Filled {
  if (!around.isPrinted || !filled.ok || !field || isEmpty(filled.value) || isRecord(filled.value)) return filled;
  if (Array.isArray(filled.value)) return filled;
  const { currency, ...rest } = filled;
  const known = { type: field.type, options: field.options, ...(currency !== undefined && { currencyCode: currency }) };
  return { ...rest, type: 'text', value: printedValue(filled.value, known, around) };
}

/** The tidies for one record: a telephone is read by the country that the record tells. */
function tidiesFor(tidies: readonly Tidy[], scope: Scope): readonly Tidy[] {
  return tidies.map((tidy) => {
    if (tidy.kind !== 'phone' || !tidy.countryFrom) return tidy;
    const country = readCountry(toText(readRef(scope, tidy.countryFrom)));
    return country ? { ...tidy, country } : tidy;
  });
}

const countryRefs = (tidies: readonly Tidy[]): Ref[] =>
  tidies.flatMap((tidy) => (tidy.kind === 'phone' && tidy.countryFrom ? [tidy.countryFrom] : []));

const withCountryRefs = (tidies: Tidy[], change: (ref: Ref) => Ref): Tidy[] =>
  tidies.map((tidy) =>
    tidy.kind === 'phone' && tidy.countryFrom ? { ...tidy, countryFrom: change(tidy.countryFrom) } : tidy,
  );

function withCurrency(filled: Tidied, ref: Ref, scope: Scope, around: EvaluationContext): Filled {
  const field = filled.ok ? around.fieldOf?.(ref) : undefined;
  if (field?.type !== 'money') return filled;
  const currency = currencyFor(field, scope[ref.step] ?? {});
  return currency ? { ...filled, currency } : filled;
}

function fillFormula(formula: Formula, scope: Scope, around: EvaluationContext): Filled {
  const result = evaluateFormula(formula, scope, around);
  if (result instanceof FormulaError) return { ok: false, message: result.message };
  const errorInside = Array.isArray(result) ? result.find((one) => one instanceof FormulaError) : undefined;
  if (errorInside instanceof FormulaError) return { ok: false, message: errorInside.message };
  const kind = kindOf(result);
  const type = kind === 'empty' ? 'any' : fieldTypeOf(kind as StaticType);
  return {
    ok: true,
    value: toValue(result),
    type,
    ...(result instanceof Money && result.currency && { currency: result.currency }),
  };
}

/** A value through its table; values are compared without case and outer white space. */
function translate(value: Value, { table, otherwise }: Extract<Filling, { kind: 'options' }>): Tidied {
  if (Array.isArray(value)) {
    const all = value.map((one) => translate(one, { table, otherwise } as Extract<Filling, { kind: 'options' }>));
    const problem = all.find((one) => !one.ok);
    return problem ?? { ok: true, value: all.map((one) => (one.ok ? one.value : null)) };
  }
  const key = keyText(value);
  const row = table.find((one) => keyText(one.from) === key);
  if (row) return { ok: true, value: row.to };
  switch (otherwise.kind) {
    case 'empty':
      return { ok: true, value: null };
    case 'same':
      return { ok: true, value };
    case 'value':
      return { ok: true, value: otherwise.value };
    case 'problem':
      // Nothing given is not a value that the table lacks.
      return isEmpty(value)
        ? { ok: true, value: null }
        : { ok: false, message: `“${toText(value)}” isn’t in the table of this field.` };
  }
}

function fillText(
  parts: readonly TextPart[],
  tidies: readonly Tidy[],
  scope: Scope,
  around: EvaluationContext,
): Tidied {
  let text = '';
  let isFieldFilled = false;
  let hasField = false;
  const gaps: string[] = [];
  for (const part of parts) {
    if (part.kind === 'words') {
      text += part.text;
      continue;
    }
    hasField = true;
    const value = readRef(scope, part.ref);
    if (isRecord(value))
      return { ok: false, message: 'A whole record can’t go into a text. Choose one of its fields.' };
    const error = cellError(value);
    if (error) return { ok: false, message: error };
    const isGap = isEmpty(value) && part.otherwise === undefined;
    isFieldFilled ||= !isGap;
    if (isGap) gaps.push(around.fieldOf?.(part.ref)?.label ?? part.ref.path.slice(1));
    text += isEmpty(value) ? (part.otherwise ?? '') : partText(value, part.ref, scope, around);
  }
  // Words around fields that are all empty would be a value made of nothing: a lone comma.
  const value = hasField && !isFieldFilled && !around.isLetter ? null : text;
  const tidied = applyTidies(value, tidiesFor(tidies, scope), around);
  return around.isLetter && tidied.ok && gaps.length > 0 ? { ...tidied, note: gapsNote(gaps) } : tidied;
}

/** A value within a text; what people read is written as they write it. */
function partText(value: Value, ref: Ref, scope: Scope, around: EvaluationContext): string {
  const field = around.isPrinted ? around.fieldOf?.(ref) : undefined;
  if (!field || Array.isArray(value)) return toText(value);
  const currencyCode = field.type === 'money' ? currencyFor(field, scope[ref.step] ?? {}) : '';
  return printedValue(value, { ...field, ...(currencyCode !== '' && { currencyCode }) }, around);
}

/** Tells of a letter what is missing in it: "Dear ," is seen before it is sent. */
const gapsNote = (gaps: readonly string[]): string => `empty here: ${[...new Set(gaps)].join(', ')}`;

/** The fields a filling reads; of lines those outside the line itself. */
export function refsOf(filling: Filling): Ref[] {
  switch (filling.kind) {
    case 'field':
      return [filling.ref, ...countryRefs(filling.tidies)];
    case 'options':
      return [filling.ref];
    case 'text':
      return [
        ...filling.parts.flatMap((part) => (part.kind === 'field' ? [part.ref] : [])),
        ...countryRefs(filling.tidies),
      ];
    case 'formula':
      return Object.values(filling.refs);
    case 'lines': {
      const inner = [...Object.values(filling.mapping).flatMap(refsOf), ...Object.values(filling.keep?.refs ?? {})];
      return [filling.ref, ...inner.filter((ref) => ref.step !== lineId)];
    }
    default:
      return [];
  }
}

/** A filling with each of its references replaced; those of the line too. */
export function mapRefs(filling: Filling, change: (ref: Ref) => Ref): Filling {
  const all = (refs: Record<string, Ref>): Record<string, Ref> =>
    Object.fromEntries(Object.entries(refs).map(([name, ref]) => [name, change(ref)]));
  switch (filling.kind) {
    case 'field':
      return { ...filling, ref: change(filling.ref), tidies: withCountryRefs(filling.tidies, change) };
    case 'options':
      return { ...filling, ref: change(filling.ref) };
    case 'text':
      return {
        ...filling,
        tidies: withCountryRefs(filling.tidies, change),
        parts: filling.parts.map((part) => (part.kind === 'field' ? { ...part, ref: change(part.ref) } : part)),
      };
    case 'formula':
      return { ...filling, refs: all(filling.refs) };
    case 'lines':
      return {
        ...filling,
        ref: change(filling.ref),
        mapping: Object.fromEntries(
          Object.entries(filling.mapping).map(([path, inner]) => [path, mapRefs(inner, change)]),
        ),
        ...(filling.keep && { keep: { ...filling.keep, refs: all(filling.keep.refs) } }),
      };
    default:
      return filling;
  }
}

/** The type of what a filling gives, known before it runs; of a formula only when it has run. */
export function typeOfFilling(filling: Filling, fieldOf: FieldOf): FieldType {
  const typeOf = (ref: Ref): FieldType => fieldOf(ref)?.type ?? 'any';
  switch (filling.kind) {
    case 'choice':
    case 'fixed':
    case 'options':
      return 'text';
    case 'formula':
      return 'any';
    case 'lines':
      return 'list';
    case 'field':
      return filling.tidies.reduce((type, tidy) => typeAfter(tidy, type), typeOf(filling.ref));
    case 'text': {
      const [only] = filling.parts;
      const start: FieldType = filling.parts.length === 1 && only?.kind === 'field' ? typeOf(only.ref) : 'text';
      return filling.tidies.reduce((type, tidy) => typeAfter(tidy, type), start);
    }
  }
}
