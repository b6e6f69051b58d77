import { isRecord, type JsonRecord, toText, type Value } from '../values/value.ts';

// Texts of a document name values in braces: "Delivery note {number}". A name is a field of the record, or a way into
// it: {customer.name}.

/** A piece of such a text. */
export type PlaceholderPart =
  | { readonly kind: 'words'; readonly text: string }
  | { readonly kind: 'value'; readonly name: string };

/** What is wrong with how a text is written: a brace that isn't closed, or one without a name. */
export class BadPlaceholder extends Error {
  override readonly name = 'BadPlaceholder';
}

/**
 * The pieces of a text in their order.
 * @throws BadPlaceholder for a brace that isn't closed, opened, or has no name
 */
export function partsOfText(text: string): PlaceholderPart[] {
  const parts: PlaceholderPart[] = [];
  let at = 0;
  for (const found of text.matchAll(/\{([^{}]*)\}|[{}]/g)) {
    if (found.index > at) parts.push({ kind: 'words', text: text.slice(at, found.index) });
    const name = found[1]?.trim();
    if (name === undefined)
      throw new BadPlaceholder(
        found[0] === '{'
          ? `In “${around(text, found.index)}” a { isn’t closed. Write the name of a field after it, and }.`
          : `In “${around(text, found.index)}” a } stands without a { before it.`,
      );
    if (name === '')
      throw new BadPlaceholder(
        `In “${around(text, found.index)}” nothing stands between { and }. Write the name of a field.`,
      );
    parts.push({ kind: 'value', name });
    at = found.index + found[0].length;
  }
  if (at < text.length) parts.push({ kind: 'words', text: text.slice(at) });
  return parts;
}

/** The names that a text has, each once. @throws BadPlaceholder */
export const namesOfText = (text: string): string[] => [
  ...new Set(partsOfText(text).flatMap((part) => (part.kind === 'value' ? [part.name] : []))),
];

/** The value of that name: a field that is called so, or the way into the record; undefined where there is none. */
export function valueNamed(record: JsonRecord, name: string): Value | undefined {
  if (Object.hasOwn(record, name)) return record[name];
  let here: Value | undefined = record;
  for (const step of name.split('.')) {
    if (!isRecord(here) || !Object.hasOwn(here, step.trim())) return undefined;
    here = here[step.trim()];
  }
  return here;
}

/**
 * A text with its values, the innermost record first: in a line of a table its own fields come before those of the
 * whole record.
 *
 * @param missed - is told the names for which no record has a value
 * @throws BadPlaceholder
 */
export function filledText(text: string, records: readonly JsonRecord[], missed: (name: string) => void): string {
  return partsOfText(text)
    .map((part) => {
      if (part.kind === 'words') return part.text;
      const value = valueInAny(records, part.name);
      if (value === undefined) missed(part.name);
      return toText(value);
    })
    .join('');
}

/** The value of that name in the first record that has one. */
export function valueInAny(records: readonly JsonRecord[], name: string): Value | undefined {
  for (const record of records) {
    const value = valueNamed(record, name);
    if (value !== undefined) return value;
  }
  return undefined;
}

/** True where a part of a document that stands there only if this value does, stands there. */
export function isThere(value: Value | undefined): boolean {
  if (value === undefined || value === null || value === false) return false;
  if (Array.isArray(value)) return value.length > 0;
  if (typeof value === 'string') return !['', 'no', 'false', '0'].includes(value.trim().toLowerCase());
  return value !== 0;
}

const around = (text: string, at: number): string => {
  const [from, to] = [Math.max(0, at - 12), at + 20];
  return `${from > 0 ? '…' : ''}${text.slice(from, to)}${to < text.length ? '…' : ''}`;
};
