import { z } from 'zod';
import type { Locale } from '../values/coerce.ts';
import { readDate, usualOrder } from '../values/dates.ts';
import type { FieldType } from '../values/field.ts';
import { otherCountryOf, readPhone } from '../values/phone.ts';
import { squeezeSpaces, titleCase } from '../values/text.ts';
import { isEmpty, isRecord, toText, type Value } from '../values/value.ts';
import { RefSchema } from './refs.ts';

/** A named clean-up on a filling. */
export const TidySchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('trim') }),
  z.object({ kind: z.literal('squeeze') }),
  z.object({ kind: z.literal('lower') }),
  z.object({ kind: z.literal('upper') }),
  z.object({ kind: z.literal('title') }),
  /** For numbers without a prefix: the country that a field of the record tells, else `country`, else the workspace's. */
  z.object({
    kind: z.literal('phone'),
    country: z.string().length(2).optional(),
    countryFrom: RefSchema.optional(),
  }),
  /** `order` settles what figures alone can't tell; the country's custom when absent. */
  z.object({ kind: z.literal('date'), order: z.enum(['day_first', 'month_first']).optional() }),
  z.object({ kind: z.literal('default'), value: z.string() }),
]);
export type Tidy = z.infer<typeof TidySchema>;
export type TidyKind = Tidy['kind'];

/** A tidied value, with what was worth saying about it, or the sentence why it can't be tidied. */
export type Tidied =
  | { readonly ok: true; readonly value: Value; readonly note?: string }
  | { readonly ok: false; readonly message: string };

/** The tidy in a few words, as it stands beside the field: "international phone, GB if no code". */
export function tidyLabel(tidy: Tidy, locale: Locale): string {
  switch (tidy.kind) {
    case 'trim':
      return 'trim';
    case 'squeeze':
      return 'single spaces';
    case 'lower':
      return 'lower case';
    case 'upper':
      return 'upper case';
    case 'title':
      return 'title case';
    case 'phone':
      return tidy.countryFrom
        ? 'international phone, by the record’s country'
        : `international phone, ${tidy.country ?? locale.country} if no code`;
    case 'date':
      return `date, ${locale.zone.split('/').pop()?.replaceAll('_', ' ')}`;
    case 'default':
      return `“${tidy.value}” if empty`;
  }
}

/** The type a value has after this tidy. */
export function typeAfter(tidy: Tidy, type: FieldType): FieldType {
  if (tidy.kind === 'phone') return 'phone';
  if (tidy.kind === 'date') return 'date';
  if (tidy.kind === 'default') return type;
  return type === 'integer' || type === 'decimal' || type === 'boolean' ? 'text' : type;
}

/**
 * Applies one tidy. Empty stays empty, save for `default`. A text that can't be tidied is a
 * problem, never silently empty.
 */
export function applyTidy(value: Value, tidy: Tidy, locale: Locale): Tidied {
  if (tidy.kind === 'default') return { ok: true, value: isEmpty(value) ? tidy.value : value };
  if (isEmpty(value)) return { ok: true, value: null };
  if (isRecord(value)) return { ok: false, message: 'A whole record can’t be tidied. Choose one of its fields.' };
  if (Array.isArray(value)) return tidyList(value, tidy, locale);
  const text = toText(value);
  switch (tidy.kind) {
    case 'trim':
      return { ok: true, value: text.trim() };
    case 'squeeze':
      return { ok: true, value: squeezeSpaces(text) };
    case 'lower':
      return { ok: true, value: text.toLowerCase() };
    case 'upper':
      return { ok: true, value: text.toUpperCase() };
    case 'title':
      return { ok: true, value: titleCase(text) };
    case 'phone': {
      const country = tidy.country ?? locale.country;
      const number = readPhone(text, country);
      if (!number)
        return {
          ok: false,
          message: `“${text}” can’t be read as a telephone number${tidy.countryFrom ? ` of ${country}` : ''}.`,
        };
      const other = tidy.countryFrom && tidy.country ? otherCountryOf(number, tidy.country) : undefined;
      return { ok: true, value: number, ...(other && { note: `a number of ${other}, in a record of ${country}` }) };
    }
    case 'date': {
      const read = readDate(text, locale.zone, tidy.order ?? locale.order ?? usualOrder(locale.country));
      if (!read.ok) return read;
      return { ok: true, value: read.date, ...(read.note && { note: read.note }) };
    }
  }
}

function tidyList(list: readonly Value[], tidy: Tidy, locale: Locale): Tidied {
  const tidied: Value[] = [];
  for (const value of list) {
    const result = applyTidy(value, tidy, locale);
    if (!result.ok) return result;
    tidied.push(result.value);
  }
  return { ok: true, value: tidied };
}

/** Applies tidies in their order; the first that can't be done ends it. */
export function applyTidies(value: Value, tidies: readonly Tidy[], locale: Locale): Tidied {
  let current: Tidied = { ok: true, value };
  const notes: string[] = [];
  for (const tidy of tidies) {
    current = applyTidy(current.value, tidy, locale);
    if (!current.ok) return current;
    if (current.note) notes.push(current.note);
  }
  return notes.length > 0 ? { ...current, note: notes.join(', ') } : current;
}
